/* What preferences.yaml sets: how long to wait, and how much to take. */
#include "flow/context.h"

#include "host/model_files.h"

enum ta_status context_preferences(const struct ta_context *context, struct preferences *preferences,
                                   struct ta_problem *why) {
    g_autofree char *file = g_build_filename(context->home, "preferences.yaml", NULL);
    *preferences = (struct preferences){0};
    return g_file_test(file, G_FILE_TEST_EXISTS) ? preferences_read(file, file, context->arena, preferences, why)
                                                 : TA_OK;
}

unsigned context_seconds(const struct ta_context *context, enum limit limit) {
    struct preferences said;
    enum ta_status status = context_preferences(context, &said, NULL);
    const struct {
        unsigned said, otherwise;
    } limits[] = {[PATIENCE_S] = {said.patience_s, 15},
                  [TRANSFER_S] = {said.transfer_s, 900},
                  [TRIAL_S] = {said.trial_s, 120},
                  [COMPILE_S] = {said.compile_s, 600}};
    return status || !limits[limit].said ? limits[limit].otherwise : limits[limit].said;
}

static void tell_waiting(void *with, const char *who) {
    g_autofree char *what = g_strdup_printf("waiting for %s", who);
    context_doing(with, what, 0, 0);
}

enum ta_status context_lock(struct ta_context *context, const char *path, const char *what, const char *doing,
                            unsigned patience_s, struct lock *lock, struct ta_problem *why) {
    g_autofree char *folder = g_path_get_dirname(path);
    *lock = (struct lock){0};
    enum ta_status status = folder_make(folder, why);
    return status ? status
                  : lock_take(path, what, doing, patience_s, context_cancelled, tell_waiting, context, lock, why);
}

enum ta_status context_limits(const struct ta_context *context, struct archive_limits *limits, struct ta_problem *why) {
    struct preferences preferences;
    enum ta_status status = context_preferences(context, &preferences, why);
    *limits = archive_limits_default;
    if (preferences.archive_bytes)
        limits->bytes = preferences.archive_bytes;
    if (preferences.archive_files)
        limits->files = preferences.archive_files;
    if (preferences.archive_ratio)
        limits->ratio = preferences.archive_ratio;
    return status;
}
