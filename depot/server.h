/* The depot's HTTP interface (docs/depot.md), through libmicrohttpd. */
#ifndef DEPOT_SERVER_H
#define DEPOT_SERVER_H

#include "depot/accounts.h"
#include "depot/shelf.h"

/* What may go wrong on purpose, so that clients can be tried: downloads that break off after a random number of bytes (CUT: the
   seed, 0 for none) or are slow (0: not), answers that wait first. */
struct rehearsal {
    unsigned cut, delay_ms, kib_per_s;
};

struct server;

/* Serves on ADDRESS:*PORT; 0 takes a free port and says which. */
enum ta_status server_start(struct shelf *shelf, struct accounts *accounts, const char *address, unsigned *port,
                            int64_t token_lifetime_s, const struct rehearsal *rehearsal, struct server **server,
                            struct ta_problem *why);
void server_stop(struct server *server);

#endif
