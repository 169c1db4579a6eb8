#include "strand/flash.h"

#include "../core/registers.h"

#include <board.h>
#include <string.h>

enum {
    STATUS = 0x04,
    ADDRESS = 0x08,
    KEY = 0x0c,
    COMMAND = 0x10,
    WEAR = 0x14,
    BUFFER = 0x100,
    BUSY = 1,
    REFUSED = 4,
    PROGRAM = 1,
    ERASE = 2
};
#define RIGHT_KEY UINT32_C(0x464c5348)

static volatile uint32_t *flash(unsigned at) {
    return &REGISTER_32(BOARD_FLASH0_BASE + at);
}

static int command(uintptr_t address, uint32_t what) {
    *flash(ADDRESS) = (uint32_t)address;
    *flash(KEY) = RIGHT_KEY;
    *flash(COMMAND) = what;
    while (*flash(STATUS) & BUSY)
        ;
    return *flash(STATUS) & REFUSED ? -1 : 0;
}

int strand_flash_erase(uintptr_t address) {
    return command(address, ERASE);
}

int strand_flash_program(uintptr_t address, const uint8_t bytes[STRAND_FLASH_PAGE]) {
    for (unsigned i = 0; i < STRAND_FLASH_PAGE; i += 4) {
        uint32_t word;
        memcpy(&word, bytes + i, 4);
        *flash(BUFFER + i) = word;
    }
    return command(address, PROGRAM);
}

uint32_t strand_flash_wear(uintptr_t address) {
    *flash(ADDRESS) = (uint32_t)address;
    return *flash(WEAR);
}
