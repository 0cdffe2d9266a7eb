package embed

// The kernels are exact: they sum products of whole numbers, so that a processor with wide registers, one without, and
// any order of work give the same bits.

// plainDots4x4 multiplies four rows with four: the dot product of row i of a and row j of b goes to place 8*(j/2) + 2*i +
// j%2. Rows of a are lda numbers apart, rows of b ldb; k, their length, is a multiple of 16.
func plainDots4x4(a []int16, lda int, b []int8, ldb, k int, out *[16]int32) {
	for j := range 4 {
		w := b[j*ldb : j*ldb+k]
		for i := range 4 {
			x := a[i*lda : i*lda+k][:len(w)]
			var s0, s1 int32
			for n := 0; n+2 <= len(w); n += 2 {
				s0 += int32(x[n]) * int32(w[n])
				s1 += int32(x[n+1]) * int32(w[n+1])
			}
			out[8*(j/2)+2*i+j%2] = s0 + s1
		}
	}
}

// plainDots4x2Wide multiplies four rows with two, of 16-bit numbers both: row i of a and row j of b give out[2*i+j].
func plainDots4x2Wide(a []int16, lda int, b []int16, ldb, k int, out *[8]int32) {
	for j := range 2 {
		w := b[j*ldb : j*ldb+k]
		for i := range 4 {
			x := a[i*lda : i*lda+k][:len(w)]
			var s0, s1 int32
			for n := 0; n+2 <= len(w); n += 2 {
				s0 += int32(x[n]) * int32(w[n])
				s1 += int32(x[n+1]) * int32(w[n+1])
			}
			out[2*i+j] = s0 + s1
		}
	}
}

func plainDot(a, b []int8) int32 {
	var s0, s1, s2, s3 int32
	b = b[:len(a)]
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += int32(a[i]) * int32(b[i])
		s1 += int32(a[i+1]) * int32(b[i+1])
		s2 += int32(a[i+2]) * int32(b[i+2])
		s3 += int32(a[i+3]) * int32(b[i+3])
	}
	for ; i < len(a); i++ {
		s0 += int32(a[i]) * int32(b[i])
	}
	return s0 + s1 + s2 + s3
}
