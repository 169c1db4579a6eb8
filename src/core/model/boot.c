#include "tameanchor/boot.h"

#include "base/digest.h"
#include "base/little.h"

#include <string.h>

enum { MAGIC_AT = 0, FORMAT_AT = 4, COUNT_AT = 8, BLOCKS_AT = 12, CHECK_AT = 16, PARTS_AT = 64, PART_BYTES = 32 };

static uint64_t blocks_of(uint64_t size_bytes) {
    return size_bytes / TA_BOOT_BLOCK + (size_bytes % TA_BOOT_BLOCK != 0);
}

bool ta_boot_place(struct ta_boot *boot) {
    uint64_t next = 1;
    for (size_t i = 0; i < boot->count; ++i) {
        boot->parts[i].first = (uint32_t)next;
        next += blocks_of(boot->parts[i].size_bytes);
        if (next > UINT32_MAX)
            return false;
    }
    boot->blocks = (uint32_t)next;
    return true;
}

void ta_boot_write(const struct ta_boot *boot, uint8_t block[TA_BOOT_BLOCK]) {
    memset(block, 0, TA_BOOT_BLOCK);
    little_store(block + MAGIC_AT, 4, TA_BOOT_MAGIC);
    little_store(block + FORMAT_AT, 4, TA_BOOT_FORMAT);
    little_store(block + COUNT_AT, 4, boot->count);
    little_store(block + BLOCKS_AT, 4, boot->blocks);
    little_store(block + CHECK_AT, 4, boot->check);
    for (size_t i = 0; i < boot->count; ++i) {
        uint8_t *at = block + PARTS_AT + i * PART_BYTES;
        little_store(at, 8, boot->parts[i].address);
        little_store(at + 8, 8, boot->parts[i].size_bytes);
        little_store(at + 16, 4, boot->parts[i].first);
    }
}

/* Parts stand where ta_boot_place would put them, and nowhere else: no other card is like it. */
static bool read_head(const uint8_t block[TA_BOOT_BLOCK], struct ta_boot *boot) {
    uint64_t count = little_load(block + COUNT_AT, 4);
    if (little_load(block + MAGIC_AT, 4) != TA_BOOT_MAGIC || little_load(block + FORMAT_AT, 4) != TA_BOOT_FORMAT ||
        !count || count > TA_BOOT_PARTS)
        return false;
    boot->count = (size_t)count;
    for (size_t i = 0; i < boot->count; ++i) {
        const uint8_t *at = block + PARTS_AT + i * PART_BYTES;
        boot->parts[i] =
            (struct ta_boot_part){little_load(at, 8), little_load(at + 8, 8), (uint32_t)little_load(at + 16, 4)};
        if (!boot->parts[i].size_bytes)
            return false;
    }
    boot->blocks = (uint32_t)little_load(block + BLOCKS_AT, 4);
    boot->check = (uint32_t)little_load(block + CHECK_AT, 4);
    struct ta_boot placed = *boot;
    bool sound = ta_boot_place(&placed) && placed.blocks == boot->blocks;
    for (size_t i = 0; sound && i < boot->count; ++i)
        sound = placed.parts[i].first == boot->parts[i].first;
    return sound;
}

/* Of the first block, all but the check itself. */
static uint32_t check_head(const uint8_t block[TA_BOOT_BLOCK]) {
    static const uint8_t nothing[4];
    uint32_t check = check_bytes(CHECK_START, block, CHECK_AT);
    check = check_bytes(check, nothing, sizeof nothing);
    return check_bytes(check, block + CHECK_AT + sizeof nothing, TA_BOOT_BLOCK - CHECK_AT - sizeof nothing);
}

bool ta_boot_read(bool (*read)(void *with, uint32_t block, uint8_t bytes[TA_BOOT_BLOCK]), void *with,
                  struct ta_boot *boot) {
    uint8_t block[TA_BOOT_BLOCK];
    *boot = (struct ta_boot){0};
    bool sound = read(with, 0, block) && read_head(block, boot);
    uint32_t check = sound ? check_head(block) : 0;
    for (uint32_t i = 1; sound && i < boot->blocks; ++i) {
        sound = read(with, i, block);
        check = sound ? check_bytes(check, block, sizeof block) : 0;
    }
    sound = sound && check == boot->check;
    if (!sound)
        *boot = (struct ta_boot){0};
    return sound;
}

uint32_t ta_boot_check(const uint8_t *card, size_t length) {
    return check_bytes(check_head(card), card + TA_BOOT_BLOCK, length - TA_BOOT_BLOCK);
}
