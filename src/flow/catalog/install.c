/* Installing packages beside those that are there, in packages/NAME-VERSION/, each laid out like the catalog. */
#include "flow/catalog/catalog.h"

#include "host/growing.h"
#include "host/model_files.h"
#include "host/signature.h"
#include "tameanchor/catalog.h"

#include <errno.h>
#include <glib/gstdio.h>

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
        enum ta_status status = file_sha256(path, NULL, digest, why);
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
                                    "%s: it is not a package: it has no package.yaml", file)
                   : ta_problem_set(why, TA_E_INPUT, "check the path", "%s is not a file", file);
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

/* A package that was unpacked and found right, beside those that are installed. */
struct arrival {
    struct package package;
    char *growing, *by; /* where it lies, and whose key signed it (null: nobody's) */
};

static void arrival_clear(gpointer with) {
    struct arrival *arrival = with;
    g_free(arrival->growing);
    g_free(arrival->by);
}

static enum ta_status unpack(struct ta_context *context, const char *file, const char *growing,
                             struct ta_problem *why) {
    const struct file_watch watch = context_watch(context, NULL, NULL);
    struct archive_limits limits;
    unsigned count;
    enum ta_status status = context_limits(context, &limits, why);
    return status ? status : archive_unpack(file, growing, &limits, &watch, &count, why);
}

/* A depot's package must be signed, and be the one that was WANTED (null: any). LABEL is how problems call it. */
static enum ta_status examine(struct ta_context *context, const char *file, const char *label,
                              const struct package *wanted, struct arrival *arrival, struct ta_problem *why) {
    struct package *package = &arrival->package;
    g_autofree char *yaml = g_build_filename(arrival->growing, PACKAGE_MANIFEST, NULL);
    enum ta_status status = check_signature(context, file, label, wanted != NULL, &arrival->by, why);
    if (!status)
        status = unpack(context, file, arrival->growing, why);
    if (!status)
        status = package_read(yaml, PACKAGE_MANIFEST, context->arena, package, why);
    if (!status && wanted &&
        (package->kind != wanted->kind || strcmp(package->package, wanted->package) ||
         strcmp(package->version, wanted->version)))
        status = ta_problem_set(why, TA_E_INPUT, "tell the depot's keeper", "%s: it holds %s %s", label,
                                package->package, package->version);
    return status ? status : check_contents(label, arrival->growing, package, why);
}

/* Where it stands from now on. With OTHERS, a package that is installed already is no problem. */
static enum ta_status settle(struct ta_context *context, const struct arrival *arrival, bool others,
                             struct ta_report *report, struct ta_problem *why) {
    const struct package *package = &arrival->package;
    g_autofree char *folder = package_folder(context, package->package, package->version);
    g_autofree char *fix = g_strdup_printf("{remove %s@%s} takes it away first", package->package, package->version);
    bool there = g_file_test(folder, G_FILE_TEST_EXISTS);
    if (!there && g_rename(arrival->growing, folder)) {
        if (errno != ENOTEMPTY && errno != EEXIST)
            return ta_problem_set(why, TA_E_SYSTEM, NULL, "cannot make %s: %s", folder, g_strerror(errno));
        there = true; /* another process was quicker */
    }
    if (there && !others)
        return ta_problem_set(why, TA_E_NO, fix, "%s %s is installed already", package->package, package->version);
    if (there)
        report_add(report, TA_LEVEL_NOTE, "installed", NULL, "%s %s, before already", package->package,
                   package->version);
    else
        report_add(report, TA_LEVEL_OK, "installed", NULL, "%s %s, %zu file%s, all digests match, %s%s",
                   package->package, package->version, package->files.count, package->files.count == 1 ? "" : "s",
                   arrival->by ? "signed by " : "not signed", arrival->by ? arrival->by : "");
    return TA_OK;
}

/* Examines FILE, or with BUNDLE each package of it; all must be right before the first is installed. */
static enum ta_status install(struct ta_context *context, const char *file, const char *label,
                              const struct package *wanted, bool bundle, const struct growing *growing,
                              struct ta_report *report, struct ta_problem *why) {
    g_autoptr(GArray) arrivals = g_array_new(FALSE, TRUE, sizeof(struct arrival));
    enum ta_status status = bundle ? unpack(context, file, growing->content, why) : TA_OK;
    g_auto(GStrv) inner = bundle && !status ? files_match(growing->content, "*.tar.gz") : NULL;
    guint count = inner ? g_strv_length(inner) : 1;
    g_array_set_clear_func(arrivals, arrival_clear);
    g_array_set_size(arrivals, count);
    for (guint i = 0; !status && i < count; ++i) {
        struct arrival *arrival = &g_array_index(arrivals, struct arrival, i);
        g_autofree char *path = inner ? g_build_filename(growing->content, inner[i], NULL) : g_strdup(file);
        arrival->growing = g_strdup_printf("%s/package-%u", growing->folder, i);
        status = examine(context, path, inner ? inner[i] : label, wanted, arrival, why);
    }
    for (guint i = 0; !status && i < count; ++i)
        status = settle(context, &g_array_index(arrivals, struct arrival, i), bundle, report, why);
    catalog_changed(context);
    return status;
}

enum ta_status package_install(struct ta_context *context, const char *file, const char *from,
                               const struct package *wanted, struct ta_report *report, struct ta_problem *why) {
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    struct growing growing;
    size_t length;
    g_autofree char *list = from ? NULL : archive_read_entry(file, BUNDLE_LIST, 1 << 20, &length);
    enum ta_status status = growing_begin(packages, &growing, why);
    if (!status)
        status = install(context, file, from ? from : file, wanted, list != NULL, &growing, report, why);
    growing_end(&growing);
    return status;
}

/* Publishers. */

/* A name stands for one key: another one does not take its place unnoticed. */
static enum ta_status check_publisher(const char *kept, const char *fingerprint, struct ta_problem *why) {
    char known[SHA256_TEXT_BYTES];
    if (!g_file_test(kept, G_FILE_TEST_EXISTS) ||
        (!signature_key_fingerprint(kept, known, NULL) && !strcmp(known, fingerprint)))
        return TA_OK;
    g_autofree char *fix = g_strdup_printf("give the file another name, or remove %s", kept);
    return ta_problem_set(why, TA_E_INPUT, fix, "another key is trusted under that name already");
}

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
        status = check_publisher(kept, fingerprint, why);
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
