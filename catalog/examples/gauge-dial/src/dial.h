/* The dial: a scale from 0 to its range, and a needle. */
#ifndef DIAL_H
#define DIAL_H

#include <strand/draw.h>

/* Draws the scale for 0 to RANGE_CM; what was on the canvas is gone. */
void dial_scale(struct strand_canvas *canvas, int range_cm);

/* Draws the needle at LEVEL_CM, and the level in words. What is above the range stays at its end. */
void dial_needle(struct strand_canvas *canvas, int range_cm, int level_cm);

#endif
