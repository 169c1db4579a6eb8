#include "strand/battery.h"

#include "../core/registers.h"

#include <board.h>

enum { CHARGE = 0x00, VOLTAGE = 0x04, CURRENT = 0x08 };

struct strand_battery strand_battery(void) {
    return (struct strand_battery){(int)REGISTER_32(BOARD_BATTERY0_BASE + CHARGE),
                                   (int)REGISTER_32(BOARD_BATTERY0_BASE + VOLTAGE),
                                   (int)REGISTER_32(BOARD_BATTERY0_BASE + CURRENT)};
}
