/* Rolls, feels the tilt, or points north; button A goes on to the next. */
#include "ring.h"

#include <stdio.h>
#include <strand/button.h>
#include <strand/clock.h>
#include <strand/lamps.h>
#include <strand/sensors.h>

enum { TICK_US = 10000, LOOK_TICKS = 10, ROLL_TICKS = 25, FLAT_MILLI_G = 100 };

/* Each mode is asked at every tick, and says on the console when what it measures has changed. */

static void roll(uint32_t tick) {
    strand_lamps_show(UINT32_C(1) << tick / ROLL_TICKS % RING_LAMPS);
}

static void tilt(uint32_t tick) {
    static uint32_t told;
    struct strand_motion motion;
    if (tick % LOOK_TICKS)
        return;
    if (strand_motion(&motion)) {
        printf("the motion sensor does not answer\n");
        return;
    }
    /* What points down is felt as acceleration upwards: the low side is where gravity is not. */
    uint32_t row = ring_along(-motion.acceleration[0], -motion.acceleration[1], FLAT_MILLI_G);
    strand_lamps_show(row);
    if (row != told)
        printf("tilt %d %d\n", motion.acceleration[0], motion.acceleration[1]);
    told = row;
}

static void needle(uint32_t tick) {
    static int told = -1;
    if (tick % LOOK_TICKS)
        return;
    int heading = strand_heading();
    if (heading < 0) {
        printf("the compass does not answer\n");
        return;
    }
    strand_lamps_show(ring_towards(-heading));
    if (heading != told)
        printf("heading %d deg\n", (heading + 5) / 10 % 360);
    told = heading;
}

static const struct {
    const char *name;
    void (*show)(uint32_t tick);
} modes[] = {{"roll", roll}, {"tilt", tilt}, {"needle", needle}};

int main(void) {
    uint32_t seen = 0, mode = 0;
    strand_button_open();
    if (strand_sensors_open())
        printf("the sensors do not answer\n");
    printf("mooring-compass ready\n");
    uint64_t start_us = strand_clock_us();
    for (uint32_t tick = 0;; ++tick) {
        strand_clock_sleep_until(start_us + (uint64_t)tick * TICK_US);
        for (; seen != strand_button_presses(); ++seen) {
            mode = (mode + 1) % (sizeof modes / sizeof *modes);
            printf("mode %s\n", modes[mode].name);
        }
        modes[mode].show(tick);
    }
}
