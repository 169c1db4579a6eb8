/* The hart: every instruction against its definition, compressed ones against a real disassembler, traps, CSRs,
   interrupts, time and determinism. Programs are words written into RAM; the board is described in C. */
#include "support.h"

#include "machine/hart/decode.h"

#include <string.h>

enum { RAM = 0x10000000, RAM_BYTES = 0x10000, CLOCK_HZ = 1000000, HANDLER = 0x8000 };

static const struct ta_memory memories[] = {{"flash", TA_MEMORY_FLASH, 0x400000, 0x1000},
                                            {"ram", TA_MEMORY_RAM, RAM, RAM_BYTES}};
static const struct ta_device devices[] = {{.name = "aclint", .model = "aclint", .base = 0x48000000},
                                           {.name = "exit0", .model = "exit-register", .base = 0x4c020000}};
static const struct ta_profile board = {.name = "test",
                                        .version = "1.0.0",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .kind = TA_PROFILE_BOARD,
                                        .isa = "rv32imac_zicsr_zifencei",
                                        .clock_hz = CLOCK_HZ,
                                        .reset_address = RAM,
                                        .memories = memories,
                                        .memory_count = 2,
                                        .devices = devices,
                                        .device_count = 2};

static struct ta_machine *power_on(void) {
    struct ta_machine *machine;
    struct ta_problem why;
    ck_assert_msg(!ta_machine_new(&board, NULL, 0, &machine, &why), "%s", why.what);
    ta_machine_power(machine, true);
    return machine;
}

static void load(struct ta_machine *machine, uint32_t offset, const uint32_t *words, size_t count) {
    for (size_t i = 0; i < count; ++i) {
        const uint8_t bytes[] = {(uint8_t)words[i], (uint8_t)(words[i] >> 8), (uint8_t)(words[i] >> 16),
                                 (uint8_t)(words[i] >> 24)};
        ck_assert_int_eq(ta_machine_write(machine, RAM + offset + 4 * (uint32_t)i, bytes, 4), TA_OK);
    }
}
#define LOAD(machine, offset, ...)                                                                                     \
    load(machine, offset, (const uint32_t[]){__VA_ARGS__}, sizeof((const uint32_t[]){__VA_ARGS__}) / 4)

static uint32_t reg(struct ta_machine *machine, unsigned number) {
    uint64_t value;
    ck_assert_int_eq(ta_machine_register(machine, 0, number, &value), TA_OK);
    return (uint32_t)value;
}

static void set(struct ta_machine *machine, unsigned number, uint32_t value) {
    ck_assert_int_eq(ta_machine_set_register(machine, 0, number, value), TA_OK);
}

static struct ta_event step(struct ta_machine *machine, uint64_t count) {
    struct ta_event event;
    ta_machine_step(machine, 0, count, &event);
    return event;
}

/* Encodings used by the programs below. */
#define R(opcode, funct3, funct7, rd, rs1, rs2)                                                                        \
    ((uint32_t)(opcode) | (uint32_t)(rd) << 7 | (uint32_t)(funct3) << 12 | (uint32_t)(rs1) << 15 |                     \
     (uint32_t)(rs2) << 20 | (uint32_t)(funct7) << 25)
#define I(opcode, funct3, rd, rs1, immediate)                                                                          \
    ((uint32_t)(opcode) | (uint32_t)(rd) << 7 | (uint32_t)(funct3) << 12 | (uint32_t)(rs1) << 15 |                     \
     ((uint32_t)(immediate)&0xfff) << 20)
#define S(funct3, rs1, rs2, immediate)                                                                                 \
    (0x23u | ((uint32_t)(immediate)&0x1f) << 7 | (uint32_t)(funct3) << 12 | (uint32_t)(rs1) << 15 |                    \
     (uint32_t)(rs2) << 20 | (((uint32_t)(immediate) >> 5) & 0x7f) << 25)
#define ADDI(rd, rs1, immediate)  I(0x13, 0, rd, rs1, immediate)
#define LUI(rd, value)            (0x37u | (uint32_t)(rd) << 7 | ((uint32_t)(value)&0xfffff000u))
#define CSR(funct3, rd, rs1, csr) I(0x73, funct3, rd, rs1, csr)
#define WFI                       0x10500073u
#define MRET                      0x30200073u
#define ECALL                     0x00000073u
#define EBREAK                    0x00100073u
#define HERE                      0x0000006fu /* jal x0, 0 */
enum { CSRRW = 1, CSRRS = 2, CSRRC = 3, CSRRWI = 5, CSRRSI = 6 };

/* What each register-register operation computes, by the definition in the ISA manual. */
static uint32_t define(unsigned which, uint32_t a, uint32_t b) {
    int32_t x = (int32_t)a, y = (int32_t)b;
    switch (which) {
    case 0: return a + b;
    case 1: return a - b;
    case 2: return a << (b & 31);
    case 3: return x < y;
    case 4: return a < b;
    case 5: return a ^ b;
    case 6: return a >> (b & 31);
    case 7: return b & 31 ? (a >> (b & 31)) | (x < 0 ? ~(UINT32_MAX >> (b & 31)) : 0) : a;
    case 8: return a | b;
    case 9: return a & b;
    case 10: return (uint32_t)((uint64_t)a * b);
    case 11: return (uint32_t)((uint64_t)((int64_t)x * y) >> 32);
    case 12: return (uint32_t)((uint64_t)((int64_t)x * (int64_t)(uint64_t)b) >> 32);
    case 13: return (uint32_t)((uint64_t)a * b >> 32);
    case 14: return b == 0 ? UINT32_MAX : a == 0x80000000 && b == UINT32_MAX ? a : (uint32_t)(x / y);
    case 15: return b == 0 ? UINT32_MAX : a / b;
    case 16: return b == 0 ? a : a == 0x80000000 && b == UINT32_MAX ? 0 : (uint32_t)(x % y);
    default: return b == 0 ? a : a % b;
    }
}

static const struct {
    const char *name;
    uint8_t funct3, funct7;
} operations[] = {{"add", 0, 0},    {"sub", 0, 0x20}, {"sll", 1, 0}, {"slt", 2, 0},  {"sltu", 3, 0}, {"xor", 4, 0},
                  {"srl", 5, 0},    {"sra", 5, 0x20}, {"or", 6, 0},  {"and", 7, 0},  {"mul", 0, 1},  {"mulh", 1, 1},
                  {"mulhsu", 2, 1}, {"mulhu", 3, 1},  {"div", 4, 1}, {"divu", 5, 1}, {"rem", 6, 1},  {"remu", 7, 1}};

static uint32_t operand(GRand *random) {
    static const uint32_t corners[] = {0, 1, 2, 31, 32, 0x7fffffff, 0x80000000, 0x80000001, 0xffffffff, 0xfffffffe};
    return g_rand_boolean(random) ? g_rand_int(random) : corners[g_rand_int_range(random, 0, G_N_ELEMENTS(corners))];
}

START_TEST(arithmetic_is_as_defined) {
    struct ta_machine *machine = power_on();
    GRand *random = g_rand_new_with_seed(1);
    for (unsigned which = 0; which < G_N_ELEMENTS(operations); ++which) {
        LOAD(machine, 4 * which, R(0x33, operations[which].funct3, operations[which].funct7, 3, 1, 2));
        for (int round = 0; round < 400; ++round) {
            uint32_t a = operand(random), b = operand(random);
            set(machine, 1, a);
            set(machine, 2, b);
            set(machine, TA_REGISTER_PC, RAM + 4 * which);
            step(machine, 1);
            ck_assert_msg(reg(machine, 3) == define(which, a, b), "%s 0x%x 0x%x gave 0x%x, not 0x%x",
                          operations[which].name, a, b, reg(machine, 3), define(which, a, b));
        }
    }
    g_rand_free(random);
    ta_machine_free(machine);
}
END_TEST

/* The immediate forms: funct3, and the register form that they are defined by. */
START_TEST(immediates_are_as_defined) {
    static const struct { uint8_t funct3, which; } forms[] = {{0, 0}, {2, 3}, {3, 4}, {4, 5}, {6, 8}, {7, 9}};
    struct ta_machine *machine = power_on();
    GRand *random = g_rand_new_with_seed(2);
    for (int round = 0; round < 2000; ++round) {
        unsigned form = (unsigned)g_rand_int_range(random, 0, G_N_ELEMENTS(forms));
        int32_t immediate = g_rand_int_range(random, -2048, 2048);
        uint32_t a = operand(random), amount = (uint32_t)immediate & 31;
        LOAD(machine, 0, I(0x13, forms[form].funct3, 3, 1, immediate), I(0x13, 1, 4, 1, amount),
             I(0x13, 5, 5, 1, amount), I(0x13, 5, 6, 1, amount | 0x400), ADDI(0, 1, immediate));
        set(machine, 1, a);
        set(machine, TA_REGISTER_PC, RAM);
        step(machine, 5);
        ck_assert_uint_eq(reg(machine, 3), define(forms[form].which, a, (uint32_t)immediate));
        ck_assert_uint_eq(reg(machine, 4), define(2, a, amount));
        ck_assert_uint_eq(reg(machine, 5), define(6, a, amount));
        ck_assert_uint_eq(reg(machine, 6), define(7, a, amount));
        ck_assert_uint_eq(reg(machine, 0), 0);
    }
    g_rand_free(random);
    ta_machine_free(machine);
}
END_TEST

START_TEST(loads_and_stores_extend_and_truncate) {
    struct ta_machine *machine = power_on();
    LOAD(machine, 0, S(2, 1, 2, 0), I(3, 0, 3, 1, 3), I(3, 4, 4, 1, 3), I(3, 1, 5, 1, 2), I(3, 5, 6, 1, 2),
         I(3, 2, 7, 1, 0), S(0, 1, 8, 1), S(1, 1, 8, 2), I(3, 2, 9, 1, 0));
    set(machine, 1, RAM + 0x100);
    set(machine, 2, 0x89abcdef);
    set(machine, 8, 0x11223344);
    step(machine, 9);
    ck_assert_uint_eq(reg(machine, 3), 0xffffff89);
    ck_assert_uint_eq(reg(machine, 4), 0x89);
    ck_assert_uint_eq(reg(machine, 5), 0xffff89ab);
    ck_assert_uint_eq(reg(machine, 6), 0x89ab);
    ck_assert_uint_eq(reg(machine, 7), 0x89abcdef);
    ck_assert_uint_eq(reg(machine, 9), 0x334444ef);
    ta_machine_free(machine);
}
END_TEST

START_TEST(branches_and_jumps_go_where_they_say) {
    static const struct {
        uint8_t funct3;
        uint32_t a, b;
        bool taken;
    } cases[] = {{0, 5, 5, true},           {0, 5, 6, false},          {1, 5, 6, true}, {1, 5, 5, false},
                 {4, 0xffffffff, 1, true},  {4, 1, 0xffffffff, false}, {5, 1, 1, true}, {6, 1, 0xffffffff, true},
                 {6, 0xffffffff, 1, false}, {7, 0xffffffff, 1, true}};
    struct ta_machine *machine = power_on();
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        LOAD(machine, 0x40, 0x63u | (uint32_t)cases[i].funct3 << 12 | 1u << 15 | 2u << 20 | 0xfc000080u); /* to -64 */
        set(machine, 1, cases[i].a);
        set(machine, 2, cases[i].b);
        set(machine, TA_REGISTER_PC, RAM + 0x40);
        step(machine, 1);
        ck_assert_msg((reg(machine, TA_REGISTER_PC) == RAM + 0x40 + 4) == !cases[i].taken, "%zu: pc 0x%x", i,
                      reg(machine, TA_REGISTER_PC));
    }
    LOAD(machine, 0x100, 0x0100006fu | 5u << 7, 0, 0, 0, I(0x67, 0, 5, 5, 9)); /* jal x5, 16; jalr x5, 9(x5) */
    set(machine, TA_REGISTER_PC, RAM + 0x100);
    step(machine, 1);
    ck_assert_uint_eq(reg(machine, 5), RAM + 0x104);
    ck_assert_uint_eq(reg(machine, TA_REGISTER_PC), RAM + 0x110);
    step(machine, 1);
    ck_assert_uint_eq(reg(machine, TA_REGISTER_PC), RAM + 0x10c);
    ck_assert_uint_eq(reg(machine, 5), RAM + 0x114);
    ta_machine_free(machine);
}
END_TEST

START_TEST(atomics_swap_and_reserve) {
    static const struct {
        uint8_t funct5;
        uint32_t old, operand, stored;
    } cases[] = {{1, 7, 9, 9},
                 {0, 7, 9, 16},
                 {4, 6, 3, 5},
                 {0xc, 6, 3, 2},
                 {8, 6, 3, 7},
                 {0x10, 0xffffffff, 1, 0xffffffff},
                 {0x14, 0xffffffff, 1, 1},
                 {0x18, 0xffffffff, 1, 1},
                 {0x1c, 0xffffffff, 1, 0xffffffff}};
    struct ta_machine *machine = power_on();
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        LOAD(machine, 0, S(2, 1, 4, 0), R(0x2f, 2, cases[i].funct5 << 2, 3, 1, 2), I(3, 2, 5, 1, 0));
        set(machine, 1, RAM + 0x100);
        set(machine, 2, cases[i].operand);
        set(machine, 4, cases[i].old);
        set(machine, TA_REGISTER_PC, RAM);
        step(machine, 3);
        ck_assert_uint_eq(reg(machine, 3), cases[i].old);
        ck_assert_msg(reg(machine, 5) == cases[i].stored, "%zu: 0x%x", i, reg(machine, 5));
    }
    /* sc without, with, and after a lost reservation */
    LOAD(machine, 0, R(0x2f, 2, 3 << 2, 3, 1, 2), R(0x2f, 2, 2 << 2, 4, 1, 0), R(0x2f, 2, 3 << 2, 5, 1, 2),
         R(0x2f, 2, 3 << 2, 6, 1, 2));
    set(machine, 2, 42);
    set(machine, TA_REGISTER_PC, RAM);
    step(machine, 4);
    ck_assert_uint_eq(reg(machine, 3), 1);
    ck_assert_uint_eq(reg(machine, 5), 0);
    ck_assert_uint_eq(reg(machine, 6), 1);
    ta_machine_free(machine);
}
END_TEST

/* What a disassembler shows by another name: hints (writes to x0, additions of 0) and the copy between registers. */
static bool reads_otherwise(uint32_t bits, uint32_t expanded) {
    uint32_t opcode = expanded & 0x7f, rd = expanded >> 7 & 31;
    bool nothing = (opcode == 0x13 || opcode == 0x33 || opcode == 0x37) && !rd;
    bool adds_nothing = (bits & 0xe003) == 0x0001 && !(expanded >> 20);
    return nothing || adds_nothing || ((bits & 0xf003) == 0x8002 && opcode == 0x33);
}

/* The lines of TEXT, which is cut up; ends with null, g_free. (Under a sanitizer g_strsplit looks through all of the rest for each
   line.) */
static char **lines_of(char *text) {
    GPtrArray *lines = g_ptr_array_new();
    for (char *end; *text; text = end + 1) {
        g_ptr_array_add(lines, text);
        end = strchr(text, '\n');
        if (!end)
            break;
        *end = '\0';
    }
    g_ptr_array_add(lines, NULL);
    return (char **)g_ptr_array_free(lines, FALSE);
}

/* Each of the 49152 compressed encodings, and what it is expanded to, go through the real disassembler: both must read
   the same, at the same address. */
static void compare_compressed(const char *isa_text, const char *architecture, unsigned least) {
    struct isa isa;
    struct decoder decoder;
    struct op op;
    ck_assert_int_eq(isa_parse(isa_text, &isa, NULL), TA_OK);
    decoder_init(&decoder, &isa);
    GByteArray *images[2] = {g_byte_array_new(), g_byte_array_new()};
    char **lines[2];
    unsigned legal = 0;
    for (uint32_t bits = 0; bits < 0x10000; ++bits) {
        uint32_t expanded = (bits & 3) == 3 ? 0 : decode_expand((uint16_t)bits, &isa);
        decode(&decoder, expanded, &op);
        if (op.operation == OP_ILLEGAL || reads_otherwise(bits, expanded))
            continue;
        const uint8_t pair[2][4] = {
            {(uint8_t)bits, (uint8_t)(bits >> 8), 0x01, 0x00}, /* and a c.nop */
            {(uint8_t)expanded, (uint8_t)(expanded >> 8), (uint8_t)(expanded >> 16), (uint8_t)(expanded >> 24)}};
        for (int i = 0; i < 2; ++i)
            g_byte_array_append(images[i], pair[i], 4);
        ++legal;
    }
    ck_assert_uint_gt(legal, least);
    for (int i = 0; i < 2; ++i) {
        char *file = test_path("%d.bin", i);
        g_file_set_contents(file, (const char *)images[i]->data, images[i]->len, NULL);
        struct ran ran = run_program(NULL, NULL,
                                     (const char *const[]){"riscv64-unknown-elf-objdump", "-D", "-z", "-b", "binary",
                                                           "-m", architecture, "--no-show-raw-insn", file, NULL});
        ck_assert_int_eq(ran.code, 0);
        lines[i] = lines_of(ran.out);
    }
    char **expanded = lines[1];
    unsigned compared = 0;
    for (char **compressed = lines[0]; *compressed; ++compressed) {
        const char *text = strchr(*compressed, ':');
        unsigned long address = strtoul(*compressed, NULL, 16);
        if (!text || text[1] != '\t' || address % 4)
            continue;
        ++compared;
        if (g_str_has_prefix(text, ":\tc.")) /* a hint, which the disassembler leaves by its own name */
            continue;
        while (*expanded && (strtoul(*expanded, NULL, 16) != address || !strstr(*expanded, ":\t")))
            ++expanded;
        ck_assert_msg(*expanded != NULL, "%s is missing", *compressed);
        const char *other = strchr(*expanded, ':');
        size_t length = strcspn(other, "#"); /* behind it stands what only the longer form shows */
        ck_assert_msg(!strncmp(text, other, strlen(text)) &&
                          strspn(other + strlen(text), " ") >= length - MIN(length, strlen(text)),
                      "%s is not %s", *compressed, *expanded);
    }
    ck_assert_uint_eq(compared, legal);
    for (int i = 0; i < 2; ++i) {
        g_byte_array_free(images[i], TRUE);
        g_free(lines[i]);
    }
}

START_TEST(compressed_instructions_read_like_their_expansion) {
    compare_compressed("rv32imac_zicsr", "riscv:rv32", 27000);
    compare_compressed("rv32imafdc", "riscv:rv32", 43000);
    compare_compressed("rv64imafdc", "riscv:rv64", 43000);
}
END_TEST

START_TEST(reserved_compressed_encodings_are_illegal) {
    struct isa isa;
    struct decoder decoder;
    struct op op;
    ck_assert_int_eq(isa_parse("rv32imac_zicsr", &isa, NULL), TA_OK);
    decoder_init(&decoder, &isa);
    ck_assert_uint_eq(decode_expand(0x852e, &isa), R(0x33, 0, 0, 10, 0, 11)); /* c.mv a0, a1 */
    static const uint16_t reserved[] = {0x0000, 0x0004, 0x6101, 0x6081, 0x4002,
                                        0x8002, 0x2000, 0x9c01, 0x9c21, 0xa000 + 0x2};
    for (size_t i = 0; i + 1 < G_N_ELEMENTS(reserved); ++i) {
        decode(&decoder, decode_expand(reserved[i], &isa), &op);
        ck_assert_msg(op.operation == OP_ILLEGAL, "%04x", reserved[i]);
    }
}
END_TEST

/* Program, cause, and value of the exception at its first instruction (x1 points into RAM at an odd address). */
START_TEST(exceptions_tell_cause_place_and_value) {
    static const struct {
        uint32_t word;
        uint64_t cause;
        uint32_t value;
    } cases[] = {
        {0x00000000, 2, 0},
        {0xffffffff, 2, 0xffffffff},
        {I(3, 2, 2, 1, 0), 4, RAM + 0x101},
        {S(1, 1, 2, 0), 6, RAM + 0x101},
        {I(3, 2, 2, 0, 0), 5, 0},
        {S(2, 0, 2, 4), 7, 4},
        {EBREAK, 3, RAM},
        {CSR(CSRRW, 0, 1, 0xf14), 2, CSR(CSRRW, 0, 1, 0xf14)}, /* read-only */
        {CSR(CSRRS, 2, 0, 0x180), 2, CSR(CSRRS, 2, 0, 0x180)}, /* no supervisor here */
        {R(0x2f, 2, 2 << 2, 2, 1, 0), 4, RAM + 0x101},
        {R(0x2f, 2, 0, 2, 1, 3), 6, RAM + 0x101},
        {R(0x53, 0, 0, 1, 2, 3), 2, R(0x53, 0, 0, 1, 2, 3)}, /* no floating point */
    };
    struct ta_machine *machine = power_on();
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        LOAD(machine, 0, cases[i].word);
        LOAD(machine, HANDLER, HERE);
        set(machine, 1, RAM + 0x101);
        set(machine, TA_REGISTER_CSR + 0x305, RAM + HANDLER);
        set(machine, TA_REGISTER_PC, RAM);
        struct ta_event event = step(machine, 1);
        ck_assert_msg(event.kind == TA_EVENT_TRAP && event.cause == cases[i].cause, "%zu: %s, cause %llu", i,
                      ta_event_text(event.kind), (unsigned long long)event.cause);
        ck_assert_msg((uint32_t)event.value == cases[i].value && event.pc == RAM, "%zu: value 0x%x", i,
                      (uint32_t)event.value);
        ck_assert_uint_eq(reg(machine, TA_REGISTER_PC), RAM + HANDLER);
        ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x341), RAM);
        ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x342), cases[i].cause);
        ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x343), cases[i].value);
        ck_assert_int_eq(ta_machine_stopped(machine), TA_STOP_NONE);
    }
    ta_machine_free(machine);
}
END_TEST

START_TEST(ecall_is_a_call_and_mret_goes_back) {
    struct ta_machine *machine = power_on();
    LOAD(machine, 0, CSR(CSRRSI, 0, 8, 0x300), ECALL, ADDI(5, 5, 1));
    LOAD(machine, HANDLER, CSR(CSRRS, 6, 0, 0x341), ADDI(6, 6, 4), CSR(CSRRW, 0, 6, 0x341), MRET);
    set(machine, TA_REGISTER_CSR + 0x305, RAM + HANDLER);
    ck_assert_int_eq(step(machine, 2).kind, TA_EVENT_TIME); /* no trap event: it was asked for */
    ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x342), 11);
    ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x300), 0x1880); /* MPP, MPIE; MIE off */
    step(machine, 5);
    ck_assert_uint_eq(reg(machine, 5), 1);
    ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x300) & 0x88, 0x88);
    ta_machine_free(machine);
}
END_TEST

START_TEST(a_program_without_a_handler_runs_wild_and_stops) {
    struct ta_machine *machine = power_on();
    struct ta_event event;
    LOAD(machine, 0, I(3, 2, 2, 0, 0));
    ta_machine_run(machine, UINT64_MAX, &event);
    ck_assert_int_eq(event.kind, TA_EVENT_TRAP);
    ta_machine_run(machine, UINT64_MAX, &event);
    ck_assert(event.kind == TA_EVENT_STOP && event.stop == TA_STOP_WILD && event.pc == RAM);
    ta_machine_run(machine, 5000000000, &event);
    ck_assert(event.kind == TA_EVENT_TIME && event.time_ns == 5000000000);
    ta_machine_free(machine);
}
END_TEST

START_TEST(a_handler_that_traps_at_its_own_start_is_wild_too) {
    struct ta_machine *machine = power_on();
    struct ta_event event;
    set(machine, TA_REGISTER_CSR + 0x305, RAM + HANDLER); /* which is zeroed memory */
    ta_machine_run(machine, UINT64_MAX, &event);
    ta_machine_run(machine, UINT64_MAX, &event);
    ck_assert(event.kind == TA_EVENT_TRAP && event.pc == RAM + HANDLER);
    ta_machine_run(machine, UINT64_MAX, &event);
    ck_assert_int_eq(event.stop, TA_STOP_WILD);
    ta_machine_free(machine);
}
END_TEST

START_TEST(flash_is_not_written_by_the_guest) {
    struct ta_machine *machine = power_on();
    LOAD(machine, 0, LUI(1, 0x400000), I(3, 2, 2, 1, 0), S(2, 1, 2, 0));
    LOAD(machine, HANDLER, HERE);
    set(machine, TA_REGISTER_CSR + 0x305, RAM + HANDLER);
    struct ta_event event = step(machine, 3);
    ck_assert_uint_eq(reg(machine, 2), 0xffffffff); /* erased */
    ck_assert(event.kind == TA_EVENT_TRAP && event.cause == 7 && event.value == 0x400000);
    ta_machine_free(machine);
}
END_TEST

START_TEST(counters_count_and_can_be_set) {
    struct ta_machine *machine = power_on();
    LOAD(machine, 0, CSR(CSRRS, 1, 0, 0xb00), CSR(CSRRS, 2, 0, 0xc02), CSR(CSRRW, 0, 5, 0xb80), CSR(CSRRS, 3, 0, 0xc80),
         CSR(CSRRS, 4, 0, 0x301));
    set(machine, 5, 7);
    step(machine, 5);
    ck_assert_uint_eq(reg(machine, 1), 0);
    ck_assert_uint_eq(reg(machine, 2), 1);
    ck_assert_uint_eq(reg(machine, 3), 7);
    ck_assert_uint_eq(reg(machine, 4), 0x40101105); /* RV32 IMACU */
    ck_assert_uint_eq(ta_machine_retired(machine), 5);
    ck_assert_uint_eq(ta_machine_time_ns(machine), 5000);
    ta_machine_free(machine);
}
END_TEST

/* mtimecmp at 1 ms; wfi skips there without executing in between; the interrupt is taken, vectored. */
START_TEST(wfi_skips_to_the_timer) {
    struct ta_machine *machine = power_on();
    struct ta_event event;
    LOAD(machine, 0, LUI(1, 0x48004000), ADDI(2, 0, 1000), S(2, 1, 0, 4), S(2, 1, 2, 0), ADDI(3, 0, 0x80),
         CSR(CSRRW, 0, 3, 0x304), CSR(CSRRSI, 0, 8, 0x300), WFI, HERE);
    LOAD(machine, HANDLER + 28, ADDI(6, 6, 1), HERE);
    set(machine, TA_REGISTER_CSR + 0x305, RAM + HANDLER + 1);
    ta_machine_run(machine, 999000, &event);
    ck_assert_uint_eq(reg(machine, 6), 0);
    ck_assert_uint_eq(ta_machine_retired(machine), 8);
    ta_machine_run(machine, 1001000, &event);
    ck_assert_uint_eq(reg(machine, 6), 1);
    ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x342), 0x80000007);
    ck_assert_uint_eq(reg(machine, TA_REGISTER_CSR + 0x344), 0x80);
    ta_machine_free(machine);
}
END_TEST

START_TEST(fence_i_shows_new_code) {
    struct ta_machine *machine = power_on();
    /* runs x5 += 1 at 0x20, overwrites it by x5 += 100, fence.i, and runs it again */
    LOAD(machine, 0, ADDI(5, 5, 1), S(2, 1, 2, 0), 0x0000100f, 0xff5ff06f); /* jal x0, -12 */
    set(machine, 1, RAM);
    set(machine, 2, ADDI(5, 5, 100));
    step(machine, 5);
    ck_assert_uint_eq(reg(machine, 5), 101);
    ta_machine_free(machine);
}
END_TEST

START_TEST(breakpoints_stop_before_and_are_passed) {
    struct ta_machine *machine = power_on();
    struct ta_event event;
    LOAD(machine, 0, ADDI(5, 5, 1), ADDI(5, 5, 1), 0xff9ff06f); /* jal x0, -8 */
    ck_assert_int_eq(ta_machine_set_breakpoint(machine, RAM + 4, true), TA_OK);
    for (uint32_t round = 0; round < 3; ++round) {
        ta_machine_run(machine, UINT64_MAX, &event);
        ck_assert(event.kind == TA_EVENT_BREAKPOINT && event.pc == RAM + 4);
        ck_assert_uint_eq(reg(machine, 5), 2 * round + 1);
    }
    ck_assert_int_eq(ta_machine_set_breakpoint(machine, RAM + 4, false), TA_OK);
    ta_machine_run(machine, 1000000, &event);
    ck_assert_int_eq(event.kind, TA_EVENT_TIME);
    ta_machine_free(machine);
}
END_TEST

START_TEST(power_clears_ram_and_keeps_flash) {
    struct ta_machine *machine = power_on();
    uint8_t byte = 0x5a;
    ck_assert_int_eq(ta_machine_write(machine, 0x400010, &byte, 1), TA_OK);
    ck_assert_int_eq(ta_machine_write(machine, RAM + 16, &byte, 1), TA_OK);
    ta_machine_reset(machine);
    ta_machine_read(machine, RAM + 16, &byte, 1);
    ck_assert_uint_eq(byte, 0x5a);
    ta_machine_power(machine, false);
    ck_assert_int_eq(ta_machine_stopped(machine), TA_STOP_OFF);
    ta_machine_power(machine, true);
    ta_machine_read(machine, RAM + 16, &byte, 1);
    ck_assert_uint_eq(byte, 0);
    ta_machine_read(machine, 0x400010, &byte, 1);
    ck_assert_uint_eq(byte, 0x5a);
    ck_assert_int_eq(ta_machine_read(machine, 0x400fff, &byte, 2), TA_E_INPUT);
    ck_assert_int_eq(ta_machine_write(machine, 0x48000000, &byte, 1), TA_E_INPUT);
    ta_machine_free(machine);
}
END_TEST

START_TEST(the_exit_register_ends_and_restarts) {
    struct ta_machine *machine = power_on();
    struct ta_event event;
    LOAD(machine, 0, LUI(1, 0x4c020000), ADDI(2, 2, 7), S(2, 1, 2, 0), ADDI(3, 0, 1), S(2, 1, 3, 4));
    ta_machine_run(machine, UINT64_MAX, &event);
    ck_assert(event.kind == TA_EVENT_STOP && event.stop == TA_STOP_ENDED && event.code == 7);
    ta_machine_power(machine, true);
    LOAD(machine, 0, LUI(1, 0x4c020000), ADDI(3, 0, 2), S(2, 1, 3, 4));
    ta_machine_run(machine, 99500000, &event);
    ck_assert_int_eq(event.kind, TA_EVENT_TIME); /* restarts over and over, a millisecond each time */
    ck_assert_uint_eq(ta_machine_retired(machine), 300);
    ta_machine_free(machine);
}
END_TEST

/* Random words as a program, twice: whatever happens is the same, and stays inside. */
START_TEST(wild_programs_are_deterministic) {
    GRand *random = g_rand_new_with_seed(3);
    for (int round = 0; round < 300; ++round) {
        uint32_t words[256];
        uint64_t traces[2];
        for (size_t i = 0; i < G_N_ELEMENTS(words); ++i)
            words[i] = g_rand_int(random);
        for (int run = 0; run < 2; ++run) {
            struct ta_machine *machine = power_on();
            load(machine, 0, words, G_N_ELEMENTS(words));
            for (unsigned i = 1; i < 32; ++i)
                set(machine, i, RAM + 64 * i);
            for (int i = 0; i < 50; ++i)
                step(machine, 40);
            traces[run] = ta_machine_trace(machine);
            ta_machine_free(machine);
        }
        ck_assert_uint_eq(traces[0], traces[1]);
    }
    g_rand_free(random);
}
END_TEST

START_TEST(what_cannot_be_simulated_is_said) {
    static const struct {
        const char *isa;
        unsigned harts;
        const char *model, *what;
        enum ta_status status;
    } cases[] = {{"rv64imafdqc", 1, "aclint", "isa: rv64imafdqc cannot", TA_E_UNSUPPORTED},
                 {"rv32imac", 1, "aclint", "isa: rv32imac has no zicsr", TA_E_INPUT},
                 {"rv32i_zicsr", 9, "aclint", "harts: 9 harts", TA_E_INPUT},
                 {"rv32i_zicsr", 1, "gyroscope", "there is no model \"gyroscope\"", TA_E_UNSUPPORTED}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_profile profile = board;
        struct ta_device device = {.name = "one", .model = cases[i].model, .base = 0x48000000};
        struct ta_machine *machine;
        struct ta_problem why;
        profile.isa = cases[i].isa;
        const struct ta_hart_group harts = {.name = "harts", .count = cases[i].harts};
        profile.hart_groups = &harts;
        profile.hart_group_count = 1;
        profile.devices = &device;
        profile.device_count = 1;
        ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), cases[i].status);
        ck_assert_msg(strstr(why.what, cases[i].what) != NULL, "%s", why.what);
        ck_assert_ptr_null(machine);
    }
    struct ta_profile profile = board;
    struct ta_device device = {.name = "one", .model = "gpio", .base = RAM + 0x100};
    struct ta_machine *machine;
    struct ta_problem why;
    profile.devices = &device;
    profile.device_count = 1;
    ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "is taken"));
}
END_TEST

int main(void) {
    return run_suite("machine", (const TTest *const[]){arithmetic_is_as_defined,
                                                       immediates_are_as_defined,
                                                       loads_and_stores_extend_and_truncate,
                                                       branches_and_jumps_go_where_they_say,
                                                       atomics_swap_and_reserve,
                                                       compressed_instructions_read_like_their_expansion,
                                                       reserved_compressed_encodings_are_illegal,
                                                       exceptions_tell_cause_place_and_value,
                                                       ecall_is_a_call_and_mret_goes_back,
                                                       a_program_without_a_handler_runs_wild_and_stops,
                                                       a_handler_that_traps_at_its_own_start_is_wild_too,
                                                       flash_is_not_written_by_the_guest,
                                                       counters_count_and_can_be_set,
                                                       wfi_skips_to_the_timer,
                                                       fence_i_shows_new_code,
                                                       breakpoints_stop_before_and_are_passed,
                                                       power_clears_ram_and_keeps_flash,
                                                       the_exit_register_ends_and_restarts,
                                                       wild_programs_are_deterministic,
                                                       what_cannot_be_simulated_is_said,
                                                       NULL});
}
