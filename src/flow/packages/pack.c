/* Packing: something of the catalog as one file; an example with all that it needs as a bundle. */
#include "flow/setup/setup.h"
#include "host/memory.h"
#include "host/signature.h"
#include "tameanchor/catalog.h"

/* What is packed: PACKAGE describes it; it lies in the folder or file BELOW of a catalog's folder ROOT. */
struct packing {
    struct package package;
    const char *root;
    char *below;
};

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
    text_printf(text, "format: 1\npackage: %s\nkind: %s\nversion: '%s'\n", package->package,
                package_kinds[package->kind].word, package->version);
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
        enum ta_status status = file_sha256(path, NULL, digest, why);
        if (status)
            return status;
        text_printf(text, "  ");
        add_quoted(text, *file);
        text_printf(text, ": %s\n", digest);
    }
    text_or_end(text);
    return TA_OK;
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
    return status
               ? status
               : archive_pack(path, ARCHIVE_TAR_GZ, packing->root, (const char *const *)files, texts, key ? 2 : 1, why);
}

static enum ta_status find_packing(struct ta_context *context, const struct ta_packing *asked, struct packing *packing,
                                   struct ta_problem *why) {
    struct catalog_item *item;
    if (asked->accept && !text_is_name(asked->accept))
        return ta_problem_set(why, TA_E_USAGE, "write for example estuary-terms",
                              "\"%s\" is not the name of a licence text", asked->accept);
    enum ta_status status = package_find(context, asked->name, &item, why);
    if (!status)
        status = package_describe(context, item, &packing->package, why);
    if (status)
        return status;
    packing->package.accept = asked->accept;
    packing->root = item->root;
    packing->below = package_place(packing->package.kind, packing->package.package, packing->package.version);
    return TA_OK;
}

enum ta_status ta_package_pack(struct ta_context *context, const struct ta_packing *given, struct ta_report *report,
                               struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_packing asked = {0};
    struct packing packing = {0};
    struct text text = {0};
    const struct package *package = &packing.package;
    enum ta_status status = request_copy(given, &asked, sizeof asked, why);
    if (!status)
        status = find_packing(context, &asked, &packing, why);
    g_auto(GStrv) files = status ? NULL : packed_files(&packing);
    g_autofree char *path = asked.file ? g_strdup(asked.file)
                            : status   ? NULL
                                       : g_strdup_printf("%s-%s.tar.gz", package->package, package->version);
    if (!status)
        status = write_manifest(&packing, files, &text, why);
    if (!status)
        status = write_package(path, &packing, files, &text, asked.key, why);
    if (!status) {
        report_title(report, "%s %s", package->package, package->version);
        report_add(report, TA_LEVEL_OK, "packed", NULL, "%u file%s into %s", g_strv_length(files), files[1] ? "s" : "",
                   path);
        report_text(report, "file", path);
        report_next(report, "{fetch %s}, on any computer", path);
    }
    text_free(&text);
    g_free(packing.below);
    return step_end(&step, status);
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
    const struct ta_packing packing = {sizeof packing, .name = name, .file = path, .key = bundle->key};
    enum ta_status status = g_file_test(path, G_FILE_TEST_EXISTS)
                                ? TA_OK
                                : ta_package_pack(bundle->context, &packing, unheard, bundle->why);
    ta_report_free(unheard);
    text_printf(&bundle->list, "%s\n", name);
    return status;
}

static enum ta_status bundle_version(struct bundle *bundle, const char *name, const char *version) {
    g_autofree char *package = g_strdup_printf("%s@%s", name, version);
    return bundle_package(bundle, package);
}

/* The SDK and the components that configure would choose; those of the SDK itself come with it, and a version that it is like
   must come too. */
static enum ta_status bundle_versions(struct bundle *bundle, const struct project *project) {
    const struct version_question question = {.by = project->project, .needs = &project->needs};
    struct ta_context *context = bundle->context;
    struct versions versions;
    struct catalog_item *item;
    enum ta_status status = versions_choose(context, &question, &versions, NULL, bundle->why);
    for (const char *version = status ? NULL : versions.sdk_version; version;
         version = status ? NULL : item->model.sdk->like) {
        status = catalog_need(context, PACKAGE_SDK, versions.sdk, version, &item, bundle->why);
        if (!status)
            status = catalog_read(context, item, bundle->why);
        if (!status)
            status = bundle_version(bundle, versions.sdk, version);
    }
    for (size_t i = 0; !status && i < versions.components.count; ++i) {
        const struct pin *pin = &versions.components.items[i];
        g_autofree char *range = g_strdup_printf("=%s", pin->version);
        if (catalog_newest(context, PACKAGE_COMPONENT, pin->name, range))
            status = bundle_version(bundle, pin->name, pin->version);
    }
    return status;
}

static enum ta_status bundle_needs(struct bundle *bundle, const struct workspace *workspace) {
    const struct project_needs *needs = &workspace->project.needs;
    struct ta_context *context = bundle->context;
    const struct catalog_items *profiles = catalog_list(context, PACKAGE_BOARD);
    enum ta_status status = needs->sdk.count ? bundle_versions(bundle, &workspace->project) : TA_OK;
    for (size_t i = 0; !status && i < needs->platform.count; ++i) {
        const struct need *need = &needs->platform.items[i];
        const struct catalog_item *item = catalog_newest(context, PACKAGE_PLATFORM, need->name, need->range);
        g_autofree char *all = catalog_versions(context, PACKAGE_PLATFORM, need->name);
        g_autofree char *fix = *all ? g_strdup_printf("there is %s", all) : g_strdup("{use PLACE}");
        status =
            item ? bundle_version(bundle, item->name, item->version)
                 : ta_problem_set(bundle->why, TA_E_INPUT, fix, "the catalog has no %s %s", need->name, need->range);
    }
    for (size_t i = 0; !status && i < profiles->count; ++i) {
        struct ta_profile profile;
        if (!catalog_profile(context, profiles->items[i].name, context->arena, &profile, NULL) &&
            !workspace_board_fits(workspace, &profile, NULL))
            status = bundle_package(bundle, profiles->items[i].name);
    }
    return status;
}

static enum ta_status write_bundle(struct bundle *bundle, const struct ta_packing *asked, struct ta_report *report) {
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked->name, &version);
    struct workspace workspace;
    struct catalog_item *item;
    enum ta_status status = catalog_need(bundle->context, PACKAGE_EXAMPLE, name, version, &item, bundle->why);
    if (!status)
        status = workspace_open(bundle->context, item->path, NULL, &workspace, bundle->why);
    if (!status)
        status = bundle_package(bundle, asked->name);
    if (!status)
        status = bundle_needs(bundle, &workspace);
    if (status)
        return status;
    g_auto(GStrv) files = files_below(bundle->folder, NULL);
    g_autofree char *path =
        asked->file ? g_strdup(asked->file) : g_strdup_printf("%s-%s-bundle.tar.gz", name, item->version);
    const struct packed_text list = {BUNDLE_LIST, bundle->list.bytes, bundle->list.length};
    status = archive_pack(path, ARCHIVE_TAR_GZ, bundle->folder, (const char *const *)files, &list, 1, bundle->why);
    if (status)
        return status;
    report_title(report, "%s %s and what it needs", name, item->version);
    for (char **each = files; *each; ++each)
        report_add(report, TA_LEVEL_OK, "bundled", NULL, "%.*s", (int)(strlen(*each) - strlen(".tar.gz")), *each);
    report_text(report, "file", path);
    report_next(report, "{fetch %s}, on a computer without a network", path);
    return TA_OK;
}

enum ta_status ta_package_bundle(struct ta_context *context, const struct ta_packing *given, struct ta_report *report,
                                 struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_packing asked = {0};
    g_autofree char *folder = g_dir_make_tmp("tanchor-bundle-XXXXXX", NULL);
    struct bundle bundle = {.context = context, .folder = folder, .why = why};
    enum ta_status status = request_copy(given, &asked, sizeof asked, why);
    if (!status && !folder)
        status = ta_problem_set(why, TA_E_SYSTEM, "check TMPDIR", "cannot make a temporary folder");
    bundle.key = asked.key;
    if (!status)
        status = write_bundle(&bundle, &asked, report);
    text_free(&bundle.list);
    if (folder)
        folder_remove(folder);
    return step_end(&step, status);
}
