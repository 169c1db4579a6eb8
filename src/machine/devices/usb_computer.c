#include "machine/devices/usb.h"

#include "base/digest.h"

#include <stdio.h>
#include <string.h>

/* How long what takes, in milliseconds (USB 2.0, 7.1.7.3, 7.1.7.5, 9.2.6). */
enum { DEBOUNCE = 100, RESET_TIME = 10, RECOVERY = 10, PATIENCE = 1000 };

enum { DETACHED, SETTLING, RESETTING, RECOVERING, ASKING, CONFIGURED, REFUSED, PHASES };
enum { SEND_SETUP, TAKE_DATA, AWAIT_STATUS, STAGES };

/* What the computer asks of a new device, in this order. One that it MUST answer is refused when it does not. */
static const struct request {
    uint8_t bytes[8];
    bool must;
    const char *what;
} requests[] = {
    {{0x80, 6, 0, 1, 0, 0, 8, 0}, true, "the beginning of its device descriptor"},
    {{0x00, 5, 1, 0, 0, 0, 0, 0}, true, "an address"},
    {{0x80, 6, 0, 1, 0, 0, 18, 0}, true, "its device descriptor"},
    {{0x80, 6, 0, 2, 0, 0, 9, 0}, true, "the beginning of its configuration"},
    {{0x80, 6, 0, 2, 0, 0, 0, 0}, true, "its configuration"},
    {{0x00, 9, 0, 0, 0, 0, 0, 0}, true, "to be configured"},
    {{0x21, 11, 0, 0, 0, 0, 0, 0}, false, "to use the boot protocol"},
    {{0x21, 10, 0, 0, 0, 0, 0, 0}, false, "to be quiet while nothing changes"},
};
enum { REQUESTS = sizeof requests / sizeof *requests };
enum { ASK_BEGINNING, ASK_ADDRESS, ASK_DEVICE, ASK_TOTAL, ASK_CONFIGURATION, ASK_CONFIGURE };
enum { OUR_ADDRESS = 1, DEVICE_BYTES = 18, HEAD_BYTES = 9 };

void usb_computer_detach(struct usb *usb, struct ta_slot *slot) {
    if (usb->phase == CONFIGURED || usb->phase == REFUSED)
        ta_slot_cable(slot, TA_CABLE_GONE, NULL);
    usb->phase = usb->plugged && usb->control & USB_CONNECT ? SETTLING : DETACHED;
    usb->waited = 0;
    memset(usb->report, 0, sizeof usb->report);
}

static void refuse(struct usb *usb, struct ta_slot *slot, const char *why, const char *what) {
    char text[96];
    snprintf(text, sizeof text, "%s%s", why, what);
    usb->phase = REFUSED;
    ta_slot_cable(slot, TA_CABLE_REFUSED, text);
}

static void begin_request(struct usb *usb, uint8_t request) {
    usb->request = request;
    usb->stage = SEND_SETUP;
    usb->waited = usb->got = 0;
}

static unsigned word_at(const uint8_t *bytes) {
    return bytes[0] | (unsigned)bytes[1] << 8;
}

/* The bytes of the request, with what the answers before have told. */
static void fill_request(const struct usb *usb, uint8_t bytes[8]) {
    memcpy(bytes, requests[usb->request].bytes, 8);
    if (usb->request == ASK_CONFIGURATION) {
        bytes[6] = (uint8_t)usb->total;
        bytes[7] = (uint8_t)(usb->total >> 8);
    }
    if (usb->request == ASK_CONFIGURE)
        bytes[2] = usb->answer[5];
}

static unsigned wanted(const struct usb *usb) {
    uint8_t bytes[8];
    fill_request(usb, bytes);
    return bytes[0] & 0x80 ? word_at(bytes + 6) : 0;
}

static void send_setup(struct usb *usb) {
    fill_request(usb, usb->setup);
    usb->control_in.armed = usb->control_in.stalled = 0;
    usb->pending |= USB_SETUP;
    usb->stage = wanted(usb) ? TAKE_DATA : AWAIT_STATUS;
}

/* Whether the device hears the computer. It gets its address with the status of the request that sets it. */
static bool is_heard(const struct usb *usb) {
    return usb->address == (usb->request > ASK_ADDRESS ? OUR_ADDRESS : 0) ||
           (usb->request == ASK_ADDRESS && usb->address == OUR_ADDRESS);
}

/* An interface of a boot keyboard with an endpoint that reports (HID 1.11, appendix B). */
static const uint8_t *find_keyboard(struct usb *usb) {
    const uint8_t *interface = NULL;
    for (unsigned at = HEAD_BYTES; at + 2 <= usb->got && usb->answer[at] >= 2; at += usb->answer[at]) {
        const uint8_t *each = usb->answer + at;
        if (at + each[0] > usb->got)
            return NULL;
        if (each[1] == 4 && each[0] >= 9)
            interface = each[5] == 3 && each[6] == 1 && each[7] == 1 ? each : NULL;
        if (each[1] == 5 && each[0] >= 7 && interface && each[2] == 0x81 && (each[3] & 3) == 3)
            return each;
    }
    return NULL;
}

/* Looks at the answer to the request that is done; false when the device is refused. */
static bool take_answer(struct usb *usb, struct ta_slot *slot) {
    const uint8_t *answer = usb->answer;
    static const char told[] = "it tells no sound ";
    bool sound = usb->got == wanted(usb);
    switch (usb->request) {
    case ASK_BEGINNING:
        usb->packet = answer[7];
        sound = sound && answer[1] == 1 &&
                (usb->packet == 8 || usb->packet == 16 || usb->packet == 32 || usb->packet == 64);
        break;
    case ASK_DEVICE: sound = sound && answer[0] == DEVICE_BYTES && answer[1] == 1 && answer[17] >= 1; break;
    case ASK_TOTAL:
        usb->total = (uint16_t)word_at(answer + 2);
        sound =
            sound && answer[0] == HEAD_BYTES && answer[1] == 2 && usb->total >= HEAD_BYTES && usb->total <= USB_ANSWER;
        break;
    case ASK_CONFIGURATION:
        if (sound && !find_keyboard(usb)) {
            refuse(usb, slot, "it is no keyboard that this computer knows: no interface of a boot keyboard", "");
            return false;
        }
        usb->interval = sound && find_keyboard(usb)[6] ? find_keyboard(usb)[6] : 1;
        break;
    default: break;
    }
    if (!sound)
        refuse(usb, slot, told, requests[usb->request].what + 4);
    return sound;
}

static void end_request(struct usb *usb, struct ta_slot *slot) {
    if (!take_answer(usb, slot))
        return;
    if (usb->request + 1 < REQUESTS) {
        begin_request(usb, (uint8_t)(usb->request + 1));
        return;
    }
    usb->phase = CONFIGURED;
    usb->since_poll = 0;
    ta_slot_cable(slot, TA_CABLE_KEYBOARD, "a keyboard");
}

/* One transaction with endpoint 0. */
static void ask(struct usb *usb, struct ta_slot *slot) {
    struct usb_endpoint *endpoint = &usb->control_in;
    unsigned left = wanted(usb) - usb->got, most = usb->packet ? usb->packet : 8;
    if (usb->stage == SEND_SETUP && is_heard(usb)) {
        send_setup(usb);
        return;
    }
    if (endpoint->stalled && usb->stage != SEND_SETUP) {
        if (requests[usb->request].must)
            refuse(usb, slot, "it refuses to tell or take ", requests[usb->request].what);
        else
            end_request(usb, slot);
        return;
    }
    if (usb->stage == SEND_SETUP || !endpoint->armed) {
        if (++usb->waited > PATIENCE)
            refuse(usb, slot, "it does not answer when asked for ", requests[usb->request].what);
        return;
    }
    unsigned length = endpoint->length < most ? endpoint->length : most;
    endpoint->armed = 0;
    usb->pending |= USB_CONTROL_TAKEN;
    usb->waited = 0;
    if (usb->stage == AWAIT_STATUS) {
        end_request(usb, slot);
        return;
    }
    length = length < left ? length : left;
    length = usb->got + length <= USB_ANSWER ? length : (unsigned)USB_ANSWER - usb->got;
    memcpy(usb->answer + usb->got, endpoint->bytes, length);
    usb->got = (uint16_t)(usb->got + length);
    if (length < most || usb->got >= wanted(usb)) /* its last packet */
        end_request(usb, slot);
}

/* Keys: what usage 0x04 and those behind it write, plain, with shift, and with the right alt key (HID usage tables, page 7). A null writes
   nothing. */
enum { FIRST_KEY = 0x04, KEYS = 0x39 - FIRST_KEY, NON_US_KEY = 0x64 };
struct layout {
    const char *name;
    const char *plain[KEYS], *shift[KEYS], *alt[KEYS];
    const char *non_us[3];
};

#define LETTERS_LOW(y, z)                                                                                              \
    "a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k", "l", "m", "n", "o", "p", "q", "r", "s", "t", "u", "v", "w", \
        "x", y, z
#define LETTERS_HIGH(y, z)                                                                                             \
    "A", "B", "C", "D", "E", "F", "G", "H", "I", "J", "K", "L", "M", "N", "O", "P", "Q", "R", "S", "T", "U", "V", "W", \
        "X", y, z
#define DIGITS "1", "2", "3", "4", "5", "6", "7", "8", "9", "0"
/* enter, escape, backspace, tab, space */
#define EDITING "\n", NULL, "\b", "\t", " "

static const struct layout layouts[] = {
    {"us",
     {LETTERS_LOW("y", "z"), DIGITS, EDITING, "-", "=", "[", "]", "\\", "\\", ";", "'", "`", ",", ".", "/"},
     {LETTERS_HIGH("Y", "Z"),
      "!",
      "@",
      "#",
      "$",
      "%",
      "^",
      "&",
      "*",
      "(",
      ")",
      EDITING,
      "_",
      "+",
      "{",
      "}",
      "|",
      "|",
      ":",
      "\"",
      "~",
      "<",
      ">",
      "?"},
     {NULL},
     {"\\", "|", NULL}},
    {"de",
     {LETTERS_LOW("z", "y"), DIGITS, EDITING, "\u00df", "\u00b4", "\u00fc", "+", "#", "#", "\u00f6", "\u00e4", "^", ",",
      ".", "-"},
     {LETTERS_HIGH("Z", "Y"),
      "!",
      "\"",
      "\u00a7",
      "$",
      "%",
      "&",
      "/",
      "(",
      ")",
      "=",
      EDITING,
      "?",
      "`",
      "\u00dc",
      "*",
      "'",
      "'",
      "\u00d6",
      "\u00c4",
      "\u00b0",
      ";",
      ":",
      "_"},
     {[0x08 - FIRST_KEY] = "\u20ac",
      [0x10 - FIRST_KEY] = "\u00b5",
      [0x14 - FIRST_KEY] = "@",
      [0x1f - FIRST_KEY] = "\u00b2",
      [0x20 - FIRST_KEY] = "\u00b3",
      [0x24 - FIRST_KEY] = "{",
      [0x25 - FIRST_KEY] = "[",
      [0x26 - FIRST_KEY] = "]",
      [0x27 - FIRST_KEY] = "}",
      [0x2d - FIRST_KEY] = "\\",
      [0x30 - FIRST_KEY] = "~"},
     {"<", ">", "|"}},
};

/* The layout that the computer is set to: the switch "keyboard layout" of the desk, else the first. */
static const struct layout *layout_of(const struct ta_slot *slot) {
    const char *name = ta_slot_switch(slot, "keyboard layout");
    for (size_t i = 0; name && i < sizeof layouts / sizeof *layouts; ++i)
        if (!strcmp(layouts[i].name, name))
            return &layouts[i];
    return layouts;
}

enum {
    SHIFTS = 0x22,
    ALT = 0x40,
    COMMANDS = 0x9d
}; /* of the modifiers: with control, left alt or logo, a key writes nothing */

static const char *written_by(const struct layout *layout, uint8_t modifiers, uint8_t key) {
    bool shift = modifiers & SHIFTS, alt = modifiers & ALT;
    if (modifiers & COMMANDS)
        return NULL;
    if (key == NON_US_KEY)
        return layout->non_us[alt ? 2 : shift];
    if (key < FIRST_KEY || key >= FIRST_KEY + KEYS)
        return NULL;
    return (alt ? layout->alt : shift ? layout->shift : layout->plain)[key - FIRST_KEY];
}

/* A boot report: modifiers, a reserved byte, and the six keys that are down (HID 1.11, B.1). What is newly down is typed. */
static void take_report(struct usb *usb, struct ta_slot *slot, const uint8_t *report) {
    const struct layout *layout = layout_of(slot);
    for (unsigned i = 2; i < USB_REPORT; ++i) {
        const char *text = written_by(layout, report[0], report[i]);
        bool was = memchr(usb->report + 2, report[i], USB_REPORT - 2) != NULL;
        if (text && !was)
            ta_slot_typed(slot, text, strlen(text));
    }
    memcpy(usb->report, report, USB_REPORT);
}

static void poll(struct usb *usb, struct ta_slot *slot) {
    struct usb_endpoint *endpoint = &usb->interrupt_in;
    if (++usb->since_poll < usb->interval)
        return;
    usb->since_poll = 0;
    if (!endpoint->armed || usb->address != OUR_ADDRESS)
        return;
    endpoint->armed = 0;
    usb->pending |= USB_REPORT_TAKEN;
    if (endpoint->length >= USB_REPORT)
        take_report(usb, slot, endpoint->bytes);
}

/* Lets TIME pass; true when it is over. */
static bool is_over(struct usb *usb, unsigned time) {
    if (++usb->waited < time)
        return false;
    usb->waited = 0;
    return true;
}

void usb_computer_frame(struct usb *usb, struct ta_slot *slot) {
    switch (usb->phase) {
    case SETTLING: usb->phase = is_over(usb, DEBOUNCE) ? RESETTING : SETTLING; break;
    case RESETTING:
        if (!is_over(usb, RESET_TIME))
            break;
        usb->address = usb->frame = 0;
        usb->control_in.armed = usb->interrupt_in.armed = usb->packet = 0;
        usb->pending = (usb->pending & USB_CABLE) | USB_RESET;
        usb->phase = RECOVERING;
        break;
    case RECOVERING:
        if (!is_over(usb, RECOVERY))
            break;
        usb->phase = ASKING;
        begin_request(usb, 0);
        break;
    case ASKING: ask(usb, slot); break;
    case CONFIGURED: poll(usb, slot); break;
    default: break;
    }
}

bool usb_computer_is_sound(const struct usb *usb) {
    return usb->phase < PHASES && usb->request < REQUESTS && usb->stage < STAGES && usb->got <= USB_ANSWER &&
           usb->total <= USB_ANSWER && usb->packet <= USB_PACKET;
}
