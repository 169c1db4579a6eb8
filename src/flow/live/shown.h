/* What a target shows: its lamps and screens, as they are when a run ends; the bench keeps it for those who ask later. */
#ifndef TA_FLOW_LIVE_SHOWN_H
#define TA_FLOW_LIVE_SHOWN_H

#include "flow/deploy/target.h"
#include "tameanchor/live.h"

/* Keeps what TARGET shows now, whose lamps BOARD knows, unless it is a throwaway one; with SCREEN (may be null) writes what its screen shows to
   that file, too. */
enum ta_status shown_keep(struct target *target, const struct ta_board *board, const char *screen,
                          struct ta_problem *why);

#endif
