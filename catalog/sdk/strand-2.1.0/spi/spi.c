#include "strand/spi.h"

#include "../core/registers.h"

#include <board.h>

enum { CONTROL = 0x00, SELECT = 0x04, DATA = 0x08, STATUS = 0x0c, DIVISOR = 0x10, ON = 1, BUSY = 1, NOBODY = 0xff };

static volatile uint32_t *spi(unsigned at) {
    return &REGISTER_32(BOARD_SPI0_BASE + at);
}

void strand_spi_open(uint32_t speed_hz) {
    *spi(DIVISOR) = (BOARD_SPI0_CLOCK_HZ + speed_hz - 1) / speed_hz;
    *spi(CONTROL) = ON;
}

void strand_spi_select(int part) {
    *spi(SELECT) = part < 0 ? NOBODY : (uint32_t)part;
}

uint8_t strand_spi_exchange(uint8_t byte) {
    *spi(DATA) = byte;
    while (*spi(STATUS) & BUSY)
        ;
    return (uint8_t)*spi(DATA);
}
