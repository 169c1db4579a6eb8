#include "host/compiler_names.h"

#include <glib.h>
#include <string.h>

/* A folder's STAMP changes when something comes or goes in it; NAMES stand between slashes, which no name holds. */
struct program_folder {
    char *stamp, *names;
    bool is_new;
};

struct compiler_names {
    GHashTable *folders; /* name: struct program_folder */
};

enum compiler_family compiler_family_of(const char *name) {
    static const struct {
        const char *begins, *holds, *pattern; /* few of a computer's programs are worth the pattern */
    } families[] = {[COMPILER_GCC] = {"riscv", "-gcc", "^riscv(32|64)-[a-z0-9_]+-elf-gcc(-[0-9.]+)?$"},
                    [COMPILER_CLANG] = {"clang", "", "^clang(-[0-9]+)?$"}};
    for (int i = 0; i < COMPILER_FAMILIES; ++i)
        if (g_str_has_prefix(name, families[i].begins) && strstr(name, families[i].holds) &&
            g_regex_match_simple(families[i].pattern, name, 0, 0))
            return (enum compiler_family)i;
    return COMPILER_FAMILIES;
}

static void folder_free(gpointer data) {
    struct program_folder *folder = data;
    g_free(folder->stamp);
    g_free(folder->names);
    g_free(folder);
}

static void put(struct compiler_names *names, const char *folder, const char *stamp, const char *found, bool is_new) {
    struct program_folder *known = g_new0(struct program_folder, 1);
    *known = (struct program_folder){g_strdup(stamp), g_strdup(found), is_new};
    g_hash_table_insert(names->folders, g_strdup(folder), known);
}

static bool take(void *with, const struct store_row *row) {
    put(with, store_text(row, 0), store_text(row, 1), store_text(row, 2), false);
    return true;
}

struct compiler_names *compiler_names_recall(struct store *store) {
    struct compiler_names *names = g_new0(struct compiler_names, 1);
    names->folders = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, folder_free);
    store_each(store, take, names, NULL, "SELECT folder, stamp, names FROM compiler_folder", ""); /* only a help */
    return names;
}

void compiler_names_free(struct compiler_names *names) {
    g_hash_table_unref(names->folders);
    g_free(names);
}

/* The time of its last change of any kind goes in: nobody can set that back. */
static char *stamp_of_folder(const struct stat *about) {
    return g_strdup_printf("%llu %llu %lld.%09ld %lld.%09ld", (unsigned long long)about->st_dev,
                           (unsigned long long)about->st_ino, (long long)about->st_mtim.tv_sec, about->st_mtim.tv_nsec,
                           (long long)about->st_ctim.tv_sec, about->st_ctim.tv_nsec);
}

/* Else a change that comes now may not show. */
static bool is_settled(const struct stat *about) {
    enum { SETTLED_S = 2 };
    gint64 now_s = g_get_real_time() / G_USEC_PER_SEC;
    return now_s - (gint64)about->st_ctim.tv_sec >= SETTLED_S && now_s - (gint64)about->st_mtim.tv_sec >= SETTLED_S;
}

char **compiler_names_in(struct compiler_names *names, const char *folder, const struct stat *about) {
    g_autofree char *stamp = stamp_of_folder(about);
    const struct program_folder *known = g_hash_table_lookup(names->folders, folder);
    if (known && !strcmp(known->stamp, stamp))
        return g_strsplit(known->names, "/", -1);
    g_autoptr(GString) found = g_string_new(NULL);
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    for (const char *name; entries && (name = g_dir_read_name(entries));)
        if (compiler_family_of(name) < COMPILER_FAMILIES)
            g_string_append_printf(found, "%s%s", found->len ? "/" : "", name);
    if (entries && is_settled(about))
        put(names, folder, stamp, found->str, true);
    return g_strsplit(found->str, "/", -1);
}

bool compiler_names_are_new(const struct compiler_names *names) {
    const struct program_folder *folder;
    GHashTableIter each;
    g_hash_table_iter_init(&each, names->folders);
    while (g_hash_table_iter_next(&each, NULL, (gpointer *)&folder))
        if (folder->is_new)
            return true;
    return false;
}

void compiler_names_remember(const struct compiler_names *names, struct store *store) {
    const struct program_folder *folder;
    const char *name;
    GHashTableIter each;
    g_hash_table_iter_init(&each, names->folders);
    while (g_hash_table_iter_next(&each, (gpointer *)&name, (gpointer *)&folder))
        if (folder->is_new)
            store_run(store, NULL, "INSERT OR REPLACE INTO compiler_folder VALUES (?, ?, ?)", "sss", name,
                      folder->stamp, folder->names);
}
