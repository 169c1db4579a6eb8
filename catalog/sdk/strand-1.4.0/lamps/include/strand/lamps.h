/* The lamp ring. Bit 0 is lamp 1. */
#ifndef STRAND_LAMPS_H
#define STRAND_LAMPS_H

#include <stdint.h>

/* Lights exactly the lamps whose bits are set. */
void strand_lamps_set(uint32_t lamps);

#endif
