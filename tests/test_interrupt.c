/* Interruption by Ctrl-C, or worse, at any instant of any step: afterwards the same command works, and nothing half
   written is left. */
#include "support.h"

#include "host/files.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

/* Starts tanchor in FOLDER, sends it SIGNAL after DELAY_US, and waits for its end. The exit
   code, or 128 and the signal. */
static int interrupt_tool(const char *folder, const char *command, const char *argument, unsigned delay_us,
                          int signal_number) {
    sigset_t sigint, before;
    sigemptyset(&sigint);
    sigaddset(&sigint, SIGINT);
    sigprocmask(SIG_BLOCK, &sigint,
                &before); /* until the child has put Check's handler off, which would end the test */
    const char *said = test_path("said");
    pid_t child = fork();
    ck_assert_int_ge(child, 0);
    if (child == 0) {
        setpgid(0, 0);
        signal(SIGINT, SIG_DFL);
        sigprocmask(SIG_SETMASK, &before, NULL);
        if (chdir(folder) || !freopen(said, "w", stdout) || dup2(STDOUT_FILENO, STDERR_FILENO) < 0)
            _exit(99);
        execl(TANCHOR, "tanchor", command, argument, (char *)NULL);
        _exit(98);
    }
    int status;
    sigprocmask(SIG_SETMASK, &before, NULL);
    setpgid(child, child);
    g_usleep(delay_us);
    kill(-child, signal_number); /* the compilers too */
    ck_assert_int_eq(waitpid(child, &status, 0), child);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

static void remove_home(void) {
    folder_remove(test_path("home"));
}

/* Runs COMMAND to its end after each interruption; START makes it begin anew. */
static void interrupt_often(const char *command, int rounds, unsigned longest_us, const char *remove) {
    char *project = tide_lamp_built();
    GRand *random = g_rand_new_with_seed(17);
    for (int round = 0; round < rounds; ++round) {
        if (remove)
            folder_remove(test_path("%s", remove));
        int signal_number = round % 3 == 2 ? SIGKILL : SIGINT;
        int code = interrupt_tool(project, command, NULL, (unsigned)g_rand_int_range(random, 0, (int)longest_us),
                                  signal_number);
        ck_assert_msg(code == 0 || code == 3 || code == 128 + SIGINT || code == 128 + SIGKILL, "%s: exit code %d: %s",
                      command, code, read_text(test_path("said")));
        struct ran ran = tanchor(project, command);
        ck_assert_msg(ran.code == 0, "%s after an interruption: %s%s", command, ran.out, ran.err);
    }
    g_rand_free(random);
}

/* How long an import of SOURCE takes: the shortest of a few, for other suites run at the same time. */
static int import_us(const char *source, const char *destination) {
    gint64 shortest_us = G_MAXINT64;
    for (int i = 0; i < 4; ++i) {
        folder_remove(destination);
        gint64 start_us = g_get_monotonic_time();
        ck_assert_int_eq(interrupt_tool(test_folder, "import", source, 0, 0), 0); /* signal 0 does nothing */
        shortest_us = MIN(shortest_us, g_get_monotonic_time() - start_us);
    }
    folder_remove(destination);
    return (int)shortest_us;
}

START_TEST(import_is_whole_or_absent) {
    GRand *random = g_rand_new_with_seed(23);
    unsigned whole = 0, absent = 0;
    int longest_us = 2 * import_us("tide-lamp", test_path("tide-lamp"));
    for (int round = 0; round < 60; ++round) {
        char *destination = test_path("tide-lamp");
        interrupt_tool(test_folder, "import", "tide-lamp", (unsigned)g_rand_int_range(random, 0, longest_us),
                       round % 2 ? SIGKILL : SIGINT);
        if (g_file_test(destination, G_FILE_TEST_EXISTS)) {
            struct ran same = run_program(NULL, NULL,
                                          (const char *const[]){"diff", "-r", "-x", ".gitignore", destination,
                                                                CATALOG "/examples/tide-lamp", NULL});
            ck_assert_msg(same.code == 0, "%s", same.out);
            ++whole;
        } else {
            ++absent;
            ck_assert_int_eq(tanchor(test_folder, "import", "tide-lamp").code, 0);
        }
        folder_remove(destination);
        g_auto(GStrv) left = files_match(test_folder, ".tanchor-growing*");
        ck_assert_msg(!left[0] || g_file_test(destination, G_FILE_TEST_EXISTS) || round % 2, "%s is left", left[0]);
    }
    ck_assert_msg(whole && absent, "%u whole, %u absent: the delays do not hit", whole, absent);
    g_rand_free(random);
}
END_TEST

/* Two hundred imports of an archive, killed at random instants: the destination is whole or absent, always. */
START_TEST(imports_of_archives_are_whole_or_absent) {
    char *destination = test_path("lamp");
    GRand *random = g_rand_new_with_seed(31);
    struct ran ran = run_program(CATALOG "/examples/tide-lamp", NULL,
                                 (const char *const[]){"tar", "czf", test_path("lamp.tar.gz"), ".", NULL});
    ck_assert_int_eq(ran.code, 0);
    int longest_us = import_us("lamp.tar.gz", destination) * 5 / 4;
    for (int round = 0; round < 200; ++round) {
        folder_remove(destination);
        interrupt_tool(test_folder, "import", "lamp.tar.gz", (unsigned)g_rand_int_range(random, 0, longest_us),
                       SIGKILL);
        if (!g_file_test(destination, G_FILE_TEST_EXISTS))
            continue;
        ran = run_program(
            NULL, NULL,
            (const char *const[]){"diff", "-r", "-x", ".gitignore", destination, CATALOG "/examples/tide-lamp", NULL});
        ck_assert_msg(ran.code == 0, "%s", ran.out);
    }
    folder_remove(destination);
    ck_assert_int_eq(tanchor(test_folder, "import", "lamp.tar.gz").code, 0);
    g_auto(GStrv) left = files_match(test_folder, ".tanchor-growing*");
    ck_assert_ptr_null(left[0]); /* what the killed ones left is gone */
    g_rand_free(random);
}
END_TEST

START_TEST(configure_can_be_interrupted) {
    interrupt_often("configure", 20, 60000, "home");
}
END_TEST

START_TEST(build_can_be_interrupted) {
    interrupt_often("build", 20, 500000, "tide-lamp/out");
}
END_TEST

START_TEST(deploy_can_be_interrupted) {
    interrupt_often("deploy", 20, 25000, NULL);
}
END_TEST

START_TEST(verify_can_be_interrupted) {
    interrupt_often("verify", 20, 60000, "home/bench/dunlin/flash.bin");
}
END_TEST

START_TEST(run_ends_at_ctrl_c) {
    char *project = tide_lamp_built();
    g_autofree char *script = g_strdup_printf(
        "'%s' run >said 2>&1 & while ! test -s said; do sleep 0.02; done; kill -INT $!; wait $!", TANCHOR);
    expect_done(run_program(project, NULL, (const char *const[]){"timeout", "60", "sh", "-c", script, NULL}));
    remove_home();
}
END_TEST

/* What a test does often when asked to: TANCHOR_ROUNDS, else a few times. */
static int rounds(int otherwise) {
    const char *said = g_getenv("TANCHOR_ROUNDS");
    return said ? atoi(said) : otherwise;
}

static void expect_nothing_left(void) {
    struct ran ran = run_program(
        test_folder, NULL,
        (const char *const[]){
            "sh", "-c", "find . -name '.tanchor-growing*' -o -name '*.part' -o -name 'tmp' -o -name '*.part-*'", NULL});
    ck_assert_msg(!*ran.out, "left behind: %s", ran.out);
}

/* Any command, killed at any instant: what is there is valid, and the same command then works and cleans up. */
START_TEST(kills_leave_every_state_valid_and_nothing_behind) {
    static const struct {
        const char *before, *folder, *command, *argument; /* BEFORE makes it begin anew */
        int longest_us;
    } steps[] = {
        {"rm -rf tide-lamp", ".", "import", "tide-lamp", 30000},
        {"rm -f tide-lamp/setup.yaml", "tide-lamp", "configure", NULL, 60000},
        {"rm -rf tide-lamp/out", "tide-lamp", "build", NULL, 400000},
        {"rm -f home/bench/dunlin/flash.bin", "tide-lamp", "deploy", NULL, 40000},
        {"true", "tide-lamp", "verify", NULL, 100000},
        {"true", ".", "bench", "list", 20000},
    };
    GRand *random = g_rand_new_with_seed(41);
    tide_lamp_built();
    for (int round = 0; round < rounds(36); ++round) {
        size_t i = (size_t)round % G_N_ELEMENTS(steps);
        shell(steps[i].before);
        char *folder = test_path("%s", steps[i].folder);
        interrupt_tool(folder, steps[i].command, steps[i].argument,
                       (unsigned)g_rand_int_range(random, 0, steps[i].longest_us), SIGKILL);
        struct ran ran = tanchor(folder, steps[i].command, steps[i].argument);
        if (i == 0 && ran.code == 1 && strstr(ran.err, "already exists")) /* it was done */
            ran.code = 0;
        ck_assert_msg(ran.code == 0, "%s after a kill: %s%s", steps[i].command, ran.out, ran.err);
        ck_assert_str_eq(state("PRAGMA integrity_check"), "ok\n");
        if (i + 1 == G_N_ELEMENTS(steps))
            expect_nothing_left();
    }
    g_rand_free(random);
}
END_TEST

/* Packages and catalogs too. */
START_TEST(kills_leave_packages_whole_or_absent) {
    GRand *random = g_rand_new_with_seed(43);
    expect_done(tanchor(test_folder, "catalog", "pack", "strand@1.4.0"));
    expect_done(tanchor(test_folder, "catalog", "pack", "strand@2.0.0"));
    expect_done(tanchor(test_folder, "catalog", "pack", "strand@2.1.0"));
    static const char *const adds[] = {"catalog add strand-2.1.0.tar.gz", "catalog remove strand@2.1.0",
                                       "catalog use ./cat.tar"};
    shell("tar -C '" CATALOG "' -cf cat.tar .");
    for (int round = 0; round < rounds(36); ++round) {
        g_autofree char *script = g_strdup_printf("'%s' %s & sleep 0.%03d; kill -9 $! 2>/dev/null; wait", TANCHOR,
                                                  adds[round % 3], g_rand_int_range(random, 0, 50));
        run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
        g_auto(GStrv) installed = files_match(test_path("home/packages"), "*/package.yaml");
        struct ran ran = tanchor(test_folder, "catalog", "list");
        ck_assert_msg(ran.code <= 1 && !strstr(ran.err, "damaged"), "%s%s", ran.out, ran.err);
        if (installed[0]) {
            ran = tanchor(test_folder, "catalog", "remove", "strand@2.1.0");
            ck_assert_msg(ran.code == 0, "%s", ran.err);
        }
        expect_done(tanchor(test_folder, "catalog", "add", "strand-2.1.0.tar.gz"));
        shell("rm -rf home/cache/catalogs/[0-9a-f]*");
        expect_done(tanchor(test_folder, "catalog", "use", "./cat.tar"));
        expect_nothing_left();
    }
    g_rand_free(random);
}
END_TEST

/* Eight at once on one home and one project: each has its turn, nothing is lost, nothing is torn, all end. */
START_TEST(eight_processes_share_a_home_and_a_project) {
    char *project = tide_lamp_built();
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 60\n");
    g_autofree char *script = g_strdup_printf(
        "end=$(($(date +%%s) + %d)); one() { while test $(date +%%s) -lt $end; do for c in build 'configure --optimise "
        "'$2 verify deploy "
        "\"bench switch dunlin boot=flash\" \"bench add t$1 --profile dunlin\" \"bench remove t$1\" \"catalog use "
        "../more$1\" ready; do "
        "'%s' $c >out$1 2>&1; code=$?; test $code = 0 || test \"${c#verify}${c#deploy}${c#ready}\" != \"$c$c$c\" || "
        "grep -q '^tanchor: dunlin is in use by tanchor [dv]' out$1 || { "
        "echo \"$c: $code\"; cat out$1; }; done; done; }; "
        "for n in 1 2 3 4 5 6 7 8; do mkdir -p ../more$n/profiles; cp '%s/profiles/dunlin.yaml' ../more$n/profiles; "
        "done; "
        "for n in 1 2 3 4 5 6 7 8; do one $n $(test $((n %% 2)) = 0 && echo size || echo speed) & done; wait",
        rounds(3), TANCHOR, CATALOG);
    struct ran ran = run_program(project, NULL, (const char *const[]){"sh", "-c", script, NULL});
    ck_assert_msg(!*ran.out, "%s%s", ran.out, ran.err);
    ck_assert_str_eq(state("SELECT count(*) FROM place"), "9\n"); /* eight, and the bundled one */
    ck_assert_str_eq(state("PRAGMA integrity_check"), "ok\n");
    expect_done(tanchor(project, "configure"));
    expect_done(tanchor(project, "build"));
    expect_done(tanchor(project, "verify"));
    expect_nothing_left();
}
END_TEST

int main(void) {
    return run_suite("interrupt",
                     (const TTest *const[]){import_is_whole_or_absent, imports_of_archives_are_whole_or_absent,
                                            configure_can_be_interrupted, build_can_be_interrupted,
                                            deploy_can_be_interrupted, verify_can_be_interrupted, run_ends_at_ctrl_c,
                                            kills_leave_every_state_valid_and_nothing_behind,
                                            kills_leave_packages_whole_or_absent,
                                            eight_processes_share_a_home_and_a_project, NULL});
}
