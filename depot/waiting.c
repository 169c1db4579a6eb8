#include "depot/waiting.h"

#include <glib.h>
#include <sys/socket.h>

/* A connection; HAS_TIME while a whole request is being answered. */
struct waiting {
    struct patience *patience;
    int socket;
    gint64 since_us;
    bool has_time;
};

struct patience {
    GMutex lock;
    GCond ended;
    bool ends;
    GHashTable *connections; /* of struct waiting */
    GThread *thread;
    unsigned request_s;
};

enum { LOOK_MS = 250 };

/* Closing is the server's: it sees that the other end is gone. */
static gpointer look(gpointer with) {
    struct patience *patience = with;
    g_mutex_lock(&patience->lock);
    while (!patience->ends) {
        GHashTableIter each;
        gpointer key;
        gint64 now_us = g_get_monotonic_time();
        g_hash_table_iter_init(&each, patience->connections);
        while (g_hash_table_iter_next(&each, &key, NULL)) {
            const struct waiting *waiting = key;
            if (!waiting->has_time && now_us - waiting->since_us > patience->request_s * G_TIME_SPAN_SECOND)
                shutdown(waiting->socket, SHUT_RDWR);
        }
        g_cond_wait_until(&patience->ended, &patience->lock, now_us + LOOK_MS * G_TIME_SPAN_MILLISECOND);
    }
    g_mutex_unlock(&patience->lock);
    return NULL;
}

struct patience *patience_new(unsigned request_s) {
    struct patience *patience = g_new0(struct patience, 1);
    patience->request_s = request_s;
    g_mutex_init(&patience->lock);
    g_cond_init(&patience->ended);
    patience->connections = g_hash_table_new_full(NULL, NULL, g_free, NULL);
    patience->thread = g_thread_new("patience", look, patience);
    return patience;
}

void patience_free(struct patience *patience) {
    g_mutex_lock(&patience->lock);
    patience->ends = true;
    g_cond_signal(&patience->ended);
    g_mutex_unlock(&patience->lock);
    g_thread_join(patience->thread);
    g_hash_table_unref(patience->connections);
    g_cond_clear(&patience->ended);
    g_mutex_clear(&patience->lock);
    g_free(patience);
}

struct waiting *waiting_begin(struct patience *patience, int socket) {
    struct waiting *waiting = g_new(struct waiting, 1);
    *waiting = (struct waiting){patience, socket, g_get_monotonic_time(), false};
    g_mutex_lock(&patience->lock);
    g_hash_table_add(patience->connections, waiting);
    g_mutex_unlock(&patience->lock);
    return waiting;
}

void waiting_has_time(struct waiting *waiting, bool has_time) {
    if (!waiting)
        return;
    g_mutex_lock(&waiting->patience->lock);
    waiting->has_time = has_time;
    waiting->since_us = g_get_monotonic_time();
    g_mutex_unlock(&waiting->patience->lock);
}

void waiting_end(struct waiting *waiting) {
    struct patience *patience = waiting->patience;
    g_mutex_lock(&patience->lock);
    g_hash_table_remove(patience->connections, waiting);
    g_mutex_unlock(&patience->lock);
}
