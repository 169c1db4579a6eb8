/* The desk: how the board's switches and sensors stand, and the keys by which somebody presses, plugs, turns and sets while a program runs.
   Ctrl-O takes keys from the console to the desk, and back. */
#ifndef CLI_DESK_H
#define CLI_DESK_H

#include "tameanchor/live.h"

#include <stdbool.h>

/* A desk with that board, borrowed until desk_close; KEYS: somebody sits at a keyboard. */
void desk_open(const struct ta_board *board, bool keys);
void desk_close(void);

/* Whether there is anything to see or to do at it. */
bool desk_has_anything(void);

/* Takes notice that EVENT tells of a switch or a sensor. */
void desk_take(const struct ta_event *event);

/* Takes those of SIZE bytes that are for the desk, and moves the rest together: how many there are. */
size_t desk_keys(uint8_t *bytes, size_t size);

/* What a key asked for, as ta_live_do takes it; each once. Null for nothing. It is the desk's until the next call. */
const char *desk_next(void);

/* Why it was not done; seen until the next key. */
void desk_refused(const struct ta_problem *why);

/* By how many quarters to the left the board is turned, by what its motion sensor feels. */
unsigned desk_turns(void);

/* What there is to see, in one line; changes when desk_changed says so, once. Freed with g_free. */
char *desk_text(void);
bool desk_changed(void);

#endif
