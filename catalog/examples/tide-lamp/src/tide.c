#include "tide.h"

struct tide tide_at(uint32_t step) {
    uint32_t phase = step % (2 * TIDE_STEPS);
    if (phase < TIDE_STEPS)
        return (struct tide){phase, true};
    return (struct tide){2 * TIDE_STEPS - phase, false};
}
