#include "depot/shelf.h"

#include "base/text.h"
#include "host/archive.h"
#include "host/files.h"
#include "host/memory.h"
#include "host/model_files.h"
#include "host/offer_store.h"

#include <glib.h>
#include <glib/gstdio.h>
#include <stdlib.h>
#include <string.h>

enum { LICENCE_BYTES = 1 << 20, MANIFEST_BYTES = 4 << 20 };

char *shelf_licence(const struct shelf *shelf, const char *name, char digest[65]) {
    g_autofree char *file = g_strdup_printf("%s/licences/%s.txt", shelf->folder, name);
    char *text = NULL;
    size_t length;
    if (!text_is_name(name) || file_read(file, LICENCE_BYTES, &text, &length, NULL))
        return NULL;
    bytes_sha256(text, length, digest);
    return text;
}

/* One package: its package.yaml, read out of the archive, and the archive's own size and digest. */
static enum ta_status read_package(struct shelf *shelf, const char *file, struct offer *offer, struct ta_problem *why) {
    g_autofree char *path = g_strdup_printf("%s/packages/%s", shelf->folder, file);
    char digest[SHA256_TEXT_BYTES];
    size_t length;
    g_autofree char *yaml = archive_read_entry(path, "package.yaml", MANIFEST_BYTES, &length);
    if (!yaml)
        return ta_problem_set(why, TA_E_INPUT, "remove it from the folder", "%s is not a package", path);
    *offer = (struct offer){0};
    enum ta_status status = package_read_text(yaml, length, path, shelf->arena, &offer->package, why);
    if (!status)
        status = file_sha256(path, NULL, digest, why);
    if (status)
        return status;
    const struct package *package = &offer->package;
    g_autofree char *expected = g_strdup_printf("%s-%s.tar.gz", package->package, package->version);
    if (strcmp(expected, file))
        return ta_problem_set(why, TA_E_INPUT, "give it that name", "%s holds %s", path, expected);
    offer->archive_bytes = file_size(path);
    offer->sha256 = arena_text(shelf->arena, digest);
    if (!package->accept)
        return TA_OK;
    g_autofree char *licence = shelf_licence(shelf, package->accept, digest);
    offer->accept_sha256 = arena_text(shelf->arena, digest);
    if (!licence)
        return ta_problem_set(why, TA_E_INPUT, "write the text there",
                              "%s asks for licences/%s.txt, which is not there", path, package->accept);
    return TA_OK;
}

static gint64 changed_at(const char *path) {
    GStatBuf about;
    return g_stat(path, &about) ? 0 : (gint64)about.st_mtime;
}

static enum ta_status read_packages(struct shelf *shelf, struct ta_problem *why) {
    g_autofree char *packages = g_build_filename(shelf->folder, "packages", NULL);
    g_auto(GStrv) files = files_match(packages, "*.tar.gz");
    enum ta_status status = TA_OK;
    shelf->offers.items = arena_alloc(shelf->arena, (g_strv_length(files) + 1) * sizeof *shelf->offers.items);
    for (char **file = files; !status && *file; ++file)
        status = read_package(shelf, *file, &shelf->offers.items[shelf->offers.count++], why);
    return status;
}

/* An index that is newer than the packages is the keeper's, for a shelf that is too large to be read at each start. */
static bool index_holds(const struct shelf *shelf, const char *index) {
    g_autofree char *packages = g_build_filename(shelf->folder, "packages", NULL);
    g_auto(GStrv) files = files_match(packages, "*.tar.gz");
    gint64 made = changed_at(index);
    bool newer = made > changed_at(packages);
    for (char **file = files; newer && *file; ++file) {
        g_autofree char *path = g_build_filename(packages, *file, NULL);
        newer = made > changed_at(path);
    }
    return newer;
}

static enum ta_status make_index(struct shelf *shelf, const char *path, struct ta_problem *why) {
    size_t length;
    if (index_holds(shelf, path)) {
        enum ta_status status = file_read(path, PACKAGE_INDEX_BYTES, &shelf->index, &length, why);
        return status ? status : package_index_read(shelf->index, length, NULL, shelf->arena, &shelf->offers, why);
    }
    enum ta_status status = read_packages(shelf, why);
    char *text = status ? NULL : package_index_write(&shelf->offers);
    shelf->index = g_strdup(text ? text : "");
    free(text);
    return status;
}

enum ta_status shelf_open(const char *folder, struct shelf *shelf, struct ta_problem *why) {
    char digest[SHA256_TEXT_BYTES];
    g_autofree char *index = g_build_filename(folder, "index.json", NULL);
    *shelf = (struct shelf){.folder = folder, .arena = arena_or_end()};
    if (!g_file_test(folder, G_FILE_TEST_IS_DIR))
        return ta_problem_set(why, TA_E_INPUT, "name the folder that holds packages/", "%s is not a folder", folder);
    enum ta_status status = make_index(shelf, index, why);
    if (status)
        return status;
    bytes_sha256(shelf->index, strlen(shelf->index), digest);
    shelf->index_etag = g_strdup_printf("\"%s\"", digest);
    g_autofree char *search = g_build_filename(folder, "index.db", NULL);
    g_unlink(search); /* made anew from what is there now */
    status = store_open(search, true, &shelf->search, why);
    return status ? status : offers_keep(shelf->search, "", "", 0, &shelf->offers, why);
}

void shelf_close(struct shelf *shelf) {
    g_free(shelf->index);
    g_free(shelf->index_etag);
    store_close(shelf->search);
    arena_free(shelf->arena);
}

const struct offer *shelf_offer(const struct shelf *shelf, const char *file) {
    for (size_t i = 0; i < shelf->offers.count; ++i) {
        const struct package *package = &shelf->offers.items[i].package;
        g_autofree char *name = g_strdup_printf("%s-%s.tar.gz", package->package, package->version);
        if (!strcmp(name, file))
            return &shelf->offers.items[i];
    }
    return NULL;
}
