/* The target's console on this computer: what it writes goes to stdout, what is typed comes from stdin. */
#ifndef CLI_CONSOLE_H
#define CLI_CONSOLE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* On a terminal, keys come at once and are not shown (the target's program does that), or, BY_LINE, line by line as the terminal
   edits them. */
void console_open(bool by_line);

/* Whether the tool went on after it was stopped (Ctrl-Z); takes the keys again then. */
bool console_continued(void);

/* The terminal as it was; may be called twice, and in a signal's handler. */
void console_restore(void);

/* Ends what was written: the next line of the tool begins at the left, also behind an unfinished one of the target. */
void console_close(void);

/* As struct ta_run has them; WITH is unused. What is written waits until stdout is flushed. */
void console_write(void *with, const uint8_t *bytes, size_t length);
int console_read(void *with, uint8_t *bytes, size_t size);

#endif
