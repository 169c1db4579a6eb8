/* What a depot has: packages/NAME-VERSION.tar.gz and licences/NAME.txt in its folder, and the index made from them. */
#ifndef DEPOT_SHELF_H
#define DEPOT_SHELF_H

#include "base/arena.h"
#include "host/offer_store.h"
#include "tameanchor/status.h"

struct shelf {
    const char *folder;
    struct arena *arena;
    struct offers offers;
    char *index; /* the JSON that is given away */
    char *index_etag;
    struct store *search; /* the offers, as they are searched */
};

/* Reads all packages; an index.json that is newer than all of them is taken instead. A package that cannot be read, or asks
   for a licence text that is not there, is refused by name. Always followed by shelf_close. */
enum ta_status shelf_open(const char *folder, struct shelf *shelf, struct ta_problem *why);
void shelf_close(struct shelf *shelf);

/* The offer whose package is kept as FILE ("strand-2.1.0.tar.gz"), or null. */
const struct offer *shelf_offer(const struct shelf *shelf, const char *file);

/* The licence text NAME, or null; freed with g_free. DIGEST gets its SHA-256. */
char *shelf_licence(const struct shelf *shelf, const char *name, char digest[65]);

#endif
