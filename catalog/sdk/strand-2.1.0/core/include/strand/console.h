/* The console: stdout, stderr and stdin of <stdio.h> are the board's serial line, 115200 baud, 8 data bits, no parity.
   It is open before main starts. Writing waits for room in the line's FIFO. */
#ifndef STRAND_CONSOLE_H
#define STRAND_CONSOLE_H

/* The next byte that was typed, or -1 when none waits. Does not block; getchar() does. */
int strand_console_poll(void);

/* Waits until everything that was written has left the line. */
void strand_console_flush(void);

#endif
