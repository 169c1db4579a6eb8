#include "support.h"

#include "host/files.h"

#include <fcntl.h>
#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <sqlite3.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

enum { PATIENCE_S = 30 };

char *test_folder;
static GPtrArray *garbage;
static struct ta_context *context;
static struct ta_profile *profile;

static char *kept(char *text) {
    g_ptr_array_add(garbage, text);
    return text;
}

static void set_up(void) {
    garbage = g_ptr_array_new_with_free_func(g_free);
    test_folder = g_dir_make_tmp("tanchor-test-XXXXXX", NULL);
    g_autofree char *home = g_build_filename(test_folder, "home", NULL);
    g_setenv("TANCHOR_HOME", home, TRUE);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    g_unsetenv("NO_COLOR");
    g_setenv("TERM", "xterm", TRUE);
}

static void tear_down(void) {
    ta_profile_free(profile);
    ta_context_free(context);
    profile = NULL;
    context = NULL;
    g_ptr_array_free(garbage, TRUE);
    folder_remove(test_folder);
    g_clear_pointer(&test_folder, g_free);
}

char *test_path(const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    g_autofree char *below = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    return kept(g_build_filename(test_folder, below, NULL));
}

void write_text(const char *path, const char *text) {
    g_autofree char *folder = g_path_get_dirname(path);
    ck_assert_int_eq(folder_make(folder, NULL), TA_OK);
    ck_assert_msg(g_file_set_contents(path, text, -1, NULL), "cannot write %s", path);
}

char *read_text(const char *path) {
    char *text = NULL;
    ck_assert_msg(g_file_get_contents(path, &text, NULL, NULL), "cannot read %s", path);
    return kept(text);
}

static int add_row(void *with, int count, char **columns, char **names) {
    (void)names;
    for (int i = 0; i < count; ++i)
        g_string_append_printf(with, "%s%c", columns[i] ? columns[i] : "", i + 1 < count ? ' ' : '\n');
    return 0;
}

char *state(const char *sql) {
    sqlite3 *database = NULL;
    GString *rows = g_string_new(NULL);
    ck_assert(!sqlite3_open_v2(test_path("home/state.db"), &database, SQLITE_OPEN_READWRITE, NULL));
    ck_assert_msg(!sqlite3_exec(database, sql, add_row, rows, NULL), "%s: %s", sql, sqlite3_errmsg(database));
    sqlite3_close(database);
    return kept(g_string_free(rows, FALSE));
}

void edit(const char *path, const char *from, const char *to) {
    const char *old = read_text(path), *at = strstr(old, from);
    ck_assert_msg(at != NULL, "%s does not hold \"%s\"", path, from);
    g_autofree char *text = g_strdup_printf("%.*s%s%s", (int)(at - old), old, to, at + strlen(from));
    write_text(path, text);
}

struct ran run_program(const char *folder, const char *const *environment, const char *const *arguments) {
    struct ran ran = {0};
    GError *error = NULL;
    int status;
    g_auto(GStrv) all = g_get_environ();
    for (size_t i = 0; environment && environment[i]; ++i) {
        g_auto(GStrv) pair = g_strsplit(environment[i], "=", 2);
        all = g_environ_setenv(all, pair[0], pair[1], TRUE);
    }
    bool good = g_spawn_sync(folder, (char **)arguments, all, G_SPAWN_SEARCH_PATH, NULL, NULL, &ran.out, &ran.err,
                             &status, &error);
    ck_assert_msg(good, "cannot run %s: %s", arguments[0], error ? error->message : "");
    kept(ran.out);
    kept(ran.err);
    ran.code = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    return ran;
}

/* Whether TEXT stands at AT, though the last lines of the terminal were drawn in its midst (between saving the cursor and going back); what is
   behind it, or null. */
static const char *stands_at(const char *at, const char *text) {
    while (*text) {
        const char *drawn = g_str_has_prefix(at, "\0337") ? strstr(at, "\0338") : NULL;
        if (drawn)
            at = drawn + 2;
        else if (*at++ != *text++)
            return NULL;
    }
    return at;
}

static const char *behind_text(const char *from, const char *text) {
    const char *found = strstr(from, text), *end = found ? found + strlen(text) : NULL;
    for (; !end && *from; ++from)
        end = *from == *text ? stands_at(from, text) : NULL;
    return end;
}

/* Reads what the terminal is given until TEXT is there behind *SEEN, or, without a TEXT, to the end. */
static void read_terminal(int terminal, GString *out, size_t *seen, const char *text) {
    gint64 end_us = g_get_monotonic_time() + PATIENCE_S * G_USEC_PER_SEC;
    for (;;) {
        const char *end = text ? behind_text(out->str + *seen, text) : NULL;
        struct pollfd ready = {.fd = terminal, .events = POLLIN};
        char bytes[4096];
        if (end) {
            *seen = (size_t)(end - out->str);
            return;
        }
        ck_assert_msg(g_get_monotonic_time() < end_us, "\"%s\" does not come: %s", text ? text : "the end", out->str);
        if (poll(&ready, 1, 100) <= 0)
            continue;
        ssize_t length = read(terminal, bytes, sizeof bytes);
        if (length <= 0) {
            ck_assert_msg(!text, "ended without \"%s\": %s", text, out->str);
            return;
        }
        for (ssize_t i = 0; i < length; ++i)
            if (bytes[i] && bytes[i] != '\r')
                g_string_append_c(out, bytes[i]);
    }
}

struct ran in_terminal(const char *folder, int columns, const struct typed *typed, const char *const *arguments) {
    const struct winsize size = {.ws_row = 40, .ws_col = (unsigned short)columns};
    GString *out = g_string_new(NULL);
    size_t seen = 0;
    int terminal, status;
    pid_t child = forkpty(&terminal, NULL, NULL, &size);
    ck_assert_int_ge(child, 0);
    if (!child) {
        if (folder && chdir(folder))
            _exit(126);
        execvp(arguments[0], (char **)arguments);
        _exit(127);
    }
    for (; typed && typed->await; ++typed) {
        read_terminal(terminal, out, &seen, typed->await);
        ck_assert_int_eq(write(terminal, typed->keys, strlen(typed->keys)), (ssize_t)strlen(typed->keys));
    }
    read_terminal(terminal, out, &seen, NULL);
    close(terminal);
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    struct ran ran = {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), kept(g_string_free(out, FALSE)),
                      kept(g_strdup(""))};
    return ran;
}

struct beside run_beside(const char *folder, const char *name, const char *const *arguments) {
    struct beside beside = {.file = test_path("%s", name)};
    sigset_t ends, before;
    sigemptyset(&ends);
    sigaddset(&ends, SIGINT);
    sigaddset(&ends, SIGTERM);
    sigprocmask(SIG_BLOCK, &ends, &before); /* until the child has put Check's handler off, which would end the test */
    beside.pid = fork();
    ck_assert_int_ge(beside.pid, 0);
    if (beside.pid)
        sigprocmask(SIG_SETMASK, &before, NULL);
    if (!beside.pid) {
        signal(SIGINT, SIG_DFL);
        signal(SIGTERM, SIG_DFL);
        sigprocmask(SIG_SETMASK, &before, NULL);
        int file = open(beside.file, O_WRONLY | O_CREAT | O_TRUNC, 0600), nothing = open("/dev/null", O_RDONLY);
        if ((folder && chdir(folder)) || dup2(file, 1) < 0 || dup2(file, 2) < 0 || dup2(nothing, 0) < 0)
            _exit(126);
        execvp(arguments[0], (char **)arguments);
        _exit(127);
    }
    return beside;
}

char *await_text(struct beside *beside, const char *text) {
    gint64 end_us = g_get_monotonic_time() + PATIENCE_S * G_USEC_PER_SEC;
    for (;;) {
        g_autofree char *all = NULL;
        bool late = g_get_monotonic_time() > end_us;
        bool there = g_file_get_contents(beside->file, &all, NULL, NULL) && strlen(all) >= beside->seen;
        const char *from = there ? all + beside->seen : "", *found = strstr(from, text);
        if (found) {
            char *between = kept(g_strndup(from, (gsize)(found - from)));
            beside->seen += (size_t)(found - from) + strlen(text);
            return between;
        }
        ck_assert_msg(!late, "\"%s\" does not come: %s", text, from);
        g_usleep(5000);
    }
}

int end_beside(struct beside *beside, int signal) {
    int status;
    kill(beside->pid, signal);
    ck_assert_int_eq(waitpid(beside->pid, &status, 0), beside->pid);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

void shell(const char *script) {
    struct ran ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
    ck_assert_msg(ran.code == 0, "%s: %s%s", script, ran.out, ran.err);
}

void expect_done(struct ran ran) {
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
}

void expect_shown(struct ran ran, const char *text) {
    ck_assert_msg(strstr(ran.out, text) != NULL, "\"%s\" is not in: %s%s", text, ran.out, ran.err);
}

void check_row(struct ran ran, const char *const *texts) {
    g_auto(GStrv) lines = g_strsplit(ran.out, "\n", -1);
    for (char **line = lines; *line; ++line) {
        const char *at = *line;
        size_t i = 0;
        for (; texts[i] && (at = strstr(at, texts[i])); ++i)
            at += strlen(texts[i]);
        if (!texts[i])
            return;
    }
    g_autofree char *row = g_strjoinv(" ", (char **)texts);
    ck_abort_msg("no row \"%s\" in: %s%s", row, ran.out, ran.err);
}

void check_refusal(const struct ran *ran, int code, const char *const *texts) {
    const char *end = strchr(ran->err, '\n');
    ck_assert_msg(ran->code == code, "exit code %d instead of %d: %s%s", ran->code, code, ran->out, ran->err);
    ck_assert_msg(end && !end[1], "not one line: %s", ran->err);
    for (size_t i = 0; texts[i]; ++i)
        ck_assert_msg(strstr(ran->err, texts[i]) != NULL, "\"%s\" is not in: %s", texts[i], ran->err);
}

char *tide_lamp(void) {
    struct ran ran = tanchor(test_folder, "import", "tide-lamp");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    return test_path("tide-lamp");
}

char *tide_lamp_built(void) {
    static const char *const steps[] = {"configure", "build"};
    char *project = tide_lamp();
    for (size_t i = 0; i < G_N_ELEMENTS(steps); ++i) {
        struct ran ran = tanchor(project, steps[i]);
        ck_assert_msg(ran.code == 0, "%s: %s%s", steps[i], ran.out, ran.err);
    }
    return project;
}

const struct ta_profile *dunlin(void) {
    if (profile)
        return profile;
    ck_assert_int_eq(ta_context_new(&context, NULL), TA_OK);
    ck_assert_int_eq(ta_profile_read(context, "dunlin", &profile, NULL), TA_OK);
    return profile;
}

char *below(const char *project, const char *path) {
    return test_path("%s/%s", project + strlen(test_folder) + 1, path);
}

static const char program[] =
    "#include \"tide.h\"\n#include <strand/lamps.h>\nconst int level = TIDE;\nint main(void) { for (;;); }\n";

char *gauge(const char *name, const char *compiler) {
    char *project = test_path("%s", name);
    write_text(test_path("%s/anchor.yaml", name), "project: gauge\nversion: 1.0.0\ntitle: a gauge\nneeds:\n  sdk: "
                                                  "{strand: \">=2.0\"}\n  components: {core: \"*\", lamps: \"*\"}\n"
                                                  "sources: [\"src/*.c\"]\ninclude: [first, second]\n");
    write_text(test_path("%s/src/main.c", name), program);
    write_text(test_path("%s/second/tide.h", name), "#define TIDE 1\n");
    write_text(test_path("%s/first/note.txt", name), "no header\n");
    expect_done(tanchor(project, "configure", "--compiler", compiler));
    return project;
}

void set_time(const char *path, int64_t ns) {
    const struct timespec times[] = {{ns / 1000000000, ns % 1000000000}, {ns / 1000000000, ns % 1000000000}};
    ck_assert_int_eq(utimensat(AT_FDCWD, path, times, 0), 0);
}

int64_t time_of(const char *path) {
    struct stat about;
    ck_assert_int_eq(stat(path, &about), 0);
    return about.st_mtim.tv_sec * G_GINT64_CONSTANT(1000000000) + about.st_mtim.tv_nsec;
}

int run_suite(const char *name, const TTest *const *tests) {
    g_setenv("CK_MAX_MSG_SIZE", "65536",
             FALSE); /* a failure that quotes what a terminal was given must not end the suite */
    Suite *suite = suite_create(name);
    TCase *each = tcase_create(name);
    const char *more = g_getenv("TANCHOR_TEST_LARGE"); /* which takes that long besides */
    tcase_add_checked_fixture(each, set_up, tear_down);
    tcase_set_timeout(each, 900 + (more ? atoi(more) : 0));
    for (size_t i = 0; tests[i]; ++i)
        tcase_add_test(each, tests[i]);
    suite_add_tcase(suite, each);
    SRunner *runner = srunner_create(suite);
    srunner_run_all(runner, CK_NORMAL);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed ? EXIT_FAILURE : EXIT_SUCCESS;
}
