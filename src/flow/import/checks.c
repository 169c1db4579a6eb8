#include "flow/import/import.h"

#include "flow/setup/setup.h"

/* The manifest's lists of paths. */
struct path_list {
    const char *key;
    const struct texts *paths;
};

/* Those of its images among them. */
static GArray *path_lists(const struct project *project) {
    const struct path_list own[] = {{"sources", &project->sources},
                                    {"include", &project->include},
                                    {"assets", &project->assets},
                                    {"trials", &project->trials},
                                    {"docs", &project->docs}};
    GArray *lists = g_array_new(FALSE, FALSE, sizeof(struct path_list));
    g_array_append_vals(lists, own, G_N_ELEMENTS(own));
    for (size_t i = 0; i < project->image_count; ++i) {
        const struct path_list of_image[] = {{"sources", &project->images[i].sources},
                                             {"include", &project->images[i].include}};
        g_array_append_vals(lists, of_image, G_N_ELEMENTS(of_image));
    }
    return lists;
}

/* Names, the first few of them, and how many more there are. */
static char *some_of(const GPtrArray *names) {
    enum { SHOWN = 5 };
    g_autoptr(GString) text = g_string_new(NULL);
    guint count = names->len - 1; /* the null at the end */
    for (guint i = 0; i < count && i < SHOWN; ++i)
        g_string_append_printf(text, "%s%s", i ? ", " : "", (const char *)names->pdata[i]);
    if (count > SHOWN)
        g_string_append_printf(text, " and %u more", count - SHOWN);
    return g_strdup(text->str);
}

static void report_names(struct ta_report *report, enum ta_level level, const char *subject, const GPtrArray *names,
                         const char *fix, const char *what) {
    if (names->len < 2)
        return;
    g_autofree char *all = some_of(names);
    report_add(report, level, subject, fix, "%s: %s", what, all);
}

static enum ta_status check_paths(const struct import_check *check, struct workspace *workspace,
                                  const struct gather *gather, struct ta_report *report) {
    g_autoptr(GArray) lists = path_lists(&workspace->project);
    enum ta_status status = TA_OK;
    for (guint i = 0; i < lists->len; ++i) {
        const struct path_list *list = &g_array_index(lists, struct path_list, i);
        for (size_t k = 0; !status && k < list->paths->count; ++k) {
            const char *path = list->paths->items[k];
            g_auto(GStrv) found = files_match(check->work, path);
            g_autofree char *first = found[0] ? g_build_filename(check->work, found[0], NULL) : NULL;
            bool outside = scan_leaves(check->work, path);
            if (outside && check->gather && check->original)
                status = gather_path(gather, path);
            else if (outside && !check->in_place)
                report_add(report, TA_LEVEL_PROBLEM, "outside",
                           check->original ? "import with {option gather} to copy it in, or with {option in-place}"
                                           : "ask its author for a whole one",
                           "%s names %s, which lies outside the project", list->key, path);
            else if (!outside && !(first && g_file_test(first, G_FILE_TEST_EXISTS)))
                report_add(report, TA_LEVEL_WARNING, "missing", "add it, or take it out of anchor.yaml",
                           "%s names %s, which is not there", list->key, path);
        }
    }
    return status;
}

static void report_scan(const struct import_check *check, const struct workspace *workspace, const struct scan *scan,
                        struct ta_report *report) {
    const struct project *project = &workspace->project;
    unsigned files = g_strv_length(scan->files) - check->drafted;
    report_add(report, TA_LEVEL_OK, "files", NULL, "%u from the author; the build generates board.h, board.ld%s%s",
               files, project->setting_count ? ", settings.h" : "",
               project->assets.count ? ", resources.h, resources.S" : "");
    report_number(report, "files", files);
    if (project->needs.sdk.count)
        report_add(report, TA_LEVEL_OK, "needs", NULL, "%s %s", project->needs.sdk.items[0].name,
                   project->needs.sdk.items[0].range);
    if (!check->in_place)
        report_names(report, TA_LEVEL_WARNING, "outside", scan->outside,
                     check->original ? "import with {option gather} to copy them in, or with {option in-place}"
                                     : "unpack it yourself, then import the folder with {option gather}",
                     "sources include files from outside");
    report_names(report, TA_LEVEL_WARNING, "names", scan->clashes, "rename them",
                 "names that clash or cannot exist on other systems");
    report_names(report, TA_LEVEL_PROBLEM, "sources", scan->binary,
                 "take them out, or ask the author for their sources",
                 "these files are not text, and compilers are given nothing else");
    report_names(report, TA_LEVEL_WARNING, "programs", scan->programs, "check where they come from",
                 "the files include executables or objects");
    if (project->docs.count)
        report_add(report, TA_LEVEL_NOTE, "read first", NULL, "%s", project->docs.items[0]);
    if (scan->entry)
        report_add(report, TA_LEVEL_NOTE, "starts in", NULL, "%s", scan->entry);
}

enum ta_status import_check(const struct import_check *check, struct ta_report *report, struct ta_problem *why) {
    struct workspace workspace;
    struct scan scan;
    g_autoptr(GHashTable) names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    struct archive_limits limits;
    const struct file_watch watch = {.cancelled = context_cancelled, .cancelled_with = check->context};
    enum ta_status status = context_limits(check->context, &limits, why);
    const struct gather gather = {check->work, check->original, names, limits.bytes, &watch, report, why};
    status = status ? status : workspace_open(check->context, check->work, NULL, &workspace, why);
    if (!status) {
        report_title(report, "%s %s: %s", workspace.project.project, workspace.project.version,
                     workspace.project.title);
        status = check_paths(check, &workspace, &gather, report);
    }
    if (!status) {
        scan_folder(check->work, &scan);
        if (check->gather && check->original && scan.outside->len > 1) {
            status = gather_includes(&gather, scan.files);
            scan_clear(&scan);
            scan_folder(check->work, &scan);
        }
        report_scan(check, &workspace, &scan, report);
        scan_clear(&scan);
    }
    if (!status)
        status = supply_needs(check->context, workspace.project.project, &workspace.project.needs, report, why);
    return !status && !check->anyway && ta_report_count(report, TA_LEVEL_PROBLEM) ? TA_E_NO : status;
}
