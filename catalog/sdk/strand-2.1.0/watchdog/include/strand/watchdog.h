/* The watchdog: starts the board anew when the program hangs. */
#ifndef STRAND_WATCHDOG_H
#define STRAND_WATCHDOG_H

#include <stdbool.h>

/* Turns it on: from now on it has to be fed every TIMEOUT_MS, 1 to 65535. Nothing turns it off again. */
void strand_watchdog_open(unsigned timeout_ms);

void strand_watchdog_feed(void);

/* Whether the watchdog was why the board started; asked again, it is not. */
bool strand_watchdog_bit(void);

#endif
