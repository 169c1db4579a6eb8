#include "strand/clock.h"

#include "registers.h"
#include "strand/interrupts.h"

#include <board.h>
#include <stdbool.h>

enum { MTIMECMP = 0x4000, MTIME = 0xbff8 };

/* Ticks a microsecond; the watch's boards all count whole ones. */
#define TICKS_PER_US (BOARD_ACLINT_CLOCK_HZ / 1000000u)

/* The counter's halves are read one by one: again, when the upper one moved in between. */
static uint64_t timer_read(void) {
    uint32_t high, low;
    do {
        high = REGISTER_32(BOARD_ACLINT_BASE + MTIME + 4);
        low = REGISTER_32(BOARD_ACLINT_BASE + MTIME);
    } while (high != REGISTER_32(BOARD_ACLINT_BASE + MTIME + 4));
    return (uint64_t)high << 32 | low;
}

/* The low half goes to its highest value first, so that no half-written value is ever in the past. */
static void timer_set(uint64_t ticks) {
    uintptr_t compare = BOARD_ACLINT_BASE + MTIMECMP + 8 * strand_hart_number();
    REGISTER_32(compare) = UINT32_MAX;
    REGISTER_32(compare + 4) = (uint32_t)(ticks >> 32);
    REGISTER_32(compare) = (uint32_t)ticks;
}

uint64_t strand_clock_us(void) {
    return timer_read() / TICKS_PER_US;
}

void strand_clock_interrupt(void) {
    strand_interrupts_select(0, MIE_TIMER);
}

void strand_clock_sleep_until(uint64_t when_us) {
    uint64_t when = when_us * TICKS_PER_US;
    for (;;) {
        uint32_t before = strand_interrupts_off();
        bool over = timer_read() >= when;
        if (!over) {
            timer_set(when);
            strand_interrupts_select(MIE_TIMER, 0);
            strand_interrupt_wait();
        }
        strand_interrupts_restore(before);
        if (over)
            return;
    }
}

void strand_clock_sleep(uint32_t time_us) {
    strand_clock_sleep_until(strand_clock_us() + time_us);
}
