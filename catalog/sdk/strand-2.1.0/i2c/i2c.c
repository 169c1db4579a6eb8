#include "strand/i2c.h"

#include "../core/registers.h"

#include <board.h>

enum { CONTROL = 0x00, COMMAND = 0x04, DATA = 0x08, STATUS = 0x0c, DIVISOR = 0x10, ON = 1, SPEED_HZ = 400000 };
enum { START = 1, WRITE = 2, READ = 4, LAST = 8, STOP = 16, BUSY = 1, REFUSED = 2 };

static volatile uint32_t *bus(unsigned at) {
    return &REGISTER_32(BOARD_I2C0_BASE + at);
}

/* Carries out COMMAND; whether somebody answered. */
static int command(uint32_t what) {
    *bus(COMMAND) = what;
    while (*bus(STATUS) & BUSY)
        ;
    return *bus(STATUS) & REFUSED ? -1 : 0;
}

static int put(uint8_t byte, uint32_t more) {
    *bus(DATA) = byte;
    return command(WRITE | more);
}

void strand_i2c_open(void) {
    *bus(DIVISOR) = (BOARD_CLOCK_HZ + SPEED_HZ - 1) / SPEED_HZ;
    *bus(CONTROL) = ON;
}

/* Whoever did not answer is let go of, so that the bus is free. */
static int begin(unsigned address, uint8_t at) {
    if (put((uint8_t)(address << 1), START) || put(at, 0)) {
        command(STOP);
        return -1;
    }
    return 0;
}

int strand_i2c_write(unsigned address, uint8_t at, uint8_t value) {
    return begin(address, at) ? -1 : put(value, STOP);
}

int strand_i2c_read(unsigned address, uint8_t at, uint8_t *bytes, unsigned count) {
    if (begin(address, at) || put((uint8_t)(address << 1 | 1), START))
        return -1;
    for (unsigned i = 0; i < count; ++i) {
        command(i + 1 < count ? READ : READ | LAST | STOP);
        bytes[i] = (uint8_t)*bus(DATA);
    }
    return 0;
}
