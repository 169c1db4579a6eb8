/* Installing packages beside those that are there, in packages/NAME-VERSION/, each laid out like the catalog. */
#include "flow/catalog/catalog.h"
#include "host/model_files.h"
#include "host/signature.h"
#include "tameanchor/catalog.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <unistd.h>

/* Where the files of a package may lie. */
static bool is_at_home(const struct package *package, const char *path) {
    g_autofree char *place = package_place(package->kind, package->package, package->version);
    return g_str_has_suffix(place, "/") ? g_str_has_prefix(path, place) : !strcmp(path, place);
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
        const char *wanted = pairs_value(&package->files, *each);
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

/* Before anything is unpacked: a signature must be by a publisher whose public key is in keys/; *BY is that key's name, or null
   when nothing is signed, which IS_SIGNED refuses. */
static enum ta_status check_signature(struct ta_context *context, const char *file, const char *label, bool is_signed,
                                      char **by, struct ta_problem *why) {
    g_autofree char *keys = g_build_filename(context->home, "keys", NULL);
    g_auto(GStrv) publishers = files_names(keys, "*.pem");
    size_t length = 0, signature_length = 0;
    g_autofree char *yaml = archive_read_entry(file, PACKAGE_MANIFEST, 4 << 20, &length);
    g_autofree char *signature = archive_read_entry(file, PACKAGE_SIGNATURE, 4096, &signature_length);
    *by = NULL;
    if (!yaml)
        return g_file_test(file, G_FILE_TEST_IS_REGULAR)
                   ? ta_problem_set(why, TA_E_INPUT, "{import} takes archives that are no packages",
                                    "%s: it is no package, it has no package.yaml", file)
                   : ta_problem_set(why, TA_E_INPUT, "check the path", "%s is no file", file);
    if (!signature && is_signed)
        return ta_problem_set(why, TA_E_INPUT, "tell the depot's keeper",
                              "%s: it is not signed, and a depot's packages must be", label);
    for (char **name = publishers; signature && !*by && *name; ++name) {
        g_autofree char *key = g_strdup_printf("%s/%s.pem", keys, *name);
        if (signature_is_by(key, yaml, length, signature))
            *by = g_strdup(*name);
    }
    if (!signature || *by)
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "if you trust its publisher: {trust PUBLISHER.pem}",
                          "%s: its signature is by no publisher whose key is known here", label);
}

/* Checks and installs what was unpacked into GROWING, signed BY (null: not). With OTHERS, a package that is installed already
   is no problem. */
static enum ta_status install_unpacked(struct ta_context *context, const char *file, const char *growing,
                                       const char *by, bool others, struct ta_report *report, struct ta_problem *why) {
    struct package package;
    g_autofree char *yaml = g_build_filename(growing, PACKAGE_MANIFEST, NULL);
    enum ta_status status = package_read(yaml, PACKAGE_MANIFEST, context->arena, &package, why);
    if (!status)
        status = check_contents(file, growing, &package, why);
    g_autofree char *folder = status ? NULL : package_folder(context, package.package, package.version);
    bool there = folder && g_file_test(folder, G_FILE_TEST_EXISTS);
    g_autofree char *fix = g_strdup_printf("{remove %s@%s} takes it away first", package.package, package.version);
    if (there && others)
        report_add(report, TA_LEVEL_NOTE, "installed", NULL, "%s %s, before already", package.package, package.version);
    else if (there)
        status = ta_problem_set(why, TA_E_NO, fix, "%s %s is installed already", package.package, package.version);
    else if (!status && g_rename(growing, folder))
        status = ta_problem_set(why, TA_E_SYSTEM, NULL, "cannot make %s: %s", folder, g_strerror(errno));
    else if (!status)
        report_add(report, TA_LEVEL_OK, "installed", NULL, "%s %s, %zu file%s, every digest is right, %s%s",
                   package.package, package.version, package.files.count, package.files.count == 1 ? "" : "s",
                   by ? "signed by " : "not signed", by ? by : "");
    catalog_changed(context);
    return status;
}

static enum ta_status unpack(struct ta_context *context, const char *file, const char *growing,
                             struct ta_problem *why) {
    const struct file_watch watch = context_watch(context, NULL, NULL);
    struct archive_limits limits;
    unsigned count;
    enum ta_status status = context_limits(context, &limits, why);
    return status ? status : archive_unpack(file, growing, &limits, &watch, &count, why);
}

static enum ta_status install_one(struct ta_context *context, const char *file, const char *label, const char *growing,
                                  bool is_signed, bool others, struct ta_report *report, struct ta_problem *why) {
    g_autofree char *by = NULL;
    enum ta_status status = check_signature(context, file, label, is_signed, &by, why);
    if (!status)
        status = unpack(context, file, growing, why);
    if (!status)
        status = install_unpacked(context, label, growing, by, others, report, why);
    folder_remove(growing);
    return status;
}

static enum ta_status install_bundle(struct ta_context *context, const char *file, const char *growing,
                                     struct ta_report *report, struct ta_problem *why) {
    enum ta_status status = unpack(context, file, growing, why);
    g_auto(GStrv) files = status ? NULL : files_match(growing, "*.tar.gz");
    g_autofree char *inner = g_strconcat(growing, "-package", NULL);
    for (char **each = files; each && !status && *each; ++each) {
        g_autofree char *path = g_build_filename(growing, *each, NULL);
        status = install_one(context, path, path, inner, false, true, report, why);
    }
    folder_remove(growing);
    return status;
}

enum ta_status package_install(struct ta_context *context, const char *file, const char *from, struct ta_report *report,
                               struct ta_problem *why) {
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_autofree char *growing = g_strdup_printf("%s/.growing-%d", packages, (int)getpid());
    size_t length;
    g_autofree char *list = from ? NULL : archive_read_entry(file, BUNDLE_LIST, 1 << 20, &length);
    enum ta_status status = folder_make(packages, why);
    folder_remove(growing);
    if (status)
        return status;
    return list ? install_bundle(context, file, growing, report, why)
                : install_one(context, file, from ? from : file, growing, from != NULL, false, report, why);
}

/* Publishers. */

enum ta_status ta_publisher_trust(struct ta_context *context, const char *file, struct ta_report *report,
                                  struct ta_problem *why) {
    struct step step = step_begin(context, report);
    char fingerprint[SHA256_TEXT_BYTES];
    g_autofree char *base = g_path_get_basename(file);
    g_autofree char *keys = g_build_filename(context->home, "keys", NULL);
    g_autofree char *kept = g_build_filename(keys, base, NULL);
    g_autofree char *bytes = NULL;
    size_t length;
    enum ta_status status = file_read(file, 65536, &bytes, &length, why);
    if (!status && !g_str_has_suffix(base, ".pem"))
        status = ta_problem_set(why, TA_E_INPUT, "name it PUBLISHER.pem", "%s does not end in .pem", file);
    if (!status)
        status = signature_key_fingerprint(file, fingerprint, why);
    if (!status)
        status = folder_make(keys, why);
    if (!status)
        status = file_write(kept, bytes, length, why);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "trusted", NULL, "%.*s, key SHA-256 %.16s: compare it with what they publish",
                   (int)(strlen(base) - strlen(".pem")), base, fingerprint);
        report_next(report, "{fetch PACKAGE}");
    }
    return step_end(&step, status);
}
