/* Connections on which no whole request has come: each gets REQUEST_S, however it drips. */
#ifndef TA_DEPOT_WAITING_H
#define TA_DEPOT_WAITING_H

#include <stdbool.h>

/* All connections of a server, and the thread that ends those whose time is over. Functions may be called by any thread. */
struct patience;
struct patience *patience_new(unsigned request_s);
void patience_free(struct patience *patience); /* when no connection is left */

struct waiting;
struct waiting *waiting_begin(struct patience *patience, int socket);
/* A whole request has come, and is answered for as long as that takes; or the answer is out, and the next one is waited for. */
void waiting_has_time(struct waiting *waiting, bool has_time);
void waiting_end(struct waiting *waiting); /* before its socket is closed */

#endif
