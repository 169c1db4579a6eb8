/* A log on a storage card that survives a loss of power at any instant. Each entry is a block of its own, with a number and a check; the
   entries stand in a ring, and the one with the highest number whose check is right is the last. What was being written when the power went
   has a wrong check, and the entry before it is still whole. */
#ifndef LOG_H
#define LOG_H

#include <stdint.h>
#include <strand/card.h>

enum { LOG_TEXT_BYTES = 64 };

/* Opens the card and finds the last entry: its number, 0 for an empty log, and its text. */
enum strand_card log_open(uint32_t *number, char text[LOG_TEXT_BYTES]);

/* Writes the next entry; *NUMBER is then its own. */
enum strand_card log_add(uint32_t *number, const char *text);

#endif
