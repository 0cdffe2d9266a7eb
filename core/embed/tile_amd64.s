#include "textflag.h"
#include "tile_avx512_amd64.h"

#define MAC(W, X, SUM, T) \
	VPMADDWD W, X, T   \
	VPADDD T, SUM, SUM

// func avx512Tile8x48(t *tile)
TEXT ·avx512Tile8x48(SB), NOSPLIT, $0-8
	TILE48

// func avx512Tile8x16(t *tile)
TEXT ·avx512Tile8x16(SB), NOSPLIT, $0-8
	TILE16

#undef MAC
#define MAC(W, X, SUM, T) \
	VPDPWSSD W, X, SUM

// func vnniTile8x48(t *tile)
TEXT ·vnniTile8x48(SB), NOSPLIT, $0-8
	TILE48

// func vnniTile8x16(t *tile)
TEXT ·vnniTile8x16(SB), NOSPLIT, $0-8
	TILE16

// One row of a tile of 16 columns in two registers; the weights are in Y8 and Y9.
#define ROW4(AT, S0, S1) \
	VPBROADCASTD AT, Y10   \
	VPMADDWD Y8, Y10, Y11  \
	VPMADDWD Y9, Y10, Y12  \
	VPADDD Y11, S0, S0     \
	VPADDD Y12, S1, S1

#define END4(ROW, S0, S1) \
	VBROADCASTSS ROW, Y12  \
	VMULPS Y8, Y12, Y13    \
	VMULPS Y9, Y12, Y14    \
	VCVTDQ2PS S0, S0       \
	VCVTDQ2PS S1, S1       \
	VMULPS Y13, S0, S0     \
	VMULPS Y14, S1, S1     \
	VADDPS Y10, S0, S0     \
	VADDPS Y11, S1, S1     \
	VMOVUPS S0, (SI)       \
	VMOVUPS S1, 32(SI)     \
	ADDQ DX, SI

#define BEGIN4 \
	MOVQ t+0(FP), AX     \
	MOVQ 0(AX), SI       \
	MOVQ 8(AX), DX       \
	MOVQ 16(AX), DI      \
	MOVQ 32(AX), CX      \
	LEAQ (DX)(DX*2), R9  \
	VPXOR Y0, Y0, Y0     \
	VPXOR Y1, Y1, Y1     \
	VPXOR Y2, Y2, Y2     \
	VPXOR Y3, Y3, Y3     \
	VPXOR Y4, Y4, Y4     \
	VPXOR Y5, Y5, Y5     \
	VPXOR Y6, Y6, Y6     \
	VPXOR Y7, Y7, Y7

#define ROWS4 \
	ROW4((SI), Y0, Y1)       \
	ROW4((SI)(DX*1), Y2, Y3) \
	ROW4((SI)(DX*2), Y4, Y5) \
	ROW4((SI)(R9*1), Y6, Y7)

#define FINISH4 \
	MOVQ 40(AX), R12      \
	MOVQ 48(AX), R13      \
	MOVQ 56(AX), R8       \
	MOVQ 64(AX), SI       \
	MOVQ 72(AX), DX       \
	VMOVUPS (R13), Y8     \
	VMOVUPS 32(R13), Y9   \
	VMOVUPS (R8), Y10     \
	VMOVUPS 32(R8), Y11   \
	END4((R12), Y0, Y1)   \
	END4(4(R12), Y2, Y3)  \
	END4(8(R12), Y4, Y5)  \
	END4(12(R12), Y6, Y7) \
	VZEROUPPER            \
	RET

// func avx2Tile4x16(t *tile)
TEXT ·avx2Tile4x16(SB), NOSPLIT, $0-8
	BEGIN4

pair:
	VPMOVSXBW (DI), Y8
	VPMOVSXBW 16(DI), Y9
	ROWS4
	ADDQ $4, SI
	ADDQ $32, DI
	DECQ CX
	JNZ  pair
	FINISH4

// func avx2Tile4x16Wide(t *tile)
TEXT ·avx2Tile4x16Wide(SB), NOSPLIT, $0-8
	BEGIN4

pair:
	VMOVDQU (DI), Y8
	VMOVDQU 32(DI), Y9
	ROWS4
	ADDQ $4, SI
	ADDQ $64, DI
	DECQ CX
	JNZ  pair
	FINISH4

// The larger of TOP and the sizes in X, as bits; T is overwritten.
#define SIZE(X, T, TOP) \
	VPADDD X, X, T   \
	VPSRLD $1, T, T  \
	VPMAXSD T, TOP, TOP

// The largest of the eight numbers in Y goes to AX; X is the lower half of Y.
#define LARGEST(Y, X, T) \
	VEXTRACTI128 $1, Y, T  \
	VPMAXSD T, X, X        \
	VPSHUFD $0x4e, X, T    \
	VPMAXSD T, X, X        \
	VPSHUFD $0xb1, X, T    \
	VPMAXSD T, X, X        \
	VMOVD X, AX            \
	VZEROUPPER

// func avx2Largest(x *float32, n int) uint32
// The bits of the largest size among n numbers, n a multiple of 8 above 0.
TEXT ·avx2Largest(SB), NOSPLIT, $0-20
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	VPCMPEQD Y7, Y7, Y7
	VPSRLD $1, Y7, Y7
	VPXOR Y0, Y0, Y0

eight:
	VPAND (SI), Y7, Y1
	VPMAXSD Y1, Y0, Y0
	ADDQ $32, SI
	SUBQ $8, CX
	JNZ  eight
	LARGEST(Y0, X0, X1)
	MOVL AX, ret+16(FP)
	RET

// func avx2Whole(x *float32, q *int16, n int, up float32)
// q = x * up, rounded to whole numbers; n is a multiple of 16 above 0.
TEXT ·avx2Whole(SB), NOSPLIT, $0-28
	MOVQ x+0(FP), SI
	MOVQ q+8(FP), DI
	MOVQ n+16(FP), CX
	VBROADCASTSS up+24(FP), Y7

sixteen:
	VMULPS (SI), Y7, Y0
	VMULPS 32(SI), Y7, Y1
	VCVTPS2DQ Y0, Y0
	VCVTPS2DQ Y1, Y1
	VPACKSSDW Y1, Y0, Y0
	VPERMQ $0xd8, Y0, Y0
	VMOVDQU Y0, (DI)
	ADDQ $64, SI
	ADDQ $32, DI
	SUBQ $16, CX
	JNZ  sixteen
	VZEROUPPER
	RET

// Two neighbours in a table, at the place whose number is at AT, into the lower or the upper half of X.
#define LOWER(AT, X) \
	MOVLQZX AT, R8       \
	VMOVSD (DI)(R8*4), X

#define UPPER(AT, X) \
	MOVLQZX AT, R9         \
	VMOVHPS (DI)(R9*4), X, X

// Looks eight places (in S) up in the table at DI and goes straight on from each to the next one; R gets the values. Y9 to Y15 are
// overwritten. One load for each two neighbours is several times as fast as gathering them.
#define LOOKUP(S, R) \
	VCVTTPS2DQ S, Y13        \
	VMOVDQU Y13, places-32(SP) \
	LOWER(places-32(SP), X9)         \
	LOWER(places-24(SP), X10)        \
	LOWER(places-16(SP), X11)       \
	LOWER(places-8(SP), X12)       \
	UPPER(places-28(SP), X9)         \
	UPPER(places-20(SP), X10)       \
	UPPER(places-12(SP), X11)       \
	UPPER(places-4(SP), X12)       \
	VINSERTF128 $1, X11, Y9, Y9   \
	VINSERTF128 $1, X12, Y10, Y10 \
	VSHUFPS $0x88, Y10, Y9, R     \
	VSHUFPS $0xdd, Y10, Y9, Y14   \
	VCVTDQ2PS Y13, Y13       \
	VSUBPS R, Y14, Y14       \
	VSUBPS Y13, S, S         \
	VMULPS Y14, S, S         \
	VADDPS S, R, R

// func avx2Bend(x *float32, n int, table *float32, limits *[4]float32) uint32
// The curve of a table over -limits[0] to limits[0], limits[1] steps a unit; above it x itself, below it 0. limits[2] is the last place.
// Given are the bits of the largest size of what comes.
TEXT ·avx2Bend(SB), NOSPLIT, $32-36
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	MOVQ table+16(FP), DI
	MOVQ limits+24(FP), BX
	VBROADCASTSS (BX), Y4   // range
	VBROADCASTSS 4(BX), Y5  // steps
	VBROADCASTSS 8(BX), Y6  // last place
	VXORPS Y7, Y7, Y7
	VSUBPS Y4, Y7, Y8       // -range
	VPXOR Y7, Y7, Y7        // largest so far

bend:
	VMOVUPS (SI), Y0
	VADDPS Y4, Y0, Y1
	VMULPS Y5, Y1, Y1
	VPXOR Y3, Y3, Y3
	VMAXPS Y3, Y1, Y1
	VMINPS Y6, Y1, Y1
	LOOKUP(Y1, Y2)
	VCMPPS $0x0d, Y4, Y0, Y3 // x >= range
	VBLENDVPS Y3, Y0, Y2, Y2
	VCMPPS $0x02, Y8, Y0, Y3 // x <= -range
	VANDNPS Y2, Y3, Y2
	VMOVUPS Y2, (SI)
	SIZE(Y2, Y3, Y7)
	ADDQ $32, SI
	SUBQ $8, CX
	JNZ  bend
	LARGEST(Y7, X7, X1)
	MOVL AX, ret+32(FP)
	RET

// func avx2Top(x *float32, n int) float32
// The largest of n numbers, n a multiple of 8 above 0.
TEXT ·avx2Top(SB), NOSPLIT, $0-20
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	VMOVUPS (SI), Y0

top:
	VMAXPS (SI), Y0, Y0
	ADDQ $32, SI
	SUBQ $8, CX
	JNZ  top
	VEXTRACTF128 $1, Y0, X1
	VMAXPS X1, X0, X0
	VPSHUFD $0x4e, X0, X1
	VMAXPS X1, X0, X0
	VPSHUFD $0xb1, X0, X1
	VMAXPS X1, X0, X0
	VZEROUPPER
	MOVSS X0, ret+16(FP)
	RET

// func avx2Grow(x *float32, n int, top float32, table *float32, limits *[2]float32)
// The curve of a table over -limits[0] to 0, limits[1] steps a unit, at x - top; below its beginning its first value.
TEXT ·avx2Grow(SB), NOSPLIT, $32-40
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	VBROADCASTSS top+16(FP), Y3
	MOVQ table+24(FP), DI
	MOVQ limits+32(FP), BX
	VBROADCASTSS (BX), Y4
	VBROADCASTSS 4(BX), Y5
	VXORPS Y7, Y7, Y7

grow:
	VMOVUPS (SI), Y1
	VSUBPS Y3, Y1, Y1
	VADDPS Y4, Y1, Y1
	VMULPS Y5, Y1, Y1
	VMAXPS Y7, Y1, Y1
	LOOKUP(Y1, Y2)
	VMOVUPS Y2, (SI)
	ADDQ $32, SI
	SUBQ $8, CX
	JNZ  grow
	VZEROUPPER
	RET

// func avx2Scale(x *float32, n int, by float32, w, b *float32) uint32
// x = x * by * w + b, each step rounded; n is a multiple of 8 above 0. Given are the bits of the largest size of what comes.
TEXT ·avx2Scale(SB), NOSPLIT, $0-44
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	VBROADCASTSS by+16(FP), Y7
	MOVQ w+24(FP), DI
	MOVQ b+32(FP), BX
	VPXOR Y6, Y6, Y6

scale:
	VMULPS (SI), Y7, Y0
	VMULPS (DI), Y0, Y0
	VADDPS (BX), Y0, Y0
	VMOVUPS Y0, (SI)
	SIZE(Y0, Y1, Y6)
	ADDQ $32, SI
	ADDQ $32, DI
	ADDQ $32, BX
	SUBQ $8, CX
	JNZ  scale
	LARGEST(Y6, X6, X1)
	MOVL AX, ret+40(FP)
	RET

// func avx2Columns(v *float32, rows, stride int, bits *uint32)
// The bits of the largest size in each of 16 columns; rows are stride bytes apart.
TEXT ·avx2Columns(SB), NOSPLIT, $0-32
	MOVQ v+0(FP), SI
	MOVQ rows+8(FP), CX
	MOVQ stride+16(FP), DX
	MOVQ bits+24(FP), DI
	VPCMPEQD Y7, Y7, Y7
	VPSRLD $1, Y7, Y7
	VPXOR Y0, Y0, Y0
	VPXOR Y1, Y1, Y1

column:
	VPAND (SI), Y7, Y2
	VPAND 32(SI), Y7, Y3
	VPMAXSD Y2, Y0, Y0
	VPMAXSD Y3, Y1, Y1
	ADDQ DX, SI
	DECQ CX
	JNZ  column
	VMOVDQU Y0, (DI)
	VMOVDQU Y1, 32(DI)
	VZEROUPPER
	RET

// func avx2Pairs(v *float32, pairs, stride int, up *float32, out *int16)
// Each two rows of 16 columns, times up and rounded to whole numbers, as the pairs of a panel; rows are stride bytes apart.
TEXT ·avx2Pairs(SB), NOSPLIT, $0-40
	MOVQ v+0(FP), SI
	MOVQ pairs+8(FP), CX
	MOVQ stride+16(FP), DX
	MOVQ up+24(FP), BX
	MOVQ out+32(FP), DI
	VMOVUPS (BX), Y6
	VMOVUPS 32(BX), Y7

rows2:
	VMULPS (SI), Y6, Y0
	VMULPS 32(SI), Y7, Y1
	VMULPS (SI)(DX*1), Y6, Y2
	VMULPS 32(SI)(DX*1), Y7, Y3
	VCVTPS2DQ Y0, Y0
	VCVTPS2DQ Y1, Y1
	VCVTPS2DQ Y2, Y2
	VCVTPS2DQ Y3, Y3
	VPSLLD $16, Y2, Y2
	VPSLLD $16, Y3, Y3
	VPBLENDW $0xaa, Y2, Y0, Y0
	VPBLENDW $0xaa, Y3, Y1, Y1
	VMOVDQU Y0, (DI)
	VMOVDQU Y1, 32(DI)
	LEAQ (SI)(DX*2), SI
	ADDQ $64, DI
	DECQ CX
	JNZ  rows2
	VZEROUPPER
	RET

// Four numbers of each of four rows (in X0 to X3) become four columns of four rows, as 64-bit numbers, that are added one after the other to
// the rows' sums in Y7. X4 to X6 are overwritten.
#define ADDCOLUMNS \
	VUNPCKLPS X1, X0, X4   \
	VUNPCKHPS X1, X0, X5   \
	VUNPCKLPS X3, X2, X6   \
	VUNPCKHPS X3, X2, X3   \
	VMOVLHPS X6, X4, X0    \
	VMOVHLPS X4, X6, X1    \
	VMOVLHPS X3, X5, X2    \
	VMOVHLPS X5, X3, X3    \
	VCVTPS2PD X0, Y0       \
	VCVTPS2PD X1, Y1       \
	VCVTPS2PD X2, Y2       \
	VCVTPS2PD X3, Y3

#define ADDEACH \
	VADDPD Y0, Y7, Y7      \
	VADDPD Y1, Y7, Y7      \
	VADDPD Y2, Y7, Y7      \
	VADDPD Y3, Y7, Y7

// func avx2Sums(x, y *float32, n int, sums *[4]float64)
// Adds y to x, four rows of n numbers, and sums each row in the order of its numbers; n is a multiple of 4 above 0.
TEXT ·avx2Sums(SB), NOSPLIT, $0-32
	MOVQ x+0(FP), SI
	MOVQ y+8(FP), DI
	MOVQ n+16(FP), CX
	MOVQ sums+24(FP), BX
	LEAQ (CX*4), DX
	LEAQ (DX)(DX*2), R9
	VXORPD Y7, Y7, Y7

sums:
	VMOVUPS (SI), X0
	VMOVUPS (SI)(DX*1), X1
	VMOVUPS (SI)(DX*2), X2
	VMOVUPS (SI)(R9*1), X3
	VADDPS (DI), X0, X0
	VADDPS (DI)(DX*1), X1, X1
	VADDPS (DI)(DX*2), X2, X2
	VADDPS (DI)(R9*1), X3, X3
	VMOVUPS X0, (SI)
	VMOVUPS X1, (SI)(DX*1)
	VMOVUPS X2, (SI)(DX*2)
	VMOVUPS X3, (SI)(R9*1)
	ADDCOLUMNS
	ADDEACH
	ADDQ $16, SI
	ADDQ $16, DI
	SUBQ $4, CX
	JNZ  sums
	VMOVUPD Y7, (BX)
	VZEROUPPER
	RET

// func avx2Squares(x *float32, n int, means *[4]float32, sums *[4]float64)
// Takes each row's mean from it, four rows of n numbers, and sums the squares of what comes, in the order of the numbers.
TEXT ·avx2Squares(SB), NOSPLIT, $0-32
	MOVQ x+0(FP), SI
	MOVQ n+8(FP), CX
	MOVQ means+16(FP), DI
	MOVQ sums+24(FP), BX
	LEAQ (CX*4), DX
	LEAQ (DX)(DX*2), R9
	VBROADCASTSS (DI), X8
	VBROADCASTSS 4(DI), X9
	VBROADCASTSS 8(DI), X10
	VBROADCASTSS 12(DI), X11
	VXORPD Y7, Y7, Y7

squares:
	VMOVUPS (SI), X0
	VMOVUPS (SI)(DX*1), X1
	VMOVUPS (SI)(DX*2), X2
	VMOVUPS (SI)(R9*1), X3
	VSUBPS X8, X0, X0
	VSUBPS X9, X1, X1
	VSUBPS X10, X2, X2
	VSUBPS X11, X3, X3
	VMOVUPS X0, (SI)
	VMOVUPS X1, (SI)(DX*1)
	VMOVUPS X2, (SI)(DX*2)
	VMOVUPS X3, (SI)(R9*1)
	ADDCOLUMNS
	VMULPD Y0, Y0, Y0
	VMULPD Y1, Y1, Y1
	VMULPD Y2, Y2, Y2
	VMULPD Y3, Y3, Y3
	ADDEACH
	ADDQ $16, SI
	SUBQ $4, CX
	JNZ  squares
	VMOVUPD Y7, (BX)
	VZEROUPPER
	RET
