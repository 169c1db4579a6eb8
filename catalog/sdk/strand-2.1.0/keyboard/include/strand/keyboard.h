/* The board as a USB keyboard: what it types appears where the computer at the other end of the cable has its cursor. A boot keyboard by USB
   HID 1.11, for computers that are set to a US layout. */
#ifndef STRAND_KEYBOARD_H
#define STRAND_KEYBOARD_H

#include <stdbool.h>

/* Connects to the computer, now and whenever a cable is plugged in; all goes by interrupts from then on. */
void strand_keyboard_open(void);

/* Whether a computer has taken the board as its keyboard. */
bool strand_keyboard_ready(void);

/* Types TEXT: letters, digits and signs of ASCII, '\n' for enter, '\t', '\b'; others are left out. Takes some 20 ms a letter. 0, or -1 when the
   computer is gone, or was never there. */
int strand_keyboard_type(const char *text);

#endif
