/* The storage card, in blocks of 512 bytes. */
#ifndef STRAND_CARD_H
#define STRAND_CARD_H

#include <stdint.h>

enum { STRAND_CARD_BLOCK = 512 };

/* What went wrong: there is no card, or it was pulled out; it is locked; it has no such block. */
enum strand_card { STRAND_CARD_DONE, STRAND_CARD_NONE, STRAND_CARD_LOCKED, STRAND_CARD_BEYOND };

/* Wakes the card that is in, and learns how many blocks it has. Again whenever a card may have been changed. */
enum strand_card strand_card_open(uint32_t *blocks);

enum strand_card strand_card_read(uint32_t block, uint8_t bytes[STRAND_CARD_BLOCK]);

/* Returns when the block is written. One whose writing was cut off by a loss of power may hold some of the new bytes and some of the old
   ones. */
enum strand_card strand_card_write(uint32_t block, const uint8_t bytes[STRAND_CARD_BLOCK]);

#endif
