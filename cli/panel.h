/* The panel: on a terminal, the last line shows the target's lamps and its time while the console scrolls above. */
#ifndef CLI_PANEL_H
#define CLI_PANEL_H

#include "tameanchor/event.h"

#include <stdbool.h>

/* Takes the last line, when stdout and stderr are a terminal that obeys. COLOUR: lit lamps are yellow. */
void panel_open(bool colour);

/* Shows what EVENT changes; it is drawn a few times a second. */
void panel_take(const struct ta_event *event);

/* Gives the line back; may be called twice. Without FLUSH also in a signal's handler. */
void panel_close(bool flush);

#endif
