/* A USB device controller of full speed, with endpoint 0 for control transfers and endpoint 1 for reports to the computer. 32-bit
   registers:

   0x00  CONTROL     read/write  bit 0: connected, which the computer sees; bit 1: the interrupt is high while any of STATUS' bits 12:8 is set
   0x04  STATUS      read/write  bit 0: a cable is there; bit 8: the computer resets the device; bit 9: a request is in SETUP; bit 10: what
                                 was ready at endpoint 0 was taken; bit 11: at endpoint 1; bit 12: the cable was plugged or pulled. Ones
                                 written clear bits 12:8
   0x08  ADDRESS     read/write  what the device answers to; 0 after a reset
   0x0c, 0x10  SETUP read        the eight bytes of the request, the first one lowest
   0x14  READY0      read/write  written: bits 6:0 how many bytes of BUFFER0 are ready at endpoint 0, with bit 7; bit 8: the request is refused.
                                 read: bit 7 until they are taken
   0x18  READY1      read/write  the same for endpoint 1 and BUFFER1
   0x1c  FRAME       read        milliseconds since the device was reset
   0x40 to 0x7f      BUFFER0     read/write  64 bytes
   0x80 to 0xbf      BUFFER1     read/write  64 bytes */
#include "base/little.h"
#include "machine/devices/usb.h"
#include "machine/models.h"

#include <string.h>

enum { CONTROL = 0x00, STATUS = 0x04, ADDRESS = 0x08, SETUP = 0x0c, READY0 = 0x14, READY1 = 0x18, FRAME = 0x1c };
enum { BUFFER0 = 0x40, BUFFER1 = 0x80, BUFFERS_END = 0xc0 };
enum { CABLE = 1, PENDING = 0x1f00, ARMED = 1 << 7, STALL = 1 << 8, ADDRESS_MOST = 127, FRAMES_PER_S = 1000 };

static void usb_update(struct usb *usb, struct ta_slot *slot) {
    ta_slot_interrupt(slot, usb->control & USB_INTERRUPTS && usb->pending);
}

static bool is_connected(const struct usb *usb) {
    return usb->plugged && usb->control & USB_CONNECT;
}

static void next_frame(struct ta_slot *slot) {
    ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + ta_slot_clock_hz(slot) / FRAMES_PER_S);
}

static void usb_wake(void *state, struct ta_slot *slot) {
    struct usb *usb = state;
    if (!is_connected(usb))
        return;
    ++usb->frame;
    usb_computer_frame(usb, slot);
    usb_update(usb, slot);
    next_frame(slot);
}

/* The computer begins to see the device, or sees it no more. */
static void connect(struct usb *usb, struct ta_slot *slot, bool was) {
    if (is_connected(usb) == was)
        return;
    usb_computer_detach(usb, slot);
    if (!was)
        next_frame(slot);
}

static void usb_sensed(void *state, struct ta_slot *slot, unsigned pin, uint64_t value) {
    struct usb *usb = state;
    bool was = is_connected(usb);
    (void)pin;
    usb->pending |= usb->plugged != (value != 0) ? USB_CABLE : 0;
    usb->plugged = value != 0;
    connect(usb, slot, was);
    usb_update(usb, slot);
}

static uint32_t word_at(const uint8_t *bytes) {
    return (uint32_t)little_load(bytes, 4);
}

static uint8_t *buffer_at(struct usb *usb, uint64_t offset) {
    return offset < BUFFER1 ? usb->control_in.bytes + (offset - BUFFER0) : usb->interrupt_in.bytes + (offset - BUFFER1);
}

static uint32_t ready_of(const struct usb_endpoint *endpoint) {
    return endpoint->length | (endpoint->armed ? ARMED : 0u) | (endpoint->stalled ? STALL : 0u);
}

static void make_ready(struct usb_endpoint *endpoint, uint32_t word) {
    endpoint->length = (word & 0x7f) <= USB_PACKET ? word & 0x7f : USB_PACKET;
    endpoint->armed = (word & ARMED) != 0;
    endpoint->stalled = (word & STALL) != 0;
}

static uint64_t usb_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct usb *usb = state;
    (void)slot;
    (void)size_bytes;
    if (offset >= BUFFER0 && offset < BUFFERS_END)
        return word_at(buffer_at(usb, offset));
    switch (offset) {
    case CONTROL: return usb->control;
    case STATUS: return usb->pending | (usb->plugged ? CABLE : 0u);
    case ADDRESS: return usb->address;
    case SETUP: return word_at(usb->setup);
    case SETUP + 4: return word_at(usb->setup + 4);
    case READY0: return ready_of(&usb->control_in);
    case READY1: return ready_of(&usb->interrupt_in);
    case FRAME: return usb->frame;
    default: return 0;
    }
}

static void usb_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct usb *usb = state;
    uint32_t word = (uint32_t)value;
    bool was = is_connected(usb);
    (void)size_bytes;
    if (offset >= BUFFER0 && offset < BUFFERS_END)
        for (unsigned i = 0; i < 4; ++i)
            buffer_at(usb, offset)[i] = (uint8_t)(word >> 8 * i);
    switch (offset) {
    case CONTROL:
        usb->control = word & (USB_CONNECT | USB_INTERRUPTS);
        connect(usb, slot, was);
        break;
    case STATUS: usb->pending &= ~(word & PENDING); break;
    case ADDRESS: usb->address = word & ADDRESS_MOST; break;
    case READY0: make_ready(&usb->control_in, word); break;
    case READY1: make_ready(&usb->interrupt_in, word); break;
    default: break;
    }
    usb_update(usb, slot);
}

/* The cable stays as it is; the computer sees a device that is gone. */
static void usb_reset(void *state, struct ta_slot *slot) {
    struct usb *usb = state;
    usb_computer_detach(usb, slot);
    *usb = (struct usb){.plugged = usb->plugged};
}

static void keep_endpoint(struct usb_endpoint *endpoint, struct ta_keeper *keeper) {
    TA_KEEP_ALL(keeper, endpoint->bytes);
    TA_KEEP(keeper, endpoint->length);
    TA_KEEP(keeper, endpoint->armed);
    TA_KEEP(keeper, endpoint->stalled);
}

static void usb_keep(void *state, struct ta_keeper *keeper) {
    struct usb *usb = state;
    uint8_t *const bytes[] = {&usb->plugged, &usb->phase,    &usb->request,   &usb->stage,
                              &usb->packet,  &usb->interval, &usb->since_poll};
    TA_KEEP(keeper, usb->control);
    TA_KEEP(keeper, usb->address);
    TA_KEEP(keeper, usb->pending);
    TA_KEEP(keeper, usb->frame);
    TA_KEEP_ALL(keeper, usb->setup);
    keep_endpoint(&usb->control_in, keeper);
    keep_endpoint(&usb->interrupt_in, keeper);
    for (size_t i = 0; i < sizeof bytes / sizeof *bytes; ++i)
        TA_KEEP(keeper, *bytes[i]);
    TA_KEEP(keeper, usb->waited);
    TA_KEEP(keeper, usb->got);
    TA_KEEP(keeper, usb->total);
    TA_KEEP_ALL(keeper, usb->answer);
    TA_KEEP_ALL(keeper, usb->report);
}

static bool usb_is_sound(const void *state, const struct ta_slot *slot) {
    const struct usb *usb = state;
    (void)slot;
    return usb->control_in.length <= USB_PACKET && usb->interrupt_in.length <= USB_PACKET && usb_computer_is_sound(usb);
}

const struct ta_device_kind model_usb_device = {
    .version = TA_DEVICE_VERSION,
    .model = "usb-device",
    .summary = "a USB device controller, with a computer at the other end of the cable",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct usb),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = usb_read,
    .write = usb_write,
    .reset = usb_reset,
    .wake = usb_wake,
    .sensed = usb_sensed,
    .keep = usb_keep,
    .is_sound = usb_is_sound,
    .is_cable = true,
};
