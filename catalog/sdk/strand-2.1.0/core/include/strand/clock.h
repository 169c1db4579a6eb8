/* The board's clock: microseconds since power-on, from the machine timer. */
#ifndef STRAND_CLOCK_H
#define STRAND_CLOCK_H

#include <stdint.h>

/* Microseconds since power-on. Does not wrap within the life of a board. */
uint64_t strand_clock_us(void);

/* Sleeps until strand_clock_us() reaches WHEN_US; returns at once when that is past. The hart waits for interrupts
   meanwhile and handles them. */
void strand_clock_sleep_until(uint64_t when_us);

/* Sleeps for TIME_US microseconds. */
void strand_clock_sleep(uint32_t time_us);

#endif
