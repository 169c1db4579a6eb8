/* Generated files: the linker script, the headers, the resources. */
#include "core/build/generate.h"

#include "flow/build/build.h"

enum ta_status builder_write(struct builder *builder, const char *path, const char *inputs, struct text *body) {
    bool written;
    enum ta_status status = generated_write(builder->workspace, path, inputs, body, builder->edits, &written,
                                            builder->report, builder->why);
    builder->written += written;
    return status;
}

/* All that a secret goes into lies in one folder, which is closed before it is written. */
static enum ta_status make_folders(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    const char *folder = workspace_path(workspace, builder->plan.out.folder);
    enum ta_status status =
        settings_are_secret(&workspace->project) ? folder_make_private(folder, builder->why) : TA_OK;
    if (!status)
        status = folder_make(workspace_path(workspace, builder->plan.out.generated), builder->why);
    for (size_t i = 0; !status && i < builder->plan.count; ++i) {
        g_autofree char *above = g_path_get_dirname(builder->plan.steps[i].object);
        status = folder_make(workspace_path(workspace, above), builder->why);
    }
    return status;
}

/* The assets that patterns of the manifest match, in the image. */
static enum ta_status write_resources(struct builder *builder, const char *inputs) {
    struct workspace *workspace = builder->workspace;
    struct text header = {0}, source = {0};
    struct texts assets;
    enum ta_status status = workspace_files(workspace, "assets", &workspace->project.assets, &assets, builder->why);
    if (status || !assets.count)
        return status;
    struct resource *resources = arena_alloc(workspace->context->arena, assets.count * sizeof *resources);
    for (size_t i = 0; !status && i < assets.count; ++i) {
        char digest[SHA256_TEXT_BYTES];
        status = file_sha256(workspace_path(workspace, assets.items[i]), digest, builder->why);
        resources[i] =
            (struct resource){assets.items[i], assets.items[i], arena_text(workspace->context->arena, digest)};
    }
    if (status)
        return status;
    generate_resources(resources, assets.count, &header, &source);
    status = builder_write(builder, builder->plan.out.resources_header, inputs, &header);
    enum ta_status source_status = builder_write(builder, builder->plan.out.resources, inputs, &source);
    return status ? status : source_status;
}

enum ta_status builder_generate(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    const struct board_options *options = &workspace->setup.options;
    struct text script = {0}, header = {0}, settings = {0};
    g_autofree char *inputs = g_strdup_printf(
        "%s %s %s %s %s stack %" G_GUINT64_FORMAT " heap %" G_GUINT64_FORMAT " clock %" G_GUINT64_FORMAT " baud %u",
        workspace->project.project, workspace->project.version, workspace->profile.name, workspace->profile.version,
        workspace->setup.sdk_version, options->stack_bytes, options->heap_bytes, workspace->profile.clock_hz,
        options->console_baud);
    enum ta_status status = make_folders(builder);
    if (!status)
        status = generate_linker_script(&workspace->profile, options, 1, &script, builder->why);
    if (status)
        return status;
    generate_board_header(&workspace->profile, options, &header);
    status = builder_write(builder, builder->plan.out.script, inputs, &script);
    enum ta_status header_status = builder_write(builder, builder->plan.out.header, inputs, &header);
    status = status ? status : header_status;
    if (!status && workspace->project.setting_count) {
        status = settings_header(workspace, &settings, builder->why);
        if (status)
            text_free(&settings);
        else
            status = builder_write(builder, builder->plan.out.settings, inputs, &settings);
    }
    if (!status)
        status = write_resources(builder, inputs);
    builder->built->generated = builder->written;
    return status;
}
