/* A touch panel: what a finger does, one thing after another, in points of the screen beneath. 32-bit registers:

   0x00  CONTROL  read/write  bit 0: on; bit 1: the interrupt is high while something waits
   0x04  EVENT    read        takes the oldest thing that waits: bits 31:30 what it is, 0 nothing, 1 press, 2 move, 3 release; bits 29:15 row,
                              bits 14:0 column
   0x08  WAITING  read        how many wait. 16 have room: a move then takes the place of the move before it, what else comes is lost
   0x0c  POINT    read        bit 31: a finger is there; row and column as above

   Options: `width` and `height`, the screen's. */
#include "machine/models.h"
#include "tameanchor/machine.h"

#include <string.h>

enum { CONTROL = 0x00, EVENT = 0x04, WAITING = 0x08, POINT = 0x0c, ON = 1, INTERRUPTS = 2, ROOM = 16 };
enum { PRESS = 1, MOVE = 2, RELEASE = 3, KIND = 30, ROW = 15, SIDE_MASK = 0x7fff };
#define FINGER (UINT32_C(1) << 31)

struct touch {
    uint32_t control, count;
    uint32_t point; /* as the register has it */
    uint32_t events[ROOM];
};

static void touch_update(struct touch *touch, struct ta_slot *slot) {
    ta_slot_interrupt(slot, touch->control & INTERRUPTS && touch->count);
}

static void add(struct touch *touch, uint32_t kind, uint32_t point) {
    uint32_t event = kind << KIND | (point & ~FINGER);
    if (touch->count == ROOM && (kind != MOVE || touch->events[ROOM - 1] >> KIND != MOVE))
        return;
    touch->count -= touch->count == ROOM;
    touch->events[touch->count++] = event;
}

static uint32_t point_of(uint64_t value) {
    return FINGER | (uint32_t)TA_TOUCH_Y(value) << ROW | (uint32_t)TA_TOUCH_X(value);
}

static void touch_sensed(void *state, struct ta_slot *slot, unsigned pin, uint64_t value) {
    struct touch *touch = state;
    bool was = touch->point & FINGER, is = value != 0;
    (void)pin;
    if (touch->control & ON && (was || is))
        add(touch, is ? was ? MOVE : PRESS : RELEASE, is ? point_of(value) : touch->point);
    touch->point = is ? point_of(value) : 0;
    touch_update(touch, slot);
}

static uint32_t take(struct touch *touch, struct ta_slot *slot) {
    uint32_t event = touch->events[0];
    if (!touch->count)
        return 0;
    memmove(touch->events, touch->events + 1, --touch->count * sizeof *touch->events);
    touch_update(touch, slot);
    return event;
}

static uint64_t touch_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct touch *touch = state;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return touch->control;
    case EVENT: return take(touch, slot);
    case WAITING: return touch->count;
    case POINT: return touch->control & ON ? touch->point : 0;
    default: return 0;
    }
}

static void touch_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct touch *touch = state;
    (void)size_bytes;
    if (offset == CONTROL)
        touch->control = value & (ON | INTERRUPTS);
    touch_update(touch, slot);
}

/* The finger stays where it is. */
static void touch_reset(void *state, struct ta_slot *slot) {
    struct touch *touch = state;
    (void)slot;
    *touch = (struct touch){.point = touch->point};
}

static void touch_keep(void *state, struct ta_keeper *keeper) {
    struct touch *touch = state;
    TA_KEEP(keeper, touch->control);
    TA_KEEP(keeper, touch->count);
    TA_KEEP(keeper, touch->point);
    TA_KEEP_ALL(keeper, touch->events);
}

static bool touch_is_sound(const void *state, const struct ta_slot *slot) {
    (void)slot;
    return ((const struct touch *)state)->count <= ROOM;
}

const struct ta_device_kind model_touch = {
    .version = TA_DEVICE_VERSION,
    .model = "touch",
    .summary = "a touch panel before a screen",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct touch),
    .widths = 4,
    .steady = (const uint64_t[]){WAITING},
    .steady_count = 1,
    .read = touch_read,
    .write = touch_write,
    .reset = touch_reset,
    .sensed = touch_sensed,
    .keep = touch_keep,
    .is_sound = touch_is_sound,
};
