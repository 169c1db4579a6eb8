/* What sensors sense: quantities with a unit and a range, in thousandths of the unit. */
#include "tameanchor/profile.h"

#include "base/units.h"

#include <stdio.h>
#include <string.h>

static const struct ta_quantity quantities[] = {
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

bool ta_quantity_parse(const struct ta_quantity *quantity, const char *text, size_t length, int64_t *milli) {
    bool negative = length && *text == '-';
    size_t unit = strlen(quantity->unit), at = negative;
    uint64_t value;
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
    for (; part && part % 10 == 0; part /= 10)
        --digits;
    if (part)
        snprintf(fraction, sizeof fraction, ".%0*u", digits, part);
    snprintf(text, TA_QUANTITY_TEXT_BYTES, "%s%llu%s%s%s", milli < 0 ? "-" : "", (unsigned long long)(size / 1000),
             fraction, *unit ? " " : "", unit);
    return text;
}
