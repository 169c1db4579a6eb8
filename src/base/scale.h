/* Conversions between clocks: VALUE ticks of a FROM-hertz clock, told in ticks of a TO-hertz clock. Exact, and
   UINT64_MAX where the result does not fit. Both clocks must be 1 Hz to 10 GHz. */
#ifndef TA_BASE_SCALE_H
#define TA_BASE_SCALE_H

#include <stdbool.h>
#include <stdint.h>

/* PART * TO / FROM for a PART less than FROM, and what is left over. */
static inline uint64_t scale_part(uint64_t part, uint64_t to, uint64_t from, uint64_t *rest) {
    if (part <= UINT64_MAX / to) {
        *rest = part * to % from;
        return part * to / from;
    }
    uint64_t quotient = 0, left = 0; /* bit by bit: the product needs more than 64 */
    for (int bit = 63; bit >= 0; --bit) {
        left = left * 2 + (to >> bit & 1 ? part : 0);
        quotient = quotient * 2 + left / from;
        left %= from;
    }
    *rest = left;
    return quotient;
}

static inline uint64_t scale_join(uint64_t whole, uint64_t to, uint64_t part) {
    return whole > (UINT64_MAX - part) / to ? UINT64_MAX : whole * to + part;
}

/* Whether VALUE * TO has 64 bits. Divisions are what conversions cost: then one of them is enough. */
static inline bool scale_is_short(uint64_t value, uint64_t to) {
    return to <= UINT32_MAX && (value >> 32) * to + ((value & UINT32_MAX) * to >> 32) <= UINT32_MAX;
}

static inline uint64_t scale_floor(uint64_t value, uint64_t to, uint64_t from) {
    uint64_t rest;
    if (scale_is_short(value, to))
        return value * to / from;
    return scale_join(value / from, to, scale_part(value % from, to, from, &rest));
}

static inline uint64_t scale_ceiling(uint64_t value, uint64_t to, uint64_t from) {
    if (scale_is_short(value, to))
        return value * to / from + (value * to % from != 0);
    uint64_t rest, part = scale_part(value % from, to, from, &rest);
    return scale_join(value / from, to, part + (rest != 0));
}

#endif
