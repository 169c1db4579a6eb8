/* Ten times a second: measures, and draws what has changed. A touch goes on to the other range. */
#include "dial.h"

#include <board.h>
#include <stdio.h>
#include <strand/analogue.h>
#include <strand/clock.h>
#include <strand/screen.h>
#include <strand/touch.h>

enum { TICK_US = 100000, MV_PER_CM = 4 };

static const int ranges_cm[] = {400, 800};

int main(void) {
    struct strand_canvas *canvas = strand_screen_open();
    unsigned range = 0, drawn_range = 1;
    int drawn_cm = -1;
    strand_touch_open();
    strand_analogue_open();
    printf("gauge-dial ready\n");
    uint64_t start_us = strand_clock_us();
    for (unsigned tick = 0;; ++tick) {
        strand_clock_sleep_until(start_us + (uint64_t)tick * TICK_US);
        for (struct strand_touch touch; (touch = strand_touch_next()).what;)
            if (touch.what == STRAND_PRESS)
                range = (range + 1) % (sizeof ranges_cm / sizeof *ranges_cm);
        int level_cm = strand_analogue_mv(BOARD_GAUGE_PIN) / MV_PER_CM;
        if (range == drawn_range && level_cm == drawn_cm)
            continue;
        if (range != drawn_range)
            printf("range %d m\n", ranges_cm[range] / 100);
        if (level_cm != drawn_cm)
            printf("level %d.%02d m\n", level_cm / 100, level_cm % 100);
        if (range != drawn_range)
            dial_scale(canvas, ranges_cm[range]);
        dial_needle(canvas, ranges_cm[range], level_cm);
        if (strand_screen_refresh_all())
            printf("the screen refuses the picture\n");
        drawn_range = range;
        drawn_cm = level_cm;
    }
}
