/* Whose the files of a project are. */
#include "flow/project/project.h"

static const struct ta_column columns[] = {
    {"path", TA_COLUMN_TEXT}, {"origin", TA_COLUMN_TEXT}, {"state", TA_COLUMN_TEXT}, {0}};

static void add_file(struct ta_report *report, const char *path, const char *origin, const char *state) {
    report_row(report, CELLS(TEXT_CELL(path), TEXT_CELL(origin), TEXT_CELL(state)));
}

static bool is_our_gitignore(struct workspace *workspace) {
    char head[sizeof GITIGNORE_HEAD - 1];
    return file_head(workspace_path(workspace, ".gitignore"), head, sizeof head) == sizeof head &&
           !memcmp(head, GITIGNORE_HEAD, sizeof head);
}

/* The compilation database in the project's folder leads to the one that the last build wrote. */
static bool is_our_link(struct workspace *workspace, const char *file) {
    g_autofree char *to =
        !strcmp(file, "compile_commands.json") ? g_file_read_link(workspace_path(workspace, file), NULL) : NULL;
    return to && g_str_has_prefix(to, "out/");
}

static void show_author(struct workspace *workspace, struct ta_report *report) {
    static const char *const others[] = {"out", ".tanchor", ".git", "setup.yaml", "settings.env", NULL};
    static const char *const users[] = {"setup.yaml", "settings.env"};
    g_auto(GStrv) files = files_below(workspace->folder, others);
    unsigned count = 0;
    for (char **file = files; *file; ++file) {
        bool ours = !strcmp(*file, ".gitignore") && is_our_gitignore(workspace), link = is_our_link(workspace, *file);
        add_file(report, *file, ours ? "yours" : link ? "generated" : "author", NULL);
        count += !ours && !link;
    }
    for (size_t i = 0; i < G_N_ELEMENTS(users); ++i)
        if (g_file_test(workspace_path(workspace, users[i]), G_FILE_TEST_EXISTS))
            add_file(report, users[i], "yours", NULL);
    report_number(report, "author", count);
}

static void show_generated(struct workspace *workspace, struct ta_report *report) {
    g_auto(GStrv) files = files_below(workspace_path(workspace, workspace->layout.generated), NULL);
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(workspace->layout.generated, *file, NULL);
        bool aside = g_str_has_suffix(path, ".edited"), edited = !aside && generated_is_edited(workspace, path);
        add_file(report, path, "generated", aside ? "kept aside" : edited ? "edited by hand" : NULL);
        if (edited)
            report_add(report, TA_LEVEL_WARNING, "generated", "{keep-edits} keeps a copy, {lose-edits} restores it",
                       "%s was edited by hand", path);
    }
    report_number(report, "generated", g_strv_length(files));
}

/* The SDK's files that take part in the build. */
static enum ta_status show_sdk(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct component **components;
    size_t count, sources = 0;
    enum ta_status status = workspace_components(workspace, &components, &count, why);
    for (size_t i = 0; !status && i < count; ++i)
        for (size_t k = 0; k < components[i]->sources.count; ++k, ++sources)
            add_file(report, components[i]->source_paths.items[k], component_origin(&workspace->sdk, components[i]),
                     NULL);
    report_number(report, "sdk", (int64_t)sources);
    return status;
}

enum ta_status ta_show_files(struct ta_context *context, const char *folder, struct ta_report *report,
                             struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (!status) {
        report_title(report, "the files of %s", workspace.project.project);
        report_table(report, "files", columns);
        show_author(&workspace, report);
        if (workspace.configured)
            status = workspace_load(&workspace, why);
    }
    if (!status && workspace.configured) {
        show_generated(&workspace, report);
        status = show_sdk(&workspace, report, why);
    } else if (!status) {
        report_next(report, "{configure}, to see those that come from the SDK");
    }
    return step_end(&step, status);
}
