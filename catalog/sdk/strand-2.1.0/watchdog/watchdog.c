#include "strand/watchdog.h"

#include "../core/registers.h"

#include <board.h>

enum { CONTROL = 0x00, TIMEOUT = 0x04, FEED = 0x08, CAUSE = 0x0c, ON = 1, BITTEN = 1, FOOD = 0x5a };

static volatile uint32_t *watchdog(unsigned at) {
    return &REGISTER_32(BOARD_WATCHDOG0_BASE + at);
}

void strand_watchdog_open(unsigned timeout_ms) {
    *watchdog(TIMEOUT) = timeout_ms;
    *watchdog(CONTROL) = ON;
}

void strand_watchdog_feed(void) {
    *watchdog(FEED) = FOOD;
}

bool strand_watchdog_bit(void) {
    uint32_t cause = *watchdog(CAUSE);
    *watchdog(CAUSE) = cause;
    return cause & BITTEN;
}
