#include "ring.h"

enum { FULL = 3600, PART = FULL / RING_LAMPS };

uint32_t ring_towards(int tenths) {
    int lamp = ((tenths % FULL + FULL) % FULL + PART / 2) / PART % RING_LAMPS;
    return UINT32_C(1) << lamp;
}

static int size(int value) {
    return value < 0 ? -value : value;
}

/* Between two lamps lies an eighth of the ring: whether the direction is nearer to an axis or to what is between two axes is told by 5/12,
   which is nearly the tangent of 22.5 degrees. */
uint32_t ring_along(int x, int y, int least) {
    int right = size(x), ahead = size(y);
    if (right < least && ahead < least)
        return RING_ALL;
    if (12 * right < 5 * ahead)
        return ring_towards(y > 0 ? 0 : 4 * PART);
    if (12 * ahead < 5 * right)
        return ring_towards(x > 0 ? 2 * PART : 6 * PART);
    return ring_towards(y > 0 ? (x > 0 ? PART : 7 * PART) : (x > 0 ? 3 * PART : 5 * PART));
}
