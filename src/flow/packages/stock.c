/* Adding packages, from files and from depots, and removing them. */
#include "flow/depot/depot.h"
#include "flow/project/project.h"
#include "flow/projects.h"
#include "host/model_files.h"
#include "tameanchor/catalog.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <unistd.h>

enum ta_status ta_package_add(struct ta_context *context, const char *file, struct ta_report *report,
                              struct ta_problem *why) {
    struct step step = step_begin(context, report);
    bool is_path = strchr(file, '/') || archive_is_named(file) || g_file_test(file, G_FILE_TEST_EXISTS);
    enum ta_status status =
        is_path ? package_install(context, file, NULL, NULL, report, why) : fetch_named(context, file, report, why);
    if (!status)
        report_next(report, "{list}");
    return step_end(&step, status);
}

/* Removing. */

/* The target of the bench that uses PROFILE, or null. */
static char *using_target(struct ta_context *context, const char *profile) {
    g_auto(GStrv) targets = target_names(context);
    for (char **name = targets; *name; ++name) {
        struct ta_profile found;
        if (!board_of_target(context, *name, NULL, &found, NULL) && !strcmp(found.name, profile))
            return g_strdup(*name);
    }
    return NULL;
}

/* The installed SDK version that is like PACKAGE and would be incomplete without it, or null. */
static char *like_version(const struct ta_context *context, const struct package *package) {
    g_autofree char *folder = g_build_filename(context->home, "packages", NULL);
    g_auto(GStrv) installed = files_names(folder, "*/package.yaml");
    for (char **name = installed; *name && package->kind == PACKAGE_SDK; ++name) {
        g_autofree char *yaml = g_build_filename(folder, *name, PACKAGE_MANIFEST, NULL);
        struct package other = {0};
        if (package_read(yaml, yaml, context->arena, &other, NULL) || other.kind != PACKAGE_SDK)
            continue;
        const char *like = needs_range(&other.needs.sdk, package->package);
        if (like && !strcmp(like, package->version))
            return g_strdup_printf("%s %s", other.package, other.version);
    }
    return NULL;
}

/* Who uses PACKAGE, in words for people; null when nobody does. */
static char *used_by(struct ta_context *context, const struct package *package) {
    g_autofree char *like = like_version(context, package);
    g_autofree char *target = package_kind_is_profile(package->kind) ? using_target(context, package->package) : NULL;
    g_autoptr(GPtrArray) projects = projects_using(context, package);
    if (like)
        return g_strdup_printf("%s is based on it and incomplete without it", like);
    if (target)
        return g_strdup_printf("the target %s of the bench is made from it", target);
    if (!projects->len)
        return NULL;
    g_ptr_array_add(projects, NULL);
    g_autofree char *all = g_strjoinv(", ", (char **)projects->pdata);
    return g_strdup_printf("it is used by %s", all);
}

static enum ta_status remove_installed(struct ta_context *context, const char *name, const char *folder, bool anyway,
                                       struct ta_problem *why) {
    g_autofree char *yaml = g_build_filename(folder, PACKAGE_MANIFEST, NULL);
    g_autofree char *doomed = g_strdup_printf("%s/packages/.removed-%d", context->home, (int)getpid());
    struct package package;
    enum ta_status status = package_read(yaml, yaml, context->arena, &package, why);
    if (status)
        return status;
    g_autofree char *users = used_by(context, &package);
    if (users && !anyway)
        return ta_problem_set(why, TA_E_NO, "{option anyway} removes it all the same", "%s stays: %s", name, users);
    if (g_rename(folder, doomed))
        return ta_problem_set(why, TA_E_SYSTEM, NULL, "cannot remove %s: %s", folder, g_strerror(errno));
    folder_remove(doomed);
    catalog_changed(context);
    return TA_OK;
}

enum ta_status ta_package_remove(struct ta_context *context, const char *name, bool anyway, struct ta_report *report,
                                 struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_auto(GStrv) parts = g_strsplit(name, "@", 2);
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_auto(GStrv) installed = files_names(packages, "*/package.yaml");
    g_autofree char *wanted = parts[0] && parts[1] ? g_strdup_printf("%s-%s", parts[0], parts[1]) : g_strdup("");
    enum ta_status status = TA_OK;
    if (!g_strv_contains((const char *const *)installed, wanted)) {
        g_autofree char *all = g_strjoinv(", ", installed);
        g_autofree char *fix = *all ? g_strdup_printf("installed: %s", all) : g_strdup("no package is installed");
        status = ta_problem_set(why, TA_E_INPUT, fix, "%s is not an installed NAME@VERSION", name);
    }
    g_autofree char *folder = g_build_filename(packages, wanted, NULL);
    if (!status)
        status = remove_installed(context, name, folder, anyway, why);
    if (!status)
        report_add(report, TA_LEVEL_OK, "removed", NULL, "%s", name);
    return step_end(&step, status);
}
