//go:build !amd64

package embed

func dots4x4(a []int16, lda int, b []int8, ldb, k int, out *[16]int32) {
	plainDots4x4(a, lda, b, ldb, k, out)
}

func dots4x2Wide(a []int16, lda int, b []int16, ldb, k int, out *[8]int32) {
	plainDots4x2Wide(a, lda, b, ldb, k, out)
}

func dot(a, b []int8) int32 { return plainDot(a, b) }
