/* What a storage card holds that a board starts from: a block that says what follows, then the parts, each from a block of its own on, filled up
   to whole blocks with zeros. All numbers are little-endian. At the block's begin, of 4 bytes each: the magic, the format, how many parts there
   are, how many blocks in all, and the check, FNV-1a of 32 bits over all these blocks with zeros in the place of the check itself; from byte 64
   on each part: its address (8 bytes), its bytes (8), its first block (4), and 12 zeros. */
#ifndef TAMEANCHOR_BOOT_H
#define TAMEANCHOR_BOOT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum { TA_BOOT_MAGIC = 0x54414243, TA_BOOT_FORMAT = 1, TA_BOOT_PARTS = 8, TA_BOOT_BLOCK = 512 };

/* Where in flash it goes. FIRST counts blocks of the card. */
struct ta_boot_part {
    uint64_t address, size_bytes;
    uint32_t first;
};

struct ta_boot {
    struct ta_boot_part parts[TA_BOOT_PARTS];
    size_t count;
    uint32_t blocks, check;
};

/* Gives the parts of BOOT their places on the card, behind each other; COUNT, addresses and sizes are set. False when they are more than a
   card's block numbers reach. */
bool ta_boot_place(struct ta_boot *boot);

/* Writes the first block, with the check that BOOT has; ta_boot_check gives it when all other blocks are there. */
void ta_boot_write(const struct ta_boot *boot, uint8_t block[TA_BOOT_BLOCK]);

/* Reads what a card holds to start from: READ gives the block of that number, and false behind the card's end. False when it is none, or is
   damaged. */
bool ta_boot_read(bool (*read)(void *with, uint32_t block, uint8_t bytes[TA_BOOT_BLOCK]), void *with,
                  struct ta_boot *boot);

/* The check of a card's contents, LENGTH bytes of whole blocks. */
uint32_t ta_boot_check(const uint8_t *card, size_t length);

#ifdef __cplusplus
}
#endif
#endif
