/* Button A. Presses are counted by interrupt, so that none is missed while the program sleeps. */
#ifndef STRAND_BUTTON_H
#define STRAND_BUTTON_H

#include <stdint.h>

/* Starts to watch the button. */
void strand_button_open(void);

/* How many times it was pressed since it is watched. */
uint32_t strand_button_presses(void);

#endif
