/* A motion sensor on a bus: which way is down, and how it turns. Registers of a byte:

   0x00          WHO           read        0x4d
   0x01          CONTROL       read/write  bit 0: on; off, it measures nothing
   0x02 to 0x07  ACCELERATION  read        x, y, z in thousandths of g, two bytes each, the low one first
   0x08 to 0x0d  ROTATION      read        about x, y, z in tenths of a degree a second, likewise

   Values are as they were when the read began. */
#include "base/little.h"
#include "machine/devices/bus_part.h"
#include "machine/models.h"

enum { WHO = 0x00, CONTROL = 0x01, VALUES = 0x02, VALUES_END = 0x0e, GROUP = 6, I_AM = 0x4d, ON = 1 };

struct motion {
    struct bus_part part;
    uint8_t control;
    uint8_t held[VALUES_END - VALUES];
};

static const char *const quantities[] = {
    "acceleration x", "acceleration y", "acceleration z", "rotation x", "rotation y", "rotation z", NULL};

static void motion_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct motion *)state = (struct motion){.control = 0};
}

static void measure(struct motion *motion, const struct ta_slot *slot) {
    for (unsigned i = 0; i < (VALUES_END - VALUES) / 2; ++i) {
        int64_t milli = motion->control & ON ? ta_slot_sensed(slot, quantities[i], 0) : 0;
        uint16_t value = (uint16_t)(int16_t)(2 * i < GROUP ? milli : milli / 100);
        little_store(motion->held + 2 * i, 2, value);
    }
}

static uint8_t read_register(const struct motion *motion, uint8_t at) {
    return at == WHO                         ? I_AM
           : at == CONTROL                   ? motion->control
           : at >= VALUES && at < VALUES_END ? motion->held[at - VALUES]
                                             : 0;
}

static bool motion_transfer(void *state, struct ta_slot *slot, enum ta_transfer step, uint8_t *byte) {
    struct motion *motion = state;
    uint8_t at;
    if (step == TA_TRANSFER_READS)
        measure(motion, slot);
    if (!bus_part_step(&motion->part, step, byte, &at))
        return true;
    if (step == TA_TRANSFER_GIVE)
        *byte = read_register(motion, at);
    else if (at == CONTROL)
        motion->control = *byte & ON;
    return true;
}

static void motion_keep(void *state, struct ta_keeper *keeper) {
    struct motion *motion = state;
    bus_part_keep(&motion->part, keeper);
    TA_KEEP_ALL(keeper, motion->held);
    TA_KEEP(keeper, motion->control);
}

const struct ta_device_kind model_motion = {
    .version = TA_DEVICE_VERSION,
    .model = "motion",
    .summary = "a motion sensor on a bus of two wires",
    .state_bytes = sizeof(struct motion),
    .keep = motion_keep,
    .reset = motion_reset,
    .transfer = motion_transfer,
    .quantities = quantities,
};
