/* The identity, the link, and what is said when the image is too large. */
#include "base/units.h"
#include "core/build/generate.h"
#include "flow/build/build.h"
#include "host/elf_file.h"
#include "host/memory.h"

#include <glib/gstdio.h>
#include <stdlib.h>

/* The identity: a digest of everything that goes into the image, none of it dependent on this computer's paths. */
static enum ta_status identify(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);
    g_autofree char *about = g_strdup_printf("%s %s\n%s %s\n%s %s\n", builder->workspace->project.project,
                                             builder->workspace->project.version, builder->workspace->sdk.sdk,
                                             builder->workspace->sdk.version, builder->workspace->profile.name,
                                             builder->workspace->profile.version);
    gsize length = TA_IDENTITY_BYTES;
    g_checksum_update(sum, (const guchar *)about, -1);
    for (size_t i = 0; i < plan->count; ++i) {
        g_autofree char *inputs = build_state_step_inputs(builder->state, &plan->steps[i]);
        if (!build_state_is_current(builder->state, plan->steps[i].object, inputs))
            return ta_problem_set(builder->why, TA_E_NO, "{build} again", "%s was saved after it was compiled",
                                  plan->steps[i].name);
        g_checksum_update(sum, (const guchar *)plan->steps[i].name, -1);
        g_checksum_update(sum, (const guchar *)inputs, -1);
    }
    const char *const files[] = {plan->out.script, plan->libraries.items[0], plan->libraries.items[1]};
    g_autofree char *linked = build_state_inputs(builder->state, &plan->link_arguments, files, G_N_ELEMENTS(files));
    if (!linked)
        return ta_problem_set(builder->why, TA_E_SYSTEM, toolchains_install_fix,
                              "a library of the compiler is missing");
    g_checksum_update(sum, (const guchar *)linked, -1);
    g_checksum_get_digest(sum, builder->identity.bytes, &length);
    return TA_OK;
}

/* Not a file that people see: it goes when the build ends. */
static enum ta_status write_passing(struct builder *builder, const char *path, struct text *text) {
    text_or_end(text);
    enum ta_status status =
        file_write_changed(workspace_path(builder->workspace, path), text->bytes, text->length, builder->why);
    text_free(text);
    return status;
}

static const struct ta_memory *overflowing(const struct ta_image *image, const struct ta_profile *profile) {
    for (size_t i = 0; i < profile->memory_count; ++i) {
        struct ta_memory wide = profile->memories[i];
        wide.size_bytes *= 16;
        if (ta_image_usage(image, &wide) > profile->memories[i].size_bytes)
            return &profile->memories[i];
    }
    return NULL;
}

static int by_size(const void *a, const void *b) {
    const struct ta_symbol *left = a, *right = b;
    return left->size_bytes != right->size_bytes ? (left->size_bytes < right->size_bytes ? 1 : -1)
                                                 : strcmp(left->name, right->name);
}

/* The image linked into room enough, so that its size can be told. */
static enum ta_status link_wide(struct builder *builder, struct ta_image *image) {
    struct plan *plan = &builder->plan;
    struct text script = {0};
    struct command command = {0};
    g_autofree char *wide_script = g_strconcat(plan->out.script, ".wide", NULL);
    g_autofree char *wide_elf = g_strconcat(plan->out.elf, ".wide", NULL);
    struct texts arguments = plan->link_arguments;
    arguments.items = arena_alloc(builder->workspace->context->arena, arguments.count * sizeof *arguments.items);
    for (size_t i = 0; i < arguments.count; ++i) {
        const char *argument = plan->link_arguments.items[i];
        arguments.items[i] = !strcmp(argument, plan->out.script) ? wide_script
                             : !strcmp(argument, plan->out.elf)  ? wide_elf
                                                                 : argument;
    }
    enum ta_status status = generate_linker_script(&builder->workspace->profile, &builder->workspace->setup.options, 16,
                                                   &script, builder->why);
    if (!status)
        status = write_passing(builder, wide_script, &script);
    builder->wanted = builder->finished = 0;
    if (!status)
        status = builder_run_one(builder, &arguments, &command);
    if (!status)
        status = command.exit_code ? TA_E_NO
                                   : elf_read(workspace_path(builder->workspace, wide_elf),
                                              builder->workspace->context->arena, image, builder->why);
    commands_clear(&command, 1);
    g_unlink(workspace_path(builder->workspace, wide_script));
    g_unlink(workspace_path(builder->workspace, wide_elf));
    return status;
}

/* Says by how much the image is too large, and what takes most of it. */
static void explain_overflow(struct builder *builder) {
    enum { LARGEST = 4 };
    struct ta_image image;
    const struct ta_memory *memory =
        link_wide(builder, &image) ? NULL : overflowing(&image, &builder->workspace->profile);
    if (!memory) {
        report_add(builder->report, TA_LEVEL_PROBLEM, "image", "make it smaller, or choose a larger board",
                   "it is too large for %s", builder->workspace->profile.name);
        return;
    }
    char used[UNIT_TEXT_BYTES], size[UNIT_TEXT_BYTES], over[UNIT_TEXT_BYTES];
    struct ta_memory wide = *memory;
    wide.size_bytes *= 16;
    uint64_t bytes = ta_image_usage(&image, &wide);
    g_autoptr(GString) largest = g_string_new(NULL);
    g_autofree struct ta_symbol *symbols = g_memdup2(image.symbols, image.symbol_count * sizeof *symbols);
    if (symbols)
        qsort(symbols, image.symbol_count, sizeof *symbols, by_size);
    for (size_t i = 0, found = 0; symbols && i < image.symbol_count && found < LARGEST; ++i) {
        char symbol_size[UNIT_TEXT_BYTES];
        if (symbols[i].address - wide.base >= wide.size_bytes)
            continue;
        g_string_append_printf(largest, "%s%s %s", found++ ? ", " : "", symbols[i].name,
                               unit_format(symbol_size, UNIT_SIZE_BYTES, symbols[i].size_bytes));
    }
    report_add(builder->report, TA_LEVEL_PROBLEM, memory->name, "make these smaller, or choose a larger board",
               "the image takes %s, %s has %s: %s too much; largest: %s", unit_format(used, UNIT_SIZE_BYTES, bytes),
               builder->workspace->profile.name, unit_format(size, UNIT_SIZE_BYTES, memory->size_bytes),
               unit_format(over, UNIT_SIZE_BYTES, bytes - memory->size_bytes), largest->str);
}

static enum ta_status assemble_note(struct builder *builder) {
    struct text note = {0};
    struct command command = {0};
    const char *const files[] = {builder->plan.out.note_source};
    generate_identity_note(&builder->identity, &note);
    enum ta_status status = builder_write(builder, builder->plan.out.note_source, "identity", &note);
    if (status)
        return status;
    g_autofree char *inputs = build_state_inputs(builder->state, &builder->plan.note_arguments, files, 1);
    if (build_state_is_current(builder->state, builder->plan.out.note_object, inputs))
        return TA_OK;
    status = builder_run_one(builder, &builder->plan.note_arguments, &command);
    if (!status && command.exit_code)
        status = ta_problem_set(builder->why, TA_E_SYSTEM, "see its messages above", "the assembler failed on %s",
                                builder->plan.out.note_source);
    if (!status)
        build_state_made(builder->state, builder->plan.out.note_object, inputs);
    commands_clear(&command, 1);
    return status;
}

/* What the linker says of an image that is too large is replaced by what the user needs to know. */
static enum ta_status link_image(struct builder *builder, const char *inputs) {
    struct ta_context *context = builder->workspace->context;
    struct command command = builder_command(builder, &builder->plan.link_arguments);
    enum ta_status status = commands_run(&command, 1, 1, true, context_cancelled, context, NULL, NULL, builder->why);
    if (status) {
        commands_clear(&command, 1);
        return status;
    }
    bool overflow = command.exit_code && strstr(command.errors, "overflowed by");
    if (!overflow)
        builder_heard(&command, builder);
    build_state_made(builder->state, builder->plan.out.elf, command.exit_code ? NULL : inputs);
    if (overflow)
        explain_overflow(builder);
    g_autofree char *missing = command.exit_code ? builder_missing(builder) : NULL;
    if (command.exit_code && !overflow)
        report_add(builder->report, TA_LEVEL_PROBLEM, "link", missing ? missing : "see the linker's messages above",
                   "the image cannot be linked");
    status = command.exit_code ? TA_E_NO : TA_OK;
    builder->built->linked = !status;
    if (status)
        g_unlink(workspace_path(builder->workspace, builder->plan.out.elf));
    commands_clear(&command, 1);
    return status;
}

enum ta_status builder_link(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    const char *const files[] = {plan->out.note_source, plan->out.script};
    enum ta_status status = identify(builder);
    if (!status)
        status = assemble_note(builder);
    if (status)
        return status;
    g_autofree char *inputs = build_state_inputs(builder->state, &plan->link_arguments, files, G_N_ELEMENTS(files));
    return build_state_is_current(builder->state, plan->out.elf, inputs) ? TA_OK : link_image(builder, inputs);
}
