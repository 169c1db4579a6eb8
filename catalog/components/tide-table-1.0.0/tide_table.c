#include "strand/tide_table.h"

enum { HALF_TIDE_H = 6 };

static const uint8_t twelfths[HALF_TIDE_H + 1] = {0, 1, 3, 6, 9, 11, 12};

uint32_t strand_tide_height(uint32_t hours, uint32_t range_cm) {
    uint32_t hour = hours % (2 * HALF_TIDE_H);
    return range_cm * twelfths[hour <= HALF_TIDE_H ? hour : 2 * HALF_TIDE_H - hour] / 12;
}
