/* configure: chooses SDK, target and compiler, says which and why, and writes setup.yaml. What is chosen already stays,
   unless it is asked for anew or fits no more. */
#include "base/units.h"
#include "core/plan/generate.h"
#include "flow/projects.h"
#include "flow/setup/chooser.h"
#include "host/inside.h"
#include "host/model_files.h"

/* Versions. */

/* What was wished for before, and what is wished for now: a later --with takes an earlier --without back, and so on. */
static enum ta_status merge_wishes(struct chooser *chooser) {
    const struct setup *before = chooser->workspace.configured ? &chooser->workspace.setup : NULL;
    const char *const *with = chooser->choices->with, *const *without = chooser->choices->without;
    size_t most = (with ? g_strv_length((char **)with) : 0) + (without ? g_strv_length((char **)without) : 0) +
                  (before ? before->with.count + before->without.count : 0);
    struct arena *arena = chooser->workspace.context->arena;
    struct setup *setup = &chooser->setup;
    setup->with.items = arena_alloc(arena, (most + 1) * sizeof *setup->with.items);
    setup->without.items = arena_alloc(arena, (most + 1) * sizeof *setup->without.items);
    for (size_t i = 0; with && with[i]; ++i) {
        const char *version;
        g_autofree char *name = chooser_split_version(with[i], &version);
        g_autofree char *range = version ? g_strdup_printf("=%s", version) : g_strdup("*");
        if (ta_range_check(range, NULL))
            return ta_problem_set(chooser->why, TA_E_USAGE, "write for example chime@1.1.0",
                                  "the component \"%s\" names no version", with[i]);
        setup->with.items[setup->with.count++] = (struct need){arena_text(arena, name), arena_text(arena, range)};
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

/* What is not here is fetched, when that is agreed to; then it is chosen anew from what is here. */
static enum ta_status ask_versions(struct chooser *chooser, const struct version_question *question,
                                   struct versions *versions) {
    struct ta_context *context = chooser->workspace.context;
    bool fetched = false;
    enum ta_status status = versions_choose(context, question, versions, chooser->report, chooser->why);
    if (status || !versions->missing_count)
        return status;
    const struct package *first = &versions->missing[0]->package;
    g_autofree char *about = supply_text(context, versions->missing, versions->missing_count);
    g_autofree char *fix = g_strdup_printf("{fetch %s@%s}, or {agree}", first->package, first->version);
    status = supply_fetch(context, versions->missing, versions->missing_count, &fetched, chooser->report, chooser->why);
    if (!status && !fetched)
        status = ta_problem_set(chooser->why, TA_E_NO, fix,
                                "it needs packages that are not installed but can be fetched: %s", about);
    return status ? status : versions_choose(context, question, versions, chooser->report, chooser->why);
}

static enum ta_status choose_versions(struct chooser *chooser) {
    struct workspace *workspace = &chooser->workspace;
    const char *wanted = chooser->choices->sdk, *version = NULL;
    g_autofree char *name = wanted ? chooser_split_version(wanted, &version) : NULL;
    struct versions versions;
    enum ta_status status = merge_wishes(chooser);
    struct version_question question = {.by = workspace->project.project,
                                        .needs = &workspace->project.needs,
                                        .sdk = name,
                                        .sdk_version = version,
                                        .with = chooser->setup.with,
                                        .without = chooser->setup.without,
                                        .before = workspace->configured  ? &workspace->setup
                                                  : chooser->is_proposed ? &chooser->last
                                                                         : NULL,
                                        .offered = true};
    if (!status && version && ta_range_check(version, chooser->why))
        return TA_E_INPUT;
    if (!status)
        status = ask_versions(chooser, &question, &versions);
    if (status)
        return status;
    chooser->setup.sdk = arena_text(workspace->context->arena, versions.sdk);
    chooser->setup.sdk_version = versions.sdk_version;
    chooser->setup.components = versions.components;
    g_autoptr(GString) names = g_string_new(NULL);
    for (size_t i = 0; i < versions.components.count; ++i) {
        const struct pin *each = &versions.components.items[i];
        bool own = strcmp(each->version, versions.sdk_version) != 0;
        g_string_append_printf(names, "%s%s%s%s", i ? ", " : "", each->name, own ? " " : "", own ? each->version : "");
    }
    report_add(chooser->report, TA_LEVEL_OK, "SDK", NULL, "%s %s (%s)", versions.sdk, versions.sdk_version,
               versions.kept ? (chooser->is_proposed ? chooser->last_reason : "as before")
               : wanted      ? "as you asked"
                             : "the newest that fits");
    report_add(chooser->report, TA_LEVEL_OK, "components", NULL, "%s", names->len ? names->str : "none");
    return catalog_sdk(workspace->context, chooser->setup.sdk, chooser->setup.sdk_version, &chooser->setup.components,
                       &chooser->sdk, &(const char *){NULL}, chooser->why);
}

/* Targets. */

/* Takes TARGET, which may be one that is not on the bench yet: it is put there once all is chosen. */
static enum ta_status take(struct chooser *chooser, const struct bench_target *target, bool is_new,
                           const char *reason) {
    struct ta_context *context = chooser->workspace.context;
    const char *name = target->target;
    enum ta_status status = board_of(context, target, NULL, &chooser->profile, chooser->why);
    if (!status)
        status = workspace_board_fits(&chooser->workspace, &chooser->profile, chooser->why);
    if (!status)
        status =
            components_fit_board(context, &chooser->sdk, &chooser->setup.components, &chooser->profile, chooser->why);
    if (!status)
        status = setup_platform_fits(&chooser->workspace, target, &chooser->profile, chooser->why);
    if (status)
        return status;
    chooser->setup.target = arena_text(context->arena, name);
    chooser->setup.profile = chooser->profile.name;
    chooser->makes_target = is_new;
    report_add(chooser->report, TA_LEVEL_OK, "target", NULL, "%s, %s (%s)", name, chooser->profile.title, reason);
    return TA_OK;
}

static enum ta_status take_target(struct chooser *chooser, const char *name, const char *reason) {
    struct bench_target target;
    enum ta_status status = target_read(chooser->workspace.context, name, &target, chooser->why);
    return status ? status : take(chooser, &target, false, reason);
}

static bool is_made_from(struct ta_context *context, const char *name, const char *profile) {
    struct bench_target target;
    return !target_read(context, name, &target, NULL) && !strcmp(target.profile, profile);
}

/* A new target is named like its profile: dunlin, or dunlin-2 and so on where one of that name was made from another profile. */
static enum ta_status make_target(struct chooser *chooser, const char *profile, const char *reason) {
    struct ta_context *context = chooser->workspace.context;
    struct bench_target fresh = {.target = profile, .profile = profile};
    struct ta_profile read;
    for (unsigned next = 2; target_exists(context, fresh.target); ++next)
        fresh.target = arena_printf(context->arena, "%s-%u", profile, next);
    if (!catalog_profile(context, profile, context->arena, &read, NULL))
        fresh.platform_version = target_platform(context, &read);
    return take(chooser, &fresh, true, reason);
}

/* Puts it on the bench, unless another process has just done so. */
static enum ta_status keep_target(struct chooser *chooser) {
    struct ta_context *context = chooser->workspace.context;
    struct bench_target fresh = {.target = chooser->setup.target, .profile = chooser->setup.profile};
    struct bench_change change;
    if (!chooser->makes_target)
        return TA_OK;
    enum ta_status status = bench_change_begin(context, fresh.target, "configure", &change, chooser->why);
    if (!status && !target_exists(context, fresh.target))
        status = target_make(context, &fresh, chooser->why);
    bench_change_end(&change);
    return status;
}

/* One that is not simulated whole is taken only when it is asked for. */
static enum ta_status take_working_target(struct chooser *chooser, const char *name, const char *reason) {
    struct ta_context *context = chooser->workspace.context;
    struct bench_entry entry;
    enum ta_status status = bench_entry_read(context, name, &entry, chooser->why);
    if (!status)
        status = target_can_be_reached(context, &entry.target, &entry.profile, chooser->why);
    return status ? status : take_target(chooser, name, reason);
}

static const char first_that_fits[] = "the first on the bench that fits";

static bool take_from_bench(struct chooser *chooser, enum ta_profile_kind kind) {
    struct ta_context *context = chooser->workspace.context;
    g_auto(GStrv) targets = target_names(context);
    for (char **name = targets; *name; ++name) {
        struct ta_profile profile;
        if (!board_of_target(context, *name, NULL, &profile, chooser->why) && profile.kind == kind &&
            !take_working_target(chooser, *name, first_that_fits))
            return true;
    }
    return false;
}

/* Of the profiles of KIND, the first that fits; TA_E_NO when none does. */
static enum ta_status choose_profile(struct chooser *chooser, enum ta_profile_kind kind) {
    struct ta_context *context = chooser->workspace.context;
    const struct catalog_items *profiles = catalog_list(context, PACKAGE_BOARD);
    for (size_t i = 0; i < profiles->count; ++i) {
        const char *name = profiles->items[i].name;
        struct ta_profile profile;
        enum ta_status status = catalog_profile(context, name, context->arena, &profile, chooser->why);
        if (!status && profile.kind != kind)
            continue;
        if (!status && is_made_from(context, name, name)) { /* another process may have put it there meanwhile */
            if (!take_working_target(chooser, name, first_that_fits))
                return TA_OK;
            continue;
        }
        if (!status)
            status = workspace_board_fits(&chooser->workspace, &profile, chooser->why);
        if (!status)
            status = board_can_be_made(context, &profile, chooser->why);
        if (!status)
            status = make_target(chooser, name, "new on the bench, made from the profile that fits");
        if (!status || ta_status_exit_code(status) > 1) /* one that does not fit is passed over, a full disk is not */
            return status;
    }
    return TA_E_NO;
}

/* A board before an emulator, which is there for those who ask for it. */
static enum ta_status choose_new_target(struct chooser *chooser) {
    enum ta_status status = choose_profile(chooser, TA_PROFILE_BOARD);
    if (status == TA_E_NO)
        status = choose_profile(chooser, TA_PROFILE_EMULATOR);
    g_autofree char *needed = g_strjoinv(", ", (char **)chooser->workspace.project.needs.board.items);
    return status == TA_E_NO ? ta_problem_set(chooser->why, TA_E_NO, "{target NAME}, with a target that has it",
                                              "no board on the bench or in the catalog has what %s needs: %s",
                                              chooser->workspace.project.project, needed ? needed : "nothing")
                             : status;
}

static enum ta_status choose_target(struct chooser *chooser) {
    const struct workspace *workspace = &chooser->workspace;
    struct ta_context *context = workspace->context;
    const char *asked = chooser->choices->target, *before = workspace->configured ? workspace->setup.target : NULL;
    if (asked)
        return !target_exists(context, asked) && catalog_newest(context, PACKAGE_BOARD, asked, NULL)
                   ? make_target(chooser, asked, "new on the bench, as you asked")
                   : take_target(chooser, asked, "as you asked");
    if (before && target_exists(context, before) && !take_target(chooser, before, "as before"))
        return TA_OK;
    if (chooser->last_reason && target_exists(context, chooser->last.target) &&
        !take_working_target(chooser, chooser->last.target, chooser->last_reason))
        return TA_OK;
    if (take_from_bench(chooser, TA_PROFILE_BOARD) || take_from_bench(chooser, TA_PROFILE_EMULATOR))
        return TA_OK;
    return choose_new_target(chooser);
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
                              "{option %s}: \"%s\" cannot be read", option, wanted);
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
        return ta_problem_set(chooser->why, TA_E_INPUT, "a console runs at 300 to 4000000 baud",
                              "%s cannot have a console of %llu baud", chooser->profile.name, (unsigned long long)baud);
    if (!status && options->clock_hz && !ta_profile_has_clock(&chooser->profile, options->clock_hz)) {
        g_autoptr(GString) all = g_string_new("it runs at ");
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
    enum ta_status status =
        settings ? settings_set(&chooser->workspace, settings, chooser->report, chooser->why) : TA_OK;
    chooser->settings_set = settings && *settings && !status;
    return status;
}

/* What is chosen when the project has no setting anything else and the project was never configured here. */
static void take_last(struct chooser *chooser) {
    struct workspace *workspace = &chooser->workspace;
    const char *proposal = workspace_path(workspace, PROPOSED_SETUP);
    chooser->is_proposed = !workspace->configured && inside_look(workspace->folder, PROPOSED_SETUP) == INSIDE_FILE &&
                           !setup_read(proposal, proposal, workspace->context->arena, &chooser->last, NULL);
    if (chooser->is_proposed)
        chooser->last_reason = "as the project proposes";
    else if (projects_last(workspace->context, workspace->folder, &chooser->last))
        chooser->last_reason = "the one used last";
}

/* The workspace as it will be: what ready would refuse is refused before anything is written. */
static enum ta_status check_choice(struct chooser *chooser) {
    struct workspace *workspace = &chooser->workspace;
    workspace->setup = chooser->setup;
    workspace->configured = true;
    enum ta_status status = workspace_load(workspace, chooser->why);
    return status ? status : setup_refuses(workspace, chooser->why);
}

static enum ta_status write_setup(struct chooser *chooser) {
    return setup_write(workspace_path(&chooser->workspace, "setup.yaml"), &chooser->setup, chooser->why);
}

static enum ta_status note_project(struct chooser *chooser) {
    return project_note(chooser->workspace.context, chooser->workspace.folder, chooser->why);
}

/* What was found on the way to a refusal is no news; what was changed, and what was not, is. */
static void say_unchanged(struct chooser *chooser) {
    struct ta_problem *why = chooser->why;
    size_t length = strlen(why->fix);
    report_drop(chooser->report, TA_LEVEL_WARNING);
    g_snprintf(why->fix + length, sizeof why->fix - length, "%s%ssetup.yaml was not%s", length ? "; " : "",
               chooser->settings_set ? SETTINGS_FILE " was changed, " : "", chooser->settings_set ? "" : " changed");
}

enum ta_status ta_configure(struct ta_context *context, const char *folder, const struct ta_choices *asked,
                            struct ta_report *report, struct ta_problem *why) {
    static enum ta_status (*const steps[])(struct chooser *) = {
        choose_versions, choose_target,   choose_compiler, choose_optimisation, choose_launcher, choose_options,
        check_choice,    choose_settings, keep_target,     note_project,        write_setup};
    struct step step = step_begin(context, report);
    struct ta_choices choices = {0};
    struct ta_problem found = {0};
    struct chooser chooser = {.choices = &choices, .report = report, .why = &found};
    enum ta_status status = request_copy(asked, &choices, sizeof choices, why);
    if (!status)
        status = workspace_open(context, folder, "configure", &chooser.workspace, why);
    if (status)
        return step_end(&step, status);
    take_last(&chooser);
    for (size_t i = 0; !status && i < G_N_ELEMENTS(steps); ++i)
        status = steps[i](&chooser);
    if (status) {
        say_unchanged(&chooser);
        ta_problem_copy(why, &found);
    } else {
        setup_warn(&chooser.workspace, report);
        report_sort(report);
        report_title(report, "%s on %s", chooser.workspace.project.project, chooser.setup.target);
        report_text(report, "target", chooser.setup.target);
        report_text(report, "compiler", compiler_words[chooser.setup.compiler]);
        report_next(report, "{verify}, or {run} to watch it");
    }
    workspace_leave(&chooser.workspace);
    return step_end(&step, status);
}
