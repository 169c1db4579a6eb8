#include "flow/builder/cache.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

/* An entry is a file: the SHA-256 of the rest, then a GVariant. All entries of one source and command lie in one folder, since only the
   headers can tell which of them it is. Entries come by rename and are never changed: processes need no turns. */
static const char format[] =
    "(ua(ayay)taayayday)"; /* FORMAT; inputs: name, content; shadows; names; messages; seconds; object */
enum { FORMAT = 1, OBJECT_BYTES = 64 << 20, VARIANTS = 16 };

struct cache {
    char *folder;
    uint64_t limit_bytes, stored_bytes;
};

/* Whoever may write there chooses what images are made of. */
static bool is_ours_alone(const char *folder) {
    struct stat about;
    if (lstat(folder, &about))
        return errno == ENOENT;
    return S_ISDIR(about.st_mode) && about.st_uid == geteuid() && !(about.st_mode & 022);
}

struct cache *cache_open(struct ta_context *context, uint64_t limit_bytes, struct ta_report *report) {
    enum { LEAST = 1 << 20 }; /* less holds nothing */
    g_autofree char *folder = g_build_filename(context->cache, "objects", NULL);
    if (limit_bytes < LEAST)
        return NULL;
    if (!is_ours_alone(folder)) {
        report_add(report, TA_LEVEL_WARNING, "cache", "remove it, or choose another TANCHOR_HOME",
                   "others may write to %s: no object is taken from there", folder);
        return NULL;
    }
    struct cache *cache = g_new0(struct cache, 1);
    cache->folder = g_steal_pointer(&folder);
    cache->limit_bytes = limit_bytes;
    return cache;
}

static char *folder_for(const struct cache *cache, const uint8_t *command, const char *name, const uint8_t *source) {
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);
    g_checksum_update(sum, command, CONTENT_BYTES);
    g_checksum_update(sum, source, CONTENT_BYTES);
    g_checksum_update(sum, (const guchar *)name, -1);
    const char *text = g_checksum_get_string(sum);
    return g_strdup_printf("%s/%.2s/%s", cache->folder, text, text + 2);
}

/* Taking. */

void cached_clear(struct cached *cached) {
    g_clear_pointer(&cached->inputs, g_array_unref);
    g_clear_pointer(&cached->names, g_strfreev);
    g_clear_pointer(&cached->messages, g_free);
}

/* The entry at PATH; null when it is damaged. */
static GVariant *entry_read(const char *path) {
    enum { HEAD_BYTES = SHA256_TEXT_BYTES - 1 };
    char digest[SHA256_TEXT_BYTES], *bytes;
    size_t length;
    if (file_read(path, 2 * (size_t)OBJECT_BYTES, &bytes, &length, NULL))
        return NULL;
    g_autoptr(GBytes) all = g_bytes_new_take(bytes, length);
    if (length <= HEAD_BYTES)
        return NULL;
    bytes_sha256(bytes + HEAD_BYTES, length - HEAD_BYTES, digest);
    if (memcmp(digest, bytes, HEAD_BYTES))
        return NULL;
    g_autoptr(GBytes) rest = g_bytes_new_from_bytes(all, HEAD_BYTES, length - HEAD_BYTES);
    GVariant *entry = g_variant_ref_sink(g_variant_new_from_bytes(G_VARIANT_TYPE(format), rest, FALSE));
    uint32_t number = 0;
    g_variant_get_child(entry, 0, "u", &number);
    if (number == FORMAT)
        return entry;
    g_variant_unref(entry);
    return NULL;
}

/* The numbers of the files that went in, when all of them are here and hold the same; null else. */
static GArray *find_inputs(struct tracked_files *files, GVariant *entry) {
    g_autoptr(GVariant) inputs = g_variant_get_child_value(entry, 1);
    GArray *found = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    bool good = true;
    for (gsize i = 0; good && i < g_variant_n_children(inputs); ++i) {
        g_autoptr(GVariant) input = g_variant_get_child_value(inputs, i), name = g_variant_get_child_value(input, 0),
                            content = g_variant_get_child_value(input, 1);
        gsize length;
        const uint8_t *bytes = g_variant_get_fixed_array(content, &length, 1);
        uint32_t id;
        good = length == CONTENT_BYTES && tracked_find(files, g_variant_get_bytestring(name), bytes, &id);
        if (good)
            g_array_append_val(found, id);
    }
    if (good)
        return found;
    g_array_unref(found);
    return NULL;
}

static bool take_entry(struct tracked_files *files, GVariant *entry, const char *object, struct cached *cached) {
    g_autoptr(GArray) inputs = find_inputs(files, entry);
    if (!inputs)
        return false;
    g_autoptr(GVariant) names = g_variant_get_child_value(entry, 3), messages = g_variant_get_child_value(entry, 4),
                        bytes = g_variant_get_child_value(entry, 6);
    g_auto(GStrv) name_list = g_variant_dup_bytestring_array(names, NULL);
    uint64_t shadows;
    gsize length;
    g_variant_get_child(entry, 2, "t", &shadows);
    if (tracked_shadows(files, (const uint32_t *)(void *)inputs->data, inputs->len, *name_list ? name_list : NULL) !=
        shadows)
        return false;
    const void *data = g_variant_get_fixed_array(bytes, &length, 1);
    if (file_write_output(object, data, length, NULL))
        return false;
    *cached = (struct cached){.inputs = g_steal_pointer(&inputs),
                              .names = *name_list ? g_steal_pointer(&name_list) : NULL,
                              .messages = g_strdup(g_variant_get_bytestring(messages))};
    g_variant_get_child(entry, 5, "d", &cached->seconds);
    return true;
}

bool cache_take(struct cache *cache, struct tracked_files *files, const char *source, const uint8_t *command,
                const char *object, struct cached *cached) {
    uint32_t id = tracked_id(files, source);
    const uint8_t *content = cache ? tracked_content(files, id) : NULL;
    if (!content)
        return false;
    g_autofree char *folder = folder_for(cache, command, tracked_name(files, id), content);
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    bool taken = false;
    for (const char *name; !taken && entries && (name = g_dir_read_name(entries));) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        GVariant *entry = entry_read(path);
        taken = entry && take_entry(files, entry, object, cached);
        if (taken)
            utimensat(AT_FDCWD, path, NULL, 0); /* used now */
        if (entry)
            g_variant_unref(entry);
    }
    return taken;
}

/* Keeping. */

static GVariant *inputs_variant(struct tracked_files *files, const struct record *record) {
    GVariantBuilder list;
    g_variant_builder_init(&list, G_VARIANT_TYPE("a(ayay)"));
    for (size_t i = 0; i < record->input_count; ++i)
        g_variant_builder_add(
            &list, "(@ay@ay)", g_variant_new_bytestring(tracked_name(files, record->inputs[i].file)),
            g_variant_new_fixed_array(G_VARIANT_TYPE_BYTE, record->inputs[i].content, CONTENT_BYTES, 1));
    return g_variant_builder_end(&list);
}

static bool has_room(const char *folder) {
    unsigned count = 0;
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    while (entries && g_dir_read_name(entries))
        ++count;
    return count < VARIANTS;
}

void cache_put(struct cache *cache, struct tracked_files *files, const struct record *record, const char *object) {
    g_autofree char *bytes = NULL;
    char key[SHA256_TEXT_BYTES];
    size_t length;
    if (!cache || !record->input_count || file_read(object, OBJECT_BYTES, &bytes, &length, NULL))
        return;
    g_autofree char *folder =
        folder_for(cache, record->command, tracked_name(files, record->inputs[0].file), record->inputs[0].content);
    if (!has_room(folder) || folder_make_private(cache->folder, NULL) || folder_make(folder, NULL))
        return;
    sha256_text(record->key, key);
    char *const none[] = {NULL};
    char *const *names = record->names ? record->names : none;
    GVariant *children[] = {g_variant_new_uint32(FORMAT),
                            inputs_variant(files, record),
                            g_variant_new_uint64(record->shadows),
                            g_variant_new_bytestring_array((const char *const *)names, -1),
                            g_variant_new_bytestring(record->messages ? record->messages : ""),
                            g_variant_new_double(record->seconds),
                            g_variant_new_fixed_array(G_VARIANT_TYPE_BYTE, bytes, length, 1)};
    g_autoptr(GVariant) entry = g_variant_ref_sink(g_variant_new_tuple(children, G_N_ELEMENTS(children)));
    size_t size = g_variant_get_size(entry);
    g_autoptr(GString) whole = g_string_sized_new(size + SHA256_TEXT_BYTES);
    char digest[SHA256_TEXT_BYTES];
    bytes_sha256(g_variant_get_data(entry), size, digest);
    g_string_append(whole, digest);
    g_string_append_len(whole, g_variant_get_data(entry), (gssize)size);
    g_autofree char *path = g_strdup_printf("%s/%s-%016" G_GINT64_MODIFIER "x", folder, key, record->shadows);
    if (!file_write(path, whole->str, whole->len, NULL))
        cache->stored_bytes += whole->len;
}

/* Evicting. How much there is stands in a file to which each build adds a line; only when that passes the limit is it counted for real. */

struct kept {
    char *path;
    uint64_t bytes;
    int64_t used_ns;
};

static void kept_clear(gpointer data) {
    g_free(((struct kept *)data)->path);
}

static void list_entries(GArray *all, const char *folder, unsigned depth) {
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    for (const char *name; entries && (name = g_dir_read_name(entries));) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        struct stat about;
        if (lstat(path, &about))
            continue;
        if (S_ISDIR(about.st_mode) && depth) {
            list_entries(all, path, depth - 1);
        } else if (S_ISREG(about.st_mode) && !depth) {
            struct kept kept = {g_steal_pointer(&path), (uint64_t)about.st_size,
                                about.st_mtim.tv_sec * G_GINT64_CONSTANT(1000000000) + about.st_mtim.tv_nsec};
            g_array_append_val(all, kept);
        }
    }
}

static gint by_use(gconstpointer a, gconstpointer b) {
    const struct kept *left = a, *right = b;
    return (left->used_ns > right->used_ns) - (left->used_ns < right->used_ns);
}

static void sweep(const struct cache *cache, const char *sizes) {
    enum { DEPTH = 2 };
    g_autoptr(GArray) all = g_array_new(FALSE, FALSE, sizeof(struct kept));
    uint64_t total = 0, wanted = cache->limit_bytes / 5 * 4;
    g_array_set_clear_func(all, kept_clear);
    list_entries(all, cache->folder, DEPTH);
    g_array_sort(all, by_use);
    for (guint i = 0; i < all->len; ++i)
        total += g_array_index(all, struct kept, i).bytes;
    for (guint i = 0; i < all->len && total > wanted; ++i) {
        const struct kept *kept = &g_array_index(all, struct kept, i);
        g_autofree char *folder = g_path_get_dirname(kept->path);
        g_unlink(kept->path);
        g_rmdir(folder); /* when it is empty */
        total -= kept->bytes;
    }
    g_autofree char *text = g_strdup_printf("%" G_GUINT64_FORMAT "\n", total);
    file_write(sizes, text, strlen(text), NULL);
}

void cache_close(struct cache *cache) {
    enum { SIZES_BYTES = 1 << 20 };
    if (!cache)
        return;
    g_autofree char *sizes = g_build_filename(cache->folder, "size", NULL), *text = NULL;
    size_t length;
    if (cache->stored_bytes) {
        int file = open(sizes, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC | O_NONBLOCK | O_NOFOLLOW, 0600);
        g_autofree char *line = g_strdup_printf("%" G_GUINT64_FORMAT "\n", cache->stored_bytes);
        bool told = file >= 0 && file_write_all(file, line, strlen(line));
        if (file >= 0)
            close(file);
        uint64_t total = 0;
        told = told && !file_read(sizes, SIZES_BYTES, &text, &length, NULL);
        for (char *at = text; told && *at; at += strcspn(at, "\n"), at += *at != '\0')
            total += g_ascii_strtoull(at, NULL, 10);
        if (!told || total > cache->limit_bytes)
            sweep(cache, sizes);
    }
    g_free(cache->folder);
    g_free(cache);
}
