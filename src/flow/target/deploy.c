/* deploy: programs the image into the target's flash and reads back what is there. */
#include "flow/target/target.h"

#include "flow/build/build.h"

/* The identity that the target carries must be the image's, when the image has one. */
static enum ta_status check_identity(struct target *target, const struct ta_image *image, struct ta_problem *why) {
    struct ta_identity carried;
    if (!image->has_identity)
        return TA_OK;
    if (target_identity(target, &carried) && !memcmp(carried.bytes, image->identity.bytes, TA_IDENTITY_BYTES))
        return TA_OK;
    return ta_problem_set(why, TA_E_NO, "{deploy}", "%s carries another image", target->name);
}

static enum ta_status deploy_where_needed(struct target *target, const struct ta_image *image, bool *programmed,
                                          struct ta_problem *why) {
    *programmed = !target_holds(target, image);
    enum ta_status status = *programmed ? target_program(target, image, why) : TA_OK;
    if (!status)
        status = check_identity(target, image, why);
    return status || !*programmed ? status : target_keep(target, why);
}

enum ta_status deployed_open(struct ta_context *context, const char *folder, const char *doing,
                             struct deployed *deployed, struct ta_problem *why) {
    *deployed = (struct deployed){0};
    struct workspace *workspace = &deployed->workspace;
    enum ta_status status = workspace_open(context, folder, doing, workspace, why);
    if (!status)
        status = workspace_load(workspace, why);
    if (!status)
        status = workspace_image(workspace, &deployed->image, why);
    if (!status)
        status = target_open(context, workspace->setup.target, &workspace->profile, &deployed->target, why);
    if (!status)
        status = deploy_where_needed(&deployed->target, &deployed->image, &deployed->programmed, why);
    ta_identity_text(&deployed->image.identity, deployed->identity, sizeof deployed->identity);
    workspace_leave(workspace);
    return status;
}

void deployed_warn_stale(struct deployed *deployed, struct ta_report *report) {
    const char *changed = build_first_change(&deployed->workspace);
    if (changed)
        report_add(report, TA_LEVEL_WARNING, "image", "{build}", "%s changed since this image was built", changed);
}

void deployed_close(struct deployed *deployed) {
    target_close(&deployed->target);
}

enum ta_status ta_deploy(struct ta_context *context, const char *folder, struct ta_report *report,
                         struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct deployed deployed;
    struct ta_problem found = {0};
    enum ta_status status = deployed_open(context, folder, "deploy", &deployed, &found);
    if (status)
        ta_problem_copy(why, &found);
    if (!status) {
        const char *target = deployed.workspace.setup.target;
        size_t bytes = 0;
        for (size_t i = 0; i < deployed.image.segment_count; ++i)
            bytes += deployed.image.segments[i].size_bytes;
        report_title(report, "%s on %s", deployed.workspace.project.project, target);
        deployed_warn_stale(&deployed, report);
        if (deployed.programmed)
            report_add(report, TA_LEVEL_OK, "program", NULL, "%zu bytes into the flash of %s", bytes, target);
        else
            report_add(report, TA_LEVEL_OK, "program", NULL, "nothing to do, %s holds this image already", target);
        report_add(report, TA_LEVEL_OK, "read back", NULL, "every byte is as it was built, identity %.8s",
                   deployed.identity);
        report_text(report, "identity", deployed.identity);
        report_number(report, "programmed", deployed.programmed);
        report_next(report, "{verify}, or {run} to watch it");
    }
    deployed_close(&deployed);
    return step_end(&step, status);
}
