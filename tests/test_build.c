/* Builds: the parts that compute alone, then the tool on whole projects. */
#include "support.h"

#include "base/arena.h"
#include "base/digest.h"
#include "core/plan/dependencies.h"
#include "core/plan/graph.h"
#include "core/plan/messages.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

/* The graph. */

#define TEXTS(...)                                                                                                     \
    { (const char *[]){__VA_ARGS__}, sizeof((const char *[]){__VA_ARGS__}) / sizeof(char *) }

START_TEST(actions_need_those_that_make_what_they_read) {
    struct arena *arena = arena_new();
    const struct texts ready = TEXTS("board.h");
    struct action actions[] = {
        {.kind = ACTION_GENERATE, .name = "board.h", .outputs = TEXTS("board.h")},
        {.kind = ACTION_COMPILE, .name = "a.c", .inputs = TEXTS("a.c"), .outputs = TEXTS("a.o"), .ready = &ready},
        {.kind = ACTION_COMPILE, .name = "b.c", .inputs = TEXTS("b.c"), .outputs = TEXTS("b.o"), .ready = &ready},
        {.kind = ACTION_LINK,
         .name = "x.elf",
         .inputs = TEXTS("a.o", "b.o", "libc.a"),
         .outputs = TEXTS("x.elf", "x.map")},
        {.kind = ACTION_CONVERT, .name = "x.bin", .inputs = TEXTS("x.elf"), .outputs = TEXTS("x.bin")},
    };
    struct plan plan = {.actions = actions, .count = G_N_ELEMENTS(actions)};
    struct ta_problem why;
    ck_assert_int_eq(plan_connect(arena, &plan, &why), TA_OK);
    ck_assert_uint_eq(actions[0].need_count, 0);
    ck_assert_uint_eq(actions[1].need_count, 1);
    ck_assert_uint_eq(actions[3].need_count, 2);
    ck_assert_uint_eq(actions[3].needs[1], 2);
    ck_assert_uint_eq(actions[4].needs[0], 3);
    const double seconds[] = {1, 2, 8, 4, 1};
    double weights[5];
    plan_weigh(&plan, seconds, weights);
    ck_assert_double_eq(weights[4], 1);
    ck_assert_double_eq(weights[3], 5);
    ck_assert_double_eq(weights[2], 13); /* the longest way to the end begins with b.c */
    ck_assert_double_eq(weights[1], 7);
    ck_assert_double_eq(weights[0], 14);
    actions[2].outputs = actions[1].outputs;
    ck_assert_int_eq(plan_connect(arena, &plan, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "a.c and b.c would make one file, a.o");
    arena_free(arena);
}
END_TEST

/* What compilers write. */

static void collect(void *with, const char *name) {
    g_string_append_printf(with, "[%s]", name);
}

static void collect_hidden(void *with, const char *name, bool looked_for) {
    g_string_append_printf(with, "%c%s;", looked_for ? '?' : '=', name);
}

START_TEST(rules_of_compilers_are_read) {
    static const struct {
        const char *rule, *names;
    } cases[] = {
        {"object: a.c b.h \\\n  c.h\n", "[a.c][b.h][c.h]"},
        {"object: with\\ blank.c x\\#y.h a$$b.h\n", "[with blank.c][x#y.h][a$b.h]"},
        {"object: two\\\\\\ slashes.c end\\\\ next", "[two\\ slashes.c][end\\][next]"},
        {"object:", ""},
        {"object: a\\", "[a\\]"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        g_autoptr(GString) names = g_string_new(NULL);
        size_t length = strlen(cases[i].rule);
        g_autofree char *buffer = g_malloc(length + 1), *exact = g_memdup2(cases[i].rule, length);
        ck_assert(dependencies_read(exact, length, buffer, collect, names));
        ck_assert_str_eq(names->str, cases[i].names);
    }
    char buffer[64];
    ck_assert(!dependencies_read("other: a.c", 10, buffer, collect, NULL));
    ck_assert(!dependencies_read("obj", 3, buffer, collect, NULL));
    static const char source[] =
        "x: .incbin \"a b.dat\"\n  .include \"more.s\"\n#if __has_include(<tide.h>)\n"
        "asm(\".incbin \\\"sound.raw\\\"\"); .incbin noquote\n .included __has_include(NAME) .incbin \"open";
    g_autoptr(GString) hidden = g_string_new(NULL);
    g_autofree char *room = g_malloc(sizeof source);
    dependencies_scan(source, sizeof source - 1, room, collect_hidden, hidden);
    ck_assert_str_eq(hidden->str, "=a b.dat;=more.s;?tide.h;=sound.raw;");
}
END_TEST

START_TEST(messages_are_taken_apart) {
    static const char said[] =
        "In file included from src/main.c:3:\n"
        "src/main.c: In function 'main':\n"
        "\033[01m\033[Ksrc/main.c:12:5:\033[m\033[K \033[01;35m\033[Kwarning: \033[m\033[Kunused variable 'x' "
        "[\033[01;35m\033[K-Wunused-variable\033[m\033[K]\n"
        "   12 |     int x; /* error: not one */\n"
        "src/with blank.c:7:1: fatal error: no.h: No such file or directory\n"
        "src/a.S:4: Error: unrecognized opcode `fly a0'\n"
        "/usr/bin/ld: out/main.o: in function `main':\n"
        "src/main.c:9: undefined reference to `sails'\n"
        "ld.lld: error: undefined symbol: sails\n"
        ">>> referenced by main.c:9\n"
        "src/b.c:1:2: note: declared here\n"
        "collect2: error: ld returned 1 exit status\n"
        ": error: nobody\nx: error: ";
    static const struct message expected[] = {
        {"src/main.c", 12, 5, SEVERITY_WARNING, "unused variable 'x'", "-Wunused-variable"},
        {"src/with blank.c", 7, 1, SEVERITY_ERROR, "no.h: No such file or directory", NULL},
        {"src/a.S", 4, 0, SEVERITY_ERROR, "unrecognized opcode `fly a0'", NULL},
        {"src/main.c", 9, 0, SEVERITY_ERROR, "undefined reference to `sails'", NULL},
        {"ld.lld", 0, 0, SEVERITY_ERROR, "undefined symbol: sails", NULL},
        {"src/b.c", 1, 2, SEVERITY_NOTE, "declared here", NULL},
        {"collect2", 0, 0, SEVERITY_ERROR, "ld returned 1 exit status", NULL},
    };
    struct arena *arena = arena_new();
    size_t count;
    struct message *found = messages_read(arena, said, &count);
    ck_assert_uint_eq(count, G_N_ELEMENTS(expected));
    for (size_t i = 0; i < count; ++i) {
        ck_assert_str_eq(found[i].file, expected[i].file);
        ck_assert_uint_eq(found[i].line, expected[i].line);
        ck_assert_uint_eq(found[i].column, expected[i].column);
        ck_assert_int_eq((int)found[i].severity, (int)expected[i].severity);
        ck_assert_str_eq(found[i].text, expected[i].text);
        ck_assert_pstr_eq(found[i].option, expected[i].option);
    }
    ck_assert_ptr_nonnull(messages_read(arena, "", &count));
    ck_assert_uint_eq(count, 0);
    arena_free(arena);
}
END_TEST

/* Whole projects. */

/* How many files a build compiled. */
static int64_t compiles(const char *project) {
    struct ran ran = tanchor(project, "build", "--json", "--no-cache");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    const char *fact = strstr(ran.out, "\"compiled\": ");
    return g_ascii_strtoll(fact + strlen("\"compiled\": "), NULL, 10);
}

/* What can change without a time stamp telling of it. */
START_TEST(contents_decide_and_not_times) {
    static const char *const compilers[] = {"gcc", "clang"};
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        char *project = gauge(compilers[i], compilers[i]), *source = below(project, "src/main.c");
        char *header = below(project, "second/tide.h");
        ck_assert_int_ge(compiles(project), 5);
        ck_assert_int_eq(compiles(project), 0);
        int64_t then = time_of(header);
        write_text(header, "#define TIDE 2\n"); /* as long as before, and as old */
        set_time(header, then);
        struct ran ran = tanchor(project, "build", "--plan");
        expect_row(ran, "compile", "src/main.c", "second/tide.h changed"); /* the header, not what includes it */
        ck_assert_int_eq(compiles(project), 1);
        write_text(header, "#define TIDE 2\n");
        set_time(source, 1000000000); /* long ago, and the same */
        ck_assert_int_eq(compiles(project), 0);
        set_time(header, then + G_GINT64_CONSTANT(1000000000) * 1000000); /* from the future */
        ck_assert_int_eq(compiles(project), 0);
        write_text(header, "#define TIDE 3\n");
        ck_assert_int_eq(compiles(project), 1);
        write_text(below(project, "first/tide.h"), "#define TIDE 4\n"); /* hides the other */
        ck_assert_int_eq(compiles(project), 1);
        write_text(below(project, "src/tide.h"), "#define TIDE 5\n"); /* hides both */
        ck_assert_int_eq(compiles(project), 1);
        ck_assert_int_eq(compiles(project), 0);
        g_unlink(below(project, "src/tide.h"));
        ck_assert_int_eq(compiles(project), 1);
        write_text(below(project, "first/lamps.h"), "\n"); /* strand/lamps.h is another */
        write_text(below(project, "first/unused.h"), "\n");
        ck_assert_int_eq(compiles(project), 0);
        write_text(below(project, "first/strand/lamps.h"), "#include <stdint.h>\n");
        ck_assert_int_eq(compiles(project), 2); /* the SDK's own source reads it, too */
        shell("rm -r */first/strand");
        ck_assert_int_eq(compiles(project), 2);
        edit(source, "int main", "#if __has_include(\"surge.h\")\n#include \"surge.h\"\n#endif\nint main");
        ck_assert_int_eq(compiles(project), 1);
        ck_assert_int_eq(compiles(project), 0);
        write_text(below(project, "first/surge.h"), "#define SURGE\n"); /* what was looked for */
        ck_assert_int_eq(compiles(project), 1);
        write_text(below(project, "data/table.bin"), "one");
        edit(
            source, "int main",
            "__asm__(\".section .rodata\\n.global table\\ntable: .incbin \\\"data/table.bin\\\"\\n.text\");\nint main");
        ck_assert_int_eq(compiles(project), 1);
        write_text(below(project, "data/table.bin"), "two"); /* which no compiler tells of */
        ck_assert_int_eq(compiles(project), 1);
        edit(below(project, "anchor.yaml"), "include: [first", "defines: [\"HIGH=2\"]\ninclude: [first");
        ck_assert_int_ge(compiles(project), 5);
        edit(below(project, "anchor.yaml"), "[first, second]", "[second, first]");
        ck_assert_int_ge(compiles(project), 5);
    }
}
END_TEST

/* A compiler of this computer, in a script's hands: CASE is what a shell does before it calls the real one, with "$*" its arguments. */
static void wrap_compiler(const char *name, const char *script) {
    g_autofree char *real = g_find_program_in_path(name);
    g_autofree char *folder = g_path_get_dirname(real);
    if (!strcmp(folder, test_path("bin"))) { /* wrapped already */
        g_autofree char *path = g_strndup(g_getenv("PATH") + strlen(folder) + 1, strlen(g_getenv("PATH")));
        g_setenv("PATH", path, TRUE);
        wrap_compiler(name, script);
        return;
    }
    g_autofree char *path = g_strdup_printf("%s:%s", test_path("bin"), g_getenv("PATH"));
    g_autofree char *text = g_strdup_printf("#!/bin/sh\n%s\nexec %s \"$@\"\n", script, real);
    write_text(test_path("bin/%s", name), text);
    ck_assert_int_eq(g_chmod(test_path("bin/%s", name), 0755), 0);
    g_setenv("PATH", path, TRUE);
}

/* What comes of a compiler that misbehaves is one line, and nothing half written. */
START_TEST(compilers_that_misbehave_are_told_in_a_line) {
    static const struct {
        const char *script, *said, *fix;
    } cases[] = {
        {"case \"$*\" in *src/main.c*) kill -SEGV $$ ;; esac", "src/main.c: the compiler was ended by signal 11", ""},
        {"case \"$*\" in *src/main.c*) sleep 6173 & sleep 6173 ;; esac",
         "src/main.c: the compiler was still at work after 1 s", "raise compile-seconds in preferences.yaml"},
        {"case \"$*\" in *src/main.c*) exit 0 ;; esac", "src/main.c: the compiler did not say what it read", ""},
        {"case \"$*\" in *src/main.c*) for o; do case $o in *.d.part) echo \"object: src/main.c\" >$o ;; esac; done; "
         "exit 0 ;; esac",
         "src/main.c: the compiler wrote no out/", ""},
        {"case \"$*\" in *src/main.c*) exit 3 ;; esac", "compile     src/main.c", "see the compiler's messages above"},
        {"case \"$*\" in *src/main.c*) yes 'src/main.c:1:1: error: no' | head -c 20000000 >&2; exit 1 ;; esac",
         "src/main.c: ", "correct src/main.c:1:1: no"},
    };
    write_text(test_path("home/preferences.yaml"), "compile-seconds: 1\n");
    char *project = gauge("gauge", "gcc");
    expect_done(tanchor(project, "build"));
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        wrap_compiler("riscv64-unknown-elf-gcc", cases[i].script);
        g_autofree char *text = g_strdup_printf("int number_%zu; int main(void) { for (;;); }\n", i);
        write_text(below(project, "src/main.c"), text);
        gint64 start_us = g_get_monotonic_time();
        shell("cd gauge/out/dunlin-gcc/obj/*/src && cp main.c.o main.c.o.part && echo 'object: src/main.c' "
              ">main.c.d.part");
        struct ran ran = tanchor(project, "build"); /* what a killed one left is nobody's output */
        ck_assert_msg(ran.code == 1, "%zu: %d %s%s", i, ran.code, ran.out, ran.err);
        ck_assert_msg(strstr(ran.out, cases[i].said) || strstr(ran.err, cases[i].said), "%zu: %s%.2000s", i, ran.out,
                      ran.err);
        ck_assert_msg(strstr(ran.out, cases[i].fix) || strstr(ran.err, cases[i].fix), "%zu: %s%.2000s", i, ran.out,
                      ran.err);
        ck_assert_int_lt(strlen(ran.err), 200000);
        ck_assert_int_lt(g_get_monotonic_time() - start_us, 20 * G_USEC_PER_SEC);
        shell("! find gauge/out -name '*.part' | grep . && ! pgrep -f 'sleep 617[3]'");
    }
    wrap_compiler("riscv64-unknown-elf-gcc", "");
    expect_done(tanchor(project, "build"));
}
END_TEST

/* A replaced compiler compiles all again, though it tells the same version. */
START_TEST(another_compiler_of_the_same_version_counts) {
    wrap_compiler("riscv64-unknown-elf-gcc", "");
    char *project = gauge("gauge", "gcc");
    int64_t all = compiles(project);
    ck_assert_int_eq(compiles(project), 0);
    wrap_compiler("riscv64-unknown-elf-gcc", "true");
    ck_assert_int_eq(compiles(project), all);
}
END_TEST

/* Also when what is generated is generated for the first time. */
START_TEST(each_source_is_compiled_once) {
    wrap_compiler("riscv64-unknown-elf-gcc", "case \"$*\" in *\" -c \"*) echo \"$*\" >>out/dunlin-gcc/calls ;; esac");
    char *project = gauge("gauge", "gcc");
    expect_shown(tanchor(project, "build", "--no-cache"), "6 of 6 files");
    shell("test $(wc -l <gauge/out/dunlin-gcc/calls) = 6");
}
END_TEST

START_TEST(names_may_hold_anything_that_is_safe) {
    static const char *const names[] = {
        "two words",         "it's", "say \"high\"", "a,b",      "ebb&flow;", "tide$HOME", "-o",  "-Wl,-e",
        "\xc3\xa9t\xc3\xa9", "100%", "a\\b",         "(spring)", "#1",        "x=y",       "a:b", "`ls`"};
    for (int clang = 0; clang < 2; ++clang) {
        char *project = gauge(clang ? "with clang, too" : "with gcc's", clang ? "clang" : "gcc");
        for (size_t i = 0; i < G_N_ELEMENTS(names); ++i) {
            g_autofree char *text =
                g_strdup_printf("#include \"%s.h\"\nint value_%zu = TIDE_%zu;\n", i == 10 ? "plain" : names[i], i, i);
            g_autofree char *header = g_strdup_printf("#define TIDE_%zu %zu\n", i, i);
            write_text(test_path("%s/src/%s.c", strrchr(project, '/') + 1, names[i]), text);
            write_text(test_path("%s/second/%s.h", strrchr(project, '/') + 1, i == 10 ? "plain" : names[i]), header);
        }
        /* A '"' cannot stand in the name of an #include with quotes. */
        write_text(test_path("%s/src/say \"high\".c", strrchr(project, '/') + 1), "int value_2 = 2;\n");
        struct ran ran = tanchor(project, "build");
        ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
        ck_assert_int_eq(compiles(project), 0);
        write_text(test_path("%s/second/two words.h", strrchr(project, '/') + 1), "#define TIDE_0 7\n");
        ck_assert_int_eq(compiles(project), 1);
        expect_shown(tanchor(project, "show"), "as in the project now");
    }
    /* A folder as deep as the system takes. */
    g_autoptr(GString) deep = g_string_new("deep");
    for (int i = 0; i < 12; ++i)
        g_string_append_printf(deep, "/%0100d", i);
    char *project = gauge(deep->str, "gcc");
    expect_done(tanchor(project, "build"));
    g_autofree char *longest = g_strnfill(240, 'n');
    write_text(test_path("%s/src/%s.c", deep->str, longest), "int n;\n");
    expect_done(tanchor(project, "build"));
}
END_TEST

START_TEST(bad_sources_are_told_in_a_line) {
    char *project = gauge("gauge", "gcc"), *manifest = below(project, "anchor.yaml");
    expect_done(tanchor(project, "build"));
    char *whole = read_text(manifest);
    static const struct {
        const char *sources, *said;
    } cases[] = {
        {"sources: [src/none.c]", "src/none.c does not exist"},
        {"sources: [src]", "src is not a regular file"},
        {"sources: [\"none/*.c\"]", "none/*.c matches no file"},
        {"sources: [../outside.c]", "leads out of the project"},
        {"sources: [src/main.c, strand/core/clock.c]", "would make one file"},
        {"sources: [src/@file.c]", "compilers take for one of options"},
    };
    write_text(test_path("outside.c"), "int x;\n");
    write_text(below(project, "strand/core/clock.c"), "int x;\n");
    write_text(below(project, "src/@file.c"), "int x;\n");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        write_text(manifest, whole);
        edit(manifest, "sources: [\"src/*.c\"]", cases[i].sources);
        struct ran ran = tanchor(project, "build");
        expect_refusal(ran, 1, cases[i].said);
    }
    write_text(manifest, whole);
    g_unlink(below(project, "src/@file.c"));
    if (geteuid()) {
        g_chmod(below(project, "src/main.c"), 0);
        ck_assert_int_eq(tanchor(project, "build").code, 1);
        g_chmod(below(project, "src/main.c"), 0644);
    }
    write_text(below(project, "second/tide.h"), "#include \"tide.h\"\n"); /* for ever */
    struct ran ran = tanchor(project, "build");
    ck_assert_int_eq(ran.code, 1);
    expect_shown(ran, "problem  compile     ");
    write_text(below(project, "second/tide.h"), "#define TIDE 1\n");
    /* The first error goes first, and --keep-going compiles the rest. */
    write_text(below(project, "src/a.c"), "int a = ;\n");
    write_text(below(project, "src/b.c"), "int b; static int unused;\n");
    write_text(below(project, "src/c.c"), "int c = nothing;\n");
    ran = tanchor(project, "build", "--jobs", "1");
    ck_assert_msg(ran.code == 1 && strstr(ran.out, ": 1 error") && !strstr(ran.out, "src/b.c"), "%s", ran.out);
    ran = tanchor(project, "build", "--keep-going", "--json");
    ck_assert_int_eq(ran.code, 1);
    const char *first = strstr(ran.out, "\"severity\": "), *error = strstr(ran.out, "\"severity\": \"error\"");
    ck_assert_msg(first && first == error && strstr(ran.out, "src/a.c: 1 error; src/c.c: 1 error; src/b.c: 1 warning"),
                  "%s", ran.out);
    g_unlink(below(project, "src/a.c"));
    g_unlink(below(project, "src/c.c"));
    ran = tanchor(project, "build");
    expect_shown(ran, "src/b.c: 1 warning"); /* it was not compiled now */
    shell("rm gauge/out/dunlin-gcc/gauge.elf && mkdir gauge/out/dunlin-gcc/gauge.elf");
    struct ran folder = tanchor(project, "build");
    ck_assert_int_eq(folder.code, 3);
    ck_assert_msg(strstr(folder.err, "gauge.elf: Is a directory; move the folder away that is in its place"), "%s",
                  folder.err);
    shell("rmdir gauge/out/dunlin-gcc/gauge.elf && ! find gauge/out -name '*.part' | grep .");
    ck_assert_ptr_nonnull(strstr(ran.err, "-Wunused-variable"));
    shell("! find gauge/out -name 'a.c.o' -o -name 'c.c.o' | grep .");
}
END_TEST

/* The cache of objects. */
START_TEST(objects_are_shared_and_nothing_wrong_is_taken) {
    g_setenv("SOURCE_DATE_EPOCH", "1000000000", TRUE); /* the two projects are made in different seconds, perhaps */
    char *one = gauge("one", "gcc"), *two = gauge("deeper/two", "gcc");
    struct ran ran = tanchor(one, "build");
    expect_shown(ran, " of 6 files");
    ran = tanchor(two, "build");
    expect_shown(ran, "6 from the cache of objects");
    ck_assert_str_eq(read_text(test_path("one/out/dunlin-gcc/gauge.map")),
                     read_text(test_path("deeper/two/out/dunlin-gcc/gauge.map")));
    shell("cmp one/out/dunlin-gcc/gauge.elf deeper/two/out/dunlin-gcc/gauge.elf");
    /* Another header of the same name, one that hides it, and another compiler. */
    write_text(test_path("deeper/two/first/tide.h"), "#define TIDE 9\n");
    expect_shown(tanchor(two, "build"), "1 of 6 files");
    g_unlink(test_path("deeper/two/first/tide.h"));
    expect_shown(tanchor(two, "build"), "1 from the cache");
    expect_done(tanchor(two, "configure", "--compiler", "clang"));
    expect_shown(tanchor(two, "build"), "6 of 6 files");
    /* What is damaged is not taken. */
    shell("for f in $(find home/cache/objects -type f ! -name size); do printf x | dd of=$f bs=1 seek=300 conv=notrunc "
          "2>/dev/null; done");
    shell("rm -r one/out one/.tanchor");
    expect_shown(tanchor(one, "build"), "6 of 6 files");
    shell("for f in $(find home/cache/objects -type f ! -name size); do : >$f; done; rm -r one/out one/.tanchor");
    expect_shown(tanchor(one, "build"), "6 of 6 files");
    /* A limit holds, the oldest go. */
    write_text(test_path("home/preferences.yaml"), "object-cache: 1 MiB\n");
    for (int i = 0; i < 12; ++i) {
        g_autofree char *text =
            g_strdup_printf("const char level[200000] = {%d};\nint main(void) { for (;;); }\n", i + 1);
        write_text(test_path("one/src/main.c"), text);
        expect_done(tanchor(one, "build"));
    }
    shell(
        "test $(du -sk home/cache/objects | cut -f1) -lt 1400 && test $(du -sk home/cache/objects | cut -f1) -gt 400");
    /* Nothing with a secret in it is kept. */
    shell("rm -r home/cache/objects");
    write_text(test_path("home/preferences.yaml"), "object-cache: 64 MiB\n");
    edit(test_path("one/anchor.yaml"),
         "sources:", "settings:\n  hail: {kind: secret, ask: the word of the hail}\nsources:");
    write_text(test_path("one/src/main.c"),
               "#include <settings.h>\nconst char *hail = SETTING_HAIL;\nint main(void) { for (;;); }\n");
    expect_done(tanchor(one, "configure", "--setting", "hail=ebb-and-flow-77"));
    expect_done(tanchor(one, "build"));
    shell("grep -rq ebb-and-flow-77 one/out");
    shell("! grep -r ebb-and-flow-77 home/cache/objects");
}
END_TEST

START_TEST(launchers_stand_in_front_of_the_compiler) {
    char *project = gauge("gauge", "gcc");
    expect_done(tanchor(project, "build", "--no-cache"));
    shell("cp gauge/out/dunlin-gcc/gauge.elf plain.elf; cp gauge/out/dunlin-gcc/gauge.bin plain.bin");
    g_setenv("CCACHE_DIR", test_path("ccache"), TRUE);
    struct ran ran = tanchor(project, "configure", "--launcher", "ccache");
    expect_shown(ran, "/ccache stands in front of the compiler");
    for (int i = 0; i < 2; ++i) {
        expect_shown(tanchor(project, "build", "--clean", "setup"), "6 of 6 files");
        shell("cmp gauge/out/dunlin-gcc/gauge.elf plain.elf");
    }
    ran = run_program(test_folder, NULL, (const char *const[]){"ccache", "--print-stats", NULL});
    ck_assert_msg(strstr(ran.out, "direct_cache_hit\t6") || strstr(ran.out, "preprocessed_cache_hit\t6"), "%s",
                  ran.out);
    /* An engine that compiles elsewhere: here, on loopback. */
    g_setenv("DISTCC_DIR", test_path("distcc"), TRUE);
    g_setenv("DISTCC_FALLBACK", "0", TRUE);
    struct beside server = {0};
    for (int port = 47110 + getpid() % 1000, tries = 0; tries < 5; ++tries, ++port) {
        g_autofree char *number = g_strdup_printf("%d", port), *hosts = g_strdup_printf("127.0.0.1:%d", port);
        g_setenv("DISTCC_HOSTS", hosts, TRUE);
        server = run_beside(test_folder, "distccd.txt",
                            (const char *const[]){"distccd", "--daemon", "--no-detach", "--port", number, "--listen",
                                                  "127.0.0.1", "--allow", "127.0.0.1", "--enable-tcp-insecure",
                                                  "--log-stderr", NULL});
        g_usleep(500000);
        g_autofree char *said = NULL;
        if (g_file_get_contents(server.file, &said, NULL, NULL) && !strstr(said, "bind"))
            break;
        end_beside(&server, SIGTERM);
    }
    expect_done(tanchor(project, "configure", "--launcher", "distcc"));
    ran = tanchor(project, "build", "--clean", "setup");
    end_beside(&server, SIGTERM);
    ck_assert_msg(ran.code == 0, "%s%s%s", ran.out, ran.err, read_text(server.file));
    ck_assert_ptr_nonnull(strstr(read_text(server.file), "COMPILE_OK"));
    shell("cmp gauge/out/dunlin-gcc/gauge.bin plain.bin");
    ran = tanchor(project, "configure", "--launcher", "sh");
    expect_refusal(ran, 2, "--launcher: \"sh\" is not known", "none, ccache, distcc");
    expect_done(tanchor(project, "configure", "--launcher", "none"));
}
END_TEST

/* Spoils FILE, of what is remembered of PROJECT, at one place after the other. */
static void spoil(const char *project, const char *file) {
    enum { TRIES = 48, DIGEST_BYTES = 8 };
    const char *elf = below(project, "out/dunlin-gcc/gauge.elf");
    g_autofree char *image = NULL, *good = NULL;
    size_t length, image_length, after_length;
    ck_assert(g_file_get_contents(file, &good, &length, NULL));
    ck_assert(g_file_get_contents(elf, &image, &image_length, NULL));
    for (size_t i = 0; i < TRIES; ++i) {
        size_t at = i / 2 * length / (TRIES / 2);
        g_autofree char *bad = g_memdup2(good, length), *after = NULL;
        bool is_signed = i % 4 == 3; /* by somebody who wants it taken: then it may tell lies, and break nothing */
        bad[at] ^= i % 8 < 4 ? 0x5a : (char)0xff;
        if (is_signed) {
            uint64_t digest = digest_bytes(DIGEST_START, bad + DIGEST_BYTES, DIGEST_BYTES); /* what it goes on from */
            digest = digest_much(digest, bad + 2 * DIGEST_BYTES, length - 2 * DIGEST_BYTES);
            memcpy(bad, &digest, sizeof digest);
        }
        ck_assert(g_file_set_contents(file, bad, (gssize)(i % 2 ? length : at), NULL));
        struct ran ran = tanchor(project, "build", i % 3 ? NULL : "--no-cache");
        ck_assert_msg(ran.code == 0 || (is_signed && ran.code == 1), "%zu: %d %s%s", at, ran.code, ran.out, ran.err);
        if (is_signed)
            continue;
        ck_assert(g_file_get_contents(elf, &after, &after_length, NULL));
        ck_assert_msg(after_length == image_length && !memcmp(after, image, image_length), "%zu of %zu", at, length);
    }
}

/* What is remembered of a build may be cut off, or hold anything: it costs time, never what is built. */
START_TEST(damaged_memories_cost_only_time) {
    char *project = gauge("state", "gcc");
    expect_done(tanchor(project, "build"));
    g_auto(GStrv) found = g_strsplit(
        run_program(project, NULL, (const char *const[]){"/usr/bin/find", ".tanchor/build", "-name", "*-size", NULL})
            .out,
        "\n", -1);
    const char *file = below(project, found[0]);
    g_autofree char *since = g_strconcat(file, ".since", NULL);
    spoil(project, file);
    write_text(below(project, "src/main.c"), "int main(void) { return 7; }\n");
    expect_done(tanchor(project, "build"));
    ck_assert_msg(g_file_test(since, G_FILE_TEST_EXISTS), "what is new is written by itself");
    spoil(project, since);
    /* One that goes on from another is not taken. */
    g_autofree char *other = NULL;
    size_t length;
    ck_assert(g_file_get_contents(since, &other, &length, NULL));
    expect_done(tanchor(project, "build", "--clean", "setup"));
    ck_assert(!g_file_test(since, G_FILE_TEST_EXISTS));
    ck_assert(g_file_set_contents(since, other, (gssize)length, NULL));
    ck_assert(strstr(tanchor(project, "build").out, "up to date") != NULL);
}
END_TEST

/* Who may write to the cache of objects chooses what images are made of; what is no file is not waited for. */
START_TEST(a_cache_of_others_is_not_taken_from) {
    char *one = test_path("one"), *two = test_path("two");
    ck_assert_int_eq(tanchor(test_folder, "import", "first-light", "one").code, 0);
    ck_assert_int_eq(tanchor(one, "configure").code, 0);
    ck_assert_int_eq(tanchor(one, "build").code, 0);
    shell("find home -path '*/objects/*' -type f | while read entry; do rm $entry && mkfifo $entry; done && cp -r one "
          "two && rm -rf two/out");
    struct ran ran = tanchor(two, "build");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, " files\n") && !strstr(ran.out, "from the cache"), "%s%s", ran.out,
                  ran.err);
    shell("chmod 777 $(find home -type d -name objects)");
    shell("rm -rf two/out");
    ran = tanchor(two, "build");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "others may write to ") && !strstr(ran.out, "from the cache"),
                  "%s%s", ran.out, ran.err);
}
END_TEST

int main(void) {
    return run_suite(
        "build", (const TTest *const[]){
                     actions_need_those_that_make_what_they_read, rules_of_compilers_are_read, messages_are_taken_apart,
                     contents_decide_and_not_times, compilers_that_misbehave_are_told_in_a_line,
                     another_compiler_of_the_same_version_counts, each_source_is_compiled_once,
                     names_may_hold_anything_that_is_safe, bad_sources_are_told_in_a_line,
                     objects_are_shared_and_nothing_wrong_is_taken, launchers_stand_in_front_of_the_compiler,
                     damaged_memories_cost_only_time, a_cache_of_others_is_not_taken_from, NULL});
}
