/* The tide, simulated: it rises for four seconds and falls for four, in eight steps each. */
#ifndef TIDE_H
#define TIDE_H

#include <stdbool.h>
#include <stdint.h>

enum { TIDE_STEPS = 8, TIDE_STEP_US = 500000, TIDE_STEP_CM = 40 };

/* Where the tide is: LEVEL steps above low water. */
struct tide {
    unsigned level;
    bool rising;
};

/* The tide STEP steps after low water. */
struct tide tide_at(uint32_t step);

#endif
