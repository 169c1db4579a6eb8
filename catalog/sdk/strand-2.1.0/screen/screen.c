#include "strand/screen.h"

#include "../core/registers.h"

#include <board.h>
#include <strand/interrupts.h>

enum {
    CONTROL = 0x00,
    STATUS = 0x04,
    BUFFER = 0x08,
    STRIDE = 0x0c,
    FROM = 0x10,
    EXTENT = 0x14,
    REFRESH = 0x18,
    BRIGHTNESS = 0x1c,
    TEXT_FROM = 0x24,
    TEXT_EXTENT = 0x28,
    TEXT = 0x2c
};
enum { ON = 1, INTERRUPTS = 2, TURNS = 4, BUSY = 1, DONE = 2, REFUSED = 4 };

static strand_colour points[BOARD_SCREEN_WIDTH * BOARD_SCREEN_HEIGHT];
static struct strand_canvas canvas;
static volatile unsigned frames;
static unsigned turned;

static volatile uint32_t *screen(unsigned at) {
    return &REGISTER_32(BOARD_SCREEN_BASE + at);
}

static void frame_interrupt(void *argument) {
    (void)argument;
    frames = frames + 1;
    *screen(STATUS) = DONE;
}

/* What can be read on the screen, for those who cannot see it. */
static void tell(int x, int y, int width, int height, const char *text, int length) {
    *screen(TEXT_FROM) = (uint32_t)x | (uint32_t)y << 16;
    *screen(TEXT_EXTENT) = (uint32_t)width | (uint32_t)height << 16;
    for (int i = 0; i < length; ++i)
        *screen(TEXT) = (unsigned char)text[i];
    *screen(TEXT) = 0;
}

static void lay_out(unsigned turns) {
    int width = turns & 1 ? BOARD_SCREEN_HEIGHT : BOARD_SCREEN_WIDTH;
    turned = turns & 3;
    strand_canvas_open(&canvas, points, width, turns & 1 ? BOARD_SCREEN_WIDTH : BOARD_SCREEN_HEIGHT);
    canvas.tell = tell;
    strand_fill(&canvas, 0, 0, canvas.width, canvas.height, 0);
    *screen(BUFFER) = (uint32_t)(uintptr_t)points;
    *screen(STRIDE) = (uint32_t)width * sizeof *points;
    *screen(CONTROL) = ON | INTERRUPTS | (turns & 3) << TURNS;
}

struct strand_canvas *strand_screen_open(void) {
    strand_interrupt_handle(BOARD_SCREEN_INTERRUPT, frame_interrupt, 0);
    strand_screen_brightness(255);
    lay_out(0);
    return &canvas;
}

void strand_screen_turn(unsigned turns) {
    lay_out(turns);
}

void strand_screen_point(int *x, int *y) {
    int across = *x, down = *y;
    switch (turned) {
    case 1: *x = down, *y = BOARD_SCREEN_WIDTH - 1 - across; break;
    case 2: *x = BOARD_SCREEN_WIDTH - 1 - across, *y = BOARD_SCREEN_HEIGHT - 1 - down; break;
    case 3: *x = BOARD_SCREEN_HEIGHT - 1 - down, *y = across; break;
    default: break;
    }
}

int strand_screen_refresh(int x, int y, int width, int height) {
    int right = x + width < canvas.width ? x + width : canvas.width;
    int bottom = y + height < canvas.height ? y + height : canvas.height;
    x = x > 0 ? x : 0;
    y = y > 0 ? y : 0;
    if (x >= right || y >= bottom)
        return 0;
    unsigned before = frames;
    *screen(FROM) = (uint32_t)x | (uint32_t)y << 16;
    *screen(EXTENT) = (uint32_t)(right - x) | (uint32_t)(bottom - y) << 16;
    *screen(REFRESH) = 1;
    for (;;) {
        uint32_t interrupts = strand_interrupts_off();
        if (frames == before)
            strand_interrupt_wait();
        strand_interrupts_restore(interrupts);
        if (frames != before)
            return *screen(STATUS) & REFUSED ? -1 : 0;
    }
}

int strand_screen_refresh_all(void) {
    return strand_screen_refresh(0, 0, canvas.width, canvas.height);
}

unsigned strand_screen_frames(void) {
    return frames;
}

void strand_screen_brightness(unsigned level) {
    *screen(BRIGHTNESS) = level < 255 ? level : 255;
}
