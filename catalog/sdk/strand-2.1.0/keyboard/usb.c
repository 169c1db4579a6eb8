#include "usb.h"

#include "../core/registers.h"

#include <board.h>
#include <strand/clock.h>
#include <strand/interrupts.h>
#include <string.h>

enum {
    CONTROL = 0x00,
    STATUS = 0x04,
    ADDRESS = 0x08,
    SETUP = 0x0c,
    READY0 = 0x14,
    READY1 = 0x18,
    BUFFER0 = 0x40,
    BUFFER1 = 0x80
};
enum {
    CONNECT = 1,
    INTERRUPTS = 2,
    CABLE = 1,
    RESET = 1 << 8,
    ASKED = 1 << 9,
    TAKEN0 = 1 << 10,
    TAKEN1 = 1 << 11,
    MOVED = 1 << 12
};
enum { READY = 1 << 7, REFUSED = 1 << 8, PACKET = 64, PATIENCE_US = 1000000 };

/* Requests (USB 2.0, 9.4; HID 1.11, 7.1 and 7.2): the first two bytes of a setup packet, the type lowest. */
enum {
    GET_STATUS = 0x0080,
    GET_DESCRIPTOR = 0x0680,
    GET_INTERFACE_DESCRIPTOR = 0x0681,
    SET_ADDRESS = 0x0500,
    GET_CONFIGURATION = 0x0880,
    SET_CONFIGURATION = 0x0900,
    SET_REPORT = 0x0921,
    SET_IDLE = 0x0a21,
    SET_PROTOCOL = 0x0b21,
};
enum { DEVICE = 1, CONFIGURATION = 2, STRING = 3, REPORT_DESCRIPTOR = 0x22 };

/* Its maker has no number. */
static const uint8_t device_descriptor[] = {18, DEVICE, 0x00, 0x02, 0,    0, 0, PACKET, 0,
                                            0,  1,      0,    0x00, 0x01, 1, 2, 0,      1};

/* The keys of a boot keyboard (HID 1.11, appendix B.1). */
static const uint8_t report_descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7,
                                            0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x95, 0x01,
                                            0x75, 0x08, 0x81, 0x01, 0x95, 0x06, 0x75, 0x08, 0x15, 0x00, 0x25, 0x65,
                                            0x05, 0x07, 0x19, 0x00, 0x29, 0x65, 0x81, 0x00, 0xc0};

/* One configuration: one interface, a boot keyboard; its report descriptor; one endpoint, asked every 8 ms. */
static const uint8_t configuration[] = {9,
                                        CONFIGURATION,
                                        34,
                                        0,
                                        1,
                                        1,
                                        0,
                                        0x80,
                                        50,
                                        9,
                                        4,
                                        0,
                                        0,
                                        1,
                                        3,
                                        1,
                                        1,
                                        0,
                                        9,
                                        0x21,
                                        0x11,
                                        0x01,
                                        0,
                                        1,
                                        REPORT_DESCRIPTOR,
                                        sizeof report_descriptor,
                                        0,
                                        7,
                                        5,
                                        0x81,
                                        3,
                                        8,
                                        0,
                                        8};

static const uint8_t languages[] = {4, STRING, 0x09, 0x04};
static const uint8_t maker[] = {24,  STRING, 'e', 0, 's', 0, 't', 0, 'u', 0, 'a', 0,
                                'r', 0,      'y', 0, ' ', 0, 'w', 0, 't', 0, 'c', 0};
static const uint8_t product[] = {18, STRING, 'l', 0, 'o', 0, 'g', 0, ' ', 0, 'k', 0, 'e', 0, 'y', 0, 's', 0};

static struct {
    const uint8_t *answer; /* what is still to be told */
    unsigned left;
    bool short_end;   /* an empty packet ends it */
    uint8_t address;  /* to be taken with the status, 0 for none */
    uint8_t small[2]; /* an answer of a byte or two */
} asked;

static volatile bool configured, reported;

static volatile uint32_t *usb(unsigned at) {
    return &REGISTER_32(BOARD_USB_BASE + at);
}

static void put(unsigned buffer, const uint8_t *bytes, unsigned length) {
    for (unsigned i = 0; i < length; i += 4) {
        uint32_t word = 0;
        memcpy(&word, bytes + i, length - i < 4 ? length - i : 4);
        *usb(buffer + i) = word;
    }
}

static void send_next(void) {
    unsigned length = asked.left < PACKET ? asked.left : PACKET;
    put(BUFFER0, asked.answer, length);
    asked.answer += length;
    asked.left -= length;
    asked.short_end = asked.short_end && length == PACKET;
    *usb(READY0) = READY | length;
}

static void tell(const uint8_t *bytes, unsigned length, unsigned wanted) {
    asked.answer = bytes;
    asked.left = length < wanted ? length : wanted;
    asked.short_end = length < wanted;
    send_next();
}

static void tell_descriptor(unsigned what, unsigned wanted) {
    static const struct {
        unsigned what;
        const uint8_t *bytes;
        unsigned length;
    } known[] = {{DEVICE << 8, device_descriptor, sizeof device_descriptor},
                 {CONFIGURATION << 8, configuration, sizeof configuration},
                 {REPORT_DESCRIPTOR << 8, report_descriptor, sizeof report_descriptor},
                 {STRING << 8, languages, sizeof languages},
                 {STRING << 8 | 1, maker, sizeof maker},
                 {STRING << 8 | 2, product, sizeof product}};
    for (unsigned i = 0; i < sizeof known / sizeof *known; ++i)
        if (known[i].what == what) {
            tell(known[i].bytes, known[i].length, wanted);
            return;
        }
    *usb(READY0) = REFUSED;
}

static void answer(void) {
    uint32_t low = *usb(SETUP), high = *usb(SETUP + 4);
    unsigned value = low >> 16, wanted = high >> 16;
    asked.left = 0;
    asked.address = 0;
    switch (low & 0xffff) {
    case GET_DESCRIPTOR:
    case GET_INTERFACE_DESCRIPTOR: tell_descriptor(value, wanted); return;
    case GET_STATUS:
        asked.small[0] = asked.small[1] = 0;
        tell(asked.small, 2, wanted);
        return;
    case GET_CONFIGURATION:
        asked.small[0] = configured;
        tell(asked.small, 1, wanted);
        return;
    case SET_ADDRESS: asked.address = value & 0x7f; break;
    case SET_CONFIGURATION: configured = value == 1; break;
    case SET_IDLE:
    case SET_PROTOCOL:
    case SET_REPORT: break;
    default: *usb(READY0) = REFUSED; return;
    }
    *usb(READY0) = READY; /* an empty packet for the status */
}

static void usb_interrupt(void *argument) {
    uint32_t status = *usb(STATUS);
    (void)argument;
    *usb(STATUS) = status;
    if (status & (RESET | MOVED))
        configured = false;
    if (status & TAKEN0 && asked.address)
        *usb(ADDRESS) = asked.address;
    if (status & TAKEN0 && !(status & ASKED) && (asked.left || asked.short_end))
        send_next();
    if (status & ASKED)
        answer();
    if (status & TAKEN1)
        reported = true;
}

void usb_open(void) {
    strand_interrupt_handle(BOARD_USB_INTERRUPT, usb_interrupt, 0);
    *usb(CONTROL) = CONNECT | INTERRUPTS;
}

bool usb_is_configured(void) {
    return configured;
}

bool usb_report(const uint8_t report[USB_REPORT_BYTES]) {
    uint64_t end_us = strand_clock_us() + PATIENCE_US;
    reported = false;
    put(BUFFER1, report, USB_REPORT_BYTES);
    *usb(READY1) = READY | USB_REPORT_BYTES;
    while (configured && !reported && strand_clock_us() < end_us)
        strand_clock_sleep(1000);
    return reported;
}
