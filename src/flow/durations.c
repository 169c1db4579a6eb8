#include "flow/durations.h"

#include "flow/context.h"
#include "host/files.h"
#include "host/json_file.h"

#include <glib.h>
#include <jansson.h>

enum { REMEMBERED = 200 };
static const double steady_s = 0.5; /* a rate of less time says little */

static char *durations_file(const struct ta_context *context) {
    return g_build_filename(context->cache, "durations.json", NULL);
}

static json_t *read_durations(const struct ta_context *context) {
    g_autofree char *file = durations_file(context);
    json_t *all = json_load_file(file, 0, NULL);
    if (json_is_object(all) && json_object_size(all) < REMEMBERED)
        return all;
    json_decref(all);
    return json_object();
}

void duration_note(const struct ta_context *context, const char *what, uint64_t amount, double seconds) {
    g_autofree char *file = durations_file(context);
    json_t *all = read_durations(context);
    json_object_set_new(all, what, json_pack("{s:I, s:f}", "amount", (json_int_t)amount, "seconds", seconds));
    if (!folder_make(context->cache, NULL))
        json_file_write(file, all, false, NULL); /* only a help */
    json_decref(all);
}

double duration_expect(const struct ta_context *context, const char *what, uint64_t amount) {
    json_t *all = read_durations(context);
    const json_t *known = json_object_get(all, what);
    double seconds = json_number_value(json_object_get(known, "seconds"));
    double last = (double)json_integer_value(json_object_get(known, "amount"));
    double expected = !known ? -1 : last > 0 && amount ? seconds * (double)amount / last : seconds;
    json_decref(all);
    return expected;
}

void duration_start(struct duration_watch *watch, const struct ta_context *context, const char *what, const char *key,
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
    context_progress(watch->context, &progress);
}

void duration_end(const struct duration_watch *watch, uint64_t amount) {
    duration_note(watch->context, watch->key, amount, (double)(g_get_monotonic_time() - watch->start_us) / 1e6);
}
