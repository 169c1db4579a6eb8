/* A picture: what a screen shows, as points. */
#ifndef TAMEANCHOR_PICTURE_H
#define TAMEANCHOR_PICTURE_H

#include "tameanchor/status.h"

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Neither side is longer. */
enum { TA_PICTURE_MOST = 4096 };

/* WIDTH times HEIGHT points, row by row from the top left, three bytes each: red, green, blue (sRGB). */
struct ta_picture {
    unsigned width, height;
    uint8_t *points;
};

/* Makes PICTURE a black one of that size, to be freed with ta_picture_free. TA_E_INPUT for a side of 0 or one too long, TA_E_MEMORY; PICTURE is
   empty then. */
enum ta_status ta_picture_make(struct ta_picture *picture, unsigned width, unsigned height);

/* Frees what PICTURE holds; it is empty then. An empty one may be freed. */
void ta_picture_free(struct ta_picture *picture);

/* Turns PICTURE by so many quarters to the left. TA_E_MEMORY: it is as it was. */
enum ta_status ta_picture_turn(struct ta_picture *picture, unsigned quarters);

/* How far two colours of a point may be apart and still look alike. */
enum { TA_PICTURE_TOLERANCE = 16 };

/* How many points of A and B, which are of one size, do not look alike: red, green or blue are more than TA_PICTURE_TOLERANCE apart.
   DIFFERENCE (may be null), of that size too, becomes a pale B on which these points are red. */
size_t ta_picture_compare(const struct ta_picture *a, const struct ta_picture *b, struct ta_picture *difference);

#ifdef __cplusplus
}
#endif
#endif
