#include "log.h"

#include <string.h>

enum { FIRST_BLOCK = 8, ENTRIES = 16 };

struct entry {
    char magic[4];
    uint32_t number;
    char blank[STRAND_CARD_BLOCK - 12 - LOG_TEXT_BYTES];
    char text[LOG_TEXT_BYTES];
    uint32_t check; /* the last to be written: a block that is cut off has another */
};
_Static_assert(sizeof(struct entry) == STRAND_CARD_BLOCK, "an entry is a block");

static union {
    struct entry entry;
    uint8_t bytes[STRAND_CARD_BLOCK];
} block;

/* FNV-1a over all before it. */
static uint32_t check_of(void) {
    uint32_t check = UINT32_C(0x811c9dc5);
    for (unsigned i = 0; i < STRAND_CARD_BLOCK - sizeof check; ++i)
        check = (check ^ block.bytes[i]) * UINT32_C(0x01000193);
    return check;
}

enum strand_card log_open(uint32_t *number, char text[LOG_TEXT_BYTES]) {
    uint32_t blocks;
    enum strand_card status = strand_card_open(&blocks);
    *number = 0;
    *text = '\0';
    for (unsigned i = 0; !status && i < ENTRIES; ++i) {
        status = strand_card_read(FIRST_BLOCK + i, block.bytes);
        if (status || memcmp(block.entry.magic, "EWlg", 4) || block.entry.check != check_of() ||
            block.entry.number <= *number)
            continue;
        *number = block.entry.number;
        memcpy(text, block.entry.text, LOG_TEXT_BYTES);
        text[LOG_TEXT_BYTES - 1] = '\0';
    }
    return status;
}

enum strand_card log_add(uint32_t *number, const char *text) {
    memset(&block, 0, sizeof block);
    memcpy(block.entry.magic, "EWlg", 4);
    block.entry.number = *number + 1;
    strncpy(block.entry.text, text, LOG_TEXT_BYTES - 1);
    block.entry.check = check_of();
    enum strand_card status = strand_card_write(FIRST_BLOCK + block.entry.number % ENTRIES, block.bytes);
    if (!status)
        ++*number;
    return status;
}
