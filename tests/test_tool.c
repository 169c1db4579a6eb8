/* The tool as people use it: what it prints, its exit codes, and what it does with bad input: one clear line, nothing
   half written. */
#include "support.h"

#include "host/files.h"

#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

START_TEST(the_whole_chain_by_hand) {
    char *project = tide_lamp();
    static const struct {
        const char *command, *says;
    } steps[] = {
        {NULL, "Next: tanchor configure"},
        {"configure", "Next: tanchor verify, or tanchor run"},
        {"ready", "ok       board       dunlin has all that is needed: lamps 8, button A, console"},
        {NULL, "Next: tanchor build"},
        {"build", "9 of 9 files"},
        {"build", "up to date, 9 files"},
        {NULL, "Next: tanchor deploy"},
        {"deploy", "every byte matches the image"},
        {NULL, "Next: tanchor verify"},
        {"verify", "5 of 5 passed"},
        {NULL, "all 5 trials passed"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(steps); ++i) {
        struct ran ran = tanchor(project, steps[i].command);
        ck_assert_msg(ran.code == 0 && strstr(ran.out, steps[i].says), "%zu: %s%s", i, ran.out, ran.err);
        ck_assert_str_eq(ran.err, "");
    }
    g_autofree char *below = g_build_filename(project, "src", NULL);
    ck_assert_ptr_nonnull(strstr(tanchor(below, NULL).out, "all 5 trials passed"));
}
END_TEST

START_TEST(demo_ends_with_every_verdict) {
    struct ran ran = tanchor(test_folder, "demo");
    static const char *const texts[] = {"import ",
                                        "configure ",
                                        "ready ",
                                        "build ",
                                        "deploy ",
                                        "run ",
                                        "verify ",
                                        "pass  lamp fills with the tide",
                                        "pass  button changes the mode",
                                        "tide 0.4 m rising"};
    ck_assert_int_eq(ran.code, 0);
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        ck_assert_msg(strstr(ran.out, texts[i]) != NULL, "%s", texts[i]);
    ran = tanchor(test_folder, "demo", "here");
    ck_assert_int_eq(ran.code, 0);
    ck_assert(g_file_test(test_path("here/tide-lamp/out/dunlin-gcc/tide-lamp.elf"), G_FILE_TEST_EXISTS));
    ran = tanchor(test_folder, "demo", "here");
    expect_refusal(ran, 1, "already exists and is not empty");
}
END_TEST

START_TEST(the_catalog_lists_and_shows) {
    struct ran ran = tanchor(test_folder, "catalog");
    ck_assert_int_eq(ran.code, 0);
    expect_row(ran, "tide-lamp", "1.0.0", "dunlin", "a lamp ring that fills with the tide");
    expect_row(ran, "strand", "2.1.0", "core, lamps, button");
    expect_row(ran, "dunlin", "1.1.0", "board", "rv32imac_zicsr_zifencei");
    ck_assert_ptr_null(strstr(ran.out, " ok "));
    static const struct {
        const char *arguments[4];
        const char *found;
    } queries[] = {
        {{"LAMP", "Tide"}, "found\": 1,"},
        {{"--kind", "sdk"}, "found\": 3,"},
        {{"--component", "button"}, "found\": 6,"},
        {{"--board", "dunlin"}, "found\": 4,"},
        {{"--kind", "board", "ring"}, "found\": 1,"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(queries); ++i) {
        const char *const *rest = queries[i].arguments;
        ran = tanchor(test_folder, "catalog", "--json", rest[0], rest[1], rest[2]);
        g_autofree char *found = g_strndup(queries[i].found, strlen(queries[i].found) - 1);
        ck_assert_msg(ran.code == 0 && strstr(ran.out, found), "%zu: %s", i, ran.out);
    }
    ran = tanchor(test_folder, "catalog", "submarine");
    expect_refusal(ran, 1, "nothing in the catalog matches");
    ran = tanchor(test_folder, "catalog", "--kind", "boat");
    expect_refusal(ran, 2, "--kind", "example, sdk, component, board, emulator or platform");
    ran = tanchor(test_folder, "catalog", "show", "tide-lamp");
    expect_row(ran, "guide", "README.md");
    expect_shown(ran, "Next: tanchor import tide-lamp");
    ran = tanchor(test_folder, "catalog", "show", "dunlin");
    expect_row(ran, "flash", "0x00400000", "256 KiB");
    ran = tanchor(test_folder, "catalog", "show", "strand@2.1.0");
    ck_assert(ran.code == 0 && strstr(ran.out, "push buttons"));
    ran = tanchor(test_folder, "catalog", "show", "strand@1.0.0");
    expect_refusal(ran, 1, "the catalog has no version 1.0.0 of strand; there is 2.1.0, 2.0.0, 1.4.0");
    ran = tanchor(test_folder, "catalog", "show", "nothing");
    expect_refusal(ran, 1, "the catalog has no \"nothing\"");
}
END_TEST

/* A catalog of one's own, with a board that lacks what the example needs. */
START_TEST(the_catalog_says_why_an_example_does_not_fit) {
    char *catalog = test_path("catalog"), *profile = test_path("catalog/profiles/dunlin.yaml");
    run_program(NULL, NULL, (const char *const[]){"cp", "-r", CATALOG, catalog, NULL});
    edit(profile, "  button A: {kind: button, device: gpio0, pin: 8, active-low: on}\n", "");
    static const char *const others[] = {"curlew", "eider", "turnstone"};
    for (size_t i = 0; i < G_N_ELEMENTS(others); ++i)
        unlink(test_path("catalog/profiles/%s.yaml", others[i]));
    g_autofree char *setting = g_strdup_printf("TANCHOR_CATALOG=%s", catalog);
    const char *const environment[] = {setting, NULL};
    struct ran ran = run_program(test_folder, environment, (const char *const[]){TANCHOR, "catalog", "tide", NULL});
    expect_row(ran, "tide-lamp", "needs button A, which dunlin does not have");
    /* behind the real one, only what that does not have counts */
    g_autofree char *both = g_strdup_printf("TANCHOR_CATALOG=%s:%s", CATALOG, catalog);
    const char *const in_order[] = {both, NULL};
    write_text(test_path("catalog/profiles/knot.yaml"), read_text(CATALOG "/profiles/dunlin.yaml"));
    edit(test_path("catalog/profiles/knot.yaml"), "profile: dunlin", "profile: knot");
    ran = run_program(test_folder, in_order, (const char *const[]){TANCHOR, "catalog", NULL});
    expect_row(ran, "tide-lamp", "dunlin, knot");
    expect_row(ran, "knot", "board");
    write_text(test_path("catalog/examples/broken/anchor.yaml"), "project: [\n");
    ran = run_program(test_folder, environment, (const char *const[]){TANCHOR, "catalog", NULL});
    ck_assert_ptr_nonnull(strstr(ran.out, "problem  example     broken"));
}
END_TEST

START_TEST(the_console_of_run_is_stdout_byte_for_byte) {
    char *project = tide_lamp_built();
    struct ran ran = tanchor(project, "run", "--for", "1100 ms");
    ck_assert_int_eq(ran.code, 0);
    ck_assert_str_eq(ran.out, "tide-lamp ready\nlow water\ntide 0.4 m rising\ntide 0.8 m rising\n");
    ck_assert_ptr_nonnull(strstr(ran.err, "1.100 s of device time"));
    ran = tanchor(project, "--quiet", "run", "--for", "10ms");
    ck_assert_str_eq(ran.err, "");
}
END_TEST

START_TEST(json_is_one_document) {
    char *project = tide_lamp_built();
    static const char *const commands[] = {"ready", "build", "deploy", "verify", "configure"};
    for (size_t i = 0; i < G_N_ELEMENTS(commands); ++i) {
        struct ran ran = tanchor(project, commands[i], "--json");
        g_autofree char *name = g_strdup_printf("\"command\": \"%s\"", commands[i]);
        ck_assert_int_eq(ran.code, 0);
        ck_assert(ran.out[0] == '{' && g_str_has_suffix(ran.out, "\n}\n"));
        ck_assert_ptr_nonnull(strstr(ran.out, name));
        ck_assert_ptr_nonnull(strstr(ran.out, "\"exit_code\": 0"));
    }
    struct ran ran = tanchor(test_folder, "import", "tide", "--json");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_ptr_nonnull(strstr(ran.out, "\"what\": \"there is no example named \\\"tide\\\"\""));
    ck_assert_str_eq(ran.err, "");
}
END_TEST

START_TEST(wrong_usage_is_exit_code_2) {
    char *project = tide_lamp();
    struct ran ran = tanchor(project, "frobnicate");
    expect_refusal(ran, 2, "there is no command \"frobnicate\"", "tanchor help");
    ran = tanchor(project, "build", "--fast");
    expect_refusal(ran, 2, "--fast");
    ran = tanchor(project, "build", "now");
    expect_refusal(ran, 2, "takes no \"now\"");
    ran = tanchor(project, "import");
    expect_refusal(ran, 2, "import needs SOURCE");
    ran = tanchor(project, "run", "--for", "soon");
    expect_refusal(ran, 2, "--for", "3s");
    ran = tanchor(project, "run", "--profile", "dunlin");
    expect_refusal(ran, 2, "go with a PROGRAM");
    ran = tanchor(project, "run", "x.elf");
    expect_refusal(ran, 2, "say what to run x.elf on", "--profile");
    ran = tanchor(project, "configure", "--optimise", "beauty");
    expect_refusal(ran, 2, "beauty", "size, speed, debug");
    ran = tanchor(test_folder, "-C", "nowhere", "build");
    expect_refusal(ran, 2, "cannot go to nowhere");
    ran = tanchor(project, "--help");
    ck_assert(ran.code == 0 && strstr(ran.out, "verify") && strstr(ran.out, "Exit codes"));
    ran = tanchor(project, "--version");
    ck_assert(ran.code == 0 && g_str_has_prefix(ran.out, "tanchor 0."));
    ran = tanchor(project, "configure", "--help");
    ck_assert(ran.code == 0 && strstr(ran.out, "--compiler"));
}
END_TEST

START_TEST(import_refuses_what_it_cannot_do_whole) {
    struct ran ran = tanchor(test_folder, "import", "tide-lmap");
    expect_refusal(ran, 1, "there is no example named \"tide-lmap\"", "did you mean tide-lamp");
    ran = tanchor(test_folder, "import", "tide-lamp@2.0.0");
    expect_refusal(ran, 1, "the catalog has no version 2.0.0 of tide-lamp; there is 1.0.0");
    ran = tanchor(test_folder, "import", "tide-lamp@latest");
    expect_refusal(ran, 1, "\"latest\" is not a version");
    ck_assert_int_eq(tanchor(test_folder, "import", "tide-lamp@1.0").code, 0);
    folder_remove(test_path("tide-lamp"));
    ran = tanchor(test_folder, "import", "zebra");
    expect_refusal(ran, 1,
                   "the catalog has: card-log, first-light, gauge-dial, hull-number, log-keys, mooring-compass, "
                   "tide-lamp, watch-board, widget-shelf");
    ran = tanchor(test_folder, "import", "./nowhere");
    expect_refusal(ran, 1, "./nowhere does not exist");
    write_text(test_path("empty/readme.txt"), "no manifest");
    ran = tanchor(test_folder, "import", "./empty", "copy");
    expect_refusal(ran, 1, "empty has neither an anchor.yaml nor C sources to draft one from");
    write_text(test_path("outer/inner/anchor.yaml"), "project: inner\n");
    ran = tanchor(test_folder, "import", "./outer", "copy");
    expect_refusal(ran, 1, "./outer/anchor.yaml:1:1: the key version is missing");
    write_text(test_path("taken/file"), "mine");
    ran = tanchor(test_folder, "import", "tide-lamp", "taken");
    expect_refusal(ran, 1, "already exists and is not empty");
    ck_assert_str_eq(read_text(test_path("taken/file")), "mine");
    ck_assert_int_eq(mkdir(test_path("vacant"), 0777), 0);
    ck_assert_int_eq(tanchor(test_folder, "import", "tide-lamp", "vacant").code, 0);
    ck_assert_int_eq(tanchor(test_folder, "import", "./vacant", "second").code, 0);
    ran = tanchor(test_folder, "import", "./vacant/src", "third");
    expect_refusal(ran, 1, "is inside a project");
    ran = tanchor(test_folder, "import", "./vacant", "vacant/src/copy");
    expect_refusal(ran, 1, "lies inside the source");
    ck_assert(!g_file_test(test_path("copy"), G_FILE_TEST_EXISTS) &&
              !g_file_test(test_path("third"), G_FILE_TEST_EXISTS));
}
END_TEST

START_TEST(choices_that_cannot_be_are_said) {
    char *project = tide_lamp_built();
    g_autofree char *setup = g_build_filename(project, "setup.yaml", NULL);
    struct ran ran = tanchor(project, "configure", "--compiler", "tcc");
    expect_refusal(ran, 2, "--compiler: \"tcc\" is not known; write gcc or clang");
    ran = tanchor(project, "configure", "--compiler", "gcc@9.1.0");
    ck_assert(ran.code == 1 &&
              strstr(ran.err, "no compiler on this computer is gcc@9.1.0 and suits tide-lamp; on this computer: gcc@"));
    ck_assert_ptr_null(strstr(strstr(ran.err, "gcc@1") + 4, "gcc@1")); /* each once */
    ran = tanchor(project, "configure", "--target", "knot");
    ck_assert(ran.code == 1 && strstr(ran.err, "there is no target \"knot\" on the bench; the bench has: dunlin"));
    edit(setup, "target: dunlin", "target: knot");
    ran = tanchor(project, "deploy");
    ck_assert(ran.code == 1);
    edit(setup, "target: knot", "target: dunlin");
    edit(setup, "profile: dunlin", "profile: plover");
    ran = tanchor(project, "build");
    expect_refusal(ran, 1, "dunlin on the bench is a dunlin, setup.yaml says plover; tanchor configure");
    edit(setup, "profile: plover", "profile: dunlin");
    edit(setup, "optimise: size", "optimise: beauty");
    ran = tanchor(project, "build");
    expect_refusal(ran, 1, "setup.yaml:12:11: optimise: \"beauty\" is not known; write one of: size, speed, debug");
    edit(setup, "optimise: beauty", "optimism: size");
    ran = tanchor(project, "build");
    expect_refusal(ran, 1, "setup.yaml:12:1: optimism: there is no such key; did you mean optimise?");
}
END_TEST

START_TEST(a_folder_without_a_project_says_where_one_is) {
    tide_lamp();
    struct ran ran = tanchor(test_folder, NULL);
    expect_refusal(ran, 1, "this folder has no anchor.yaml", "there is a project in tide-lamp");
    ran = tanchor(test_path("."), "build");
    expect_refusal(ran, 1, "there is a project in tide-lamp");
    char *lonely = test_path("lonely");
    ck_assert_int_eq(mkdir(lonely, 0777), 0);
    ran = tanchor(lonely, "build");
    expect_refusal(ran, 1, "tanchor catalog lists examples");
}
END_TEST

START_TEST(manifests_are_refused_with_their_place) {
    char *project = tide_lamp();
    g_autofree char *manifest = g_build_filename(project, "anchor.yaml", NULL);
    edit(manifest, "strand: \">=2.0 <3\"", "strand: \">=2.x\"");
    struct ran ran = tanchor(project, "configure");
    expect_refusal(
        ran, 1, "anchor.yaml:8:17: needs.sdk.strand: \">=2.x\" is not a version range; write for example \">=2.0 <3\"");
    edit(manifest, "\">=2.x\"", "\">=9\"");
    ran = tanchor(project, "configure");
    expect_refusal(ran, 1, "tide-lamp needs strand >=9 (there is 2.1.0, 2.0.0, 1.4.0)");
    edit(manifest, "\">=9\"", "\">=2.0\"");
    edit(manifest, "lamps 8", "lamps 80");
    ran = tanchor(project, "configure");
    expect_refusal(ran, 1, "no board on the bench or in the catalog has what tide-lamp needs: lamps 80");
    ran = tanchor(project, "configure", "--target", "dunlin");
    expect_refusal(ran, 1, "tide-lamp needs lamps 80, dunlin has 8");
    edit(manifest, "lamps 80", "gyroscope");
    ran = tanchor(project, "configure", "--target", "dunlin");
    expect_refusal(ran, 1, "needs gyroscope, which dunlin does not have");
    edit(manifest, "gyroscope", "lamps 8");
    edit(manifest, "core, lamps", "core, lumps");
    ran = tanchor(project, "configure");
    ck_assert(ran.code == 1 && strstr(ran.err, "tide-lamp needs lumps (no catalog has it)"));
    ran = tanchor(project, "configure", "--sdk", "tidewater");
    expect_refusal(ran, 1, "does not support the SDK \"tidewater\"");
    g_autofree char *setup = g_build_filename(project, "setup.yaml", NULL);
    ck_assert(!g_file_test(setup, G_FILE_TEST_EXISTS));
}
END_TEST

START_TEST(steps_out_of_order_name_the_missing_one) {
    char *project = tide_lamp();
    struct ran ran = tanchor(project, "build");
    expect_refusal(ran, 1, "tide-lamp is not configured yet; tanchor configure");
    ran = tanchor(project, "ready");
    ck_assert(ran.code == 1 && strstr(ran.out, "problem  setup") && strstr(ran.out, "fix: tanchor configure"));
    ck_assert_int_eq(tanchor(project, "configure").code, 0);
    ran = tanchor(project, "verify", "--as-is");
    expect_refusal(ran, 1, "dunlin holds no image; tanchor deploy");
    ran = tanchor(project, "deploy", "--as-is");
    expect_refusal(ran, 1, "tide-lamp is not built yet; tanchor build");
    ran = tanchor(project, "verify"); /* everything that is missing */
    expect_done(ran);
    expect_shown(ran, "9 files compiled, linked");
    expect_shown(ran, "5 of 5 passed");
}
END_TEST

START_TEST(source_that_does_not_compile_shows_what_the_compiler_says) {
    char *project = tide_lamp_built();
    g_autofree char *source = g_build_filename(project, "src/tide.c", NULL);
    edit(source, "uint32_t phase =", "uint32_t phase");
    struct ran ran = tanchor(project, "build");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_ptr_nonnull(strstr(ran.err, "src/tide.c:4:20: error: "));
    ck_assert_ptr_nonnull(strstr(ran.out, "problem  compile     src/tide.c: "));
    edit(source, "uint32_t phase", "int unused_one; uint32_t phase =");
    ran = tanchor(project, "build");
    ck_assert_int_eq(ran.code, 0);
    ck_assert_ptr_nonnull(strstr(ran.out, "warning  compile     1 of 9 files; src/tide.c: 1 warning"));
    g_autofree char *main_source = g_build_filename(project, "src/main.c", NULL);
    edit(main_source, "tell(tide);", "tell_all(tide);");
    edit(main_source, "static unsigned mode_index;", "static unsigned mode_index;\nvoid tell_all(struct tide);");
    ran = tanchor(project, "build");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_ptr_nonnull(strstr(ran.err, "tell_all"));
    ck_assert_ptr_nonnull(strstr(ran.out, "the image cannot be linked"));
}
END_TEST

/* What is missing comes with the component that has it; a setup that no longer does is told before anything is compiled. */
START_TEST(what_is_missing_is_named) {
    static const char *const compilers[] = {"gcc", "clang"};
    char *project = tide_lamp();
    g_autofree char *manifest = g_build_filename(project, "anchor.yaml", NULL);
    g_autofree char *source = g_build_filename(project, "src/main.c", NULL);
    edit(manifest, "components: [core, lamps, button]", "components: [core, lamps]");
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        expect_done(tanchor(project, "configure", "--compiler", compilers[i]));
        struct ran ran = tanchor(project, "build");
        ck_assert_int_eq(ran.code, 1);
        expect_shown(ran, "fix: tanchor configure --with button adds the component that has strand/button.h");
        edit(source, "#include <strand/button.h>",
             "#include <stdint.h>\nvoid strand_button_open(void);\n"
             "uint32_t strand_button_presses(void);");
        ran = tanchor(project, "build");
        ck_assert_int_eq(ran.code, 1);
        expect_shown(ran, "fix: tanchor configure --with button adds the component that has strand_button_");
        edit(source, "#include <stdint.h>\nvoid strand_button_open(void);\nuint32_t strand_button_presses(void);",
             "#include <strand/button.h>");
    }
    expect_done(tanchor(project, "configure", "--with", "button"));
    expect_done(tanchor(project, "build"));
    edit(source, "int main(void)", "int start(void)");
    struct ran ran = tanchor(project, "build");
    expect_shown(ran, "fix: define main in one of the sources that anchor.yaml lists");
    edit(source, "int start(void)", "int main(void)");
    edit(source, "#include <strand/button.h>", "#include <strand/sails.h>\n#include <strand/button.h>");
    expect_shown(tanchor(project, "build"), "fix: correct src/main.c:6:10: ");
    static const struct {
        const char *from, *to, *told;
    } changes[] = {
        {"strand: \">=2.0 <3\"", "strand: \">=2.0 <2.1\"", "strand 2.1.0 is outside >=2.0 <2.1"},
        {"clang: \">=14\"", "clang: \">=15\"", "the project needs clang >=15, setup.yaml has 14."},
        {"lamps 8,", "lamps 9,", "tide-lamp needs lamps 9, dunlin has 8"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(changes); ++i) {
        edit(manifest, changes[i].from, changes[i].to);
        ran = tanchor(project, "build");
        expect_refusal(ran, 1, changes[i].told, "tanchor configure"); /* and no word of the compiler */
        ran = tanchor(project, "ready");
        expect_shown(ran, changes[i].told);
        edit(manifest, changes[i].to, changes[i].from);
    }
}
END_TEST

START_TEST(an_image_too_large_says_by_how_much_and_why) {
    static const char *const compilers[] = {"gcc", "clang"};
    char *project = tide_lamp();
    g_autofree char *source = g_build_filename(project, "src/tide.c", NULL);
    edit(source, "#include \"tide.h\"",
         "#include \"tide.h\"\nconst char chart[300 * 1024] __attribute__((used, retain)) = {1};\n"
         "const char *chart_start(void);\nconst char *chart_start(void) { return chart; }");
    g_autofree char *main_source = g_build_filename(project, "src/main.c", NULL);
    edit(main_source, "static unsigned mode_index;", "static unsigned mode_index;\nconst char *chart_start(void);");
    edit(main_source, "strand_button_open();",
         "strand_button_open();\n    printf(\"%p\", (const void *)chart_start());");
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        ck_assert_int_eq(tanchor(project, "configure", "--compiler", compilers[i]).code, 0);
        struct ran ran = tanchor(project, "build");
        ck_assert_msg(ran.code == 1 && strstr(ran.out, "problem  flash       the image takes 31"), "%s%s", ran.out,
                      ran.err);
        ck_assert_ptr_nonnull(strstr(ran.out, "dunlin has 256 KiB: "));
        ck_assert_ptr_nonnull(strstr(ran.out, "largest: chart 300 KiB"));
    }
    edit(source, "const char chart[300 * 1024] __attribute__((used, retain)) = {1};", "char chart[80 * 1024];");
    struct ran ran = tanchor(project, "build");
    ck_assert_msg(ran.code == 1 && strstr(ran.out, "problem  ram ") && strstr(ran.out, "largest: chart 80 KiB"), "%s",
                  ran.out);
}
END_TEST

START_TEST(a_computer_without_a_cross_compiler_says_what_to_install) {
    static const char *const bare[] = {"PATH=/nowhere", NULL};
    char *project = tide_lamp();
    struct ran ran = run_program(project, bare, (const char *const[]){TANCHOR, "configure", NULL});
    expect_refusal(ran, 1, "no cross compiler for rv32imac_zicsr_zifencei is installed",
                   "sudo apt-get install gcc-riscv64-unknown-elf");
    ck_assert_int_eq(tanchor(project, "configure").code, 0);
    ran = run_program(project, bare, (const char *const[]){TANCHOR, "build", NULL});
    expect_refusal(ran, 1, "no cross compiler for", "sudo apt-get install");
    ran = run_program(project, bare, (const char *const[]){TANCHOR, "ready", NULL});
    ck_assert(ran.code == 1 && strstr(ran.out, "problem  compiler") && strstr(ran.out, "fix: sudo apt-get install"));
}
END_TEST

/* Programs on PATH that call themselves compilers. */
START_TEST(compilers_that_fail_are_no_compilers) {
    char *project = tide_lamp(), *broken = test_path("bin/riscv32-tide-elf-gcc");
    write_text(broken, "#!/bin/sh\necho 'licence expired' >&2\nexit 1\n");
    ck_assert_int_eq(chmod(broken, 0755), 0);
    g_autofree char *path = g_strdup_printf("PATH=%s", test_path("bin"));
    const char *const environment[] = {path, NULL};
    struct ran ran =
        run_program(project, environment, (const char *const[]){TANCHOR, "configure", "--compiler", "gcc", NULL});
    expect_refusal(ran, 1, "gcc 0.0.0: it does not tell its version");
    write_text(broken,
               "#!/bin/sh\ncase $1 in -dumpfullversion) echo 9.9.9;; *) echo 'licence expired' >&2; exit 1;; esac\n");
    ck_assert_int_eq(chmod(broken, 0755), 0);
    ran = run_program(project, environment, (const char *const[]){TANCHOR, "configure", "--compiler", "gcc", NULL});
    expect_refusal(ran, 1, "gcc 9.9.9: it cannot compile for rv32imac: licence expired");
}
END_TEST

START_TEST(trials_with_errors_are_refused_before_anything_runs) {
    char *project = tide_lamp_built();
    g_autofree char *trials = g_build_filename(project, "trials/words.trial", NULL);
    edit(trials, "console says", "console shouts");
    struct ran ran = tanchor(project, "verify");
    expect_refusal(ran, 1, "trials/words.trial:4:22: \"shouts\" is not allowed here; allowed here: says, matches");
    ran = tanchor(project, "ready");
    ck_assert(ran.code == 1 && strstr(ran.out, "trials/words.trial:4:22: \"shouts\""));
    edit(trials, "console shouts", "console says");
    edit(trials, "no trap", "press button Z");
    ran = tanchor(project, "verify");
    expect_refusal(ran, 1, "trials/words.trial:6:3: dunlin has no input \"button Z\"; it has: button A");
    edit(trials, "press button Z", "no trap");
    ran = tanchor(project, "verify", "nothing like this");
    expect_refusal(ran, 1, "no trial has a name like that");
}
END_TEST

/* Compilers may take minutes: what is wrong with a trial is told as soon as the first of them has begun, and nothing is linked for it. A
   file that a trial names may be one that the build makes: it is looked for when that is over, and the target keeps what it was given. */
START_TEST(trials_with_errors_end_the_build) {
    char *project = tide_lamp_built();
    g_autofree char *trials = g_build_filename(project, "trials/words.trial", NULL);
    g_autofree char *source = g_build_filename(project, "src/main.c", NULL);
    char *image = below(project, "out/dunlin-gcc/tide-lamp.elf");
    ck_assert_int_eq(tanchor(project, "verify").code, 0);
    char before[SHA256_TEXT_BYTES], after[SHA256_TEXT_BYTES];
    file_sha256(image, NULL, before, NULL);
    edit(source, "int main(void) {", "int main(void) {\n    printf(\"slack\\n\");");
    edit(trials, "console says", "console shouts");
    struct ran ran = tanchor(project, "verify");
    expect_refusal(ran, 1, "trials/words.trial:4:22: \"shouts\" is not allowed here");
    edit(trials, "console shouts", "console says");
    edit(source, "slack", "slack water");
    ran = tanchor(project, "verify", "nothing like this");
    expect_refusal(ran, 1, "no trial has a name like that");
    file_sha256(image, NULL, after, NULL);
    ck_assert_str_eq(after, before);
    edit(trials, "no trap", "screen looks like \"made.png\" within 1 %");
    ran = tanchor(project, "verify");
    expect_refusal(ran, 1, "there is no file trials/made.png");
    ran = tanchor(project, "deploy");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "nothing to do, dunlin holds this image"), "%s%s", ran.out, ran.err);
    /* Trials begin when the image is linked; they end when the build fails after that, and the target keeps what it held. */
    edit(trials, "screen looks like \"made.png\" within 1 %", "no trap");
    edit(source, "slack water", "high water");
    char *raw = below(project, "out/dunlin-gcc/tide-lamp.bin");
    remove(raw);
    write_text(below(raw, "in/the/way"), "");
    ran = tanchor(project, "verify");
    expect_refusal(ran, 3, "tide-lamp.bin: Is a directory");
    folder_remove(raw);
    ran = tanchor(project, "deploy");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "KiB to dunlin"), "%s%s", ran.out, ran.err);
    ck_assert_int_eq(tanchor(project, "verify").code, 0);
}
END_TEST

START_TEST(a_failed_trial_says_expected_seen_and_before) {
    char *project = tide_lamp_built();
    g_autofree char *trials = g_build_filename(project, "trials/words.trial", NULL);
    edit(trials, "high water", "tsunami");
    struct ran ran = tanchor(project, "verify");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_str_eq(ran.err, "");
    static const char *const texts[] = {"fail  tide is told in plain words",
                                        "trials/words.trial:4",
                                        "expected     within 5 s console says \"tsunami\"",
                                        "seen         \"tide ",
                                        "before that  ",
                                        "4 of 5 passed",
                                        "Next: look at trials/words.trial:4"};
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        ck_assert_msg(strstr(ran.out, texts[i]) != NULL, "%s: %s", texts[i], ran.out);
    ck_assert_ptr_nonnull(strstr(tanchor(project, NULL).out, "1 of 5 trials failed"));
}
END_TEST

START_TEST(a_trap_in_a_trial_is_told_by_function_and_line) {
    char *project = tide_lamp_built();
    g_autofree char *source = g_build_filename(project, "src/modes.c", NULL);
    edit(source, "return tide.level ?",
         "if (tide.level == 2)\n        *(volatile int *)0x20 = 1;\n    return tide.level ?");
    ck_assert_int_eq(tanchor(project, "build").code, 0);
    struct ran ran = tanchor(project, "verify", "button changes");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_msg(strstr(ran.out, "trap: store access fault at 0x00") ||
                      strstr(ran.out, "trap: store access fault at 0x40"),
                  "%s", ran.out);
    ck_assert_msg(strstr(ran.out, "in mark (src/modes.c:12): 0x00000020 is not memory") != NULL, "%s", ran.out);
}
END_TEST

START_TEST(programs_for_other_machines_are_refused) {
    struct ran ran = tanchor(test_folder, "run", "--profile", "dunlin", TANCHOR);
    expect_refusal(ran, 1, "it is for another machine");
    write_text(test_path("text.elf"), "not an ELF");
    ran = tanchor(test_folder, "run", "--profile", "dunlin", "text.elf");
    expect_refusal(ran, 1, "text.elf: it is not an ELF file");
    ran = tanchor(test_folder, "run", "--profile", "dunlin", "none.elf");
    expect_refusal(ran, 1, "cannot read none.elf");
    ran = tanchor(test_folder, "run", "--profile", "plover", "text.elf");
    expect_refusal(ran, 1, "there is no profile named \"plover\"", "dunlin");
    ran = tanchor(test_folder, "run", "--target", "plover", "text.elf");
    expect_refusal(ran, 1, "there is no target \"plover\" on the bench");
    char *project = tide_lamp_built();
    g_autofree char *elf = g_build_filename(project, "out/dunlin-gcc/tide-lamp.elf", NULL);
    ran = tanchor(test_folder, "run", "--profile", FIXTURES "/semihost.yaml", elf);
    expect_refusal(ran, 1, "a segment at 0x400000", "lies outside the memory of semihost");
    ck_assert_int_eq(truncate(elf, 9000), 0);
    ran = tanchor(test_folder, "run", "--profile", "dunlin", elf);
    expect_refusal(ran, 1, "it is cut off");
}
END_TEST

/* A small disk of one's own where that can be had, else a limit on file sizes; and folders that refuse to be written.
 */
START_TEST(a_full_disk_leaves_nothing_half_written) {
    char *project = tide_lamp();
    ck_assert_int_eq(tanchor(project, "configure").code, 0);
    struct ran ran =
        run_program(project, NULL, (const char *const[]){"sh", "-c", "ulimit -f 8; exec " TANCHOR " build", NULL});
    ck_assert_int_ne(ran.code, 0);
    ck_assert_int_eq(tanchor(project, "build").code, 0);
    char *home = test_path("home2");
    g_autofree char *setting = g_strdup_printf("TANCHOR_HOME=%s", home);
    const char *const environment[] = {setting, NULL};
    ck_assert_int_eq(run_program(project, environment, (const char *const[]){TANCHOR, "configure", NULL}).code, 0);
    ran = run_program(project, environment,
                      (const char *const[]){"sh", "-c", "ulimit -f 8; exec " TANCHOR " deploy", NULL});
    expect_refusal(ran, 3, "cannot write", "flash.bin", "free some space");
    ran = run_program(project, environment,
                      (const char *const[]){"sh", "-c", "ulimit -f 8; exec " TANCHOR " verify", NULL});
    expect_refusal(ran, 3, "cannot write", "flash.bin", "free some space"); /* though the trials have begun */
    g_auto(GStrv) left = files_match(home, "bench/dunlin/*");
    ck_assert(left[0] && g_str_has_suffix(left[0], "target.yaml") && !left[1]);
    ck_assert_int_eq(run_program(project, environment, (const char *const[]){TANCHOR, "deploy", NULL}).code, 0);
    ran = run_program(test_folder, NULL,
                      (const char *const[]){"sh", "-c", "ulimit -f 0; exec " TANCHOR " import tide-lamp full", NULL});
    ck_assert_int_eq(ran.code, 3);
    ck_assert(!g_file_test(test_path("full"), G_FILE_TEST_EXISTS));
    g_auto(GStrv) growing = files_match(test_folder, ".full*");
    ck_assert_ptr_null(growing[0]);
    ran = run_program(project, NULL, (const char *const[]){"sh", "-c", TANCHOR " run --for 2s > /dev/full", NULL});
    ck_assert_int_eq(ran.code, 3);
    ck_assert_ptr_nonnull(strstr(ran.err, "cannot write to stdout"));
}
END_TEST

START_TEST(folders_that_cannot_be_written_are_said) {
    struct ran ran = tanchor(test_folder, "import", "tide-lamp", "/proc/tide-lamp");
    expect_refusal(ran, 3, "/proc");
    char *project = tide_lamp();
    const char *const environment[] = {"TANCHOR_HOME=/proc/nowhere", NULL};
    ran = run_program(project, environment, (const char *const[]){TANCHOR, "configure", NULL});
    expect_refusal(ran, 3, "cannot make the folder /proc/nowhere");
    const char *const no_catalog[] = {"TANCHOR_CATALOG=/nowhere", NULL};
    ran = run_program(project, no_catalog, (const char *const[]){TANCHOR, "configure", NULL});
    expect_refusal(ran, 3, "the catalog /nowhere is not there; TANCHOR_CATALOG names it");
}
END_TEST

START_TEST(colour_is_never_the_only_carrier) {
    char *project = tide_lamp();
    struct ran ran = tanchor(project, "configure");
    ck_assert_ptr_null(strchr(ran.out, '\033'));
    g_autofree char *script = g_strdup_printf("script -qec '%s ready' /dev/null", TANCHOR);
    ran = run_program(project, NULL, (const char *const[]){"sh", "-c", script, NULL});
    ck_assert_ptr_nonnull(strstr(ran.out, "\033[32mok"));
    const char *const environment[] = {"NO_COLOR=1", NULL};
    ran = run_program(project, environment, (const char *const[]){"sh", "-c", script, NULL});
    ck_assert_ptr_null(strstr(ran.out, "\033[32m"));
}
END_TEST

/* A file that somebody names may be a pipe, a device or a link: none of them becomes something else. */
START_TEST(files_that_one_names_stay_what_they_are) {
    char *project = test_path("first-light");
    ck_assert_int_eq(tanchor(test_folder, "import", "first-light").code, 0);
    ck_assert_int_eq(tanchor(project, "configure").code, 0);
    static const char *const commands[] = {"show --bill", "build --plan=", "show --memory=", "catalog pack first-light",
                                           "bench card-out eider"};
    ck_assert_int_eq(tanchor(test_folder, "bench", "add", "eider", "--profile", "eider").code, 0);
    ck_assert_int_eq(tanchor(project, "build").code, 0);
    shell("mkfifo pipe");
    for (size_t i = 0; i < G_N_ELEMENTS(commands); ++i) {
        const char *blank = g_str_has_suffix(commands[i], "=") ? "" : " ";
        g_autofree char *script = g_strdup_printf(
            "export ASAN_OPTIONS=detect_leaks=0; " /* fonts are never freed */
            "cd %s && (cat ../pipe >../got & '%s' %s%s../pipe >said 2>&1 && wait) && test -p ../pipe && test -s ../got "
            "&& "
            "ln -sf real ../link && rm -f ../real && '%s' %s%s../link && test -L ../link && test -f ../real && "
            "'%s' %s%s/dev/null && test -c /dev/null",
            strrchr(project, '/') + 1, TANCHOR, commands[i], blank, TANCHOR, commands[i], blank, TANCHOR, commands[i],
            blank);
        shell(script);
    }
    struct ran ran = tanchor(project, "show", "--bill", "../pipe");
    ck_assert_msg(ran.code == 1 && strstr(ran.err, "../pipe has no reader"), "%s%s", ran.out, ran.err);
    ran = tanchor(project, "show", "--bill", "..");
    ck_assert_msg(ran.code == 3 && strstr(ran.err, "Is a directory"), "%s%s", ran.out, ran.err);
}
END_TEST

int main(void) {
    return run_suite("tool", (const TTest *const[]){the_whole_chain_by_hand,
                                                    demo_ends_with_every_verdict,
                                                    the_catalog_lists_and_shows,
                                                    the_catalog_says_why_an_example_does_not_fit,
                                                    the_console_of_run_is_stdout_byte_for_byte,
                                                    json_is_one_document,
                                                    wrong_usage_is_exit_code_2,
                                                    import_refuses_what_it_cannot_do_whole,
                                                    choices_that_cannot_be_are_said,
                                                    a_folder_without_a_project_says_where_one_is,
                                                    manifests_are_refused_with_their_place,
                                                    steps_out_of_order_name_the_missing_one,
                                                    source_that_does_not_compile_shows_what_the_compiler_says,
                                                    what_is_missing_is_named,
                                                    an_image_too_large_says_by_how_much_and_why,
                                                    a_computer_without_a_cross_compiler_says_what_to_install,
                                                    compilers_that_fail_are_no_compilers,
                                                    trials_with_errors_are_refused_before_anything_runs,
                                                    trials_with_errors_end_the_build,
                                                    a_failed_trial_says_expected_seen_and_before,
                                                    a_trap_in_a_trial_is_told_by_function_and_line,
                                                    programs_for_other_machines_are_refused,
                                                    a_full_disk_leaves_nothing_half_written,
                                                    folders_that_cannot_be_written_are_said,
                                                    colour_is_never_the_only_carrier,
                                                    files_that_one_names_stay_what_they_are,
                                                    NULL});
}
