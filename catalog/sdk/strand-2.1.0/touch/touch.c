#include "strand/touch.h"

#include "../core/registers.h"

#include <board.h>

enum { CONTROL = 0x00, EVENT = 0x04, ON = 1, KIND = 30, ROW = 15, SIDE_MASK = 0x7fff };

void strand_touch_open(void) {
    REGISTER_32(BOARD_TOUCH_BASE + CONTROL) = ON;
}

struct strand_touch strand_touch_next(void) {
    uint32_t event = REGISTER_32(BOARD_TOUCH_BASE + EVENT);
    return (struct strand_touch){(enum strand_touched)(event >> KIND), (int)(event & SIDE_MASK),
                                 (int)(event >> ROW & SIDE_MASK)};
}
