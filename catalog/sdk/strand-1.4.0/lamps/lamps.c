#include "strand/lamps.h"

#include <board.h>

enum { GPIO_OUT = 0x04 };

void strand_lamps_set(uint32_t lamps) {
    volatile uint32_t *out = (volatile uint32_t *)(BOARD_LAMPS_BASE + GPIO_OUT);
    *out = (BOARD_LAMPS_ACTIVE_LOW ? ~lamps : lamps) << BOARD_LAMPS_PIN;
}
