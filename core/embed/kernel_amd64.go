package embed

import "golang.org/x/sys/cpu"

var (
	wide   = cpu.X86.HasAVX2
	widest = wide && cpu.X86.HasAVX512F && cpu.X86.HasAVX512BW && cpu.X86.HasAVX512VL && cpu.X86.HasAVX512VNNI
)

//go:noescape
func vnniDots4x4(a *int16, lda int, b *int8, ldb, k int, out *[16]int32)

//go:noescape
func avx2Dots4x2(a *int16, lda int, b *int8, ldb, k int, out *[8]int32)

//go:noescape
func avx2Dots4x2Wide(a *int16, lda int, b *int16, ldb, k int, out *[8]int32)

//go:noescape
func avx2Dot(a, b *int8, n int) int32

func dots4x4(a []int16, lda int, b []int8, ldb, k int, out *[16]int32) {
	if !wide {
		plainDots4x4(a, lda, b, ldb, k, out)
		return
	}
	_, _ = a[3*lda+k-1], b[3*ldb+k-1]
	if widest && k%32 == 0 {
		vnniDots4x4(&a[0], lda, &b[0], ldb, k, out)
		return
	}
	avx2Dots4x2(&a[0], lda, &b[0], ldb, k, (*[8]int32)(out[:8]))
	avx2Dots4x2(&a[0], lda, &b[2*ldb], ldb, k, (*[8]int32)(out[8:]))
}

func dots4x2Wide(a []int16, lda int, b []int16, ldb, k int, out *[8]int32) {
	if !wide {
		plainDots4x2Wide(a, lda, b, ldb, k, out)
		return
	}
	_, _ = a[3*lda+k-1], b[ldb+k-1]
	avx2Dots4x2Wide(&a[0], lda, &b[0], ldb, k, out)
}

func dot(a, b []int8) int32 {
	n := len(a) &^ 15
	if !wide || n == 0 {
		return plainDot(a, b)
	}
	_ = b[len(a)-1]
	return avx2Dot(&a[0], &b[0], n) + plainDot(a[n:], b[n:])
}
