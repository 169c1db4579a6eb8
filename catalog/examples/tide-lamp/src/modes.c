#include "modes.h"

/* Above this level the path to the jetty is under water. */
enum { FLOOD_LEVEL = 6 };

static uint32_t fill(struct tide tide) {
    return (UINT32_C(1) << tide.level) - 1;
}

static uint32_t mark(struct tide tide) {
    return tide.level ? UINT32_C(1) << (tide.level - 1) : 0;
}

static uint32_t flood(struct tide tide) {
    return tide.level >= FLOOD_LEVEL ? 0xff : 0;
}

const struct mode modes[] = {
    {"fill", fill},   /* a bar that is as high as the water */
    {"mark", mark},   /* one lamp at the water line */
    {"flood", flood}, /* all lamps while the path is under water */
};
const unsigned mode_count = sizeof modes / sizeof *modes;
