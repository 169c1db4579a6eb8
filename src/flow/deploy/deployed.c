#include "flow/deploy/deployed.h"

#include "base/units.h"
#include "flow/builder/memory.h"

static size_t image_bytes(const struct images *images) {
    size_t bytes = 0;
    for (size_t i = 0; i < images->count; ++i)
        for (size_t k = 0; k < images->items[i].segment_count; ++k)
            bytes += images->items[i].segments[k].size_bytes;
    return bytes;
}

enum ta_status deployed_program(struct deployed *deployed, struct ta_problem *why) {
    struct target *target = &deployed->target;
    const struct images *images = &deployed->images;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < images->count; ++i) {
        if (target_holds(target, &images->items[i]))
            continue;
        deployed->programmed = true;
        status = target_program(target, &images->items[i], why);
    }
    return status ? status : target_keep_known(target, why);
}

void deployed_report(struct deployed *deployed, struct ta_report *report) {
    const struct ta_identity identity = images_identity(&deployed->images);
    char size[UNIT_TEXT_BYTES];
    if (deployed->programmed)
        report_add(report, TA_LEVEL_OK, "deploy", NULL, "%s to %s",
                   unit_format(size, UNIT_SIZE_BYTES, image_bytes(&deployed->images)), deployed->target.name);
    ta_identity_text(&identity, deployed->identity, sizeof deployed->identity);
    report_number(report, "programmed", deployed->programmed);
}

/* "3 generated, 9 compiled, linked": what a build did. */
static void report_built(const struct built *built, struct ta_report *report) {
    g_autoptr(GString) text = g_string_new(NULL);
    if (built->generated)
        g_string_append_printf(text, "%u file%s generated", built->generated, built->generated == 1 ? "" : "s");
    if (built->compiled)
        g_string_append_printf(text, "%s%u file%s compiled", text->len ? ", " : "", built->compiled,
                               built->compiled == 1 ? "" : "s");
    if (built->cached)
        g_string_append_printf(text, "%s%u from the cache", text->len ? ", " : "", built->cached);
    if (built->linked)
        g_string_append_printf(text, "%slinked", text->len ? ", " : "");
    if (text->len)
        report_add(report, TA_LEVEL_OK, "build", NULL, "%s", text->str);
    report_number(report, "compiled", built->compiled);
}

/* Builds what is not up to date. What the build says is kept when there is no image, and its warnings always. */
static enum ta_status bring_up_to_date(struct deployed *deployed, struct ta_report *report, struct ta_problem *why) {
    struct ta_report *steps = ta_report_new();
    const struct ta_finding *finding;
    enum ta_status status = build_image_for_use(&deployed->workspace, &deployed->built, steps, why);
    if (status) {
        report_join(report, steps);
    } else {
        report_built(&deployed->built, report);
        for (size_t i = 0; (finding = ta_report_finding(steps, i)); ++i)
            if (finding->level > TA_LEVEL_OK)
                report_add(report, finding->level, finding->subject, finding->fix, "%s", finding->message);
    }
    ta_report_free(steps);
    return status;
}

static void warn_stale(struct workspace *workspace, struct ta_report *report) {
    const char *changed = build_first_change(workspace);
    if (changed)
        report_add(report, TA_LEVEL_WARNING, "image", "{build}", "%s since this image was built", changed);
}

/* The image that the last build left tells where in the source things are, when it is the one that runs. */
static enum ta_status take_as_is(struct deployed *deployed, struct ta_report *report, struct ta_problem *why) {
    struct target *target = &deployed->target;
    struct ta_identity carried;
    struct ta_problem unheard;
    if (!target_identity(target, &carried, NULL, NULL))
        return ta_problem_set(why, TA_E_NO, "{deploy}", "%s holds no image", target->name);
    ta_identity_text(&carried, deployed->identity, sizeof deployed->identity);
    bool built = !workspace_images(&deployed->workspace, &deployed->images, &unheard) &&
                 !memcmp(images_identity(&deployed->images).bytes, carried.bytes, TA_IDENTITY_BYTES);
    if (!built)
        deployed->images = (struct images){0};
    report_add(report, TA_LEVEL_NOTE, "as is", NULL, "%s holds image %.8s%s", target->name, deployed->identity,
               built ? "" : ", not the one that was built last");
    return TA_OK;
}

/* All images of a project go to a target together, and no other project's beside them. */
static enum ta_status program_project(struct deployed *deployed, struct ta_problem *why) {
    const char *name = deployed->target.name;
    if (!target_holds_others(&deployed->target, &deployed->images))
        return deployed_program(deployed, why);
    g_autofree char *fix = g_strdup_printf("{empty-target %s}, then {deploy}", name);
    return ta_problem_set(why, TA_E_NO, fix, "%s still carries another image", name);
}

/* The target may have been made anew while the project was built for it. */
static enum ta_status open_target(struct deployed *deployed, struct ta_problem *why) {
    struct workspace *workspace = &deployed->workspace;
    struct ta_context *context = workspace->context;
    const char *name = workspace->setup.target;
    enum ta_status status = target_open(context, name, &workspace->profile, deployed->doing, &deployed->target, why);
    if (!status && strcmp(target_made_of(context, name), workspace->target_made_of))
        status = ta_problem_set(why, TA_E_NO, "run it again", "%s is another target than it was when this began", name);
    return status;
}

enum ta_status deployed_begin(struct ta_context *context, const char *folder, const char *doing,
                              struct deployed *deployed, struct ta_problem *why) {
    *deployed = (struct deployed){.doing = doing};
    enum ta_status status = workspace_open(context, folder, doing, &deployed->workspace, why);
    return status ? status : workspace_load(&deployed->workspace, why);
}

enum ta_status deployed_open(struct deployed *deployed, enum starts starts, enum freshness freshness,
                             struct ta_report *report, struct ta_problem *why) {
    struct workspace *workspace = &deployed->workspace;
    const char *target = workspace->setup.target;
    bool as_is = freshness == AS_IS;
    enum ta_status status = TA_OK;
    if (target_exists(workspace->context, target)) /* before anything is tried */
        status = target_switches_allow(workspace->context, target, &workspace->profile, starts, why);
    if (!status && freshness == UP_TO_DATE)
        status = bring_up_to_date(deployed, report, why);
    if (!status && !as_is)
        status = workspace_images(workspace, &deployed->images, why);
    if (!status)
        status = open_target(deployed, why);
    if (!status)
        status = target_switches_allow(workspace->context, target, &workspace->profile, starts, why);
    if (!status)
        status = as_is ? fabric_as_is(deployed, report, why) : fabric_deploy(deployed, report, why);
    if (!status)
        status = as_is ? take_as_is(deployed, report, why) : program_project(deployed, why);
    if (status)
        return status;
    if (!as_is)
        deployed_report(deployed, report);
    if (freshness != UP_TO_DATE)
        warn_stale(workspace, report);
    report_title(report, "%s on %s, identity %.8s", workspace->project.project, target, deployed->identity);
    report_text(report, "identity", deployed->identity);
    images_hold(workspace, &deployed->images);
    deployed->memory_map = memory_map_text(workspace);
    workspace_leave(workspace);
    return TA_OK;
}

void deployed_close(struct deployed *deployed) {
    target_close(&deployed->target);
    images_release(&deployed->images);
    g_clear_pointer(&deployed->memory_map, g_free);
    workspace_leave(&deployed->workspace);
}
