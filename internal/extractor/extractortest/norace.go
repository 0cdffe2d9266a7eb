//go:build !race

package extractortest

const race = false
