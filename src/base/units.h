/* Quantities as people write them: "500 ms", "256 KiB", "32 MHz", 0x40010000. */
#ifndef TA_BASE_UNITS_H
#define TA_BASE_UNITS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum unit_kind { UNIT_NONE, UNIT_TIME_NS, UNIT_SIZE_BYTES, UNIT_FREQUENCY_HZ };

/* Reads LENGTH bytes of TEXT: a number (decimal with a fraction, or 0x hexadecimal), then a unit of KIND, with or
   without blanks between. UNIT_NONE takes no unit, UNIT_SIZE_BYTES may go without. False when the text is anything
   else, or the value is no whole number of the base unit that fits 64 bits. */
bool unit_parse(const char *text, size_t length, enum unit_kind kind, uint64_t *value);

/* The units that KIND knows, for messages: "ns, us, ms, s or min". */
const char *unit_names(enum unit_kind kind);

/* "4.012 s", "13.2 KiB", "32 MHz": the value in its handiest unit. BUFFER must hold UNIT_TEXT_BYTES. Returns BUFFER. */
enum { UNIT_TEXT_BYTES = 32 };
const char *unit_format(char *buffer, enum unit_kind kind, uint64_t value);

#endif
