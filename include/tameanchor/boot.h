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

/* Writes the first block, with the check that BOOT has. */
void ta_boot_write(const struct ta_boot *boot, uint8_t block[TA_BOOT_BLOCK]);

/* Reads the first block; false when it is none. The check is for the caller to compare, once all blocks are read. */
bool ta_boot_read(const uint8_t block[TA_BOOT_BLOCK], struct ta_boot *boot);

/* The check of LENGTH more BYTES, from the check of those before; the first block counts with its check as zero, which ta_boot_check_first
   takes care of. */
uint32_t ta_boot_check_first(const uint8_t block[TA_BOOT_BLOCK]);
uint32_t ta_boot_check(uint32_t before, const void *bytes, size_t length);

#ifdef __cplusplus
}
#endif
#endif
