#include "flow/import/import.h"

#include "host/copy.h"

#include <stdlib.h>

enum { TEXT_BYTES = 4 << 20 };

/* A name in gathered/ that is still free, for FROM. */
static enum ta_status free_name(const struct gather *gather, const char *from, char **below) {
    g_autofree char *name = g_path_get_basename(from);
    g_autofree char *folder = g_build_filename(gather->work, "gathered", NULL);
    enum ta_status status = folder_make(folder, gather->why);
    *below = g_strdup_printf("gathered/%s", name);
    for (unsigned number = 2; !status; ++number) {
        g_autofree char *to = g_build_filename(gather->work, *below, NULL);
        if (!g_file_test(to, G_FILE_TEST_EXISTS))
            break;
        g_free(*below);
        *below = g_strdup_printf("gathered/%u-%s", number, name);
    }
    return status;
}

enum ta_status gather_path(const struct gather *gather, const char *path) {
    g_autofree char *from = g_canonicalize_filename(path, gather->original);
    g_autofree char *manifest = g_build_filename(gather->work, "anchor.yaml", NULL);
    g_autofree char *text = NULL, *below = NULL;
    size_t length;
    unsigned files;
    if (strpbrk(path, "*?") || !g_file_test(from, G_FILE_TEST_EXISTS))
        return ta_problem_set(gather->why, TA_E_INPUT, "name single files or folders that are there",
                              "cannot gather %s", path);
    if (g_hash_table_contains(gather->names, from))
        return TA_OK; /* named twice, and rewritten everywhere */
    g_autofree char *real = realpath(from, NULL);
    enum ta_status status = free_name(gather, from, &below);
    g_autofree char *to = g_build_filename(gather->work, below, NULL);
    g_hash_table_insert(gather->names, g_strdup(from), g_strdup(below));
    if (!status)
        status = folder_copy(real ? real : from, to, NULL, gather->most_bytes, gather->watch, &files, gather->why);
    if (!status)
        status = file_read(manifest, TEXT_BYTES, &text, &length, gather->why);
    if (status)
        return status;
    g_autofree char *escaped = g_regex_escape_string(path, -1);
    g_autofree char *pattern = g_strdup_printf("(?<![\\w./-])%s(?![\\w./-])", escaped);
    g_autoptr(GRegex) regex = g_regex_new(pattern, 0, 0, NULL);
    g_autofree char *rewritten = g_regex_replace_literal(regex, text, (gssize)length, 0, below, 0, NULL);
    report_add(gather->report, TA_LEVEL_NOTE, "gathered", NULL, "%s is now %s", path, below);
    return rewritten ? file_write(manifest, rewritten, strlen(rewritten), gather->why)
                     : ta_problem_set(gather->why, TA_E_INPUT, "save it as UTF-8", "anchor.yaml is not UTF-8 text");
}

/* Headers. */

/* One file whose #includes are looked at: its text lies at WORK/BELOW, and it came from FROM. */
struct looked_at {
    const struct gather *gather;
    char *below, *from;
    GQueue *waiting; /* of struct looked_at: headers that were copied */
    enum ta_status status;
    bool changed;
};

static void looked_at_free(gpointer with) {
    struct looked_at *file = with;
    g_free(file->below);
    g_free(file->from);
    g_free(file);
}

/* Where the header at FROM is in the project now, copied when it was not before; null after a problem. */
static const char *gather_header(struct looked_at *file, const char *from) {
    const struct gather *gather = file->gather;
    const char *known = g_hash_table_lookup(gather->names, from);
    char *below = NULL;
    unsigned files;
    if (known)
        return known;
    file->status = free_name(gather, from, &below);
    g_autofree char *to = g_build_filename(gather->work, below, NULL), *real = realpath(from, NULL);
    if (!file->status)
        file->status =
            folder_copy(real ? real : from, to, NULL, gather->most_bytes, gather->watch, &files, gather->why);
    g_hash_table_insert(gather->names, g_strdup(from), below);
    struct looked_at *next = g_new0(struct looked_at, 1);
    *next = (struct looked_at){
        .gather = gather, .below = g_strdup(below), .from = g_strdup(from), .waiting = file->waiting};
    g_queue_push_tail(file->waiting, next);
    report_add(gather->report, TA_LEVEL_NOTE, "gathered", NULL, "%s is now %s", from, below);
    return file->status ? NULL : below;
}

/* The way to TO from the folder of FROM, both below the project. */
static char *relative(const char *from, const char *to) {
    g_autoptr(GString) path = g_string_new(NULL);
    for (const char *at = strchr(from, '/'); at; at = strchr(at + 1, '/'))
        g_string_append(path, "../");
    g_string_append(path, to);
    return g_strdup(path->str);
}

static gboolean rewrite_include(const GMatchInfo *match, GString *result, gpointer with) {
    struct looked_at *file = with;
    g_autofree char *whole = g_match_info_fetch(match, 0), *before = g_match_info_fetch(match, 1),
                    *name = g_match_info_fetch(match, 2);
    g_autofree char *folder = g_path_get_dirname(file->from);
    g_autofree char *from = g_canonicalize_filename(name, folder);
    bool outside = scan_leaves(file->gather->original, from) && g_file_test(from, G_FILE_TEST_IS_REGULAR);
    const char *below = outside && !file->status ? gather_header(file, from) : NULL;
    if (below) {
        g_autofree char *path = relative(file->below, below);
        g_string_append_printf(result, "%s\"%s\"", before, path);
        file->changed = true;
    } else {
        g_string_append(result, whole);
    }
    return FALSE;
}

static enum ta_status look_at(struct looked_at *file, GRegex *includes) {
    g_autofree char *path = g_build_filename(file->gather->work, file->below, NULL);
    g_autofree char *text = NULL;
    size_t length;
    enum ta_status status = file_read(path, TEXT_BYTES, &text, &length, file->gather->why);
    if (status)
        return status;
    g_autofree char *rewritten =
        g_regex_replace_eval(includes, text, (gssize)length, 0, 0, rewrite_include, file, NULL);
    if (file->status || !file->changed || !rewritten)
        return file->status;
    return file_write(path, rewritten, strlen(rewritten), file->gather->why);
}

enum ta_status gather_includes(const struct gather *gather, char *const *files) {
    g_autoptr(GRegex) includes =
        g_regex_new("^(" SCAN_INCLUDE ")\"([^\"\\n]+)\"", G_REGEX_MULTILINE | G_REGEX_RAW, 0, NULL);
    GQueue waiting = G_QUEUE_INIT;
    enum ta_status status = TA_OK;
    for (; *files; ++files) {
        if (!scan_is_source(*files) && !g_str_has_suffix(*files, ".h"))
            continue;
        struct looked_at *file = g_new0(struct looked_at, 1);
        *file = (struct looked_at){.gather = gather,
                                   .below = g_strdup(*files),
                                   .from = g_build_filename(gather->original, *files, NULL),
                                   .waiting = &waiting};
        g_queue_push_tail(&waiting, file);
    }
    for (struct looked_at *file; (file = g_queue_pop_head(&waiting)); looked_at_free(file))
        status = status ? status : look_at(file, includes);
    return status;
}
