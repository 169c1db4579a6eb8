#include "strand/entropy.h"

#include "../core/registers.h"

#include <board.h>

enum { CONTROL = 0x00, STATUS = 0x04, NUMBER = 0x08, ON = 1, READY = 1 };

void strand_entropy_open(void) {
    REGISTER_32(BOARD_ENTROPY0_BASE + CONTROL) = ON;
}

uint32_t strand_entropy(void) {
    while (!(REGISTER_32(BOARD_ENTROPY0_BASE + STATUS) & READY))
        ;
    return REGISTER_32(BOARD_ENTROPY0_BASE + NUMBER);
}
