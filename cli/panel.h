/* The panel: on a terminal, the last lines show the target's lamps and its time, and the desk (desk.h), the lines above them what its screen
   shows, while the console scrolls above. */
#ifndef CLI_PANEL_H
#define CLI_PANEL_H

#include "tameanchor/live.h"

#include <stdbool.h>

/* Whether stdout and stderr are a terminal that obeys. */
bool panel_can_open(void);

/* Takes the last lines, when it can. COLOUR: lit lamps are yellow. */
void panel_open(bool colour);

/* Shows how BOARD stands; it is drawn a few times a second, when something changed. */
void panel_show(const struct ta_board *board);

/* Shows what a screen shows above the last lines, on a terminal of true colours, and its TEXTS beside it; it was turned by TURNS quarters to
   the left. The first one takes the lines that it needs. */
void panel_picture(const struct ta_picture *picture, const struct ta_texts *texts, unsigned turns);

/* Gives the lines back; may be called twice. Without FLUSH also in a signal's handler. */
void panel_close(bool flush);

#endif
