/* Choosing and checking: every finding of ready has a fault that makes it and a fix that makes it go. */
#include "support.h"

#include "host/files.h"
#include "host/token.h"

#include <glib/gstdio.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

/* The mooring, configured, its hull number set. */
static char *hull_number(void) {
    expect_done(tanchor(test_folder, "import", "hull-number"));
    char *project = test_path("hull-number");
    expect_done(tanchor(project, "configure", "--setting", "hull=ES-0417"));
    return project;
}

/* Runs a fix as it stands there. */
static void do_as_told(const char *project, const char *fix) {
    g_autofree char *folder = g_path_get_dirname(TANCHOR);
    g_autofree char *script = g_strdup_printf("PATH='%s':$PATH; cd '%s' && %s", folder, project, fix);
    shell(script);
}

/* ready finds PROBLEM; after CURE it is gone. */
static void expect_cured(const char *project, const char *problem, const char *cure) {
    struct ran ran = tanchor(project, "ready");
    ck_assert_msg(ran.code == 1, "%s", ran.out);
    expect_shown(ran, problem);
    do_as_told(project, cure);
    ran = tanchor(project, "ready");
    ck_assert_msg(!strstr(ran.out, problem), "%s", ran.out);
    expect_done(ran);
}

/* The same, when ready itself says the cure. */
static void expect_fixed(const char *project, const char *problem, const char *fix) {
    struct ran ran = tanchor(project, "ready");
    expect_shown(ran, fix);
    expect_cured(project, problem, fix);
}

START_TEST(settings_are_found_wrong_and_fixed) {
    static const struct {
        const char *text, *problem, *fix;
    } cases[] = {
        {"", "setting     hull is missing: the hull number", "tanchor configure --setting hull=ES-0417"},
        {"hull=<the hull number>\n", "hull is still the template's placeholder (settings.env:1)",
         "tanchor configure --setting hull=ES-0417"},
        {"# mine\nhull=ES-0418 \n", "hull ends in a blank (settings.env:2)",
         "tanchor configure --setting hull=ES-0418"},
        {"hull= ES-0418\n", "hull begins in a blank", "tanchor ready --fix"},
        {"hull='ES-0418 '\n", "hull ends in a blank", "tanchor ready --fix"},
        {"hull=ES-12\n", "hull: \"ES-12\" does not look like ES-[0-9]{4}", "tanchor configure --setting hull=ES-0417"},
        {"hull=ES-0418\nshore=east\n", "shore: \"east\" is not one of: north, south",
         "tanchor configure --setting shore=south"},
        {"hull=ES-0418\nrange_cm=deep\n", "range_cm: \"deep\" is not a number",
         "tanchor configure --setting range_cm=90"},
        {"hull=ES-0418\nrange_cm=9000\n", "range_cm: \"9000\" is not between 50 and 1200",
         "tanchor configure --setting range_cm=1200"},
    };
    char *project = hull_number(), *file = below(project, "settings.env");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        write_text(file, cases[i].text);
        struct ran ran = tanchor(project, "ready");
        ck_assert_msg(ran.code == 1 && strstr(ran.out, cases[i].problem), "%s: %s", cases[i].text, ran.out);
        do_as_told(project, cases[i].fix);
        ran = tanchor(project, "ready");
        ck_assert_msg(ran.code == 0, "%s: %s", cases[i].text, ran.out);
    }
    write_text(file, "hull=ES-0418\nhul=ES-1\nnonsense\n");
    struct ran ran = tanchor(project, "ready");
    expect_shown(ran, "the project has no setting hul (settings.env:2)");
    expect_shown(ran, "did you mean hull?");
    expect_shown(ran, "settings.env:3 is not NAME=VALUE");
    ran = tanchor(project, "configure", "--setting", "depth=3");
    expect_refusal(ran, 1, "hull-number has no setting \"depth\"", "it asks for: hull, shore, range_cm, greeting");
    ran = tanchor(project, "configure", "--setting", "hull=ES-1");
    expect_refusal(ran, 1, "--setting hull: the value does not look like ES-[0-9]{4}");
    ran = tanchor(project, "configure", "--setting", "hull");
    expect_refusal(ran, 2, "\"hull\" has no value");
    /* An image that could not be built again is not called up to date. */
    write_text(file, "hull=ES-0418\n");
    expect_done(tanchor(project, "build"));
    expect_shown(tanchor(project, NULL), "is up to date");
    write_text(file, "");
    ran = tanchor(project, NULL);
    ck_assert_msg(!strstr(ran.out, "is up to date") && strstr(ran.out, "hull"), "%s", ran.out);
}
END_TEST

/* A token that ends SECONDS from now. */
static char *make_token(const char *component, const char *subject, const char *key, int64_t begins_s, int64_t ends_s) {
    struct token token = {.issuer = "watch",
                          .subject = (char *)subject,
                          .component = (char *)component,
                          .issued = (int64_t)time(NULL) + begins_s,
                          .not_before = (int64_t)time(NULL) + begins_s,
                          .expires = (int64_t)time(NULL) + ends_s};
    char *text = NULL;
    token.issuer = "watch";
    ck_assert_int_eq(token_sign(&token, key, &text, NULL), TA_OK);
    char *kept = test_path("%s", text) + strlen(test_folder) + 1;
    g_free(text);
    return kept;
}

static void make_key(const char *name) {
    g_autofree char *script = g_strdup_printf(
        "openssl genpkey -algorithm ed25519 -out %s.key 2>/dev/null && openssl pkey -in %s.key -pubout -out %s.pem",
        name, name, name);
    shell(script);
}

START_TEST(secrets_and_tokens) {
    enum { DAY_S = 86400 };
    make_key("watch");
    char *project = hull_number(), *file = below(project, "settings.env"), *key = test_path("watch.key");
    edit(below(project, "anchor.yaml"),
         "  greeting:", "  hail_token:\n    kind: token\n  mooring_key:\n    kind: secret\n  greeting:");
    write_text(file, "hull=ES-0417\nhail_token=abc\nmooring_key=ebb-and-flow-77\n");
    struct ran ran = tanchor(project, "ready");
    expect_shown(ran, "hail_token is not a token");
    ck_assert(!strstr(ran.out, "ebb-and-flow-77") && strstr(ran.out, "mooring_key is ****"));
    static const struct {
        int64_t begins_s, ends_s;
        const char *told;
        int code;
    } cases[] = {
        {-30 * DAY_S, -3 * DAY_S - 60, "problem  setting     hail_token expired 3 days ago", 1},
        {-30 * DAY_S, -60, "hail_token expired less than a day ago", 1},
        {DAY_S, 9 * DAY_S, "hail_token is not valid yet", 1},
        {-DAY_S, 3 * DAY_S + 60, "warning  setting     hail_token expires in 3 days", 0},
        {-DAY_S, 90 * DAY_S, "hail_token is ****", 0},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        char *token = make_token("hail", "ada", key, cases[i].begins_s, cases[i].ends_s);
        write_text(file, test_path("hull=ES-0417\nhail_token=%s\nmooring_key=ebb-and-flow-77\n", token) +
                             strlen(test_folder) + 1);
        ran = tanchor(project, "ready");
        ck_assert_msg(ran.code == cases[i].code && strstr(ran.out, cases[i].told), "%s: %s", cases[i].told, ran.out);
        ck_assert(!strstr(ran.out, token));
    }
    /* The values reach the image, and nothing else. */
    edit(below(project, "src/main.c"), "    printf(\"%s: hull",
         "    printf(\"%s\\n\", SETTING_MOORING_KEY);\n    printf(\"%s: hull");
    expect_done(tanchor(project, "build"));
    ran = tanchor(project, "run", "--for", "50ms");
    expect_shown(ran, "ebb-and-flow-77");
    ran = tanchor(project, "--json", "ready");
    ck_assert(!strstr(ran.out, "ebb-and-flow-77"));
    /* In git a secret is none. */
    shell("cd hull-number && git init -q && git add -A && git add -f settings.env && git -c user.name=ada -c "
          "user.email=ada@watch.invalid commit "
          "-qm first");
    expect_fixed(project, "settings.env holds secrets, and git tracks it",
                 "git rm --cached settings.env && echo settings.env >> .gitignore");
}
END_TEST

START_TEST(licences_hold_for_this_user_component_and_time) {
    enum { DAY_S = 86400 };
    char *project = hull_number();
    const char *me = g_get_user_name();
    make_key("watch");
    make_key("other");
    expect_done(tanchor(project, "configure", "--with", "surge"));
    struct ran ran = tanchor(project, "ready");
    expect_shown(ran, "problem  licence     the licence of surge is missing; its publisher is watch");
    ran = tanchor(project, "build");
    expect_refusal(ran, 1, "the licence of surge is missing", "tanchor catalog evaluate surge");
    char *file = test_path("surge.jwt");
    char *good = make_token("surge", me, test_path("watch.key"), -60, 90 * DAY_S);
    write_text(file, good);
    ran = tanchor(test_folder, "catalog", "licence", "surge.jwt");
    expect_refusal(ran, 1, "the key of watch, which licenses surge, is not known here", "tanchor catalog trust");
    expect_done(tanchor(test_folder, "catalog", "trust", "watch.pem"));
    const struct {
        char *text;
        const char *told;
    } cases[] = {
        {make_token("surge", "somebody-else", test_path("watch.key"), -60, DAY_S),
         "is for another user: somebody-else"},
        {make_token("tide-table", me, test_path("watch.key"), -60, DAY_S), "tide-table takes no licence"},
        {make_token("surge", me, test_path("other.key"), -60, DAY_S), "has a signature that is not by watch"},
        {make_token("surge", me, test_path("watch.key"), DAY_S, 2 * DAY_S), "is from the future"},
        {make_token("surge", me, test_path("watch.key"), -9 * DAY_S, -DAY_S), "ended on 20"},
        {make_token("submarine", me, test_path("watch.key"), -60, DAY_S), "the catalog has no component \"submarine\""},
        {(char *)"no token", "surge.jwt is not a licence"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        write_text(file, cases[i].text);
        ran = tanchor(test_folder, "catalog", "licence", "surge.jwt");
        expect_refusal(ran, 1, cases[i].told);
        ck_assert(!g_file_test(test_path("home/licences/surge.jwt"), G_FILE_TEST_EXISTS));
    }
    write_text(test_path("home/licences/surge.jwt"), cases[1].text);
    ran = tanchor(project, "ready");
    expect_shown(ran, "the licence of surge is for tide-table");
    g_autofree char *flipped = g_strdup(good); /* one letter of the claims */
    flipped[strcspn(flipped, ".") + 20] ^= 1;
    write_text(test_path("home/licences/surge.jwt"), flipped);
    ran = tanchor(project, "ready");
    ck_assert_int_eq(ran.code, 1);
    write_text(file, make_token("surge", me, test_path("watch.key"), -60, 3 * DAY_S));
    expect_done(tanchor(test_folder, "catalog", "licence", "surge.jwt"));
    ran = tanchor(project, "ready");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "warning  licence     surge until 20"), "%s", ran.out);
    write_text(file, good);
    expect_done(tanchor(test_folder, "catalog", "licence", "surge.jwt"));
    ran = tanchor(project, "configure", "--list");
    expect_row(ran, "surge", "20");
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(project, "configure", "--without", "surge"));
    ck_assert_ptr_null(strstr(read_text(below(project, "setup.yaml")), "surge:"));
}
END_TEST

START_TEST(versions_are_resolved_and_conflicts_told) {
    char *project = hull_number(), *setup = below(project, "setup.yaml");
    struct ran ran = tanchor(project, "configure", "--sdk", "strand@1.4");
    ck_assert_int_eq(ran.code, 1);
    expect_shown(ran, "hull-number needs strand >=2.0 <3 (there is 2.1.0, 2.0.0, 1.4.0)");
    ck_assert_ptr_nonnull(strstr(ran.err,
                                 "these cannot hold together: hull-number needs strand >=2.0 <3, --sdk asks for "
                                 "strand 1.4; strand 2.1.0 would fit, but --sdk asks for strand 1.4"));
    ran = tanchor(project, "configure", "--with", "tide-table@1.0.0");
    ck_assert_ptr_nonnull(strstr(ran.err, "hull-number needs tide-table >=1.1, --with asks for tide-table =1.0.0"));
    ran = tanchor(project, "configure", "--with", "submarine");
    ck_assert_ptr_nonnull(strstr(ran.err, "this cannot be had: --with asks for submarine (no catalog has it)"));
    ran = tanchor(project, "configure", "--without", "core");
    ck_assert_ptr_nonnull(strstr(ran.err, "--without core"));
    ran = tanchor(project, "configure", "--with", "chime@soon");
    expect_refusal(ran, 2, "\"chime@soon\" names no version");
    expect_done(tanchor(project, "configure", "--sdk", "strand@2.0", "--with", "button"));
    ck_assert(strstr(read_text(setup), "sdk-version: \"2.0.0\"") && strstr(read_text(setup), "button: \"2.0.0\""));
    expect_done(tanchor(project, "configure")); /* stays */
    ck_assert(strstr(read_text(setup), "sdk-version: \"2.0.0\"") && strstr(read_text(setup), "button: \"2.0.0\""));
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(project, "verify"));
    expect_done(tanchor(project, "configure", "--sdk", "strand@2.1", "--without", "button", "--optimise", "speed"));
    ran = tanchor(project, "configure", "--diff");
    expect_row(ran, "sdk", "strand 2.0.0", "strand 2.1.0");
    expect_row(ran, "with", "button *");
    expect_row(ran, "optimise", "for size", "for speed");
    expect_done(tanchor(project, "configure", "--back"));
    ran = tanchor(project, "configure", "--diff");
    expect_shown(ran, "the same as when all trials passed");
    ran = tanchor(project, "configure", "--show");
    expect_row(ran, "components", "button 2.0.0");
    ran = tanchor(project, "configure", "--list");
    expect_row(ran, "strand", "2.1.0", "yes", "recommended");
    expect_row(ran, "strand", "1.4.0", "no", "the project needs");
    expect_shown(ran, "button (extra)");
    expect_row(ran, "gcc", "12.", "riscv64-unknown-elf-gcc", "rv32imac");
    expect_row(ran, "picolibc", "rv32imac/ilp32");
}
END_TEST

START_TEST(files_are_told_apart_by_whose_they_are) {
    char *project = hull_number();
    expect_done(tanchor(project, "build"));
    struct ran ran = tanchor(project, "show", "--files");
    expect_done(ran);
    expect_row(ran, "src/main.c", "author");
    expect_row(ran, "settings.env", "yours");
    expect_row(ran, "out/dunlin-gcc/generated/resources.S", "generated");
    expect_shown(ran, "/sdk/strand-2.1.0/core/clock.c");
    expect_row(ran, "tide_table.c", "tide-table");
    edit(below(project, "out/dunlin-gcc/generated/settings.h"), "ES-0417", "ES-9999");
    ran = tanchor(project, "show", "--files");
    expect_row(ran, "generated/settings.h", "generated", "edited by hand");
    ran = tanchor(project, "ready");
    expect_shown(ran, "problem  generated   out/dunlin-gcc/generated/settings.h was edited by hand");
    expect_done(tanchor(project, "build", "--edited", "restore"));
    expect_done(tanchor(project, "ready"));
    ran = tanchor(project, "show", "--files", "--memory");
    expect_refusal(ran, 2, "ask for one at a time");
    /* What goes into the image is generated again when it changes, and only then. */
    ran = tanchor(project, "build");
    expect_shown(ran, "up to date");
    write_text(below(project, "assets/farewell.txt"), "slack water\n");
    ran = tanchor(project, "build");
    expect_shown(ran, "1 of 8 files");
    ran = tanchor(project, "run", "--for", "5s");
    expect_shown(ran, "slack water");
}
END_TEST

/* Strand 1.4 is what an old instrument needs: another name of a function, and no button. */
START_TEST(an_old_sdk_builds_what_was_made_for_it) {
    write_text(
        test_path("old/anchor.yaml"),
        "project: old\nversion: 1.0.0\ntitle: an old lamp\nneeds: {sdk: {strand: \"<2\"}, components: [lamps], board: "
        "[lamps 8, console]}\nsources: [old.c]\n");
    write_text(test_path("old/old.c"), "#include <stdio.h>\n#include <strand/lamps.h>\nint main(void) { "
                                       "strand_lamps_set(5); puts(\"old\"); return 0; }\n");
    char *project = test_path("old");
    expect_done(tanchor(project, "configure"));
    ck_assert_ptr_nonnull(strstr(read_text(test_path("old/setup.yaml")), "lamps: \"1.4.0\""));
    expect_done(tanchor(project, "build"));
    struct ran ran = tanchor(project, "run", "--for", "1s");
    expect_shown(ran, "old\n");
    edit(test_path("old/old.c"), "strand_lamps_set", "strand_lamps_show");
    ran = tanchor(project, "build");
    ck_assert_int_eq(ran.code, 1);
    edit(test_path("old/anchor.yaml"), "components: [lamps]", "components: [lamps, button]");
    ran = tanchor(project, "configure");
    expect_shown(ran, "old needs strand <2");
    expect_shown(ran, "old needs button (there is 2.1.0, 2.0.0)");
}
END_TEST

START_TEST(board_options_reach_the_image) {
    char *project = hull_number(), *setup = below(project, "setup.yaml");
    expect_done(tanchor(project, "configure", "--stack", "6KiB", "--heap", "1KiB", "--clock", "8MHz", "--console-speed",
                        "9600"));
    ck_assert(strstr(read_text(setup), "stack: 6144 B") && strstr(read_text(setup), "clock: 8000000 Hz"));
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(project, "verify")); /* at another clock and speed the same is said */
    const char *header = read_text(below(project, "out/dunlin-gcc/generated/board.h"));
    ck_assert(strstr(header, "BOARD_CONSOLE_BAUD 9600u") && strstr(header, "BOARD_CLOCK_HZ 8000000u"));
    ck_assert_ptr_nonnull(
        strstr(read_text(below(project, "out/dunlin-gcc/generated/board.ld")), "image_stack_size = 6144;"));
    expect_done(tanchor(project, "configure", "--compiler", "clang"));
    expect_done(tanchor(project, "build")); /* lld takes the same script */
    struct ran ran = tanchor(project, "configure", "--heap", "1MiB");
    ck_assert_msg(ran.code == 1 && strstr(ran.err, "stack and heap take 1.0 MiB, dunlin has 64 KiB of RAM"), "%s",
                  ran.err);
    expect_done(tanchor(project, "configure", "--heap", "59300B"));
    ran = tanchor(project, "build");
    ck_assert_msg(ran.code == 1 && strstr(ran.out, "too much"), "%s%s", ran.out, ran.err);
    expect_done(tanchor(project, "configure", "--heap", "default", "--clock", "default", "--stack", "default",
                        "--console-speed", "default"));
    ck_assert_ptr_null(strstr(read_text(setup), "heap"));
    ran = tanchor(project, "configure", "--clock", "9MHz");
    ck_assert(ran.code == 1 && strstr(ran.err, "dunlin cannot run at 9 MHz; it runs at 8 MHz, 16 MHz, 32 MHz"));
    ran = tanchor(project, "configure", "--stack", "much");
    ck_assert(ran.code == 2 && strstr(ran.err, "--stack: \"much\" cannot be read"));
    ran = tanchor(project, "configure", "--console-speed", "10");
    expect_refusal(ran, 1, "dunlin cannot have a console of 10 baud", "setup.yaml was not changed");
    ran = tanchor(project, "configure", "--console-speed", "fast");
    expect_refusal(ran, 2, "--console-speed: \"fast\" cannot be read");
}
END_TEST

/* What only the machine can tell has its place, too, in the user's own file. */
START_TEST(boards_that_cannot_be_made_are_told_with_their_place) {
    struct ran ran;
    char *own = test_path("own.yaml");
    write_text(own, read_text(CATALOG "/profiles/dunlin.yaml"));
    edit(own, "gpio0: {model: gpio, base: 0x4c010000", "gpio0: {model: gpio, base: 0x4c000004");
    ran = tanchor(test_folder, "bench", "add", "own", "--profile", own);
    expect_refusal(ran, 1, "own.yaml:21:3: devices.gpio0: 0x4c000004 to ", "is taken by another device or memory");
    ck_assert(!g_file_test(test_path("home/bench/own"), G_FILE_TEST_EXISTS));
    edit(own, "gpio0: {model: gpio, base: 0x4c000004", "gpio0: {model: gpoi, base: 0x4c010000");
    ran = tanchor(test_folder, "bench", "add", "own", "--profile", own);
    expect_shown(ran, "profile.yaml:21:3: devices.gpio0: there is no model \"gpoi\"");
    edit(own, "model: gpoi", "model: gpio");
    edit(own, "clock: 32 MHz", "harts: {aid: {isa: rv32imacv_zicsr}}\nclock: 32 MHz");
    ran = tanchor(test_folder, "bench", "add", "aid", "--profile", own);
    expect_shown(ran, "profile.yaml:8:15: harts.aid.isa: rv32imacv_zicsr cannot be simulated by this release");
    /* A key of the target's own is in no file. */
    ran = tanchor(test_folder, "bench", "add", "odd", "--profile", "dunlin", "--set", "devices.gpio0.model=gpoi");
    expect_shown(ran, "machine     devices.gpio0: there is no model \"gpoi\"");
}
END_TEST

/* Whatever their names. */
START_TEST(a_board_of_the_bench_comes_before_an_emulator) {
    char *project = tide_lamp();
    expect_done(tanchor(test_folder, "bench", "add", "a-watch", "--profile", "curlew"));
    expect_done(tanchor(test_folder, "bench", "add", "my-lamp", "--profile", "dunlin"));
    struct ran ran = tanchor(project, "configure");
    expect_shown(ran, "the first on the bench that fits");
    ck_assert_ptr_nonnull(strstr(read_text(below(project, "setup.yaml")), "target: my-lamp"));
}
END_TEST

START_TEST(targets_stand_on_the_bench_as_they_were_left) {
    struct ran ran = tanchor(test_folder, "bench");
    expect_refusal(ran, 1, "the bench is empty");
    ran = tanchor(test_folder, "bench", "add", "jetty", "--profile", "dunlin", "--set", "memory.ram.size=128 KiB");
    expect_done(ran);
    expect_row(ran, "ram", "0x10000000", "128 KiB");
    ran = tanchor(test_folder, "bench", "add", "jetty", "--profile", "dunlin");
    expect_refusal(ran, 1, "the bench already has a target jetty");
    ran = tanchor(test_folder, "bench", "add", "Jetty!", "--profile", "dunlin");
    expect_refusal(ran, 2, "\"Jetty!\" cannot be the name of a target");
    ran = tanchor(test_folder, "bench", "add", "x", "--profile", "plover");
    expect_refusal(ran, 1, "there is no profile named \"plover\"");
    ran = tanchor(test_folder, "bench", "add", "x", "--profile", "dunlin", "--set", "memory.ram.sise=1 KiB");
    ck_assert(ran.code == 1 && strstr(ran.err, "memory.ram.sise: there is no such key"));
    ran = tanchor(test_folder, "bench", "add", "x", "--profile", "dunlin", "--set", "memory.ram.size=lots");
    ck_assert(ran.code == 1 && strstr(ran.err, "memory.ram.size: \"lots\" is not a size"));
    ran = tanchor(test_folder, "bench", "add", "x", "--profile", "dunlin", "--set", "memory}");
    expect_refusal(ran, 2, "is not NAME=VALUE");
    ck_assert(!g_file_test(test_path("home/bench/x"), G_FILE_TEST_EXISTS));
    char *large = test_path("large.yaml");
    write_text(large, read_text(CATALOG "/profiles/eider.yaml"));
    edit(large, "model: fabric", "model: loom");
    ran = tanchor(test_folder, "bench", "add", "large", "--profile", large);
    expect_shown(ran, "profile.yaml:29:3: devices.fabric0: there is no model \"loom\"");
    ran = tanchor(test_folder, "bench", "switch", "jetty", "boot=loader", "usb cable=unplugged");
    expect_done(ran);
    ran = tanchor(test_folder, "bench", "list");
    expect_shown(ran, "boot loader, usb cable unplugged");
    ran = tanchor(test_folder, "bench", "switch", "jetty", "boot=up");
    expect_refusal(ran, 1, "boot has no position \"up\"; its positions: flash, loader");
    ran = tanchor(test_folder, "bench", "switch", "jetty", "mood=calm");
    expect_refusal(ran, 1, "dunlin has no switch \"mood\"");
    /* A project that wants them otherwise. */
    char *project = hull_number();
    expect_done(tanchor(project, "configure", "--target", "jetty"));
    edit(below(project, "anchor.yaml"), "  board: [lamps 8, console]",
         "  board: [lamps 8, console]\n  state: {boot: flash, usb cable: plugged}");
    ran = tanchor(project, "ready");
    expect_shown(ran, "problem  switch      boot of jetty is loader and must be flash");
    expect_shown(ran, "fix: tanchor bench switch jetty boot=flash");
    ran = tanchor(project, "ready", "--fix");
    expect_done(ran);
    expect_shown(ran, "repaired    jetty: usb cable=plugged");
    expect_done(tanchor(test_folder, "bench", "switch", "jetty", "power=off"));
    ran = tanchor(project, "build");
    expect_done(ran);
    ran = tanchor(project, "deploy");
    expect_refusal(ran, 1, "jetty has no power", "tanchor bench switch jetty power=on");
    expect_fixed(project, "jetty has no power", "tanchor bench switch jetty power=on");
    expect_done(tanchor(project, "verify"));
    expect_done(tanchor(test_folder, "bench", "remove", "jetty"));
    ran = tanchor(test_folder, "bench", "remove", "jetty");
    expect_refusal(ran, 1, "there is no target \"jetty\" on the bench; the bench has: large");
    ran = tanchor(project, "ready");
    expect_shown(ran, "there is no target \"jetty\" on the bench");
    ran = tanchor(test_folder, "bench", "polish");
    expect_refusal(ran, 2, "its actions are: list add show switch card-in card-out factory remove");
}
END_TEST

START_TEST(each_fault_of_a_project_is_found_and_goes_with_its_fix) {
    char *project = hull_number(), *manifest = below(project, "anchor.yaml"), *setup = below(project, "setup.yaml");
    edit(setup, "sdk-version: \"2.1.0\"", "sdk-version: \"1.4.0\"");
    expect_fixed(project, "strand 1.4.0 is outside >=2.0 <3, which the project needs", "tanchor configure");
    edit(setup, "  tide-table: \"1.1.0\"\n", "");
    expect_fixed(project, "the project needs tide-table, setup.yaml leaves it out", "tanchor configure");
    edit(setup, "target: dunlin", "target: knot");
    expect_fixed(project, "there is no target \"knot\" on the bench", "tanchor configure");
    edit(setup, "profile: dunlin", "profile: turnstone");
    expect_fixed(project, "dunlin on the bench is a dunlin, setup.yaml says turnstone", "tanchor configure");
    edit(manifest, "  board:", "  compilers: {gcc: '>=99', clang: '>=14'}\n  board:");
    expect_fixed(project, "the project needs gcc >=99, setup.yaml has", "tanchor configure");
    edit(manifest, "gcc: '>=99', clang: '>=14'", "gcc: '>=10'");
    expect_fixed(project, "the project does not support clang", "tanchor configure");
    unlink(setup);
    expect_fixed(project, "hull-number is not configured yet", "tanchor configure");
    g_rename(below(project, "src/main.c"), below(project, "src/main.txt"));
    expect_cured(project, "sources: src/*.c matches no file", "mv src/main.txt src/main.c");
    shell("touch -d '3 days' hull-number/anchor.yaml");
    expect_cured(project, "this computer's clock is wrong: anchor.yaml was saved after the time that it shows",
                 "touch anchor.yaml");
    edit(manifest, "lamps 8", "lamps 9");
    expect_cured(project, "hull-number needs lamps 9, dunlin has 8", "sed -i 's/lamps 9/lamps 8/' anchor.yaml");
    edit(below(project, "trials/hull.trial"), "power on", "power up");
    expect_cured(project, "hull.trial:3:", "sed -i 's/power up/power on/' trials/hull.trial");
}
END_TEST

START_TEST(every_key_of_a_setup_is_checked) {
    static const struct {
        const char *from, *to, *told;
    } cases[] = {
        {"sdk: strand", "sdk: [strand]", "setup.yaml:2:6: sdk: "},
        {"sdk: strand", "sdk: Strand", "sdk: "},
        {"sdk-version: \"2.1.0\"", "sdk-version: newest", "sdk-version: \"newest\" is not a version"},
        {"  core: \"2.1.0\"", "  core: about 2", "components.core: \"about 2\" is not a version"},
        {"components:", "componets:", "componets: there is no such key; did you mean components?"},
        {"compiler: gcc", "compiler: cc", "compiler: \"cc\" is not known"},
        {"compiler-version: \"", "compiler-version: \"v", "compiler-version: "},
        {"target: dunlin\n", "", "the key target is missing"},
        {"profile: dunlin", "profile: Dunlin!", "profile: "},
        {"optimise: size", "optimise: looks", "optimise: \"looks\" is not known"},
        {"optimise: size", "optimise: size\noptimise: speed", "\"optimise\" appears twice here"},
        {"optimise: size", "optimise: size\nstack: tall", "stack: \"tall\" is not a size"},
        {"optimise: size", "optimise: size\nclock: soon", "clock: \"soon\" is not a frequency"},
        {"optimise: size", "optimise: size\nconsole-speed: 12",
         "console-speed: 12 is out of range; it may be 300 to 4000000"},
        {"optimise: size", "optimise: size\nwithout: core", "without: "},
    };
    char *project = hull_number(), *setup = below(project, "setup.yaml"), *good = read_text(setup);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        write_text(setup, good);
        edit(setup, cases[i].from, cases[i].to);
        struct ran ran = tanchor(project, "ready");
        expect_refusal(ran, 1, "setup.yaml:", cases[i].told);
    }
    write_text(setup, good);
    expect_done(tanchor(project, "ready"));
    /* What was chosen by hand and does not fit together. */
    edit(setup, "  tide-table: \"1.1.0\"", "  tide-table: \"1.0.0\"");
    expect_fixed(project, "tide-table 1.0.0 is outside >=1.1, which the project needs", "tanchor configure");
}
END_TEST

START_TEST(what_was_used_last_is_chosen_again) {
    hull_number();
    expect_done(tanchor(test_folder, "bench", "add", "aaa", "--profile", "dunlin"));
    expect_done(tanchor(test_folder, "bench", "add", "zzz", "--profile", "dunlin"));
    expect_done(tanchor(test_path("hull-number"), "configure", "--target", "zzz", "--compiler", "clang"));
    tide_lamp();
    struct ran ran = tanchor(test_path("tide-lamp"), "configure");
    expect_shown(ran, "target      zzz, small board with a ring of eight lamps (the one used last)");
    expect_shown(ran, "(the one used last)\n  ok       optimise");
    ck_assert_ptr_nonnull(strstr(read_text(test_path("tide-lamp/setup.yaml")), "compiler: clang"));
}
END_TEST

START_TEST(profiles_derive_from_others) {
    write_text(test_path("kit/profiles/dunlin-large.yaml"),
               "profile: dunlin-large\nlike: dunlin\nversion: 1.1.0\nmemory:\n  ram: {size: 256 KiB}\n  fram: {kind: "
               "ram, base: "
               "0x30000000, size: 8 KiB}\nconnectors:\n  lamps: {count: 6}\n");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    struct ran ran = tanchor(test_folder, "catalog", "show", "dunlin-large");
    expect_row(ran, "title", "small board with a ring of eight lamps");
    expect_row(ran, "ram", "0x10000000", "256 KiB");
    expect_row(ran, "fram", "8 KiB");
    expect_row(ran, "flash", "256 KiB");
    ran = tanchor(test_folder, "bench", "add", "big", "--profile", "dunlin-large");
    expect_row(ran, "like", "dunlin");
    ran = tanchor(test_folder, "catalog", "hull-number");
    expect_row(ran, "hull-number", "needs lamps 8, big has 6");
    edit(test_path("kit/profiles/dunlin-large.yaml"), "fram: {kind: ram, base: 0x30000000, size: 8 KiB}",
         "fram: {kind: ram}");
    ran = tanchor(test_folder, "catalog", "show", "dunlin-large");
    ck_assert(ran.code == 1 && strstr(ran.err, "dunlin-large.yaml:6:") && strstr(ran.err, "the key base is missing"));
    edit(test_path("kit/profiles/dunlin-large.yaml"), "like: dunlin", "like: dunlin-large");
    ran = tanchor(test_folder, "catalog", "show", "dunlin-large");
    expect_refusal(ran, 1, "dunlin-large is based on itself");
    edit(test_path("kit/profiles/dunlin-large.yaml"), "like: dunlin-large", "like: plover");
    ran = tanchor(test_folder, "catalog", "show", "dunlin-large");
    expect_refusal(ran, 1, "there is no profile named \"plover\"");
}
END_TEST

START_TEST(platforms_must_be_new_enough) {
    write_text(test_path("kit/profiles/handset.yaml"), "profile: handset\nlike: dunlin\nversion: 1.0.0\nkind: "
                                                       "emulator\nplatform: slack-water\nplatform-range: '>=2'\n");
    write_text(test_path("kit/platforms/slack-water-2.0.0/platform.yaml"),
               "platform: slack-water\nversion: 2.0.0\nprofiles: [handset]\nimage: slack.bin\n");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    char *project = hull_number();
    struct ran ran;
    write_text(test_path("kit/platforms/slack-water-2.0.0/slack.bin"), "0123456789");
    ran = tanchor(test_folder, "bench", "add", "pocket", "--profile", "handset");
    expect_row(ran, "platform", "slack-water 2.0.0, slack.bin, 10 B");
    expect_done(tanchor(project, "configure", "--target", "pocket"));
    edit(below(project, "anchor.yaml"), "  board:", "  platform: {slack-water: '>=2.1'}\n  board:");
    ran = tanchor(project, "ready");
    expect_shown(ran, "problem  platform    pocket has slack-water 2.0.0, the project needs >=2.1");
    g_rename(test_path("kit/platforms/slack-water-2.0.0"), test_path("kit/platforms/slack-water-2.1.0"));
    edit(test_path("kit/platforms/slack-water-2.1.0/platform.yaml"), "version: 2.0.0", "version: 2.1.0");
    expect_done(tanchor(test_folder, "bench", "remove", "pocket"));
    expect_done(tanchor(test_folder, "bench", "add", "pocket", "--profile", "handset"));
    ran = tanchor(project, "ready");
    expect_done(ran);
    expect_shown(ran, "platform    slack-water 2.1.0");
    char *setup = read_text(below(project, "setup.yaml"));
    ran = tanchor(project, "configure", "--target", "dunlin");
    expect_refusal(ran, 1, "the project needs the platform slack-water, which dunlin does not have",
                   "setup.yaml was not changed");
    ck_assert_str_eq(ran.out, "");
    ck_assert_str_eq(read_text(below(project, "setup.yaml")), setup);
    edit(below(project, "setup.yaml"), "target: pocket\nprofile: handset", "target: dunlin\nprofile: dunlin");
    ran = tanchor(project, "ready");
    expect_shown(ran, "the project needs the platform slack-water, which dunlin does not have");
    expect_done(tanchor(project, "configure")); /* one that does is found again */
    expect_row(tanchor(project, "configure", "--show"), "target", "pocket");
}
END_TEST

START_TEST(what_was_chosen_may_go_or_be_damaged) {
    char *project = hull_number();
    /* An installed SDK whose files are not what they were. */
    expect_done(tanchor(test_folder, "catalog", "pack", "strand"));
    g_mkdir(test_path("rest"), 0777);
    shell("cp -r '" CATALOG "'/profiles '" CATALOG "'/components '" CATALOG "'/examples rest");
    g_setenv("TANCHOR_CATALOG", test_path("rest"), TRUE);
    expect_done(tanchor(test_folder, "catalog", "add", "strand-2.1.0.tar.gz"));
    struct ran ran = tanchor(project, "ready");
    expect_done(ran);
    expect_shown(ran, "strand 2.1.0 is as it was installed");
    edit(test_path("home/packages/strand-2.1.0/sdk/strand-2.1.0/core/clock.c"), "#include", "/* leaks */\n#include");
    ran = tanchor(project, "ready");
    ck_assert_int_eq(ran.code, 1);
    expect_shown(ran, "strand 2.1.0 is damaged: sdk/strand-2.1.0/core/clock.c differs from what was installed");
    expect_shown(ran, "fix: tanchor catalog remove strand@2.1.0 --anyway, then add it again");
    expect_done(tanchor(test_folder, "catalog", "remove", "strand@2.1.0", "--anyway"));
    ran = tanchor(project, "ready");
    expect_shown(ran, "there is no SDK named \"strand\"");
    expect_shown(ran, "fix: tanchor catalog add strand");
    expect_done(tanchor(test_folder, "catalog", "add", "strand-2.1.0.tar.gz"));
    expect_done(tanchor(project, "ready"));
}
END_TEST

/* Compilers that are scripts: one that fails, one that hangs, one that goes away after it was chosen. */
START_TEST(compilers_are_tried_for_real) {
    char *project = hull_number(), *real = test_path("tools/clang-77");
    write_text(test_path("tools/clang-66"), "#!/bin/sh\necho broken >&2\nexit 1\n");
    write_text(test_path("tools/clang-55"), "#!/bin/sh\nsleep 60\n");
    write_text(real, "#!/bin/sh\ncase $1 in -dumpversion) echo 77.0.1;; *) exec clang \"$@\";; esac\n");
    shell("chmod +x tools/*");
    write_text(test_path("home/preferences.yaml"),
               test_path("compilers: [\"%s\"]\n", test_path("tools")) + strlen(test_folder) + 1);
    gint64 start = g_get_monotonic_time();
    expect_done(tanchor(project, "configure", "--compiler", "clang@77.0.1"));
    ck_assert_int_lt((g_get_monotonic_time() - start) / G_USEC_PER_SEC, 40); /* not the minute of the one that hangs */
    expect_done(tanchor(project, "build"));
    /* A folder's names are remembered when nothing comes or goes in it any more, and read again when something does. */
    static const char remembered[] =
        "SELECT count(*) FROM compiler_folder WHERE folder LIKE '%/tools' AND names LIKE '%clang-77%'";
    g_usleep(2100000);
    for (int i = 0; i < 2; ++i)
        expect_done(tanchor(project, "configure", "--compiler", "clang@77.0.1"));
    ck_assert_str_eq(state(remembered), "1\n");
    shell("sed s/77/88/ tools/clang-77 > tools/clang-88; chmod +x tools/clang-88");
    expect_done(tanchor(project, "configure", "--compiler", "clang@88.0.1"));
    expect_done(tanchor(project, "configure", "--compiler", "clang@77.0.1"));
    g_unlink(real);
    expect_fixed(project, "clang 77.0.1 is not on this computer", "tanchor configure");
    write_text(below(project, "setup.yaml"), "sdk: strand\n");
    struct ran ran = tanchor(project, "ready");
    expect_refusal(ran, 1, "setup.yaml:1:1: the key sdk-version is missing");
}
END_TEST

int main(void) {
    return run_suite("configure",
                     (const TTest *const[]){
                         settings_are_found_wrong_and_fixed, secrets_and_tokens,
                         licences_hold_for_this_user_component_and_time, versions_are_resolved_and_conflicts_told,
                         files_are_told_apart_by_whose_they_are, an_old_sdk_builds_what_was_made_for_it,
                         board_options_reach_the_image, a_board_of_the_bench_comes_before_an_emulator,
                         targets_stand_on_the_bench_as_they_were_left,
                         boards_that_cannot_be_made_are_told_with_their_place,
                         each_fault_of_a_project_is_found_and_goes_with_its_fix, every_key_of_a_setup_is_checked,
                         what_was_used_last_is_chosen_again, profiles_derive_from_others, platforms_must_be_new_enough,
                         what_was_chosen_may_go_or_be_damaged, compilers_are_tried_for_real, NULL});
}
