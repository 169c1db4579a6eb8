/* Numbers as they lie in memory and files of the target: little-endian on every host; a compiler makes one load or store of these. */
#ifndef TA_BASE_LITTLE_H
#define TA_BASE_LITTLE_H

#include <stdint.h>

static inline uint64_t little_load(const uint8_t *at, unsigned size) {
    uint64_t value = 0;
    switch (size) {
    case 8: value |= (uint64_t)at[7] << 56 | (uint64_t)at[6] << 48 | (uint64_t)at[5] << 40 | (uint64_t)at[4] << 32;
    /* fall through */
    case 4: value |= (uint64_t)at[3] << 24 | (uint64_t)at[2] << 16;
    /* fall through */
    case 2: value |= (uint64_t)at[1] << 8;
    /* fall through */
    default: return value | at[0];
    }
}

static inline void little_store(uint8_t *at, unsigned size, uint64_t value) {
    switch (size) {
    case 8:
        at[7] = (uint8_t)(value >> 56);
        at[6] = (uint8_t)(value >> 48);
        at[5] = (uint8_t)(value >> 40);
        at[4] = (uint8_t)(value >> 32);
    /* fall through */
    case 4: at[3] = (uint8_t)(value >> 24); at[2] = (uint8_t)(value >> 16);
    /* fall through */
    case 2: at[1] = (uint8_t)(value >> 8);
    /* fall through */
    default: at[0] = (uint8_t)value;
    }
}

#endif
