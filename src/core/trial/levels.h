/* "00000111": the level of an output as trials write it, the highest lamp first. */
#ifndef TA_CORE_TRIAL_LEVELS_H
#define TA_CORE_TRIAL_LEVELS_H

#include <stdint.h>

enum { LEVEL_TEXT_BYTES = 65 };

/* Fills and returns BUFFER; WIDTH is at most 64. */
static inline const char *level_text(uint64_t level, unsigned width, char buffer[LEVEL_TEXT_BYTES]) {
    for (unsigned i = 0; i < width; ++i)
        buffer[i] = level >> (width - 1 - i) & 1 ? '1' : '0';
    buffer[width] = '\0';
    return buffer;
}

#endif
