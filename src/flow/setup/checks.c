/* What can be wrong with a setup: asked by configure before it is written, and by ready. */
#include "flow/depot/depot.h"
#include "flow/setup/setup.h"
#include "host/confine.h"

/* The compiler of the setup against the ranges of the manifest. */
static enum ta_status compiler_fits(const struct workspace *workspace, struct ta_problem *why) {
    const struct needs *needs = &workspace->project.needs.compilers;
    const char *family = compiler_words[workspace->setup.compiler], *range = needs_range(needs, family);
    const char *has = workspace->setup.compiler_version;
    struct ta_version version;
    if (needs->count && !range)
        return ta_problem_set(why, TA_E_NO, "{configure}", "the project does not support %s", family);
    if (range && (ta_version_parse(has, &version, NULL) || !ta_range_contains(range, &version)))
        return ta_problem_set(why, TA_E_NO, "{configure}", "the project needs %s %s, setup.yaml has %s", family, range,
                              has);
    return TA_OK;
}

enum ta_status setup_still_fits(struct workspace *workspace, struct ta_problem *why) {
    const struct project *project = &workspace->project;
    struct bench_target target;
    enum ta_status status =
        versions_check(workspace->context, project->project, &project->needs, &workspace->setup, why);
    if (!status)
        status = compiler_fits(workspace, why);
    if (!status)
        status = workspace_board_fits(workspace, &workspace->profile, why);
    if (!status && !target_read(workspace->context, workspace->setup.target, &target, NULL))
        status = setup_platform_fits(workspace, &target, &workspace->profile, why);
    return status;
}

enum ta_status setup_check_compiler(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const char *family = compiler_words[workspace->setup.compiler];
    g_autoptr(GString) isas = g_string_new(NULL), libraries = g_string_new(NULL);
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < workspace->layout.image_count; ++i) {
        struct image_place place;
        struct toolchain toolchain;
        struct isa isa;
        char march[ISA_TEXT_BYTES];
        status = image_place_find(&workspace->profile, workspace_harts(workspace, i), &place, why);
        if (!status)
            status = workspace_toolchain(workspace, place.group.isa, &toolchain, why);
        if (!status)
            status = isa_parse(place.group.isa, &isa, why);
        if (status)
            return status;
        isa_march(&isa, march);
        g_string_append_printf(isas, "%s%s", i ? ", " : "", place.group.isa);
        g_string_append_printf(libraries, "%s%s/%s", i ? ", " : "", march, isa_mabi(&isa));
    }
    status = compiler_fits(workspace, why);
    if (status)
        return status;
    report_add(report, TA_LEVEL_OK, "compiler", NULL, "%s %s compiles for %s", family,
               workspace->setup.compiler_version, isas->str);
    static const struct {
        unsigned confines;
        const char *else_it;
    } parts[] = {{CONFINES_FILES, "read all files that you can"},
                 {CONFINES_SOCKETS, "open connections, and leave programs running"},
                 {CONFINES_SIGNALS, "signal your other programs"}};
    for (size_t i = 0; i < G_N_ELEMENTS(parts); ++i)
        if (!(confine_can() & parts[i].confines))
            report_add(report, TA_LEVEL_NOTE, "compiler", "use it for projects that you trust; docs/trust.md",
                       "this kernel cannot confine it: it can %s", parts[i].else_it);
    report_add(report, TA_LEVEL_OK, "C library", NULL, "picolibc for %s", libraries->str);
    return TA_OK;
}

enum ta_status setup_check_board(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    struct ta_context *context = workspace->context;
    struct bench_target target = {0};
    enum ta_status status = workspace_board_fits(workspace, &workspace->profile, why);
    if (!status)
        status = components_fit_board(workspace->context, &workspace->sdk, &workspace->setup.components,
                                      &workspace->profile, why);
    if (!status)
        status = target_exists(context, workspace->setup.target)
                     ? target_read(context, workspace->setup.target, &target, why)
                     : TA_OK;
    if (!status)
        status = target_can_be_reached(context, &target, &workspace->profile, why);
    if (status)
        return status;
    g_autoptr(GString) needed = g_string_new(NULL);
    for (size_t i = 0; i < workspace->project.needs.board.count; ++i)
        g_string_append_printf(needed, "%s%s", i ? ", " : "", workspace->project.needs.board.items[i]);
    report_add(report, TA_LEVEL_OK, "board", NULL, "%s has all that is needed: %s", workspace->profile.name,
               needed->len ? needed->str : "nothing");
    return TA_OK;
}

/* The target. */

enum ta_status setup_check_target(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    if (!target_exists(workspace->context, setup->target)) {
        g_auto(GStrv) names = target_names(workspace->context);
        g_autofree char *all = g_strjoinv(", ", names);
        return ta_problem_set(why, TA_E_NO, "{configure}", "there is no target \"%s\" on the bench%s%s", setup->target,
                              *all ? ", which has: " : "", all);
    }
    enum ta_status status =
        target_switches_allow(workspace->context, setup->target, &workspace->profile, STARTS_ANY, why);
    if (status)
        return status;
    report_add(report, TA_LEVEL_OK, "target", NULL, "%s is on the bench and has power", setup->target);
    struct ta_problem from_card;
    if (target_switches_allow(workspace->context, setup->target, &workspace->profile, STARTS_FLASH, &from_card))
        report_add(report, TA_LEVEL_WARNING, "trials", from_card.fix, "%s", from_card.what);
    return TA_OK;
}

/* Boot switches, cables, cards: as the manifest needs them. */
enum ta_status setup_check_switches(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct pairs *wanted = &workspace->project.needs.state;
    const char *name = workspace->setup.target;
    struct bench_target target;
    if (!wanted->count || target_read(workspace->context, name, &target, NULL))
        return TA_OK; /* setup_check_target tells of it */
    for (size_t i = 0; i < wanted->count; ++i) {
        const struct pair *each = &wanted->items[i];
        const char *is = target_state(&target, &workspace->profile, each->name);
        g_autofree char *fix = target_switch_fix(name, each->name, each->value);
        if (!is)
            return ta_problem_set(why, TA_E_NO, "{target NAME}, with one that has it",
                                  "the project needs a switch \"%s\", which %s does not have", each->name,
                                  workspace->profile.name);
        if (strcmp(is, each->value))
            report_add(report, TA_LEVEL_PROBLEM, "switch", fix, "%s of %s is %s and must be %s", each->name, name, is,
                       each->value);
        else
            report_add(report, TA_LEVEL_OK, "switch", NULL, "%s of %s is %s", each->name, name, is);
    }
    return TA_OK;
}

enum ta_status setup_platform_fits(const struct workspace *workspace, const struct bench_target *target,
                                   const struct ta_profile *profile, struct ta_problem *why) {
    const struct needs *wanted = &workspace->project.needs.platform;
    const char *name = target->target, *has = target->platform_version;
    struct ta_version version;
    g_autofree char *fix = target_renew_fix(target, profile->platform);
    if (profile->platform && !has)
        return ta_problem_set(why, TA_E_NO, fix, "%s starts from %s, which is not installed", name, profile->platform);
    for (size_t i = 0; i < wanted->count; ++i) {
        const struct need *each = &wanted->items[i];
        if (!profile->platform || strcmp(profile->platform, each->name))
            return ta_problem_set(why, TA_E_NO, "{target NAME}, with one that has it",
                                  "the project needs the platform %s, which %s does not have", each->name, name);
        if (ta_version_parse(has, &version, NULL) || !ta_range_contains(each->range, &version))
            return ta_problem_set(why, TA_E_NO, fix, "%s has %s %s, the project needs %s", name, each->name, has,
                                  each->range);
    }
    return TA_OK;
}

enum ta_status setup_check_platform(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct ta_profile *profile = &workspace->profile;
    struct bench_target target;
    if (target_read(workspace->context, workspace->setup.target, &target, NULL))
        return TA_OK;
    enum ta_status status = setup_platform_fits(workspace, &target, profile, why);
    if (!status && profile->platform)
        report_add(report, TA_LEVEL_OK, "platform", NULL, "%s %s", profile->platform, target.platform_version);
    return status;
}

enum ta_status setup_check_licences(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct component **components;
    size_t count;
    enum ta_status status = workspace_components(workspace, &components, &count, why);
    if (status)
        return TA_OK; /* check_versions tells of it */
    for (size_t i = 0; i < count; ++i) {
        g_autofree char *until = NULL;
        struct ta_problem found;
        bool soon;
        if (!components[i]->licensed_by)
            continue;
        if (licence_check(workspace->context, components[i], &until, &soon, &found))
            report_problem(report, "licence", &found);
        else
            report_add(report, soon ? TA_LEVEL_WARNING : TA_LEVEL_OK, "licence",
                       soon ? "ask its publisher for a new one in time" : NULL, "%s until %s", components[i]->name,
                       until);
    }
    return TA_OK;
}

enum ta_status setup_check_settings(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    return workspace->project.setting_count ? settings_check(workspace, report, why) : TA_OK;
}

/* Problems that no other act than another choice takes away. */
static const struct {
    const char *subject;
    setup_check *check;
    bool refuses;
} rows[] = {
    {"compiler", setup_check_compiler, true}, {"board", setup_check_board, true},
    {"platform", setup_check_platform, true}, {"target", setup_check_target, false},
    {"switch", setup_check_switches, false},  {"licence", setup_check_licences, false},
    {"setting", setup_check_settings, false},
};

enum ta_status setup_refuses(struct workspace *workspace, struct ta_problem *why) {
    struct ta_report *unheard = ta_report_new();
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < G_N_ELEMENTS(rows); ++i)
        status = rows[i].refuses ? rows[i].check(workspace, unheard, why) : TA_OK;
    ta_report_free(unheard);
    return status;
}

void setup_warn(struct workspace *workspace, struct ta_report *report) {
    const struct ta_finding *finding;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
        struct ta_report *found = ta_report_new();
        struct ta_problem why = {0};
        if (!rows[i].refuses && rows[i].check(workspace, found, &why))
            report_problem(found, rows[i].subject, &why);
        for (size_t k = 0; (finding = ta_report_finding(found, k)); ++k)
            if (finding->level >= TA_LEVEL_WARNING)
                report_add(report, TA_LEVEL_WARNING, finding->subject, finding->fix, "%s", finding->message);
        ta_report_free(found);
    }
}
