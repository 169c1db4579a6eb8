#include "flow/verify/trials.h"

#include "host/inside.h"
#include "host/patterns.h"
#include "host/picture_file.h"

enum { TRIAL_FILE_BYTES = 1 << 20 };

static void free_trials(gpointer trials) {
    ta_trials_free(trials);
}

/* Names tell trials apart, in all files together. */
static enum ta_status check_names(const struct trial_files *trials, const struct ta_trials *parsed, const char *name,
                                  struct ta_problem *why) {
    for (guint i = 0; i < trials->files->len; ++i)
        for (size_t k = 0; k < ta_trials_count(trials->files->pdata[i]); ++k)
            for (size_t own = 0; own < ta_trials_count(parsed); ++own) {
                const struct ta_trials *other = trials->files->pdata[i];
                if (strcmp(ta_trial_name(other, k), ta_trial_name(parsed, own)))
                    continue;
                ta_problem_set(why, TA_E_INPUT, "give one of them another name", "the trial \"%s\" is in %s:%u too",
                               ta_trial_name(parsed, own), trials->names.items[i], ta_trial_line(other, k));
                ta_problem_at(why, name, ta_trial_line(parsed, own), 1);
                return TA_E_INPUT;
            }
    return TA_OK;
}

/* A trial file, whose pictures are named as seen from where it lies. */
struct source {
    struct workspace *workspace;
    const char *name;
    struct sha256 *sum;
};

/* What is digested before it is read cannot be called verified when it was saved in between. */
static void add_digest(struct source *source, const char *below) {
    char digest[SHA256_TEXT_BYTES];
    sha256_add_line(source->sum, below);
    if (!file_sha256(workspace_path(source->workspace, below), NULL, digest, NULL))
        sha256_add_line(source->sum, digest);
}

/* *BELOW is where it is, as seen from the project; freed with g_free. */
static enum ta_status find_beside(struct source *source, const char *name, char **below, struct ta_problem *why) {
    g_autofree char *folder = g_path_get_dirname(source->name);
    *below = g_build_filename(folder, name, NULL);
    switch (inside_look(source->workspace->folder, *below)) {
    case INSIDE_FILE: add_digest(source, *below); return TA_OK;
    case OUTSIDE:
        return ta_problem_set(why, TA_E_INPUT, "put it beside the trials", "%s leads out of the project", name);
    default: return ta_problem_set(why, TA_E_INPUT, "put it beside the trials", "there is no file %s", *below);
    }
}

static enum ta_status open_picture(void *with, const char *name, struct ta_picture *picture, struct ta_problem *why) {
    struct source *source = with;
    g_autofree char *below = NULL;
    enum ta_status status = find_beside(source, name, &below, why);
    return status ? status : picture_read(workspace_path(source->workspace, below), below, picture, why);
}

static enum ta_status open_contents(void *with, const char *name, char **bytes, size_t *length,
                                    struct ta_problem *why) {
    enum { CONTENTS_BYTES = 64 << 20 };
    struct source *source = with;
    g_autofree char *below = NULL;
    enum ta_status status = find_beside(source, name, &below, why);
    return status ? status : file_read(workspace_path(source->workspace, below), CONTENTS_BYTES, bytes, length, why);
}

/* Not before the build: TA_E_UNSUPPORTED. */
static enum ta_status postpone_picture(void *with, const char *name, struct ta_picture *picture,
                                       struct ta_problem *why) {
    (void)with, (void)picture;
    return ta_problem_set(why, TA_E_UNSUPPORTED, NULL, "%s is not read yet", name);
}

static enum ta_status postpone_contents(void *with, const char *name, char **bytes, size_t *length,
                                        struct ta_problem *why) {
    (void)with, (void)bytes, (void)length;
    return ta_problem_set(why, TA_E_UNSUPPORTED, NULL, "%s is not read yet", name);
}

static enum ta_status open_file(struct workspace *workspace, const char *name, bool early, struct trial_files *trials,
                                struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length = 0;
    struct ta_trials *parsed;
    struct source source = {workspace, name, trials->sum};
    const struct ta_attachments attachments = {&source, early ? postpone_picture : open_picture,
                                               early ? postpone_contents : open_contents};
    enum ta_status status = file_read(workspace_path(workspace, name), TRIAL_FILE_BYTES, &text, &length, why);
    sha256_add_line(trials->sum, name);
    if (!status) {
        sha256_add(trials->sum, text, length);
        status = ta_trials_parse(text, length, name, &host_patterns, &attachments, &parsed, why);
    }
    if (status)
        return status;
    status = check_names(trials, parsed, name, why);
    g_ptr_array_add(trials->files, parsed);
    for (size_t i = 0; !status && workspace->profile.name && i < ta_trials_count(parsed); ++i)
        status = ta_trial_check(parsed, i, &workspace->profile, why);
    return status;
}

static enum ta_status open_all(struct workspace *workspace, bool early, struct trial_files *trials,
                               struct ta_problem *why) {
    uint8_t digest[SHA256_BYTES];
    *trials = (struct trial_files){.files = g_ptr_array_new_with_free_func(free_trials), .sum = sha256_new()};
    enum ta_status status = workspace_files(workspace, "trials", &workspace->project.trials, &trials->names, why);
    for (size_t i = 0; !status && i < trials->names.count; ++i)
        status = open_file(workspace, trials->names.items[i], early, trials, why);
    sha256_end(trials->sum, digest);
    sha256_text(digest, trials->digest);
    return status;
}

enum ta_status trials_open(struct workspace *workspace, struct trial_files *trials, struct ta_problem *why) {
    return open_all(workspace, false, trials, why);
}

enum ta_status trials_open_early(struct workspace *workspace, struct trial_files *trials, bool *whole,
                                 struct ta_problem *why) {
    struct ta_problem found = {0};
    enum ta_status status = open_all(workspace, true, trials, &found);
    *whole = !status;
    return status && status != TA_E_UNSUPPORTED ? ta_problem_copy(why, &found) : TA_OK;
}

void trials_close(struct trial_files *trials) {
    g_clear_pointer(&trials->files, g_ptr_array_unref);
    g_clear_pointer(&trials->sum, sha256_free);
}

size_t trials_count(const struct trial_files *trials) {
    size_t count = 0;
    for (guint i = 0; i < trials->files->len; ++i)
        count += ta_trials_count(trials->files->pdata[i]);
    return count;
}
