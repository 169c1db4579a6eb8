/* Installing packages beside those that are there, and removing them. Installed ones live side by side in
   packages/NAME-VERSION/, each laid out like the catalog. */
#include "tameanchor/chain.h"

#include "flow/context.h"
#include "flow/packages.h"
#include "flow/report.h"
#include "flow/target.h"
#include "host/archive.h"
#include "host/files.h"
#include "host/model_files.h"
#include "host/signature.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

static enum ta_status no_memory(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

/* Where the files of a package may lie. */
static bool is_at_home(const struct package *package, const char *path) {
    g_autofree char *folder = !strcmp(package->kind, "example") ? g_strdup_printf("examples/%s/", package->package)
                              : !strcmp(package->kind, "sdk")
                                  ? g_strdup_printf("sdk/%s-%s/", package->package, package->version)
                                  : g_strdup_printf("profiles/%s.yaml", package->package);
    return g_str_has_prefix(path, folder);
}

static const char *listed_digest(const struct package *package, const char *path) {
    for (size_t i = 0; i < package->files.count; ++i)
        if (!strcmp(package->files.items[i].name, path))
            return package->files.items[i].range;
    return NULL;
}

/* Every file that is there is listed, lies where its kind belongs and has its digest; every one listed is there. */
static enum ta_status check_contents(const char *file, const char *folder, const struct package *package,
                                     struct ta_problem *why) {
    static const char fix[] = "fetch the package again";
    g_auto(GStrv) files = files_below(folder, (const char *const[]){PACKAGE_MANIFEST, PACKAGE_SIGNATURE, NULL});
    if (g_strv_length(files) != package->files.count)
        return ta_problem_set(why, TA_E_INPUT, fix, "%s: package.yaml lists %zu files, there are %u", file,
                              package->files.count, g_strv_length(files));
    for (char **each = files; *each; ++each) {
        g_autofree char *path = g_build_filename(folder, *each, NULL);
        const char *wanted = listed_digest(package, *each);
        char digest[SHA256_TEXT_BYTES];
        if (!wanted || !is_at_home(package, *each) || g_file_test(path, G_FILE_TEST_IS_SYMLINK))
            return ta_problem_set(why, TA_E_INPUT, fix, "%s: %s does not belong into a package of this kind", file,
                                  *each);
        enum ta_status status = file_sha256(path, digest, why);
        if (status)
            return status;
        if (strcmp(digest, wanted))
            return ta_problem_set(why, TA_E_INPUT, fix, "%s: %s does not have the digest that package.yaml says", file,
                                  *each);
    }
    return TA_OK;
}

/* A signature must be by a publisher whose public key is in keys/; *BY is that key's name, or null when nothing is signed. */
static enum ta_status check_signature(struct ta_context *context, const char *file, const char *folder, char **by,
                                      struct ta_problem *why) {
    g_autofree char *yaml_path = g_build_filename(folder, PACKAGE_MANIFEST, NULL);
    g_autofree char *signature_path = g_build_filename(folder, PACKAGE_SIGNATURE, NULL);
    g_autofree char *keys = g_build_filename(context->home, "keys", NULL);
    g_auto(GStrv) publishers = files_names(keys, "*.pem");
    g_autofree char *yaml = NULL, *signature = NULL;
    size_t length, signature_length;
    *by = NULL;
    if (!g_file_test(signature_path, G_FILE_TEST_EXISTS))
        return TA_OK;
    enum ta_status status = file_read(yaml_path, 4 << 20, &yaml, &length, why);
    if (!status)
        status = file_read(signature_path, 4096, &signature, &signature_length, why);
    for (char **name = publishers; !status && !*by && *name; ++name) {
        g_autofree char *key = g_strdup_printf("%s/%s.pem", keys, *name);
        if (signature_is_by(key, yaml, length, signature))
            *by = g_strdup(*name);
    }
    if (status || *by)
        return status;
    g_autofree char *fix = g_strdup_printf("if you trust its publisher, put the public key into %s", keys);
    return ta_problem_set(why, TA_E_INPUT, fix, "%s: its signature is by no publisher whose key is known here", file);
}

/* Checks and installs what was unpacked into GROWING. With OTHERS, a package that is installed already is no problem. */
static enum ta_status install_unpacked(struct ta_context *context, const char *file, const char *growing, bool others,
                                       struct ta_report *report, struct ta_problem *why) {
    struct arena *arena = arena_new();
    struct package package;
    g_autofree char *yaml = g_build_filename(growing, PACKAGE_MANIFEST, NULL);
    enum ta_status status = arena ? TA_OK : no_memory(why);
    if (!status && !g_file_test(yaml, G_FILE_TEST_IS_REGULAR))
        status = ta_problem_set(why, TA_E_INPUT, "tanchor import takes archives that are no packages",
                                "%s: it is no package, it has no package.yaml", file);
    if (!status)
        status = package_read(yaml, PACKAGE_MANIFEST, arena, &package, why);
    g_autofree char *by = NULL;
    if (!status)
        status = check_signature(context, file, growing, &by, why);
    if (!status)
        status = check_contents(file, growing, &package, why);
    g_autofree char *folder =
        status ? NULL : g_strdup_printf("%s/packages/%s-%s", context->home, package.package, package.version);
    bool there = folder && g_file_test(folder, G_FILE_TEST_EXISTS);
    if (there && others)
        report_add(report, TA_LEVEL_NOTE, "installed", NULL, "%s %s, before already", package.package, package.version);
    else if (there)
        status = ta_problem_set(why, TA_E_NO, "tanchor catalog remove takes it away first",
                                "%s %s is installed already", package.package, package.version);
    else if (!status && g_rename(growing, folder))
        status = ta_problem_set(why, TA_E_SYSTEM, NULL, "cannot make %s: %s", folder, g_strerror(errno));
    else if (!status)
        report_add(report, TA_LEVEL_OK, "installed", NULL, "%s %s, %zu file%s, every digest is right, %s%s",
                   package.package, package.version, package.files.count, package.files.count == 1 ? "" : "s",
                   by ? "signed by " : "not signed", by ? by : "");
    arena_free(arena);
    return status;
}

/* Unpacks FILE into GROWING, which is gone afterwards, and installs the package or each package of the bundle. */
static enum ta_status install(struct ta_context *context, const char *file, const char *growing, bool others,
                              struct ta_report *report, struct ta_problem *why) {
    unsigned count;
    g_autofree char *list = g_build_filename(growing, BUNDLE_LIST, NULL);
    enum ta_status status =
        archive_unpack(file, growing, &archive_limits_default, context_cancelled, context, &count, why);
    bool bundle = !status && !others && g_file_test(list, G_FILE_TEST_IS_REGULAR);
    if (!status && !bundle)
        status = install_unpacked(context, file, growing, others, report, why);
    g_auto(GStrv) files = bundle ? files_match(growing, "*.tar.gz") : NULL;
    g_autofree char *inner = g_strconcat(growing, "-package", NULL);
    for (char **each = files; each && !status && *each; ++each) {
        g_autofree char *path = g_build_filename(growing, *each, NULL);
        status = install(context, path, inner, true, report, why);
    }
    folder_remove(growing);
    return status;
}

enum ta_status ta_package_add(struct ta_context *context, const char *file, struct ta_report *report,
                              struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_autofree char *growing = g_strdup_printf("%s/.growing-%d", packages, (int)getpid());
    enum ta_status status = folder_make(packages, why);
    folder_remove(growing);
    if (!status)
        status = install(context, file, growing, false, report, why);
    if (!status)
        report_next(report, "tanchor catalog");
    report_took(report, start);
    return status;
}

/* Removing. */

/* The target of the bench that uses PROFILE, or null. */
static char *using_target(const struct ta_context *context, const char *profile, struct arena *arena) {
    g_auto(GStrv) targets = target_names(context);
    for (char **name = targets; *name; ++name) {
        struct ta_profile found;
        if (!target_profile(context, *name, arena, &found, NULL) && !strcmp(found.name, profile))
            return g_strdup(*name);
    }
    return NULL;
}

static enum ta_status remove_installed(struct ta_context *context, const char *name, const char *folder,
                                       struct arena *arena, struct ta_problem *why) {
    g_autofree char *yaml = g_build_filename(folder, PACKAGE_MANIFEST, NULL);
    g_autofree char *doomed = g_strdup_printf("%s/packages/.removed-%d", context->home, (int)getpid());
    struct package package;
    enum ta_status status = package_read(yaml, yaml, arena, &package, why);
    if (status)
        return status;
    bool profile = !strcmp(package.kind, "board") || !strcmp(package.kind, "emulator");
    g_autofree char *target = profile ? using_target(context, package.package, arena) : NULL;
    if (target)
        return ta_problem_set(why, TA_E_NO, "remove its folder from the bench first", "the target %s is made from %s",
                              target, name);
    if (g_rename(folder, doomed))
        return ta_problem_set(why, TA_E_SYSTEM, NULL, "cannot remove %s: %s", folder, g_strerror(errno));
    folder_remove(doomed);
    return TA_OK;
}

enum ta_status ta_package_remove(struct ta_context *context, const char *name, struct ta_report *report,
                                 struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_auto(GStrv) parts = g_strsplit(name, "@", 2);
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_auto(GStrv) installed = files_names(packages, "*/package.yaml");
    g_autofree char *wanted = parts[0] && parts[1] ? g_strdup_printf("%s-%s", parts[0], parts[1]) : g_strdup("");
    struct arena *arena = arena_new();
    enum ta_status status = arena ? TA_OK : no_memory(why);
    if (!status && !g_strv_contains((const char *const *)installed, wanted)) {
        g_autofree char *all = g_strjoinv(", ", installed);
        g_autofree char *fix = *all ? g_strdup_printf("installed: %s", all) : g_strdup("no package is installed");
        status = ta_problem_set(why, TA_E_INPUT, fix, "%s is not an installed NAME@VERSION", name);
    }
    g_autofree char *folder = g_build_filename(packages, wanted, NULL);
    if (!status)
        status = remove_installed(context, name, folder, arena, why);
    if (!status)
        report_add(report, TA_LEVEL_OK, "removed", NULL, "%s", name);
    arena_free(arena);
    report_took(report, start);
    return status;
}
