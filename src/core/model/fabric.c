#include "tameanchor/fabric.h"

#include "base/digest.h"
#include "base/little.h"

#include <string.h>

enum { REGISTERS_MOST = 256, AVERAGE_MOST = 64, RATE_MOST = 1000000000, CHECK_AT = 56 };

uint32_t ta_fabric_block_bytes(const struct ta_fabric_block *block) {
    switch (block->kind) {
    case TA_FABRIC_REGISTERS: return block->first && block->first <= REGISTERS_MOST ? 4 * block->first : 0;
    case TA_FABRIC_COUNTER: return block->first && block->first <= RATE_MOST ? 8 : 0;
    case TA_FABRIC_AVERAGE: return block->first && block->first <= AVERAGE_MOST ? 8 : 0;
    default: return 0;
    }
}

static uint32_t load(const uint8_t *at) {
    return (uint32_t)little_load(at, 4);
}

static void store(uint8_t *at, uint32_t value) {
    little_store(at, 4, value);
}

/* Of all but the check itself. */
static uint32_t check_of(const uint8_t *bytes, size_t length) {
    static const uint8_t nothing[4];
    uint32_t check = check_bytes(CHECK_START, bytes, CHECK_AT);
    check = check_bytes(check, nothing, sizeof nothing);
    return check_bytes(check, bytes + CHECK_AT + sizeof nothing, length - CHECK_AT - sizeof nothing);
}

bool ta_fabric_blocks_meet(const struct ta_fabric_block *one, const struct ta_fabric_block *other) {
    return one->offset < other->offset + ta_fabric_block_bytes(other) &&
           other->offset < one->offset + ta_fabric_block_bytes(one);
}

static bool is_sound(const struct ta_fabric_image *image) {
    for (size_t i = 0; i < image->count; ++i) {
        const struct ta_fabric_block *block = &image->blocks[i];
        uint32_t bytes = ta_fabric_block_bytes(block);
        if (!bytes || block->offset % 4 || block->offset < TA_FABRIC_IDENTITY_END ||
            block->offset > TA_FABRIC_WINDOW_BYTES - bytes)
            return false;
        for (size_t k = 0; k < i; ++k)
            if (ta_fabric_blocks_meet(block, &image->blocks[k]))
                return false;
    }
    return true;
}

bool ta_fabric_read(const uint8_t *bytes, size_t length, struct ta_fabric_image *image) {
    *image = (struct ta_fabric_image){0};
    if (length < TA_FABRIC_HEAD_BYTES || load(bytes) != TA_FABRIC_MAGIC || load(bytes + 4) != TA_FABRIC_FORMAT)
        return false;
    uint32_t count = load(bytes + 8), size = load(bytes + 12);
    if (count > TA_FABRIC_BLOCKS || size != TA_FABRIC_HEAD_BYTES + count * TA_FABRIC_BLOCK_BYTES || size > length ||
        load(bytes + CHECK_AT) != check_of(bytes, size))
        return false;
    image->count = count;
    image->built_s = load(bytes + 16) | (uint64_t)load(bytes + 20) << 32;
    memcpy(image->identity, bytes + 24, TA_FABRIC_IDENTITY_BYTES);
    for (size_t i = 0; i < count; ++i) {
        const uint8_t *at = bytes + TA_FABRIC_HEAD_BYTES + i * TA_FABRIC_BLOCK_BYTES;
        uint32_t kind = load(at);
        image->blocks[i] = (struct ta_fabric_block){kind < TA_FABRIC_KINDS ? (enum ta_fabric_kind)kind : TA_FABRIC_NONE,
                                                    load(at + 4), load(at + 8), load(at + 12)};
    }
    if (is_sound(image))
        return true;
    *image = (struct ta_fabric_image){0};
    return false;
}

size_t ta_fabric_write(const struct ta_fabric_image *image, uint8_t bytes[TA_FABRIC_IMAGE_BYTES]) {
    size_t size = TA_FABRIC_HEAD_BYTES + image->count * TA_FABRIC_BLOCK_BYTES;
    memset(bytes, 0, TA_FABRIC_IMAGE_BYTES);
    store(bytes, TA_FABRIC_MAGIC);
    store(bytes + 4, TA_FABRIC_FORMAT);
    store(bytes + 8, (uint32_t)image->count);
    store(bytes + 12, (uint32_t)size);
    store(bytes + 16, (uint32_t)image->built_s);
    store(bytes + 20, (uint32_t)(image->built_s >> 32));
    memcpy(bytes + 24, image->identity, TA_FABRIC_IDENTITY_BYTES);
    for (size_t i = 0; i < image->count; ++i) {
        uint8_t *at = bytes + TA_FABRIC_HEAD_BYTES + i * TA_FABRIC_BLOCK_BYTES;
        store(at, image->blocks[i].kind);
        store(at + 4, image->blocks[i].offset);
        store(at + 8, image->blocks[i].first);
        store(at + 12, image->blocks[i].second);
    }
    store(bytes + CHECK_AT, check_of(bytes, size));
    return size;
}
