/* build: generates what the board needs, compiles what changed, and links. What changed is decided by content. */
#include "tameanchor/chain.h"

#include "base/units.h"
#include "core/generate.h"
#include "flow/build.h"
#include "flow/build_state.h"
#include "flow/context.h"
#include "flow/generated.h"
#include "flow/licences.h"
#include "flow/report.h"
#include "flow/settings.h"
#include "host/commands.h"
#include "host/elf_file.h"
#include "host/files.h"

#include <glib/gstdio.h>
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct builder {
    struct workspace workspace;
    struct toolchain toolchain;
    struct plan plan;
    struct build_state *state;
    struct ta_report *report;
    struct ta_problem *why;
    unsigned compiled, finished, wanted, errors, warnings;
    const char *failed; /* the first source that did not compile */
    struct ta_identity identity;
    enum ta_edits edits;
};

/* Compiler messages: "src/main.c:12:5: error: ...". */
static unsigned count_messages(const char *text, const char *kind) {
    unsigned count = 0;
    for (const char *at = text; (at = strstr(at, kind)); at += strlen(kind))
        ++count;
    return count;
}

static void command_done(const struct command *command, void *with) {
    struct builder *builder = with;
    const struct ta_context *context = builder->workspace.context;
    builder->errors += count_messages(command->errors, "error: ");
    builder->warnings += count_messages(command->errors, "warning: ");
    if (*command->errors && context->compiler_output)
        context->compiler_output(context->with, command->errors);
    context_doing(context, "building", ++builder->finished, builder->wanted);
}

/* Commands end with a null, which an arena's zeroed memory behind a list gives only when there is room for it. */
static const char *const *argument_vector(struct builder *builder, const struct texts *arguments) {
    const char **vector = arena_alloc(builder->workspace.arena, (arguments->count + 1) * sizeof *vector);
    if (vector)
        memcpy(vector, arguments->items, arguments->count * sizeof *vector);
    return vector;
}

static enum ta_status run_commands(struct builder *builder, struct command *commands, size_t count) {
    struct ta_context *context = builder->workspace.context;
    unsigned jobs = g_get_num_processors() > 2 ? g_get_num_processors() : 2;
    return commands_run(commands, count, jobs, true, context_cancelled, context, command_done, builder, builder->why);
}

static enum ta_status run_one(struct builder *builder, const struct texts *arguments, struct command *command) {
    *command = (struct command){.arguments = argument_vector(builder, arguments), .folder = builder->workspace.folder};
    return command->arguments ? run_commands(builder, command, 1)
                              : ta_problem_set(builder->why, TA_E_MEMORY, NULL, "out of memory");
}

/* A component that takes a licence is not compiled without one. */
static enum ta_status check_licences(struct builder *builder) {
    struct workspace *workspace = &builder->workspace;
    const struct needs *chosen = &workspace->setup.components;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < chosen->count; ++i) {
        const struct component *component = sdk_component(&workspace->sdk, chosen->items[i].name);
        g_autofree char *until = NULL;
        bool soon;
        if (component && component->licensed_by)
            status = licence_check(workspace->context, component, &until, &soon, builder->why);
    }
    return status;
}

/* Generating. */

/* Not a file that people see: it goes when the build ends. */
static enum ta_status write_passing(struct builder *builder, const char *path, struct text *text) {
    enum ta_status status = text->failed ? ta_problem_set(builder->why, TA_E_MEMORY, NULL, "out of memory")
                                         : file_write_changed(workspace_path(&builder->workspace, path), text->bytes,
                                                              text->length, builder->why);
    text_free(text);
    return status;
}

static enum ta_status write_generated(struct builder *builder, const char *path, const char *inputs,
                                      struct text *body) {
    return generated_write(&builder->workspace, path, inputs, body, builder->edits, builder->report, builder->why);
}

static enum ta_status make_folders(struct builder *builder) {
    enum ta_status status = folder_make(workspace_path(&builder->workspace, builder->plan.generated), builder->why);
    for (size_t i = 0; !status && i < builder->plan.count; ++i) {
        g_autofree char *folder = g_path_get_dirname(builder->plan.steps[i].object);
        status = folder_make(workspace_path(&builder->workspace, folder), builder->why);
    }
    return status;
}

/* The assets that patterns of the manifest match, in the image. */
static enum ta_status write_resources(struct builder *builder, const char *inputs) {
    struct workspace *workspace = &builder->workspace;
    struct text header = {0}, source = {0};
    struct texts assets;
    enum ta_status status = workspace_files(workspace, "assets", &workspace->project.assets, &assets, builder->why);
    if (status || !assets.count)
        return status;
    struct resource *resources = arena_alloc(workspace->arena, assets.count * sizeof *resources);
    for (size_t i = 0; resources && !status && i < assets.count; ++i) {
        char digest[SHA256_TEXT_BYTES];
        status = file_sha256(workspace_path(workspace, assets.items[i]), digest, builder->why);
        resources[i] = (struct resource){assets.items[i], assets.items[i], arena_text(workspace->arena, digest)};
    }
    if (status || !resources)
        return status ? status : ta_problem_set(builder->why, TA_E_MEMORY, NULL, "out of memory");
    generate_resources(resources, assets.count, &header, &source);
    status = write_generated(builder, builder->plan.resources_header, inputs, &header);
    enum ta_status source_status = write_generated(builder, builder->plan.resources, inputs, &source);
    return status ? status : source_status;
}

/* All that is generated before anything is compiled, so that no error shows up which generating would cure. */
static enum ta_status generate(struct builder *builder) {
    struct workspace *workspace = &builder->workspace;
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
    status = write_generated(builder, builder->plan.script, inputs, &script);
    enum ta_status header_status = write_generated(builder, builder->plan.header, inputs, &header);
    status = status ? status : header_status;
    if (!status && workspace->project.setting_count) {
        status = settings_header(workspace, &settings, builder->why);
        if (status)
            text_free(&settings);
        else
            status = write_generated(builder, builder->plan.settings, inputs, &settings);
        g_chmod(workspace_path(workspace, builder->plan.settings), 0600); /* secrets may be in it */
    }
    return status ? status : write_resources(builder, inputs);
}

/* For editors: the JSON compilation database. */
static enum ta_status write_commands(struct builder *builder) {
    g_autofree char *path =
        g_strdup_printf("%s/%s/compile_commands.json", builder->workspace.folder, builder->plan.folder);
    json_t *all = json_array();
    for (size_t i = 0; i < builder->plan.count; ++i) {
        const struct compile_step *step = &builder->plan.steps[i];
        json_t *arguments = json_array();
        for (size_t k = 0; k < step->arguments.count; ++k)
            json_array_append_new(arguments, json_string(step->arguments.items[k]));
        json_array_append_new(all, json_pack("{s:s, s:s, s:s, s:o}", "directory", builder->workspace.folder, "file",
                                             step->source, "output", step->object, "arguments", arguments));
    }
    char *text = json_dumps(all, JSON_INDENT(2));
    enum ta_status status = text ? file_write_changed(path, text, strlen(text), builder->why)
                                 : ta_problem_set(builder->why, TA_E_MEMORY, NULL, "out of memory");
    free(text);
    json_decref(all);
    return status;
}

/* Compiling. */

static enum ta_status compile(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    g_autofree struct command *commands = g_new0(struct command, plan->count + 1);
    g_autofree const struct compile_step **steps = g_new0(const struct compile_step *, plan->count + 1);
    size_t count = 0;
    for (size_t i = 0; i < plan->count; ++i) {
        g_autofree char *inputs = build_state_step_inputs(builder->state, &plan->steps[i]);
        if (build_state_is_current(builder->state, plan->steps[i].object, inputs))
            continue;
        steps[count] = &plan->steps[i];
        commands[count].arguments = argument_vector(builder, &plan->steps[i].arguments);
        commands[count++].folder = builder->workspace.folder;
    }
    builder->wanted = (unsigned)count + 2; /* and the note, and the link */
    enum ta_status status = run_commands(builder, commands, count);
    for (size_t i = 0; i < count; ++i) {
        bool good = commands[i].ran && !commands[i].exit_code;
        g_autofree char *inputs = good ? build_state_step_inputs(builder->state, steps[i]) : NULL;
        if (commands[i].ran || commands[i].exit_code)
            build_state_made(builder->state, steps[i]->object, inputs);
        builder->compiled += good;
        if (!good && commands[i].exit_code && !builder->failed)
            builder->failed = steps[i]->name;
    }
    commands_clear(commands, count);
    return status;
}

/* The identity: a digest of everything that goes into the image, none of it dependent on this computer's paths. */
static enum ta_status identify(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);
    g_autofree char *about =
        g_strdup_printf("%s %s\n%s %s\n%s %s\n", builder->workspace.project.project, builder->workspace.project.version,
                        builder->workspace.sdk.sdk, builder->workspace.sdk.version, builder->workspace.profile.name,
                        builder->workspace.profile.version);
    gsize length = TA_IDENTITY_BYTES;
    g_checksum_update(sum, (const guchar *)about, -1);
    for (size_t i = 0; i < plan->count; ++i) {
        g_autofree char *inputs = build_state_step_inputs(builder->state, &plan->steps[i]);
        if (!inputs)
            return ta_problem_set(builder->why, TA_E_SYSTEM, "run tanchor build again", "%s changed while it was built",
                                  plan->steps[i].name);
        g_checksum_update(sum, (const guchar *)plan->steps[i].name, -1);
        g_checksum_update(sum, (const guchar *)inputs, -1);
    }
    const char *const files[] = {plan->script, plan->libraries.items[0], plan->libraries.items[1]};
    g_autofree char *linked = build_state_inputs(builder->state, &plan->link_arguments, files, G_N_ELEMENTS(files));
    if (!linked)
        return ta_problem_set(builder->why, TA_E_SYSTEM, toolchains_install_fix, "a library of the compiler is gone");
    g_checksum_update(sum, (const guchar *)linked, -1);
    g_checksum_get_digest(sum, builder->identity.bytes, &length);
    return TA_OK;
}

/* Linking. */

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
    g_autofree char *wide_script = g_strconcat(plan->script, ".wide", NULL);
    g_autofree char *wide_elf = g_strconcat(plan->elf, ".wide", NULL);
    struct texts arguments = plan->link_arguments;
    arguments.items = arena_alloc(builder->workspace.arena, arguments.count * sizeof *arguments.items);
    for (size_t i = 0; arguments.items && i < arguments.count; ++i) {
        const char *argument = plan->link_arguments.items[i];
        arguments.items[i] = !strcmp(argument, plan->script) ? wide_script
                             : !strcmp(argument, plan->elf)  ? wide_elf
                                                             : argument;
    }
    enum ta_status status = generate_linker_script(&builder->workspace.profile, &builder->workspace.setup.options, 16,
                                                   &script, builder->why);
    if (!status)
        status = write_passing(builder, wide_script, &script);
    builder->wanted = builder->finished = 0;
    if (!status)
        status = run_one(builder, &arguments, &command);
    if (!status)
        status = command.exit_code ? TA_E_NO
                                   : elf_read(workspace_path(&builder->workspace, wide_elf), builder->workspace.arena,
                                              image, builder->why);
    commands_clear(&command, 1);
    g_unlink(workspace_path(&builder->workspace, wide_script));
    g_unlink(workspace_path(&builder->workspace, wide_elf));
    return status;
}

/* Says by how much the image is too large, and what takes most of it. */
static void explain_overflow(struct builder *builder) {
    enum { LARGEST = 4 };
    struct ta_image image;
    const struct ta_memory *memory =
        link_wide(builder, &image) ? NULL : overflowing(&image, &builder->workspace.profile);
    if (!memory) {
        report_add(builder->report, TA_LEVEL_PROBLEM, "image", "make it smaller, or choose a larger board",
                   "it is too large for %s", builder->workspace.profile.name);
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
               builder->workspace.profile.name, unit_format(size, UNIT_SIZE_BYTES, memory->size_bytes),
               unit_format(over, UNIT_SIZE_BYTES, bytes - memory->size_bytes), largest->str);
}

static enum ta_status assemble_note(struct builder *builder) {
    struct text note = {0};
    struct command command = {0};
    const char *const files[] = {builder->plan.note_source};
    generate_identity_note(&builder->identity, &note);
    enum ta_status status = write_generated(builder, builder->plan.note_source, "identity", &note);
    if (status)
        return status;
    g_autofree char *inputs = build_state_inputs(builder->state, &builder->plan.note_arguments, files, 1);
    if (build_state_is_current(builder->state, builder->plan.note_object, inputs))
        return TA_OK;
    status = run_one(builder, &builder->plan.note_arguments, &command);
    if (!status && command.exit_code)
        status = ta_problem_set(builder->why, TA_E_SYSTEM, "see what it said above", "the assembler failed on %s",
                                builder->plan.note_source);
    if (!status)
        build_state_made(builder->state, builder->plan.note_object, inputs);
    commands_clear(&command, 1);
    return status;
}

/* What the linker says of an image that is too large is replaced by what the user needs to know. */
static enum ta_status link_image(struct builder *builder, const char *inputs) {
    struct ta_context *context = builder->workspace.context;
    struct command command = {.arguments = argument_vector(builder, &builder->plan.link_arguments),
                              .folder = builder->workspace.folder};
    enum ta_status status = commands_run(&command, 1, 1, true, context_cancelled, context, NULL, NULL, builder->why);
    if (status) {
        commands_clear(&command, 1);
        return status;
    }
    bool overflow = command.exit_code && strstr(command.errors, "overflowed by");
    if (!overflow)
        command_done(&command, builder);
    build_state_made(builder->state, builder->plan.elf, command.exit_code ? NULL : inputs);
    if (overflow)
        explain_overflow(builder);
    else if (command.exit_code)
        report_add(builder->report, TA_LEVEL_PROBLEM, "link", "see what the linker said above",
                   "the image does not link");
    status = command.exit_code ? TA_E_NO : TA_OK;
    if (status)
        g_unlink(workspace_path(&builder->workspace, builder->plan.elf));
    commands_clear(&command, 1);
    return status;
}

static enum ta_status link_if_changed(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    const char *const files[] = {plan->note_source, plan->script};
    enum ta_status status = identify(builder);
    if (!status)
        status = assemble_note(builder);
    if (status)
        return status;
    g_autofree char *inputs = build_state_inputs(builder->state, &plan->link_arguments, files, G_N_ELEMENTS(files));
    return build_state_is_current(builder->state, plan->elf, inputs) ? TA_OK : link_image(builder, inputs);
}

/* What the flash will hold, as raw bytes from the reset address on. */
static enum ta_status write_binary(struct builder *builder, const struct ta_image *image) {
    const struct ta_profile *profile = &builder->workspace.profile;
    const struct ta_memory *flash = ta_profile_memory_at(profile, profile->reset_address, 4);
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    for (size_t i = 0; i < image->segment_count; ++i) {
        const struct ta_segment *segment = &image->segments[i];
        uint64_t at = segment->address - profile->reset_address;
        if (!segment->size_bytes || segment->address < profile->reset_address || at >= flash->size_bytes)
            continue;
        guint old = bytes->len, end = (guint)(at + segment->size_bytes);
        if (end > old) {
            g_byte_array_set_size(bytes, end);
            memset(bytes->data + old, 0xff, end - old);
        }
        memcpy(bytes->data + at, segment->bytes, segment->size_bytes);
    }
    g_autofree char *path = g_strdup_printf("%s/%s/%s.bin", builder->workspace.folder, builder->plan.folder,
                                            builder->workspace.project.project);
    return file_write_changed(path, bytes->data, bytes->len, builder->why);
}

static void report_memory(struct builder *builder, const struct ta_image *image) {
    for (size_t i = 0; i < builder->workspace.profile.memory_count; ++i) {
        const struct ta_memory *memory = &builder->workspace.profile.memories[i];
        char used[UNIT_TEXT_BYTES], size[UNIT_TEXT_BYTES];
        uint64_t bytes = ta_image_usage(image, memory);
        g_autofree char *used_name = g_strdup_printf("%s_used", memory->name);
        g_autofree char *size_name = g_strdup_printf("%s_size", memory->name);
        report_add(builder->report, TA_LEVEL_OK, memory->name, NULL, "%s of %s (%.1f %%)",
                   unit_format(used, UNIT_SIZE_BYTES, bytes), unit_format(size, UNIT_SIZE_BYTES, memory->size_bytes),
                   100.0 * (double)bytes / (double)memory->size_bytes);
        report_number(builder->report, used_name, (int64_t)bytes);
        report_number(builder->report, size_name, (int64_t)memory->size_bytes);
    }
}

static void report_compiled(struct builder *builder) {
    struct ta_report *report = builder->report;
    g_autofree char *messages =
        builder->warnings ? g_strdup_printf(", %u warning%s", builder->warnings, builder->warnings == 1 ? "" : "s")
                          : g_strdup("");
    enum ta_level level = builder->warnings ? TA_LEVEL_WARNING : TA_LEVEL_OK;
    if (builder->failed)
        report_add(report, TA_LEVEL_PROBLEM, "compile", "see what the compiler said above", "%s: %u error%s%s",
                   builder->failed, builder->errors, builder->errors == 1 ? "" : "s", messages);
    else if (builder->compiled)
        report_add(report, level, "compile", NULL, "%u of %zu files%s", builder->compiled, builder->plan.count,
                   messages);
    else
        report_add(report, TA_LEVEL_OK, "compile", NULL, "nothing changed, %zu files are up to date",
                   builder->plan.count);
    report_number(report, "compiled", builder->compiled);
}

static enum ta_status report_image(struct builder *builder) {
    struct ta_image image;
    char identity[TA_IDENTITY_TEXT];
    enum ta_status status = workspace_image(&builder->workspace, &image, builder->why);
    if (!status)
        status = write_binary(builder, &image);
    if (status)
        return status;
    report_memory(builder, &image);
    ta_identity_text(&builder->identity, identity, sizeof identity);
    report_add(builder->report, TA_LEVEL_OK, "image", NULL, "%s, identity %.8s", builder->plan.elf, identity);
    report_text(builder->report, "elf", workspace_path(&builder->workspace, builder->plan.elf));
    report_text(builder->report, "identity", identity);
    report_next(builder->report, "tanchor deploy");
    return TA_OK;
}

static enum ta_status build_all(struct builder *builder) {
    enum ta_status status = check_licences(builder);
    if (!status)
        status = generate(builder);
    if (!status)
        status = write_commands(builder);
    if (!status)
        status = compile(builder);
    if (status)
        return status;
    report_compiled(builder);
    if (builder->failed) {
        report_next(builder->report, "mend it, then tanchor build");
        return TA_E_NO;
    }
    status = link_if_changed(builder);
    return status ? status : report_image(builder);
}

const char *build_first_change(struct workspace *workspace) {
    struct toolchain toolchain;
    struct plan plan;
    struct ta_problem unheard;
    const char *changed = NULL;
    if (workspace_toolchain(workspace, &toolchain, &unheard) || workspace_plan(workspace, &toolchain, &plan, &unheard))
        return "setup.yaml";
    struct build_state *state = build_state_open(workspace, &toolchain, &plan);
    for (size_t i = 0; i < plan.count && !changed; ++i) {
        g_autofree char *inputs = build_state_step_inputs(state, &plan.steps[i]);
        if (!build_state_is_current(state, plan.steps[i].object, inputs))
            changed = plan.steps[i].name;
    }
    build_state_close(state, &unheard);
    return changed;
}

enum ta_status ta_build(struct ta_context *context, const char *folder, struct ta_report *report,
                        struct ta_problem *why) {
    return ta_build_edited(context, folder, TA_EDITS_REFUSED, report, why);
}

enum ta_status ta_build_edited(struct ta_context *context, const char *folder, enum ta_edits edits,
                               struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct builder builder = {.report = report, .why = why, .edits = edits};
    enum ta_status status = workspace_open(context, folder, &builder.workspace, why);
    if (!status)
        status = workspace_load(&builder.workspace, why);
    if (!status)
        status = workspace_toolchain(&builder.workspace, &builder.toolchain, why);
    if (!status)
        status = workspace_plan(&builder.workspace, &builder.toolchain, &builder.plan, why);
    if (!status) {
        const struct setup *setup = &builder.workspace.setup;
        report_title(report, "%s on %s, %s %s", builder.workspace.project.project, setup->target, setup->compiler,
                     setup->compiler_version);
        builder.state = build_state_open(&builder.workspace, &builder.toolchain, &builder.plan);
        status = build_all(&builder);
        report_number(report, "errors", builder.errors);
        report_number(report, "warnings", builder.warnings);
        enum ta_status closed = build_state_close(builder.state, status ? NULL : why);
        status = status ? status : closed;
    }
    workspace_close(&builder.workspace);
    report_took(report, start);
    return status;
}
