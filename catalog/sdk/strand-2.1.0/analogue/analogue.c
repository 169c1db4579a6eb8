#include "strand/analogue.h"

#include "../core/registers.h"

#include <board.h>

enum { CONTROL = 0x00, CHANNEL = 0x04, RESULT = 0x08, STATUS = 0x0c, REFERENCE = 0x10, ON = 1, BUSY = 1, TOP = 4095 };

static volatile uint32_t *analogue(unsigned at) {
    return &REGISTER_32(BOARD_ANALOGUE0_BASE + at);
}

void strand_analogue_open(void) {
    *analogue(CONTROL) = ON;
}

int strand_analogue_mv(unsigned channel) {
    *analogue(CHANNEL) = channel;
    while (*analogue(STATUS) & BUSY)
        ;
    return (int)((*analogue(RESULT) * *analogue(REFERENCE) + TOP / 2) / TOP);
}
