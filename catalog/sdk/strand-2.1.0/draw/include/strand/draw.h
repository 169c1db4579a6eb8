/* Drawing: rectangles, lines, discs, arcs and text on a canvas of points. Nothing is allocated, and nothing is drawn outside of the canvas'
   clip. Columns count from the left, rows from the top; what is given in points may lie outside. */
#ifndef STRAND_DRAW_H
#define STRAND_DRAW_H

#include <stdint.h>

/* A colour as points have it: 5 bits red, 6 green, 5 blue. */
typedef uint16_t strand_colour;
#define STRAND_RGB(red, green, blue) ((strand_colour)(((red)&0xf8) << 8 | ((green)&0xfc) << 3 | (blue) >> 3))

/* WIDTH times HEIGHT points, STRIDE from one row to the next. Only what lies from column LEFT, row TOP to before RIGHT, BOTTOM is drawn. TELL is
   called, unless it is 0, with each text of LENGTH letters that is drawn, and where; and with no letters when a rectangle is filled. */
struct strand_canvas {
    strand_colour *points;
    int width, height, stride;
    int left, top, right, bottom;
    void (*tell)(int x, int y, int width, int height, const char *text, int length);
};

/* A canvas over POINTS, row after row, all of it to be drawn on. */
void strand_canvas_open(struct strand_canvas *canvas, strand_colour *points, int width, int height);

/* Only what lies in this rectangle and in the canvas is drawn from now on. */
void strand_clip(struct strand_canvas *canvas, int x, int y, int width, int height);

void strand_fill(struct strand_canvas *canvas, int x, int y, int width, int height, strand_colour colour);

/* From one point to another, both drawn, THICK points wide with round ends. */
void strand_line(struct strand_canvas *canvas, int x0, int y0, int x1, int y1, int thick, strand_colour colour);

/* All points that are no further than RADIUS from X, Y. */
void strand_disc(struct strand_canvas *canvas, int x, int y, int radius, strand_colour colour);

/* The part of a ring around X, Y from angle FROM to angle TO, clockwise, RADIUS points out and THICK points inwards. Angles are tenths of a
   degree, clockwise from the top. */
void strand_arc(struct strand_canvas *canvas, int x, int y, int radius, int thick, int from, int to,
                strand_colour colour);

/* Letters of ASCII, SCALE times as large as they are: 5 points wide, 7 high, with one point between two. X, Y is the top left. What is no
   letter is drawn as a question mark. */
enum { STRAND_LETTER_WIDTH = 6, STRAND_LETTER_HEIGHT = 7 };
void strand_text(struct strand_canvas *canvas, int x, int y, int scale, const char *text, strand_colour colour);
int strand_text_width(const char *text, int scale);

/* LENGTH times the sine and the cosine of ANGLE (tenths of a degree, any), rounded: how far right of and how far above the centre a point
   at that angle is. */
int strand_sine(int angle, int length);
int strand_cosine(int angle, int length);

#endif
