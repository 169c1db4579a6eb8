/* A target while somebody uses it: who holds it, what is kept of it, what a verdict stands on. */
#include "support.h"

#include "host/files.h"
#include "host/lock.h"

#include <glib/gstdio.h>
#include <signal.h>
#include <unistd.h>

/* The run was refused, with one line that holds both texts. */
static void refused(struct ran ran, const char *what, const char *fix) {
    expect_refusal(ran, 1, what, fix);
}

/* How often: a share of what `make prove` does. */
static unsigned rounds(unsigned share) {
    const char *said = g_getenv("TANCHOR_TEST_ROUNDS");
    return said ? (unsigned)g_ascii_strtoull(said, NULL, 10) : share;
}

/* first-light in test_folder/NAME, configured for dunlin, its console saying SAYS. */
static char *light(const char *name, const char *says) {
    expect_done(tanchor(test_folder, "import", "first-light", name));
    char *project = test_path("%s", name);
    expect_done(tanchor(project, "configure", "--target", "dunlin"));
    edit(below(project, "src/main.c"), "first light", says);
    return project;
}

/* Another project of the bench's first target. */
static void put_on_bench(void) {
    expect_done(tanchor(test_folder, "bench", "add", "dunlin", "--profile", "dunlin"));
}

START_TEST(two_projects_verified_at_once_get_their_own_verdicts) {
    put_on_bench();
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 120\n");
    light("dawn", "first light");
    light("dusk", "last light"); /* which its trial does not expect */
    g_autofree char *script =
        g_strdup_printf("one() { i=0; while [ $i -lt %u ]; do cd \"$1\"; touch src/main.c; '%s' verify >../$1.out "
                        "2>&1; code=$?; cd ..; "
                        "[ $code = $2 ] || { echo \"$1: $code in round $i\"; cat $1.out; }; "
                        "grep -q \"$3\" $1.out || { echo \"$1: round $i\"; cat $1.out; }; i=$((i + 1)); done; }; "
                        "one dawn 0 '^1 of 1 passed' & one dusk 1 '^0 of 1 passed' & wait",
                        rounds(15), TANCHOR);
    struct ran ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
    ck_assert_msg(!*ran.out, "%s%s", ran.out, ran.err);
}
END_TEST

/* Actions of bench that change a target that somebody uses are refused at once; deploy and verify wait a while; looking is free. What the bench
   keeps stays as it is, and a user who is killed holds nothing. */
START_TEST(commands_beside_a_run_undo_nothing) {
    char *project = light("dawn", "first light");
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 1\n");
    static const char in_use[] = "dunlin is in use by tanchor run since ", fix[] = "wait for it, or end process ";
    struct beside run = run_beside(project, "out", (const char *const[]){TANCHOR, "run", NULL});
    await_text(&run, "first light\n");
    g_autofree char *flash = NULL, *after = NULL;
    gsize size, size_after;
    ck_assert(g_file_get_contents(test_path("home/bench/dunlin/flash.bin"), &flash, &size, NULL));
    for (unsigned i = 0; i < rounds(2); ++i) {
        refused(tanchor(project, "bench", "switch", "dunlin", "power=off"), in_use, fix);
        refused(tanchor(project, "bench", "factory", "dunlin"), in_use, fix);
        refused(tanchor(project, "bench", "remove", "dunlin"), in_use, fix);
        refused(tanchor(project, "bench", "card-in", "dunlin", "anchor.yaml"), in_use, fix);
        expect_done(tanchor(project, "bench", "show", "dunlin"));
        expect_done(tanchor(project, "bench", "list"));
        expect_done(tanchor(project, "show", "--target", "dunlin"));
    }
    refused(tanchor(project, "deploy"), in_use, fix);
    expect_done(tanchor(project, "build")); /* the project is free, its target is not */
    ck_assert_int_eq(kill(run.pid, SIGKILL), 0);
    end_beside(&run, SIGKILL);
    ck_assert(g_file_get_contents(test_path("home/bench/dunlin/flash.bin"), &after, &size_after, NULL));
    ck_assert(size == size_after && !memcmp(flash, after, size));
    expect_done(tanchor(project, "bench", "switch", "dunlin", "power=on"));
    expect_shown(tanchor(project, "verify"), "1 of 1 passed");
}
END_TEST

/* What changed since is not called verified. */
START_TEST(a_verdict_stands_on_its_trials_and_its_setup) {
    char *project = light("dawn", "first light");
    expect_shown(tanchor(project, "verify"), "1 of 1 passed");
    expect_shown(tanchor(project, "-C", "."), "all 1 trials passed");
    g_auto(GStrv) trials = files_match(project, "trials/*.trial");
    char *trial = below(project, trials[0]);
    g_autofree char *longer = g_strconcat(read_text(trial), "\ntrial \"more\"\n  power on\n  no trap\n", NULL);
    write_text(trial, longer);
    expect_shown(tanchor(project, "-C", "."), "the trials have changed since this image was verified");
    expect_shown(tanchor(project, "verify"), "2 of 2 passed");
    expect_shown(tanchor(project, "-C", "."), "all 2 trials passed");
}
END_TEST

START_TEST(what_is_kept_of_somebody_s_own_is_not_lost) {
    char *project = light("dawn", "first light");
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(test_folder, "bench", "add", "jetty", "--profile", "dunlin"));
    expect_done(tanchor(project, "configure", "--target", "jetty"));
    expect_done(tanchor(project, "build"));
    /* Another setup's edits, and what no build made. */
    char *header = below(project, "out/dunlin-gcc/generated/board.h");
    edit(header, "#", "/* mine */\n#");
    write_text(below(project, "out/notes/mine.txt"), "mine\n");
    refused(tanchor(project, "build", "--clean", "all"), "out/dunlin-gcc/generated/board.h was edited by hand", "");
    ck_assert(g_file_test(below(project, "out/jetty-gcc"), G_FILE_TEST_IS_DIR));
    expect_done(tanchor(project, "configure", "--target", "dunlin"));
    expect_done(tanchor(project, "build", "--edited", "keep"));
    edit(header, "#", "/* mine, too */\n#");
    expect_done(tanchor(project, "build", "--edited", "keep"));
    ck_assert_ptr_nonnull(strstr(read_text(below(project, "out/dunlin-gcc/generated/board.h.edited")), "/* mine */"));
    ck_assert_ptr_nonnull(strstr(read_text(below(project, "out/dunlin-gcc/generated/board.h.edited-2")), "mine, too"));
    refused(tanchor(project, "build", "--clean", "all"), "is a copy of what you edited", "");
    shell("mv dawn/out/dunlin-gcc/generated/*.edited* .");
    expect_shown(tanchor(project, "build", "--clean", "all"), "out/notes stays: no build made it");
    ck_assert_str_eq(read_text(below(project, "out/notes/mine.txt")), "mine\n");
    ck_assert(!g_file_test(below(project, "out/jetty-gcc"), G_FILE_TEST_EXISTS));
}
END_TEST

START_TEST(targets_are_what_their_folders_and_profiles_say) {
    expect_done(tanchor(test_folder, "bench", "add", "dunlin", "--profile", "turnstone"));
    expect_done(tanchor(test_folder, "import", "tide-lamp"));
    char *project = test_path("tide-lamp");
    expect_shown(tanchor(project, "configure"), "dunlin-2, ");
    expect_shown(tanchor(project, "verify"), "5 of 5 passed");
    /* An image for RAM alone is nothing to deploy. */
    write_text(test_path("ram.S"), ".globl _start\n_start: j _start\n");
    shell("riscv64-unknown-elf-gcc -march=rv32imac -mabi=ilp32 -nostdlib -Wl,-Ttext=0x10000000 -Wl,-z,max-page-size=16 "
          "-Wl,--build-id=none -Wl,-N ram.S -o ram.elf");
    refused(tanchor(test_folder, "deploy", "ram.elf", "--target", "dunlin-2"),
            "ram.elf has nothing for the flash of dunlin-2", "tanchor run");
    /* What was shown goes with the rest. */
    expect_done(tanchor(project, "run", "--for", "1s"));
    expect_done(tanchor(project, "show", "--lamps"));
    expect_done(tanchor(project, "bench", "factory", "dunlin-2"));
    refused(tanchor(project, "show", "--lamps"), "dunlin-2 has shown nothing yet", "tanchor run");
    /* A folder renamed by hand is a target renamed. */
    shell("mv home/bench/dunlin-2 home/bench/pier; cp -r home/bench/pier home/bench/mole");
    struct ran ran = tanchor(project, "bench", "list");
    expect_row(ran, "pier", "dunlin");
    expect_row(ran, "mole", "dunlin");
    ck_assert_ptr_null(strstr(ran.out, "dunlin-2"));
    /* Exit codes, where a parent has SIGCHLD ignored; and a document that stays one when a compiler warns. */
    edit(below(project, "src/main.c"), "int main(void) {", "int main(void) {\n    int slack;");
    g_autofree char *script = g_strdup_printf(
        "trap '' CHLD; cd tide-lamp && '%s' configure >/dev/null && '%s' run --for 1ms --json 2>document >/dev/null && "
        "python3 -c 'import json; json.load(open(\"document\"))'",
        TANCHOR, TANCHOR);
    shell(script);
    expect_shown(tanchor(project, "verify"), "5 of 5 passed");
}
END_TEST

/* Going back, and doing what is in the log again, leads to the same target, bit for bit. */
START_TEST(a_live_target_goes_back_exactly) {
    char *project = test_path("tide-lamp");
    expect_done(tanchor(test_folder, "import", "tide-lamp"));
    expect_done(tanchor(project, "configure", "--target", "dunlin"));
    expect_done(tanchor(project, "build"));
    struct ta_problem why = {0};
    struct ta_port port;
    struct ta_live *live;
    g_autofree char *image = NULL;
    gsize size;
    uint64_t before = 0, after = 0, at_half = 0, back_at_half = 0, replayed = 0;
    ck_assert(g_file_get_contents(below(project, "out/dunlin-gcc/tide-lamp.bin"), &image, &size, NULL));
    ck_assert_int_eq(ta_port_simulate(dunlin(), &port, &why), TA_OK);
    ck_assert_int_eq(port.program(port.self, dunlin()->reset_address, image, size, &why), TA_OK);
    ck_assert_int_eq(ta_live_new(&port, &live, &why), TA_OK);
    ck_assert_int_eq(ta_live_mark(live, &why), TA_OK);
    for (int again = 0; again < 2; ++again) {
        if (!again) {
            ck_assert_int_eq(ta_live_power(live, true, &why), TA_OK);
            ck_assert_int_eq(ta_live_resume(live, &why), TA_OK);
            ck_assert_int_eq(ta_live_pass(live, 500000000, &why), TA_OK);
            ck_assert_int_eq(port.trace(port.self, &at_half, &why), TA_OK);
        }
        ck_assert_msg(!ta_live_do(live, "press button A for 30 ms", &why), "%s", why.what);
        ck_assert_int_eq(ta_live_do(live, "wait 200 ms", &why), TA_OK);
        ck_assert_msg(!ta_live_do(live, "button A=1", &why), "%s", why.what);
        ck_assert_int_eq(ta_live_pass(live, 300000000, &why), TA_OK);
        const struct ta_board *board = ta_live_board(live);
        ck_assert_uint_eq(board->time_ns / 1000000, 1030);
        ck_assert_int_eq(port.trace(port.self, again ? &after : &before, &why), TA_OK);
        ck_assert_msg(!ta_live_back(live, board->time_ns, &why), "%s", why.what); /* all of it once more */
        ck_assert_int_eq(port.trace(port.self, &replayed, &why), TA_OK);
        ck_assert_uint_eq(replayed, again ? after : before);
        ck_assert_uint_eq(board->values[ta_profile_connector(dunlin(), "button A") - dunlin()->connectors], 1);
        if (again)
            break;
        ck_assert_msg(!ta_live_back(live, 700000000, &why), "%s", why.what);
        ck_assert_uint_eq(ta_live_board(live)->time_ns / 1000000, 700);
        ck_assert_int_eq(ta_live_back(live, 900000000, &why), TA_E_INPUT); /* what came then is forgotten */
        ck_assert_msg(!ta_live_back(live, 499000000, &why), "%s", why.what);
        ck_assert_int_eq(ta_live_pass(live, 1000000, &why), TA_OK);
        ck_assert_int_eq(port.trace(port.self, &back_at_half, &why), TA_OK);
    }
    ck_assert_uint_eq(at_half, back_at_half);
    ck_assert_uint_eq(before, after);
    ck_assert_int_eq(ta_live_do(live, "press button Z", &why), TA_E_INPUT);
    ck_assert_int_eq(ta_live_do(live, "shout", &why), TA_E_SYNTAX);
    ck_assert_int_eq(ta_live_do(live, "cut power", &why), TA_E_SYNTAX);
    ta_live_free(live);
    port.close(port.self);
}
END_TEST

/* A wait ends where the port halts: device time stands still there. */
START_TEST(a_breakpoint_ends_a_wait) {
    struct ta_problem why = {0};
    struct ta_port port;
    struct ta_live *live;
    bool over = false;
    const uint32_t loop = 0x0000006f; /* j . */
    ck_assert_int_eq(ta_port_simulate(dunlin(), &port, &why), TA_OK);
    ck_assert_int_eq(port.program(port.self, dunlin()->reset_address, &loop, sizeof loop, &why), TA_OK);
    ck_assert_int_eq(port.set_breakpoint(port.self, dunlin()->reset_address, true, &why), TA_OK);
    ck_assert_int_eq(ta_live_new(&port, &live, &why), TA_OK);
    ck_assert_int_eq(ta_live_power(live, true, &why), TA_OK);
    ck_assert_int_eq(ta_live_resume(live, &why), TA_OK);
    while (!over)
        ck_assert_int_eq(ta_live_wait(live, UINT64_MAX, &over, NULL, &why), TA_OK);
    ck_assert_ptr_nonnull(ta_live_board(live)->halt);
    ck_assert_uint_eq(ta_live_board(live)->halt->pc, dunlin()->reset_address);
    ck_assert_int_eq(ta_live_pass(live, 1000000000, &why), TA_OK);
    ck_assert_uint_lt(ta_live_board(live)->time_ns, 1000000);
    ta_live_free(live);
    port.close(port.self);
}
END_TEST

int main(void) {
    return run_suite("live", (const TTest *const[]){two_projects_verified_at_once_get_their_own_verdicts,
                                                    commands_beside_a_run_undo_nothing,
                                                    a_verdict_stands_on_its_trials_and_its_setup,
                                                    what_is_kept_of_somebody_s_own_is_not_lost,
                                                    targets_are_what_their_folders_and_profiles_say,
                                                    a_live_target_goes_back_exactly, a_breakpoint_ends_a_wait, NULL});
}
