/* A port of one's own: a board that is not there plays again what was recorded of it. Each power-on plays the next run. */
#ifndef RECORDED_BOARD_H
#define RECORDED_BOARD_H

#include <tameanchor/tameanchor.h>

/* What to play: the recordings of REPORT, borrowed, one after the other. NEXT is the one that comes next, from 0. */
struct record {
    const struct ta_report *report;
    size_t next;
};

/* Opens a port to a board of PROFILE, powered off, with empty flash, that plays RECORD; both are borrowed until it is closed. */
enum ta_status recorded_board_open(struct record *record, const struct ta_profile *profile, struct ta_port *port,
                                   struct ta_problem *why);

#endif
