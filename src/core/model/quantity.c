/* What sensors sense: quantities with a unit and a range, in thousandths of the unit. */
#include "tameanchor/profile.h"

#include "base/units.h"

#include <stdio.h>
#include <string.h>

static const struct ta_quantity quantities[] = {
    {"date", "UTC", INT64_C(946684800000), INT64_C(4102444799999),
     INT64_C(1767225600000)}, /* from 2000 to 2099; New Year's Day 2026 */
    {"seed", "", 0, 1000000000, 0},
    {"charge", "%", 0, 100000, 100000},
    {"battery voltage", "V", 0, 5000, 3900},
    {"battery current", "A", -5000, 5000, -50},
    {"voltage", "V", 0, 5000, 0},
    {"heading", "deg", 0, 360000, 0},
    {"acceleration x", "g", -8000, 8000, 0},
    {"acceleration y", "g", -8000, 8000, 0},
    {"acceleration z", "g", -8000, 8000, 1000}, /* it lies on the desk */
    {"rotation x", "deg/s", -2000000, 2000000, 0},
    {"rotation y", "deg/s", -2000000, 2000000, 0},
    {"rotation z", "deg/s", -2000000, 2000000, 0},
};

const struct ta_quantity *ta_quantity_find(const char *name) {
    for (size_t i = 0; i < sizeof quantities / sizeof *quantities; ++i)
        if (!strcmp(quantities[i].name, name))
            return &quantities[i];
    return NULL;
}

const struct ta_quantity *ta_quantity_at(size_t index) {
    return index < sizeof quantities / sizeof *quantities ? &quantities[index] : NULL;
}

/* Days from 1970 to a day of the Gregorian calendar, and back. A year that begins in March has its leap day last. */
static int64_t days_of(int64_t year, unsigned month, unsigned day) {
    int64_t from_march = month > 2 ? year : year - 1, era = from_march / 400;
    unsigned of_era = (unsigned)(from_march - era * 400),
             of_year = (153 * (month > 2 ? month - 3 : month + 9) + 2) / 5 + day - 1;
    return era * 146097 + (int64_t)(of_era * 365 + of_era / 4 - of_era / 100 + of_year) - 719468;
}

static void day_of(int64_t days, int64_t *year, unsigned *month, unsigned *day) {
    int64_t era = (days + 719468) / 146097;
    unsigned of_era = (unsigned)(days + 719468 - era * 146097);
    unsigned years = (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
    unsigned of_year = of_era - (365 * years + years / 4 - years / 100), from_march = (5 * of_year + 2) / 153;
    *day = of_year - (153 * from_march + 2) / 5 + 1;
    *month = from_march < 10 ? from_march + 3 : from_march - 9;
    *year = era * 400 + years + (*month <= 2);
}

static bool is_date(const char *unit) {
    return !strcmp(unit, "UTC");
}

/* DIGITS of them, and AFTER behind them unless that is 0. */
static bool take_number(const char **at, const char *end, unsigned digits, char after, unsigned *number) {
    *number = 0;
    if (end - *at < (ptrdiff_t)(digits + (after != 0)))
        return false;
    for (unsigned i = 0; i < digits; ++i, ++*at) {
        if (**at < '0' || **at > '9')
            return false;
        *number = *number * 10 + (unsigned)(**at - '0');
    }
    return !after || *(*at)++ == after;
}

/* "04:30" or "04:30:15" */
static bool take_time(const char **at, const char *end, unsigned *second) {
    unsigned hours, minutes, seconds = 0;
    if (!take_number(at, end, 2, ':', &hours) || !take_number(at, end, 2, 0, &minutes))
        return false;
    if (*at < end && **at == ':' && (++*at, !take_number(at, end, 2, 0, &seconds)))
        return false;
    *second = (hours * 60 + minutes) * 60 + seconds;
    return hours < 24 && minutes < 60 && seconds < 60;
}

/* "2026-03-01", "2026-03-01 04:30" or "2026-03-01 04:30:15", and " UTC" behind it or not (ISO 8601, with a blank). */
static bool date_parse(const char *text, size_t length, int64_t *milli) {
    static const char zone[] = " UTC";
    unsigned year, month, day, second = 0, back_month, back_day;
    int64_t back_year;
    const char *at = text, *end = text + length;
    if (length > strlen(zone) && !memcmp(end - strlen(zone), zone, strlen(zone)))
        end -= strlen(zone);
    if (!take_number(&at, end, 4, '-', &year) || !take_number(&at, end, 2, '-', &month) ||
        !take_number(&at, end, 2, 0, &day) || month < 1 || month > 12)
        return false;
    if (at < end && (*at++ != ' ' || !take_time(&at, end, &second)))
        return false;
    int64_t days = days_of(year, month, day);
    day_of(days, &back_year, &back_month, &back_day);
    *milli = (days * 86400 + second) * 1000;
    return at == end && back_month == month && back_day == day; /* there is no 30 February */
}

static void date_text(int64_t milli, char text[TA_QUANTITY_TEXT_BYTES]) {
    int64_t days = milli / 86400000, year;
    unsigned second = (unsigned)(milli / 1000 % 86400), month, day;
    day_of(days, &year, &month, &day);
    snprintf(text, TA_QUANTITY_TEXT_BYTES, "%04lld-%02u-%02u %02u:%02u:%02u UTC", (long long)year, month, day,
             second / 3600, second / 60 % 60, second % 60);
}

bool ta_quantity_parse(const struct ta_quantity *quantity, const char *text, size_t length, int64_t *milli) {
    bool negative = length && *text == '-';
    size_t unit = strlen(quantity->unit), at = negative;
    uint64_t value;
    if (is_date(quantity->unit))
        return date_parse(text, length, milli);
    while (length > at && text[length - 1] == ' ')
        --length;
    if (length >= at + unit && !memcmp(text + length - unit, quantity->unit, unit))
        length -= unit;
    while (length > at && text[length - 1] == ' ')
        --length;
    /* thousandths, as milliseconds are of seconds */
    char seconds[40];
    int room = snprintf(seconds, sizeof seconds, "%.*s s", (int)(length - at < 30 ? length - at : 30), text + at);
    if (length - at > 30 || !unit_parse(seconds, (size_t)room, UNIT_TIME_NS, &value) || value % 1000000)
        return false;
    *milli = negative ? -(int64_t)(value / 1000000) : (int64_t)(value / 1000000);
    return true;
}

const char *ta_quantity_text(const char *unit, int64_t milli, char text[TA_QUANTITY_TEXT_BYTES]) {
    uint64_t size = milli < 0 ? (uint64_t)0 - (uint64_t)milli : (uint64_t)milli;
    unsigned part = (unsigned)(size % 1000);
    int digits = 3;
    char fraction[8] = "";
    if (milli >= 0 && is_date(unit)) {
        date_text(milli, text);
        return text;
    }
    for (; part && part % 10 == 0; part /= 10)
        --digits;
    if (part)
        snprintf(fraction, sizeof fraction, ".%0*u", digits, part);
    snprintf(text, TA_QUANTITY_TEXT_BYTES, "%s%llu%s%s%s", milli < 0 ? "-" : "", (unsigned long long)(size / 1000),
             fraction, *unit ? " " : "", unit);
    return text;
}
