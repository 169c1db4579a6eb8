/* Speed and memory, each as a ratio to a limit that is taken in the same run. Prints a line each; exit code 1 when one
   is over. */
#include "bench.h"

#include "base/arena.h"
#include "core/choose/resolve.h"
#include "host/files.h"
#include "tameanchor/tameanchor.h"

#include <fcntl.h>
#include <gio/gio.h>
#include <glib.h>
#include <jansson.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

int over_limit;

static int by_value(const void *a, const void *b) {
    double left = *(const double *)a, right = *(const double *)b;
    return (left > right) - (left < right);
}

double median(const double *values, size_t count) {
    g_autofree double *sorted = g_memdup2(values, count * sizeof *values);
    qsort(sorted, count, sizeof *sorted, by_value);
    return sorted[count / 2];
}

static void print_row(const char *what, double value, const char *unit, const char *limit_name, double limit,
                      double ratio, double most) {
    bool good = ratio <= most;
    over_limit += !good;
    printf("%-34s %10.3f %-5s  %-38s %10.3f %-5s  ratio %6.2f  limit %5.2f  %s\n", what, value, unit, limit_name, limit,
           unit, ratio, most, good ? "ok" : "OVER");
}

void row(const char *what, double value, const char *unit, const char *limit_name, double limit, double most) {
    print_row(what, value, unit, limit_name, limit, value / limit, most);
}

void row_of_rounds(const char *what, const struct rounds *rounds, const char *unit, const char *limit_name,
                   double most) {
    double ratios[MOST_ROUNDS];
    for (size_t i = 0; i < rounds->count; ++i)
        ratios[i] = rounds->values[i] / rounds->limits[i];
    print_row(what, median(rounds->values, rounds->count), unit, limit_name, median(rounds->limits, rounds->count),
              median(ratios, rounds->count), most);
}

double now_s(void) {
    return (double)g_get_monotonic_time() / 1e6;
}

double run(const char *folder, struct used *used, const char *const *arguments) {
    struct rusage usage;
    int status;
    double start = now_s();
    pid_t child = fork();
    if (child == 0) {
        int nothing = open("/dev/null", O_WRONLY);
        if (chdir(folder) || dup2(nothing, STDOUT_FILENO) < 0 || dup2(nothing, STDERR_FILENO) < 0)
            _exit(99);
        execvp(arguments[0], (char **)arguments);
        _exit(98);
    }
    if (child < 0 || wait4(child, &status, 0, &usage) != child || status) {
        fprintf(stderr, "bench: %s %s failed\n", arguments[0], arguments[1]);
        exit(3);
    }
    if (used) {
        used->memory_mib = (double)usage.ru_maxrss / 1024;
        used->user_s = (double)usage.ru_utime.tv_sec + (double)usage.ru_utime.tv_usec / 1e6;
    }
    return now_s() - start;
}

static double best(double a, double b) {
    return a < b ? a : b;
}

/* The example's bare compile and link commands, one after the other as a script would: taken from the build's own
   compilation database and its link's arguments. ONLY (null: all) is the one source that is compiled. */
static double bare_commands(const char *project, const char *only) {
    g_autofree char *path = g_build_filename(project, "out/dunlin-gcc/compile_commands.json", NULL);
    g_autofree char *note = NULL;
    json_t *steps = json_load_file(path, 0, NULL);
    g_autoptr(GPtrArray) objects = g_ptr_array_new();
    const char *compiler = "riscv64-unknown-elf-gcc";
    double seconds = 0;
    for (size_t i = 0; i < json_array_size(steps); ++i) {
        const json_t *step = json_array_get(steps, i), *list = json_object_get(step, "arguments");
        g_autoptr(GPtrArray) arguments = g_ptr_array_new();
        for (size_t k = 0; k < json_array_size(list); ++k)
            g_ptr_array_add(arguments, (char *)json_string_value(json_array_get(list, k)));
        g_ptr_array_add(arguments, NULL);
        const char *output = json_string_value(json_object_get(step, "output")), *folder = strstr(output, "/obj/");
        g_ptr_array_add(objects, (char *)output);
        if (!note && folder) /* in the folder of the setup */
            note = g_strdup_printf("%.*s/identity.o", (int)(strchr(folder + strlen("/obj/"), '/') - output), output);
        if (!only || !strcmp(json_string_value(json_object_get(step, "file")), only))
            seconds += run(project, NULL, (const char *const *)arguments->pdata);
    }
    g_autoptr(GPtrArray) link = g_ptr_array_new();
    const char *const head[] = {compiler,
                                "--specs=picolibc.specs",
                                "-march=rv32imac",
                                "-mabi=ilp32",
                                "-nostartfiles",
                                "-T",
                                "out/dunlin-gcc/generated/board.ld",
                                "-o",
                                "/dev/null"};
    for (size_t i = 0; i < G_N_ELEMENTS(head); ++i)
        g_ptr_array_add(link, (char *)head[i]);
    for (guint i = 0; i < objects->len; ++i)
        g_ptr_array_add(link, objects->pdata[i]);
    g_ptr_array_add(link, note);
    g_ptr_array_add(link, NULL);
    seconds += run(project, NULL, (const char *const *)link->pdata);
    json_decref(steps);
    return seconds;
}

/* Reads what FROM gives until it holds TEXT. */
static void await(int from, const char *text) {
    g_autoptr(GString) got = g_string_new(NULL);
    char byte;
    while (read(from, &byte, 1) == 1) {
        g_string_append_c(got, byte);
        if (strstr(got->str, text))
            return;
    }
    fprintf(stderr, "bench: \"%s\" does not come: %s\n", text, got->str);
    exit(3);
}

/* From a save in an editor to the verdict on the screen, with verify --watch. */
static void bench_watch(const char *project) {
    enum { SAVES = 9 };
    double verdicts[SAVES], limits[SAVES];
    g_autofree char *source = g_build_filename(project, "src/main.c", NULL), *text = NULL;
    const char *const arguments[] = {TANCHOR, "-C", project, "verify", "--watch", NULL};
    GPid child;
    int from;
    if (!g_file_get_contents(source, &text, NULL, NULL) ||
        !g_spawn_async_with_pipes(NULL, (char **)arguments, NULL, G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL, &child, NULL,
                                  &from, NULL, NULL)) {
        fprintf(stderr, "bench: cannot watch %s\n", project);
        exit(3);
    }
    await(from, " passed in ");
    for (int i = 0; i < SAVES; ++i) {
        g_autofree char *edited = g_strdup_printf("%s\nint saved_%d;\n", text, i);
        limits[i] = 1.25 * bare_commands(project, "src/main.c") + 0.050; /* one compile and the link */
        double start = now_s();
        g_file_set_contents(source, edited, -1, NULL);
        await(from, " passed in ");
        verdicts[i] = now_s() - start;
    }
    kill(child, SIGINT);
    waitpid(child, NULL, 0);
    close(from);
    row("save to verdict, tide-lamp", median(verdicts, SAVES) * 1e3, "ms", "1.25 of its compile and link, and 50 ms",
        median(limits, SAVES) * 1e3, 1);
}

static void bench_chain(const char *folder) {
    g_autofree char *demo = g_build_filename(folder, "demo", NULL);
    g_autofree char *project = g_build_filename(demo, "tide-lamp", NULL);
    g_autofree char *home = g_build_filename(demo, "home", NULL);
    RUN(folder, TANCHOR, "demo", demo);
    double whole = 1e9, bare = 1e9, again = 1e9;
    struct used used;
    for (int i = 0; i < 3; ++i) {
        whole = best(whole, RUN(folder, TANCHOR, "demo"));
        bare = best(bare, bare_commands(project, NULL));
    }
    row("demo, the whole chain", whole, "s", "bare compile and link commands", bare, 5);
    g_setenv("TANCHOR_HOME", home, TRUE);
    RUN(project, TANCHOR, "build"); /* the bare commands have written the objects anew */
    for (int i = 0; i < 5; ++i)
        again = best(again, RUN(project, TANCHOR, "build"));
    row("build, nothing changed", again, "s", "bare compile and link commands", bare, 0.2);
    run(project, &used, (const char *const[]){TANCHOR, "run", "--for", "20s", NULL});
    bench_watch(project);
    row("resident memory, a running dunlin", used.memory_mib, "MiB", "the most that it may take", 20, 1);
}

/* A project of 5,000 files and 100 MB, a fifth of it C sources, as a vendor's SDK sample with its pictures and libraries. */
static void make_large_project(const char *folder) {
    enum { FILES = 5000, FILE_BYTES = 20 * 1024 };
    g_autoptr(GString) manifest =
        g_string_new("project: large\nversion: 1.0.0\ntitle: large\nneeds:\n  sdk: {strand: \">=2.0\"}\n"
                     "sources: [part000/file0.c]\n");
    g_autofree char *manifest_path = g_build_filename(folder, "anchor.yaml", NULL);
    g_autoptr(GString) source = g_string_new("#include \"tide.h\"\n");
    g_autofree char *noise = g_malloc(FILE_BYTES);
    GRand *random = g_rand_new_with_seed(41);
    while (source->len < FILE_BYTES)
        g_string_append_printf(source, "static int level_%zu(int x) { return x * %zu + 1; } /* plain code */\n",
                               source->len, source->len);
    for (size_t i = 0; i < FILE_BYTES; ++i)
        noise[i] = (char)g_rand_int(random);
    for (int i = 0; i < FILES; ++i) {
        g_autofree char *below = g_strdup_printf("%s/part%03d", folder, i / 50);
        g_autofree char *path = g_strdup_printf("%s/file%d%s", below, i % 50, i % 5 ? ".dat" : ".c");
        folder_make(below, NULL);
        memcpy(noise, &i, sizeof i);
        g_file_set_contents(path, i % 5 ? noise : source->str, FILE_BYTES, NULL);
    }
    g_file_set_contents(manifest_path, manifest->str, -1, NULL);
    g_rand_free(random);
}

/* ready on a configured project: cold, with nothing known of compilers, against the compiler's own start (which it must wait for);
   and when nothing changed, against reading the same files. */
static void bench_ready(const char *folder) {
    g_autofree char *home = g_build_filename(folder, "ready-home", NULL),
                    *known = g_build_filename(home, "state.db", NULL);
    g_autofree char *project = g_build_filename(folder, "ready", NULL);
    g_setenv("TANCHOR_HOME", home, TRUE);
    RUN(folder, TANCHOR, "import", "tide-lamp", project);
    RUN(project, TANCHOR, "configure");
    double cold = 1e9, warm = 1e9, asked = 1e9, read = 1e9;
    for (int i = 0; i < 8; ++i) {
        unlink(known); /* with what was found out about compilers */
        cold = best(cold, RUN(project, TANCHOR, "ready"));
        warm = best(warm, RUN(project, TANCHOR, "ready"));
        asked = best(asked, RUN(project, "sh", "-c", "riscv64-unknown-elf-gcc -dumpfullversion; clang -dumpversion"));
        read = best(read, RUN(project, "cat", "anchor.yaml", "setup.yaml", CATALOG "/profiles/dunlin.yaml",
                              CATALOG "/sdk/strand-2.1.0/sdk.yaml"));
    }
    printf("%-34s %10.1f ms cold, %.1f ms when nothing changed\n", "ready", cold * 1e3, warm * 1e3);
    row("ready, nothing known", cold, "s", "both compilers tell their versions", asked, 12);
    row("ready, nothing known", cold, "s", "the most that it may take", 0.100, 1);
    row("ready, nothing changed", warm, "s", "cat of the same files", read, 12);
    row("ready, nothing changed", warm, "s", "the most that it may take", 0.020, 1);
    g_unsetenv("TANCHOR_HOME");
}

/* 200 components in 10 versions each, every one needing three further down in ranges: a choice that can be made only far from
   the newest, and one that cannot be made at all. Against reading the same as text. */
static void bench_resolver(const char *folder) {
    (void)folder;
    enum { COMPONENTS = 200, VERSIONS = 10, NEEDS = 3 };
    struct arena *arena = arena_new();
    struct candidates *packages = arena_alloc(arena, COMPONENTS * sizeof *packages);
    g_autoptr(GString) text = g_string_new(NULL);
    for (int c = 0; c < COMPONENTS; ++c) {
        packages[c] = (struct candidates){arena_printf(arena, "c%03d", c),
                                          arena_alloc(arena, VERSIONS * sizeof(struct candidate)), VERSIONS};
        for (int v = 0; v < VERSIONS; ++v) {
            int number = VERSIONS - v;
            struct candidate *candidate = &packages[c].items[v];
            candidate->version = arena_printf(arena, "%d.0.0", number);
            candidate->needs.items = arena_alloc(arena, NEEDS * sizeof(struct need));
            g_string_append_printf(text, "component: c%03d\nversion: %d.0.0\nneeds:\n", c, number);
            for (int n = 1; n <= NEEDS && c + n < COMPONENTS; ++n) {
                /* Each version wants one that is no newer and not much older, so that what holds is decided at the end. */
                const struct need need = {arena_printf(arena, "c%03d", c + n),
                                          arena_printf(arena, ">=%d <%d", number > 2 ? number - 1 : 1, number + 1)};
                candidate->needs.items[candidate->needs.count++] = need;
                g_string_append_printf(text, "  %s: \"%s\"\n", need.name, need.range);
            }
        }
    }
    double took[2], read = 1e9;
    for (int impossible = 0; impossible < 2; ++impossible) {
        const struct requirement roots[] = {{"it", "c000", ">=5", false},
                                            {"it", "c199", impossible ? "<1" : "<6", false},
                                            {"it", "c100", ">=4", false}};
        struct resolution resolution;
        took[impossible] = 1e9;
        for (int i = 0; i < 5; ++i) {
            struct arena *own = arena_new();
            double start = now_s();
            if (resolve(own, packages, COMPONENTS, roots, 3, &resolution, NULL) || resolution.found == impossible)
                exit(3);
            took[impossible] = best(took[impossible], now_s() - start);
            arena_free(own);
        }
    }
    for (int i = 0; i < 5; ++i) { /* as a parser would have to, letter by letter, into words */
        double start = now_s();
        g_auto(GStrv) words = g_strsplit_set(text->str, " \n", -1);
        volatile guint count = g_strv_length(words);
        (void)count;
        read = best(read, now_s() - start);
    }
    row("resolver, 2,000 versions", took[0], "s", "their text split into words", read, 20);
    row("resolver, nothing fits", took[1], "s", "their text split into words", read, 20);
    row("resolver, the slower of both", best(1e9, took[0] > took[1] ? took[0] : took[1]), "s",
        "the most that it may take", 0.2, 1);
    arena_free(arena);
}

static void bench_import(const char *folder) {
    g_autofree char *large = g_build_filename(folder, "large", NULL);
    g_autofree char *copy = g_build_filename(folder, "copy", NULL);
    double imported = 1e9, copied = 1e9, unpacked = 1e9, plain = 1e9;
    make_large_project(large);
    RUN(folder, "tar", "cf", "large.tar", "large");
    for (int i = 0; i < 8; ++i) {
        copied = best(copied, RUN(folder, "cp", "-r", large, copy));
        folder_remove(copy);
        imported = best(imported, RUN(folder, TANCHOR, "import", large, copy));
        folder_remove(copy);
        folder_make(copy, NULL);
        plain = best(plain, RUN(copy, "tar", "xf", "../large.tar"));
        folder_remove(copy);
        unpacked = best(unpacked, RUN(folder, TANCHOR, "import", "large.tar", copy));
        folder_remove(copy);
    }
    row("import, 5,000 files from a folder", imported, "s", "cp -r", copied, 1.5);
    row("import, 5,000 files from a .tar", unpacked, "s", "tar x", plain, 1.5);
    folder_remove(large);
}

/* An archive of a GiB: what it takes must not grow with it. */
static void bench_import_memory(const char *folder) {
    g_autofree char *big = g_build_filename(folder, "big", NULL);
    g_autofree char *manifest = g_build_filename(big, "anchor.yaml", NULL);
    struct used used;
    folder_make(big, NULL);
    g_file_set_contents(manifest,
                        "project: big\nversion: 1.0.0\ntitle: big\nneeds:\n  sdk: {strand: \"2.1\"}\nsources: []\n", -1,
                        NULL);
    RUN(big, "dd", "if=/dev/urandom", "of=chart.dat", "bs=1M", "count=1024");
    RUN(folder, "tar", "cf", "big.tar", "big");
    folder_remove(big);
    run(folder, &used, (const char *const[]){TANCHOR, "import", "big.tar", NULL});
    row("resident memory, import of a GiB", used.memory_mib, "MiB", "the most that it may take", 64, 1);
}

/* A depot of 20,000 packages, served once so that its index is known; then a search among them, against reading the index. */
static void bench_search(const char *folder) {
    enum { PACKAGES = 20000 };
    static const char *const birds[] = {"plover", "godwit", "knot", "sanderling", "whimbrel", "redshank", "avocet"};
    g_autofree char *depot = g_build_filename(folder, "depot", NULL),
                    *packages = g_build_filename(depot, "packages", NULL);
    g_autofree char *index = g_build_filename(depot, "index.json", NULL),
                    *home = g_build_filename(folder, "home", NULL);
    g_autoptr(GString) text = g_string_new("{\"format\":1,\"packages\":[");
    for (int i = 0; i < PACKAGES; ++i)
        g_string_append_printf(
            text,
            "%s{\"name\":\"%s-gauge-%d\",\"kind\":\"example\",\"version\":\"1.%d.0\",\"title\":\"a gauge for the %s's "
            "mooring, row %d\",\"summary\":\"Tells how high the water stands at its place, by lamps and on the "
            "console.\","
            "\"licence\":\"Apache-2.0\",\"sha256\":\"%064d\",\"size\":%d,\"unpacked\":%d,\"needs\":{\"sdk\":{"
            "\"strand\":\">="
            "2.0 <3\"},\"components\":{\"core\":\"*\",\"lamps\":\">=2.0\"},\"board\":[\"lamps 8\",\"console\"]}}",
            i ? "," : "", birds[i % 7], i, i % 9, birds[i % 7], i, i, 4000 + i, 9000 + i);
    g_string_append(text, "]}");
    folder_make(packages, NULL);
    folder_make(home, NULL);
    g_file_set_contents(index, text->str, -1, NULL);
    g_autofree char *serve = g_strdup_printf("sleep 1.1; touch '%s'; exec '%s' serve '%s'", index, DEPOT, depot);
    const char *const arguments[] = {"sh", "-c", serve, NULL};
    g_autoptr(GSubprocess) server = g_subprocess_newv(arguments, G_SUBPROCESS_FLAGS_STDOUT_PIPE, NULL);
    g_autoptr(GDataInputStream) out = g_data_input_stream_new(g_subprocess_get_stdout_pipe(server));
    g_autofree char *line = g_data_input_stream_read_line(out, NULL, NULL, NULL);
    g_setenv("TANCHOR_HOME", home, TRUE);
    RUN(folder, TANCHOR, "catalog", "use", strstr(line, "http://"));
    RUN(folder, TANCHOR, "catalog", "gauge-19999");
    double searched = 1e9, read = 1e9;
    for (int i = 0; i < 20; ++i) {
        searched = best(searched, RUN(folder, TANCHOR, "catalog", "gauge-19999"));
        read = best(read, RUN(folder, "cat", index));
    }
    row("search among 20,000 packages", searched, "s", "cat of the index", read, 7);
    g_subprocess_send_signal(server, SIGTERM);
    g_subprocess_wait(server, NULL, NULL);
    g_unsetenv("TANCHOR_HOME");
}

/* Configuring with a large catalog, against a program that only reads its files. */
static void bench_configure(const char *folder) {
    enum { SDKS = 40, COMPONENTS = 200 };
    static const char read_all[] = "cat profiles/* sdk/*/sdk.yaml components/*/component.yaml examples/*/anchor.yaml";
    g_autofree char *catalog = g_build_filename(folder, "large-catalog", NULL),
                    *project = g_build_filename(folder, "configured", NULL),
                    *home = g_build_filename(folder, "configure-home", NULL);
    RUN(folder, "cp", "-r", CATALOG, catalog);
    for (int i = 0; i < SDKS; ++i) {
        g_autofree char *script =
            g_strdup_printf("mkdir sdk/strand-2.2.%d && sed 's/^version:.*/version: 2.2.%d\\nlike: 2.1.0/' "
                            "sdk/strand-2.1.0/sdk.yaml > sdk/strand-2.2.%d/sdk.yaml",
                            i, i, i);
        RUN(catalog, "sh", "-c", script);
    }
    for (int i = 0; i < COMPONENTS; ++i) {
        g_autofree char *below = g_strdup_printf("%s/components/gauge-%d-1.0.%d", catalog, i, i),
                        *file = g_build_filename(below, "component.yaml", NULL),
                        *text = g_strdup_printf("component: gauge-%d\nversion: 1.0.%d\nsummary: a gauge\n"
                                                "sdk: {strand: '>=2.0 <3'}\nsources: [gauge.c]\n",
                                                i, i);
        folder_make(below, NULL);
        g_file_set_contents(file, text, -1, NULL);
    }
    g_setenv("TANCHOR_CATALOG", catalog, TRUE);
    g_setenv("TANCHOR_HOME", home, TRUE);
    RUN(folder, TANCHOR, "import", "tide-lamp", project);
    RUN(project, TANCHOR, "configure");
    double configured = 1e9, read = 1e9;
    for (int i = 0; i < 10; ++i) {
        configured = best(configured, RUN(project, TANCHOR, "configure"));
        read = best(read, RUN(catalog, "sh", "-c", read_all));
    }
    row("configure, 40 SDKs, 200 components", configured * 1e3, "ms", "cat of the same files", read * 1e3, 8);
    row("configure, 40 SDKs, 200 components", configured * 1e3, "ms", "the most that it may take", 100, 1);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
}

/* Those whose names the command line holds, or all. */
int main(int argc, char **argv) {
    static const struct {
        const char *name;
        void (*run)(const char *folder);
    } all[] = {
        /* The harts first: what a child takes of memory is measured, and it begins with what this process takes. */
        {"harts", bench_harts},   {"chain", bench_chain},       {"builds", bench_builds},
        {"large", bench_large},   {"example", bench_example},   {"screens", bench_screens},
        {"ready", bench_ready},   {"resolver", bench_resolver}, {"configure", bench_configure},
        {"search", bench_search}, {"import", bench_import},     {"memory", bench_import_memory}};
    g_autofree char *folder = g_dir_make_tmp("tanchor-bench-XXXXXX", NULL);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    for (size_t i = 0; i < G_N_ELEMENTS(all); ++i)
        if (argc < 2 || g_strv_contains((const char *const *)argv, all[i].name))
            all[i].run(folder);
    folder_remove(folder);
    return over_limit ? 1 : 0;
}
