/* The lamp ring. Bit 0 is lamp 1. */
#ifndef STRAND_LAMPS_H
#define STRAND_LAMPS_H

#include <stdint.h>

/* How many lamps this board has. */
unsigned strand_lamps_count(void);

/* Lights exactly the lamps whose bits are set; bits past the last lamp are left out. All change at once. */
void strand_lamps_show(uint32_t lamps);

#endif
