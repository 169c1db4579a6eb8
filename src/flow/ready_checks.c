#include "flow/ready_checks.h"

#include "flow/deploy/deployed.h"

#include "base/units.h"
#include "flow/setup/setup.h"
#include "flow/verify/trials.h"
#include "host/digests.h"
#include "host/model_files.h"
#include "tameanchor/bench.h"

#include <sys/stat.h>
#include <sys/statvfs.h>
#include <time.h>

/* The project. */

static enum ta_status check_project(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    struct texts sources, docs;
    struct trial_files trials;
    enum ta_status status = workspace_sources(workspace, &sources, why);
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

/* The resolver says whether what the setup has does for what the project needs. */
static enum ta_status check_versions(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct project *project = &workspace->project;
    const struct setup *setup = &workspace->setup;
    const struct component **components;
    size_t count;
    enum ta_status status = versions_check(workspace->context, project->project, &project->needs, setup, why);
    if (!status)
        status = workspace_components(workspace, &components, &count, why);
    if (status)
        return status;
    report_add(report, TA_LEVEL_OK, "SDK", NULL, "%s %s (needs %s)", setup->sdk, setup->sdk_version,
               needs_range(&project->needs.sdk, setup->sdk));
    report_add(report, TA_LEVEL_OK, "components", NULL, "%zu of %s %s", count, setup->sdk, setup->sdk_version);
    return TA_OK;
}

/* What comes from elsewhere. */

/* Installed packages carry the digest of each of their files. */
static enum ta_status check_packages(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct setup *setup = &workspace->setup;
    g_autofree char *folder = package_folder(workspace->context, setup->sdk, setup->sdk_version);
    g_autofree char *yaml = g_build_filename(folder, "package.yaml", NULL);
    g_autofree char *known = g_build_filename(workspace->context->cache, "packages.json", NULL);
    struct package package;
    if (!g_file_test(yaml, G_FILE_TEST_EXISTS) || !g_str_has_prefix(workspace->sdk_folder, folder))
        return TA_OK; /* a catalog's own folder may change */
    enum ta_status status = package_read(yaml, yaml, workspace->context->arena, &package, why);
    if (status)
        return status;
    struct digests *digests = digests_open(known);
    const char *wrong = NULL;
    for (size_t i = 0; i < package.files.count && !wrong; ++i) {
        g_autofree char *path = g_build_filename(folder, package.files.items[i].name, NULL);
        const char *digest = digests_of(digests, path);
        if (!digest || strncmp(digest, package.files.items[i].value, SHA256_TEXT_BYTES - 1))
            wrong = package.files.items[i].name;
    }
    digests_close(digests);
    if (!wrong) {
        report_add(report, TA_LEVEL_OK, "package", NULL, "%s %s is as it was installed", setup->sdk,
                   setup->sdk_version);
        return TA_OK;
    }
    g_autofree char *fix = g_strdup_printf("{remove-anyway %s@%s}, then add it again", setup->sdk, setup->sdk_version);
    return ta_problem_set(why, TA_E_NO, fix, "%s %s is damaged: %s differs from what was installed", setup->sdk,
                          setup->sdk_version, wrong);
}

/* What the project makes of the board's fabric; and whether there is anything in it yet. */
static enum ta_status check_fabric(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const char *path = workspace->project.fabric;
    const struct ta_device *device = ta_profile_fabric(&workspace->profile);
    struct fabric_description description;
    if (!path)
        return TA_OK;
    enum ta_status status = workspace_path_check(workspace, "fabric", path, false, why);
    if (!status)
        status = fabric_read_file(workspace_path(workspace, path), path, workspace->context->arena, &description, why);
    if (!status && !device)
        status = ta_problem_set(why, TA_E_INPUT, "{configure} with a board that has one", "%s has no logic fabric",
                                workspace->profile.name);
    if (status)
        return status;
    bool blank = target_exists(workspace->context, workspace->setup.target) &&
                 fabric_is_blank(workspace->context, workspace->setup.target, device->name);
    report_add(report, TA_LEVEL_OK, "fabric", NULL, "%s %s, %zu block%s%s", description.fabric, description.version,
               description.block_count, description.block_count == 1 ? "" : "s",
               blank ? "; the target's is blank, {deploy} loads it" : "");
    return TA_OK;
}

static enum ta_status check_generated(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    size_t count;
    const char **files = layout_generated(&workspace->layout, workspace->context->arena, &count);
    (void)why;
    for (size_t i = 0; i < count; ++i)
        if (generated_is_edited(workspace, files[i]))
            report_add(report, TA_LEVEL_PROBLEM, "generated", "{keep-edits} keeps a copy, {lose-edits} restores it",
                       "%s was edited by hand", files[i]);
    return TA_OK;
}

/* This computer. */

static enum ta_status check_disk(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    enum { ROOM_BYTES = 32 << 20 };
    const char *const places[] = {workspace->folder, workspace->context->home};
    char size[UNIT_TEXT_BYTES];
    for (size_t i = 0; i < G_N_ELEMENTS(places); ++i) {
        struct statvfs about;
        if (statvfs(places[i], &about))
            continue; /* a home that is not there yet */
        uint64_t free_bytes = (uint64_t)about.f_bavail * about.f_frsize;
        if (free_bytes < ROOM_BYTES)
            return ta_problem_set(why, TA_E_NO, "free some space", "only %s free on the disk of %s",
                                  unit_format(size, UNIT_SIZE_BYTES, free_bytes), places[i]);
    }
    report_add(report, TA_LEVEL_OK, "disk", NULL, "enough free space");
    return TA_OK;
}

/* A clock that was never set makes licences and tokens look valid, or ended. A file from the future tells of it. */
static enum ta_status check_clock(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    static const time_t released = 1767225600; /* 2026-01-01 */
    struct stat about;
    time_t now = time(NULL);
    g_autofree char *manifest = g_build_filename(workspace->folder, "anchor.yaml", NULL);
    (void)report;
    if (now < released)
        return ta_problem_set(why, TA_E_NO, "set the clock",
                              "this computer's clock is wrong: it shows a time before this tool was made");
    if (!stat(manifest, &about) && about.st_mtime > now + 86400)
        return ta_problem_set(why, TA_E_NO, "set the clock, or touch anchor.yaml",
                              "this computer's clock is wrong: anchor.yaml was saved after the time that it shows");
    return TA_OK;
}

const struct ready_row ready_rows[] = {
    {"clock", check_clock, false},
    {"disk", check_disk, false},
    {"project", check_project, false},
    {"setting", setup_check_settings, false},
    {"versions", check_versions, true},
    {"package", check_packages, true},
    {"licence", setup_check_licences, true},
    {"compiler", setup_check_compiler, true},
    {"board", setup_check_board, true},
    {"target", setup_check_target, true},
    {"switch", setup_check_switches, true},
    {"platform", setup_check_platform, true},
    {"fabric", check_fabric, true},
    {"generated", check_generated, true},
    {NULL, NULL, false},
};

/* Mending. */

static enum ta_status mend_target(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct pairs *wanted = &workspace->project.needs.state;
    const char *name = workspace->setup.target;
    struct bench_target target;
    g_autoptr(GPtrArray) changes = g_ptr_array_new_with_free_func(g_free);
    if (target_read(workspace->context, name, &target, NULL))
        return TA_OK;
    if (!strcmp(target_state(&target, &workspace->profile, "power"), "off"))
        g_ptr_array_add(changes, g_strdup("power=on"));
    for (size_t i = 0; i < wanted->count; ++i) {
        const char *is = target_state(&target, &workspace->profile, wanted->items[i].name);
        if (is && strcmp(is, wanted->items[i].value))
            g_ptr_array_add(changes, g_strdup_printf("%s=%s", wanted->items[i].name, wanted->items[i].value));
    }
    guint count = changes->len;
    g_ptr_array_add(changes, NULL);
    struct ta_report *unheard = ta_report_new();
    enum ta_status status =
        count ? ta_bench_switch(workspace->context, name, (const char *const *)changes->pdata, unheard, why) : TA_OK;
    ta_report_free(unheard);
    for (guint i = 0; !status && i < count; ++i)
        report_add(report, TA_LEVEL_NOTE, "repaired", NULL, "%s: %s", name, (const char *)changes->pdata[i]);
    return status;
}

enum ta_status ready_mend(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    unsigned mended;
    enum ta_status status = settings_mend(workspace, &mended, report, why);
    if (!status)
        status = settings_template(workspace, report, why);
    if (!status && workspace->configured && !workspace_load(workspace, NULL))
        status = mend_target(workspace, report, why);
    return status;
}
