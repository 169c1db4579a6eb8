/* What lasts in the home and in projects: many processes at once, and a state file in every kind of trouble. And the board of a
   target that differs from its profile. */
#include "support.h"

#include "host/lock.h"

#include <gio/gio.h>
#include <glib/gstdio.h>
#include <sys/stat.h>

/* Starts the tool in FOLDER; its output goes to FOLDER/NAME.txt. */
static GSubprocess *start(const char *folder, const char *const *arguments) {
    g_autoptr(GSubprocessLauncher) launcher = g_subprocess_launcher_new(G_SUBPROCESS_FLAGS_STDERR_MERGE);
    g_autofree char *out = g_build_filename(folder, "said.txt", NULL);
    g_subprocess_launcher_set_cwd(launcher, folder);
    g_subprocess_launcher_set_stdout_file_path(launcher, out);
    g_autoptr(GError) error = NULL;
    GSubprocess *process = g_subprocess_launcher_spawnv(launcher, arguments, &error);
    ck_assert_msg(process != NULL, "%s", error ? error->message : "");
    return process;
}

static void expect_ended(GSubprocess *process, const char *folder) {
    g_subprocess_wait(process, NULL, NULL);
    ck_assert_msg(g_subprocess_get_successful(process), "%s: %s", folder, read_text(test_path("%s/said.txt", folder)));
    g_object_unref(process);
}

START_TEST(twenty_configures_at_once_lose_nothing) {
    enum { PROJECTS = 20 };
    GSubprocess *all[PROJECTS];
    tide_lamp();
    for (int i = 0; i < PROJECTS; ++i)
        shell(test_path("cp -r tide-lamp p%d", i) + strlen(test_folder) + 1);
    for (int i = 0; i < PROJECTS; ++i)
        all[i] = start(test_path("p%d", i), (const char *const[]){TANCHOR, "configure", NULL});
    for (int i = 0; i < PROJECTS; ++i)
        expect_ended(all[i], test_path("p%d", i) + strlen(test_folder) + 1);
    ck_assert_str_eq(state("SELECT count(*) FROM project"), "20\n");
    ck_assert_str_eq(state("PRAGMA integrity_check"), "ok\n");
    struct ran ran = tanchor(test_folder, "bench", "list");
    ck_assert_ptr_null(strstr(strstr(ran.out, "dunlin") + 30, "\n  ok"));
    for (int i = 0; i < PROJECTS; ++i)
        ck_assert_ptr_nonnull(strstr(read_text(test_path("p%d/setup.yaml", i)), "target: dunlin"));
}
END_TEST

/* Whoever comes second waits; both builds are whole. */
START_TEST(two_builds_of_a_project_take_turns) {
    char *project = tide_lamp();
    expect_done(tanchor(project, "configure"));
    GSubprocess *all[4];
    for (size_t i = 0; i < G_N_ELEMENTS(all); ++i)
        all[i] = start(project, (const char *const[]){TANCHOR, i % 2 ? "verify" : "build", NULL});
    unsigned failed = 0;
    for (size_t i = 0; i < G_N_ELEMENTS(all); ++i) {
        g_subprocess_wait(all[i], NULL, NULL);
        failed += i % 2 == 0 && !g_subprocess_get_successful(all[i]); /* a verify may come before the first build */
        g_object_unref(all[i]);
    }
    ck_assert_uint_eq(failed, 0);
    struct ran ran = tanchor(project, "build");
    expect_shown(ran, "up to date, 9 files");
    expect_done(tanchor(project, "verify"));
}
END_TEST

START_TEST(who_is_at_work_is_said) {
    char *project = tide_lamp_built();
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 1\n");
    struct lock lock;
    ck_assert_int_eq(
        lock_take(test_path("tide-lamp/.tanchor/.lock"), project, "build", 1, NULL, NULL, NULL, &lock, NULL), TA_OK);
    static const char *const commands[] = {"build", "configure", "verify"};
    for (size_t i = 0; i < G_N_ELEMENTS(commands); ++i) {
        struct ran ran = tanchor(project, commands[i]);
        expect_refusal(ran, 1, "tide-lamp is in use by test_home build since ", "wait for it, or end process ");
    }
    struct ran ran = tanchor(project, "ready"); /* looking needs no turn */
    expect_done(ran);
    lock_release(&lock);
    expect_done(tanchor(project, "build"));
    ck_assert_int_eq(
        lock_take(test_path("home/bench/.lock"), "the bench", "bench add", 1, NULL, NULL, NULL, &lock, NULL), TA_OK);
    ran = tanchor(test_folder, "bench", "add", "jetty", "--profile", "dunlin");
    expect_refusal(ran, 1, "the bench is in use by test_home bench add since ");
    lock_release(&lock);
    expect_done(tanchor(test_folder, "bench", "add", "jetty", "--profile", "dunlin"));
}
END_TEST

START_TEST(a_state_file_in_trouble_is_said_and_kept) {
    char *project = tide_lamp_built(), *file = test_path("home/state.db");
    const char *setup = read_text(test_path("tide-lamp/setup.yaml"));
    gsize size;
    g_autofree char *before = NULL;
    ck_assert(g_file_get_contents(file, &before, &size, NULL));
    struct stat about;
    ck_assert(!stat(file, &about) && (about.st_mode & 0777) == 0600);
    /* Damaged: nothing is guessed, nothing is written over. */
    write_text(file, "a tide came over it\n");
    struct ran ran = tanchor(project, "configure");
    expect_refusal(ran, 3, "state.db is damaged", "move the file away");
    ck_assert_str_eq(read_text(file), "a tide came over it\n");
    ck_assert(g_file_set_contents(file, before, 5000, NULL)); /* cut off */
    ran = tanchor(project, "configure");
    expect_refusal(ran, 3, "state.db is damaged");
    g_unlink(file); /* as it was told */
    expect_done(tanchor(project, "configure"));
    ck_assert_str_eq(state("SELECT count(*) FROM project"), "1\n");
    /* Of a newer version. */
    state("PRAGMA user_version = 99");
    ran = tanchor(project, "configure");
    expect_refusal(ran, 3, "was written by a newer Tame Anchor (version 99,", "use the newer one");
    ck_assert_str_eq(state("PRAGMA user_version"), "99\n");
    state(
        "DROP TABLE in_place; DROP TABLE compiler_folder; PRAGMA user_version = 1"); /* and of an older one, which is brought up to date */
    expect_done(tanchor(project, "configure"));
    ck_assert_str_eq(state("PRAGMA user_version"), "3\n");
    /* A disk that takes nothing more, and a folder that may not be written. */
    g_autofree char *full = g_strdup_printf("ulimit -f 1; cd tide-lamp && exec '%s' configure", TANCHOR);
    ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", full, NULL});
    expect_refusal(ran, 3, "cannot write", "state.db", "free some space");
    ck_assert_str_eq(read_text(test_path("tide-lamp/setup.yaml")), setup);
    ck_assert_str_eq(state("PRAGMA integrity_check"), "ok\n");
    ran = run_program(project, (const char *const[]){"TANCHOR_HOME=/proc/nowhere", NULL},
                      (const char *const[]){TANCHOR, "configure", NULL});
    expect_refusal(ran, 3, "/proc/nowhere");
    expect_done(tanchor(project, "verify")); /* what needs no state goes on meanwhile */
}
END_TEST

/* What a target's own keys say is what is linked for, generated, deployed and run. */
START_TEST(a_target_s_own_keys_reach_everything) {
    expect_done(tanchor(test_folder, "bench", "add", "small", "--profile", "dunlin", "--set", "memory.ram.size=32KiB",
                        "--set", "clock=16MHz"));
    char *project = tide_lamp();
    expect_done(tanchor(project, "configure", "--target", "small"));
    struct ran ran = tanchor(project, "build");
    expect_shown(ran, "of 32 KiB");
    ck_assert_ptr_nonnull(strstr(read_text(test_path("tide-lamp/out/small-gcc/generated/board.ld")),
                                 "ORIGIN = 0x10000000, LENGTH = 0x8000"));
    ck_assert_ptr_nonnull(
        strstr(read_text(test_path("tide-lamp/out/small-gcc/generated/board.h")), "BOARD_CLOCK_HZ 16000000u"));
    expect_done(tanchor(project, "ready"));
    expect_done(tanchor(project, "verify"));
    ran = tanchor(project, "configure", "--stack", "40KiB");
    expect_refusal(ran, 1, "stack and heap take 40 KiB, dunlin has 32 KiB of RAM");
    /* A key that changes reaches the next build, and an image for the old one does not run unseen. */
    expect_done(tanchor(test_folder, "bench", "remove", "small"));
    expect_done(tanchor(test_folder, "bench", "add", "small", "--profile", "dunlin", "--set", "clock=8MHz"));
    ran = tanchor(project, "build");
    expect_shown(ran, "of 64 KiB");
    ck_assert_ptr_nonnull(
        strstr(read_text(test_path("tide-lamp/out/small-gcc/generated/board.h")), "BOARD_CLOCK_HZ 8000000u"));
    expect_done(tanchor(project, "verify"));
    /* The setup's options stand above the target's keys. */
    edit(test_path("home/bench/small/target.yaml"), "8MHz", "16MHz");
    expect_done(tanchor(project, "configure", "--stack", "1KiB"));
    expect_done(tanchor(project, "build"));
    ck_assert_ptr_nonnull(
        strstr(read_text(test_path("tide-lamp/out/small-gcc/generated/board.h")), "BOARD_CLOCK_HZ 16000000u"));
}
END_TEST

START_TEST(keys_that_contradict_are_refused_with_their_name) {
    static const struct {
        const char *keys[2], *told;
    } cases[] = {
        {{"memory.ram.base=0x00400000"}, "memory.ram.base=0x00400000 cannot be: memory.ram: it overlaps memory.flash"},
        {{"memory.ram.size=0"}, "memory.ram.size=0 cannot be"},
        {{"clock=10"}, "clock=10 cannot be"},
        {{"clock=16MHz", "connectors.lamps.pin=60"}, "connectors.lamps.pin=60 cannot be"},
        {{"connectors.lamps.pin=30"},
         "connectors.lamps.pin=30 cannot be: connectors.lamps: it needs pin 37, gpio0 has 32"},
        {{"devices.uart0.base=0x44000000"}, "devices.uart0.base=0x44000000 cannot be"},
        {{"isa=rv32"}, "isa=rv32 cannot be"},
        {{"tide=high"}, "tide=high cannot be: tide: there is no such key"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        const char *second = cases[i].keys[1];
        struct ran ran = tanchor(test_folder, "bench", "add", "odd", "--profile", "dunlin", "--set", cases[i].keys[0],
                                 second ? "--set" : NULL, second);
        expect_refusal(ran, 1, cases[i].told);
        ck_assert(!g_file_test(test_path("home/bench/odd"), G_FILE_TEST_EXISTS));
    }
    /* Keys that hold only together may be set together. */
    expect_done(tanchor(test_folder, "bench", "add", "moved", "--profile", "dunlin", "--set",
                        "memory.flash.base=0x20000000", "--set", "reset=0x20000000"));
}
END_TEST

/* The bench, as people really use it. */
START_TEST(targets_come_from_files_too_and_do_not_go_unnoticed) {
    char *project = tide_lamp_built();
    struct ran ran = tanchor(test_folder, "bench", "remove", "dunlin");
    expect_done(ran);
    expect_shown(ran, "in use      ");
    expect_shown(ran, "tide-lamp was set up for it");
    expect_done(tanchor(project, "configure"));
    /* A profile in a file stays with its target, whatever becomes of the file; flow style is YAML too. */
    write_text(test_path("mine.yaml"),
               "{profile: mine, \"like\": 'dunlin', version: 1.0.0, memory: {ram: {size: 32 KiB}}}\n");
    ran = tanchor(test_folder, "bench", "add", "small", "--profile", "./mine.yaml");
    expect_done(ran);
    expect_row(ran, "profile", "mine");
    expect_row(ran, "like", "dunlin");
    shell("rm mine.yaml");
    ran = tanchor(test_folder, "bench", "show", "small");
    expect_shown(ran, "32 KiB");
    expect_done(tanchor(project, "configure", "--target", "small"));
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(project, "verify"));
    write_text(test_path("bad.yaml"), "{profile: bad, like: dunlin, version: 1.0.0, memory: {ram: {size: 0 B}}}\n");
    ran = tanchor(test_folder, "bench", "add", "wrong", "--profile", "./bad.yaml");
    expect_refusal(ran, 1, "bad.yaml:1:", "memory.ram");
    ck_assert(!g_file_test(test_path("home/bench/wrong"), G_FILE_TEST_EXISTS));
    /* A value with blanks and operators is one value. */
    ran = tanchor(test_folder, "bench", "add", "ranged", "--profile", "dunlin", "--set", "platform-range=>=1.0 <2",
                  "--set", "title=a: board, {small}");
    ck_assert_msg(ran.code == 2, "%s%s", ran.out, ran.err); /* braces are not */
    expect_done(tanchor(test_folder, "bench", "add", "ranged", "--profile", "dunlin", "--set",
                        "platform-range=>=1.0 <2", "--set", "title=a: board, & small"));
    ran = tanchor(test_folder, "bench", "show", "ranged");
    expect_shown(ran, "ranged: a: board, & small");
    expect_shown(ran, ">=1.0 <2");
}
END_TEST

/* Only lamps are counted: a button's number is its name. */
START_TEST(a_number_behind_a_button_is_its_name) {
    char *project = tide_lamp();
    edit(test_path("tide-lamp/anchor.yaml"), "board: [lamps 8, button A, console]",
         "board: [lamps 6, button 1, console]");
    write_text(test_path("mine.yaml"), "profile: mine\nlike: dunlin\nversion: 1.0.0\nconnectors:\n  button 2: {kind: "
                                       "button, device: gpio0, pin: 12}\n");
    expect_done(tanchor(test_folder, "bench", "add", "two", "--profile", "./mine.yaml"));
    struct ran ran = tanchor(project, "configure", "--target", "two");
    expect_refusal(ran, 1, "needs button 1, which mine does not have");
}
END_TEST

/* The state file holds tokens: it is its owner's alone, whatever it was before. A version below all is no state of ours. */
START_TEST(the_state_file_is_private_and_ours) {
    ck_assert_int_eq(tanchor(test_folder, "import", "first-light").code, 0);
    ck_assert_int_eq(tanchor(test_path("first-light"), "configure").code, 0);
    shell("test $(stat -c %a home/state.db) = 600 && chmod 644 home/state.db");
    ck_assert_int_eq(tanchor(test_path("first-light"), "configure").code, 0);
    shell("test $(stat -c %a home/state.db) = 600");
    state("PRAGMA user_version = -1");
    struct ran ran = tanchor(test_path("first-light"), "configure");
    expect_refusal(ran, 3, "state.db is not a state file of Tame Anchor");
}
END_TEST

/* Where settings.env could be written and setup.yaml not, that is what is said. */
START_TEST(a_full_disk_tells_what_was_changed) {
    char *project = test_path("hull-number");
    ck_assert_int_eq(tanchor(test_folder, "import", "hull-number").code, 0);
    ck_assert_int_eq(tanchor(project, "configure", "--setting", "hull=ES-0417").code, 0);
    struct ran ran = run_program(
        project, NULL,
        (const char *const[]){"sh", "-c", "ulimit -f 1; exec " TANCHOR " configure --setting hull=ES-0418", NULL});
    ck_assert(strstr(read_text(test_path("hull-number/settings.env")), "ES-0418") != NULL);
    ck_assert_msg(ran.code == 3 && strstr(ran.err, "settings.env was changed, setup.yaml was not\n"), "%s%s", ran.out,
                  ran.err);
}
END_TEST

int main(void) {
    return run_suite("home",
                     (const TTest *const[]){
                         twenty_configures_at_once_lose_nothing, two_builds_of_a_project_take_turns,
                         who_is_at_work_is_said, a_state_file_in_trouble_is_said_and_kept,
                         a_target_s_own_keys_reach_everything, keys_that_contradict_are_refused_with_their_name,
                         targets_come_from_files_too_and_do_not_go_unnoticed, a_number_behind_a_button_is_its_name,
                         the_state_file_is_private_and_ours, a_full_disk_tells_what_was_changed, NULL});
}
