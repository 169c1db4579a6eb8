/* Conversions between clocks: VALUE ticks of a FROM-hertz clock, told in ticks of a TO-hertz clock. Exact, and
   UINT64_MAX where the result does not fit. Both clocks must be 1 Hz to 10 GHz. */
#ifndef TA_BASE_SCALE_H
#define TA_BASE_SCALE_H

#include <stdint.h>

static inline uint64_t scale_join(uint64_t whole, uint64_t to, uint64_t part) {
    return whole > (UINT64_MAX - part) / to ? UINT64_MAX : whole * to + part;
}

static inline uint64_t scale_floor(uint64_t value, uint64_t to, uint64_t from) {
    return scale_join(value / from, to, value % from * to / from);
}

static inline uint64_t scale_ceiling(uint64_t value, uint64_t to, uint64_t from) {
    uint64_t part = value % from * to;
    return scale_join(value / from, to, part / from + (part % from != 0));
}

#endif
