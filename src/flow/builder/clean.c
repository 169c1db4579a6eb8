/* Taking away what builds left. */
#include "flow/builder/build.h"
#include "host/files.h"

#include <glib/gstdio.h>

/* Generated files that somebody edited are never lost on the way, nor are the copies that a build put aside. */
static enum ta_status check_edits(struct workspace *workspace, const char *folder, struct ta_problem *why) {
    g_autofree char *generated = g_build_filename(folder, "generated", NULL);
    g_auto(GStrv) files = files_below(workspace_path(workspace, generated), NULL);
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(generated, *file, NULL);
        if (strstr(*file, EDITED_COPY))
            return ta_problem_set(why, TA_E_NO, "move it out of that folder", "%s is a copy of what you edited", path);
        if (generated_is_edited(workspace, path))
            return ta_problem_set(why, TA_E_NO, "{keep-edits} keeps a copy, {lose-edits} restores it",
                                  "%s was edited by hand", path);
    }
    return TA_OK;
}

/* Takes away the folders in out/ that builds made, as the project's records tell. What else lies there is the user's. */
static enum ta_status remove_all(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const char *out = workspace_path(workspace, "out"), *name;
    g_autoptr(GPtrArray) made = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GDir) entries = g_dir_open(out, 0, NULL);
    enum ta_status status = TA_OK;
    while (!status && entries && (name = g_dir_read_name(entries))) {
        g_autofree char *records = g_build_filename(".tanchor/build", name, NULL);
        char *folder = g_build_filename("out", name, NULL);
        if (g_file_test(workspace_path(workspace, records), G_FILE_TEST_IS_DIR)) {
            status = check_edits(workspace, folder, why);
            g_ptr_array_add(made, folder);
        } else {
            report_add(report, TA_LEVEL_NOTE, "clean", NULL, "%s stays: no build made it", folder);
            g_free(folder);
        }
    }
    for (guint i = 0; !status && i < made->len; ++i)
        folder_remove(workspace_path(workspace, made->pdata[i]));
    g_rmdir(out); /* when nothing is left in it */
    return status;
}

static void remove_files(struct workspace *workspace, const char *const *files, size_t count) {
    for (size_t i = 0; i < count; ++i)
        g_unlink(workspace_path(workspace, files[i]));
}

static void remove_setup(struct workspace *workspace) {
    const struct layout *out = &workspace->layout;
    const char *const files[] = {out->memory, out->commands, out->state, out->state_since, out->fabric, out->card};
    folder_remove(workspace_path(workspace, out->objects));
    folder_remove(workspace_path(workspace, out->pictures));
    remove_files(workspace, files, G_N_ELEMENTS(files));
    for (size_t i = 0; i < out->image_count; ++i) {
        const struct image_layout *image = &out->images[i];
        const char *const forms[] = {image->elf, image->binary, image->hex, image->srec, image->map, image->app};
        remove_files(workspace, forms, G_N_ELEMENTS(forms));
    }
}

enum ta_status build_clean(struct workspace *workspace, enum ta_clean what, struct ta_report *report,
                           struct ta_problem *why) {
    if (what == TA_CLEAN_ALL)
        return remove_all(workspace, report, why);
    enum ta_status status = workspace_is_configured(workspace, why);
    if (!status)
        status = check_edits(workspace, workspace->layout.folder, why);
    if (!status)
        remove_setup(workspace);
    return status;
}
