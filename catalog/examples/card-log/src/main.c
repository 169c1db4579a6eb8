/* Tells where the log ends, and goes on from there: an entry every half second, and one at each press of button A. A card that is not there is
   looked for again. */
#include "log.h"

#include <stdio.h>
#include <strand/button.h>
#include <strand/clock.h>

enum { TICK_US = 10000, TICKS_AN_ENTRY = 50 };

static const char *const troubles[] = {"done", "no card", "the card is locked", "the card is too small"};

static void note(uint32_t *number, const char *text, enum strand_card *status) {
    *status = log_add(number, text);
    if (*status)
        printf("log: %s\n", troubles[*status]);
    else
        printf("noted %u: %s\n", (unsigned)*number, text);
}

int main(void) {
    uint32_t number = 0;
    unsigned seen = 0;
    char text[LOG_TEXT_BYTES];
    enum strand_card status = STRAND_CARD_NONE;
    strand_button_open();
    printf("card-log ready\n");
    uint64_t start_us = strand_clock_us();
    for (unsigned tick = 0;; ++tick) {
        if (status == STRAND_CARD_NONE && tick % TICKS_AN_ENTRY == 0) {
            status = log_open(&number, text);
            if (status)
                printf("log: %s\n", troubles[status]);
            else if (number)
                printf("log has %u entries, the last: %s\n", (unsigned)number, text);
            else
                printf("log is empty\n");
        }
        if (!status && tick && tick % TICKS_AN_ENTRY == 0) {
            snprintf(text, sizeof text, "all well, %u to go", 1000 - (unsigned)number);
            note(&number, text, &status);
        }
        for (; seen != strand_button_presses(); ++seen)
            note(&number, "somebody looked", &status);
        if (status == STRAND_CARD_LOCKED)
            status = STRAND_CARD_DONE; /* it may be unlocked meanwhile */
        strand_clock_sleep_until(start_us + (uint64_t)(tick + 1) * TICK_US);
    }
}
