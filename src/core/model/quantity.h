/* What sensors sense: quantities with a unit and a range, in thousandths of the unit. */
#ifndef TA_CORE_MODEL_QUANTITY_H
#define TA_CORE_MODEL_QUANTITY_H

#include "tameanchor/profile.h"

/* Reads "90 deg", "90", "-0.5 g"; at most three digits behind the point. False for another unit, or what is no number. */
bool quantity_parse(const struct ta_quantity *quantity, const char *text, size_t length, int64_t *milli);

/* "-0.5 g" into TEXT, which is returned. */
enum { QUANTITY_TEXT_BYTES = 48 };
const char *quantity_text(const char *unit, int64_t milli, char text[QUANTITY_TEXT_BYTES]);

#endif
