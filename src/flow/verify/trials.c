#include "flow/verify/trials.h"

#include "host/patterns.h"

enum { TRIAL_FILE_BYTES = 1 << 20 };

static void free_trials(gpointer trials) {
    ta_trials_free(trials);
}

static enum ta_status open_file(struct workspace *workspace, const char *name, struct trial_files *trials,
                                struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length = 0;
    struct ta_trials *parsed;
    enum ta_status status = file_read(workspace_path(workspace, name), TRIAL_FILE_BYTES, &text, &length, why);
    if (!status)
        status = ta_trials_parse(text, length, name, &host_patterns, &parsed, why);
    if (status)
        return status;
    g_ptr_array_add(trials->files, parsed);
    for (size_t i = 0; !status && workspace->profile.name && i < ta_trials_count(parsed); ++i)
        status = ta_trial_check(parsed, i, &workspace->profile, why);
    return status;
}

enum ta_status trials_open(struct workspace *workspace, struct trial_files *trials, struct ta_problem *why) {
    trials->files = g_ptr_array_new_with_free_func(free_trials);
    enum ta_status status = workspace_files(workspace, "trials", &workspace->project.trials, &trials->names, why);
    for (size_t i = 0; !status && i < trials->names.count; ++i)
        status = open_file(workspace, trials->names.items[i], trials, why);
    return status;
}

void trials_close(struct trial_files *trials) {
    g_ptr_array_free(trials->files, TRUE);
}

size_t trials_count(const struct trial_files *trials) {
    size_t count = 0;
    for (guint i = 0; i < trials->files->len; ++i)
        count += ta_trials_count(trials->files->pdata[i]);
    return count;
}
