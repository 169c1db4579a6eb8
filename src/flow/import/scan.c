#include "flow/import/import.h"

enum { SOURCE_BYTES = 1 << 20 };

bool scan_is_source(const char *path) {
    return g_str_has_suffix(path, ".c") || g_str_has_suffix(path, ".S") || g_str_has_suffix(path, ".s");
}

bool scan_leaves(const char *folder, const char *path) {
    g_autofree char *root = g_canonicalize_filename(folder, NULL);
    g_autofree char *full = g_canonicalize_filename(path, root);
    g_autofree char *inside = g_strconcat(root, "/", NULL);
    return strcmp(full, root) && !g_str_has_prefix(full, inside);
}

/* Names that Windows reserves or cannot hold. */
static bool is_unportable(const char *name) {
    static const char *const reserved[] = {"con", "prn", "aux", "nul", NULL};
    g_autofree char *lower = g_ascii_strdown(name, -1);
    size_t length = strlen(name);
    lower[strcspn(lower, ".")] = '\0';
    bool port = (g_str_has_prefix(lower, "com") || g_str_has_prefix(lower, "lpt")) && strlen(lower) == 4;
    return strpbrk(name, "<>:\"|?*\\") || g_strv_contains(reserved, lower) || (port && g_ascii_isdigit(lower[3])) ||
           (length && (name[length - 1] == '.' || name[length - 1] == ' '));
}

static void scan_name(struct scan *scan, GHashTable *seen, const char *path) {
    g_autofree char *name = g_path_get_basename(path);
    g_autofree char *normal = g_utf8_normalize(path, -1, G_NORMALIZE_ALL_COMPOSE);
    char *folded = g_utf8_casefold(normal ? normal : path, -1);
    const char *other = g_hash_table_lookup(seen, folded);
    if (other)
        g_ptr_array_add(scan->clashes, g_strdup_printf("%s and %s", other, path));
    else if (is_unportable(name))
        g_ptr_array_add(scan->clashes, g_strdup(path));
    g_hash_table_insert(seen, folded, (char *)path);
}

static bool is_program(const char *bytes, size_t length) {
    static const struct {
        const char *magic;
        size_t length;
    } magics[] = {{"\177ELF", 4}, {"MZ", 2}, {"!<arch>\n", 8}, {"\xfe\xed\xfa", 3}, {"\xcf\xfa\xed\xfe", 4}};
    for (size_t i = 0; i < G_N_ELEMENTS(magics); ++i)
        if (length >= magics[i].length && !memcmp(bytes, magics[i].magic, magics[i].length))
            return true;
    return false;
}

/* What compilers load in the place of a header, as an image of their own memory. */
static bool is_precompiled(const char *path) {
    static const char *const endings[] = {".gch", ".pch", ".pcm"};
    for (size_t i = 0; i < G_N_ELEMENTS(endings); ++i)
        if (g_str_has_suffix(path, endings[i]))
            return true;
    return false;
}

struct patterns {
    GRegex *include, *main;
};

/* Includes in quotes that lead out of the folder, and main. */
static void scan_source(const char *folder, struct scan *scan, const struct patterns *patterns, const char *path,
                        const char *text) {
    g_autofree char *above = g_path_get_dirname(path);
    g_autoptr(GMatchInfo) match = NULL;
    if (!scan->entry && strstr(text, "main") && g_regex_match(patterns->main, text, 0, NULL))
        scan->entry = g_strdup(path);
    if (!strstr(text, "..") && !strstr(text, "\"/"))
        return; /* no include can lead outside: most files end here */
    for (g_regex_match(patterns->include, text, 0, &match); g_match_info_matches(match);
         g_match_info_next(match, NULL)) {
        g_autofree char *name = g_match_info_fetch(match, 1);
        g_autofree char *joined = g_path_is_absolute(name) ? g_strdup(name) : g_build_filename(above, name, NULL);
        if (scan_leaves(folder, joined))
            g_ptr_array_add(scan->outside, g_strdup_printf("%s includes %s", path, name));
    }
}

static void scan_file(const char *folder, struct scan *scan, const struct patterns *patterns, const char *path) {
    g_autofree char *full = g_build_filename(folder, path, NULL);
    g_autofree char *text = NULL;
    size_t length = 0;
    bool source = scan_is_source(path) || g_str_has_suffix(path, ".h");
    char head[8];
    if (is_precompiled(path))
        g_ptr_array_add(scan->binary, g_strdup(path));
    if (source && !file_read(full, SOURCE_BYTES, &text, &length, NULL)) {
        if (memchr(text, '\0', length))
            g_ptr_array_add(scan->binary, g_strdup(path));
        else
            scan_source(folder, scan, patterns, path, text);
        return;
    }
    if (is_program(head, file_head(full, head, sizeof head)))
        g_ptr_array_add(scan->programs, g_strdup(path));
}

void scan_folder(const char *folder, struct scan *scan) {
    static const char *const skip[] = {".git", "out", ".tanchor", NULL};
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    *scan = (struct scan){.files = files_below(folder, skip),
                          .clashes = g_ptr_array_new_with_free_func(g_free),
                          .programs = g_ptr_array_new_with_free_func(g_free),
                          .binary = g_ptr_array_new_with_free_func(g_free),
                          .outside = g_ptr_array_new_with_free_func(g_free)};
    const struct patterns patterns = {
        g_regex_new("^" SCAN_INCLUDE "\"([^\"\\n]+)\"", G_REGEX_MULTILINE | G_REGEX_RAW | G_REGEX_OPTIMIZE, 0, NULL),
        g_regex_new("^[ \\t]*(int|void)\\s+main\\s*\\(", G_REGEX_MULTILINE | G_REGEX_RAW | G_REGEX_OPTIMIZE, 0, NULL),
    };
    for (char **file = scan->files; *file; ++file) {
        scan_name(scan, seen, *file);
        scan_file(folder, scan, &patterns, *file);
    }
    g_regex_unref(patterns.include);
    g_regex_unref(patterns.main);
    g_ptr_array_add(scan->clashes, NULL);
    g_ptr_array_add(scan->programs, NULL);
    g_ptr_array_add(scan->binary, NULL);
    g_ptr_array_add(scan->outside, NULL);
}

void scan_clear(struct scan *scan) {
    g_strfreev(scan->files);
    g_ptr_array_free(scan->clashes, TRUE);
    g_ptr_array_free(scan->programs, TRUE);
    g_ptr_array_free(scan->binary, TRUE);
    g_ptr_array_free(scan->outside, TRUE);
    g_free(scan->entry);
}
