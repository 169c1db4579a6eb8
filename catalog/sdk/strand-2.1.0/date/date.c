#include "strand/date.h"

#include "../core/registers.h"

#include <board.h>
#include <stdio.h>

enum { SECONDS = 0x00, UPPER = 0x04, MILLI = 0x08, DAY_S = 86400 };

static volatile uint32_t *calendar(unsigned at) {
    return &REGISTER_32(BOARD_CALENDAR0_BASE + at);
}

int64_t strand_date_now(unsigned *milli) {
    uint32_t low = *calendar(SECONDS); /* the others are of the same instant */
    if (milli)
        *milli = *calendar(MILLI);
    return (int64_t)((uint64_t)*calendar(UPPER) << 32 | low);
}

void strand_date_set(int64_t seconds) {
    *calendar(UPPER) = (uint32_t)((uint64_t)seconds >> 32);
    *calendar(SECONDS) = (uint32_t)seconds;
}

static int is_leap(int year) {
    return year % 4 == 0 && (year % 100 || year % 400 == 0);
}

void strand_date_text(int64_t seconds, char text[STRAND_DATE_BYTES]) {
    static const uint8_t lengths[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    int days = (int)(seconds / DAY_S), second = (int)(seconds % DAY_S), year = 1970, month = 0;
    for (; days >= 365 + is_leap(year); ++year)
        days -= 365 + is_leap(year);
    for (; days >= lengths[month] + (month == 1 && is_leap(year)); ++month)
        days -= lengths[month] + (month == 1 && is_leap(year));
    snprintf(text, STRAND_DATE_BYTES, "%04u-%02u-%02u %02u:%02u:%02u", (unsigned)year % 10000u,
             (unsigned)(month + 1) % 100u, (unsigned)(days + 1) % 100u, (unsigned)(second / 3600) % 100u,
             (unsigned)(second / 60 % 60), (unsigned)(second % 60));
}
