/* ready: checks all that the project needs, always the whole list. */
#include "tameanchor/chain.h"

#include "flow/report.h"
#include "flow/target.h"
#include "flow/trials.h"
#include "flow/workspace.h"
#include "tameanchor/version.h"

#include <string.h>

/* One check: adds its finding; *WHY is filled when it gives anything but TA_OK. */
typedef enum ta_status check(struct workspace *workspace, struct ta_report *report, struct ta_problem *why);

static enum ta_status check_project(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    struct texts sources, docs;
    struct trial_files trials;
    enum ta_status status = workspace_files(workspace, "sources", &workspace->project.sources, &sources, why);
    if (!status)
        status = workspace_files(workspace, "docs", &workspace->project.docs, &docs, why);
    if (status)
        return status;
    status = trials_open(workspace, &trials, why);
    if (!status)
        report_add(report, TA_LEVEL_OK, "project", NULL, "%zu source%s, %zu trial%s", sources.count,
                   sources.count == 1 ? "" : "s", trials_count(&trials), trials_count(&trials) == 1 ? "" : "s");
    trials_close(&trials);
    return status;
}

static enum ta_status check_sdk(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    const struct needs *needs = &workspace->project.needs.sdk;
    struct ta_version version;
    for (size_t i = 0; i < needs->count; ++i) {
        if (strcmp(needs->items[i].name, setup->sdk))
            continue;
        if (!ta_version_parse(setup->sdk_version, &version, NULL) &&
            ta_range_contains(needs->items[i].range, &version)) {
            report_add(report, TA_LEVEL_OK, "SDK", NULL, "%s %s (needs %s)", setup->sdk, setup->sdk_version,
                       needs->items[i].range);
            return TA_OK;
        }
        return ta_problem_set(why, TA_E_NO, "tanchor configure", "%s %s is outside %s, which the project needs",
                              setup->sdk, setup->sdk_version, needs->items[i].range);
    }
    return ta_problem_set(why, TA_E_NO, "tanchor configure", "the project is not made for %s", setup->sdk);
}

static enum ta_status check_components(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct component **components;
    size_t count;
    const struct needs *needed = &workspace->project.needs.components;
    enum ta_status status =
        plan_components(workspace->arena, &workspace->sdk, &workspace->setup.components, &components, &count, why);
    for (size_t i = 0; !status && i < needed->count; ++i) {
        bool found = false;
        for (size_t k = 0; k < count; ++k)
            found = found || !strcmp(components[k]->name, needed->items[i].name);
        if (!found)
            status = ta_problem_set(why, TA_E_NO, "tanchor configure", "the project needs %s, setup.yaml leaves it out",
                                    needed->items[i].name);
    }
    if (!status)
        report_add(report, TA_LEVEL_OK, "components", NULL, "%zu of %s %s", count, workspace->sdk.sdk,
                   workspace->sdk.version);
    return status;
}

static enum ta_status check_compiler(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    struct toolchain toolchain;
    enum ta_status status = workspace_toolchain(workspace, &toolchain, why);
    if (status)
        return status;
    report_add(report, TA_LEVEL_OK, "compiler", NULL, "%s %s makes code for %s", toolchain.family, toolchain.version,
               workspace->profile.isa);
    report_add(report, TA_LEVEL_OK, "C library", NULL, "picolibc for %s", toolchain.multilib);
    return TA_OK;
}

static enum ta_status check_board(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    struct target target;
    enum ta_status status = workspace_board_fits(workspace, &workspace->profile, why);
    if (!status)
        status = target_open(workspace->context, NULL, &workspace->profile, &target, why);
    if (status)
        return status;
    target_close(&target);
    g_autoptr(GString) needed = g_string_new(NULL);
    for (size_t i = 0; i < workspace->project.needs.board.count; ++i)
        g_string_append_printf(needed, "%s%s", i ? ", " : "", workspace->project.needs.board.items[i]);
    report_add(report, TA_LEVEL_OK, "board", NULL, "%s has what is needed: %s", workspace->profile.name,
               needed->len ? needed->str : "nothing");
    return TA_OK;
}

static enum ta_status check_target(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    struct ta_profile profile;
    enum ta_status status = target_profile(workspace->context, setup->target, workspace->arena, &profile, why);
    if (!status && strcmp(profile.name, setup->profile))
        status = ta_problem_set(why, TA_E_NO, "tanchor configure", "%s on the bench is a %s, setup.yaml says %s",
                                setup->target, profile.name, setup->profile);
    if (!status)
        report_add(report, TA_LEVEL_OK, "target", NULL, "%s is on the bench", setup->target);
    return status;
}

/* Those that a setup is needed for come behind the one that loads it. */
static const struct {
    const char *subject;
    check *check;
} checks[] = {
    {"project", check_project},   {"SDK", check_sdk},     {"components", check_components},
    {"compiler", check_compiler}, {"board", check_board}, {"target", check_target},
};

enum ta_status ta_ready(struct ta_context *context, const char *folder, struct ta_report *report,
                        struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct workspace workspace;
    struct ta_problem found;
    enum ta_status status = workspace_open(context, folder, &workspace, why);
    bool loaded = false;
    for (size_t i = 0; !status && i < G_N_ELEMENTS(checks); ++i) {
        if (i == 1) {
            enum ta_status loading = workspace_load(&workspace, &found);
            if (loading)
                report_problem(report, "setup", &found);
            loaded = !loading;
        }
        if (i && !loaded)
            break;
        enum ta_status answer = checks[i].check(&workspace, report, &found);
        if (answer == TA_E_MEMORY || answer == TA_E_INTERRUPTED) {
            *why = found;
            status = answer;
        } else if (answer) {
            report_problem(report, checks[i].subject, &found);
        }
    }
    if (!status) {
        size_t problems = ta_report_count(report, TA_LEVEL_PROBLEM);
        report_title(report, loaded ? "%s on %s" : "%s%s", workspace.project.project,
                     loaded ? workspace.setup.target : "");
        report_next(report, problems ? "apply the first fix, then tanchor ready" : "tanchor build");
        status = problems ? TA_E_NO : TA_OK;
    }
    workspace_close(&workspace);
    report_took(report, start);
    return status;
}
