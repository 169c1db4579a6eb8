/* Floating point by integers alone: IEEE 754-2008 as RISC-V uses it (Unprivileged ISA 20191213, chapters 11 and 12): five rounding
   modes, all flags, canonical NaNs, tininess told after rounding. Numbers are bit patterns. */
#ifndef TA_MACHINE_HART_FLOATING_H
#define TA_MACHINE_HART_FLOATING_H

#include "machine/hart/decode.h"
#include "machine/hart/state.h"

/* What stands above a float in a register that could hold a double. */
#define FLOAT_BOX UINT64_C(0xffffffff00000000)

enum float_operation { FLOAT_ADD, FLOAT_SUBTRACT, FLOAT_MULTIPLY, FLOAT_DIVIDE };
enum rounding { ROUND_NEAREST, ROUND_TO_ZERO, ROUND_DOWN, ROUND_UP, ROUND_NEAREST_AWAY, ROUND_DYNAMIC = 7 };
enum { FLOAT_INEXACT = 1, FLOAT_UNDERFLOW = 2, FLOAT_OVERFLOW = 4, FLOAT_DIVIDE_BY_ZERO = 8, FLOAT_INVALID = 16 };

/* Where the exponent and the fraction of a format are. */
struct float_format {
    int exponent_bits, fraction_bits;
};
extern const struct float_format float_single, float_double;

/* Flags are added to *FLAGS. */
uint64_t float_add(const struct float_format *format, uint64_t a, uint64_t b, enum rounding mode, unsigned *flags);
uint64_t float_multiply(const struct float_format *format, uint64_t a, uint64_t b, enum rounding mode, unsigned *flags);
uint64_t float_divide(const struct float_format *format, uint64_t a, uint64_t b, enum rounding mode, unsigned *flags);
uint64_t float_root(const struct float_format *format, uint64_t a, enum rounding mode, unsigned *flags);
/* A times B plus C, rounded once. */
uint64_t float_fused(const struct float_format *format, uint64_t a, uint64_t b, uint64_t c, enum rounding mode,
                     unsigned *flags);
uint64_t float_convert(const struct float_format *from, const struct float_format *to, uint64_t a, enum rounding mode,
                       unsigned *flags);
/* An integer of BITS bits, signed or not; those out of range become the nearest there is, NaN the largest. */
uint64_t float_to_integer(const struct float_format *format, uint64_t a, unsigned bits, bool is_signed,
                          enum rounding mode, unsigned *flags);
uint64_t float_from_integer(const struct float_format *format, uint64_t magnitude, bool negative, enum rounding mode,
                            unsigned *flags);

/* Carries OP out on the floating-point registers, but for loads and stores. X is what its integer source holds; its integer
   result goes to *RESULT. False when its rounding mode is none. */
bool floating_execute(struct hart_state *state, const struct op *op, uint64_t x, uint64_t *result);

#endif
