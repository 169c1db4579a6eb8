/* deploy: programs the image into the target's flash and reads back what is there. */
#include "flow/deploy/deployed.h"
#include "host/image_file.h"

static enum ta_status deploy_project(struct ta_context *context, const char *folder, bool as_is,
                                     struct ta_report *report, struct ta_problem *why) {
    struct deployed deployed;
    enum ta_status status = deployed_begin(context, folder, "deploy", &deployed, why);
    if (!status)
        status = deployed_open(&deployed, STARTS_NOTHING, as_is ? AS_BUILT : UP_TO_DATE, report, why);
    if (!status && !deployed.programmed)
        report_add(report, TA_LEVEL_OK, "deploy", NULL, "nothing to do, %s holds this image",
                   deployed.workspace.setup.target);
    deployed_close(&deployed);
    return status;
}

/* An image from elsewhere, which goes to the target TARGET. */
static enum ta_status deploy_image(struct ta_context *context, const char *path, const char *target,
                                   struct ta_report *report, struct ta_problem *why) {
    struct ta_image image;
    struct ta_profile profile;
    struct deployed deployed = {.images = {.items = &image, .count = 1}};
    enum ta_status status = board_of_target(context, target, NULL, &profile, why);
    if (!status)
        status = image_read(path, &profile, context->arena, &image, why);
    if (!status)
        status = ta_image_fits(&image, &profile, NULL, why);
    if (!status)
        status = target_open(context, target, &profile, "deploy", &deployed.target, why);
    if (!status && !target_has_flash_for(&deployed.target, &image))
        status = ta_problem_set(why, TA_E_INPUT, "{run-on PROGRAM} loads it where it runs",
                                "%s has nothing for the flash of %s", path, target);
    if (!status)
        status = deployed_program(&deployed, why);
    if (!status) {
        deployed_report(&deployed, report);
        if (!deployed.programmed)
            report_add(report, TA_LEVEL_OK, "deploy", NULL, "nothing to do, %s holds this image", target);
        report_title(report, "%s on %s", path, target);
        report_text(report, "identity", deployed.identity);
        report_number(report, "compiled", 0);
    }
    deployed_close(&deployed);
    return status;
}

enum ta_status ta_deploy(struct ta_context *context, const char *folder, const struct ta_deploy *asked,
                         struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_problem found = {0};
    struct ta_deploy request = {0};
    enum ta_status status = asked ? request_copy(asked, &request, sizeof request, &found) : TA_OK;
    if (!status)
        status = request.image ? target_of_folder(context, folder, &request.target, &found) : TA_OK;
    if (!status)
        status = request.image ? deploy_image(context, request.image, request.target, report, &found)
                               : deploy_project(context, folder, request.as_is, report, &found);
    if (status)
        ta_problem_copy(why, &found);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "read back", NULL, "every byte matches the image");
        report_next(report, request.image ? "{verify} --as-is" : "{verify}, or {run} to watch it");
    }
    return step_end(&step, status);
}
