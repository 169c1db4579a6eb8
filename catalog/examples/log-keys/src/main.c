/* Notes the watch's log, a line a minute of watch (a second here), and types the lines that wait as soon as a computer is there. Button A notes
   that somebody looked. */
#include "log.h"

#include <stdio.h>
#include <strand/button.h>
#include <strand/clock.h>
#include <strand/keyboard.h>

enum { TICK_US = 10000, TICKS_A_NOTE = 100 };

int main(void) {
    unsigned seen = 0;
    bool was_ready = false;
    strand_button_open();
    strand_keyboard_open();
    printf("log-keys ready\n");
    uint64_t next_us = strand_clock_us();
    for (unsigned tick = 1;; ++tick) {
        const char *line;
        bool ready = strand_keyboard_ready();
        if (ready != was_ready)
            printf("computer %s\n", ready ? "found" : "gone");
        was_ready = ready;
        if (tick % TICKS_A_NOTE == 0)
            log_note("watch %u: all moorings lie well", tick / TICKS_A_NOTE);
        for (; seen != strand_button_presses(); ++seen)
            log_note("Looked at by the keeper (no. %u)!", seen + 1);
        while (ready && (line = log_first()) && !strand_keyboard_type(line))
            log_drop();
        next_us += TICK_US;
        if (next_us < strand_clock_us())
            next_us = strand_clock_us(); /* typing took longer */
        strand_clock_sleep_until(next_us);
    }
}
