#include "strand/radio.h"

#include "../core/registers.h"

#include <board.h>
#include <strand/interrupts.h>
#include <string.h>

enum { CONTROL = 0x00, STATUS = 0x04, LENGTH = 0x08, TAKE = 0x0c, PUT = 0x10, SEND = 0x14 };
enum { ON = 1, INTERRUPTS = 2, SENDS = 2, SENT = 4, ROOM = 4 };

/* What has come and waits for the program: the handler takes it from the device, which makes its interrupt go. */
static struct {
    char text[STRAND_MESSAGE_BYTES];
    int length;
} waiting[ROOM];
static volatile int count;

static volatile uint32_t *radio(unsigned at) {
    return &REGISTER_32(BOARD_RADIO_BASE + at);
}

static void take_messages(void *argument) {
    (void)argument;
    *radio(STATUS) = SENT;
    for (uint32_t length; (length = *radio(LENGTH)) > 0; *radio(TAKE) = 0) {
        if (count == ROOM)
            continue; /* as one that the radio itself has no room for */
        for (uint32_t i = 0; i < length; ++i)
            waiting[count].text[i] = (char)*radio(TAKE);
        waiting[count].length = (int)length;
        count = count + 1;
    }
}

void strand_radio_open(void) {
    strand_interrupt_handle(BOARD_RADIO_INTERRUPT, take_messages, 0);
    *radio(CONTROL) = ON | INTERRUPTS;
}

int strand_radio_send(const char *text) {
    size_t length = strlen(text);
    if (!length || length > STRAND_MESSAGE_BYTES || *radio(STATUS) & SENDS)
        return -1;
    *radio(SEND) = 0;
    for (; *text; ++text)
        *radio(PUT) = (unsigned char)*text;
    *radio(SEND) = 1;
    return 0;
}

int strand_radio_next(char *text, int size) {
    int length = 0;
    uint32_t interrupts = strand_interrupts_off();
    if (count && size > 0) {
        length = waiting[0].length < size ? waiting[0].length : size - 1;
        memcpy(text, waiting[0].text, (size_t)length);
        text[length] = '\0';
        count = count - 1;
        memmove(waiting, waiting + 1, (size_t)count * sizeof *waiting);
    }
    strand_interrupts_restore(interrupts);
    return length;
}
