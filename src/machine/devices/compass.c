/* A compass on a bus. Registers of a byte:

   0x00        WHO      read        0x43
   0x01        CONTROL  read/write  bit 0: on; off, it measures nothing
   0x02, 0x03  HEADING  read        tenths of a degree, 0 to 3599, the low byte first, as it was when the read began */
#include "machine/devices/bus_part.h"
#include "machine/models.h"

enum { WHO = 0x00, CONTROL = 0x01, HEADING = 0x02, I_AM = 0x43, ON = 1 };

struct compass {
    struct bus_part part;
    uint8_t control;
    uint16_t heading;
};

static void compass_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct compass *)state = (struct compass){.control = 0};
}

static uint8_t read_register(const struct compass *compass, uint8_t at) {
    switch (at) {
    case WHO: return I_AM;
    case CONTROL: return compass->control;
    case HEADING: return (uint8_t)compass->heading;
    case HEADING + 1: return (uint8_t)(compass->heading >> 8);
    default: return 0;
    }
}

static bool compass_transfer(void *state, struct ta_slot *slot, enum ta_transfer step, uint8_t *byte) {
    struct compass *compass = state;
    uint8_t at;
    if (step == TA_TRANSFER_READS)
        compass->heading = (uint16_t)(compass->control & ON ? ta_slot_sensed(slot, "heading", 0) / 100 % 3600 : 0);
    if (!bus_part_step(&compass->part, step, byte, &at))
        return true;
    if (step == TA_TRANSFER_GIVE)
        *byte = read_register(compass, at);
    else if (at == CONTROL)
        compass->control = *byte & ON;
    return true;
}

static const char *const quantities[] = {"heading", NULL};

static void compass_keep(void *state, struct ta_keeper *keeper) {
    struct compass *compass = state;
    bus_part_keep(&compass->part, keeper);
    TA_KEEP(keeper, compass->control);
    TA_KEEP(keeper, compass->heading);
}

const struct ta_device_kind model_compass = {
    .version = TA_DEVICE_VERSION,
    .model = "compass",
    .summary = "a compass on a bus of two wires",
    .state_bytes = sizeof(struct compass),
    .keep = compass_keep,
    .reset = compass_reset,
    .transfer = compass_transfer,
    .quantities = quantities,
};
