/* Packing: something of the catalog as one file; an example with all that it needs as a bundle. */
#include "tameanchor/chain.h"

#include "base/text.h"
#include "flow/catalog.h"
#include "flow/packages.h"
#include "flow/report.h"
#include "flow/workspace.h"
#include "host/archive.h"
#include "host/files.h"
#include "host/model_files.h"
#include "host/signature.h"

#include <string.h>

/* What is packed: PACKAGE describes it; it lies in the folder or file BELOW of a catalog's folder ROOT. */
struct packing {
    struct package package;
    char *root, *below;
};

static enum ta_status no_memory(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

/* package.yaml */

/* Any text as YAML: in single quotes, which are doubled inside. */
static void add_quoted(struct text *text, const char *value) {
    g_auto(GStrv) quotes = g_strsplit(value, "'", -1);
    g_autofree char *doubled = g_strjoinv("''", quotes);
    text_printf(text, "'%s'", doubled);
}

static void add_line(struct text *text, const char *key, const char *value) {
    if (!value)
        return;
    text_printf(text, "%s: ", key);
    add_quoted(text, value);
    text_printf(text, "\n");
}

static void add_list(struct text *text, const char *key, const struct texts *list) {
    for (size_t i = 0; i < list->count; ++i) {
        text_printf(text, i ? ", " : "%s: [", key);
        add_quoted(text, list->items[i]);
    }
    if (list->count)
        text_printf(text, "]\n");
}

static void add_ranges(struct text *text, const char *key, const struct needs *needs) {
    for (size_t i = 0; i < needs->count; ++i) {
        if (i)
            text_printf(text, ", ");
        else
            text_printf(text, "  %s: {", key);
        text_printf(text, "%s: ", needs->items[i].name);
        add_quoted(text, needs->items[i].range);
    }
    if (needs->count)
        text_printf(text, "}\n");
}

static void add_needs(struct text *text, const struct project_needs *needs) {
    if (!(needs->sdk.count + needs->components.count + needs->compilers.count + needs->platform.count +
          needs->board.count))
        return;
    text_printf(text, "needs:\n");
    add_ranges(text, "sdk", &needs->sdk);
    add_ranges(text, "components", &needs->components);
    add_ranges(text, "compilers", &needs->compilers);
    add_ranges(text, "platform", &needs->platform);
    add_list(text, "  board", &needs->board);
}

static enum ta_status write_manifest(const struct packing *packing, char **files, struct text *text,
                                     struct ta_problem *why) {
    const struct package *package = &packing->package;
    uint64_t size_bytes = 0;
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(packing->root, *file, NULL);
        size_bytes += file_size(path);
    }
    text_printf(text, "format: 1\npackage: %s\nkind: %s\nversion: '%s'\n", package->package, package->kind,
                package->version);
    add_line(text, "title", package->title);
    add_line(text, "summary", package->summary);
    add_line(text, "licence", package->licence);
    add_line(text, "accept", package->accept);
    add_needs(text, &package->needs);
    add_list(text, "provides", &package->provides);
    text_printf(text, "size: %llu\nfiles:\n", (unsigned long long)size_bytes);
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(packing->root, *file, NULL);
        char digest[SHA256_TEXT_BYTES];
        enum ta_status status = file_sha256(path, digest, why);
        if (status)
            return status;
        text_printf(text, "  ");
        add_quoted(text, *file);
        text_printf(text, ": %s\n", digest);
    }
    return text->failed ? no_memory(why) : TA_OK;
}

/* Packing. */

/* The files of the package, relative to the catalog's folder. */
static char **packed_files(const struct packing *packing) {
    static const char *const skip[] = {"out", ".tanchor", ".git", NULL};
    g_autofree char *path = g_build_filename(packing->root, packing->below, NULL);
    if (!g_file_test(path, G_FILE_TEST_IS_DIR))
        return g_strdupv((char *[]){packing->below, NULL});
    char **files = files_below(path, skip);
    for (char **file = files; *file; ++file) {
        char *full = g_build_filename(packing->below, *file, NULL);
        g_free(*file);
        *file = full;
    }
    return files;
}

static enum ta_status write_package(const char *path, const struct packing *packing, char **files,
                                    const struct text *text, const char *key, struct ta_problem *why) {
    char signature[SIGNATURE_TEXT_BYTES] = "";
    enum ta_status status = key ? signature_make(key, text->bytes, text->length, signature, why) : TA_OK;
    const struct packed_text texts[] = {{PACKAGE_MANIFEST, text->bytes, text->length},
                                        {PACKAGE_SIGNATURE, signature, strlen(signature)}};
    return status ? status : archive_pack(path, packing->root, (const char *const *)files, texts, key ? 2 : 1, why);
}

enum ta_status ta_package_pack(struct ta_context *context, const struct ta_packing *asked, struct ta_report *report,
                               struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct arena *arena = arena_new();
    struct packing packing = {0};
    struct text text = {0};
    if (asked->accept && !text_is_name(asked->accept))
        return ta_problem_set(why, TA_E_USAGE, "write for example --accept estuary-terms",
                              "--accept: \"%s\" is not the name of a licence text", asked->accept);
    enum ta_status status =
        arena ? package_describe(context, asked->name, arena, &packing.package, &packing.root, &packing.below, why)
              : no_memory(why);
    const struct package *package = &packing.package;
    packing.package.accept = asked->accept;
    g_auto(GStrv) files = status ? NULL : packed_files(&packing);
    g_autofree char *path = asked->file ? g_strdup(asked->file)
                            : status    ? NULL
                                        : g_strdup_printf("%s-%s.tar.gz", package->package, package->version);
    if (!status)
        status = write_manifest(&packing, files, &text, why);
    if (!status)
        status = write_package(path, &packing, files, &text, asked->key, why);
    if (!status) {
        report_title(report, "%s %s", package->package, package->version);
        report_add(report, TA_LEVEL_OK, "packed", NULL, "%u file%s into %s", g_strv_length(files), files[1] ? "s" : "",
                   path);
        report_text(report, "file", path);
        report_next(report, "tanchor catalog add %s, on any computer", path);
    }
    text_free(&text);
    g_free(packing.below);
    g_free(packing.root);
    arena_free(arena);
    report_took(report, start);
    return status;
}

/* Bundles: packages in one archive, with a list of them for people. */

struct bundle {
    struct ta_context *context;
    const char *folder, *key; /* where its packages grow; the key that signs them, or null */
    struct text list;
    struct ta_problem *why;
};

static enum ta_status bundle_package(struct bundle *bundle, const char *name) {
    g_autofree char *path = g_strdup_printf("%s/%s.tar.gz", bundle->folder, name);
    struct ta_report *unheard = ta_report_new();
    const struct ta_packing packing = {.name = name, .file = path, .key = bundle->key};
    enum ta_status status = g_file_test(path, G_FILE_TEST_EXISTS)
                                ? TA_OK
                                : ta_package_pack(bundle->context, &packing, unheard, bundle->why);
    ta_report_free(unheard);
    text_printf(&bundle->list, "%s\n", name);
    return status;
}

/* The components that the project needs of this SDK and that are packages of their own. */
static enum ta_status bundle_components(struct bundle *bundle, const struct workspace *workspace, const char *name,
                                        const char *version) {
    const struct component **all;
    const char *folder;
    struct sdk sdk;
    size_t count = 0;
    g_autofree char *like = NULL;
    enum ta_status status = catalog_sdk(bundle->context, name, version, &workspace->project.needs.components,
                                        workspace->arena, &sdk, &folder, bundle->why);
    if (!status && sdk.like) {
        like = g_strdup_printf("%s@%s", name, sdk.like);
        status = bundle_package(bundle, like);
    }
    if (!status)
        status =
            plan_components(workspace->arena, &sdk, &workspace->project.needs.components, &all, &count, bundle->why);
    for (size_t i = 0; !status && i < count; ++i) {
        g_autofree char *package = g_strdup_printf("%s@%s", all[i]->name, all[i]->version);
        if (all[i]->sdk.count)
            status = bundle_package(bundle, package);
    }
    return status;
}

/* The newest package of each of NEEDS. */
static enum ta_status bundle_newest(struct bundle *bundle, const char *pattern, const struct needs *needs) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < needs->count; ++i) {
        const struct need *need = &needs->items[i];
        g_autofree char *all = NULL;
        g_autofree char *version = catalog_newest(bundle->context, pattern, need->name, need->range, &all);
        g_autofree char *name = version ? g_strdup_printf("%s@%s", need->name, version) : NULL;
        g_autofree char *fix = *all ? g_strdup_printf("there is %s", all) : g_strdup("tanchor catalog use PLACE");
        status =
            name ? bundle_package(bundle, name)
                 : ta_problem_set(bundle->why, TA_E_INPUT, fix, "the catalog has no %s %s", need->name, need->range);
    }
    return status;
}

static enum ta_status bundle_needs(struct bundle *bundle, const struct workspace *workspace) {
    const struct project_needs *needs = &workspace->project.needs;
    g_auto(GStrv) profiles = catalog_list(bundle->context, catalog_profiles);
    enum ta_status status = bundle_newest(bundle, catalog_sdks, &needs->sdk);
    for (size_t i = 0; !status && i < needs->sdk.count; ++i) {
        const char *name = needs->sdk.items[i].name, *version;
        status = catalog_sdk_version(bundle->context, name, needs->sdk.items[i].range, workspace->arena, &version,
                                     bundle->why);
        if (!status)
            status = bundle_components(bundle, workspace, name, version);
    }
    if (!status)
        status = bundle_newest(bundle, catalog_platforms, &needs->platform);
    for (char **name = profiles; !status && *name; ++name) {
        struct ta_profile profile;
        if (!catalog_profile(bundle->context, *name, workspace->arena, &profile, bundle->why) &&
            !workspace_board_fits(workspace, &profile, bundle->why))
            status = bundle_package(bundle, *name);
    }
    return status;
}

enum ta_status ta_package_bundle(struct ta_context *context, const struct ta_packing *asked, struct ta_report *report,
                                 struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked->name, &version);
    g_autofree char *source = catalog_example(context, name, version, why);
    g_autofree char *folder = source ? g_dir_make_tmp("tanchor-bundle-XXXXXX", NULL) : NULL;
    struct bundle bundle = {.context = context, .folder = folder, .key = asked->key, .why = why};
    struct workspace workspace;
    if (!folder)
        return source ? ta_problem_set(why, TA_E_SYSTEM, "check TMPDIR", "cannot make a temporary folder") : TA_E_INPUT;
    enum ta_status status = workspace_open(context, source, &workspace, why);
    if (!status)
        status = bundle_package(&bundle, asked->name);
    if (!status)
        status = bundle_needs(&bundle, &workspace);
    g_auto(GStrv) files = files_below(folder, NULL);
    g_autofree char *path = asked->file ? g_strdup(asked->file)
                            : status    ? NULL
                                        : g_strdup_printf("%s-%s-bundle.tar.gz", name, workspace.project.version);
    const struct packed_text list = {BUNDLE_LIST, bundle.list.bytes, bundle.list.length};
    if (!status)
        status = archive_pack(path, folder, (const char *const *)files, &list, 1, why);
    if (!status) {
        report_title(report, "%s %s and what it needs", name, workspace.project.version);
        for (char **each = files; *each; ++each)
            report_add(report, TA_LEVEL_OK, "bundled", NULL, "%.*s", (int)(strlen(*each) - strlen(".tar.gz")), *each);
        report_text(report, "file", path);
        report_next(report, "tanchor catalog add %s, on a computer without a network", path);
    }
    workspace_close(&workspace);
    text_free(&bundle.list);
    folder_remove(folder);
    report_took(report, start);
    return status;
}
