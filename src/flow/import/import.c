/* import: makes a project from wherever an example comes. What grows, grows beside the destination and takes its place when
   it is whole and checked, so that a destination is there completely or not at all. */
#include "flow/import/import.h"
#include "flow/durations.h"
#include "flow/projects.h"
#include "host/copy.h"
#include "host/growing.h"
#include "host/inside.h"

#include <errno.h>
#include <glib/gstdio.h>

/* What builds left in a project is not taken for the user's own. */
static const char *const left_behind[] = {"out", ".tanchor", ".git", NULL};

/* SOURCE may be null when it is not known yet. */
static enum ta_status check_destination(const char *source, const char *destination, struct ta_problem *why) {
    g_autofree char *inside = source ? g_strconcat(source, "/", NULL) : NULL;
    if (inside && g_str_has_prefix(destination, inside))
        return ta_problem_set(why, TA_E_INPUT, "choose a folder outside it", "%s lies inside the source", destination);
    if (g_file_test(destination, G_FILE_TEST_EXISTS) && !folder_is_empty(destination))
        return ta_problem_set(why, TA_E_INPUT, "choose another folder: {import EXAMPLE FOLDER}",
                              "%s already exists and is not empty", destination);
    return TA_OK;
}

/* One import. WORK is the folder where the project is made ready: the growing copy, what was unpacked, or the user's own. */
struct importer {
    struct ta_context *context;
    const struct ta_import *request;
    struct source source;
    char *destination, *work;
    struct growing growing;
    struct ta_report *report;
    struct ta_problem *why, found; /* WHY points to FOUND, which is told when all is over */
};

static enum ta_status prepare_work(struct importer *importer) {
    const struct source *source = &importer->source;
    struct duration_watch duration;
    unsigned files;
    if (importer->request->in_place || source->staged) {
        importer->work = g_strdup(source->root);
        for (size_t i = 0; !importer->request->in_place && left_behind[i]; ++i) {
            g_autofree char *left = g_build_filename(importer->work, left_behind[i], NULL);
            folder_remove(left);
        }
        return importer->request->in_place ? TA_OK : inside_check(importer->work, source->about, importer->why);
    }
    struct archive_limits limits;
    enum ta_status status = check_destination(source->root, importer->destination, importer->why);
    status = status ? status : context_limits(importer->context, &limits, importer->why);
    importer->work = g_strdup(importer->growing.content);
    g_autofree char *key = g_strdup_printf("copy %s", source->root);
    duration_start(&duration, importer->context, "copying", key, 0, 0);
    const struct file_watch watch = context_watch(importer->context, duration_progress, &duration);
    if (!status)
        status = folder_copy(source->root, importer->work, left_behind, limits.bytes, &watch, &files, importer->why);
    if (!status)
        duration_end(&duration, 0);
    return status;
}

/* Somebody else's setup is a proposal: {configure} starts from it, and no build takes it for what the user chose. */
static enum ta_status take_proposal(struct importer *importer) {
    g_autofree char *setup = g_build_filename(importer->work, "setup.yaml", NULL);
    g_autofree char *proposal = g_build_filename(importer->work, PROPOSED_SETUP, NULL);
    if (importer->request->in_place || !g_file_test(setup, G_FILE_TEST_EXISTS | G_FILE_TEST_IS_SYMLINK))
        return TA_OK;
    if (g_rename(setup, proposal))
        return ta_problem_set(importer->why, TA_E_SYSTEM, NULL, "cannot rename %s: %s", setup, g_strerror(errno));
    report_add(importer->report, TA_LEVEL_NOTE, "setup", NULL, "its setup.yaml is now a proposal: " PROPOSED_SETUP);
    return TA_OK;
}

/* Values for settings are somebody's own, secrets among them: a copy starts from the template. */
static void leave_settings(struct importer *importer) {
    g_autofree char *settings = g_build_filename(importer->work, SETTINGS_FILE, NULL);
    if (importer->request->in_place || !g_file_test(settings, G_FILE_TEST_EXISTS | G_FILE_TEST_IS_SYMLINK))
        return;
    folder_remove(settings);
    report_add(importer->report, TA_LEVEL_NOTE, "settings", NULL,
               "its " SETTINGS_FILE " holds somebody's own values and was left behind");
}

/* The link that a build left leads to outputs, which stayed behind. */
static void leave_database_link(struct importer *importer) {
    g_autofree char *link = g_build_filename(importer->work, "compile_commands.json", NULL);
    g_autofree char *to = g_file_read_link(link, NULL);
    if (!importer->request->in_place && to && g_str_has_prefix(to, "out/"))
        g_unlink(link);
}

/* What no repository should keep. */
static enum ta_status write_gitignore(struct importer *importer) {
    static const char text[] = GITIGNORE_HEAD "/out/\n/.tanchor/\n/compile_commands.json\n/" SETTINGS_FILE "\n";
    g_autofree char *path = g_build_filename(importer->work, ".gitignore", NULL);
    return g_file_test(path, G_FILE_TEST_EXISTS | G_FILE_TEST_IS_SYMLINK)
               ? TA_OK
               : file_write(path, text, strlen(text), importer->why);
}

/* Problems name files where the user knows them, not where they grow. */
static enum ta_status told_by_source(struct importer *importer, enum ta_status status) {
    const struct ta_problem *found = &importer->found;
    if (!status || !importer->work || !g_str_has_prefix(found->file, importer->work))
        return status;
    g_autofree char *file = g_strconcat(importer->request->source, found->file + strlen(importer->work), NULL);
    ta_problem_at(&importer->found, file, found->line, found->column);
    return status;
}

static enum ta_status check_work(struct importer *importer) {
    const struct import_check check = {.context = importer->context,
                                       .work = importer->work,
                                       .original = importer->source.staged ? NULL : importer->source.root,
                                       .in_place = importer->request->in_place,
                                       .gather = importer->request->gather,
                                       .anyway = importer->request->anyway,
                                       .drafted = !importer->source.has_manifest};
    enum ta_status status = TA_OK;
    if (!importer->source.has_manifest)
        status = draft_write(importer->context, importer->work, importer->source.name, importer->report, importer->why);
    return told_by_source(importer, status ? status : import_check(&check, importer->report, importer->why));
}

/* settings.env with placeholders, for what the manifest asks for. */
static enum ta_status write_settings(struct importer *importer) {
    struct workspace workspace;
    enum ta_status status = workspace_open(importer->context, importer->work, NULL, &workspace, importer->why);
    if (!status)
        status = settings_template(&workspace, importer->report, importer->why);
    return status;
}

static enum ta_status put_in_place(struct importer *importer) {
    if (importer->request->in_place)
        return project_note_in_place(importer->context, importer->work, importer->why);
    if (g_rename(importer->work, importer->destination))
        return ta_problem_set(importer->why, TA_E_SYSTEM, "choose another folder", "cannot make %s: %s",
                              importer->destination, g_strerror(errno));
    return TA_OK;
}

static enum ta_status import(struct importer *importer) {
    const struct source *source = &importer->source;
    const struct ta_import *request = importer->request;
    enum ta_status status = source_open(importer->context, request, importer->growing.content, &importer->source,
                                        importer->report, importer->why);
    if (!status && request->in_place && (source->staged || source->is_example))
        status = ta_problem_set(importer->why, TA_E_USAGE, "leave it out",
                                "{option in-place} works only with a folder of your own");
    if (!status) {
        report_add(importer->report, TA_LEVEL_OK, "from", NULL, "%s", source->about);
        status = prepare_work(importer);
    }
    if (!status)
        status = take_proposal(importer);
    if (!status) {
        leave_settings(importer);
        leave_database_link(importer);
    }
    if (!status)
        status = check_work(importer);
    if (!status)
        status = write_settings(importer);
    if (!status)
        status = write_gitignore(importer);
    return status ? status : put_in_place(importer);
}

static void report_import(struct importer *importer) {
    struct ta_report *report = importer->report;
    g_autofree char *here = g_canonicalize_filename(".", NULL);
    g_autofree char *inside = g_strconcat(here, "/", NULL);
    const char *folder = importer->request->in_place ? importer->source.root : importer->destination;
    report_add(report, TA_LEVEL_OK, "project", NULL, "%s%s", folder,
               importer->request->in_place ? " (in place: what you change there changes the original)" : "");
    report_text(report, "project", folder);
    if (!strcmp(folder, here))
        report_next(report, "{configure}");
    else
        report_next(report, "{enter %s} && {configure}",
                    g_str_has_prefix(folder, inside) ? folder + strlen(inside) : folder);
}

enum ta_status ta_import(struct ta_context *context, const struct ta_import *asked, struct ta_report *report,
                         struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_import request = {0};
    struct importer importer = {.context = context, .request = &request, .report = report, .why = &importer.found};
    enum ta_status status = request_copy(asked, &request, sizeof request, why);
    if (!status && request.in_place && request.destination)
        status = ta_problem_set(why, TA_E_USAGE, "leave one of them out", "{option in-place} takes no destination");
    if (status)
        return step_end(&step, status);
    g_autofree char *name = source_name(request.subfolder ? request.subfolder : request.source);
    importer.destination = g_canonicalize_filename(request.destination ? request.destination : name, NULL);
    status = request.in_place ? TA_OK : check_destination(NULL, importer.destination, importer.why);
    g_autofree char *above = g_path_get_dirname(importer.destination);
    if (!status && !request.in_place)
        status = growing_begin(above, &importer.growing, importer.why);
    if (!status)
        status = import(&importer);
    if (!status)
        report_import(&importer);
    growing_end(&importer.growing);
    source_close(&importer.source);
    g_free(importer.destination);
    g_free(importer.work);
    if (status)
        ta_problem_copy(why, &importer.found);
    return step_end(&step, status);
}
