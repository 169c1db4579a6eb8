/* Memory in host and flow. There, as in GLib, a program that has no memory left ends: callers need not ask an arena of these whether it
   gave any. base, core and machine stand on the C library alone, and answer TA_E_MEMORY. */
#ifndef TA_HOST_MEMORY_H
#define TA_HOST_MEMORY_H

#include "base/arena.h"
#include "base/text.h"

/* An arena that always gives; freed with arena_free. */
struct arena *arena_or_end(void);

/* Ends the program when TEXT lost something for want of memory. */
void text_or_end(const struct text *text);

#endif
