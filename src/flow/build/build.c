/* build: generates what the board needs, compiles what changed, and links. What changed is decided by content. */
#include "flow/build/build.h"

#include "base/units.h"
#include "flow/depot/depot.h"
#include "flow/setup/setup.h"

#include <glib/gstdio.h>
#include <jansson.h>
#include <stdlib.h>

/* A component that takes a licence is not compiled without one. */
static enum ta_status check_licences(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    const struct pins *chosen = &workspace->setup.components;
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

/* For editors: the JSON compilation database. */
static enum ta_status write_commands(struct builder *builder) {
    const char *path = workspace_path(builder->workspace, builder->plan.out.commands);
    json_t *all = json_array();
    for (size_t i = 0; i < builder->plan.count; ++i) {
        const struct compile_step *step = &builder->plan.steps[i];
        json_t *arguments = json_array();
        for (size_t k = 0; k < step->arguments.count; ++k)
            json_array_append_new(arguments, json_string(step->arguments.items[k]));
        json_array_append_new(all, json_pack("{s:s, s:s, s:s, s:o}", "directory", builder->workspace->folder, "file",
                                             step->source, "output", step->object, "arguments", arguments));
    }
    char *text = json_dumps(all, JSON_INDENT(2));
    enum ta_status status = file_write_changed(path, text, strlen(text), builder->why);
    free(text);
    json_decref(all);
    return status;
}

/* Compiling. */

static bool is_before(const struct timespec *a, const struct timespec *b) {
    return a->tv_sec < b->tv_sec || (a->tv_sec == b->tv_sec && a->tv_nsec < b->tv_nsec);
}

/* The time from which on a save counts as one during the compile of STEPS, by the coarse clock, which file systems never stamp behind.
   It lags by milliseconds, while stamps need not: it is waited for until it is past all that was saved and generated before. */
static struct timespec begin_compile(struct builder *builder, const struct compile_step *const *steps, size_t count) {
    enum { STEP_US = 200, LONGEST_US = 50000 };
    struct timespec newest = {0}, now;
    if (builder->written)
        clock_gettime(CLOCK_REALTIME, &newest);
    for (size_t i = 0; i < count && !builder->written; ++i) {
        GStatBuf about;
        if (!g_stat(workspace_path(builder->workspace, steps[i]->source), &about) && is_before(&newest, &about.st_ctim))
            newest = about.st_ctim;
    }
    clock_gettime(CLOCK_REALTIME_COARSE, &now);
    for (unsigned waited_us = 0; !is_before(&newest, &now) && waited_us < LONGEST_US; waited_us += STEP_US) {
        g_usleep(STEP_US);
        clock_gettime(CLOCK_REALTIME_COARSE, &now);
    }
    return now;
}

/* Compiles what is not up to date. What is saved meanwhile is not: *AGAIN tells of it. */
static enum ta_status compile(struct builder *builder, bool *again) {
    const struct plan *plan = &builder->plan;
    *again = false;
    g_autofree struct command *commands = g_new0(struct command, plan->count + 1);
    g_autofree const struct compile_step **steps = g_new0(const struct compile_step *, plan->count + 1);
    size_t count = 0;
    for (size_t i = 0; i < plan->count; ++i) {
        g_autofree char *inputs = build_state_step_inputs(builder->state, &plan->steps[i]);
        if (build_state_is_current(builder->state, plan->steps[i].object, inputs))
            continue;
        steps[count] = &plan->steps[i];
        commands[count++] = builder_command(builder, &plan->steps[i].arguments);
    }
    struct timespec start = begin_compile(builder, steps, count);
    builder->finished = 0;
    builder->wanted = (unsigned)count + 2; /* and the note, and the link */
    enum ta_status status = builder_run(builder, commands, count);
    for (size_t i = 0; i < count; ++i) {
        bool good = commands[i].ran && !commands[i].exit_code;
        g_autofree char *outside =
            good ? build_state_read_outside(builder->state, steps[i], &builder->confinement) : NULL;
        if (outside && !status)
            status = ta_problem_set(builder->why, TA_E_INPUT, "copy it into the project",
                                    "%s reads %s, which lies outside the project and the SDK", steps[i]->name, outside);
        if (outside)
            g_unlink(workspace_path(builder->workspace, steps[i]->object));
        good = good && !outside;
        bool saved = good && build_state_saved_since(builder->state, steps[i], &start);
        g_autofree char *inputs = good && !saved ? build_state_step_inputs(builder->state, steps[i]) : NULL;
        *again = *again || saved;
        if (commands[i].ran || commands[i].exit_code)
            build_state_made(builder->state, steps[i]->object, inputs);
        builder->built->compiled += good && !saved;
        if (!good && commands[i].exit_code && !builder->failed)
            builder->failed = steps[i]->name;
    }
    commands_clear(commands, count);
    return status;
}

/* What the flash will hold, as raw bytes from the reset address on. */
static enum ta_status write_binary(struct builder *builder, const struct ta_image *image) {
    const struct ta_profile *profile = &builder->workspace->profile;
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
    const char *path = workspace_path(builder->workspace, builder->plan.out.binary);
    return file_write_changed(path, bytes->data, bytes->len, builder->why);
}

static void report_memory(struct builder *builder, const struct ta_image *image) {
    for (size_t i = 0; i < builder->workspace->profile.memory_count; ++i) {
        const struct ta_memory *memory = &builder->workspace->profile.memories[i];
        char used[UNIT_TEXT_BYTES], size[UNIT_TEXT_BYTES];
        uint64_t bytes = ta_image_usage(image, memory);
        uint64_t permille = (bytes * 1000 + memory->size_bytes / 2) / memory->size_bytes;
        g_autofree char *used_name = g_strdup_printf("%s_used", memory->name);
        g_autofree char *size_name = g_strdup_printf("%s_size", memory->name);
        report_add(builder->report, TA_LEVEL_OK, memory->name, NULL, "%s of %s (%llu.%llu %%)",
                   unit_format(used, UNIT_SIZE_BYTES, bytes), unit_format(size, UNIT_SIZE_BYTES, memory->size_bytes),
                   (unsigned long long)permille / 10, (unsigned long long)permille % 10);
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
    g_autofree char *missing = builder->failed ? builder_missing(builder) : NULL;
    if (builder->failed)
        report_add(report, TA_LEVEL_PROBLEM, "compile", missing ? missing : "see the compiler's messages above",
                   "%s: %u error%s%s", builder->failed, builder->errors, builder->errors == 1 ? "" : "s", messages);
    else if (builder->built->compiled)
        report_add(report, level, "compile", NULL, "%u of %zu files%s", builder->built->compiled, builder->plan.count,
                   messages);
    else
        report_add(report, TA_LEVEL_OK, "compile", NULL, "up to date, %zu files", builder->plan.count);
    report_number(report, "compiled", builder->built->compiled);
}

static enum ta_status report_image(struct builder *builder) {
    struct ta_image image;
    char identity[TA_IDENTITY_TEXT];
    enum ta_status status = workspace_image(builder->workspace, &image, builder->why);
    if (!status)
        status = write_binary(builder, &image);
    if (status)
        return status;
    report_memory(builder, &image);
    ta_identity_text(&builder->identity, identity, sizeof identity);
    report_add(builder->report, TA_LEVEL_OK, "image", NULL, "%s, identity %.8s", builder->plan.out.elf, identity);
    report_text(builder->report, "elf", workspace_path(builder->workspace, builder->plan.out.elf));
    report_text(builder->report, "identity", identity);
    report_next(builder->report, "{deploy}");
    return TA_OK;
}

static enum ta_status build_all(struct builder *builder) {
    enum { TRIES = 5 };
    enum ta_status status = check_licences(builder);
    if (!status)
        status = builder_confine(builder);
    if (!status)
        status = builder_generate(builder);
    if (!status)
        status = write_commands(builder);
    bool again = true;
    for (int i = 0; !status && again && !builder->failed && i < TRIES; ++i)
        status = compile(builder, &again);
    if (!status && again && !builder->failed)
        status = ta_problem_set(builder->why, TA_E_NO, "{build} when no other program writes there",
                                "the sources changed again and again while they were compiled");
    if (status)
        return status;
    report_compiled(builder);
    if (builder->failed) {
        report_next(builder->report, "correct it, then {build}");
        return TA_E_NO;
    }
    status = builder_link(builder);
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

void build_inputs(struct workspace *workspace, GPtrArray *paths) {
    struct toolchain toolchain;
    struct plan plan;
    struct ta_problem unheard;
    if (workspace_toolchain(workspace, &toolchain, &unheard) || workspace_plan(workspace, &toolchain, &plan, &unheard))
        return;
    struct build_state *state = build_state_open(workspace, &toolchain, &plan);
    g_autofree char *outputs = g_strconcat(workspace_path(workspace, plan.out.folder), "/", NULL);
    for (size_t i = 0; i < plan.count; ++i) {
        g_autoptr(GPtrArray) files = build_state_files(state, &plan.steps[i]);
        if (!files) /* not compiled yet */
            g_ptr_array_add(paths, g_canonicalize_filename(plan.steps[i].source, workspace->folder));
        for (guint k = 0; files && k < files->len; ++k)
            if (!g_str_has_prefix(files->pdata[k], outputs))
                g_ptr_array_add(paths, g_strdup(files->pdata[k]));
    }
    build_state_close(state, &unheard);
}

enum ta_status build_image(struct workspace *workspace, enum ta_edits edits, struct built *built,
                           struct ta_report *report, struct ta_problem *why) {
    struct builder builder = {.workspace = workspace, .built = built, .report = report, .why = why, .edits = edits};
    const struct setup *setup = &workspace->setup;
    *built = (struct built){0};
    enum ta_status status = setup_still_fits(workspace, why);
    if (!status)
        status = workspace_toolchain(workspace, &builder.toolchain, why);
    if (!status)
        status = workspace_plan(workspace, &builder.toolchain, &builder.plan, why);
    if (status)
        return status;
    report_title(report, "%s on %s, %s %s", workspace->project.project, setup->target, compiler_words[setup->compiler],
                 setup->compiler_version);
    builder.said = g_string_new(NULL);
    builder.state = build_state_open(workspace, &builder.toolchain, &builder.plan);
    status = build_all(&builder);
    builder_unconfine(&builder);
    g_string_free(builder.said, TRUE);
    report_number(report, "errors", builder.errors);
    report_number(report, "warnings", builder.warnings);
    enum ta_status closed = build_state_close(builder.state, status ? NULL : why);
    return status ? status : closed;
}

enum ta_status ta_build(struct ta_context *context, const char *folder, struct ta_report *report,
                        struct ta_problem *why) {
    return ta_build_edited(context, folder, TA_EDITS_REFUSED, report, why);
}

enum ta_status ta_build_edited(struct ta_context *context, const char *folder, enum ta_edits edits,
                               struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    struct built built;
    enum ta_status status = workspace_open(context, folder, "build", &workspace, why);
    if (!status)
        status = workspace_load(&workspace, why);
    if (!status)
        status = build_image(&workspace, edits, &built, report, why);
    workspace_leave(&workspace);
    return step_end(&step, status);
}
