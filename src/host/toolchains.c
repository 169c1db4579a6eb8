#include "host/toolchains.h"

#include "host/commands.h"
#include "host/compiler_names.h"
#include "host/files.h"
#include "host/growing.h"
#include "tameanchor/version.h"

#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>

const char toolchains_install_fix[] = "sudo apt-get install gcc-riscv64-unknown-elf picolibc-riscv64-unknown-elf";

/* Where picolibc may be, first found first taken. */
static const char *const library_folders[] = {
    "/usr/lib/picolibc/riscv64-unknown-elf",
    "/usr/local/lib/picolibc/riscv64-unknown-elf",
};

enum { PROBE_LIMIT_S = 10, QUESTIONS = 6, ARGUMENTS = 12 };

/* What is asked of each compiler. */
enum question { ASK_VERSION, ASK_MULTILIB, ASK_DEFAULTS, ASK_LIBGCC, ASK_HEADERS, ASK_COMPILE };

struct candidate {
    enum compiler_family family;
    char *path;
    char *stamp; /* changes when the program does */
    const char *arguments[QUESTIONS][ARGUMENTS];
    struct command *commands[QUESTIONS]; /* of the questions; null when the cache knew the answers */
    char *answers[QUESTIONS];            /* of ASK_COMPILE: empty when it compiled, else what it said */
};

struct search {
    const struct isa *isa;
    char march[ISA_TEXT_BYTES];
    GPtrArray *candidates;
    struct compiler_names *names;
    const char *library;
    char *probe_source;
    const struct texts *folders; /* besides PATH, or null */
    GArray *searched;            /* of struct stat: the folders so far */
};

static void candidate_free(gpointer data) {
    struct candidate *candidate = data;
    g_free(candidate->path);
    g_free(candidate->stamp);
    for (int i = 0; i < QUESTIONS; ++i)
        g_free(candidate->answers[i]);
    g_free(candidate);
}

static void add_candidate(struct search *search, const char *folder, const char *name) {
    enum compiler_family family = compiler_family_of(name);
    g_autofree char *path = family < COMPILER_FAMILIES ? g_build_filename(folder, name, NULL) : NULL;
    g_autofree char *real = path ? realpath(path, NULL) : NULL;
    GStatBuf about;
    if (!real || !g_file_test(path, G_FILE_TEST_IS_EXECUTABLE) || g_stat(real, &about))
        return;
    g_autofree char *stamp =
        g_strdup_printf("%s %" G_GINT64_FORMAT " %" G_GINT64_FORMAT " %s %s", real, (gint64)about.st_mtime,
                        (gint64)about.st_size, search->march, search->library ? search->library : "-");
    for (guint i = 0; i < search->candidates->len; ++i)
        if (!strcmp(((struct candidate *)search->candidates->pdata[i])->stamp, stamp))
            return; /* another name of the same program */
    struct candidate *candidate = g_new0(struct candidate, 1);
    candidate->family = family;
    candidate->path = g_steal_pointer(&path);
    candidate->stamp = g_steal_pointer(&stamp);
    g_ptr_array_add(search->candidates, candidate);
}

static void search_folder(struct search *search, const char *folder) {
    struct stat about;
    if (stat(folder, &about))
        return;
    for (guint i = 0; i < search->searched->len; ++i) {
        const struct stat *other = &g_array_index(search->searched, struct stat, i);
        if (other->st_dev == about.st_dev && other->st_ino == about.st_ino)
            return; /* as /bin and /usr/bin mostly are */
    }
    g_array_append_val(search->searched, about);
    g_auto(GStrv) names = compiler_names_in(search->names, folder, &about);
    for (char **name = names; *name; ++name)
        add_candidate(search, folder, *name);
}

static void search_path(struct search *search) {
    g_auto(GStrv) folders = g_strsplit(g_getenv("PATH") ? g_getenv("PATH") : "", ":", -1);
    for (char **folder = folders; *folder; ++folder)
        search_folder(search, *folder);
    for (size_t i = 0; search->folders && i < search->folders->count; ++i)
        search_folder(search, search->folders->items[i]);
}

/* Asking. */

static void ask(struct candidate *candidate, enum question question, const char *const *arguments) {
    size_t count = 0;
    candidate->arguments[question][count++] = candidate->path;
    while (*arguments)
        candidate->arguments[question][count++] = *arguments++;
    *candidate->commands[question] =
        (struct command){.arguments = candidate->arguments[question], .time_limit_s = PROBE_LIMIT_S};
}

/* The texts live as long as CHUNK. */
static void prepare(const struct search *search, struct candidate *candidate, GStringChunk *chunk) {
    g_autofree char *march_text = g_strdup_printf("-march=%s", search->march);
    g_autofree char *mabi_text = g_strdup_printf("-mabi=%s", isa_mabi(search->isa));
    g_autofree char *target_text = g_strdup_printf("--target=riscv%u-unknown-elf", search->isa->xlen);
    g_autofree char *include_text = g_strdup_printf("-I%s/include", search->library ? search->library : "");
    const char *march = g_string_chunk_insert(chunk, march_text), *mabi = g_string_chunk_insert(chunk, mabi_text);
    const char *target = g_string_chunk_insert(chunk, target_text);
    const char *include = g_string_chunk_insert(chunk, include_text);
    bool gcc = candidate->family == COMPILER_GCC;
    ask(candidate, ASK_VERSION, (const char *const[]){gcc ? "-dumpfullversion" : "-dumpversion", NULL});
    if (gcc) { /* whose libraries clang takes too */
        ask(candidate, ASK_MULTILIB, (const char *const[]){march, mabi, "-print-multi-directory", NULL});
        ask(candidate, ASK_DEFAULTS, (const char *const[]){"-dumpspecs", NULL});
        ask(candidate, ASK_LIBGCC, (const char *const[]){march, mabi, "-print-libgcc-file-name", NULL});
    }
    ask(candidate, ASK_HEADERS, (const char *const[]){"-print-file-name=include", NULL});
    ask(candidate, ASK_COMPILE,
        (const char *const[]){gcc ? "--specs=picolibc.specs" : target, march, mabi, gcc ? "-O1" : include, "-c",
                              search->probe_source, "-o", "/dev/null", NULL});
}

/* What GCC compiles for when it is told nothing, "march=rv64imafdc mabi=lp64d": the libraries for that lie in no folder of their own, as do
   those that it falls back to. */
static char *defaults_of(const char *specs) {
    static const char head[] = "*multilib_defaults:\n";
    const char *found = strstr(specs, head);
    return found ? g_strndup(found + strlen(head), strcspn(found + strlen(head), "\n")) : g_strdup("");
}

static char *answer_of(int question, const struct command *command) {
    if (question == ASK_DEFAULTS)
        return defaults_of(command->exit_code || !command->output ? "" : command->output);
    if (question != ASK_COMPILE)
        return command->exit_code ? g_strdup("") : g_strstrip(g_strdup(command->output));
    if (command->timed_out)
        return g_strdup("it did not answer in time");
    if (!command->ran)
        return g_strdup("it does not tell its version");
    if (!command->exit_code)
        return g_strdup("");
    g_auto(GStrv) lines = g_strsplit(command->errors, "\n", 2);
    return g_strdup(lines[0] && *lines[0] ? lines[0] : "it failed without a message");
}

/* The version first: one that does not even tell that is asked nothing more. */
static enum ta_status ask_in_turn(struct command *commands, size_t candidates, bool (*cancelled)(void *),
                                  void *cancelled_with, struct ta_problem *why) {
    unsigned jobs = g_get_num_processors();
    enum ta_status status = commands_run(commands, candidates, jobs, false, cancelled, cancelled_with, NULL, NULL, why);
    for (size_t i = 0; !status && i < candidates; ++i)
        for (size_t question = 1; question < QUESTIONS && (!commands[i].ran || commands[i].exit_code); ++question)
            commands[question * candidates + i].arguments = NULL;
    return status ? status
                  : commands_run(commands + candidates, candidates * (QUESTIONS - 1), jobs, false, cancelled,
                                 cancelled_with, NULL, NULL, why);
}

static enum ta_status ask_all(struct search *search, bool (*cancelled)(void *), void *cancelled_with,
                              struct ta_problem *why) {
    static const char source[] = "#include <stdio.h>\nint probe(FILE *file);\n"
                                 "int probe(FILE *file) { return fflush(file); }\n";
    g_autoptr(GStringChunk) texts = g_string_chunk_new(1024);
    g_autoptr(GPtrArray) unknown = g_ptr_array_new();
    struct growing folder;
    for (guint i = 0; i < search->candidates->len; ++i)
        if (!((struct candidate *)search->candidates->pdata[i])->answers[ASK_VERSION])
            g_ptr_array_add(unknown, search->candidates->pdata[i]);
    g_autofree struct command *commands = g_new0(struct command, unknown->len * (size_t)QUESTIONS + 1);
    enum ta_status status = growing_begin(g_get_tmp_dir(), &folder, why);
    if (status)
        return status;
    search->probe_source = g_build_filename(folder.folder, "probe.c", NULL);
    status = file_write(search->probe_source, source, sizeof source - 1, why);
    for (guint i = 0; i < unknown->len; ++i) {
        struct candidate *candidate = unknown->pdata[i];
        for (size_t question = 0; question < QUESTIONS; ++question)
            candidate->commands[question] = &commands[question * unknown->len + i];
        prepare(search, candidate, texts);
        for (size_t question = 0; question < QUESTIONS; ++question)
            candidate->commands[question]->temporary = folder.folder;
    }
    if (!status)
        status = ask_in_turn(commands, unknown->len, cancelled, cancelled_with, why);
    for (guint i = 0; !status && i < unknown->len; ++i) {
        struct candidate *candidate = unknown->pdata[i];
        for (int question = 0; question < QUESTIONS; ++question)
            candidate->answers[question] = answer_of(question, candidate->commands[question]);
    }
    commands_clear(commands, unknown->len * (size_t)QUESTIONS);
    growing_end(&folder);
    g_free(search->probe_source);
    return status;
}

/* Remembering: the answers to a stamp, in the order of the questions, a line each. */

enum { FAILURE_LASTS_S = 600 };

struct toolchain_answers {
    GPtrArray *candidates; /* those that were asked now have commands */
    struct compiler_names *names;
};

void toolchains_remember(struct toolchain_answers *answers, struct store *store) {
    bool begun = store && !store_begin(store, NULL); /* only a help: without it they are asked again */
    for (guint i = 0; begun && i < answers->candidates->len; ++i) {
        const struct candidate *candidate = answers->candidates->pdata[i];
        if (!candidate->commands[0])
            continue; /* remembered already */
        g_auto(GStrv) lines = g_new0(char *, QUESTIONS + 1);
        for (int k = 0; k < QUESTIONS; ++k)
            lines[k] = g_strdelimit(g_strdup(candidate->answers[k]), "\n", ' ');
        g_autofree char *text = g_strjoinv("\n", lines);
        store_run(store, NULL, "INSERT OR REPLACE INTO compiler VALUES (?, ?, ?, ?)", "ssii", candidate->stamp, text,
                  (int64_t) !*candidate->answers[ASK_COMPILE], (int64_t)time(NULL));
    }
    if (begun) {
        compiler_names_remember(answers->names, store);
        store_end(store, TA_OK, NULL);
    }
    g_ptr_array_unref(answers->candidates);
    compiler_names_free(answers->names);
    g_free(answers);
}

static bool take_answers(void *with, const struct store_row *row) {
    struct candidate *candidate = with;
    g_auto(GStrv) lines = g_strsplit(store_text(row, 0), "\n", -1);
    for (int k = 0; k < QUESTIONS && g_strv_length(lines) == QUESTIONS; ++k)
        candidate->answers[k] = g_strdup(lines[k]);
    return false;
}

/* What failed is tried again after a while: a library may have come. */
static enum ta_status recall_answers(struct search *search, struct store *store, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    int64_t now = (int64_t)time(NULL);
    for (guint i = 0; !status && i < search->candidates->len; ++i) {
        struct candidate *candidate = search->candidates->pdata[i];
        status = store_each(store, take_answers, candidate, why,
                            "SELECT answers FROM compiler WHERE stamp = ? AND (compiled OR asked_s BETWEEN ? AND ?)",
                            "sii", candidate->stamp, now - FAILURE_LASTS_S, now);
    }
    return status;
}

/* Judging. */

static const char *find_library(void) {
    for (size_t i = 0; i < G_N_ELEMENTS(library_folders); ++i)
        if (g_file_test(library_folders[i], G_FILE_TEST_IS_DIR))
            return library_folders[i];
    return NULL;
}

static bool has_word(const char *text, const char *word) {
    g_auto(GStrv) words = g_strsplit(text, " ", -1);
    return g_strv_contains((const char *const *)words, word);
}

/* Whether GCC has libraries for the ISA: in a folder of their own, or for what it compiles for by itself. */
static bool has_libraries(const struct search *search, const struct candidate *gcc) {
    g_autofree char *march = g_strdup_printf("march=%s", search->march);
    g_autofree char *mabi = g_strdup_printf("mabi=%s", isa_mabi(search->isa));
    const char *defaults = gcc->answers[ASK_DEFAULTS];
    return strcmp(gcc->answers[ASK_MULTILIB], ".") || (has_word(defaults, march) && has_word(defaults, mabi));
}

static void judge(const struct search *search, const struct candidate *candidate, const struct candidate *gcc,
                  struct arena *arena, struct found_toolchain *found) {
    struct toolchain *tool = &found->tool;
    struct ta_version version;
    bool clang = candidate->family == COMPILER_CLANG;
    g_autofree char *linker = clang ? g_find_program_in_path("ld.lld") : NULL;
    tool->family = candidate->family;
    tool->path = arena_text(arena, candidate->path);
    tool->version = arena_text(arena, candidate->answers[ASK_VERSION]);
    tool->c_library = search->library ? search->library : "";
    tool->multilib = arena_text(arena, gcc ? gcc->answers[ASK_MULTILIB] : "");
    tool->libgcc = arena_text(arena, gcc ? gcc->answers[ASK_LIBGCC] : "");
    const char *headers = candidate->answers[ASK_HEADERS];
    g_autofree char *full_headers = *headers == '/' ? g_canonicalize_filename(headers, NULL) : NULL;
    tool->headers = arena_text(arena, full_headers ? full_headers : "");
    g_autofree char *library = g_strdup_printf("%s/lib/%s/libc.a", tool->c_library, tool->multilib);
    if (ta_version_parse(tool->version, &version, NULL)) {
        found->reason = "it does not tell its version";
        found->fix = "reinstall it";
        tool->version = "0.0.0";
    } else if (!search->library) {
        found->reason = "there is no C library for it";
        found->fix = "sudo apt-get install picolibc-riscv64-unknown-elf";
    } else if (*candidate->answers[ASK_COMPILE]) {
        found->reason =
            arena_printf(arena, "it cannot compile for %s: %s", search->march, candidate->answers[ASK_COMPILE]);
        found->fix = toolchains_install_fix;
    } else if (clang && !linker) {
        found->reason = "there is no linker for it (ld.lld)";
        found->fix = "sudo apt-get install lld";
    } else if (!gcc || !has_libraries(search, gcc) || !g_file_test(tool->libgcc, G_FILE_TEST_EXISTS) ||
               !g_file_test(library, G_FILE_TEST_EXISTS)) {
        found->reason = arena_printf(arena, "there is no C library or libgcc.a for %s", search->march);
        found->fix = toolchains_install_fix;
    } else {
        found->usable = true;
    }
}

static int by_preference(const void *a, const void *b) {
    const struct found_toolchain *left = a, *right = b;
    struct ta_version left_version, right_version;
    if (left->usable != right->usable)
        return left->usable ? -1 : 1;
    if (left->tool.family != right->tool.family)
        return left->tool.family < right->tool.family ? -1 : 1;
    ta_version_parse(left->tool.version, &left_version, NULL);
    ta_version_parse(right->tool.version, &right_version, NULL);
    int order = ta_version_compare(&right_version, &left_version);
    return order ? order : strcmp(left->tool.path, right->tool.path);
}

/* A compiler is often installed under two names, its version in one of them. Sorted, they stand side by side. */
static void drop_doubles(struct found_toolchains *found) {
    size_t kept = 0;
    for (size_t i = 0; i < found->count; ++i) {
        const struct found_toolchain *each = &found->items[i], *before = kept ? &found->items[kept - 1] : NULL;
        bool double_of = before && before->usable == each->usable && before->tool.family == each->tool.family &&
                         !strcmp(before->tool.version, each->tool.version);
        if (!double_of)
            found->items[kept++] = *each;
    }
    found->count = kept;
}

enum ta_status toolchains_find(struct arena *arena, const struct isa *isa, const struct texts *folders,
                               struct store *store, bool (*cancelled)(void *), void *cancelled_with,
                               struct found_toolchains *found, struct toolchain_answers **learned,
                               struct ta_problem *why) {
    g_autoptr(GPtrArray) candidates = g_ptr_array_new_with_free_func(candidate_free);
    g_autoptr(GArray) searched = g_array_new(FALSE, FALSE, sizeof(struct stat));
    struct search search = {
        .isa = isa, .candidates = candidates, .library = find_library(), .folders = folders, .searched = searched};
    const struct candidate *gcc = NULL;
    bool asked = false;
    *learned = NULL;
    isa_march(isa, search.march);
    search.names = compiler_names_recall(store);
    search_path(&search);
    enum ta_status status = recall_answers(&search, store, why);
    for (guint i = 0; i < candidates->len; ++i)
        asked = asked || !((struct candidate *)candidates->pdata[i])->answers[ASK_VERSION];
    if (!status && asked)
        status = ask_all(&search, cancelled, cancelled_with, why);
    if (!status && (asked || compiler_names_are_new(search.names))) {
        *learned = g_new0(struct toolchain_answers, 1);
        **learned = (struct toolchain_answers){g_ptr_array_ref(candidates), search.names};
    } else {
        compiler_names_free(search.names);
    }
    if (status)
        return status;
    for (guint i = 0; i < candidates->len && !gcc; ++i) {
        const struct candidate *candidate = candidates->pdata[i];
        if (candidate->family == COMPILER_GCC && !*candidate->answers[ASK_COMPILE])
            gcc = candidate;
    }
    found->count = candidates->len;
    found->items = arena_alloc(arena, (candidates->len + 1) * sizeof *found->items);
    for (guint i = 0; i < candidates->len; ++i) {
        const struct candidate *candidate = candidates->pdata[i];
        judge(&search, candidate, candidate->family == COMPILER_GCC ? candidate : gcc, arena, &found->items[i]);
    }
    qsort(found->items, found->count, sizeof *found->items, by_preference);
    drop_doubles(found);
    return TA_OK;
}
