/* The texts that a screen shows, for a terminal on which its picture is too small to read. */
#ifndef CLI_TEXTS_H
#define CLI_TEXTS_H

#include "tameanchor/event.h"

/* Forgets all of them. */
void texts_clear(void);

/* Takes a TA_EVENT_TEXT. */
void texts_take(const struct ta_event *event);

/* Those that stand in row ROW of ROWS of a screen of WIDTH by HEIGHT points that is seen after TURNS quarters to the left, from left to right,
   two blanks apart. Freed with g_free. */
char *texts_in_row(unsigned row, unsigned rows, unsigned width, unsigned height, unsigned turns);

#endif
