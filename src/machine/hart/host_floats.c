#include "machine/hart/host_floats.h"

#include "machine/hart/floating.h"
#include "machine/hart/hart.h"

#include <float.h>

/* Rounds to nearest: what is more than half of the last place counts, and what is next to nothing does not. */
#define ROUNDS(one, more_than_half, little)                                                                            \
    ((one) + (more_than_half) > (one) && (one) + (little) == (one) && -(one) - (little) == -(one))
/* Subnormal numbers are neither results that become 0 nor operands that count as 0. */
#define KEEPS(half, twice) ((half) > 0 && (twice) > (half))

/* C11's own functions for that need a library besides the C library on some hosts, and do not tell of flushing. */
bool host_floats_are_usual(void) {
    volatile double one = 1, more_than_half = 0.75 * DBL_EPSILON, little = DBL_EPSILON / (1 << 20), least = DBL_MIN;
    volatile float one_f = 1, more_than_half_f = 0.75f * FLT_EPSILON, little_f = FLT_EPSILON / (1 << 20),
                   least_f = FLT_MIN;
    volatile double half = least / 2, twice = half * 2;
    volatile float half_f = least_f / 2, twice_f = half_f * 2;
    return ROUNDS(one, more_than_half, little) && ROUNDS(one_f, more_than_half_f, little_f) && KEEPS(half, twice) &&
           KEEPS(half_f, twice_f);
}

void hart_take_inexact(struct hart *hart) {
    if (hart->decoder.isa.extensions & ISA_LETTER('f') && host_floats_take_inexact())
        hart->state.fcsr |= FLOAT_INEXACT;
}
