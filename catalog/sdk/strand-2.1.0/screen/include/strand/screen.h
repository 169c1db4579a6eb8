/* The board's screen: one canvas to draw on (draw.h), which is seen when it is refreshed. */
#ifndef STRAND_SCREEN_H
#define STRAND_SCREEN_H

#include <strand/draw.h>

/* Turns the screen on, black, at full brightness. Its canvas is the program's for good. */
struct strand_canvas *strand_screen_open(void);

/* Quarter turns clockwise, 0 to 3, from the way in which the screen is built in: the canvas is black, and as wide and high as the screen is
   then. */
void strand_screen_turn(unsigned turns);

/* A point of the screen as it is built in, which a touch panel tells, becomes that of the canvas. */
void strand_screen_point(int *x, int *y);

/* Shows what is on this part of the canvas, as far as it lies there; waits until it is seen. 0, or -1 when the screen refuses it. */
int strand_screen_refresh(int x, int y, int width, int height);
int strand_screen_refresh_all(void);

/* How many refreshes are done since it was turned on. */
unsigned strand_screen_frames(void);

/* 0, dark, to 255. */
void strand_screen_brightness(unsigned level);

#endif
