/* Printing: every text that may be somebody else's reaches a terminal through here and nowhere else. */
#ifndef TA_CLI_SAY_H
#define TA_CLI_SAY_H

#include <glib.h>
#include <stdbool.h>
#include <stdio.h>

/* Whether terminals of this kind take commands: a dumb one shows text and nothing else. */
bool terminal_obeys(void);

/* Prints one line, or a part of one. What FORMAT puts in cannot leave the line, move the cursor or change colours: only a
   newline that ends FORMAT is one. */
void say(FILE *stream, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* TEXT as say would print it; freed with g_free. How many columns of a terminal it takes there. */
char *shown_text(const char *text);
size_t shown_width(const char *shown);

/* Cuts SHOWN behind what fits into so many columns. */
void shown_cut(char *shown, size_t columns);

/* Prints LENGTH bytes of text with its own lines. A character that they end inside of waits in REST (may be null; starts as
   {0}) for the next ones. */
struct say_rest {
    char bytes[4];
    size_t length;
};
void say_text(FILE *stream, const char *bytes, size_t length, struct say_rest *rest);

/* Prints TEXT, which may be coloured: of all that commands a terminal, its colours alone stay. */
void say_coloured(FILE *stream, const char *text);

#endif
