/* Taking away what builds left. */
#include "flow/builder/build.h"

#include <glib/gstdio.h>

/* Generated files that somebody edited are never lost on the way. */
static enum ta_status check_edits(struct workspace *workspace, struct ta_problem *why) {
    size_t count;
    const char **files = layout_generated(&workspace->layout, workspace->context->arena, &count);
    for (size_t i = 0; i < count; ++i)
        if (generated_is_edited(workspace, files[i]))
            return ta_problem_set(why, TA_E_NO, "{keep-edits} keeps a copy, {lose-edits} restores it",
                                  "%s was edited by hand", files[i]);
    return TA_OK;
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

enum ta_status ta_clean(struct ta_context *context, const char *folder, bool all, struct ta_report *report,
                        struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status = workspace_open(context, folder, "build", &workspace, why); /* and no link is in out/ */
    if (!status && !all && !workspace.configured)
        status = ta_problem_set(why, TA_E_NO, "{configure}", "%s is not configured yet", workspace.project.project);
    if (!status && workspace.configured)
        status = check_edits(&workspace, why);
    if (!status && all)
        folder_remove(workspace_path(&workspace, "out"));
    if (!status && !all)
        remove_setup(&workspace);
    workspace_leave(&workspace);
    return step_end(&step, status);
}
