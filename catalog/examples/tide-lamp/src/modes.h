/* What the lamps can show of the tide. */
#ifndef MODES_H
#define MODES_H

#include "tide.h"

struct mode {
    const char *name;
    uint32_t (*lamps)(struct tide tide);
};

extern const struct mode modes[];
extern const unsigned mode_count;

#endif
