/* Pictures: boxes, lines and text on a white sheet, written as PNG. Through cairo, which is loaded when the first one is drawn. */
#ifndef TA_HOST_PICTURE_H
#define TA_HOST_PICTURE_H

#include "tameanchor/status.h"

#include <stdbool.h>

struct picture;

/* How things look. INK is for text and lines, the others fill boxes. */
enum paint { PAINT_INK, PAINT_PALE, PAINT_DONE, PAINT_TO_DO, PAINT_FREE, PAINT_USED, PAINT_MORE, PAINT_LESS, PAINTS };

/* A white sheet of that size, in pixels. TA_E_SYSTEM when there is no cairo on this computer. */
enum ta_status picture_new(unsigned width, unsigned height, struct picture **picture, struct ta_problem *why);

/* A box with a thin edge, filled; a line. Coordinates are from the top left. */
void picture_box(struct picture *picture, double x, double y, double width, double height, enum paint fill);
void picture_line(struct picture *picture, double x1, double y1, double x2, double y2, enum paint paint);

/* TEXT, its base line at Y; what does not fit into WIDTH is cut, and ends in three points. With RIGHT, it ends at X. */
void picture_text(struct picture *picture, double x, double y, double width, double size, bool right, const char *text);

/* Writes it to PATH, whole or not at all, and frees it. */
enum ta_status picture_write(struct picture *picture, const char *path, struct ta_problem *why);

#endif
