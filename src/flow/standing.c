/* Where a project stands in the chain, and the next step. */
#include "flow/builder/build.h"
#include "flow/deploy/target.h"
#include "flow/setup/setup.h"
#include "flow/verify/trials.h"

/* Each link of the chain adds its finding and says the next step when it is the one that is open. True to go on. */

static bool stand_configured(struct workspace *workspace, struct ta_report *report) {
    const struct setup *setup = &workspace->setup;
    struct ta_problem why;
    if (workspace_load(workspace, &why)) {
        report_add(report, TA_LEVEL_NOTE, "configure", NULL, "%s", why.what);
        report_next(report, "{configure}");
        return false;
    }
    report_add(report, TA_LEVEL_OK, "configure", NULL, "%s %s, %s %s, target %s", setup->sdk, setup->sdk_version,
               compiler_words[setup->compiler], setup->compiler_version, setup->target);
    return true;
}

static bool stand_built(struct workspace *workspace, struct images *images, struct ta_report *report) {
    struct ta_problem why;
    char identity[TA_IDENTITY_SHORT];
    enum ta_status status = workspace_images(workspace, images, &why);
    const char *changed = status ? NULL : build_first_change(workspace);
    report_next(report, "{build}");
    if (status) {
        report_add(report, TA_LEVEL_NOTE, "build", NULL, "%s", why.what);
        return false;
    }
    const struct ta_identity made = images_identity(images);
    ta_identity_text(&made, identity, sizeof identity);
    if (changed) {
        report_add(report, TA_LEVEL_NOTE, "build", NULL, "%s since image %s was built", changed, identity);
        return false;
    }
    report_add(report, TA_LEVEL_OK, "build", NULL, "image %s is up to date", identity);
    return true;
}

static bool stand_deployed(struct workspace *workspace, const struct images *images, struct ta_report *report) {
    struct target target;
    struct ta_problem why;
    const char *name = workspace->setup.target;
    report_next(report, "{deploy}");
    if (target_open(workspace->context, name, &workspace->profile, NULL, &target, &why)) {
        report_add(report, TA_LEVEL_PROBLEM, "deploy", why.fix, "%s", why.what);
        return false;
    }
    bool holds = true;
    for (size_t i = 0; i < images->count; ++i)
        holds = holds && target_holds(&target, &images->items[i]);
    target_close(&target);
    report_add(report, holds ? TA_LEVEL_OK : TA_LEVEL_NOTE, "deploy", NULL,
               holds ? "%s holds this image" : "%s does not hold this image", name);
    return holds;
}

/* The trials as they are now are the ones that the verdict stands on. */
static bool trials_are(struct workspace *workspace, const struct verified *verified) {
    struct trial_files trials;
    struct ta_problem unheard;
    bool same = !trials_open(workspace, &trials, &unheard) && !strcmp(trials.digest, verified->trials);
    trials_close(&trials);
    return same;
}

static void stand_verified(struct workspace *workspace, const struct images *images, struct ta_report *report) {
    struct verified verified;
    char identity[TA_IDENTITY_TEXT];
    const struct ta_identity made = images_identity(images);
    ta_identity_text(&made, identity, sizeof identity);
    report_next(report, "{verify}");
    if (!verified_read(workspace, &verified) || strcmp(verified.identity, identity)) {
        report_add(report, TA_LEVEL_NOTE, "verify", NULL, "this image is not verified yet");
    } else if (strcmp(verified.target, workspace->setup.target)) {
        report_add(report, TA_LEVEL_NOTE, "verify", NULL, "this image was verified on %s, not on %s", verified.target,
                   workspace->setup.target);
    } else if (!trials_are(workspace, &verified)) {
        report_add(report, TA_LEVEL_NOTE, "verify", NULL, "the trials have changed since this image was verified");
    } else if (verified.failed) {
        report_add(report, TA_LEVEL_PROBLEM, "verify", NULL, "%u of %u trials failed", verified.failed,
                   verified.passed + verified.failed);
    } else {
        report_add(report, TA_LEVEL_OK, "verify", NULL, "all %u trials passed", verified.passed);
        report_next(report, "change a line, then {verify}");
    }
}

enum ta_status ta_standing(struct ta_context *context, const char *folder, struct ta_report *report,
                           struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    struct images images = {0};
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (!status) {
        report_title(report, "%s %s", workspace.project.project, workspace.project.version);
        report_add(report, TA_LEVEL_OK, "import", NULL, "%s", workspace.folder);
        if (stand_configured(&workspace, report) && stand_built(&workspace, &images, report) &&
            stand_deployed(&workspace, &images, report))
            stand_verified(&workspace, &images, report);
    }
    return step_end(&step, status);
}
