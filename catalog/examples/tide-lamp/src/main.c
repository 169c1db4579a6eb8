/* A lamp for the jetty: shows how high the water stands, and says it in plain words on the console. */
#include "modes.h"
#include "tide.h"

#include <stdio.h>
#include <strand/button.h>
#include <strand/clock.h>
#include <strand/lamps.h>

enum { TICK_US = 10000, TICKS_PER_STEP = TIDE_STEP_US / TICK_US };

static unsigned mode_index;

static void tell(struct tide tide) {
    unsigned cm = tide.level * TIDE_STEP_CM;
    if (tide.level == 0)
        printf("low water\n");
    else if (tide.level == TIDE_STEPS)
        printf("high water\n");
    else
        printf("tide %u.%u m %s\n", cm / 100, cm % 100 / 10, tide.rising ? "rising" : "falling");
}

/* Each press goes on to the next mode. */
static void follow_button(struct tide tide) {
    static uint32_t seen;
    while (seen != strand_button_presses()) {
        ++seen;
        mode_index = (mode_index + 1) % mode_count;
        printf("mode %s\n", modes[mode_index].name);
        strand_lamps_show(modes[mode_index].lamps(tide));
    }
}

int main(void) {
    printf("tide-lamp ready\n");
    strand_button_open();
    uint64_t start_us = strand_clock_us();
    for (uint32_t tick = 0;; ++tick) {
        struct tide tide = tide_at(tick / TICKS_PER_STEP);
        strand_clock_sleep_until(start_us + (uint64_t)tick * TICK_US);
        if (tick % TICKS_PER_STEP == 0) {
            strand_lamps_show(modes[mode_index].lamps(tide));
            tell(tide);
        }
        follow_button(tide);
    }
}
