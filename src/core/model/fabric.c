#include "core/model/fabric.h"

#include <string.h>

enum { REGISTERS_MOST = 256, AVERAGE_MOST = 64, RATE_MOST = 1000000000, CHECK_AT = 56 };

uint32_t fabric_block_bytes(const struct fabric_block *block) {
    switch (block->kind) {
    case FABRIC_REGISTERS: return block->first && block->first <= REGISTERS_MOST ? 4 * block->first : 0;
    case FABRIC_COUNTER: return block->first && block->first <= RATE_MOST ? 8 : 0;
    case FABRIC_AVERAGE: return block->first && block->first <= AVERAGE_MOST ? 8 : 0;
    default: return 0;
    }
}

static uint32_t load(const uint8_t *at) {
    return at[0] | (uint32_t)at[1] << 8 | (uint32_t)at[2] << 16 | (uint32_t)at[3] << 24;
}

static void store(uint8_t *at, uint32_t value) {
    for (unsigned i = 0; i < 4; ++i)
        at[i] = (uint8_t)(value >> 8 * i);
}

/* FNV-1a, 32 bits. */
static uint32_t check_of(const uint8_t *bytes, size_t length) {
    uint32_t check = 0x811c9dc5;
    for (size_t i = 0; i < length; ++i)
        check = (check ^ (i >= CHECK_AT && i < CHECK_AT + 4 ? 0 : bytes[i])) * 0x01000193;
    return check;
}

static bool is_sound(const struct fabric_image *image) {
    for (size_t i = 0; i < image->count; ++i) {
        const struct fabric_block *block = &image->blocks[i];
        uint32_t bytes = fabric_block_bytes(block);
        if (!bytes || block->offset % 4 || block->offset < FABRIC_IDENTITY_END ||
            block->offset > FABRIC_WINDOW_BYTES - bytes)
            return false;
        for (size_t k = 0; k < i; ++k) {
            const struct fabric_block *other = &image->blocks[k];
            if (block->offset < other->offset + fabric_block_bytes(other) && other->offset < block->offset + bytes)
                return false;
        }
    }
    return true;
}

bool fabric_read(const uint8_t *bytes, size_t length, struct fabric_image *image) {
    *image = (struct fabric_image){0};
    if (length < FABRIC_HEAD_BYTES || load(bytes) != FABRIC_MAGIC || load(bytes + 4) != FABRIC_FORMAT)
        return false;
    uint32_t count = load(bytes + 8), size = load(bytes + 12);
    if (count > FABRIC_BLOCKS || size != FABRIC_HEAD_BYTES + count * FABRIC_BLOCK_BYTES || size > length ||
        load(bytes + CHECK_AT) != check_of(bytes, size))
        return false;
    image->count = count;
    image->built_s = load(bytes + 16) | (uint64_t)load(bytes + 20) << 32;
    memcpy(image->identity, bytes + 24, FABRIC_IDENTITY_BYTES);
    for (size_t i = 0; i < count; ++i) {
        const uint8_t *at = bytes + FABRIC_HEAD_BYTES + i * FABRIC_BLOCK_BYTES;
        uint32_t kind = load(at);
        image->blocks[i] = (struct fabric_block){kind < FABRIC_KINDS ? (enum fabric_kind)kind : FABRIC_NONE,
                                                 load(at + 4), load(at + 8), load(at + 12)};
    }
    if (is_sound(image))
        return true;
    *image = (struct fabric_image){0};
    return false;
}

size_t fabric_write(const struct fabric_image *image, uint8_t bytes[FABRIC_IMAGE_BYTES]) {
    size_t size = FABRIC_HEAD_BYTES + image->count * FABRIC_BLOCK_BYTES;
    memset(bytes, 0, FABRIC_IMAGE_BYTES);
    store(bytes, FABRIC_MAGIC);
    store(bytes + 4, FABRIC_FORMAT);
    store(bytes + 8, (uint32_t)image->count);
    store(bytes + 12, (uint32_t)size);
    store(bytes + 16, (uint32_t)image->built_s);
    store(bytes + 20, (uint32_t)(image->built_s >> 32));
    memcpy(bytes + 24, image->identity, FABRIC_IDENTITY_BYTES);
    for (size_t i = 0; i < image->count; ++i) {
        uint8_t *at = bytes + FABRIC_HEAD_BYTES + i * FABRIC_BLOCK_BYTES;
        store(at, image->blocks[i].kind);
        store(at + 4, image->blocks[i].offset);
        store(at + 8, image->blocks[i].first);
        store(at + 12, image->blocks[i].second);
    }
    store(bytes + CHECK_AT, check_of(bytes, size));
    return size;
}
