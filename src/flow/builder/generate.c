/* Generated files: the linker script, the headers, the resources. */
#include "core/plan/generate.h"
#include "core/plan/fabric.h"

#include "flow/builder/builder.h"
#include "host/memory.h"

/* What is made from: it stands, as a digest, in the head of what is generated. */
static char *inputs_text(const struct builder *builder) {
    const struct workspace *workspace = builder->workspace;
    const struct board_options *options = &workspace->setup.options;
    return g_strdup_printf("%s %s %s %s %s stack %" G_GUINT64_FORMAT " heap %" G_GUINT64_FORMAT
                           " clock %" G_GUINT64_FORMAT " baud %u",
                           workspace->project.project, workspace->project.version, workspace->profile.name,
                           workspace->profile.version, workspace->setup.sdk_version, options->stack_bytes,
                           options->heap_bytes, workspace->profile.clock_hz, options->console_baud);
}

/* One function for each work, which fills the texts of its outputs. */
typedef enum ta_status generator(struct builder *builder, const struct action *action, struct text *texts);

static enum ta_status make_script(struct builder *builder, const struct action *action, struct text *texts) {
    generate_linker_script(&builder->workspace->profile, &builder->plan.images[action->image].in->place,
                           &builder->workspace->setup.options, 1, texts);
    return TA_OK;
}

static enum ta_status make_header(struct builder *builder, const struct action *action, struct text *texts) {
    generate_board_header(&builder->workspace->profile, &builder->plan.images[action->image].in->place.group,
                          &builder->workspace->setup.options, texts);
    return TA_OK;
}

static enum ta_status make_settings(struct builder *builder, const struct action *action, struct text *texts) {
    (void)action;
    return settings_header(builder->workspace, texts, builder->why);
}

/* The assets go into the image, each with its digest in the text, so that the text changes when one of them does. */
static enum ta_status make_resources(struct builder *builder, const struct action *action, struct text *texts) {
    struct arena *arena = builder->context->arena;
    struct resource *resources = arena_alloc(arena, action->inputs.count * sizeof *resources);
    for (size_t i = 0; i < action->inputs.count; ++i) {
        const char *path = action->inputs.items[i];
        const uint8_t *content = tracked_content(builder->files, tracked_id(builder->files, path));
        char digest[SHA256_TEXT_BYTES];
        if (!content)
            return ta_problem_set(builder->why, TA_E_INPUT, "see to it that it can be read", "cannot read %s", path);
        sha256_text(content, digest);
        resources[i] = (struct resource){path, path, arena_text(arena, digest)};
    }
    generate_resources(resources, action->inputs.count, &texts[1], &texts[0]);
    return TA_OK;
}

static enum ta_status make_fabric_header(struct builder *builder, const struct action *action, struct text *texts) {
    struct fabric_description description;
    struct ta_fabric_image image;
    enum ta_status status = builder_fabric(builder, action->inputs.items[0], &description, &image);
    if (!status)
        generate_fabric_header(&description, &image, ta_profile_fabric(&builder->workspace->profile)->name, texts);
    return status;
}

static generator *const generators[] = {
    [WORK_SCRIPT] = make_script,
    [WORK_HEADER] = make_header,
    [WORK_SETTINGS] = make_settings,
    [WORK_RESOURCES] = make_resources,
    [WORK_FABRIC_HEADER] = make_fabric_header,
};

/* All that a secret goes into lies in one folder, which is closed before it is written. */
static enum ta_status make_folders(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    const char *folder = workspace_path(workspace, builder->plan.out.folder);
    enum ta_status status = builder->has_secrets ? folder_make_private(folder, builder->why) : TA_OK;
    for (size_t i = 0; !status && i < builder->plan.image_count; ++i)
        status = folder_make(workspace_path(workspace, builder->plan.out.images[i].generated), builder->why);
    return status;
}

enum ta_status builder_generate(struct builder *builder, size_t index, bool *written) {
    enum { OUTPUTS = 2 };
    const struct action *action = &builder->plan.actions[index];
    struct text texts[OUTPUTS] = {0};
    g_autofree char *inputs = inputs_text(builder);
    enum ta_status status = builder->judges ? TA_OK : make_folders(builder);
    *written = false;
    if (!status)
        status = generators[action->work](builder, action, texts);
    for (size_t i = 0; i < action->outputs.count; ++i) {
        const char *path = action->outputs.items[i];
        bool now = false;
        if (!status)
            status = builder->judges ? generated_is_other(builder->workspace, path, inputs, &texts[i], &now)
                                     : generated_write(builder->workspace, path, inputs, &texts[i],
                                                       builder->request->edits, &now, builder->report, builder->why);
        if (now && !builder->judges)
            tracked_written(builder->files, tracked_id(builder->files, path));
        *written = *written || now;
        text_free(&texts[i]);
    }
    if (status) {
        *written = false;
    } else if (*written) {
        g_free(builder->turns[index].reason);
        builder->turns[index].reason = g_strdup_printf("%s is new or changed", action->name);
    }
    return status;
}
