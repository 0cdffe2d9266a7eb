// Package prove judges replies against what was expected of them, sums up runs, compares them, and measures trials.
package prove

// Version names the algorithm.
const Version = "prove-7"
