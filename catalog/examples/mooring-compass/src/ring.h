/* The lamps as a ring: lamp 1 at the bow, the others clockwise. */
#ifndef RING_H
#define RING_H

#include <stdint.h>

enum { RING_LAMPS = 8, RING_ALL = 0xff };

/* The lamp that is nearest to a direction, in tenths of a degree clockwise from the bow; as a row for strand_lamps_show. */
uint32_t ring_towards(int tenths);

/* The same for the direction of (X, Y): X to the right, Y to the bow. All lamps when it is shorter than LEAST. */
uint32_t ring_along(int x, int y, int least);

#endif
