/* A logic fabric: at reset it becomes what the image says that it keeps (tameanchor/fabric.h); without a sound one it is blank, and all its
   registers read 0. Registers of 32 bits:

   0x00  LOADED    read  "TAfb" when an image is loaded, else 0
   0x04  BLOCKS    read  how many blocks it has
   0x08  BUILT     read  when it was built, in seconds since 1970; the upper half at 0x0c
   0x10  IDENTITY  read  eight words, the first byte of it lowest

   From 0x100 on, its blocks:

   registers  words that hold what is written, 0 after a reset
   counter    VALUE at 0 counts so many times a second as the block says, from 0 at reset; with LIMIT at 4 not 0, it begins anew there
   average    a number written to 0 is one more; read at 4: the mean of the last ones, rounded down, of as many as there are */
#include "tameanchor/fabric.h"
#include "base/little.h"
#include "base/scale.h"
#include "machine/models.h"

#include <string.h>

enum { LOADED = 0x00, BLOCKS = 0x04, BUILT = 0x08, IDENTITY = 0x10 };
enum { WORDS = 1024, AVERAGES = 64 };

/* The words of all blocks together, in the order of the blocks: those of registers; a counter's limit; an average's count, place of the next
   and numbers. */
struct fabric {
    uint32_t words[WORDS];
    uint64_t since; /* the cycle of the last reset */
};

/* What is loaded. It is read from what the device keeps at each access: nothing else can change it. */
static bool load_image(struct ta_slot *slot, struct ta_fabric_image *image) {
    uint8_t bytes[TA_FABRIC_IMAGE_BYTES];
    return ta_slot_store_read(slot, 0, bytes, sizeof bytes) && ta_fabric_read(bytes, sizeof bytes, image);
}

static uint32_t words_of(const struct ta_fabric_block *block) {
    switch (block->kind) {
    case TA_FABRIC_REGISTERS: return block->first;
    case TA_FABRIC_COUNTER: return 1;
    default: return 2 + AVERAGES;
    }
}

/* The block that has the register at OFFSET, and its words; null when there is none, or no more room for them. */
static const struct ta_fabric_block *find_block(struct fabric *fabric, const struct ta_fabric_image *image,
                                                uint64_t offset, uint32_t **words) {
    uint32_t at = 0;
    for (size_t i = 0; i < image->count; ++i) {
        const struct ta_fabric_block *block = &image->blocks[i];
        uint32_t need = words_of(block);
        if (at + need > WORDS)
            return NULL;
        *words = fabric->words + at;
        if (offset >= block->offset && offset - block->offset < ta_fabric_block_bytes(block))
            return block;
        at += need;
    }
    return NULL;
}

static uint32_t count_of(const struct fabric *fabric, const struct ta_slot *slot, const struct ta_fabric_block *block,
                         uint32_t limit) {
    uint64_t value = scale_floor(ta_slot_now(slot) - fabric->since, block->first, ta_slot_clock_hz(slot));
    return (uint32_t)(limit ? value % limit : value);
}

static uint32_t mean_of(const uint32_t *words) {
    uint64_t sum = 0;
    uint32_t count = words[0] <= AVERAGES ? words[0] : 0;
    for (uint32_t i = 0; i < count; ++i)
        sum += words[2 + i];
    return count ? (uint32_t)(sum / count) : 0;
}

static uint64_t fabric_read_register(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct fabric *fabric = state;
    struct ta_fabric_image image;
    uint32_t *words = NULL;
    (void)size_bytes;
    if (!load_image(slot, &image))
        return 0;
    if (offset >= IDENTITY && offset < IDENTITY + TA_FABRIC_IDENTITY_BYTES) {
        const uint8_t *at = image.identity + (offset - IDENTITY);
        return (uint32_t)little_load(at, 4);
    }
    switch (offset) {
    case LOADED: return TA_FABRIC_MAGIC;
    case BLOCKS: return image.count;
    case BUILT: return (uint32_t)image.built_s;
    case BUILT + 4: return (uint32_t)(image.built_s >> 32);
    default: break;
    }
    const struct ta_fabric_block *block = find_block(fabric, &image, offset, &words);
    if (!block)
        return 0;
    bool second = offset != block->offset;
    switch (block->kind) {
    case TA_FABRIC_REGISTERS: return words[(offset - block->offset) / 4];
    case TA_FABRIC_COUNTER: return second ? words[0] : count_of(fabric, slot, block, words[0]);
    default: return second ? mean_of(words) : 0;
    }
}

static void add_number(uint32_t *words, uint32_t most, uint32_t number) {
    uint32_t at = words[1] < most ? words[1] : 0;
    words[2 + at] = number;
    words[1] = (at + 1) % most;
    words[0] += words[0] < most;
}

static void fabric_write_register(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes,
                                  uint64_t value) {
    struct ta_fabric_image image;
    uint32_t *words = NULL;
    (void)size_bytes;
    const struct ta_fabric_block *block = load_image(slot, &image) ? find_block(state, &image, offset, &words) : NULL;
    if (!block)
        return;
    bool second = offset != block->offset;
    if (block->kind == TA_FABRIC_REGISTERS)
        words[(offset - block->offset) / 4] = (uint32_t)value;
    else if (block->kind == TA_FABRIC_COUNTER && second)
        words[0] = (uint32_t)value;
    else if (block->kind == TA_FABRIC_AVERAGE && !second)
        add_number(words, block->first, (uint32_t)value);
}

static void fabric_reset(void *state, struct ta_slot *slot) {
    struct fabric *fabric = state;
    memset(fabric, 0, sizeof *fabric);
    fabric->since = ta_slot_now(slot);
}

static uint64_t fabric_store_bytes(const struct ta_device *device) {
    (void)device;
    return TA_FABRIC_IMAGE_BYTES;
}

static void fabric_keep(void *state, struct ta_keeper *keeper) {
    struct fabric *fabric = state;
    TA_KEEP_ALL(keeper, fabric->words);
    TA_KEEP(keeper, fabric->since);
}

/* Time has gone on since. */
static bool fabric_is_sound(const void *state, const struct ta_slot *slot) {
    (void)slot;
    return ((const struct fabric *)state)->since <= UINT64_MAX / 4;
}

const struct ta_device_kind model_fabric = {
    .version = TA_DEVICE_VERSION,
    .model = "fabric",
    .summary = "a logic fabric, made of what its image says",
    .span_bytes = TA_FABRIC_WINDOW_BYTES,
    .state_bytes = sizeof(struct fabric),
    .widths = 4,
    .read = fabric_read_register,
    .write = fabric_write_register,
    .reset = fabric_reset,
    .store_bytes = fabric_store_bytes,
    .keep = fabric_keep,
    .is_sound = fabric_is_sound,
};
