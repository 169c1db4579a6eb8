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
    BRIGHTNESS = 0x1c
};
enum { ON = 1, INTERRUPTS = 2, TURNS = 4, BUSY = 1, DONE = 2, REFUSED = 4 };

static strand_colour points[BOARD_SCREEN_WIDTH * BOARD_SCREEN_HEIGHT];
static struct strand_canvas canvas;
static volatile unsigned frames;

static volatile uint32_t *screen(unsigned at) {
    return &REGISTER_32(BOARD_SCREEN_BASE + at);
}

static void frame_interrupt(void *argument) {
    (void)argument;
    frames = frames + 1;
    *screen(STATUS) = DONE;
}

static void lay_out(unsigned turns) {
    int width = turns & 1 ? BOARD_SCREEN_HEIGHT : BOARD_SCREEN_WIDTH;
    strand_canvas_open(&canvas, points, width, turns & 1 ? BOARD_SCREEN_WIDTH : BOARD_SCREEN_HEIGHT);
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
