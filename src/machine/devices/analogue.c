/* An analogue input: turns a voltage into a number, one channel after another. 32-bit registers:

   0x00  CONTROL    read/write  bit 0: on; bit 1: the interrupt is high while DONE is set
   0x04  CHANNEL    read/write  which input is measured, 0 to 7; a write begins a measurement, which takes 10 us. Dropped while one is under way
   0x08  RESULT     read        the last one: 0 to 4095 for 0 V to the reference
   0x0c  STATUS     read/write  bit 0: one is under way; bit 1: DONE, which a one written or the next measurement clears
   0x10  REFERENCE  read        in mV

   Option: `reference` in mV (3300). What is above it reads 4095. */
#include "machine/models.h"

enum { CONTROL = 0x00, CHANNEL = 0x04, RESULT = 0x08, STATUS = 0x0c, REFERENCE = 0x10, CHANNELS = 8 };
enum { ON = 1, INTERRUPTS = 2, BUSY = 1, DONE = 2, TOP = 4095, MEASURES_PER_S = 100000, REFERENCE_DEFAULT = 3300 };

struct analogue {
    uint32_t control, channel, result, status;
};

static uint32_t reference_mv(const struct ta_slot *slot) {
    uint64_t reference = ta_slot_option(slot, "reference", REFERENCE_DEFAULT);
    return reference && reference <= UINT16_MAX ? (uint32_t)reference : REFERENCE_DEFAULT;
}

static void analogue_update(struct analogue *analogue, struct ta_slot *slot) {
    ta_slot_interrupt(slot, analogue->control & INTERRUPTS && analogue->status & DONE);
}

static void analogue_wake(void *state, struct ta_slot *slot) {
    struct analogue *analogue = state;
    int64_t mv = ta_slot_sensed(slot, "voltage", analogue->channel), top = reference_mv(slot);
    mv = mv < 0 ? 0 : mv > top ? top : mv;
    analogue->result = (uint32_t)((mv * TOP + top / 2) / top);
    analogue->status = DONE;
    analogue_update(analogue, slot);
}

static uint64_t analogue_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct analogue *analogue = state;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return analogue->control;
    case CHANNEL: return analogue->channel;
    case RESULT: return analogue->result;
    case STATUS: return analogue->status;
    case REFERENCE: return reference_mv(slot);
    default: return 0;
    }
}

static void begin(struct analogue *analogue, struct ta_slot *slot, uint64_t channel) {
    if (!(analogue->control & ON) || analogue->status & BUSY || channel >= CHANNELS)
        return;
    analogue->channel = (uint32_t)channel;
    analogue->status = BUSY;
    ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + ta_slot_clock_hz(slot) / MEASURES_PER_S);
}

static void analogue_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct analogue *analogue = state;
    (void)size_bytes;
    if (offset == CONTROL)
        analogue->control = value & (ON | INTERRUPTS);
    else if (offset == CHANNEL)
        begin(analogue, slot, value);
    else if (offset == STATUS)
        analogue->status &= ~(uint32_t)(value & DONE);
    analogue_update(analogue, slot);
}

static void analogue_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct analogue *)state = (struct analogue){0};
}

static void analogue_keep(void *state, struct ta_keeper *keeper) {
    struct analogue *analogue = state;
    TA_KEEP(keeper, analogue->control);
    TA_KEEP(keeper, analogue->channel);
    TA_KEEP(keeper, analogue->result);
    TA_KEEP(keeper, analogue->status);
}

static const char *const quantities[] = {"voltage", NULL};

const struct ta_device_kind model_analogue = {
    .version = TA_DEVICE_VERSION,
    .model = "analogue",
    .summary = "analogue inputs, measured one after another",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct analogue),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = analogue_read,
    .write = analogue_write,
    .reset = analogue_reset,
    .wake = analogue_wake,
    .quantities = quantities,
    .pins = CHANNELS,
    .keep = analogue_keep,
};
