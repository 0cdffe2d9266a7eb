// The body of a kernel that makes a tile of 8 rows by 48 columns, and of one of 8 by 16. Every register of sums holds 16 columns of one
// row, so that nothing is summed across lanes. MAC(W, X, SUM, T) multiplies pairs of 16-bit numbers and adds both products to SUM.

#define ROW48(AT, S0, S1, S2) \
	VPBROADCASTD AT, Z27       \
	MAC(Z24, Z27, S0, Z28)     \
	MAC(Z25, Z27, S1, Z29)     \
	MAC(Z26, Z27, S2, Z30)

// Whole sums become numbers: sum * (row * column) + bias, each step rounded.
#define END16(SUM, COLUMN, BIAS, AT) \
	VMULPS COLUMN, Z30, Z31 \
	VCVTDQ2PS SUM, SUM      \
	VMULPS Z31, SUM, SUM    \
	VADDPS BIAS, SUM, SUM   \
	VMOVUPS SUM, AT

#define END48(ROW, S0, S1, S2) \
	VBROADCASTSS ROW, Z30       \
	END16(S0, Z24, Z27, (SI))   \
	END16(S1, Z25, Z28, 64(SI)) \
	END16(S2, Z26, Z29, 128(SI)) \
	ADDQ DX, SI

#define ARGUMENTS \
	MOVQ t+0(FP), AX       \
	MOVQ 0(AX), SI         \
	MOVQ 8(AX), DX         \
	MOVQ 16(AX), DI        \
	MOVQ 24(AX), BX        \
	MOVQ 32(AX), CX        \
	LEAQ (DX)(DX*2), R9    \
	LEAQ (DX)(DX*4), R10   \
	LEAQ (R9)(DX*4), R11   \
	VPXORD Z0, Z0, Z0      \
	VMOVDQA64 Z0, Z1       \
	VMOVDQA64 Z0, Z2       \
	VMOVDQA64 Z0, Z3       \
	VMOVDQA64 Z0, Z4       \
	VMOVDQA64 Z0, Z5       \
	VMOVDQA64 Z0, Z6       \
	VMOVDQA64 Z0, Z7

#define RESULTS \
	MOVQ 40(AX), R12 \
	MOVQ 48(AX), R13 \
	MOVQ 56(AX), R8  \
	MOVQ 64(AX), SI  \
	MOVQ 72(AX), DX

#define TILE48 \
	ARGUMENTS               \
	VMOVDQA64 Z0, Z8        \
	VMOVDQA64 Z0, Z9        \
	VMOVDQA64 Z0, Z10       \
	VMOVDQA64 Z0, Z11       \
	VMOVDQA64 Z0, Z12       \
	VMOVDQA64 Z0, Z13       \
	VMOVDQA64 Z0, Z14       \
	VMOVDQA64 Z0, Z15       \
	VMOVDQA64 Z0, Z16       \
	VMOVDQA64 Z0, Z17       \
	VMOVDQA64 Z0, Z18       \
	VMOVDQA64 Z0, Z19       \
	VMOVDQA64 Z0, Z20       \
	VMOVDQA64 Z0, Z21       \
	VMOVDQA64 Z0, Z22       \
	VMOVDQA64 Z0, Z23       \
pair:                           \
	VPMOVSXBW (DI), Z24         \
	VPMOVSXBW (DI)(BX*1), Z25   \
	VPMOVSXBW (DI)(BX*2), Z26   \
	ROW48((SI), Z0, Z1, Z2)             \
	ROW48((SI)(DX*1), Z3, Z4, Z5)       \
	ROW48((SI)(DX*2), Z6, Z7, Z8)       \
	ROW48((SI)(R9*1), Z9, Z10, Z11)     \
	ROW48((SI)(DX*4), Z12, Z13, Z14)    \
	ROW48((SI)(R10*1), Z15, Z16, Z17)   \
	ROW48((SI)(R9*2), Z18, Z19, Z20)    \
	ROW48((SI)(R11*1), Z21, Z22, Z23)   \
	ADDQ $4, SI                 \
	ADDQ $32, DI                \
	DECQ CX                     \
	JNZ  pair                   \
	RESULTS                     \
	VMOVUPS (R13), Z24          \
	VMOVUPS 64(R13), Z25        \
	VMOVUPS 128(R13), Z26       \
	VMOVUPS (R8), Z27           \
	VMOVUPS 64(R8), Z28         \
	VMOVUPS 128(R8), Z29        \
	END48((R12), Z0, Z1, Z2)        \
	END48(4(R12), Z3, Z4, Z5)       \
	END48(8(R12), Z6, Z7, Z8)       \
	END48(12(R12), Z9, Z10, Z11)    \
	END48(16(R12), Z12, Z13, Z14)   \
	END48(20(R12), Z15, Z16, Z17)   \
	END48(24(R12), Z18, Z19, Z20)   \
	END48(28(R12), Z21, Z22, Z23)   \
	VZEROUPPER                  \
	RET

#define ROW16(AT, SUM) \
	VPBROADCASTD AT, Z27   \
	MAC(Z24, Z27, SUM, Z28)

#define LAST16(ROW, SUM) \
	VBROADCASTSS ROW, Z30     \
	END16(SUM, Z24, Z27, (SI)) \
	ADDQ DX, SI

#define TILE16 \
	ARGUMENTS               \
pair:                           \
	VMOVDQU16 (DI), Z24     \
	ROW16((SI), Z0)         \
	ROW16((SI)(DX*1), Z1)   \
	ROW16((SI)(DX*2), Z2)   \
	ROW16((SI)(R9*1), Z3)   \
	ROW16((SI)(DX*4), Z4)   \
	ROW16((SI)(R10*1), Z5)  \
	ROW16((SI)(R9*2), Z6)   \
	ROW16((SI)(R11*1), Z7)  \
	ADDQ $4, SI             \
	ADDQ $64, DI            \
	DECQ CX                 \
	JNZ  pair               \
	RESULTS                 \
	VMOVUPS (R13), Z24      \
	VMOVUPS (R8), Z27       \
	LAST16((R12), Z0)       \
	LAST16(4(R12), Z1)      \
	LAST16(8(R12), Z2)      \
	LAST16(12(R12), Z3)     \
	LAST16(16(R12), Z4)     \
	LAST16(20(R12), Z5)     \
	LAST16(24(R12), Z6)     \
	LAST16(28(R12), Z7)     \
	VZEROUPPER              \
	RET
