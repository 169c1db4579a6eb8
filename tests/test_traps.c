/* What is told of a trap: where it was, what it touched, who had called, and how the hart came there. */
#include "support.h"

#include "machine/hart/instructions.h"
#include "tameanchor/machine.h"
#include "tameanchor/trap.h"

#include <jansson.h>
#include <stdlib.h>
#include <string.h>

/* tide-lamp, with CODE before its function tell and CALL at that function's begin; configured for COMPILER. */
static char *lamp_that(const char *compiler, const char *code, const char *call) {
    char *project = tide_lamp();
    g_autofree char *text = g_strdup_printf("%s\nstatic void tell(struct tide tide) {\n    %s\n", code, call);
    expect_done(tanchor(project, "configure", "--compiler", compiler));
    edit(below(project, "src/main.c"), "static void tell(struct tide tide) {\n", text);
    return project;
}

static const char chain[] = "__attribute__((noinline)) int third(int *p) { return p[1] + 1; }\n"
                            "__attribute__((noinline)) int second(int *p) { return third(p) + 1; }\n"
                            "__attribute__((noinline)) int first(int *p) { return second(p) + 1; }\n";

static void callers_are_told(const char *compiler) {
    char *project = lamp_that(compiler, chain, "printf(\"%d\", first(0));");
    struct ran ran = tanchor(project, "run", "--for", "1s", "--pace", "full");
    ck_assert_int_eq(ran.code, 120);
    ck_assert_msg(strstr(ran.err, " in third (src/main.c:14): 0x00000004 is not memory; a null pointer plus 4?") !=
                      NULL,
                  "%s", ran.err);
    ck_assert_msg(strstr(ran.err, "instruction lw a0,4(a0)") != NULL, "%s", ran.err);
    ck_assert_msg(strstr(ran.err, "  third (src/main.c:14)\n  second (src/main.c:15)\n  first (src/main.c:16)\n") !=
                      NULL,
                  "%s", ran.err);
    ran = tanchor(project, "verify");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_msg(strstr(ran.out, "called by    second (src/main.c:15)\n                     first (src/main.c:16)") !=
                      NULL,
                  "%s", ran.out);
    ran = tanchor(project, "run", "--for", "1s", "--json");
    json_t *answer = json_loads(ran.err, 0, NULL);
    json_t *tables = json_object_get(answer, "tables"), *branches = json_object_get(tables, "branches");
    ck_assert_uint_eq(json_array_size(json_object_get(tables, "registers")), 32); /* without zero */
    ck_assert_uint_eq(json_array_size(branches), TA_BRANCHES);
    const char *last = json_string_value(json_object_get(json_array_get(branches, TA_BRANCHES - 1), "to_place"));
    ck_assert_msg(last && g_str_has_prefix(last, "third"), "%s", last);
    json_decref(answer);
}

START_TEST(callers_are_told_by_gcc) {
    callers_are_told("gcc");
}
END_TEST

START_TEST(callers_are_told_by_clang) {
    callers_are_told("clang");
}
END_TEST

static void a_full_stack_is_told(const char *compiler) {
    char *project =
        lamp_that(compiler,
                  "int deep(int n) { volatile int room[20]; room[n % 20] = n; return n > 99999 ? 0 : deep(n "
                  "+ 1) + room[n % 20]; }",
                  "deep(0);");
    struct ran ran = tanchor(project, "run", "--for", "1s", "--pace", "full");
    ck_assert_msg(strstr(ran.err, "is in the guard below the stack, which has run over") != NULL, "%s", ran.err);
    ck_assert_msg(strstr(ran.err, "  deep (src/main.c:14), ") != NULL, "%s", ran.err);
}

START_TEST(a_full_stack_is_told_by_gcc) {
    a_full_stack_is_told("gcc");
}
END_TEST

START_TEST(a_full_stack_is_told_by_clang) {
    a_full_stack_is_told("clang");
}
END_TEST

/* What a hart runs wild by, when nothing handles its trap. */
START_TEST(a_hart_that_runs_wild_says_why) {
    static const struct {
        const char *call, *fix;
    } cases[] = {
        {"__asm__ volatile(\".option arch, +zicsr; csrw mtvec, zero; sw zero, 8(zero)\");",
         "its trap handler is not in memory"},
        {"__asm__ volatile(\".option arch, +zicsr; la t0, 1f; csrw mtvec, t0; .balign 4; 1: sw zero, 8(zero)\");",
         "its trap handler traps, too"},
        {"__asm__ volatile(\".option arch, +zicsr; la t0, 1f; csrw mtvec, t0; .balign 4; 1: nop; sw zero, 8(zero)\");",
         "it traps there again and again"},
    };
    char *project = lamp_that("gcc", "", "before_this();");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        edit(below(project, "src/main.c"), i ? cases[i - 1].call : "before_this();", cases[i].call);
        struct ran ran = tanchor(project, "run", "--for", "1s", "--pace", "full");
        ck_assert_int_eq(ran.code, 1);
        ck_assert_msg(strstr(ran.err, "store access fault") && strstr(ran.err, cases[i].fix), "%s", ran.err);
        ck_assert_msg(strstr(ran.err, "a null pointer plus 8?") != NULL, "%s", ran.err);
    }
}
END_TEST

/* A jump to where no code is comes from somewhere, too. */
START_TEST(a_jump_to_nowhere_names_its_caller) {
    char *project = lamp_that("gcc", "", "((void (*)(void))0x2)();");
    struct ran ran = tanchor(project, "run", "--for", "1s", "--pace", "full");
    ck_assert_msg(strstr(ran.err, "instruction access fault at 0x00000002: ") != NULL, "%s", ran.err);
    ck_assert_msg(strstr(ran.err, "  main (src/main.c:16)\n") != NULL, "%s", ran.err);
    ck_assert_msg(strstr(ran.err, "0x00000002\n") != NULL, "%s", ran.err); /* where the last branch leads to */
}
END_TEST

/* The branches that a replay finds are those that were taken. */
START_TEST(replayed_branches_are_the_ones_taken) {
    static const uint32_t code[] = {
        0x00100293, /* addi t0, zero, 1     ; a walk that never comes by twice in the same way */
        0x00500313, /* addi t1, zero, 5 */
        0x026282b3, /* 1: mul t0, t0, t1 */
        0x00728293, /* addi t0, t0, 7 */
        0x0102d393, /* srli t2, t0, 16 */
        0x0013f393, /* andi t2, t2, 1 */
        0x00038463, /* beqz t2, 2f */
        0x00c0006f, /* j 3f */
        0x00148493, /* 2: addi s1, s1, 1 */
        0x00000013, /* nop */
        0xfe0290e3, /* 3: bnez t0, 1b */
        0xfddff06f, /* j 1b */
    };
    struct ta_problem why;
    struct ta_machine *noted;
    struct ta_port port;
    ck_assert_int_eq(ta_port_simulate(dunlin(), &port, &why), TA_OK);
    ck_assert_int_eq(ta_machine_new(dunlin(), NULL, 0, &noted, &why), TA_OK);
    port.program(port.self, 0x400000, code, sizeof code, &why);
    ta_machine_write(noted, 0x400000, code, sizeof code);
    port.power(port.self, true, &why);
    port.resume(port.self, &why);
    ta_machine_power(noted, true);
    ta_machine_note_branches(noted, true);
    for (uint64_t until_ns = 7000; until_ns < 400000000; until_ns += until_ns / 3) {
        struct ta_branch taken[TA_BRANCHES], replayed[TA_BRANCHES];
        struct ta_event event;
        size_t count;
        ck_assert_int_eq(port.wait(port.self, until_ns, &event, &why), TA_OK);
        do
            ta_machine_run(noted, until_ns, &event);
        while (event.kind != TA_EVENT_TIME);
        ck_assert_int_eq(port.branches(port.self, 0, replayed, &count, &why), TA_OK);
        ck_assert_uint_eq(count, ta_machine_branches(noted, 0, taken));
        ck_assert_uint_eq(count, TA_BRANCHES);
        ck_assert_mem_eq(taken, replayed, sizeof taken);
    }
    uint64_t value = 1; /* who reached in has made another run of it */
    size_t count;
    struct ta_branch branches[TA_BRANCHES];
    port.write_register(port.self, 0, 5, value, &why);
    ck_assert_int_eq(port.branches(port.self, 0, branches, &count, &why), TA_OK);
    ck_assert_uint_eq(count, 0);
    port.close(port.self);
    ta_machine_free(noted);
}
END_TEST

/* Every row of the table, with random operands, as binutils writes it. */
static const struct {
    const char *mnemonic;
    uint32_t mask, match;
    unsigned widths;
} rows[] = {
#define ROW(name, mnemonic, mask, match, format, widths, extensions) {mnemonic, mask, match, WIDTH_##widths},
    INSTRUCTION_TABLE(ROW)
#undef ROW
};

static void disassembly_agrees(unsigned xlen) {
    static const char isa[] = "imafdc_zicsr_zifencei_zba_zbb_zbs";
    g_autofree char *name = g_strdup_printf("rv%u%s", xlen, isa);
    g_autoptr(GString) source = g_string_new(NULL);
    enum { EACH = 6 };
    g_autofree uint32_t *bits = g_new(uint32_t, G_N_ELEMENTS(rows) * EACH);
    size_t count = 0;
    srand(7);
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i)
        for (int k = 0; k < EACH && rows[i].widths & (xlen == 32 ? WIDTH_32 : WIDTH_64); ++k) {
            uint32_t word =
                (rows[i].match | (((uint32_t)rand() << 16 ^ (uint32_t)rand()) & ~rows[i].mask)) &
                ~(uint32_t)0x06000000 * (!strncmp(rows[i].mnemonic, "amo", 3) || rows[i].mnemonic[2] == '.');
            word = (word & ~rows[i].mask) | rows[i].match;
            if (!strncmp(rows[i].mnemonic, "fence", 5))
                word = rows[i].match | (rows[i].match == 0x0f ? 0x0ff00000 : 0);
            g_string_append_printf(source, ".word 0x%08x\n", word);
            bits[count++] = word;
        }
    write_text(test_path("all.s"), source->str);
    g_autofree char *script = g_strdup_printf("riscv64-unknown-elf-as -march=rv%u%s -mabi=%s all.s -o all.o && "
                                              "riscv64-unknown-elf-objcopy -O binary all.o all.bin "
                                              "&& riscv64-unknown-elf-objdump -D -b binary -m riscv:rv%u -M no-aliases "
                                              "all.bin | sed -n 's/^ *[0-9a-f]*:\\t[0-9a-f]* *\\t//p' "
                                              "| sed 's/ *[<#].*//;s/\\t/ /' > all.txt",
                                              xlen, isa, xlen == 32 ? "ilp32d" : "lp64d", xlen);
    shell(script);
    g_auto(GStrv) lines = g_strsplit(read_text(test_path("all.txt")), "\n", -1);
    unsigned compared = 0;
    for (size_t i = 0; i < count && lines[i] && *lines[i]; ++i) {
        char text[TA_INSTRUCTION_TEXT_BYTES];
        ta_instruction_text(name, 4 * i, bits[i], text);
        g_autofree char *theirs = g_strdup(lines[i]);
        static const char *const modes[] = {",rne", ",rtz", ",rdn", ",rup", ",rmm", ",unknown", ",dyn"};
        if (g_str_has_prefix(theirs, "fence "))
            theirs[strlen("fence")] = '\0'; /* what it orders is all the same here */
        for (size_t m = 0; m < G_N_ELEMENTS(modes); ++m)
            if (g_str_has_suffix(theirs, modes[m]))
                theirs[strlen(theirs) - strlen(modes[m])] = '\0';
        if (!*text || strstr(theirs, ".aq") || strstr(theirs, ".rl") || g_str_has_prefix(theirs, "0x") ||
            g_str_has_prefix(theirs, ".4byte"))
            continue;
        ++compared;
        HOLDS(!strcmp(text, theirs), "%08x: %s, binutils says %s", bits[i], text, theirs);
    }
    HOLDS(compared > 500, "only %u were compared", compared);
}

START_TEST(instructions_are_written_as_assemblers_do) {
    disassembly_agrees(32);
    disassembly_agrees(64);
    char text[TA_INSTRUCTION_TEXT_BYTES];
    ta_instruction_text("rv32imac", 0x400000, 0x4501, text); /* a compressed one as what it stands for */
    ck_assert_str_eq(text, "addi a0,zero,0");
    ta_instruction_text("rv32im", 0x400000, 0x4501, text);
    ck_assert_str_eq(text, "");
    ta_instruction_text("rv32im", 0x400000, 0, text);
    ck_assert_str_eq(text, "");
}
END_TEST

int main(void) {
    return run_suite("traps", (const TTest *const[]){callers_are_told_by_gcc, callers_are_told_by_clang,
                                                     a_full_stack_is_told_by_gcc, a_full_stack_is_told_by_clang,
                                                     a_hart_that_runs_wild_says_why, a_jump_to_nowhere_names_its_caller,
                                                     replayed_branches_are_the_ones_taken,
                                                     instructions_are_written_as_assemblers_do, NULL});
}
