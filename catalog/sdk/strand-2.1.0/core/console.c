/* The serial line as <stdio.h>'s streams. */
#include "strand/console.h"

#include "registers.h"

#include <board.h>
#include <stdio.h>

enum { DATA = 0, DIVISOR_LOW = 0, DIVISOR_HIGH = 1, FIFO_CONTROL = 2, LINE_CONTROL = 3, LINE_STATUS = 5 };
enum { DIVISOR_ACCESS = 0x80, EIGHT_BITS = 3, FIFO_ON = 7, STATUS_DATA = 1, STATUS_ROOM = 0x20, STATUS_IDLE = 0x40 };

#define DIVISOR ((BOARD_CONSOLE_CLOCK_HZ + 8 * BOARD_CONSOLE_BAUD) / (16 * BOARD_CONSOLE_BAUD))

static volatile uint8_t *line_register(unsigned number) {
    return &REGISTER_8(BOARD_CONSOLE_BASE + number);
}

void strand_console_open(void) {
    *line_register(LINE_CONTROL) = DIVISOR_ACCESS | EIGHT_BITS;
    *line_register(DIVISOR_LOW) = (uint8_t)DIVISOR;
    *line_register(DIVISOR_HIGH) = (uint8_t)(DIVISOR >> 8);
    *line_register(LINE_CONTROL) = EIGHT_BITS;
    *line_register(FIFO_CONTROL) = FIFO_ON;
}

/* Room is told for the whole FIFO: once it is empty, sixteen bytes go in. */
static int console_put(char letter, FILE *stream) {
    static unsigned room;
    (void)stream;
    if (!room) {
        while (!(*line_register(LINE_STATUS) & STATUS_ROOM))
            ;
        room = 16;
    }
    --room;
    *line_register(DATA) = (uint8_t)letter;
    return letter;
}

int strand_console_poll(void) {
    return *line_register(LINE_STATUS) & STATUS_DATA ? *line_register(DATA) : -1;
}

static int console_get(FILE *stream) {
    int letter;
    (void)stream;
    do
        letter = strand_console_poll();
    while (letter < 0);
    return letter;
}

void strand_console_flush(void) {
    while (!(*line_register(LINE_STATUS) & STATUS_IDLE))
        ;
}

static FILE console = FDEV_SETUP_STREAM(console_put, console_get, NULL, _FDEV_SETUP_RW);

/* picolibc finds its streams by these names. */
FILE *const stdin = &console, *const stdout = &console, *const stderr = &console;
