#include "base/units.h"

#include <stdio.h>
#include <string.h>

struct unit {
    enum unit_kind kind;
    const char *name;
    uint64_t factor;
};

/* Largest first within a kind: formatting takes the first that the value reaches. */
static const struct unit units[] = {
    {UNIT_TIME_NS, "min", 60000000000u},
    {UNIT_TIME_NS, "s", 1000000000u},
    {UNIT_TIME_NS, "ms", 1000000u},
    {UNIT_TIME_NS, "us", 1000u},
    {UNIT_TIME_NS, "ns", 1u},
    {UNIT_SIZE_BYTES, "GiB", 1u << 30},
    {UNIT_SIZE_BYTES, "MiB", 1u << 20},
    {UNIT_SIZE_BYTES, "KiB", 1u << 10},
    {UNIT_SIZE_BYTES, "B", 1u},
    {UNIT_FREQUENCY_HZ, "GHz", 1000000000u},
    {UNIT_FREQUENCY_HZ, "MHz", 1000000u},
    {UNIT_FREQUENCY_HZ, "kHz", 1000u},
    {UNIT_FREQUENCY_HZ, "Hz", 1u},
};
enum { UNIT_COUNT = sizeof units / sizeof *units };

static int digit_value(char letter, unsigned base) {
    int value = letter >= '0' && letter <= '9'   ? letter - '0'
                : letter >= 'a' && letter <= 'f' ? letter - 'a' + 10
                : letter >= 'A' && letter <= 'F' ? letter - 'A' + 10
                                                 : 99;
    return value < (int)base ? value : -1;
}

static bool unit_factor(const char *text, size_t length, enum unit_kind kind, uint64_t *factor) {
    *factor = 1;
    if (!length)
        return kind == UNIT_NONE || kind == UNIT_SIZE_BYTES;
    for (size_t i = 0; i < UNIT_COUNT; ++i) {
        if (units[i].kind == kind && strlen(units[i].name) == length && !memcmp(units[i].name, text, length)) {
            *factor = units[i].factor;
            return true;
        }
    }
    return false;
}

bool unit_parse(const char *text, size_t length, enum unit_kind kind, uint64_t *value) {
    size_t at = 0, digits = 0;
    unsigned base = 10;
    uint64_t number = 0, scale = 1;
    if (length > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X')) {
        base = 16;
        at = 2;
    }
    for (bool fraction = false; at < length; ++at) {
        int digit = digit_value(text[at], base);
        if (digit < 0 && text[at] == '.' && base == 10 && !fraction && digits) {
            fraction = true;
            continue;
        }
        if (digit < 0)
            break;
        if (number > (UINT64_MAX - (unsigned)digit) / base || scale > UINT64_MAX / 10)
            return false;
        number = number * base + (unsigned)digit;
        scale = fraction ? scale * 10 : scale;
        ++digits;
    }
    while (at < length && text[at] == ' ')
        ++at;
    uint64_t factor;
    if (!digits || !unit_factor(text + at, length - at, kind, &factor))
        return false;
    if (number && factor > UINT64_MAX / number)
        return false;
    if (number * factor % scale)
        return false;
    *value = number * factor / scale;
    return true;
}

const char *unit_names(enum unit_kind kind) {
    switch (kind) {
    case UNIT_TIME_NS: return "ns, us, ms, s or min";
    case UNIT_SIZE_BYTES: return "B, KiB, MiB or GiB";
    case UNIT_FREQUENCY_HZ: return "Hz, kHz, MHz or GHz";
    case UNIT_NONE: break;
    }
    return "no unit";
}

/* VALUE in units of FACTOR, rounded to DIGITS behind a point: printf would take the locale's. */
static const char *decimal_format(char *buffer, uint64_t value, uint64_t factor, int digits, const char *name) {
    uint64_t whole = value / factor, scale = digits == 3 ? 1000 : 10;
    uint64_t part = (value % factor * scale + factor / 2) / factor;
    snprintf(buffer, UNIT_TEXT_BYTES, "%llu.%0*llu %s", (unsigned long long)(whole + part / scale), digits,
             (unsigned long long)(part % scale), name);
    return buffer;
}

const char *unit_format(char *buffer, enum unit_kind kind, uint64_t value) {
    /* Times are compared by eye, line under line: three digits always, and seconds from a millisecond on. */
    if (kind == UNIT_TIME_NS)
        return value && value < 1000000 ? decimal_format(buffer, value, 1000000, 3, "ms")
                                        : decimal_format(buffer, value, 1000000000, 3, "s");
    for (size_t i = 0; i < UNIT_COUNT; ++i) {
        if (units[i].kind != kind || (value < units[i].factor && units[i].factor > 1))
            continue;
        if (value % units[i].factor)
            decimal_format(buffer, value, units[i].factor, 1, units[i].name);
        else
            snprintf(buffer, UNIT_TEXT_BYTES, "%llu %s", (unsigned long long)(value / units[i].factor), units[i].name);
        return buffer;
    }
    snprintf(buffer, UNIT_TEXT_BYTES, "%llu", (unsigned long long)value);
    return buffer;
}
