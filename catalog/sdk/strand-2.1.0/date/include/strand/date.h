/* The date and the time of day, UTC, from the board's calendar, which goes on without power. */
#ifndef STRAND_DATE_H
#define STRAND_DATE_H

#include <stdint.h>

/* Seconds since 1970 now, and the milliseconds beyond (may be null); sets the calendar. */
int64_t strand_date_now(unsigned *milli);
void strand_date_set(int64_t seconds);

/* "2026-03-01 04:30:15" into TEXT. */
enum { STRAND_DATE_BYTES = 20 };
void strand_date_text(int64_t seconds, char text[STRAND_DATE_BYTES]);

#endif
