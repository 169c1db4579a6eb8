/* The texts that a screen shows, for a terminal on which its picture is too small to read. */
#ifndef CLI_TEXTS_H
#define CLI_TEXTS_H

#include "tameanchor/texts.h"

/* Those of TEXTS that stand in row ROW of ROWS of a screen of WIDTH by HEIGHT points that is seen after TURNS quarters to the left, from left to right,
   two blanks apart. Freed with g_free. */
char *texts_in_row(const struct ta_texts *texts, unsigned row, unsigned rows, unsigned width, unsigned height,
                   unsigned turns);

#endif
