#include "strand/lamps.h"

#include <board.h>

enum { GPIO_OUT = 0x04 };

#define LAMPS_MASK (((UINT32_C(1) << (BOARD_LAMPS_COUNT - 1)) * 2 - 1) << BOARD_LAMPS_PIN)

static volatile uint32_t *const out = (volatile uint32_t *)(BOARD_LAMPS_BASE + GPIO_OUT);

unsigned strand_lamps_count(void) {
    return BOARD_LAMPS_COUNT;
}

void strand_lamps_show(uint32_t lamps) {
    uint32_t levels = (BOARD_LAMPS_ACTIVE_LOW ? ~lamps : lamps) << BOARD_LAMPS_PIN;
    *out = (*out & ~LAMPS_MASK) | (levels & LAMPS_MASK);
}
