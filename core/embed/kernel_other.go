//go:build !amd64

package embed

func narrow(p *product, w panels[int8]) { plain(p, w) }

func broad(p *product, w panels[int16]) { plain(p, w) }

func largest(x []float32) uint32 { return plainLargest(x) }

func toWhole(x []float32, q []int16, up float32) { plainWhole(x, q, up) }

// gelu is the Gaussian error linear unit (Hendrycks and Gimpel 2016), in place. Given are the bits of the largest size of what comes.
func (c *curves) gelu(x []float32) uint32 { return c.plainBend(x) }

func topOf(x []float32) float32 { return plainTop(x) }

func (c *curves) grow(x []float32, top float32) { c.plainGrow(x, top) }

func scale(x []float32, by float32, w, b []float32) uint32 { return plainScale(x, by, w, b) }

func largestOf16(v []float32, rows, stride int, bits []uint32) {
	plainLargestOf16(v, rows, stride, bits)
}

func pairsOf16(v []float32, pairs, stride int, up []float32, out []int16) {
	plainPairsOf16(v, pairs, stride, up, out)
}

func sums(x, y []float32) [4]float64 { return plainSums(x, y) }

func squares(x []float32, means [4]float32) [4]float64 { return plainSquares(x, means) }

func dot(a, b []int8) int32 { return plainDot(a, b) }
