/* A source of random numbers. What it gives follows from its seed, so that equal runs are equal. 32-bit registers:

   0x00  CONTROL  read/write  bit 0: on
   0x04  STATUS   read        bit 0: a number is ready, 64 cycles after the one before was taken
   0x08  NUMBER   read        takes it; 0 while none is ready */
#include "machine/models.h"

enum { CONTROL = 0x00, STATUS = 0x04, NUMBER = 0x08, ON = 1, READY = 1, CYCLES = 64 };

struct entropy {
    uint64_t given;
    uint32_t control, ready;
};

static void make_next(struct entropy *entropy, struct ta_slot *slot) {
    entropy->ready = 0;
    ta_slot_wake_at(slot, entropy->control & ON ? ta_slot_now(slot) + CYCLES : UINT64_MAX);
}

static void entropy_wake(void *state, struct ta_slot *slot) {
    (void)slot;
    ((struct entropy *)state)->ready = READY;
}

/* SplitMix64, of the seed and how many came before. */
static uint32_t number_at(uint64_t seed, uint64_t index) {
    uint64_t mixed = seed * UINT64_C(0x2545f4914f6cdd1d) + (index + 1) * UINT64_C(0x9e3779b97f4a7c15);
    mixed = (mixed ^ mixed >> 30) * UINT64_C(0xbf58476d1ce4e5b9);
    mixed = (mixed ^ mixed >> 27) * UINT64_C(0x94d049bb133111eb);
    return (uint32_t)((mixed ^ mixed >> 31) >> 32);
}

static uint64_t entropy_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct entropy *entropy = state;
    (void)size_bytes;
    if (offset == CONTROL)
        return entropy->control;
    if (offset == STATUS)
        return entropy->ready;
    if (offset != NUMBER || !entropy->ready)
        return 0;
    make_next(entropy, slot);
    return number_at((uint64_t)ta_slot_sensed(slot, "seed", 0), entropy->given++);
}

static void entropy_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct entropy *entropy = state;
    (void)size_bytes;
    if (offset != CONTROL || entropy->control == (value & ON))
        return;
    entropy->control = value & ON;
    make_next(entropy, slot);
}

static void entropy_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct entropy *)state = (struct entropy){0};
}

static void entropy_keep(void *state, struct ta_keeper *keeper) {
    struct entropy *entropy = state;
    TA_KEEP(keeper, entropy->given);
    TA_KEEP(keeper, entropy->control);
    TA_KEEP(keeper, entropy->ready);
}

static const char *const quantities[] = {"seed", NULL};

const struct ta_device_kind model_entropy = {
    .version = TA_DEVICE_VERSION,
    .model = "entropy",
    .summary = "random numbers, by a seed",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct entropy),
    .widths = 4,
    .read = entropy_read,
    .write = entropy_write,
    .reset = entropy_reset,
    .wake = entropy_wake,
    .quantities = quantities,
    .keep = entropy_keep,
};
