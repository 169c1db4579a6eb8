/* A radio that carries messages of text, 1 to 160 bytes each. 32-bit registers:

   0x00  CONTROL  read/write  bit 0: on; bit 1: the interrupt is high while a message waits or SENT is set
   0x04  STATUS   read/write  bit 0: a message waits; bit 1: one is on its way out; bit 2: SENT, one has gone out, a one written clears it
   0x08  LENGTH   read        bytes of the oldest message that waits, 0 when none does
   0x0c  TAKE     read        the next byte of that message, 0 behind its end
                  write       done with it: the next one is the oldest
   0x10  PUT      write       one byte more of the message to send; dropped while one is on its way out, and when there are 160
   0x14  SEND     write       1 sends what was put, 0 forgets it
   0x18  LOST     read        how many messages came and found no room: four can wait

   Off, it hears nothing. Options: `rate`, bytes a second on the way out (1200). */
#include "base/scale.h"
#include "machine/models.h"

#include <string.h>

enum { CONTROL = 0x00, STATUS = 0x04, LENGTH = 0x08, TAKE = 0x0c, PUT = 0x10, SEND = 0x14, LOST = 0x18 };
enum { ON = 1, INTERRUPTS = 2, WAITS = 1, SENDS = 2, SENT = 4, ROOM = 4, RATE_DEFAULT = 1200 };

struct radio {
    uint32_t control, sent, lost, waiting, taken, put, sending;
    uint32_t lengths[ROOM];
    uint8_t messages[ROOM][TA_MESSAGE_BYTES];
    uint8_t out[TA_MESSAGE_BYTES];
};

static void radio_update(const struct radio *radio, struct ta_slot *slot) {
    ta_slot_interrupt(slot, radio->control & INTERRUPTS && (radio->waiting || radio->sent));
}

static bool radio_heard(void *state, struct ta_slot *slot, const uint8_t *text, size_t length) {
    struct radio *radio = state;
    if (!(radio->control & ON))
        return false;
    if (radio->waiting == ROOM) {
        ++radio->lost;
        return false;
    }
    memcpy(radio->messages[radio->waiting], text, length);
    radio->lengths[radio->waiting++] = (uint32_t)length;
    radio_update(radio, slot);
    return true;
}

static void drop_oldest(struct radio *radio) {
    if (!radio->waiting)
        return;
    --radio->waiting;
    memmove(radio->messages, radio->messages + 1, radio->waiting * sizeof *radio->messages);
    memmove(radio->lengths, radio->lengths + 1, radio->waiting * sizeof *radio->lengths);
    radio->taken = 0;
}

static uint8_t take(struct radio *radio) {
    return radio->waiting && radio->taken < radio->lengths[0] ? radio->messages[0][radio->taken++] : 0;
}

static void send(struct radio *radio, struct ta_slot *slot, bool wanted) {
    uint64_t rate = ta_slot_option(slot, "rate", RATE_DEFAULT);
    if (radio->sending)
        return;
    if (!wanted || !(radio->control & ON))
        radio->put = 0;
    radio->sending = radio->put;
    if (radio->sending)
        ta_slot_wake_at(slot, ta_slot_now(slot) + 1 +
                                  scale_floor(radio->sending, ta_slot_clock_hz(slot), rate ? rate : RATE_DEFAULT));
}

/* It is out. */
static void radio_wake(void *state, struct ta_slot *slot) {
    struct radio *radio = state;
    uint32_t length = radio->sending;
    radio->sending = radio->put = 0;
    radio->sent = SENT;
    radio_update(radio, slot);
    ta_slot_sent(slot, radio->out, length);
}

static uint64_t radio_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct radio *radio = state;
    (void)slot;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return radio->control;
    case STATUS: return (radio->waiting ? WAITS : 0) | (radio->sending ? SENDS : 0) | radio->sent;
    case LENGTH: return radio->waiting ? radio->lengths[0] : 0;
    case TAKE: return take(radio);
    case LOST: return radio->lost;
    default: return 0;
    }
}

static void radio_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct radio *radio = state;
    (void)size_bytes;
    if (offset == CONTROL)
        radio->control = value & (ON | INTERRUPTS);
    else if (offset == STATUS)
        radio->sent &= ~(uint32_t)value;
    else if (offset == TAKE)
        drop_oldest(radio);
    else if (offset == PUT && !radio->sending && radio->put < TA_MESSAGE_BYTES)
        radio->out[radio->put++] = (uint8_t)value;
    else if (offset == SEND)
        send(radio, slot, value & 1);
    radio_update(radio, slot);
}

static void radio_reset(void *state, struct ta_slot *slot) {
    (void)slot;
    *(struct radio *)state = (struct radio){0};
}

static void radio_keep(void *state, struct ta_keeper *keeper) {
    struct radio *radio = state;
    uint32_t *const registers[] = {&radio->control, &radio->sent, &radio->lost,   &radio->waiting,
                                   &radio->taken,   &radio->put,  &radio->sending};
    for (size_t i = 0; i < sizeof registers / sizeof *registers; ++i)
        TA_KEEP(keeper, *registers[i]);
    TA_KEEP_ALL(keeper, radio->lengths);
    ta_keep(keeper, radio->messages, sizeof radio->messages, 1);
    TA_KEEP_ALL(keeper, radio->out);
}

static bool radio_is_sound(const void *state, const struct ta_slot *slot) {
    const struct radio *radio = state;
    bool sound = !(radio->sent & ~(uint32_t)SENT) && radio->waiting <= ROOM && radio->put <= TA_MESSAGE_BYTES &&
                 radio->sending <= radio->put;
    (void)slot;
    for (size_t i = 0; i < ROOM; ++i)
        sound = sound && radio->lengths[i] <= TA_MESSAGE_BYTES;
    return sound && radio->taken <= TA_MESSAGE_BYTES;
}

const struct ta_device_kind model_radio = {
    .version = TA_DEVICE_VERSION,
    .model = "radio",
    .summary = "a radio that carries messages of text",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct radio),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = radio_read,
    .write = radio_write,
    .reset = radio_reset,
    .wake = radio_wake,
    .heard = radio_heard,
    .keep = radio_keep,
    .is_sound = radio_is_sound,
};
