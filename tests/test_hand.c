/* The tool in the hand: one command from an edit to an answer, the console on a terminal, lists that are lists. */
#include "support.h"

#include "host/files.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

/* first-light, configured. */
static char *first_light(void) {
    expect_done(tanchor(test_folder, "import", "first-light"));
    char *project = test_path("first-light");
    expect_done(tanchor(project, "configure"));
    return project;
}

/* first-light with another program. */
static char *project_of(const char *program) {
    char *project = first_light();
    write_text(below(project, "src/main.c"), program);
    return project;
}

START_TEST(the_smallest_example_runs_with_each_compiler) {
    static const char *const compilers[] = {"gcc", "clang"};
    char *project = first_light();
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        expect_done(tanchor(project, "configure", "--compiler", compilers[i]));
        expect_shown(tanchor(project, "verify"), "1 of 1 passed");
    }
    struct ran ran = tanchor(project, "run", "--for", "1s");
    ck_assert_str_eq(ran.out, "first light\n");
    edit(below(project, "src/main.c"), "500000", "400000");
    ran = tanchor(project, "verify");
    ck_assert_int_eq(ran.code, 1);
    expect_shown(ran, "0 0.400 s later");
}
END_TEST

/* What is asked for is done first, each only where it is needed. */
START_TEST(run_means_run) {
    char *project = first_light(), *source = below(project, "src/main.c");
    struct ran ran = tanchor(project, "run", "--for", "10ms");
    ck_assert_str_eq(ran.out, "first light\n");
    ck_assert_msg(strstr(ran.err, "2 files generated, 6 files compiled, linked") && strstr(ran.err, "KiB to dunlin"),
                  "%s", ran.err);
    ran = tanchor(project, "run", "--for", "10ms");
    ck_assert_msg(!strstr(ran.err, "build  ") && !strstr(ran.err, "deploy  "), "%s", ran.err);
    edit(source, "first light", "second light");
    ran = tanchor(project, "run", "--for", "10ms", "--as-is");
    ck_assert_str_eq(ran.out, "first light\n");
    ck_assert_msg(strstr(ran.err, "dunlin holds image ") && strstr(ran.err, "src/main.c changed since"), "%s", ran.err);
    ran = tanchor(project, "run", "--for", "10ms");
    ck_assert_str_eq(ran.out, "second light\n");
    ck_assert_msg(strstr(ran.err, " 1 file compiled, linked") != NULL, "%s", ran.err);
    edit(source, "second light\\n\"", "third light\\n\" oops");
    ran = tanchor(project, "run", "--for", "10ms");
    ck_assert_msg(ran.code == 1 && !*ran.out && strstr(ran.err, "problem  compile     src/main.c: 1 error"), "%s",
                  ran.err);
    ck_assert_ptr_null(strstr(ran.err, "Running"));
    ran = tanchor(project, "run", "--for", "10ms", "--as-is");
    ck_assert_str_eq(ran.out, "second light\n");
    ran = tanchor(project, "verify");
    ck_assert_msg(ran.code == 1 && strstr(ran.out, "problem  compile") && !strstr(ran.out, "pass  "), "%s", ran.out);
    edit(source, "third light\\n\" oops", "first light\\n\"");
    expect_shown(tanchor(project, "verify"), "1 of 1 passed");
    /* An option of the board, a target made anew, and another image on it. */
    expect_done(tanchor(project, "configure", "--stack", "5KiB"));
    expect_shown(tanchor(project, "verify"), "2 files generated, ");
    expect_done(tanchor(test_folder, "bench", "remove", "dunlin"));
    expect_done(tanchor(project, "configure"));
    ran = tanchor(project, "verify", "--as-is");
    expect_refusal(ran, 1, "dunlin holds no image; tanchor deploy");
    ran = tanchor(project, "verify");
    ck_assert_msg(!strstr(ran.out, "build  ") && strstr(ran.out, "KiB to dunlin"), "%s", ran.out);
    expect_done(tanchor(tide_lamp_built(), "deploy"));
    ran = tanchor(project, "verify", "--as-is");
    ck_assert_msg(ran.code == 1 && strstr(ran.out, "not the one that was built last"), "%s", ran.out);
    expect_shown(tanchor(project, "verify"), "1 of 1 passed");
    ran = tanchor(project, "configure", "--diff"); /* what ran as it was has not verified the project */
    expect_shown(ran, "the same as when all trials passed");
}
END_TEST

/* What was generated just before is no save during the compile. */
START_TEST(a_first_build_compiles_each_file_once) {
    g_autofree char *real = g_find_program_in_path("riscv64-unknown-elf-gcc");
    g_autofree char *path = g_strdup_printf("%s:%s", test_path("bin"), g_getenv("PATH"));
    g_autofree char *script =
        g_strdup_printf("#!/bin/sh\ncase \" $* \" in *\" -c \"*) echo x >>out/dunlin-gcc/count ;; esac 2>/dev/null\n"
                        "exec %s \"$@\"\n",
                        real);
    write_text(test_path("bin/riscv64-unknown-elf-gcc"), script);
    ck_assert_int_eq(g_chmod(test_path("bin/riscv64-unknown-elf-gcc"), 0755), 0);
    g_setenv("PATH", path, TRUE);
    char *project = first_light();
    for (int i = 0; i < 10; ++i) {
        shell("rm -rf first-light/out first-light/.tanchor");
        expect_done(tanchor(project, "build", "--no-cache"));
        ck_assert_uint_eq(strlen(read_text(below(project, "out/dunlin-gcc/count"))), 2 * 6);
    }
}
END_TEST

/* Each setup keeps its objects: going back to one links, and compiles nothing. */
START_TEST(going_back_to_a_setup_compiles_nothing) {
    char *project = first_light();
    static const char *const setups[][2] = {
        {"--optimise", "speed"}, {"--sdk", "strand@2.0.0"}, {"--optimise", "size"}, {"--sdk", "strand@2.1.0"},
        {"--stack", "6KiB"},     {"--clock", "16MHz"},      {"--with", "button"},   {"--clock", "default"},
        {"--stack", "default"},  {"--without", "button"}};
    char *identities[G_N_ELEMENTS(setups)] = {NULL};
    for (int round = 0; round < 3; ++round) /* what was wished for once stays a wish: the last two rounds are alike */
        for (size_t i = 0; i < G_N_ELEMENTS(setups); ++i) {
            expect_done(tanchor(project, "configure", setups[i][0], setups[i][1]));
            struct ran ran = tanchor(project, "build", "--json");
            expect_done(ran);
            if (round == 2) /* the same image as before, whatever was built meanwhile */
                ck_assert_msg(strstr(ran.out, "\"compiled\": 0,") && strstr(ran.out, identities[i]), "%s %s: %s",
                              setups[i][0], setups[i][1], ran.out);
            g_free(identities[i]);
            const char *at = strstr(ran.out, "\"identity\": \"");
            identities[i] = g_strndup(at, strlen("\"identity\": \"") + 64);
            expect_shown(tanchor(project, "verify"), "1 of 1 passed");
        }
    for (size_t i = 0; i < G_N_ELEMENTS(setups); ++i)
        g_clear_pointer(&identities[i], g_free);
}
END_TEST

START_TEST(a_clean_build_begins_anew) {
    char *project = first_light();
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(project, "configure", "--optimise", "speed"));
    expect_done(tanchor(project, "build"));
    expect_shown(tanchor(project, "build", "--clean", "setup"), "6 of 6 files");
    expect_done(tanchor(project, "configure", "--optimise", "size"));
    expect_shown(tanchor(project, "build"), "up to date, 6 files"); /* another setup's */
    edit(below(project, "out/dunlin-gcc/generated/board.h"), "#", "/* mine */\n#");
    struct ran ran = tanchor(project, "build", "--clean", "all");
    expect_refusal(ran, 1, "generated/board.h was edited by hand", "--edited keep");
    expect_done(tanchor(project, "build", "--edited", "restore"));
    expect_shown(tanchor(project, "build", "--clean", "all"), "6 of 6 files");
    expect_done(tanchor(project, "configure", "--optimise", "speed"));
    expect_shown(tanchor(project, "build"), "6 from the cache of objects");
    ran = tanchor(project, "build", "--clean", "everything");
    expect_refusal(ran, 2, "--clean: there is no such choice; write --clean setup or --clean all");
    /* What out/ leads to is not ours to remove. */
    shell("mkdir outside && echo kept >outside/kept && rm -rf first-light/out && ln -s ../outside first-light/out");
    ck_assert_int_ne(tanchor(project, "build", "--clean", "all").code, 0);
    ck_assert_str_eq(read_text(test_path("outside/kept")), "kept\n");
}
END_TEST

/* Each save of anything that counts gives an answer, nothing else does. */
START_TEST(verify_watches_what_its_verdict_stands_on) {
    char *catalog = test_path("catalog");
    run_program(NULL, NULL, (const char *const[]){"cp", "-r", CATALOG, catalog, NULL});
    g_setenv("TANCHOR_CATALOG", catalog, TRUE);
    char *project = first_light(), *source = below(project, "src/main.c");
    struct beside watch = run_beside(project, "watch.txt", (const char *const[]){TANCHOR, "verify", "--watch", NULL});
    await_text(&watch, "1 of 1 passed");
    edit(source, "500000", "400000");
    await_text(&watch, "src/main.c saved");
    await_text(&watch, "fail  the lamp blinks once a second");
    await_text(&watch, "0 of 1 passed");
    edit(source, "400000", "500000 oops");
    await_text(&watch, "problem  compile");
    edit(source, "500000 oops", "400000"); /* as before the error: that is no news */
    await_text(&watch, "src/main.c saved");
    ck_assert_ptr_null(strstr(await_text(&watch, "0 of 1 passed"), "fail  "));
    edit(source, "400000", "500000");
    await_text(&watch, "pass  the lamp");
    edit(below(project, "trials/light.trial"), "100 ms", "1 us");
    await_text(&watch, "trials/light.trial saved");
    await_text(&watch, "expected     within 1 us");
    edit(below(project, "trials/light.trial"), "1 us", "oops");
    await_text(&watch, "light.trial:3:10");
    edit(below(project, "trials/light.trial"), "oops", "100 ms");
    await_text(&watch, "1 of 1 passed");
    edit(below(project, "anchor.yaml"), "project: first-light", "project: [");
    await_text(&watch, "anchor.yaml saved");
    await_text(&watch, "anchor.yaml:");
    edit(below(project, "anchor.yaml"), "project: [", "project: first-light");
    await_text(&watch, "1 of 1 passed");
    edit(test_path("catalog/sdk/strand-2.1.0/lamps/lamps.c"), "#include", "/* edited */\n#include");
    await_text(&watch, "lamps/lamps.c saved");
    await_text(&watch, "1 of 1 passed");
    edit(test_path("catalog/profiles/dunlin.yaml"), "clock: 32 MHz", "clock: 16 MHz");
    await_text(&watch, "profiles/dunlin.yaml saved");
    await_text(&watch, "1 of 1 passed");
    write_text(below(project, "src/new.c"), "int new_one = 1;\n");
    await_text(&watch, "src/new.c saved");
    await_text(&watch, "1 file compiled, linked");
    g_unlink(below(project, "src/new.c"));
    await_text(&watch, "src/new.c saved");
    await_text(&watch, "1 of 1 passed");
    write_text(below(project, "src/more/nothing.txt"), "nothing");
    write_text(below(project, "README.md"), "other words\n");
    g_usleep(300000);
    expect_done(tanchor(project, "configure", "--optimise", "speed"));
    ck_assert_ptr_null(strstr(await_text(&watch, "setup.yaml saved"), "passed"));
    await_text(&watch, "1 of 1 passed");
    expect_done(tanchor(project, "configure", "--sdk", "strand@2.0.0")); /* whose folder was not looked at before */
    await_text(&watch, "1 of 1 passed");
    edit(test_path("catalog/sdk/strand-2.0.0/lamps/lamps.c"), "#include", "/* edited */\n#include");
    await_text(&watch, "strand-2.0.0/lamps/lamps.c saved");
    await_text(&watch, "1 of 1 passed");
    edit(source, "500000", "400000");
    await_text(&watch, "src/main.c saved"); /* and cut short before it is judged: the last verdict stands */
    ck_assert_int_eq(end_beside(&watch, SIGINT), 0);
}
END_TEST

START_TEST(run_begins_again_at_each_save) {
    char *project = first_light(), *source = below(project, "src/main.c");
    struct beside watch = run_beside(project, "watch.txt", (const char *const[]){TANCHOR, "run", "--watch", NULL});
    await_text(&watch, "first light");
    write_text(below(project, "README.md"), "other words\n");
    edit(source, "first light", "second light");
    ck_assert_ptr_null(strstr(await_text(&watch, "src/main.c saved"), "Running"));
    await_text(&watch, "1 file compiled, linked");
    await_text(&watch, "second light");
    edit(source, "    printf", "    oops printf");
    await_text(&watch, "problem  compile");
    edit(source, "    oops printf(\"second light\\n\");", "    printf(\"third light\\n\");\n    return 3;");
    await_text(&watch, "third light");
    await_text(&watch, "with exit code 3"); /* and is watched all the same */
    edit(source, "third light", "fourth light");
    await_text(&watch, "fourth light");
    await_text(&watch, "with exit code 3");
    ck_assert_int_eq(end_beside(&watch, SIGINT), 3); /* the program's own */
}
END_TEST

static const char echo[] =
    "#include <stdio.h>\n#include <strand/clock.h>\n#include <strand/console.h>\n"
    "int main(void) {\n    printf(\"keys?\");\n    fflush(stdout);\n    for (;;) {\n"
    "        int byte = strand_console_poll();\n        if (byte >= 0) {\n"
    "            printf(\"[%02x]\", (unsigned)byte);\n            fflush(stdout);\n        }\n"
    "        if (byte == 'q')\n            return 7;\n        strand_clock_sleep(1000);\n    }\n}\n";

START_TEST(keys_reach_the_target_at_once) {
    char *project = project_of(echo);
    g_setenv("TERM", "dumb", TRUE); /* nothing but text */
    const struct typed keys[] = {{"keys?", "a"}, {"[61]", "\r"}, {"[0a]", "q"}, {NULL, NULL}};
    struct ran ran = in_terminal(project, 100, keys, (const char *const[]){TANCHOR, "run", NULL});
    ck_assert_int_eq(ran.code, 7);
    expect_shown(ran, "keys that you press go to the console");
    expect_shown(ran, "keys?[61][0a][71]\n"); /* the next line is the tool's own */
    expect_shown(ran, "with exit code 7 after");
    const struct typed lines[] = {{"keys?", "a"}, {"a", "q\r"}, {NULL, NULL}};
    ran = in_terminal(project, 100, lines, (const char *const[]){TANCHOR, "run", "--line", NULL});
    ck_assert_int_eq(ran.code, 7);
    expect_shown(ran, "keys?aq\n[61][71]\n");
    const struct typed interrupt[] = {{"keys?", "\003"}, {NULL, NULL}};
    ran = in_terminal(project, 100, interrupt, (const char *const[]){TANCHOR, "run", NULL});
    ck_assert_int_eq(ran.code, 0);
    expect_shown(ran, "keys?\n");
    expect_shown(ran, "of device time");
    /* The terminal is as it was, also when the tool was ended the hard way. */
    const struct typed restored[] = {{"keys?", "\003"}, {"echo\n", "\004"}, {NULL, NULL}};
    ran = in_terminal(project, 100, restored,
                      (const char *const[]){"sh", "-c",
                                            "trap : INT; " TANCHOR " run; stty -a | tr ' ' '\\n' | grep "
                                            "-E '^-?(icanon|echo);?$'; cat",
                                            NULL});
    ck_assert_msg(strstr(ran.out, "\nicanon\n") && strstr(ran.out, "\necho\n"), "%s", ran.out);
}
END_TEST

/* The last line shows the lamps while the console scrolls above, and is given back. */
START_TEST(the_panel_shows_the_lamps) {
    char *project = first_light();
    g_setenv("LC_ALL", "C.UTF-8", TRUE);
    const struct typed interrupt[] = {{"first light\n", ""},
                                      {"lamps ○○○○○○○\033[33m●\033[0m", ""},
                                      {"lamps ○○○○○○○○  ", ""}, /* a busy computer paints when it can: no times */
                                      {"\033[33m●\033[0m  ", "\003"},
                                      {NULL, NULL}};
    struct ran ran = in_terminal(project, 100, interrupt, (const char *const[]){TANCHOR, "run", NULL});
    ck_assert_int_eq(ran.code, 0);
    expect_shown(ran, "\033[1;38r");
    const char *end = g_strrstr(ran.out, "\033[r");
    ck_assert_msg(end && strstr(end, " of device time\n") && !strstr(end, "lamps"), "%s", ran.out);
    g_setenv("LC_ALL", "C", TRUE);
    g_setenv("TERM", "dumb", TRUE);
    ran = in_terminal(project, 100, (const struct typed[]){{"first light\n", "\003"}, {NULL, NULL}},
                      (const char *const[]){TANCHOR, "run", NULL});
    ck_assert_msg(!strchr(ran.out, '\033') && !strstr(ran.out, "lamps"), "%s", ran.out);
    g_setenv("TERM", "xterm", TRUE);
    g_unsetenv("LC_ALL");
}
END_TEST

/* A pipe that nobody reads lets the tool hang in a write: the second Ctrl-C is the end all the same. */
START_TEST(a_second_interrupt_always_ends) {
    char *project = project_of("#include <stdio.h>\nint main(void) { for (;;) puts(\"flood flood flood flood\"); }\n");
    expect_done(tanchor(project, "build"));
    ck_assert_int_eq(mkfifo(test_path("fifo"), 0600), 0);
    int unread = open(test_path("fifo"), O_RDWR);
    ck_assert_int_ge(unread, 0);
    struct beside run = run_beside(
        project, "run.txt", (const char *const[]){"sh", "-c", "exec " TANCHOR " run --pace full >../fifo", NULL});
    await_text(&run, "Running at full pace");
    for (int full = 0, before = -1; full != before;) { /* until it takes no more */
        before = full;
        g_usleep(200000);
        ck_assert_int_eq(ioctl(unread, FIONREAD, &full), 0);
    }
    kill(run.pid, SIGINT);
    g_usleep(200000);
    int code = end_beside(&run, SIGINT);
    ck_assert_msg(code == 128 + SIGINT, "%d", code);
    close(unread);
}
END_TEST

START_TEST(the_pace_is_the_board_s_and_is_said) {
    char *project = first_light();
    expect_done(tanchor(project, "build"));
    gint64 start_us = g_get_monotonic_time();
    struct ran ran = tanchor(project, "run", "--for", "500ms", "--pace", "board");
    gint64 took_us = g_get_monotonic_time() - start_us;
    ck_assert_msg(took_us >= 500000, "%lld us", (long long)took_us);
    ck_assert_ptr_nonnull(strstr(ran.err, "Running at the board's pace for 0.500 s of device time"));
    ran = tanchor(project, "run", "--for", "20s");
    ck_assert_ptr_nonnull(strstr(ran.err, "Running at full pace for 20.000 s of device time"));
    struct beside run = run_beside(project, "run.txt", (const char *const[]){TANCHOR, "run", NULL});
    await_text(&run, "Running at the board's pace.");
    await_text(&run, "first light\n");
    g_usleep(100000);
    ck_assert_int_eq(end_beside(&run, SIGINT), 0);
    await_text(&run, " of device time"); /* which is about as long */
    ran = tanchor(project, "run", "--pace", "wild");
    expect_refusal(ran, 2, "--pace: there is no such pace; write --pace board or --pace full");
}
END_TEST

/* A target that says nothing, or all the time, takes no more of this computer than its pace needs. */
START_TEST(an_idle_target_costs_next_to_nothing) {
    char *project = first_light();
    expect_done(tanchor(project, "build"));
    struct ran ran = run_program(
        project, NULL,
        (const char *const[]){"bash", "-c",
                              "TIMEFORMAT='%U %S'; time " TANCHOR " run --for 2s --pace board >/dev/null 2>&1", NULL});
    double user_s = 9, system_s = 9;
    ck_assert_int_eq(sscanf(ran.err, "%lf %lf", &user_s, &system_s), 2);
    ck_assert_msg(user_s + system_s < 1.0, "%f + %f s of 2 s", user_s, system_s);
}
END_TEST

/* On a narrow terminal cells go on below, whole words; nothing leaves its column and nothing is lost. */
START_TEST(tables_fit_the_terminal) {
    static const struct {
        const char *arguments[4];
        int columns;
    } cases[] = {{{"catalog", NULL}, 78}, {{"catalog", "show", "strand", NULL}, 100}, {{"help", "run", NULL}, 60}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        const char *arguments[6] = {TANCHOR};
        memcpy(arguments + 1, cases[i].arguments, sizeof cases[i].arguments);
        struct ran wide = run_program(test_folder, NULL, arguments);
        g_setenv("TERM", "dumb", TRUE);
        struct ran narrow = in_terminal(test_folder, cases[i].columns, NULL, arguments);
        g_auto(GStrv) lines = g_strsplit(narrow.out, "\n", -1);
        for (char **line = lines; *line; ++line)
            ck_assert_msg(g_utf8_strlen(*line, -1) <= cases[i].columns, "\"%s\"", *line);
        g_auto(GStrv) words = g_strsplit_set(wide.out, " \n", -1);
        for (char **word = words; *word; ++word)
            ck_assert_msg(strstr(narrow.out, *word) != NULL, "\"%s\" is lost: %s", *word, narrow.out);
    }
}
END_TEST

/* A name of somebody else's begins no line of a table, and an answer at each save is a line of JSON. */
START_TEST(rows_are_rows_whatever_they_hold) {
    char *project = first_light();
    write_text(below(project, "odd\nsetup.yaml  yours"), "x");
    struct ran ran = tanchor(project, "show", "--files");
    expect_shown(ran, "odd\\x0asetup.yaml  yours");
    ran = in_terminal(project, 60, NULL, (const char *const[]){TANCHOR, "show", "--files", NULL});
    ck_assert_msg(!strstr(ran.out, "\nsetup.yaml"), "%s", ran.out);
    struct beside watch =
        run_beside(project, "lines.txt", (const char *const[]){TANCHOR, "verify", "--watch", "--json", NULL});
    await_text(&watch, "}\n");
    edit(below(project, "src/main.c"), "500000", "400000");
    await_text(&watch, "}\n");
    end_beside(&watch, SIGTERM);
    g_auto(GStrv) lines = g_strsplit(read_text(test_path("lines.txt")), "\n", -1);
    ck_assert_uint_eq(g_strv_length(lines), 3);
    for (int i = 0; i < 2; ++i)
        ck_assert_msg(lines[i][0] == '{' && strstr(lines[i], i ? "\"passed\":false" : "\"passed\":true"), "%s",
                      lines[i]);
}
END_TEST

START_TEST(plain_terminals_get_plain_text) {
    char *project = first_light();
    static const char *const settings[][2] = {{"TERM", "dumb"}, {"NO_COLOR", "1"}};
    const char *const arguments[] = {TANCHOR, "verify", NULL};
    expect_shown(in_terminal(project, 100, NULL, arguments), "\033[32mpass");
    for (size_t i = 0; i < G_N_ELEMENTS(settings); ++i) {
        g_autofree char *before = g_strdup(g_getenv(settings[i][0]));
        g_setenv(settings[i][0], settings[i][1], TRUE);
        struct ran ran = in_terminal(project, 100, NULL, arguments);
        ck_assert_msg(!strstr(ran.out, "\033[3") && strstr(ran.out, "pass  the lamp"), "%s", ran.out);
        if (!strcmp(settings[i][1], "dumb"))
            ck_assert_msg(!strchr(ran.out, '\033'), "%s", ran.out);
        if (before)
            g_setenv(settings[i][0], before, TRUE);
        else
            g_unsetenv(settings[i][0]);
    }
    const char *const plain[] = {"LC_ALL=C", NULL};
    struct ran ran = run_program(project, plain, (const char *const[]){TANCHOR, "help", NULL});
    ck_assert_ptr_null(strchr(ran.out, '?'));
    ran = run_program(project, plain, (const char *const[]){TANCHOR, "build", "--föst", NULL});
    ck_assert_msg(strstr(ran.err, "--föst") != NULL, "%s", ran.err);
}
END_TEST

/* Trials of a board that has more lamps; names that are not one's own. */
START_TEST(rows_speak_of_the_first_lamps) {
    char *project = tide_lamp();
    write_text(test_path("kit/profiles/knot.yaml"), "profile: knot\nlike: dunlin\nversion: 1.0.0\nconnectors:\n"
                                                    "  lamps: {count: 16}\n  button A: {pin: 20}\n");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    expect_done(tanchor(project, "configure", "--target", "knot"));
    expect_shown(tanchor(project, "verify"), "5 of 5 passed");
    struct ran ran = tanchor(project, "verify", "--list");
    expect_row(ran, "lamp fills with the tide", "trials/lamps.trial", "1", "3");
    write_text(below(project, "trials/more.trial"), "trial \"lamp fills with the tide\"\n  power on\n  no trap\n");
    ran = tanchor(project, "verify");
    expect_refusal(ran, 1,
                   "trials/more.trial:1:1: the trial \"lamp fills with the tide\" is in trials/lamps.trial:1 too");
    write_text(below(project, "trials/more.trial"), "# later\n");
    ran = tanchor(project, "verify");
    expect_refusal(ran, 1, "trials/more.trial: the file holds no trial");
    ran = tanchor(project, "ready");
    expect_shown(ran, "problem  project     trials/more.trial: the file holds no trial");
}
END_TEST

/* What ready would find, configure tells. */
START_TEST(configure_and_ready_agree) {
    expect_done(tanchor(test_folder, "import", "hull-number"));
    char *project = test_path("hull-number");
    struct ran ran = tanchor(project, "configure");
    expect_done(ran);
    ck_assert_msg(g_str_has_prefix(strchr(ran.out, '\n'), "\n  warning  setting"), "%s", ran.out);
    expect_done(tanchor(test_folder, "bench", "switch", "dunlin", "power=off"));
    edit(below(project, "anchor.yaml"), "  board:", "  state: {boot: loader}\n  board:");
    ran = tanchor(project, "configure");
    expect_shown(ran, "warning  target      dunlin has no power");
    expect_shown(ran, "warning  switch      boot of dunlin is flash and must be loader");
    char *setup = read_text(below(project, "setup.yaml"));
    char *big = test_path("big.yaml");
    write_text(big, read_text(CATALOG "/profiles/eider.yaml"));
    edit(big, "model: fabric", "model: loom");
    expect_done(tanchor(test_folder, "bench", "add", "big", "--profile", big));
    edit(below(project, "anchor.yaml"), "board: [lamps 8,", "board: [lamps,");
    ran = tanchor(project, "configure", "--target", "big");
    expect_refusal(ran, 1, "there is no model \"loom\"", "setup.yaml was not changed");
    ck_assert_str_eq(read_text(below(project, "setup.yaml")), setup);
    ran = tanchor(project, "configure", "--target", "turnstone"); /* nor is a target left behind by a refusal */
    ck_assert_int_eq(ran.code, 1);
    ck_assert_ptr_null(strstr(tanchor(test_folder, "bench").out, "turnstone"));
}
END_TEST

/* Somebody's values are not the author's; what a repository must not keep is said. */
START_TEST(imports_start_from_the_template) {
    expect_done(tanchor(test_folder, "import", "hull-number", "theirs"));
    write_text(test_path("theirs/settings.env"), "hull=ES-0999\n");
    struct ran ran = tanchor(test_folder, "import", "./theirs", "mine");
    expect_done(ran);
    expect_shown(ran, "its settings.env holds somebody's own values and was left behind");
    ck_assert_ptr_null(strstr(read_text(test_path("mine/settings.env")), "ES-0999"));
    ck_assert_ptr_nonnull(strstr(read_text(test_path("mine/settings.env")), "hull=<"));
    ck_assert_ptr_nonnull(strstr(read_text(test_path("mine/.gitignore")), "/settings.env\n"));
    expect_row(tanchor(test_path("mine"), "show", "--files"), ".gitignore", "yours");
    shell("tar czf theirs.tar.gz theirs");
    expect_done(tanchor(test_folder, "import", "theirs.tar.gz", "packed"));
    ck_assert_ptr_null(strstr(read_text(test_path("packed/settings.env")), "ES-0999"));
    write_text(test_path("theirs/.gitignore"), "*.log\n");
    expect_done(tanchor(test_folder, "import", "./theirs", "kept"));
    ck_assert_str_eq(read_text(test_path("kept/.gitignore")), "*.log\n");
    expect_row(tanchor(test_path("kept"), "show", "--files"), ".gitignore", "author");
    expect_done(tanchor(test_folder, "import", "--in-place", "./theirs"));
    ck_assert_str_eq(read_text(test_path("theirs/settings.env")), "hull=ES-0999\n");
}
END_TEST

/* A bare folder becomes a project that builds. */
START_TEST(drafts_find_what_the_sources_use) {
    shell("mkdir bare && cp '" CATALOG "'/examples/tide-lamp/src/* bare");
    struct ran ran = tanchor(test_folder, "import", "./bare", "draft");
    expect_done(ran);
    expect_shown(ran, "strand: the sources include headers of core, lamps, button");
    ck_assert_ptr_nonnull(strstr(read_text(test_path("draft/anchor.yaml")), "components: [core, lamps, button]"));
    ran = tanchor(test_path("draft"), "configure", "--target", "curlew");
    expect_refusal(ran, 1, "the component lamps drives lamps, which curlew does not have");
    expect_done(tanchor(test_path("draft"), "configure"));
    ran = tanchor(test_path("draft"), "run", "--for", "20ms");
    ck_assert_str_eq(ran.out, "tide-lamp ready\nlow water\n");
    write_text(test_path("bare/unused.c"), "#error not a part of it\n");
    write_text(test_path("bare/compile_commands.json"),
               "[{\"directory\": \".\", \"file\": \"main.c\", \"arguments\": [\"cc\", \"-DX=1\", \"-c\", \"main.c\"]},"
               " {\"directory\": \".\", \"file\": \"tide.c\", \"command\": \"cc -c tide.c\"},"
               " {\"directory\": \".\", \"file\": \"modes.c\", \"command\": \"cc -c modes.c\"}]");
    ran = tanchor(test_folder, "import", "./bare", "commanded");
    expect_shown(ran, "drafted from 3 sources of compile_commands.json");
    ck_assert_ptr_null(strstr(read_text(test_path("commanded/anchor.yaml")), "unused.c"));
    expect_done(tanchor(test_path("commanded"), "configure"));
    expect_done(tanchor(test_path("commanded"), "build"));
}
END_TEST

/* What an SDK offers to call, from the comments of its headers. */
START_TEST(an_sdk_tells_its_functions) {
    struct ran ran = tanchor(test_folder, "catalog", "show", "strand");
    expect_row(ran, "lamps", "2.1.0", "strand/lamps.h", "the lamp ring");
    expect_row(ran, "lamps", "strand_lamps_show", "strand/lamps.h", "Lights exactly the lamps whose bits are set");
    expect_row(ran, "core", "strand_finish", "Ends the program");
    ran = tanchor(test_folder, "catalog", "show", "strand/lamps");
    expect_row(ran, "strand_lamps_show", "void strand_lamps_show(uint32_t lamps)", "All change at once.");
    ran = tanchor(test_folder, "catalog", "show", "strand@1.4.0/lamps");
    expect_row(ran, "strand_lamps_set", "strand/lamps.h");
    ran = tanchor(test_folder, "catalog", "show", "strand/sails");
    expect_refusal(ran, 1, "strand 2.1.0 has no component \"sails\"", "core, lamps, button");
    ran = tanchor(test_folder, "catalog", "show", "rope/knots");
    expect_refusal(ran, 1, "there is no SDK named \"rope\"");
    /* Comments and declarations as people write them. */
    write_text(test_path("kit/sdk/cord-1.0.0/sdk.yaml"),
               "sdk: cord\nversion: 1.0.0\ntitle: cord\ncomponents:\n  odd: {sources: [a.c], include: [include]}\n");
    write_text(test_path("kit/sdk/cord-1.0.0/a.c"), "int a;\n");
    write_text(test_path("kit/sdk/cord-1.0.0/include/odd.h"),
               "// Odd things.\n#ifndef ODD_H\n#define ODD_H\n#define ODD(x) \\\n    ((x) + 1)\n#ifdef __cplusplus\n"
               "extern \"C\" {\n#endif\n\n/** Counts. More of it. */\nint\nodd_count(const char *of,\n          int "
               "(*each)(int));\n"
               "/// Two lines\n/// of one.\nvoid odd_lines(void) __attribute__((noreturn));\n\nint odd_bare(void);\n"
               "/* A type. */\ntypedef void (*odd_call)(int);\nstruct odd { int (*member)(void); };\n"
               "/* Inline. */\nstatic inline int odd_inline(int x) { if (x) { return 1; } return 2; }\n"
               "extern int odd_value;\n/* never closed");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    ran = tanchor(test_folder, "catalog", "show", "cord/odd");
    expect_row(ran, "odd_count", "int odd_count(const char *of, int (*each)(int))", "Counts. More of it.");
    expect_row(ran, "odd_lines", "void odd_lines(void)", "Two lines of one.");
    expect_row(ran, "odd_bare", "int odd_bare(void)");
    expect_row(ran, "odd_inline", "static inline int odd_inline(int x)", "Inline.");
    ck_assert_msg(!strstr(ran.out, "odd_call") && !strstr(ran.out, "member") && !strstr(ran.out, "odd_value"), "%s",
                  ran.out);
}
END_TEST

/* Switches mean something: what cannot be is said before anything is built, and how to change it. */
START_TEST(switches_say_why_before_anything_is_tried) {
    char *project = tide_lamp();
    expect_done(tanchor(project, "configure", "--target", "dunlin"));
    expect_done(tanchor(project, "bench", "switch", "dunlin", "boot=loader"));
    static const char *const runs[] = {"run", "verify"};
    for (size_t i = 0; i < G_N_ELEMENTS(runs); ++i) {
        struct ran ran = tanchor(project, runs[i]);
        expect_refusal(ran, 1, "boot of dunlin is loader: it runs no program",
                       "tanchor bench switch dunlin boot=flash");
    }
    ck_assert(!g_file_test(below(project, "out"), G_FILE_TEST_EXISTS)); /* nothing was built for it */
    struct ran ready = tanchor(project, "ready");
    ck_assert_int_eq(ready.code, 1);
    expect_row(ready, "problem", "boot of dunlin is loader");
    expect_done(tanchor(project, "deploy")); /* which is what the loader waits for */
    expect_done(tanchor(project, "bench", "switch", "dunlin", "boot=flash", "usb cable=unplugged"));
    static const char *const all[] = {"run", "verify", "deploy"};
    for (size_t i = 0; i < G_N_ELEMENTS(all); ++i) {
        struct ran ran = tanchor(project, all[i]);
        expect_refusal(ran, 1, "usb cable of dunlin is unplugged: nothing reaches it",
                       "tanchor bench switch dunlin 'usb cable=plugged'");
    }
    expect_done(tanchor(project, "bench", "switch", "dunlin", "usb cable=plugged"));
    expect_done(tanchor(project, "verify"));
}
END_TEST

/* What a trial expects may be longer than anybody reads. */
START_TEST(long_expectations_are_cut_where_people_read) {
    char *project = test_path("first-light");
    g_autofree char *text = g_strnfill(100000, 'q');
    g_autofree char *trial = g_strdup_printf("trial \"long\"\n  power on\n  within 10 ms console says \"%s\"\n", text);
    expect_done(tanchor(test_folder, "import", "first-light"));
    expect_done(tanchor(project, "configure"));
    write_text(test_path("first-light/trials/long.trial"), trial);
    struct ran ran = tanchor(project, "verify", "long");
    ck_assert_msg(ran.code == 1 && strstr(ran.out, "qqq ... and 99") && strlen(ran.out) < 4000, "%s", ran.out);
    ran = tanchor(project, "verify", "long", "--json");
    ck_assert(ran.code == 1 && strstr(ran.out, text)); /* programs have it whole */
}
END_TEST

int main(void) {
    return run_suite("hand", (const TTest *const[]){the_smallest_example_runs_with_each_compiler,
                                                    run_means_run,
                                                    going_back_to_a_setup_compiles_nothing,
                                                    a_clean_build_begins_anew,
                                                    a_first_build_compiles_each_file_once,
                                                    verify_watches_what_its_verdict_stands_on,
                                                    run_begins_again_at_each_save,
                                                    keys_reach_the_target_at_once,
                                                    switches_say_why_before_anything_is_tried,
                                                    a_second_interrupt_always_ends,
                                                    the_panel_shows_the_lamps,
                                                    the_pace_is_the_board_s_and_is_said,
                                                    an_idle_target_costs_next_to_nothing,
                                                    tables_fit_the_terminal,
                                                    rows_are_rows_whatever_they_hold,
                                                    plain_terminals_get_plain_text,
                                                    rows_speak_of_the_first_lamps,
                                                    configure_and_ready_agree,
                                                    imports_start_from_the_template,
                                                    drafts_find_what_the_sources_use,
                                                    an_sdk_tells_its_functions,
                                                    long_expectations_are_cut_where_people_read,
                                                    NULL});
}
