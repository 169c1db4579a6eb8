/* The index of a depot: what packages it offers, as JSON (RFC 8259; docs/formats.md). */
#ifndef TA_HOST_PACKAGE_INDEX_H
#define TA_HOST_PACKAGE_INDEX_H

#include "base/arena.h"
#include "core/model/models.h"
#include "tameanchor/status.h"

enum { PACKAGE_INDEX_BYTES = 64 << 20, PACKAGE_INDEX_OFFERS = 200000 };

struct offers {
    struct offer *items;
    size_t count;
};

/* Reads TEXT, which came from PLACE (kept as a pointer in each offer). Every entry is checked: a wrong one refuses the
   whole, with its number and key; keys that are not known are passed over, a depot may be newer. */
enum ta_status package_index_read(const char *text, size_t length, const char *place, struct arena *arena,
                                  struct offers *offers, struct ta_problem *why);

/* One entry of it, as it stands in a list of matches. */
enum ta_status package_entry_read(const char *text, size_t length, const char *place, struct arena *arena,
                                  struct offer *offer, struct ta_problem *why);

/* The JSON of an index and of an entry, without line breaks; freed with free. Null without memory. */
char *package_index_write(const struct offers *offers);
char *package_entry_write(const struct offer *offer);

#endif
