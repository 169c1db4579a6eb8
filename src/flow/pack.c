/* Packing: an example, an SDK or a profile of the catalog as one file; an example with all that it needs as a bundle. */
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

/* What is packed: its models' words, and the folder or file of the catalog (BELOW) that holds it. */
struct packing {
    const char *name, *kind, *version, *title, *summary, *licence;
    char *below, *root;
};

static enum ta_status no_memory(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

/* Finding what a name stands for: an example, a profile, an SDK. */

static enum ta_status describe_example(struct ta_context *context, struct arena *arena, const char *name,
                                       const char *path, struct packing *packing, struct ta_problem *why) {
    struct workspace workspace;
    enum ta_status status = workspace_open(context, path, &workspace, why);
    if (!status) {
        const struct project *project = &workspace.project;
        *packing = (struct packing){.name = arena_text(arena, name),
                                    .kind = "example",
                                    .version = arena_text(arena, project->version),
                                    .title = arena_text(arena, project->title),
                                    .summary = project->summary ? arena_text(arena, project->summary) : NULL,
                                    .licence = project->licence ? arena_text(arena, project->licence) : NULL,
                                    .below = g_build_filename("examples", name, NULL)};
    }
    workspace_close(&workspace);
    return status;
}

static enum ta_status describe_profile(struct ta_context *context, struct arena *arena, const char *name,
                                       struct packing *packing, struct ta_problem *why) {
    struct ta_profile profile;
    enum ta_status status = catalog_profile(context, name, arena, &profile, why);
    if (!status)
        *packing = (struct packing){.name = profile.name,
                                    .kind = profile.kind,
                                    .version = profile.version,
                                    .title = profile.title,
                                    .summary = profile.summary,
                                    .below = g_strdup_printf("profiles/%s.yaml", profile.name)};
    return status;
}

static enum ta_status describe_sdk(struct ta_context *context, struct arena *arena, const char *name,
                                   const char *wanted, struct packing *packing, struct ta_problem *why) {
    g_autofree char *range = wanted ? g_strdup_printf("=%s", wanted) : NULL;
    const char *version, *folder;
    struct sdk sdk;
    enum ta_status status = catalog_sdk_version(context, name, range, arena, &version, why);
    if (!status)
        status = catalog_sdk(context, name, version, arena, &sdk, &folder, why);
    if (!status)
        *packing = (struct packing){.name = sdk.sdk,
                                    .kind = "sdk",
                                    .version = sdk.version,
                                    .title = sdk.title,
                                    .summary = sdk.summary,
                                    .licence = sdk.licence,
                                    .below = g_strdup_printf("sdk/%s-%s", name, version)};
    return status;
}

static enum ta_status describe(struct ta_context *context, struct arena *arena, const char *asked,
                               struct packing *packing, struct ta_problem *why) {
    const char *at = strchr(asked, '@');
    g_autofree char *name = g_strndup(asked, at ? (gsize)(at - asked) : strlen(asked));
    g_autofree char *example = catalog_example(context, name, NULL);
    g_auto(GStrv) profiles = catalog_list(context, catalog_profiles);
    bool profile = g_strv_contains((const char *const *)profiles, name);
    enum ta_status status = example   ? describe_example(context, arena, name, example, packing, why)
                            : profile ? describe_profile(context, arena, name, packing, why)
                                      : describe_sdk(context, arena, name, at ? at + 1 : NULL, packing, why);
    if (status)
        return status;
    if (at && strcmp(at + 1, packing->version))
        return ta_problem_set(why, TA_E_INPUT, "tanchor catalog lists the versions",
                              "the catalog has no version %s of %s", at + 1, name);
    g_autofree char *path = catalog_find(context, packing->below);
    packing->root = g_strndup(path, strlen(path) - strlen(packing->below) - 1);
    return TA_OK;
}

/* Packing. */

static void add_line(struct text *text, const char *key, const char *value) {
    g_auto(GStrv) quotes = g_strsplit(value ? value : "", "'", -1);
    g_autofree char *doubled = g_strjoinv("''", quotes);
    if (value)
        text_printf(text, "%s: '%s'\n", key, doubled);
}

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

static enum ta_status write_manifest(const struct packing *packing, char **files, struct text *text,
                                     struct ta_problem *why) {
    text_printf(text, "format: 1\npackage: %s\nkind: %s\nversion: '%s'\n", packing->name, packing->kind,
                packing->version);
    add_line(text, "title", packing->title);
    add_line(text, "summary", packing->summary);
    add_line(text, "licence", packing->licence);
    text_printf(text, "files:\n");
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(packing->root, *file, NULL);
        char digest[SHA256_TEXT_BYTES];
        enum ta_status status = file_sha256(path, digest, why);
        if (status)
            return status;
        text_printf(text, "  '%s': %s\n", *file, digest);
    }
    return text->failed ? no_memory(why) : TA_OK;
}

static enum ta_status write_package(const char *path, const struct packing *packing, char **files,
                                    const struct text *text, const char *key, struct ta_problem *why) {
    char signature[SIGNATURE_TEXT_BYTES] = "";
    enum ta_status status = key ? signature_make(key, text->bytes, text->length, signature, why) : TA_OK;
    const struct packed_text texts[] = {{PACKAGE_MANIFEST, text->bytes, text->length},
                                        {PACKAGE_SIGNATURE, signature, strlen(signature)}};
    return status ? status : archive_pack(path, packing->root, (const char *const *)files, texts, key ? 2 : 1, why);
}

enum ta_status ta_package_pack(struct ta_context *context, const char *name, const char *file, const char *key,
                               struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct arena *arena = arena_new();
    struct packing packing = {0};
    struct text text = {0};
    enum ta_status status = arena ? describe(context, arena, name, &packing, why) : no_memory(why);
    g_auto(GStrv) files = status ? NULL : packed_files(&packing);
    g_autofree char *path = file     ? g_strdup(file)
                            : status ? NULL
                                     : g_strdup_printf("%s-%s.tar.gz", packing.name, packing.version);
    if (!status)
        status = write_manifest(&packing, files, &text, why);
    if (!status)
        status = write_package(path, &packing, files, &text, key, why);
    if (!status) {
        report_title(report, "%s %s", packing.name, packing.version);
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
    enum ta_status status = ta_package_pack(bundle->context, name, path, bundle->key, unheard, bundle->why);
    ta_report_free(unheard);
    text_printf(&bundle->list, "%s\n", name);
    return status;
}

static enum ta_status bundle_needs(struct bundle *bundle, const struct workspace *workspace) {
    const struct needs *sdks = &workspace->project.needs.sdk;
    g_auto(GStrv) profiles = catalog_list(bundle->context, catalog_profiles);
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < sdks->count; ++i) {
        const char *version;
        status = catalog_sdk_version(bundle->context, sdks->items[i].name, sdks->items[i].range, workspace->arena,
                                     &version, bundle->why);
        g_autofree char *name = status ? NULL : g_strdup_printf("%s@%s", sdks->items[i].name, version);
        if (!status)
            status = bundle_package(bundle, name);
    }
    for (char **name = profiles; !status && *name; ++name) {
        struct ta_profile profile;
        if (!catalog_profile(bundle->context, *name, workspace->arena, &profile, bundle->why) &&
            !workspace_board_fits(workspace, &profile, bundle->why))
            status = bundle_package(bundle, *name);
    }
    return status;
}

enum ta_status ta_package_bundle(struct ta_context *context, const char *example, const char *file, const char *key,
                                 struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_autofree char *source = catalog_example(context, example, why);
    g_autofree char *folder = source ? g_dir_make_tmp("tanchor-bundle-XXXXXX", NULL) : NULL;
    struct bundle bundle = {.context = context, .folder = folder, .key = key, .why = why};
    struct workspace workspace;
    if (!folder)
        return source ? ta_problem_set(why, TA_E_SYSTEM, "check TMPDIR", "cannot make a temporary folder") : TA_E_INPUT;
    enum ta_status status = workspace_open(context, source, &workspace, why);
    if (!status)
        status = bundle_package(&bundle, example);
    if (!status)
        status = bundle_needs(&bundle, &workspace);
    g_auto(GStrv) files = files_below(folder, NULL);
    g_autofree char *path = file     ? g_strdup(file)
                            : status ? NULL
                                     : g_strdup_printf("%s-%s-bundle.tar.gz", example, workspace.project.version);
    const struct packed_text list = {BUNDLE_LIST, bundle.list.bytes, bundle.list.length};
    if (!status)
        status = archive_pack(path, folder, (const char *const *)files, &list, 1, why);
    if (!status) {
        report_title(report, "%s %s and what it needs", example, workspace.project.version);
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
