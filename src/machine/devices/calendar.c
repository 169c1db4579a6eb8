/* A clock with a battery of its own: seconds since 1970, UTC, as somebody has set it or the program has. 32-bit registers:

   0x00  SECONDS   read/write  reading takes the other two as they are at this instant; writing sets the clock, with UPPER as written before
   0x04  UPPER     read/write  bits 63:32 of the seconds
   0x08  MILLI     read        0 to 999
   0x0c  ALARM     read/write  lower half of the second at which the alarm comes
   0x10  CONTROL   read/write  bit 0: there is an alarm; bit 1: the interrupt is high while RUNG is set
   0x14  STATUS    read/write  bit 0: RUNG, a one written clears it */
#include "base/scale.h"
#include "machine/models.h"

enum { SECONDS = 0x00, UPPER = 0x04, MILLI = 0x08, ALARM = 0x0c, CONTROL = 0x10, STATUS = 0x14 };
enum { ARMED = 1, INTERRUPTS = 2, RUNG = 1, MILLI_PER_S = 1000 };

struct calendar {
    uint64_t set_ms, since; /* what it was set to, and at which cycle */
    uint64_t desk_ms;       /* as it was set from outside last */
    uint64_t read_ms;       /* when SECONDS was read */
    uint32_t upper, alarm, control, status;
};

static uint64_t now_ms(const struct calendar *calendar, const struct ta_slot *slot) {
    return calendar->set_ms + scale_floor(ta_slot_now(slot) - calendar->since, MILLI_PER_S, ta_slot_clock_hz(slot));
}

/* The alarm comes with the next second whose lower half is ALARM. */
static void calendar_update(struct calendar *calendar, struct ta_slot *slot) {
    uint64_t wake = UINT64_MAX, ms = now_ms(calendar, slot);
    uint32_t left_s = calendar->alarm - (uint32_t)(ms / MILLI_PER_S);
    if (calendar->control & ARMED && left_s && left_s <= INT32_MAX) {
        uint64_t at_ms = (ms / MILLI_PER_S + left_s) * MILLI_PER_S;
        wake = calendar->since + scale_ceiling(at_ms - calendar->set_ms, ta_slot_clock_hz(slot), MILLI_PER_S);
    }
    ta_slot_interrupt(slot, calendar->control & INTERRUPTS && calendar->status & RUNG);
    ta_slot_wake_at(slot, wake);
}

static void set(struct calendar *calendar, struct ta_slot *slot, uint64_t ms) {
    calendar->set_ms = ms;
    calendar->since = ta_slot_now(slot);
    calendar_update(calendar, slot);
}

/* A reset asks for it again, and changes nothing; a power-on begins with what the desk says. */
static void calendar_sensed(void *state, struct ta_slot *slot, unsigned pin, uint64_t value) {
    struct calendar *calendar = state;
    (void)pin;
    if (calendar->desk_ms == value && ta_slot_now(slot))
        return;
    calendar->desk_ms = value;
    set(calendar, slot, value);
}

static void calendar_wake(void *state, struct ta_slot *slot) {
    struct calendar *calendar = state;
    calendar->status = RUNG;
    calendar_update(calendar, slot);
}

static uint64_t calendar_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct calendar *calendar = state;
    (void)size_bytes;
    switch (offset) {
    case SECONDS: calendar->read_ms = now_ms(calendar, slot); return (uint32_t)(calendar->read_ms / MILLI_PER_S);
    case UPPER: return (uint32_t)(calendar->read_ms / MILLI_PER_S >> 32);
    case MILLI: return calendar->read_ms % MILLI_PER_S;
    case ALARM: return calendar->alarm;
    case CONTROL: return calendar->control;
    case STATUS: return calendar->status;
    default: return 0;
    }
}

static void calendar_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct calendar *calendar = state;
    uint32_t word = (uint32_t)value;
    (void)size_bytes;
    switch (offset) {
    case SECONDS: set(calendar, slot, ((uint64_t)(calendar->upper & 0xffff) << 32 | word) * MILLI_PER_S); break;
    case UPPER: calendar->upper = word; break;
    case ALARM: calendar->alarm = word; break;
    case CONTROL: calendar->control = word & (ARMED | INTERRUPTS); break;
    case STATUS: calendar->status &= ~(word & RUNG); break;
    default: break;
    }
    calendar_update(calendar, slot);
}

/* It goes on; the alarm does not. */
static void calendar_reset(void *state, struct ta_slot *slot) {
    struct calendar *calendar = state;
    calendar->upper = calendar->alarm = calendar->control = calendar->status = 0;
    if (!ta_slot_now(slot))
        calendar->since = 0;
    calendar_update(calendar, slot);
}

static void calendar_keep(void *state, struct ta_keeper *keeper) {
    struct calendar *calendar = state;
    TA_KEEP(keeper, calendar->set_ms);
    TA_KEEP(keeper, calendar->since);
    TA_KEEP(keeper, calendar->desk_ms);
    TA_KEEP(keeper, calendar->read_ms);
    TA_KEEP(keeper, calendar->upper);
    TA_KEEP(keeper, calendar->alarm);
    TA_KEEP(keeper, calendar->control);
    TA_KEEP(keeper, calendar->status);
}

/* Times that can be: what a counter of that width may reach in this age of the world. */
static bool calendar_is_sound(const void *state, const struct ta_slot *slot) {
    const struct calendar *calendar = state;
    (void)slot;
    return calendar->set_ms < UINT64_MAX / 8 && calendar->since < UINT64_MAX / 8;
}

static const char *const quantities[] = {"date", NULL};

const struct ta_device_kind model_calendar = {
    .version = TA_DEVICE_VERSION,
    .model = "calendar",
    .summary = "a clock with a battery of its own: date and time",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct calendar),
    .widths = 4,
    .read = calendar_read,
    .write = calendar_write,
    .reset = calendar_reset,
    .wake = calendar_wake,
    .sensed = calendar_sensed,
    .quantities = quantities,
    .keep = calendar_keep,
    .is_sound = calendar_is_sound,
};
