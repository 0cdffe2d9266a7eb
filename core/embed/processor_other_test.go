//go:build !amd64

package embed

// eachProcessor does something as this processor does its work.
func eachProcessor(do func(name string)) { do("plain") }
