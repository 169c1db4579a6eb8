/* Bare-metal programs built with the C library's semihosting start-up by the real compiler, run by the real tool. */
#include "support.h"

#include <string.h>

/* Compiles SOURCE (a file) with the C library's start-up; further arguments end with NULL. Returns the program's path.
 */
static char *compile(const char *source, const char *option) {
    char *program = test_path("program.elf");
    struct ran ran = run_program(
        test_folder, NULL,
        (const char *const[]){"riscv64-unknown-elf-gcc", "--specs=picolibc.specs", "--crt0=semihost", "-march=rv32imac",
                              "-mabi=ilp32", "-Os", "-g", option ? option : "-Wall", source, "-o", program,
                              "-Wl,--start-group", "-lc", "-lsemihost", "-lgcc", "-Wl,--end-group", NULL});
    ck_assert_msg(ran.code == 0, "%s", ran.err);
    return program;
}

static char *source(const char *text) {
    char *path = test_path("program.c");
    write_text(path, text);
    return path;
}

#define run_semihost(...) tanchor(test_folder, "run", "--profile", FIXTURES "/semihost.yaml", __VA_ARGS__)

START_TEST(a_program_gets_its_console_and_its_exit_code) {
    char *program = compile(FIXTURES "/semihost.c", NULL);
    char *typed = test_path("typed");
    write_text(typed, "one\ntwo\n");
    g_autofree char *command =
        g_strdup_printf("%s run --profile %s/semihost.yaml %s ebb flood < %s", TANCHOR, FIXTURES, program, typed);
    struct ran ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", command, NULL});
    static const char expected[] =
        "hello from semihosting\nwritten\nopen 1, write 0, tty 1, flen 0\nwrite0\n!\n"
        "host file -1, errno 2\nremove -1, system -1\ncommand line 0: ebb flood\n"
        "features left 0: SHFB 3\nclock 1, elapsed 0, ticks 10000000\nread: one\nread: two\nend of input, unread 64\n"
        "close 0, again -1\n";
    /* the compiler may evaluate printf's arguments in any order: "written" comes before its line either way */
    ck_assert_str_eq(ran.out, expected);
    ck_assert_int_eq(ran.code, 42);
    ck_assert_ptr_nonnull(strstr(ran.err, "with exit code 42"));
}
END_TEST

START_TEST(a_program_counts_its_arguments_once) {
    char *program = compile(source("#include <stdio.h>\n"
                                   "int main(int count, char **words) {\n"
                                   "    for (int i = 1; i < count; ++i)\n"
                                   "        printf(\"%d %s\\n\", i, words[i]);\n"
                                   "    return count;\n"
                                   "}\n"),
                            NULL);
    struct ran ran = run_semihost("--", program, "ebb", "-x", "flood");
    ck_assert_str_eq(ran.out, "1 ebb\n2 -x\n3 flood\n");
    ck_assert_int_eq(ran.code, 4);
    ck_assert_int_eq(run_semihost(program).code, 1);
}
END_TEST

START_TEST(without_semihosting_the_call_is_a_trap) {
    char *program = compile(FIXTURES "/semihost.c", NULL);
    struct ran ran = run_semihost("--no-semihosting", program);
    ck_assert_int_eq(ran.code, 1);
    ck_assert_str_eq(ran.out, "");
    ck_assert_ptr_nonnull(strstr(ran.err, "trap        breakpoint at 0x"));
}
END_TEST

START_TEST(a_program_that_runs_wild_is_explained_by_function_and_line) {
    char *program = compile(source("#include <stdio.h>\n"
                                   "static volatile int *gauge = (volatile int *)0x40;\n"
                                   "__attribute__((noinline)) static int read_gauge(void) {\n"
                                   "    return *gauge;\n"
                                   "}\n"
                                   "int main(void) {\n"
                                   "    puts(\"looking\");\n"
                                   "    return read_gauge();\n"
                                   "}\n"),
                            NULL);
    struct ran ran = run_semihost(program);
    ck_assert_int_ne(ran.code, 0);
    ck_assert(g_str_has_prefix(ran.out, "looking\n"));
    ck_assert_ptr_nonnull(strstr(ran.err, "read_gauge (program.c:4)"));
    ck_assert_ptr_nonnull(strstr(ran.err, "load access fault at 0x"));
    ck_assert_ptr_nonnull(strstr(ran.err, "0x00000040 is not memory; a null pointer plus 64?"));
}
END_TEST

START_TEST(a_program_that_never_ends_is_stopped_by_device_time) {
    char *program = compile(source("int main(void) { for (;;); }\n"), NULL);
    struct ran ran = run_semihost("--for", "50ms", "--json", program);
    ck_assert_int_eq(ran.code, 0);
    ck_assert_str_eq(ran.out, "");
    ck_assert_ptr_nonnull(strstr(ran.err, "\"time_ns\": 50000000"));
    ck_assert_ptr_nonnull(strstr(ran.err, "\"stop\": \"runs\""));
}
END_TEST

START_TEST(a_throwaway_target_leaves_the_bench_alone) {
    char *project = tide_lamp_built();
    ck_assert_int_eq(tanchor(project, "deploy").code, 0);
    struct ran ran = tanchor(project, "run", "--target", "dunlin", "--for", "20ms", "out/dunlin-gcc/tide-lamp.elf");
    ck_assert_int_eq(ran.code, 0);
    ck_assert_str_eq(ran.out, "tide-lamp ready\nlow water\n");
    ran = tanchor(project, "deploy");
    ck_assert_ptr_nonnull(strstr(ran.out, "holds this image"));
}
END_TEST

START_TEST(a_target_can_have_semihosting_switched_off) {
    char *program = compile(source("#include <stdlib.h>\nint main(void) { exit(7); }\n"),
                            "-Wl,--defsym=__flash=0x00400000,--defsym=__flash_size=0x40000,--defsym=__ram=0x10000000,"
                            "--defsym=__ram_size=0x10000");
    tide_lamp_built();
    ck_assert_int_eq(tanchor(test_folder, "run", "--target", "dunlin", program).code, 7);
    edit(test_path("home/bench/dunlin/target.yaml"), "profile: dunlin\n", "profile: dunlin\nsemihosting: off\n");
    ck_assert_int_eq(tanchor(test_folder, "run", "--target", "dunlin", "--for", "10ms", program).code, 1);
}
END_TEST

/* A profile of a board of that ISA with a mebibyte of flash and of RAM. */
static char *board_of(const char *isa) {
    char *path = test_path("%s.yaml", isa);
    g_autofree char *text =
        g_strdup_printf("profile: wide\nversion: 1.0.0\ntitle: wide\nkind: board\nisa: %s_zicsr\nclock: 1 GHz\n"
                        "reset: 0x80000000\nsemihosting: on\nmemory:\n"
                        "  flash: {kind: flash, base: 0x80000000, size: 1 MiB}\n"
                        "  ram: {kind: ram, base: 0x80100000, size: 1 MiB}\n",
                        isa);
    write_text(path, text);
    return path;
}

/* A program with a C library's printf, sort, mathematics and jumps, built for every ISA at every optimisation, says what it says on this
   computer. */
START_TEST(programs_of_every_isa_say_what_they_say_here) {
    static const struct {
        const char *isa, *abi;
    } targets[] = {{"rv32i", "ilp32"},
                   {"rv32im", "ilp32"},
                   {"rv32imac", "ilp32"},
                   {"rv32imafc", "ilp32f"},
                   {"rv32imafdc", "ilp32d"},
                   {"rv64imac", "lp64"},
                   {"rv64imafdc", "lp64d"},
                   {"rv32imac_zba_zbb_zbs", "ilp32"},
                   {"rv64imafdc_zba_zbb_zbs", "lp64d"}};
    static const char *const optimisations[] = {"-O0", "-O2", "-Os"};
    shell("cc -O1 -std=c11 -w -ffp-contract=off " FIXTURES "/arithmetic.c -o here -lm && ./here > here.txt");
    char *expected = read_text(test_path("here.txt"));
    for (size_t i = 0; i < G_N_ELEMENTS(targets); ++i)
        for (size_t k = 0; k < G_N_ELEMENTS(optimisations); ++k) {
            g_autofree char *base = g_strndup(targets[i].isa, strcspn(targets[i].isa, "_")); /* the libraries' */
            g_autofree char *compiling = g_strdup_printf(
                "cc='riscv64-unknown-elf-gcc --specs=picolibc.specs --crt0=semihost -mabi=%s -mcmodel=medany' && "
                "$cc -march=%s -w %s -ffp-contract=off -c " FIXTURES
                "/arithmetic.c && $cc -march=%s arithmetic.o -o there.elf "
                "-Wl,--defsym=__flash=0x80000000,--defsym=__flash_size=0x100000 "
                "-Wl,--defsym=__ram=0x80100000,--defsym=__ram_size=0x100000 "
                "-Wl,--start-group -lm -lc -lsemihost -lgcc -Wl,--end-group",
                targets[i].abi, targets[i].isa, optimisations[k], base);
            shell(compiling);
            struct ran ran =
                tanchor(test_folder, "run", "--profile", board_of(targets[i].isa), "--for", "100s", "there.elf");
            ck_assert_msg(ran.code == 0 && !strcmp(ran.out, expected), "%s %s: %d\n%s\nnot\n%s%s", targets[i].isa,
                          optimisations[k], ran.code, ran.out, expected, ran.err);
        }
}
END_TEST

int main(void) {
    return run_suite(
        "semihosting",
        (const TTest *const[]){
            a_program_gets_its_console_and_its_exit_code, a_program_counts_its_arguments_once,
            without_semihosting_the_call_is_a_trap, a_program_that_runs_wild_is_explained_by_function_and_line,
            a_program_that_never_ends_is_stopped_by_device_time, a_throwaway_target_leaves_the_bench_alone,
            a_target_can_have_semihosting_switched_off, programs_of_every_isa_say_what_they_say_here, NULL});
}
