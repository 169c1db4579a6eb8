/* Values that a sensor goes through, from a table of time and value (CSV, RFC 4180, without quotes). */
#ifndef TA_CORE_LIVE_FEED_H
#define TA_CORE_LIVE_FEED_H

#include "base/arena.h"
#include "tameanchor/profile.h"

struct fed {
    uint64_t time_ns; /* from when the feeding began */
    int64_t milli;
    unsigned line;
};

/* NAME appears in problems only. */
struct feed {
    const char *name;
    struct fed *values;
    size_t count;
};

/* Reads LENGTH bytes of TEXT: lines of seconds, a comma and a number; a first line that is none is a heading. TA_E_SYNTAX with line and column
   for what is no number, is missing, or goes back in time. */
enum ta_status feed_read(const char *text, size_t length, struct arena *arena, struct feed *feed,
                         struct ta_problem *why);

/* TA_E_INPUT when a value is out of the range of QUANTITY. */
enum ta_status feed_check(const struct feed *feed, const struct ta_quantity *quantity, struct ta_problem *why);

#endif
