/* A mean tide by the twelfths rule: in six hours the water rises by 1, 2, 3, 3, 2 and 1 twelfths of its range, and falls so. */
#ifndef STRAND_TIDE_TABLE_H
#define STRAND_TIDE_TABLE_H

#include <stdint.h>

/* The height in centimetres, HOURS after low water, when the water rises by RANGE_CM in all. */
uint32_t strand_tide_height(uint32_t hours, uint32_t range_cm);

/* Hours until the next high water, HOURS after low water; 0 at high water. */
uint32_t strand_tide_until_high(uint32_t hours);

#endif
