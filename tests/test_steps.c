/* Incremental builds against builds from nothing. */
#include "support.h"

#include <glib/gstdio.h>
#include <signal.h>
#include <stdlib.h>

/* Two thousand steps of a careless developer, some of them in the middle of a build that is killed: what comes out is what a build from
   nothing gives, byte for byte. Clean builds are remembered by what they were made of, since the states come again. */

struct random {
    GRand *numbers;
    char *project;
    GHashTable *clean; /* digest of all sources: digest of the image */
    unsigned builds, killed, cleaned;
};

static const char *const texts_of_main[] = {
    "#include \"tide.h\"\nint other(void);\nint main(void) { return other() + TIDE; }\n",
    "#include \"tide.h\"\nint other(void);\nint main(void) { return other() + 2 * TIDE; }\n",
    "#include <tide.h>\n#include \"more.h\"\nint other(void);\nint main(void) { return other() + MORE + TIDE; }\n"};
static const char *const texts_of_other[] = {
    "int other(void);\nint other(void) { return 1; }\n",
    "#include \"tide.h\"\nint other(void);\nint other(void) { return TIDE; }\n"};
static const char *const texts_of_header[] = {"#define TIDE 1\n", "#define TIDE 2\n",
                                              "#include \"more.h\"\n#define TIDE MORE\n"};

static guint pick(struct random *random, guint count) {
    return (guint)g_rand_int_range(random->numbers, 0, (gint32)count);
}

static char *file_in(struct random *random, const char *name) {
    return g_build_filename(random->project, name, NULL);
}

#define ONE_OF(random, list) ((list)[pick(random, G_N_ELEMENTS(list))])

/* One thing that somebody does to a project. */
static void step_once(struct random *random) {
    static const char *const sources[] = {"src/main.c", "src/other.c", "src/renamed.c"};
    static const char *const headers[] = {"second/tide.h", "first/tide.h"};
    g_autofree char *main_c = file_in(random, sources[0]), *other = file_in(random, sources[1]),
                    *renamed = file_in(random, sources[2]);
    g_autofree char *header = file_in(random, headers[pick(random, 2)]), *more = file_in(random, "second/more.h");
    g_autofree char *setup = file_in(random, "setup.yaml"), *manifest = file_in(random, "anchor.yaml");
    gint64 then;
    switch (pick(random, 12)) {
    case 0: write_text(main_c, ONE_OF(random, texts_of_main)); break;
    case 1:
        write_text(g_file_test(renamed, G_FILE_TEST_EXISTS) ? renamed : other, ONE_OF(random, texts_of_other));
        break;
    case 2: write_text(header, ONE_OF(random, texts_of_header)); break;
    case 3: g_unlink(header); break;
    case 4: /* as old as before */
        then = time_of(main_c);
        write_text(main_c, ONE_OF(random, texts_of_main));
        set_time(main_c, then);
        break;
    case 5: set_time(main_c, (gint64)pick(random, 1000000) * 1000000000); break;
    case 6:
        if (g_file_test(other, G_FILE_TEST_EXISTS))
            ck_assert_int_eq(g_rename(other, renamed), 0);
        else
            ck_assert_int_eq(g_rename(renamed, other), 0);
        break;
    case 7: write_text(more, pick(random, 2) ? "#define MORE 5\n" : "#define MORE 6\n"); break;
    case 8:
        if (strstr(read_text(setup), "optimise: size"))
            edit(setup, "optimise: size", "optimise: speed");
        else
            edit(setup, "optimise: speed", "optimise: size");
        break;
    case 9:
        if (strstr(read_text(manifest), "HIGH=1"))
            edit(manifest, "HIGH=1", "HIGH=2");
        else
            edit(manifest, "HIGH=2", "HIGH=1");
        break;
    case 10: shell("touch random/second/*.h"); break;
    case 11: shell("find random/out -name '*.o' 2>/dev/null | head -1 | while read f; do echo x >$f; done"); break;
    }
}

static char *digest_of(const char *folder, const char *names) {
    g_autofree char *script = g_strdup_printf(
        "cd %s && cat /dev/null $(find %s -type f | sort) | sha256sum && find %s -type f | sort", folder, names, names);
    struct ran ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
    return g_compute_checksum_for_string(G_CHECKSUM_SHA256, ran.out, -1);
}

static char *image_digest(const char *project, int code) {
    g_autofree char *elf = g_build_filename(project, "out/dunlin-gcc/gauge.elf", NULL), *bytes = NULL;
    gsize length;
    if (code)
        return g_strdup("none");
    ck_assert(g_file_get_contents(elf, &bytes, &length, NULL));
    return g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)bytes, length);
}

/* What a build of the same files in a fresh folder gives: without a cache, without what was known. */
static const char *clean_image(struct random *random) {
    g_autofree char *state = digest_of(random->project, "src first second anchor.yaml setup.yaml");
    const char *known = g_hash_table_lookup(random->clean, state);
    if (known)
        return known;
    shell("rm -rf fresh && mkdir fresh && cp -a random/src random/first random/second random/anchor.yaml "
          "random/setup.yaml fresh");
    struct ran ran = tanchor(test_path("fresh"), "build", "--no-cache");
    char *image = image_digest(test_path("fresh"), ran.code);
    ++random->cleaned;
    g_hash_table_insert(random->clean, g_steal_pointer(&state), image);
    return image;
}

static void kill_a_build(struct random *random) {
    const char *const arguments[] = {TANCHOR, "build", NULL};
    struct beside build = run_beside(random->project, "killed.txt", arguments);
    g_usleep(pick(random, 60000));
    if (pick(random, 2))
        step_once(random); /* a save during the compile */
    end_beside(&build, pick(random, 2) ? SIGKILL : SIGINT);
    ++random->killed;
}

START_TEST(two_thousand_steps_give_what_a_clean_build_gives) {
    const char *said = g_getenv("TANCHOR_TEST_STEPS");
    unsigned steps = said ? (unsigned)strtoul(said, NULL, 10) : 2000;
    g_setenv("SOURCE_DATE_EPOCH", "1000000000", TRUE); /* a touch is no change here */
    struct random random = {.numbers = g_rand_new_with_seed(2111),
                            .project = gauge("random", "gcc"),
                            .clean = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free)};
    char *manifest = test_path("random/anchor.yaml");
    write_text(
        manifest,
        "project: gauge\nversion: 1.0.0\ntitle: a gauge\nneeds:\n  sdk: {strand: \">=2.0\"}\ndefines: [\"HIGH=1\"]\n"
        "sources: [\"src/*.c\"]\ninclude: [first, second]\n");
    write_text(test_path("random/src/main.c"), texts_of_main[0]);
    write_text(test_path("random/src/other.c"), texts_of_other[0]);
    expect_done(tanchor(random.project, "configure"));
    for (unsigned i = 0; i < steps; ++i) {
        step_once(&random);
        if (pick(&random, 12) == 0)
            kill_a_build(&random);
        struct ran ran = pick(&random, 4) ? tanchor(random.project, "build", "--jobs", "2")
                                          : tanchor(random.project, "build", "--no-cache");
        ck_assert_msg(ran.code <= 1, "%s%s", ran.out, ran.err);
        ++random.builds;
        g_autofree char *image = image_digest(random.project, ran.code);
        const char *clean = clean_image(&random);
        ck_assert_msg(!strcmp(image, clean), "step %u: %s, a clean build gives %s\n%s%s", i, image, clean, ran.out,
                      ran.err);
    }
    ck_assert_uint_eq(random.builds, steps);
    g_test_message("%u builds, %u killed, %u clean ones", random.builds, random.killed, random.cleaned);
    g_hash_table_unref(random.clean);
    g_rand_free(random.numbers);
}
END_TEST

int main(void) {
    return run_suite("steps", (const TTest *const[]){two_thousand_steps_give_what_a_clean_build_gives, NULL});
}
