/* The page: which widgets stand on it, and where. */
#ifndef SHELF_H
#define SHELF_H

#include <strand/widget.h>

enum shelf { GREETING, GREET, LIGHT, LISTEN, NEWS, PLACES, CHARGE, SHELF };

extern struct strand_widget shelf[SHELF];
extern const char *const places[];

/* Puts the widgets where a canvas of that size has room for them: below each other, or in two columns. */
void shelf_arrange(int width, int height);

#endif
