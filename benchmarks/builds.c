/* Builds: against the same commands, taken from the plan, run by xargs with as many jobs. */
#include "bench.h"

#include "host/files.h"

#include <glib.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

enum {
    ROUNDS = 5,
    CLEAN_ROUNDS = 9,
    SHORT_ROUNDS = 25
}; /* of what takes seconds; of what is over in a blink, and so noisier */
static const char *const jobs_text = "2";

/* A home for the builds alone, until TANCHOR_HOME is unset. */
static void home_begin(const char *folder) {
    g_autofree char *home = g_build_filename(folder, "build-home", NULL);
    g_setenv("TANCHOR_HOME", home, TRUE);
}

/* A project of COUNT small sources with twenty headers between them, configured. */
static void make_many(const char *folder, const char *project, int count) {
    g_autofree char *include = g_build_filename(project, "include", NULL),
                    *manifest = g_build_filename(project, "anchor.yaml", NULL);
    folder_make(include, NULL);
    g_file_set_contents(
        manifest,
        "project: many\nversion: 1.0.0\ntitle: many\nneeds:\n  sdk: {strand: \">=2.0\"}\n  components: {core: \"*\"}\n"
        "sources: [\"src/*/*.c\"]\ninclude: [include]\n",
        -1, NULL);
    for (int i = 0; i < 20; ++i) {
        g_autofree char *path = g_strdup_printf("%s/level%d.h", include, i);
        g_autofree char *text = g_strdup_printf("#include <stdint.h>\nenum { LEVEL_%d = %d };\n", i, i);
        g_file_set_contents(path, text, -1, NULL);
    }
    for (int i = 0; i < count; ++i) {
        g_autofree char *below = g_strdup_printf("%s/src/part%03d", project, i / 100);
        g_autofree char *path = g_strdup_printf("%s/gauge%d.c", below, i);
        g_autofree char *text = g_strdup_printf(
            "#include \"level%d.h\"\n#include \"level%d.h\"\nuint32_t gauge_%d(uint32_t tide);\n"
            "uint32_t gauge_%d(uint32_t tide) { return tide * %du + LEVEL_%d; }\n%s",
            i % 20, (i + 7) % 20, i, i, i, i % 20, i ? "" : "int main(void);\nint main(void) { for (;;); }\n");
        folder_make(below, NULL);
        g_file_set_contents(path, text, -1, NULL);
    }
    RUN(folder, TANCHOR, "-C", project, "configure");
}

/* The commands of PROJECT's plan: those that compile, without the compiler's own name, a line each in the file LIST, of the COUNT last ones;
   the one that links. */
struct bare {
    char *compiler, *list,
        *link; /* LINK is a script: the objects of ten thousand sources are more than one argument holds */
};

static struct bare read_plan(const char *project, size_t count) {
    struct bare bare = {.list = g_build_filename(project, "commands.txt", NULL),
                        .link = g_build_filename(project, "link.sh", NULL)};
    g_autofree char *answer = NULL;
    const char *const arguments[] = {TANCHOR, "-C", project, "build", "--plan", "--json", NULL};
    if (!g_spawn_sync(NULL, (char **)arguments, NULL, G_SPAWN_STDERR_TO_DEV_NULL, NULL, NULL, &answer, NULL, NULL,
                      NULL))
        exit(3);
    json_t *document = json_loads(answer, 0, NULL),
           *actions = json_object_get(json_object_get(document, "tables"), "actions");
    g_autoptr(GPtrArray) lines = g_ptr_array_new();
    for (size_t i = 0; i < json_array_size(actions); ++i) {
        const json_t *action = json_array_get(actions, i);
        const char *step = json_string_value(json_object_get(action, "step"));
        const char *command = json_string_value(json_object_get(action, "command"));
        if (!strcmp(step, "compile")) {
            g_ptr_array_add(lines, (char *)strchr(command, ' ') + 1);
            bare.compiler = bare.compiler ? bare.compiler : g_strndup(command, strcspn(command, " "));
        }
        if (!strcmp(step, "link"))
            g_file_set_contents(bare.link, command, -1, NULL);
    }
    g_autoptr(GString) text = g_string_new(NULL);
    for (guint i = count && count < lines->len ? lines->len - (guint)count : 0; i < lines->len; ++i)
        g_string_append_printf(text, "%s\n", (const char *)lines->pdata[i]);
    g_file_set_contents(bare.list, text->str, -1, NULL);
    json_decref(document);
    return bare;
}

static double run_bare(const char *project, const struct bare *bare) {
    double seconds = RUN(project, "xargs", "-P", jobs_text, "-L", "1", "-a", bare->list, bare->compiler);
    return seconds + RUN(project, "sh", bare->link);
}

static void bare_clear(struct bare *bare) {
    g_free(bare->compiler);
    g_free(bare->list);
    g_free(bare->link);
}

void bench_builds(const char *folder) {
    struct rounds built = {.count = CLEAN_ROUNDS};
    home_begin(folder);
    g_autofree char *project = g_build_filename(folder, "many-200", NULL);
    make_many(folder, project, 200);
    RUN(project, TANCHOR, "build", "--no-cache");
    struct bare bare = read_plan(project, 0);
    for (int i = 0; i < CLEAN_ROUNDS; ++i) {
        RUN(project, "rm", "-rf", "out", ".tanchor");
        built.values[i] = RUN(project, TANCHOR, "build", "--no-cache", "--jobs", jobs_text);
        RUN(project, "find", "out", "-name", "*.c.o", "-delete"); /* neither writes over what is there */
        built.limits[i] = run_bare(project, &bare);
    }
    row_of_rounds("clean build, 200 files", &built, "s", "xargs -P 2, and the link", 1.05);
    RUN(project, TANCHOR, "build");
    RUN(project, TANCHOR, "build");
    double nothing[ROUNDS];
    for (int i = 0; i < ROUNDS; ++i)
        nothing[i] = RUN(project, TANCHOR, "build") * 1e3;
    row("build, nothing to do, 200 files", median(nothing, ROUNDS), "ms", "the most that it may take", 30, 1);
    bare_clear(&bare);
    g_unsetenv("TANCHOR_HOME");
}

void bench_large(const char *folder) {
    double nothing[ROUNDS];
    struct rounds one = {.count = ROUNDS};
    home_begin(folder);
    g_autofree char *project = g_build_filename(folder, "many-10000", NULL);
    g_autofree char *source = g_build_filename(project, "src/part099/gauge9999.c", NULL), *text = NULL;
    make_many(folder, project, 10000);
    RUN(project, TANCHOR, "build");
    RUN(project, TANCHOR, "build");
    for (int i = 0; i < ROUNDS; ++i)
        nothing[i] = RUN(project, TANCHOR, "build") * 1e3;
    row("build, nothing to do, 10,000 files", median(nothing, ROUNDS), "ms", "the most that it may take", 150, 1);
    struct bare bare = read_plan(project, 0);
    g_autofree char *find = g_strdup_printf("grep gauge9999.c commands.txt > one.txt && mv one.txt commands.txt");
    RUN(project, "sh", "-c", find);
    g_file_get_contents(source, &text, NULL, NULL);
    for (int i = 0; i < ROUNDS; ++i) {
        g_autofree char *edited = g_strdup_printf("%s/* %d */\nint edit_%d;\n", text, i, i);
        g_file_set_contents(source, edited, -1, NULL);
        one.values[i] = RUN(project, TANCHOR, "build");
        one.limits[i] = run_bare(project, &bare);
        RUN(project, TANCHOR, "build"); /* the bare commands have written the object and the image anew */
    }
    row_of_rounds("one changed file of 10,000", &one, "s", "that compile and the link", 1.1);
    bare_clear(&bare);
    g_unsetenv("TANCHOR_HOME");
}

/* A bundled example whose SDK another project has compiled before; and from an edit to a verdict. */
void bench_example(const char *folder) {
    struct rounds built = {.count = SHORT_ROUNDS}, verdicts = built;
    home_begin(folder);
    g_autofree char *project = g_build_filename(folder, "example", NULL),
                    *source = g_build_filename(project, "src/main.c", NULL), *text = NULL;
    RUN(folder, TANCHOR, "import", "tide-lamp", "other-example");
    RUN(folder, TANCHOR, "-C", "other-example", "configure");
    RUN(folder, TANCHOR, "-C", "other-example", "build");
    RUN(folder, TANCHOR, "import", "tide-lamp", project);
    RUN(project, TANCHOR, "configure");
    RUN(project, TANCHOR, "build");
    struct bare bare = read_plan(project, 0);
    RUN(project, "sh", "-c", "grep ' src/' commands.txt > own.txt && mv own.txt commands.txt");
    g_file_get_contents(source, &text, NULL, NULL);
    for (int i = 0; i < SHORT_ROUNDS; ++i) {
        RUN(project, "sh", "-c",
            "for f in src/*.c; do echo >> $f; done; rm -rf out .tanchor"); /* what is its own is new */
        built.values[i] = RUN(project, TANCHOR, "build", "--jobs", jobs_text) * 1e3;
        built.limits[i] = run_bare(project, &bare) * 1e3;
    }
    row_of_rounds("example, its SDK in the cache", &built, "ms", "compiling its own files, and the link", 1.25);
    RUN(project, TANCHOR, "verify");
    RUN(project, "sh", "-c", "grep ' src/main.c' commands.txt > own.txt && mv own.txt commands.txt");
    for (int i = 0; i < SHORT_ROUNDS; ++i) {
        g_autofree char *edited = g_strdup_printf("%s\nint saved_%d;\n", text, i);
        g_file_set_contents(source, edited, -1, NULL);
        verdicts.values[i] = RUN(project, TANCHOR, "verify") * 1e3;
        verdicts.limits[i] = run_bare(project, &bare) * 1e3;
        RUN(project, TANCHOR, "verify");
    }
    row_of_rounds("from an edit to the verdict", &verdicts, "ms", "that compile and the link", 1.25);
    bare_clear(&bare);
    g_unsetenv("TANCHOR_HOME");
}
