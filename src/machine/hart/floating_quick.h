/* Arithmetic by the host's, where it provably gives the same bits and flags: it computes in the format itself and rounds to nearest,
   and whether a result is exact is told by comparing, as long as inexact is not raised. What may overflow, underflow or be no number is
   left to floating.h. TA_SOFT_FLOAT_ONLY leaves all to it.

   The host's own mode must be the usual one (float_host_is_usual): a program that embeds the machine may have set another. */
#ifndef TA_MACHINE_HART_FLOATING_QUICK_H
#define TA_MACHINE_HART_FLOATING_QUICK_H

#include "machine/hart/floating.h"
#include "machine/hart/hart.h"

#include <float.h>
#include <string.h>

#if FLT_EVAL_METHOD == 0 && FLT_RADIX == 2 && DBL_MANT_DIG == 53 && !defined(__FAST_MATH__) &&                         \
    !defined(TA_SOFT_FLOAT_ONLY)
enum { FLOAT_HOST_DOES = 1 };
#else
enum { FLOAT_HOST_DOES = 0 };
#endif

/* The registers are known to have been written, and both the instruction and the register, as far as it counts, round to nearest. */
static inline bool float_may_be_quick(const struct hart *hart, const struct op *op) {
    const struct hart_state *state = &hart->state;
    return FLOAT_HOST_DOES && hart->host_floats && (state->mstatus & MSTATUS_FS) == MSTATUS_FS &&
           !(state->fcsr & 0xe0) && (0x81u >> op->rounding & 1);
}

/* X + Y rounds to RESULT, which is finite. The larger one of both can be taken from it without rounding: that leaves the smaller one, or
   what the rounding left of it (Dekker 1971). */
#define SUM_IS_EXACT(x, y, result) ((result) - (x) == (y) && (result) - (y) == (x))

/* The significand of a normal double, with its hidden bit. */
static inline uint64_t float_significand(uint64_t bits) {
    return (bits & ((UINT64_C(1) << 52) - 1)) | UINT64_C(1) << 52;
}

/* Whether the normal double A times, or divided by, the normal double B is RESULT, which is what the exact one rounds to. Of products of
   significands the lowest 64 bits tell: the rest is known. */
static inline bool float_product_is_exact(uint64_t a, uint64_t b, uint64_t result) {
    int carry = (int)(result >> 52 & 0x7ff) - ((int)(a >> 52 & 0x7ff) + (int)(b >> 52 & 0x7ff) - 1023);
    return !(float_significand(a) * float_significand(b) << (carry ? 11 : 12));
}

static inline bool float_quotient_is_exact(uint64_t a, uint64_t b, uint64_t result) {
    int up = 52 + (int)(a >> 52 & 0x7ff) - (int)(b >> 52 & 0x7ff) + 1023 - (int)(result >> 52 & 0x7ff);
    return float_significand(result) * float_significand(b) == float_significand(a) << up;
}

static inline bool float_is_normal(uint64_t bits) {
    return (bits >> 52 & 0x7ff) - 1 < 0x7fe;
}

/* Each gives false when it does not know the result, else the result's *BITS, and adds to *FCSR what it raises.

   A sum is exact where it is subnormal or 0; only one without end or that is no number needs more. A product or quotient may underflow,
   as the least normal number, too, which tiny ones round up to; a product by 0 does not. */
static inline bool float_quick_double(enum float_operation operation, uint64_t a, uint64_t b, uint64_t *bits,
                                      uint64_t *fcsr) {
    double x, y, result;
    memcpy(&x, &a, sizeof x);
    memcpy(&y, &b, sizeof y);
    y = operation == FLOAT_SUBTRACT ? -y : y;
    switch (operation) {
    case FLOAT_ADD:
    case FLOAT_SUBTRACT: result = x + y; break;
    case FLOAT_MULTIPLY: result = x * y; break;
    default: result = x / y; break;
    }
    memcpy(bits, &result, sizeof *bits);
    uint64_t exponent = *bits >> 52 & 0x7ff;
    bool exact = true, known = *fcsr & FLOAT_INEXACT;
    if (operation <= FLOAT_SUBTRACT) {
        if (exponent == 0x7ff)
            return false;
        exact = known || SUM_IS_EXACT(x, y, result);
    } else if (exponent - 2 < 0x7fd) {
        if (!known) {
            if (!float_is_normal(a) || !float_is_normal(b))
                return false;
            exact = operation == FLOAT_MULTIPLY ? float_product_is_exact(a, b, *bits)
                                                : float_quotient_is_exact(a, b, *bits);
        }
    } else if (operation != FLOAT_MULTIPLY || *bits << 1 || (a << 1 && b << 1)) {
        return false;
    }
    *fcsr |= exact ? 0 : FLOAT_INEXACT;
    return true;
}

/* A double holds every product of two floats. */
static inline bool float_quick_single(enum float_operation operation, uint64_t a_boxed, uint64_t b_boxed,
                                      uint64_t *boxed, uint64_t *fcsr) {
    uint32_t a = (uint32_t)a_boxed, b = (uint32_t)b_boxed, bits;
    float x, y, result;
    memcpy(&x, &a, sizeof x);
    memcpy(&y, &b, sizeof y);
    y = operation == FLOAT_SUBTRACT ? -y : y;
    switch (operation) {
    case FLOAT_ADD:
    case FLOAT_SUBTRACT: result = x + y; break;
    case FLOAT_MULTIPLY: result = x * y; break;
    default: result = x / y; break;
    }
    memcpy(&bits, &result, sizeof bits);
    uint32_t exponent = bits >> 23 & 0xff;
    *boxed = bits | FLOAT_BOX;
    if (a_boxed < FLOAT_BOX || b_boxed < FLOAT_BOX ||
        (operation <= FLOAT_SUBTRACT ? exponent == 0xff : exponent - 2 >= 0xfd))
        return false;
    if (!(*fcsr & FLOAT_INEXACT)) {
        bool exact = operation <= FLOAT_SUBTRACT   ? SUM_IS_EXACT(x, y, result)
                     : operation == FLOAT_MULTIPLY ? (double)x * y == result
                                                   : (double)result * y == x;
        *fcsr |= exact ? 0 : FLOAT_INEXACT;
    }
    return true;
}

#endif
