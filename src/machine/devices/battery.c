/* A battery's gauge. 32-bit registers:

   0x00  CHARGE   read        tenths of a percent, 0 to 1000
   0x04  VOLTAGE  read        mV
   0x08  CURRENT  read        mA, two's complement: more than 0 while it is charged
   0x0c  ALARM    read/write  tenths of a percent
   0x10  CONTROL  read/write  bit 1: the interrupt is high while CHARGE is not above ALARM */
#include "machine/models.h"

enum { CHARGE = 0x00, VOLTAGE = 0x04, CURRENT = 0x08, ALARM = 0x0c, CONTROL = 0x10, INTERRUPTS = 2, FULL = 1000 };

struct battery {
    uint32_t alarm, control;
};

static uint32_t charge_of(const struct ta_slot *slot) {
    return (uint32_t)(ta_slot_sensed(slot, "charge", 0) / 100);
}

static void battery_update(const struct battery *battery, struct ta_slot *slot) {
    ta_slot_interrupt(slot, battery->control & INTERRUPTS && charge_of(slot) <= battery->alarm);
}

static void battery_sensed(void *state, struct ta_slot *slot, unsigned pin, uint64_t value) {
    (void)pin;
    (void)value;
    battery_update(state, slot);
}

static uint64_t battery_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct battery *battery = state;
    (void)size_bytes;
    switch (offset) {
    case CHARGE: return charge_of(slot);
    case VOLTAGE: return (uint32_t)ta_slot_sensed(slot, "battery voltage", 0);
    case CURRENT: return (uint32_t)ta_slot_sensed(slot, "battery current", 0);
    case ALARM: return battery->alarm;
    case CONTROL: return battery->control;
    default: return 0;
    }
}

static void battery_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct battery *battery = state;
    (void)size_bytes;
    if (offset == ALARM)
        battery->alarm = value < FULL ? (uint32_t)value : FULL;
    else if (offset == CONTROL)
        battery->control = value & INTERRUPTS;
    battery_update(battery, slot);
}

static void battery_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct battery *)state = (struct battery){0};
}

static void battery_keep(void *state, struct ta_keeper *keeper) {
    struct battery *battery = state;
    TA_KEEP(keeper, battery->alarm);
    TA_KEEP(keeper, battery->control);
}

static const char *const quantities[] = {"charge", "battery voltage", "battery current", NULL};

const struct ta_device_kind model_battery = {
    .version = TA_DEVICE_VERSION,
    .model = "battery",
    .summary = "a battery's gauge: charge, voltage and current",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct battery),
    .widths = 4,
    .read = battery_read,
    .write = battery_write,
    .reset = battery_reset,
    .sensed = battery_sensed,
    .quantities = quantities,
    .keep = battery_keep,
};
