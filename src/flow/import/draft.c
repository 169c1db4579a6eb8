#include "flow/import/import.h"

#include "host/schema.h"

#include <jansson.h>

enum { SOURCE_BYTES = 1 << 20 };

/* Texts in the order in which they came, each once. */
struct text_set {
    GPtrArray *items;
    GHashTable *known;
};

static struct text_set new_set(void) {
    return (struct text_set){g_ptr_array_new_with_free_func(g_free), g_hash_table_new(g_str_hash, g_str_equal)};
}

static void free_set(struct text_set *set) {
    g_hash_table_unref(set->known);
    g_ptr_array_unref(set->items);
}

/* Takes TEXT. */
static void add_once(struct text_set *set, char *text) {
    if (g_hash_table_contains(set->known, text)) {
        g_free(text);
        return;
    }
    g_ptr_array_add(set->items, text);
    g_hash_table_add(set->known, text);
}

/* A line of text that a manifest can hold. */
static bool is_a_line(const char *text) {
    bool good = *text && g_utf8_validate(text, -1, NULL);
    for (const char *at = text; good && *at; at = g_utf8_next_char(at))
        good = !g_unichar_iscntrl(g_utf8_get_char(at));
    return good;
}

/* "NAME", "NAME=VALUE" or "NAME(PARAMETERS)=VALUE". */
static bool is_a_define(const char *text) {
    const char *name = text + strspn(text, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_");
    return is_a_line(text) && name > text && !g_ascii_isdigit(*text) && (!*name || *name == '=' || *name == '(');
}

struct draft {
    struct ta_context *context;
    const char *folder;
    struct text_set sources, include, defines, left_out;
    bool from_database;
    GHashTable *included;           /* names in #include lines */
    const struct catalog_item *sdk; /* the newest one that has most of them; null: none */
    GPtrArray *components;          /* of that SDK, those that have some */
};

/* PATH, which is relative to DIRECTORY, relative to the draft's folder; null when it lies outside. */
static char *inside(const struct draft *draft, const char *directory, const char *path) {
    g_autofree char *full = g_canonicalize_filename(path, directory);
    g_autofree char *root = g_strconcat(draft->folder, "/", NULL);
    if (!strcmp(full, draft->folder))
        return g_strdup(".");
    return g_str_has_prefix(full, root) ? g_strdup(full + strlen(root)) : NULL;
}

/* Puts TEXT, which it takes, into SET when it is GOOD, else among what the draft cannot hold. */
static void add_good(struct draft *draft, struct text_set *set, bool good, char *text) {
    add_once(good ? set : &draft->left_out, text);
}

/* "-Ifolder" or "-I folder": the value of OPTION at *AT, which moves on when it stood apart. */
static const char *option_value(char **arguments, size_t *at, const char *option) {
    const char *argument = arguments[*at];
    if (!g_str_has_prefix(argument, option))
        return NULL;
    if (argument[strlen(option)])
        return argument + strlen(option);
    return arguments[*at + 1] ? arguments[++*at] : NULL;
}

static void read_arguments(struct draft *draft, const char *directory, char **arguments) {
    for (size_t i = 0; arguments && arguments[i]; ++i) {
        const char *define = option_value(arguments, &i, "-D");
        const char *folder = define ? NULL : option_value(arguments, &i, "-I");
        char *below = folder ? inside(draft, directory, folder) : NULL;
        if (define)
            add_good(draft, &draft->defines, is_a_define(define), g_strdup(define));
        if (below)
            add_good(draft, &draft->include, is_a_line(below), below);
    }
}

/* An entry of a JSON compilation database: its directory, its file, its arguments as a list or as one command. */
static void read_entry(struct draft *draft, const json_t *entry) {
    const char *directory = json_string_value(json_object_get(entry, "directory"));
    const char *file = json_string_value(json_object_get(entry, "file"));
    const char *command = json_string_value(json_object_get(entry, "command"));
    const json_t *list = json_object_get(entry, "arguments");
    g_autofree char *base = g_canonicalize_filename(directory ? directory : ".", draft->folder);
    char *source = file ? inside(draft, base, file) : NULL;
    char **arguments = NULL;
    if (source)
        add_good(draft, &draft->sources, is_a_line(source), source);
    if (json_array_size(list)) {
        arguments = g_new0(char *, json_array_size(list) + 1);
        for (size_t i = 0, count = 0; i < json_array_size(list); ++i)
            if (json_is_string(json_array_get(list, i)))
                arguments[count++] = g_strdup(json_string_value(json_array_get(list, i)));
    } else if (command && !g_shell_parse_argv(command, NULL, &arguments, NULL)) {
        arguments = NULL;
    }
    read_arguments(draft, base, arguments);
    g_strfreev(arguments);
}

static void read_database(struct draft *draft) {
    static const char *const places[] = {"compile_commands.json", "build/compile_commands.json"};
    for (size_t i = 0; i < G_N_ELEMENTS(places) && !draft->from_database; ++i) {
        g_autofree char *path = g_build_filename(draft->folder, places[i], NULL);
        json_t *database = json_load_file(path, 0, NULL);
        for (size_t k = 0; k < json_array_size(database); ++k)
            read_entry(draft, json_array_get(database, k));
        draft->from_database = draft->sources.items->len > 0;
        json_decref(database);
    }
}

static void read_includes(struct draft *draft, const char *path) {
    g_autoptr(GRegex) include =
        g_regex_new("^" SCAN_INCLUDE "[<\"]([^>\"\\n]+)[>\"]", G_REGEX_MULTILINE | G_REGEX_RAW, 0, NULL);
    g_autofree char *full = g_build_filename(draft->folder, path, NULL), *text = NULL;
    g_autoptr(GMatchInfo) match = NULL;
    size_t length;
    if (file_read(full, SOURCE_BYTES, &text, &length, NULL))
        return;
    for (g_regex_match(include, text, 0, &match); g_match_info_matches(match); g_match_info_next(match, NULL))
        g_hash_table_add(draft->included, g_match_info_fetch(match, 1));
}

static void read_folder(struct draft *draft) {
    g_auto(GStrv) files = files_below(draft->folder, (const char *const[]){".git", "out", "build", ".tanchor", NULL});
    for (char **file = files; *file; ++file) {
        if (!draft->from_database && scan_is_source(*file))
            add_good(draft, &draft->sources, is_a_line(*file), g_strdup(*file));
        if (scan_is_source(*file) || g_str_has_suffix(*file, ".h"))
            read_includes(draft, *file);
        if (g_str_has_suffix(*file, ".h"))
            add_good(draft, &draft->include, is_a_line(*file), g_path_get_dirname(*file));
    }
}

/* Which SDK it was written for, by the headers that it includes. */

/* How many of the headers that are included a component has. */
struct tally {
    const struct draft *draft;
    unsigned found;
};

static void count_header(void *with, const char *name, const char *path) {
    struct tally *tally = with;
    (void)path;
    tally->found += g_hash_table_contains(tally->draft->included, name);
}

static void find_components(struct draft *draft) {
    const struct catalog_items *all = catalog_list(draft->context, PACKAGE_SDK);
    unsigned most = 0;
    for (size_t i = 0; i < all->count; ++i) { /* of one name, the newest comes first */
        g_autoptr(GPtrArray) components = g_ptr_array_new();
        struct sdk sdk = {0};
        const char *folder;
        unsigned total = 0;
        if (catalog_sdk(draft->context, all->items[i].name, all->items[i].version, NULL, &sdk, &folder, NULL))
            continue;
        for (size_t k = 0; k < sdk.component_count; ++k) {
            struct tally tally = {draft, 0};
            component_headers(&sdk.components[k], count_header, &tally);
            total += tally.found;
            if (tally.found)
                g_ptr_array_add(components, (gpointer)sdk.components[k].name);
        }
        if (total <= most)
            continue;
        most = total;
        draft->sdk = &all->items[i];
        g_ptr_array_set_size(draft->components, 0);
        g_ptr_array_extend(draft->components, components, NULL, NULL);
    }
}

/* In single quotes, where YAML takes everything but the quote itself as it is. */
static void add_list(GString *text, const char *key, const GPtrArray *items) {
    if (!items->len)
        return;
    g_string_append_printf(text, "%s:\n", key);
    for (guint i = 0; i < items->len; ++i) {
        g_auto(GStrv) quotes = g_strsplit(items->pdata[i], "'", -1);
        g_autofree char *doubled = g_strjoinv("''", quotes);
        g_string_append_printf(text, "  - '%s'\n", doubled);
    }
}

/* Small letters, digits and '-'. */
static char *project_name(const char *name) {
    char *plain = g_ascii_strdown(name, -1);
    for (char *at = plain; *at; ++at)
        if (!g_ascii_isalnum(*at) && *at != '-' && *at != '_')
            *at = '-';
    return plain;
}

static enum ta_status write_draft(const struct draft *draft, const char *name, struct ta_problem *why) {
    g_autofree char *project = project_name(name);
    g_autofree char *path = g_build_filename(draft->folder, "anchor.yaml", NULL);
    g_autoptr(GString) text = g_string_new("# A draft, made on import. Lines marked \"decide\" need your eye.\n");
    g_string_append_printf(text, "project: %s\nversion: 0.1.0\ntitle: %s  # decide: one line for people\n\nneeds:\n",
                           project, project);
    if (draft->sdk) {
        g_ptr_array_add(draft->components, NULL);
        g_autofree char *components = g_strjoinv(", ", (char **)draft->components->pdata);
        g_string_append_printf(text, "  sdk: {%s: \">=%u.%u <%u\"}  # the newest that has the headers it includes\n",
                               draft->sdk->name, draft->sdk->parsed.major, draft->sdk->parsed.minor,
                               draft->sdk->parsed.major + 1);
        g_string_append_printf(text, "  components: [%s]  # those whose headers it includes\n", components);
    } else {
        g_string_append(text, "  sdk: {strand: \">=2.0 <3\"}  # decide: which SDK it was written for\n"
                              "  components: [core]  # decide: what it uses of the SDK\n");
    }
    g_string_append(text, "  board: [console]  # decide: what the board must have\n\n");
    add_list(text, "sources", draft->sources.items);
    add_list(text, "include", draft->include.items);
    add_list(text, "defines", draft->defines.items);
    if (text->len > SCHEMA_FILE_BYTES ||
        draft->sources.items->len + draft->include.items->len + draft->defines.items->len > SCHEMA_NODES / 2)
        return ta_problem_set(why, TA_E_INPUT, "write anchor.yaml yourself, with patterns such as src/*.c",
                              "%s has %u sources, more than a draft can list", name, draft->sources.items->len);
    return file_write(path, text->str, text->len, why);
}

enum ta_status draft_write(struct ta_context *context, const char *folder, const char *name, struct ta_report *report,
                           struct ta_problem *why) {
    struct draft draft = {.context = context,
                          .folder = folder,
                          .included = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
                          .components = g_ptr_array_new(),
                          .sources = new_set(),
                          .include = new_set(),
                          .defines = new_set(),
                          .left_out = new_set()};
    enum ta_status status = TA_OK;
    read_database(&draft);
    read_folder(&draft);
    if (!draft.sources.items->len)
        status = ta_problem_set(why, TA_E_INPUT, "name a folder that holds a project or C sources",
                                "%s has neither an anchor.yaml nor C sources to draft one from", name);
    if (!status)
        find_components(&draft);
    if (!status)
        status = write_draft(&draft, name, why);
    if (!status && draft.sdk) {
        g_autofree char *components = g_strjoinv(", ", (char **)draft.components->pdata);
        report_add(report, TA_LEVEL_NOTE, "SDK", NULL, "%s: the sources include headers of %s", draft.sdk->name,
                   components);
    }
    if (!status)
        report_add(report, TA_LEVEL_WARNING, "draft", "look at the lines marked \"decide\" in anchor.yaml",
                   "anchor.yaml was drafted from %u source%s%s", draft.sources.items->len,
                   draft.sources.items->len == 1 ? "" : "s", draft.from_database ? " of compile_commands.json" : "");
    if (!status && draft.left_out.items->len)
        report_add(report, TA_LEVEL_WARNING, "draft", "write them into anchor.yaml yourself, where they are needed",
                   "%u define%s or name%s that anchor.yaml cannot hold, the first: %s", draft.left_out.items->len,
                   draft.left_out.items->len == 1 ? "" : "s", draft.left_out.items->len == 1 ? "" : "s",
                   (const char *)draft.left_out.items->pdata[0]);
    g_hash_table_unref(draft.included);
    g_ptr_array_free(draft.components, TRUE);
    free_set(&draft.sources);
    free_set(&draft.include);
    free_set(&draft.defines);
    free_set(&draft.left_out);
    return status;
}
