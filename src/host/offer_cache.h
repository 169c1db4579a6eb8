/* What a depot offers, kept on this computer in a form that is quick to search: one file for each depot. Only a help: a file
   that is missing or damaged is made anew from the depot's index. */
#ifndef TA_HOST_OFFER_CACHE_H
#define TA_HOST_OFFER_CACHE_H

#include "host/package_index.h"

#include <stdbool.h>

/* Writes what PLACE offers, with the entity tag (RFC 9110, may be empty) of the index that said so. */
enum ta_status offer_cache_write(const char *path, const char *etag, const struct offers *offers,
                                 struct ta_problem *why);

/* The entity tag of the index that the file was made from, or null when there is no sound file. Freed with g_free. */
char *offer_cache_etag(const char *path);

/* What to look for; null and 0 stand for anything. */
struct offer_query {
    const char *const *words; /* all of them, in any case, anywhere in what people read of a package */
    size_t word_count;
    const char *kind, *name;
    const char *component; /* what needs or provides it */
};

/* Adds the offers of the file at PATH, made from PLACE's index, that match. A file that is not there has none. */
enum ta_status offer_cache_search(const char *path, const char *place, const struct offer_query *query,
                                  struct arena *arena, struct offers *offers, struct ta_problem *why);

#endif
