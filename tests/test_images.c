/* Images: their forms, what they tell of where they came from, and that equal inputs give equal ones. */
#include "support.h"

#include "base/arena.h"
#include "core/plan/forms.h"

#include <fcntl.h>
#include <unistd.h>

/* Forms of an image. */

static const uint8_t low_bytes[] = {0x13, 0x05, 0xa0, 0x00, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17};
static const uint8_t high_bytes[] = {0xfe};
static const struct ta_segment two_segments[] = {
    {.address = 0x2000fff8, .bytes = high_bytes, .size_bytes = 1, .run_address = 0x2000fff8, .memory_bytes = 1},
    {.address = 0x1000fff8,
     .bytes = low_bytes,
     .size_bytes = sizeof low_bytes,
     .run_address = 0x1000fff8,
     .memory_bytes = 64}};
static const struct ta_image two_image = {
    .path = "two", .xlen = 32, .entry = 0x1000fff8, .segments = two_segments, .segment_count = 2};

typedef enum ta_status writer(const struct ta_image *, struct text *, struct ta_problem *);
typedef enum ta_status reader(const char *, size_t, const char *, struct arena *, struct ta_image *, bool *,
                              struct ta_problem *);

START_TEST(forms_come_back_as_they_went) {
    static const struct {
        writer *write;
        reader *read;
        const char *first, *last;
    } forms[] = {{hex_write, hex_read, ":020000041000EA\n:08FFF8001305A000010203043F\n", ":00000001FF\n"},
                 {srec_write, srec_read, "S0030000FC\nS3151000FFF81305A000", "S7051000FFF8F3\n"}};
    for (size_t i = 0; i < G_N_ELEMENTS(forms); ++i) {
        struct arena *arena = arena_new();
        struct text text = {0};
        struct ta_image back = {0};
        struct ta_problem why = {0};
        bool starts;
        ck_assert_int_eq(forms[i].write(&two_image, &text, &why), TA_OK);
        ck_assert_msg(g_str_has_prefix(text.bytes, forms[i].first) && g_str_has_suffix(text.bytes, forms[i].last), "%s",
                      text.bytes);
        ck_assert_msg(forms[i].read(text.bytes, text.length, "two", arena, &back, &starts, &why) == TA_OK, "%s",
                      why.what);
        ck_assert(starts && back.entry == two_image.entry && back.segment_count == 2);
        ck_assert_uint_eq(back.segments[0].address, 0x1000fff8);
        ck_assert_uint_eq(back.segments[0].size_bytes, sizeof low_bytes);
        ck_assert_mem_eq(back.segments[0].bytes, low_bytes, sizeof low_bytes);
        ck_assert_uint_eq(back.segments[1].bytes[0], 0xfe);
        /* Every letter of it counts, and every one that is missing at its end. */
        for (size_t at = 0; at + 1 < text.length; ++at) {
            g_autofree char *damaged = g_memdup2(text.bytes, text.length);
            damaged[at] = damaged[at] == '7' ? '8' : '7';
            bool same = damaged[at] == text.bytes[at];
            ck_assert(same || forms[i].read(damaged, text.length, "two", arena, &back, &starts, &why) == TA_E_INPUT);
            ck_assert(forms[i].read(damaged, at, "two", arena, &back, &starts, &why) == TA_E_INPUT);
        }
        text_free(&text);
        arena_free(arena);
    }
    const struct ta_segment far = {.address = UINT64_C(0x100000000), .bytes = high_bytes, .size_bytes = 1};
    const struct ta_image image = {.segments = &far, .segment_count = 1};
    struct text text = {0};
    ck_assert_int_eq(hex_write(&image, &text, NULL), TA_E_INPUT);
    ck_assert_int_eq(srec_write(&image, &text, NULL), TA_E_INPUT);
    text_free(&text);
}
END_TEST

/* Where images come from and go. */
START_TEST(images_tell_where_they_came_from) {
    char *project = tide_lamp();
    expect_done(tanchor(project, "configure"));
    expect_done(tanchor(project, "build", "--form", "hex", "--form", "srec"));
    expect_done(tanchor(project, "deploy"));
    expect_row(tanchor(project, "show", "--files"), "compile_commands.json", "generated");
    ck_assert_ptr_nonnull(strstr(read_text(below(project, "compile_commands.json")), "\"src/main.c\""));
    expect_done(tanchor(test_folder, "import", "./tide-lamp", "copy"));
    ck_assert(!g_file_test(test_path("copy/compile_commands.json"), G_FILE_TEST_IS_SYMLINK));
    static const char *const files[] = {"elf", "hex", "srec", "bin"};
    for (size_t i = 0; i < G_N_ELEMENTS(files); ++i) {
        g_autofree char *file = g_strdup_printf("out/dunlin-gcc/tide-lamp.%s", files[i]);
        struct ran ran = tanchor(project, "show", file);
        expect_row(ran, "project", "tide-lamp 1.0.0");
        expect_row(ran, "compiler", "gcc 12.2.0");
        expect_shown(ran, "files are as in the project now");
        expect_shown(tanchor(project, "deploy", file), "nothing to do, dunlin holds this image");
        ran = tanchor(project, "run", file, "--profile", "dunlin", "--for", "20ms");
        ck_assert_msg(ran.code == 0 && strstr(ran.out, "tide-lamp ready"), "%s%s", ran.out, ran.err);
    }
    expect_shown(tanchor(project, "deploy", "out/dunlin-gcc/tide-lamp.hex", "--target", "dunlin"),
                 "every byte matches");
    edit(below(project, "src/tide.h"), "TIDE_STEP_CM = 40", "TIDE_STEP_CM = 41");
    write_text(below(project, "src/new.c"), "int new_one;\n");
    struct ran ran = tanchor(project, "show", "--target", "dunlin");
    expect_row(ran, "src/tide.h", "changed");
    expect_row(ran, "src/new.c", "is new");
    expect_shown(ran, "2 of ");
    ran = tanchor(project, "show", "out/dunlin-gcc/tide-lamp.elf", "--bill", "bill.json");
    expect_shown(ran, "bill.json: 3 components, ");
    const char *bill = read_text(below(project, "bill.json"));
    ck_assert(strstr(bill, "\"spdxVersion\": \"SPDX-2.3\"") && strstr(bill, "\"relationshipType\": \"STATIC_LINK\""));
    ck_assert(strstr(bill, "\"name\": \"src/tide.c\"") && strstr(bill, "\"algorithm\": \"SHA256\""));
    shell("python3 -c 'import json; b = json.load(open(\"tide-lamp/bill.json\")); ids = {p[\"SPDXID\"] for p in "
          "b[\"packages\"]} | {b[\"SPDXID\"]};"
          "assert all(r[\"spdxElementId\"] in ids and r[\"relatedSpdxElement\"] in ids for r in b[\"relationships\"]); "
          "assert len(ids) == len(b[\"packages\"]) + 1'");
    expect_done(tanchor(project, "verify"));
    ran = tanchor(project, "show", "--memory=memory.png");
    expect_row(ran, "flash", "256 KiB");
    shell("head -c 4 tide-lamp/memory.png | grep -q PNG");
    expect_shown(tanchor(project, "build", "--plan=plan.png"), "0 of ");
    shell("head -c 4 tide-lamp/plan.png | grep -q PNG");
    edit(below(project, "src/new.c"), "int new_one;",
         "const char table[5000] = {1}; const char *use(int i) { return &table[i]; }");
    edit(below(project, "src/main.c"), "int main(void) {",
         "const char *use(int);\nint main(void) {\n    *(volatile char *)0x20000100 = *use(4);");
    ran = tanchor(project, "build");
    expect_shown(ran, "more than before");
    expect_shown(ran, "more than when it was verified");
    expect_row(tanchor(project, "show", "--memory"), "table", "flash", "new", "new");
    ran = tanchor(project, "show", "README.md");
    expect_refusal(ran, 1, "README.md: it is not an ELF file");
    ran = tanchor(project, "show", "--target", "nobody");
    expect_refusal(ran, 1, "nobody");
    ran = tanchor(test_folder, "show");
    expect_refusal(ran, 1, "has no anchor.yaml");
    ran = tanchor(test_folder, "show", "tide-lamp/out/dunlin-gcc/tide-lamp.hex");
    expect_refusal(ran, 1, "does not tell for which board it is");
    expect_done(tanchor(test_folder, "show", "tide-lamp/out/dunlin-gcc/tide-lamp.hex", "--profile", "dunlin"));
    write_text(test_path("bad.hex"), ":00000001FE\n");
    ran = tanchor(test_folder, "show", "bad.hex", "--profile", "dunlin");
    expect_refusal(ran, 1, "bad.hex:1:1: its checksum is wrong");
}
END_TEST

/* The file alone tells what it was made of, whichever linker made it; and names nothing of the computer that did. */
START_TEST(elf_files_carry_their_contents) {
    static const char *const compilers[] = {"gcc", "clang"};
    char *project = tide_lamp();
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        expect_done(tanchor(project, "configure", "--compiler", compilers[i]));
        expect_done(tanchor(project, "build"));
        g_autofree char *script = g_strdup_printf(
            "rm -r tide-lamp/.tanchor/images && cp tide-lamp/out/dunlin-%s/tide-lamp.elf alone.elf", compilers[i]);
        shell(script);
        expect_shown(tanchor(project, "show"), "all 17 files are as in the project now");
        struct ran ran = tanchor(test_folder, "show", "alone.elf", "--bill", "bill.json");
        expect_shown(ran, "3 components, 17 sources");
        const char *bill = read_text(test_path("bill.json"));
        ck_assert_ptr_nonnull(strstr(bill, "\"name\": \"strand/core/start.S\""));
        ck_assert_msg(!strstr(bill, "\"name\": \"/"), "%s", bill);
    }
}
END_TEST

/* Whoever made an image chose what it says. */
START_TEST(images_may_say_anything_of_themselves) {
    static const char *const words[] = {"project tide", "sdk strand", "compiler gcc"};
    char *project = tide_lamp();
    expect_done(tanchor(project, "configure"));
    expect_done(tanchor(project, "build"));
    for (size_t i = 0; i < G_N_ELEMENTS(words); ++i) {
        g_autofree char *script = g_strdup_printf(
            "cd tide-lamp && sed 's/%s/_%s/' out/dunlin-gcc/tide-lamp.elf > other.elf", words[i], words[i] + 1);
        shell(script);
        expect_done(tanchor(project, "show", "other.elf"));
        struct ran ran = tanchor(project, "show", "other.elf", "--bill", "bill.json");
        expect_refusal(ran, 1, "the image does not tell what it was made of");
        ck_assert(!g_file_test(below(project, "bill.json"), G_FILE_TEST_EXISTS));
    }
    write_text(test_path("secret"), "the key of the lock\n");
    shell("cd tide-lamp && mkfifo pipe && ln -s ../secret way-out && for name in $(realpath ../secret) ../secret "
          "src/../../secret way-out pipe strand/../strand-2.0.0/sdk.yaml; do "
          "printf '%064d %s\\n' 0 $name; done > contents && riscv64-unknown-elf-objcopy --update-section "
          ".tameanchor.contents=contents out/dunlin-gcc/tide-lamp.elf other.elf");
    struct ran ran = tanchor(project, "show", "other.elf");
    ck_assert_msg(ran.code == 0 && !strstr(ran.out, "changed"), "%s%s", ran.out, ran.err);
    static const char *const names[] = {"../secret", "src/../../secret", "way-out", "pipe",
                                        "strand/../strand-2.0.0/sdk.yaml"};
    for (size_t i = 0; i < G_N_ELEMENTS(names); ++i)
        expect_row(ran, names[i], "is gone");
    expect_row(ran, "/secret", "is gone");
}
END_TEST

/* What an image needs is compared with the one before for the same board and compiler. */
START_TEST(each_setup_has_its_own_image_before) {
    char *project = tide_lamp();
    expect_done(tanchor(project, "configure"));
    expect_done(tanchor(project, "build"));
    edit(below(project, "src/tide.h"), "TIDE_STEP_CM = 40", "TIDE_STEP_CM = 39");
    expect_done(tanchor(project, "build"));
    edit(below(project, "src/tide.h"), "TIDE_STEP_CM = 39", "TIDE_STEP_CM = 40");
    expect_done(tanchor(project, "verify"));
    expect_done(tanchor(project, "configure", "--compiler", "clang"));
    struct ran ran = tanchor(project, "build");
    ck_assert_msg(ran.code == 0 && !strstr(ran.out, " than "), "%s%s", ran.out, ran.err);
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    edit(below(project, "src/tide.h"), "TIDE_STEP_CM = 40", "TIDE_STEP_CM = 41");
    edit(below(project, "src/main.c"), "int main(void) {",
         "volatile char sand[64];\nint main(void) {\n    sand[1] = 1;");
    expect_shown(tanchor(project, "build"), "64 B more than before, 64 B more than when it was verified");
}
END_TEST

/* Two folders, two days, two users: the same bytes. */
START_TEST(equal_inputs_give_equal_bytes) {
    static const char *const compilers[] = {"gcc", "clang"};
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        char *here = gauge(i ? "c/here" : "here", compilers[i]);
        edit(test_path("%s/src/main.c", i ? "c/here" : "here"), "int main(void) { for (;;); }",
             "const char *volatile date = __DATE__ __TIME__ __TIMESTAMP__ __FILE__;\nint main(void) { for (;;) date = "
             "date; }\n");
        expect_done(tanchor(here, "build", "--no-cache"));
        g_autofree char *copy = g_strdup_printf(
            "mkdir -p far/off && cp -a %s far/off/there-%zu && rm -rf far/off/there-%zu/out far/off/there-%zu/.tanchor",
            i ? "c/here" : "here", i, i, i);
        shell(copy);
        char *there = test_path("far/off/there-%zu", i);
        g_autofree char *home = g_strdup_printf("TANCHOR_HOME=%s", test_path("another home %zu", i));
        const char *const other[] = {
            home, "HOME=/nonexistent", "USER=somebody", "LOGNAME=somebody", "TZ=Pacific/Auckland", "LANG=de_DE.UTF-8",
            NULL};
        ck_assert_int_eq(run_program(there, other, (const char *const[]){TANCHOR, "configure", NULL}).code, 0);
        sleep(1);
        struct ran ran = run_program(there, other, (const char *const[]){TANCHOR, "build", NULL});
        ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
        g_autofree char *compare =
            g_strdup_printf("cmp %s/out/dunlin-%s/gauge.elf far/off/there-%zu/out/dunlin-%s/gauge.elf",
                            i ? "c/here" : "here", compilers[i], i, compilers[i]);
        shell(compare);
        /* A time that is told is the one that is carried, and the date that sources see. */
        const char *const epoch[] = {"SOURCE_DATE_EPOCH=86400", NULL};
        ran = run_program(here, epoch, (const char *const[]){TANCHOR, "build", NULL});
        ck_assert_int_eq(ran.code, 0);
        expect_row(tanchor(here, "show"), "built", "1970-01-02T00:00:00Z");
        ran = run_program(here, (const char *const[]){"SOURCE_DATE_EPOCH=soon", NULL},
                          (const char *const[]){TANCHOR, "build", NULL});
        expect_refusal(ran, 2, "SOURCE_DATE_EPOCH is not a number of seconds: soon");
    }
}
END_TEST

/* A pipe in CLONE's .git with a byte in it, for programs that a repository names to take: confined, they can write nothing that would tell of
   them. */
static int open_bait(const char *clone) {
    g_autofree char *make = g_strdup_printf("mkfifo %s/.git/pipe", clone);
    shell(make);
    int pipe = open(test_path("%s/.git/pipe", clone), O_RDWR | O_NONBLOCK);
    ck_assert(pipe >= 0 && write(pipe, "x", 1) == 1);
    return pipe;
}

static void expect_untaken(int pipe) {
    char byte;
    ck_assert_msg(read(pipe, &byte, 1) == 1, "a program of the repository ran");
    close(pipe);
}

static void configure_and_build(const char *folder) {
    ck_assert_int_eq(tanchor(folder, "configure", "--compiler", "gcc", "--optimise", "size").code, 0);
    struct ran ran = tanchor(folder, "build");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
}

static void build_clone(const char *name, const char *expected) {
    g_autofree char *clone = g_strdup_printf("git clone -q origin %s", name);
    shell(clone);
    char *folder = test_path("%s/parts/lamp", name);
    configure_and_build(folder);
    if (expected)
        expect_row(tanchor(folder, "show"), "built", expected);
}

/* Two plain clones, made at different times, give equal bytes: they carry the time of their commit. Nothing of what a repository says is run
   for that. A change, or a file that is new, and the time is that of the newest file again. */
START_TEST(clones_of_a_commit_give_equal_bytes) {
    ck_assert_int_eq(tanchor(test_folder, "import", "first-light", "origin/parts/lamp").code, 0);
    shell("cd origin && printf 'out/\\n' > .gitignore && echo '* filter=own' > .gitattributes && rm -rf "
          "parts/lamp/setup.yaml && git init -q . && "
          "git add -A && GIT_COMMITTER_DATE='1000000000 +0000' git -c user.name=a -c user.email=a@b commit -q -m tide");
    build_clone("one", "2001-09-09T01:46:40Z");
    sleep(1);
    build_clone("two", "2001-09-09T01:46:40Z");
    shell("cmp one/parts/lamp/out/dunlin-gcc/first-light.elf two/parts/lamp/out/dunlin-gcc/first-light.elf");
    int bait = open_bait("one");
    shell("cd one && git config core.fsmonitor \"head -c1 $PWD/.git/pipe; false\" && git config filter.own.clean "
          "\"head -c1 $PWD/.git/pipe; cat\" && "
          "touch -d '2020-01-02 UTC' parts/lamp/src/*.c && rm -rf parts/lamp/out");
    ck_assert_int_eq(tanchor(test_path("one/parts/lamp"), "build").code, 0);
    expect_row(tanchor(test_path("one/parts/lamp"), "show"), "built", "2001-09-09T01:46:40Z");
    expect_untaken(bait);
    shell("cd one/parts/lamp && find . -path ./out -prune -o -type f -exec touch -d '2003-04-05 UTC' {} + && rm -rf "
          "out && touch new.h && touch -d '2003-04-05 UTC' new.h");
    ck_assert_int_eq(tanchor(test_path("one/parts/lamp"), "build").code, 0);
    expect_row(tanchor(test_path("one/parts/lamp"), "show"), "built", "2003-04-05T00:00:00Z");
    /* A commit that is not there is not fetched, by whatever command the repository names for that. */
    shell("git clone -q origin lacking");
    bait = open_bait("lacking");
    shell("cd lacking && git config core.repositoryformatversion 1 && git config extensions.partialClone far && "
          "git config remote.far.promisor true && git config protocol.ext.allow always && "
          "git config remote.far.url \"ext::head -c1 $PWD/.git/pipe\" && rm -rf .git/objects/?? .git/objects/pack/*");
    configure_and_build(test_path("lacking/parts/lamp"));
    expect_untaken(bait);
    /* A shallow clone, whose references are packed; a working tree beside a clone. */
    shell("git clone -q --depth=1 \"file://$PWD/origin\" shallow && git -C shallow pack-refs --all");
    configure_and_build(test_path("shallow/parts/lamp"));
    expect_row(tanchor(test_path("shallow/parts/lamp"), "show"), "built", "2001-09-09T01:46:40Z");
    shell("git -C two worktree add -q ../three");
    configure_and_build(test_path("three/parts/lamp"));
    shell("cmp three/parts/lamp/out/dunlin-gcc/first-light.elf two/parts/lamp/out/dunlin-gcc/first-light.elf");
}
END_TEST

int main(void) {
    return run_suite("images",
                     (const TTest *const[]){forms_come_back_as_they_went, images_tell_where_they_came_from,
                                            elf_files_carry_their_contents, images_may_say_anything_of_themselves,
                                            each_setup_has_its_own_image_before, equal_inputs_give_equal_bytes,
                                            clones_of_a_commit_give_equal_bytes, NULL});
}
