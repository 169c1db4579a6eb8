/* A screen with its controller: the panel keeps what it shows, and takes it from a frame buffer in RAM when it is told to. 32-bit registers:

   0x00  CONTROL     read/write  bit 0: on; bit 1: the interrupt is high while DONE is set; bit 2: points of 32 bits, XRGB8888, else of 16,
                                 RGB565; bits 5:4: orientation, quarter turns clockwise
   0x04  STATUS      read/write  bit 0: a refresh is under way; bit 1: DONE, a one written clears it; bit 2: the last one was refused: what it
                                 named is not all on the panel, or not all in RAM
   0x08  BUFFER      read/write  where the frame buffer begins in RAM
   0x0c  STRIDE      read/write  bytes from one of its rows to the next
   0x10  FROM        read/write  the part to refresh: its first column, and from bit 16 on its first row
   0x14  EXTENT      read/write  its width, and from bit 16 on its height
   0x18  REFRESH     write       1: takes that part of the frame buffer to the panel. Done when the last point is there; dropped while busy
   0x1c  BRIGHTNESS  read/write  0 to 255
   0x20  SIZE        read        the panel's width in this orientation, and from bit 16 on its height
   0x24  TEXT_FROM   read/write  where a text stands that the program has drawn: its first column, and from bit 16 on its first row
   0x28  TEXT_EXTENT read/write  its width, and from bit 16 on its height
   0x2c  TEXT        write       the next byte of that text; 0 ends it. Without any, that part was drawn over. It is told to who looks at the
                                 screen with the refresh that takes it there. Of a text 96 bytes count, of those that wait the last 48

   Options: `width` and `height` of the panel as it is built in (320 by 240), `rate` in points a second (40,000,000). */
#include "base/digest.h"
#include "base/scale.h"
#include "machine/models.h"
#include "tameanchor/picture.h"

#include <stdlib.h>
#include <string.h>

enum {
    CONTROL = 0x00,
    STATUS = 0x04,
    BUFFER = 0x08,
    STRIDE = 0x0c,
    FROM = 0x10,
    EXTENT = 0x14,
    REFRESH = 0x18,
    BRIGHTNESS = 0x1c,
    SIZE = 0x20,
    TEXT_FROM = 0x24,
    TEXT_EXTENT = 0x28,
    TEXT = 0x2c,
};
enum { ON = 1, INTERRUPTS = 2, WIDE = 4, TURNS = 4, CONTROL_BITS = 0x37 };
enum { BUSY = 1, DONE = 2, REFUSED = 4 };
enum { RATE_DEFAULT = 40000000, TEXT_MOST = 96, NOTES = 48 };

/* What the program says to have drawn. */
struct note {
    uint32_t from, extent, length;
    uint8_t text[TEXT_MOST];
};

struct screen {
    uint32_t control, status, buffer, stride, from, extent, brightness;
    void *points; /* of the panel, three bytes each; none before the first refresh */
    size_t length;
    uint64_t shown;   /* a digest of how they came about */
    struct note note; /* that is being written */
    struct note notes[NOTES];
    uint32_t note_count;
};

static unsigned turns(const struct screen *screen) {
    return screen->control >> TURNS & 3;
}

/* As the program sees it: a quarter turn swaps its sides. */
static void turned_size(const struct screen *screen, const struct ta_slot *slot, unsigned *width, unsigned *height) {
    bool upright = turns(screen) & 1;
    ta_device_points(ta_slot_config(slot), upright ? height : width, upright ? width : height);
}

/* What is on it, in the eyes of who looks: other contents, another light, or nothing. */
static void show(const struct screen *screen, struct ta_slot *slot) {
    uint64_t light = screen->control & ON ? screen->brightness : 0;
    ta_slot_show(slot, light ? digest_number(screen->shown, light) : 0);
}

static void screen_update(struct screen *screen, struct ta_slot *slot) {
    ta_slot_interrupt(slot, screen->control & INTERRUPTS && screen->status & DONE);
}

/* One row of the frame buffer, COUNT points of it, onto the panel: AT is the place of its first point there, STEP how far it is to the next. */
static void take_row(struct screen *screen, const uint8_t *row, unsigned count, ptrdiff_t at, ptrdiff_t step) {
    uint8_t *panel = screen->points;
    if (screen->control & WIDE)
        for (unsigned i = 0; i < count; ++i, row += 4, at += step) {
            panel[3 * at] = row[2];
            panel[3 * at + 1] = row[1];
            panel[3 * at + 2] = row[0];
        }
    else
        for (unsigned i = 0; i < count; ++i, row += 2, at += step) {
            unsigned value = row[0] | (unsigned)row[1] << 8;
            unsigned red = value >> 11, green = value >> 5 & 63, blue = value & 31;
            panel[3 * at] = (uint8_t)(red << 3 | red >> 2);
            panel[3 * at + 1] = (uint8_t)(green << 2 | green >> 4);
            panel[3 * at + 2] = (uint8_t)(blue << 3 | blue >> 2);
        }
}

/* Takes the part over; false when it is not all there. */
static bool take_part(struct screen *screen, struct ta_slot *slot) {
    unsigned width, height, turned_width, turned_height;
    unsigned x = screen->from & 0xffff, y = screen->from >> 16;
    unsigned columns = screen->extent & 0xffff, rows = screen->extent >> 16, each = screen->control & WIDE ? 4 : 2;
    ta_device_points(ta_slot_config(slot), &width, &height);
    turned_size(screen, slot, &turned_width, &turned_height);
    if (!columns || !rows || x >= turned_width || columns > turned_width - x || y >= turned_height ||
        rows > turned_height - y)
        return false;
    if (!screen->points) {
        screen->length = (size_t)width * height * 3;
        screen->points = calloc(1, screen->length);
    }
    if (!screen->points)
        return false;
    for (unsigned i = 0; i < rows; ++i) /* all of it, before any of it */
        if (!ta_slot_memory(slot, (uint64_t)screen->buffer + (uint64_t)(y + i) * screen->stride + x * each,
                            (size_t)columns * each))
            return false;
    const ptrdiff_t w = (ptrdiff_t)width, h = (ptrdiff_t)height;
    const ptrdiff_t origin[] = {0, w - 1, w * h - 1, (h - 1) * w}, right[] = {1, w, -1, -w}, down[] = {w, -1, -w, 1};
    unsigned turn = turns(screen);
    uint64_t shown = digest_number(screen->shown, (uint64_t)screen->from << 32 | screen->extent);
    for (unsigned i = 0; i < rows; ++i) {
        const uint8_t *row = ta_slot_memory(
            slot, (uint64_t)screen->buffer + (uint64_t)(y + i) * screen->stride + x * each, (size_t)columns * each);
        take_row(screen, row, columns, origin[turn] + right[turn] * (ptrdiff_t)x + down[turn] * (ptrdiff_t)(y + i),
                 right[turn]);
        shown = digest_much(shown, row, (size_t)columns * each);
    }
    screen->shown = digest_number(shown, screen->control & (WIDE | 3 << TURNS));
    return true;
}

/* A rectangle as the program sees it. */
struct box {
    unsigned x, y, width, height;
};

static struct box box_of(uint32_t from, uint32_t extent) {
    return (struct box){from & 0xffff, from >> 16, extent & 0xffff, extent >> 16};
}

static bool meet(struct box a, struct box b) {
    return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

static bool lies_in(struct box a, struct box b) {
    return a.x >= b.x && a.x + a.width <= b.x + b.width && a.y >= b.y && a.y + a.height <= b.y + b.height;
}

static void drop_note(struct screen *screen, uint32_t at) {
    memmove(screen->notes + at, screen->notes + at + 1, (--screen->note_count - at) * sizeof *screen->notes);
}

/* What it covers need not be told any more. */
static void add_note(struct screen *screen) {
    struct box box = box_of(screen->note.from, screen->note.extent);
    for (uint32_t i = screen->note_count; i-- > 0;)
        if (lies_in(box_of(screen->notes[i].from, screen->notes[i].extent), box))
            drop_note(screen, i);
    if (screen->note_count == NOTES)
        drop_note(screen, 0);
    screen->notes[screen->note_count++] = screen->note;
    screen->note.length = 0;
}

/* BOX on the panel as it is built in. */
static uint64_t on_panel(const struct screen *screen, const struct ta_slot *slot, struct box box) {
    unsigned width, height;
    ta_device_points(ta_slot_config(slot), &width, &height);
    switch (turns(screen)) {
    case 1: return TA_TEXT_BOX(width - box.y - box.height, box.x, box.height, box.width);
    case 2: return TA_TEXT_BOX(width - box.x - box.width, height - box.y - box.height, box.width, box.height);
    case 3: return TA_TEXT_BOX(box.y, height - box.x - box.width, box.height, box.width);
    default: return TA_TEXT_BOX(box.x, box.y, box.width, box.height);
    }
}

/* Of those that lie on the part that was refreshed. */
static void tell_notes(struct screen *screen, struct ta_slot *slot) {
    struct box part = box_of(screen->from, screen->extent), whole = {0};
    turned_size(screen, slot, &whole.width, &whole.height);
    for (uint32_t i = 0; i < screen->note_count;) {
        struct note *note = &screen->notes[i];
        struct box box = box_of(note->from, note->extent);
        if (!meet(box, part)) {
            ++i;
            continue;
        }
        if (lies_in(box, whole))
            ta_slot_text(slot, on_panel(screen, slot, box), note->text, note->length);
        drop_note(screen, i);
    }
}

static void begin(struct screen *screen, struct ta_slot *slot) {
    uint64_t points = (uint64_t)(screen->extent & 0xffff) * (screen->extent >> 16);
    uint64_t rate = ta_slot_option(slot, "rate", RATE_DEFAULT);
    if (screen->status & BUSY || !(screen->control & ON))
        return;
    screen->status = BUSY;
    ta_slot_wake_at(slot, ta_slot_now(slot) + 1 + scale_floor(points, ta_slot_clock_hz(slot), rate ? rate : 1));
}

static void screen_wake(void *state, struct ta_slot *slot) {
    struct screen *screen = state;
    bool taken = take_part(screen, slot);
    screen->status = DONE | (taken ? 0 : REFUSED);
    screen_update(screen, slot);
    if (taken)
        tell_notes(screen, slot);
    show(screen, slot);
}

static void write_text(struct screen *screen, uint8_t byte) {
    if (!byte)
        add_note(screen);
    else if (screen->note.length < TEXT_MOST)
        screen->note.text[screen->note.length++] = byte;
}

static uint64_t screen_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct screen *screen = state;
    unsigned width, height;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: return screen->control;
    case STATUS: return screen->status;
    case BUFFER: return screen->buffer;
    case STRIDE: return screen->stride;
    case FROM: return screen->from;
    case EXTENT: return screen->extent;
    case BRIGHTNESS: return screen->brightness;
    case SIZE: turned_size(screen, slot, &width, &height); return width | (uint32_t)height << 16;
    case TEXT_FROM: return screen->note.from;
    case TEXT_EXTENT: return screen->note.extent;
    default: return 0;
    }
}

static void screen_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct screen *screen = state;
    uint32_t word = (uint32_t)value;
    (void)size_bytes;
    switch (offset) {
    case CONTROL: screen->control = word & CONTROL_BITS; break;
    case STATUS: screen->status &= ~(word & DONE); break;
    case BUFFER: screen->buffer = word; break;
    case STRIDE: screen->stride = word; break;
    case FROM: screen->from = word; break;
    case EXTENT: screen->extent = word; break;
    case BRIGHTNESS: screen->brightness = word & 0xff; break;
    case TEXT_FROM: screen->note.from = word; break;
    case TEXT_EXTENT: screen->note.extent = word; break;
    case TEXT: write_text(screen, word & 0xff); break;
    case REFRESH:
        if (word & 1)
            begin(screen, slot);
        break;
    default: break;
    }
    screen_update(screen, slot);
    if (offset == CONTROL || offset == BRIGHTNESS)
        show(screen, slot);
}

/* The panel is dark; what it kept is gone. */
static void screen_reset(void *state, struct ta_slot *slot) {
    struct screen *screen = state;
    if (screen->points)
        memset(screen->points, 0, screen->length);
    *screen =
        (struct screen){.brightness = 255, .points = screen->points, .length = screen->length, .shown = DIGEST_START};
    show(screen, slot);
}

static enum ta_status screen_picture(const void *state, const struct ta_slot *slot, struct ta_picture *picture) {
    const struct screen *screen = state;
    const uint8_t *points = screen->points;
    unsigned light = screen->control & ON ? screen->brightness : 0;
    unsigned width, height;
    ta_device_points(ta_slot_config(slot), &width, &height);
    enum ta_status status = ta_picture_make(picture, width, height);
    for (size_t i = 0; !status && points && i < screen->length; ++i)
        picture->points[i] = (uint8_t)(points[i] * light / 255);
    return status;
}

static void keep_note(struct ta_keeper *keeper, struct note *note) {
    TA_KEEP(keeper, note->from);
    TA_KEEP(keeper, note->extent);
    TA_KEEP(keeper, note->length);
    TA_KEEP_ALL(keeper, note->text);
}

static void screen_keep(void *state, struct ta_keeper *keeper) {
    struct screen *screen = state;
    uint32_t *const registers[] = {&screen->control, &screen->status, &screen->buffer,    &screen->stride,
                                   &screen->from,    &screen->extent, &screen->brightness};
    for (size_t i = 0; i < sizeof registers / sizeof *registers; ++i)
        TA_KEEP(keeper, *registers[i]);
    TA_KEEP(keeper, screen->shown);
    ta_keep_memory(keeper, &screen->points, &screen->length);
    keep_note(keeper, &screen->note);
    TA_KEEP(keeper, screen->note_count);
    for (uint32_t i = 0; i < NOTES; ++i)
        keep_note(keeper, &screen->notes[i]);
}

/* Its points are all of a panel, or none. */
static bool screen_is_sound(const void *state, const struct ta_slot *slot) {
    const struct screen *screen = state;
    unsigned width, height;
    ta_device_points(ta_slot_config(slot), &width, &height);
    bool sound = screen->note_count <= NOTES && screen->note.length <= TEXT_MOST;
    for (uint32_t i = 0; i < NOTES; ++i)
        sound = sound && screen->notes[i].length <= TEXT_MOST;
    return sound && (!screen->length || screen->length == (size_t)width * height * 3) && screen->brightness <= 255;
}

static void screen_release(void *state) {
    free(((struct screen *)state)->points);
}

const struct ta_device_kind model_screen = {
    .version = TA_DEVICE_VERSION,
    .model = "screen",
    .summary = "a screen with its controller, refreshed from a frame buffer in RAM",
    .span_bytes = 0x1000,
    .state_bytes = sizeof(struct screen),
    .widths = 4,
    .steady = (const uint64_t[]){STATUS},
    .steady_count = 1,
    .read = screen_read,
    .write = screen_write,
    .reset = screen_reset,
    .wake = screen_wake,
    .picture = screen_picture,
    .keep = screen_keep,
    .is_sound = screen_is_sound,
    .release = screen_release,
};
