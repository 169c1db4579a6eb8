#include "flow/durations.h"

#include "flow/store.h"

#include <time.h>

static const double steady_s = 0.5; /* a rate of less time says little */

void duration_note(struct ta_context *context, const char *what, uint64_t amount, double seconds) {
    enum { REMEMBERED = 500 };
    struct store *store;
    if (context_store_made(context, &store, NULL))
        return;
    store_run(store, NULL, "INSERT OR REPLACE INTO duration VALUES (?, ?, ?, ?)", "sidi", what, (int64_t)amount,
              seconds, (int64_t)time(NULL));
    store_run(store, NULL,
              "DELETE FROM duration WHERE what NOT IN (SELECT what FROM duration ORDER BY noted_s DESC LIMIT ?)", "i",
              (int64_t)REMEMBERED);
}

struct known_duration {
    double amount, seconds;
    bool found;
};

static bool take_duration(void *with, const struct store_row *row) {
    *(struct known_duration *)with = (struct known_duration){store_real(row, 0), store_real(row, 1), true};
    return false;
}

double duration_expect(struct ta_context *context, const char *what, uint64_t amount) {
    struct known_duration known = {0};
    struct store *store;
    if (!context_store(context, &store, NULL))
        store_each(store, take_duration, &known, NULL, "SELECT amount, seconds FROM duration WHERE what = ?", "s",
                   what);
    return !known.found                     ? -1
           : known.amount > 0 && amount > 0 ? known.seconds * (double)amount / known.amount
                                            : known.seconds;
}

void duration_start(struct duration_watch *watch, struct ta_context *context, const char *what, const char *key,
                    uint64_t from, uint64_t amount) {
    *watch = (struct duration_watch){.context = context,
                                     .what = what,
                                     .key = key,
                                     .start_us = g_get_monotonic_time(),
                                     .from = from,
                                     .expected_s = duration_expect(context, key, amount)};
    duration_progress(watch, from, 0);
}

void duration_progress(void *with, uint64_t done, uint64_t total) {
    const struct duration_watch *watch = with;
    double passed = (double)(g_get_monotonic_time() - watch->start_us) / 1e6;
    struct ta_progress progress = {.what = watch->what, .done = done, .total = total, .in_bytes = true, .left_s = -1};
    if (passed > 0)
        progress.bytes_per_s = (double)(done - watch->from) / passed;
    if (total && passed >= steady_s && progress.bytes_per_s > 0)
        progress.left_s = (double)(total - done) / progress.bytes_per_s;
    else if (watch->expected_s >= 0)
        progress.left_s = MAX(watch->expected_s - passed, 0);
    context_progress(watch->context, progress);
}

void duration_end(const struct duration_watch *watch, uint64_t amount) {
    duration_note(watch->context, watch->key, amount, (double)(g_get_monotonic_time() - watch->start_us) / 1e6);
}
