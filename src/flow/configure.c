/* configure: chooses SDK, target and compiler, says which and why, and writes setup.yaml. What is chosen already stays,
   unless it is asked for anew or fits no more. */
#include "tameanchor/chain.h"

#include "base/units.h"
#include "core/generate.h"
#include "flow/catalog.h"
#include "flow/projects.h"
#include "flow/report.h"
#include "flow/settings.h"
#include "flow/target.h"
#include "flow/versions.h"
#include "flow/workspace.h"
#include "host/files.h"
#include "host/model_files.h"
#include "tameanchor/version.h"

#include <string.h>

struct chooser {
    struct workspace workspace;
    const struct ta_choices *choices;
    struct setup setup;
    struct setup last; /* of another project, configured last */
    bool has_last;
    struct ta_profile profile;
    struct ta_report *report;
    struct ta_problem *why;
};

/* "clang@14.0.6" into name and version; *VERSION null when there is none. */
static char *split_version(const char *text, const char **version) {
    const char *at = strchr(text, '@');
    *version = at ? at + 1 : NULL;
    return g_strndup(text, at ? (gsize)(at - text) : strlen(text));
}

static bool in_range(const char *range, const char *text) {
    struct ta_version version;
    return !range || (!ta_version_parse(text, &version, NULL) && ta_range_contains(range, &version));
}

/* Versions. */

/* What was wished for before, and what is wished for now: a later --with takes an earlier --without back, and so on. */
static enum ta_status merge_wishes(struct chooser *chooser) {
    const struct setup *before = chooser->workspace.configured ? &chooser->workspace.setup : NULL;
    const char *const *with = chooser->choices->with, *const *without = chooser->choices->without;
    size_t most = (with ? g_strv_length((char **)with) : 0) + (without ? g_strv_length((char **)without) : 0) +
                  (before ? before->with.count + before->without.count : 0);
    struct arena *arena = chooser->workspace.arena;
    struct setup *setup = &chooser->setup;
    setup->with.items = arena_alloc(arena, (most + 1) * sizeof *setup->with.items);
    setup->without.items = arena_alloc(arena, (most + 1) * sizeof *setup->without.items);
    if (!setup->with.items || !setup->without.items)
        return ta_problem_set(chooser->why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; with && with[i]; ++i) {
        const char *at = strchr(with[i], '@');
        const char *name = at ? arena_text_part(arena, with[i], (size_t)(at - with[i])) : with[i];
        const char *range = at ? arena_printf(arena, "=%s", at + 1) : "*";
        if (ta_range_check(range, NULL))
            return ta_problem_set(chooser->why, TA_E_USAGE, "write for example --with chime@1.1.0",
                                  "--with: \"%s\" names no version", with[i]);
        setup->with.items[setup->with.count++] = (struct need){name, range};
    }
    for (size_t i = 0; without && without[i]; ++i)
        setup->without.items[setup->without.count++] = without[i];
    for (size_t i = 0; before && i < before->with.count; ++i)
        if (!needs_range(&setup->with, before->with.items[i].name) &&
            !(without && g_strv_contains(without, before->with.items[i].name)))
            setup->with.items[setup->with.count++] = before->with.items[i];
    for (size_t i = 0; before && i < before->without.count; ++i)
        if (!needs_range(&setup->with, before->without.items[i]) &&
            !(without && g_strv_contains(without, before->without.items[i])))
            setup->without.items[setup->without.count++] = before->without.items[i];
    return TA_OK;
}

static enum ta_status choose_versions(struct chooser *chooser) {
    struct workspace *workspace = &chooser->workspace;
    const char *wanted = chooser->choices->sdk, *version = NULL;
    g_autofree char *name = wanted ? split_version(wanted, &version) : NULL;
    struct version_wishes wishes = {.sdk = name ? arena_text(workspace->arena, name) : NULL,
                                    .sdk_version = version,
                                    .before = workspace->configured ? &workspace->setup : NULL};
    struct versions versions;
    enum ta_status status = merge_wishes(chooser);
    wishes.with = chooser->setup.with;
    wishes.without = chooser->setup.without;
    if (!status && version && ta_range_check(version, chooser->why))
        return TA_E_INPUT;
    if (!status)
        status = versions_choose(workspace, &wishes, &versions, chooser->report, chooser->why);
    if (status)
        return status;
    chooser->setup.sdk = versions.sdk;
    chooser->setup.sdk_version = versions.sdk_version;
    chooser->setup.components = versions.components;
    g_autoptr(GString) names = g_string_new(NULL);
    for (size_t i = 0; i < versions.components.count; ++i) {
        const struct need *each = &versions.components.items[i];
        bool own = strcmp(each->range, versions.sdk_version) != 0;
        g_string_append_printf(names, "%s%s%s%s", i ? ", " : "", each->name, own ? " " : "", own ? each->range : "");
    }
    report_add(chooser->report, TA_LEVEL_OK, "SDK", NULL, "%s %s (%s)", versions.sdk, versions.sdk_version,
               versions.kept ? "as before"
               : wanted      ? "as asked"
                             : "the newest that fits");
    report_add(chooser->report, TA_LEVEL_OK, "components", NULL, "%s", names->len ? names->str : "none");
    return TA_OK;
}

/* Targets. */

static enum ta_status take_target(struct chooser *chooser, const char *name, const char *reason) {
    struct arena *arena = chooser->workspace.arena;
    enum ta_status status = target_profile(chooser->workspace.context, name, arena, &chooser->profile, chooser->why);
    if (!status)
        status = workspace_board_fits(&chooser->workspace, &chooser->profile, chooser->why);
    if (status)
        return status;
    chooser->setup.target = arena_text(arena, name);
    chooser->setup.profile = chooser->profile.name;
    report_add(chooser->report, TA_LEVEL_OK, "target", NULL, "%s, %s (%s)", name, chooser->profile.title, reason);
    return TA_OK;
}

/* Puts a new target on the bench, named like its profile. */
static enum ta_status make_target(struct chooser *chooser, const char *profile, const char *reason) {
    enum ta_status status =
        catalog_profile(chooser->workspace.context, profile, chooser->workspace.arena, &chooser->profile, chooser->why);
    if (!status)
        status = workspace_board_fits(&chooser->workspace, &chooser->profile, chooser->why);
    if (!status)
        status = target_add(chooser->workspace.context, profile, profile, chooser->why);
    return status ? status : take_target(chooser, profile, reason);
}

static bool on_bench(const struct chooser *chooser, const char *name) {
    g_auto(GStrv) names = target_names(chooser->workspace.context);
    return g_strv_contains((const char *const *)names, name);
}

static enum ta_status choose_named_target(struct chooser *chooser, const char *name) {
    g_auto(GStrv) profiles = catalog_list(chooser->workspace.context, catalog_profiles);
    if (!on_bench(chooser, name) && g_strv_contains((const char *const *)profiles, name))
        return make_target(chooser, name, "new on the bench, as asked");
    return take_target(chooser, name, "as asked");
}

/* One that is not simulated whole is taken only when it is asked for. */
static enum ta_status take_working_target(struct chooser *chooser, const char *name, const char *reason) {
    struct ta_context *context = chooser->workspace.context;
    struct ta_profile profile;
    enum ta_status status = target_profile(context, name, chooser->workspace.arena, &profile, chooser->why);
    if (!status)
        status = target_can_be_made(context, &profile, chooser->why);
    return status ? status : take_target(chooser, name, reason);
}

static enum ta_status choose_target(struct chooser *chooser) {
    const struct workspace *workspace = &chooser->workspace;
    struct ta_problem *why = chooser->why;
    if (chooser->choices->target)
        return choose_named_target(chooser, chooser->choices->target);
    if (workspace->configured && on_bench(chooser, workspace->setup.target) &&
        !take_target(chooser, workspace->setup.target, "as before"))
        return TA_OK;
    if (chooser->has_last && on_bench(chooser, chooser->last.target) &&
        !take_working_target(chooser, chooser->last.target, "the last used"))
        return TA_OK;
    g_auto(GStrv) targets = target_names(workspace->context);
    for (char **name = targets; *name; ++name)
        if (!take_working_target(chooser, *name, "the first on the bench that fits"))
            return TA_OK;
    g_auto(GStrv) profiles = catalog_list(workspace->context, catalog_profiles);
    for (char **name = profiles; *name; ++name) {
        if (on_bench(chooser, *name))
            continue;
        struct ta_profile profile;
        enum ta_status status = catalog_profile(workspace->context, *name, workspace->arena, &profile, why);
        if (!status)
            status = workspace_board_fits(workspace, &profile, why);
        if (!status)
            status = target_can_be_made(workspace->context, &profile, why);
        if (!status)
            status = make_target(chooser, *name, "new on the bench, made from the profile that fits");
        if (!status || ta_status_exit_code(status) > 1) /* one that does not fit is passed over, a full disk is not */
            return status;
    }
    g_autofree char *needed = g_strjoinv(", ", (char **)workspace->project.needs.board.items);
    return ta_problem_set(why, TA_E_NO, "tanchor configure --target NAME, with a target that has it",
                          "no board on the bench or in the catalog has what %s needs: %s", workspace->project.project,
                          needed ? needed : "nothing");
}

/* Compilers. */

struct compiler_wish {
    const char *family, *version; /* null: any */
};

/* The first compiler that is usable, wished for and inside the project's ranges; null when there is none. */
static const struct found_toolchain *pick_compiler(const struct chooser *chooser, const struct found_toolchains *found,
                                                   const struct compiler_wish *wish) {
    const struct needs *needs = &chooser->workspace.project.needs.compilers;
    for (size_t i = 0; i < found->count; ++i) {
        const struct toolchain *tool = &found->items[i].tool;
        const char *range = needs_range(needs, tool->family);
        bool wished = (!wish->family || !strcmp(tool->family, wish->family)) &&
                      (!wish->version || !strcmp(tool->version, wish->version));
        if (found->items[i].usable && wished && (!needs->count || range) && in_range(range, tool->version))
            return &found->items[i];
    }
    return NULL;
}

static enum ta_status no_compiler(struct chooser *chooser, const struct found_toolchains *found,
                                  const struct compiler_wish *wish) {
    g_autoptr(GString) usable = g_string_new(NULL);
    for (size_t i = 0; i < found->count; ++i) {
        const struct found_toolchain *each = &found->items[i];
        if (wish->family && !each->usable && !strcmp(each->tool.family, wish->family))
            return ta_problem_set(chooser->why, TA_E_NO, each->fix, "%s %s: %s", each->tool.family, each->tool.version,
                                  each->reason);
        if (each->usable)
            g_string_append_printf(usable, "%s%s@%s", usable->len ? ", " : "", each->tool.family, each->tool.version);
    }
    if (!usable->len)
        return ta_problem_set(chooser->why, TA_E_NO, toolchains_install_fix,
                              "there is no cross compiler for %s on this computer", chooser->profile.isa);
    g_autofree char *fix = g_strdup_printf("on this computer: %s", usable->str);
    return ta_problem_set(chooser->why, TA_E_NO, fix, "no compiler here is %s and inside what %s needs",
                          chooser->choices->compiler ? chooser->choices->compiler : "usable",
                          chooser->workspace.project.project);
}

static enum ta_status choose_compiler(struct chooser *chooser) {
    struct workspace *workspace = &chooser->workspace;
    const char *wanted = chooser->choices->compiler, *reason = "it makes code for this board";
    struct compiler_wish wish = {0};
    g_autofree char *family = wanted ? split_version(wanted, &wish.version) : NULL;
    struct found_toolchains found;
    enum ta_status status = workspace_toolchains(workspace, &chooser->profile, &found, chooser->why);
    if (status)
        return status;
    wish.family = family;
    if (!wanted && workspace->configured)
        wish.family = workspace->setup.compiler;
    else if (!wanted && chooser->has_last)
        wish.family = chooser->last.compiler;
    const struct found_toolchain *picked = pick_compiler(chooser, &found, &wish);
    if (wish.family)
        reason = wanted ? "as asked" : workspace->configured ? "as before" : "the last used";
    if (!picked && !wanted && wish.family) { /* an earlier choice that is there no more is given up */
        picked = pick_compiler(chooser, &found, &(struct compiler_wish){0});
        reason = "the earlier one cannot be used any more";
    }
    if (!picked)
        return no_compiler(chooser, &found, &wish);
    chooser->setup.compiler = picked->tool.family;
    chooser->setup.compiler_version = picked->tool.version;
    report_add(chooser->report, TA_LEVEL_OK, "compiler", NULL, "%s %s, %s (%s)", picked->tool.family,
               picked->tool.version, picked->tool.path, reason);
    return TA_OK;
}

static enum ta_status choose_optimisation(struct chooser *chooser) {
    static const char *const known[] = {"size", "speed", "debug", NULL};
    const char *wanted = chooser->choices->optimise;
    if (wanted && !g_strv_contains(known, wanted))
        return ta_problem_set(chooser->why, TA_E_USAGE, "write one of: size, speed, debug",
                              "--optimise: \"%s\" is not known", wanted);
    chooser->setup.optimise = wanted                          ? wanted
                              : chooser->workspace.configured ? chooser->workspace.setup.optimise
                                                              : "size";
    report_add(chooser->report, TA_LEVEL_OK, "optimise", NULL, "for %s", chooser->setup.optimise);
    return TA_OK;
}

/* Board options. */

/* WANTED as a quantity of UNIT, "default" as 0; what is not wanted anew stays as it was. */
static enum ta_status choose_option(struct chooser *chooser, const char *option, const char *wanted,
                                    enum unit_kind unit, uint64_t *value) {
    if (!wanted)
        return TA_OK;
    if (!strcmp(wanted, "default"))
        *value = 0;
    else if (!unit_parse(wanted, strlen(wanted), unit, value) || !*value)
        return ta_problem_set(chooser->why, TA_E_USAGE,
                              unit == UNIT_NONE ? "write a whole number, or default"
                                                : "write for example 4 KiB, 8 MHz, or default",
                              "--%s: \"%s\" cannot be read", option, wanted);
    return TA_OK;
}

static uint64_t ram_bytes(const struct ta_profile *profile) {
    for (size_t i = 0; i < profile->memory_count; ++i)
        if (profile->memories[i].kind == TA_MEMORY_RAM)
            return profile->memories[i].size_bytes;
    return 0;
}

static enum ta_status choose_options(struct chooser *chooser) {
    const struct ta_choices *choices = chooser->choices;
    struct board_options *options = &chooser->setup.options;
    char stack[UNIT_TEXT_BYTES], heap[UNIT_TEXT_BYTES], clock[UNIT_TEXT_BYTES];
    if (chooser->workspace.configured)
        *options = chooser->workspace.setup.options;
    uint64_t baud = options->console_baud;
    enum ta_status status = choose_option(chooser, "stack", choices->stack, UNIT_SIZE_BYTES, &options->stack_bytes);
    if (!status)
        status = choose_option(chooser, "heap", choices->heap, UNIT_SIZE_BYTES, &options->heap_bytes);
    if (!status)
        status = choose_option(chooser, "clock", choices->clock, UNIT_FREQUENCY_HZ, &options->clock_hz);
    if (!status)
        status = choose_option(chooser, "console-speed", choices->console_speed, UNIT_NONE, &baud);
    options->console_baud = (unsigned)baud;
    if (!status && baud && (baud < 300 || baud > 4000000))
        return ta_problem_set(chooser->why, TA_E_USAGE, "write for example 115200",
                              "--console-speed: it may be 300 to 4000000");
    if (!status && options->clock_hz && !ta_profile_has_clock(&chooser->profile, options->clock_hz)) {
        g_autoptr(GString) all = g_string_new("it can at ");
        if (!chooser->profile.clock_count)
            g_string_append(all, unit_format(clock, UNIT_FREQUENCY_HZ, chooser->profile.clock_hz));
        for (size_t i = 0; i < chooser->profile.clock_count; ++i)
            g_string_append_printf(all, "%s%s", i ? ", " : "", chooser->profile.clocks[i]);
        return ta_problem_set(chooser->why, TA_E_INPUT, all->str, "%s cannot run at %s", chooser->profile.name,
                              unit_format(clock, UNIT_FREQUENCY_HZ, options->clock_hz));
    }
    uint64_t ram = ram_bytes(&chooser->profile), taken = options->stack_bytes + options->heap_bytes;
    if (!status && taken >= ram)
        return ta_problem_set(chooser->why, TA_E_INPUT, "make them smaller", "stack and heap take %s, %s has %s of RAM",
                              unit_format(stack, UNIT_SIZE_BYTES, taken), chooser->profile.name,
                              unit_format(heap, UNIT_SIZE_BYTES, ram));
    options->stack_bytes = (options->stack_bytes + 15) / 16 * 16; /* the ABI wants it aligned */
    if (!status && (options->stack_bytes || options->heap_bytes || options->clock_hz || baud))
        report_add(
            chooser->report, TA_LEVEL_OK, "board", NULL, "stack %s, heap at least %s, clock %s, console %u baud",
            unit_format(stack, UNIT_SIZE_BYTES, options->stack_bytes ? options->stack_bytes : STACK_BYTES),
            unit_format(heap, UNIT_SIZE_BYTES, options->heap_bytes),
            unit_format(clock, UNIT_FREQUENCY_HZ, options->clock_hz ? options->clock_hz : chooser->profile.clock_hz),
            baud ? (unsigned)baud : CONSOLE_BAUD);
    return status;
}

static enum ta_status choose_settings(struct chooser *chooser) {
    const char *const *settings = chooser->choices->settings;
    return settings ? settings_set(&chooser->workspace, settings, chooser->report, chooser->why) : TA_OK;
}

enum ta_status ta_configure(struct ta_context *context, const char *folder, const struct ta_choices *choices,
                            struct ta_report *report, struct ta_problem *why) {
    static enum ta_status (*const steps[])(struct chooser *) = {choose_versions,     choose_target,  choose_compiler,
                                                                choose_optimisation, choose_options, choose_settings};
    gint64 start = g_get_monotonic_time();
    struct chooser chooser = {.choices = choices, .report = report, .why = why};
    enum ta_status status = workspace_open(context, folder, &chooser.workspace, why);
    if (!status)
        chooser.has_last = projects_last(context, chooser.workspace.folder, chooser.workspace.arena, &chooser.last);
    for (size_t i = 0; !status && i < G_N_ELEMENTS(steps); ++i)
        status = steps[i](&chooser);
    if (!status)
        status = setup_write(workspace_path(&chooser.workspace, "setup.yaml"), &chooser.setup, why);
    if (!status)
        status = project_note(context, chooser.workspace.folder, why);
    if (!status) {
        report_title(report, "%s on %s", chooser.workspace.project.project, chooser.setup.target);
        report_text(report, "target", chooser.setup.target);
        report_text(report, "compiler", chooser.setup.compiler);
        report_next(report, "tanchor build");
    }
    workspace_close(&chooser.workspace);
    report_took(report, start);
    return status;
}
