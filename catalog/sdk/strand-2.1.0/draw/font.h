/* The letters of draw (font.c). */
#ifndef STRAND_DRAW_FONT_H
#define STRAND_DRAW_FONT_H

#include <stdint.h>

enum { STRAND_FONT_FIRST = 32, STRAND_FONT_GLYPHS = 95, STRAND_FONT_WIDTH = 5, STRAND_FONT_HEIGHT = 7 };

extern const uint8_t strand_font[STRAND_FONT_GLYPHS][STRAND_FONT_HEIGHT];

#endif
