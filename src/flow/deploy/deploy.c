/* deploy: programs the image into the target's flash and reads back what is there. */
#include "base/units.h"
#include "flow/deploy/target.h"
#include "host/image_file.h"

/* The identity that the target carries must be the image's, when the image has one. */
static enum ta_status check_identity(struct deployed *deployed, const struct ta_image *image, struct ta_problem *why) {
    struct ta_identity carried;
    if (!image->has_identity)
        return TA_OK;
    bool carries = (deployed->programmed && contents_identity(&deployed->contents, &carried)) ||
                   target_identity(&deployed->target, &carried);
    if (carries && !memcmp(carried.bytes, image->identity.bytes, TA_IDENTITY_BYTES))
        return TA_OK;
    /* Every byte of ours is there: it lies in a flash that ours leaves alone. */
    g_autofree char *fix = g_strdup_printf("{empty-target %s}, then {deploy}", deployed->target.name);
    return ta_problem_set(why, TA_E_NO, fix, "%s still carries another image", deployed->target.name);
}

static size_t image_bytes(const struct images *images) {
    size_t bytes = 0;
    for (size_t i = 0; i < images->count; ++i)
        for (size_t k = 0; k < images->items[i].segment_count; ++k)
            bytes += images->items[i].segments[k].size_bytes;
    return bytes;
}

static enum ta_status deploy_where_needed(struct deployed *deployed, struct ta_problem *why) {
    struct target *target = &deployed->target;
    const struct images *images = &deployed->images;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < images->count; ++i) {
        if (target_holds(target, &images->items[i]))
            continue;
        deployed->programmed = true;
        status = target_program(target, &images->items[i], why);
    }
    if (!status && deployed->programmed)
        status = contents_read(target, &deployed->contents, why);
    for (size_t i = 0; !status && i < images->count; ++i)
        status = check_identity(deployed, &images->items[i], why);
    if (status) /* of that nothing is kept */
        contents_clear(&deployed->contents);
    return status;
}

static void report_deployed(struct deployed *deployed, struct ta_report *report) {
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

static enum ta_status connect(struct deployed *deployed, struct ta_problem *why) {
    struct workspace *workspace = &deployed->workspace;
    return target_connect(workspace->context, workspace->setup.target, &workspace->profile, &deployed->target, why);
}

/* What is done before the build is over: a simulated board is made while compilers work, and gets its images as soon as they are linked.
   Hardware is not touched for an image that may never be, and a fabric comes before images. */
struct taking {
    struct deployed *deployed;
    struct taker taker;
};

static enum ta_status prepare(void *with, struct ta_problem *why) {
    struct taking *taking = with;
    bool is_hardware = taking->deployed->workspace.context->call.open_target != NULL;
    enum ta_status status = is_hardware ? TA_OK : connect(taking->deployed, why);
    if (!status && taking->taker.prepare)
        status = taking->taker.prepare(taking->taker.with, why);
    return status;
}

static enum ta_status take(void *with, struct ta_problem *why) {
    struct taking *taking = with;
    struct deployed *deployed = taking->deployed;
    if (!deployed->target.port.close || deployed->workspace.project.fabric)
        return TA_OK;
    enum ta_status status = workspace_images(&deployed->workspace, &deployed->images, why);
    if (!status)
        status = target_restore(&deployed->target, why);
    if (!status)
        status = deploy_where_needed(deployed, why);
    deployed->taken = !status;
    if (!status && taking->taker.take)
        status = taking->taker.take(taking->taker.with, why);
    return status;
}

/* Builds what is not up to date. What the build says is kept when there is no image, and its warnings always. */
static enum ta_status bring_up_to_date(struct deployed *deployed, const struct taker *taker, struct ta_report *report,
                                       struct ta_problem *why) {
    struct taking taking = {deployed, *taker};
    struct ta_report *steps = ta_report_new();
    const struct ta_finding *finding;
    enum ta_status status =
        build_image_for(&(struct taker){prepare, take, &taking}, &deployed->workspace, &deployed->built, steps, why);
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
    if (!target_identity(target, &carried))
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

/* After the build, or without one. */
static enum ta_status put_there(struct deployed *deployed, enum freshness freshness, struct ta_report *report,
                                struct ta_problem *why) {
    enum ta_status status = freshness == AS_IS ? TA_OK : workspace_images(&deployed->workspace, &deployed->images, why);
    if (!status && !deployed->target.port.close)
        status = connect(deployed, why);
    if (!status)
        status = target_restore(&deployed->target, why);
    if (!status)
        status = freshness == AS_IS ? fabric_as_is(deployed, report, why) : fabric_deploy(deployed, report, why);
    if (!status)
        status = freshness == AS_IS ? take_as_is(deployed, report, why) : deploy_where_needed(deployed, why);
    return status;
}

enum ta_status deployed_open(struct ta_context *context, const char *folder, const struct deploying *deploying,
                             struct deployed *deployed, struct ta_report *report, struct ta_problem *why) {
    *deployed = (struct deployed){0};
    struct workspace *workspace = &deployed->workspace;
    enum freshness freshness = deploying->freshness;
    enum ta_status status = workspace_open(context, folder, deploying->doing, workspace, why);
    if (!status)
        status = workspace_load(workspace, why);
    if (!status && target_exists(context, workspace->setup.target)) /* before anything is tried */
        status = target_switches_allow(context, workspace->setup.target, &workspace->profile, deploying->starts, why);
    if (!status && freshness == UP_TO_DATE)
        status = bring_up_to_date(deployed, &deploying->taker, report, why);
    if (!status && !deployed->taken)
        status = put_there(deployed, freshness, report, why);
    if (!status && freshness != AS_IS)
        report_deployed(deployed, report);
    if (!status && freshness != UP_TO_DATE)
        warn_stale(workspace, report);
    if (!status) {
        report_title(report, "%s on %s, identity %.8s", workspace->project.project, workspace->setup.target,
                     deployed->identity);
        report_text(report, "identity", deployed->identity);
    }
    if (status)
        contents_clear(&deployed->contents);
    else if (!deploying->keeps_later)
        status = deployed_keep(deployed, why);
    return status;
}

enum ta_status deployed_keep(struct deployed *deployed, struct ta_problem *why) {
    const struct target *target = &deployed->target;
    enum ta_status status =
        deployed->contents.parts ? contents_save(&deployed->contents, target->context, target->name, why) : TA_OK;
    contents_clear(&deployed->contents);
    workspace_leave(&deployed->workspace);
    return status;
}

void deployed_close(struct deployed *deployed) {
    deployed_keep(deployed, NULL);
    target_close(&deployed->target);
}

static enum ta_status deploy_project(struct ta_context *context, const char *folder, bool as_is,
                                     struct ta_report *report, struct ta_problem *why) {
    struct deployed deployed;
    const struct deploying deploying = {
        .doing = "deploy", .starts = STARTS_NOTHING, .freshness = as_is ? AS_BUILT : UP_TO_DATE};
    enum ta_status status = deployed_open(context, folder, &deploying, &deployed, report, why);
    if (!status && !deployed.programmed)
        report_add(report, TA_LEVEL_OK, "deploy", NULL, "nothing to do, %s holds this image",
                   deployed.workspace.setup.target);
    deployed_close(&deployed);
    return status;
}

/* An image from elsewhere. */
static enum ta_status deploy_image(struct ta_context *context, const char *folder, const struct ta_deploy *request,
                                   struct ta_report *report, struct ta_problem *why) {
    struct ta_image image;
    struct deployed deployed = {.images = {&image, 1}};
    struct workspace *workspace = &deployed.workspace;
    const char *target = request->target;
    enum ta_status status = TA_OK;
    if (!target) {
        status = workspace_open(context, folder, NULL, workspace, why);
        if (!status && !workspace->configured)
            status =
                ta_problem_set(why, TA_E_NO, "{configure}", "%s is not configured yet", workspace->project.project);
        target = workspace->setup.target;
    }
    if (!status)
        status = board_of_target(context, target, NULL, &workspace->profile, why);
    if (!status)
        status = image_read(request->image, &workspace->profile, context->arena, &image, why);
    if (!status)
        status = ta_image_fits(&image, &workspace->profile, NULL, why);
    if (!status)
        status = target_open(context, target, &workspace->profile, &deployed.target, why);
    if (!status)
        status = deploy_where_needed(&deployed, why);
    if (!status)
        status = deployed_keep(&deployed, why);
    if (!status)
        report_deployed(&deployed, report);
    if (!status && !deployed.programmed)
        report_add(report, TA_LEVEL_OK, "deploy", NULL, "nothing to do, %s holds this image", target);
    if (!status) {
        report_title(report, "%s on %s", request->image, target);
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
        status = request.image ? deploy_image(context, folder, &request, report, &found)
                               : deploy_project(context, folder, request.as_is, report, &found);
    if (status)
        ta_problem_copy(why, &found);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "read back", NULL, "every byte matches the image");
        report_next(report, request.image ? "{verify} --as-is" : "{verify}, or {run} to watch it");
    }
    return step_end(&step, status);
}
