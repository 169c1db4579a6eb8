/* Arithmetic by the host's, where it provably gives the same bits and flags: it computes in the format itself and rounds to nearest
   (host_floats.h), and the one flag that it could raise, inexact, is raised already, or the host's own says. What may overflow, underflow
   or be no number is left to floating.h: of that, too, inexact is the same. TA_SOFT_FLOAT_ONLY leaves all to it. */
#ifndef TA_MACHINE_HART_FLOATING_QUICK_H
#define TA_MACHINE_HART_FLOATING_QUICK_H

#include "machine/hart/floating.h"
#include "machine/hart/hart.h"
#include "machine/hart/host_floats.h"

#include <float.h>
#include <string.h>

#if FLT_EVAL_METHOD == 0 && FLT_RADIX == 2 && DBL_MANT_DIG == 53 && !defined(__FAST_MATH__) &&                         \
    !defined(TA_SOFT_FLOAT_ONLY)
enum { FLOAT_HOST_DOES = 1 };
#else
enum { FLOAT_HOST_DOES = 0 };
#endif

/* The registers are known to have been written, and both the instruction and the register, as far as it counts, round to nearest; and
   inexact will not be missed. */
static inline bool float_may_be_quick(const struct hart *hart, const struct op *op) {
    const struct hart_state *state = &hart->state;
    bool known = FLOAT_HOST_TELLS ? !(state->fcsr & 0xe0) : hart->host_floats && (state->fcsr & 0xe1) == FLOAT_INEXACT;
    return FLOAT_HOST_DOES && known && (state->mstatus & MSTATUS_FS) == MSTATUS_FS && (0x81u >> op->rounding & 1);
}

/* A sum is exact where it is subnormal or 0; only one without end or that is no number needs more. A product or quotient may underflow,
   as the least normal number, too, which tiny ones round up to; a product by 0 does not. */
static inline bool float_quick_double(enum float_operation operation, uint64_t a, uint64_t b, uint64_t *bits) {
    double x, y, result;
    memcpy(&x, &a, sizeof x);
    memcpy(&y, &b, sizeof y);
    switch (operation) {
    case FLOAT_ADD: result = x + y; break;
    case FLOAT_SUBTRACT: result = x - y; break;
    case FLOAT_MULTIPLY: result = x * y; break;
    default: result = x / y; break;
    }
    memcpy(bits, &result, sizeof *bits);
    uint64_t exponent = *bits >> 52 & 0x7ff;
    if (operation <= FLOAT_SUBTRACT)
        return exponent != 0x7ff;
    return exponent - 2 < 0x7fd || (operation == FLOAT_MULTIPLY && !(*bits << 1) && (!(a << 1) || !(b << 1)));
}

static inline bool float_quick_single(enum float_operation operation, uint64_t a_boxed, uint64_t b_boxed,
                                      uint64_t *boxed) {
    uint32_t a = (uint32_t)a_boxed, b = (uint32_t)b_boxed, bits;
    float x, y, result;
    if (a_boxed < FLOAT_BOX || b_boxed < FLOAT_BOX) /* no float: what the host would say of its bits counts nothing */
        return false;
    memcpy(&x, &a, sizeof x);
    memcpy(&y, &b, sizeof y);
    switch (operation) {
    case FLOAT_ADD: result = x + y; break;
    case FLOAT_SUBTRACT: result = x - y; break;
    case FLOAT_MULTIPLY: result = x * y; break;
    default: result = x / y; break;
    }
    memcpy(&bits, &result, sizeof bits);
    uint32_t exponent = bits >> 23 & 0xff;
    *boxed = bits | FLOAT_BOX;
    return operation <= FLOAT_SUBTRACT ? exponent != 0xff : exponent - 2 < 0xfd;
}

#endif
