#include "flow/builder/records.h"

#include "flow/builder/records_file.h"

#include <glib/gstdio.h>

struct records {
    char *file, *since_file;
    struct tracked_files *files;
    GHashTable *outputs; /* path: struct record */
    GHashTable *since;   /* the same, of those that FILE does not hold; borrowed */
    bool changed;        /* since the last save */
    bool dropped;        /* what FILE holds may no longer be there */
    GStringChunk *texts; /* paths of outputs that were put */
    struct records_part whole, part;
};

static void record_free(gpointer data) {
    struct record *record = data;
    if (record->borrowed) {
        g_strfreev(record->names);
        return;
    }
    g_free(record->inputs);
    g_strfreev(record->names);
    g_free(record->messages);
    g_free(record);
}

struct records *records_open(const char *file, const char *since_file, struct tracked_files *files) {
    struct records *records = g_new0(struct records, 1);
    records->file = g_strdup(file);
    records->since_file = g_strdup(since_file);
    records->files = files;
    records->outputs = g_hash_table_new_full(g_str_hash, g_str_equal, NULL, record_free);
    records->since = g_hash_table_new(g_str_hash, g_str_equal);
    records->texts = g_string_chunk_new(4096);
    if (!records_part_read(&records->whole, file, 0, files, records->outputs) ||
        !records_part_read(&records->part, since_file, records->whole.digest, files, records->since))
        return records;
    GHashTableIter each;
    gpointer output, record;
    g_hash_table_iter_init(&each, records->since);
    while (g_hash_table_iter_next(&each, &output, &record))
        g_hash_table_replace(records->outputs, output, record);
    return records;
}

void records_look(struct records *records, const char *folder) {
    g_autoptr(GPtrArray) paths = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GPtrArray) all = g_ptr_array_new();
    GHashTableIter each;
    gpointer output, record;
    g_hash_table_iter_init(&each, records->outputs);
    while (g_hash_table_iter_next(&each, &output, &record)) {
        g_ptr_array_add(paths, g_strconcat(folder, "/", output, NULL));
        g_ptr_array_add(all, record);
    }
    g_autofree struct stamp *stamps = g_new(struct stamp, paths->len + 1);
    stamps_of((const char *const *)paths->pdata, paths->len, stamps);
    for (guint i = 0; i < all->len; ++i) {
        struct record *looked_at = all->pdata[i];
        looked_at->there = stamps[i];
        looked_at->looked = true;
    }
}

static enum ta_status save_whole(struct records *records, struct ta_problem *why) {
    enum ta_status status =
        records_part_write(records->file, 0, records->files, records->outputs, &records->whole.digest, why);
    if (status)
        return status;
    g_unlink(records->since_file);
    g_hash_table_remove_all(records->since);
    records->dropped = false;
    return TA_OK;
}

/* What is new since the whole was written, when it is little; else the whole again. What was only learned, about files that did not change,
   saves reading them the next time: it may be lost. */
enum ta_status records_save(struct records *records, struct ta_problem *why) {
    enum { LITTLE = 2 }; /* that part of all */
    if (!records->changed && !tracked_learned(records->files))
        return TA_OK;
    uint64_t digest;
    bool little = records->changed && records->whole.digest && !records->dropped &&
                  g_hash_table_size(records->since) * LITTLE <= g_hash_table_size(records->outputs);
    g_autofree char *folder = g_path_get_dirname(records->file);
    enum ta_status status = folder_make(folder, why);
    if (!status)
        status = little ? records_part_write(records->since_file, records->whole.digest, records->files, records->since,
                                             &digest, why)
                        : save_whole(records, why);
    bool needed = records->changed;
    records->changed = status && needed;
    return needed ? status : TA_OK;
}

void records_free(struct records *records) {
    g_hash_table_unref(records->since);
    g_hash_table_unref(records->outputs);
    g_string_chunk_free(records->texts);
    records_part_free(&records->whole);
    records_part_free(&records->part);
    g_free(records->file);
    g_free(records->since_file);
    g_free(records);
}

/* One by one. */

const struct record *records_of(const struct records *records, const char *output) {
    return g_hash_table_lookup(records->outputs, output);
}

size_t records_count(const struct records *records) {
    return g_hash_table_size(records->outputs);
}

void records_put(struct records *records, const char *output, struct record *record) {
    char *kept = g_string_chunk_insert_const(records->texts, output);
    g_hash_table_replace(records->outputs, kept, record);
    g_hash_table_replace(records->since, kept, record);
    records->changed = true;
}

void records_drop(struct records *records, const char *output) {
    g_hash_table_remove(records->since, output);
    if (g_hash_table_remove(records->outputs, output))
        records->changed = records->dropped = true;
}

void records_keep(struct records *records, GHashTable *kept, void (*gone)(void *with, const char *output), void *with) {
    GHashTableIter each;
    gpointer output;
    g_hash_table_iter_init(&each, records->outputs);
    while (g_hash_table_iter_next(&each, &output, NULL)) {
        if (g_hash_table_contains(kept, output))
            continue;
        gone(with, output);
        g_hash_table_remove(records->since, output);
        g_hash_table_iter_remove(&each);
        records->changed = records->dropped = true;
    }
}
