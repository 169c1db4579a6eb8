/* A hart with nothing around it: what instructions compute, in both widths and by both engines; protection and modes. */
#include "support.h"

#include "machine/hart/hart.h"

#include <string.h>

enum {
    RAM = 0x10000000,
    RAM_BYTES = 0x10000,
    DEVICE = 0x20000000,
    FLASH = 0x08000000,
    FLASH_BYTES = 0x2000,
    HANDLER = RAM + 0x8000,
    STEADY = 0x7f0 /* a register of the device that gives what was put there */
};

/* A hart's surroundings: RAM, one device that gives numbers, and what it was told. */
struct lone {
    struct hart hart;
    struct bus bus;
    struct bus_region regions[3];
    uint8_t pages[RAM_BYTES / PAGE_BYTES], code[RAM_BYTES / 16 / 8];
    uint8_t flash_pages[FLASH_BYTES / PAGE_BYTES], flash_code[FLASH_BYTES / 16 / 8];
    uint8_t ram[RAM_BYTES], flash[FLASH_BYTES];
    uint64_t level, polls, asked, traps, last_cause, last_value, stuck, told, breakpoint, broke;
};

static bool lone_read(void *with, struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t *value) {
    struct lone *lone = with;
    (void)slot;
    if (offset == STEADY) {
        ++lone->polls;
        *value = lone->level;
        return true;
    }
    *value = ++lone->asked * 0x9e3779b97f4a7c15u + offset + lone->hart.state.cycle;
    *value = size == 8 ? *value : *value % (UINT64_C(1) << 8 * size);
    return offset < 0x800;
}

static bool lone_write(void *with, struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value) {
    struct lone *lone = with;
    (void)slot;
    lone->told = lone->told * 31 + offset + value + size + lone->hart.state.cycle;
    lone->hart.attention = true;
    return offset < 0x800;
}

static uint64_t lone_time(void *with, const struct hart *hart) {
    (void)with;
    return hart->state.cycle / 3;
}

static void lone_trapped(void *with, struct hart *hart, uint64_t cause, uint64_t pc, uint64_t value) {
    struct lone *lone = with;
    (void)hart;
    (void)pc;
    ++lone->traps;
    lone->last_cause = cause;
    lone->last_value = value;
}

static void lone_stuck(void *with, struct hart *hart, enum ta_wild why) {
    (void)why;
    (void)hart;
    ++((struct lone *)with)->stuck;
}

static enum hart_call lone_called(void *with, struct hart *hart) {
    (void)with;
    (void)hart;
    return CALL_NONE;
}

static bool lone_breakpoint(void *with, uint64_t pc) {
    return pc == ((const struct lone *)with)->breakpoint;
}

/* The debugger looks, and lets it go on. */
static void lone_broke(void *with, struct hart *hart) {
    struct lone *lone = with;
    ++lone->broke;
    lone->told = lone->told * 31 + hart->state.pc + hart->state.cycle;
    hart->step_over = hart->state.pc;
}

static void lone_reached(void *with, struct hart *hart, uint64_t address, unsigned size, enum ta_access done) {
    (void)with;
    (void)hart;
    (void)address;
    (void)size;
    (void)done;
}

static bool lone_is_steady(void *with, struct ta_slot *slot, uint64_t offset) {
    (void)with;
    (void)slot;
    return offset == STEADY;
}

static void lone_stored(void *with, const struct bus_region *region, uint64_t address, uint64_t size) {
    (void)region;
    hart_forget_code(&((struct lone *)with)->hart, address, size);
}

static const struct hart_outside outside = {lone_read,    lone_write,   lone_is_steady, lone_time,
                                            lone_trapped, lone_stuck,   lone_called,    lone_breakpoint,
                                            lone_broke,   lone_reached, lone_stored};

static struct lone *lone_new(const char *isa_text) {
    struct lone *lone = g_new0(struct lone, 1);
    struct isa isa;
    ck_assert_int_eq(isa_parse(isa_text, &isa, NULL), TA_OK);
    lone->regions[0] = (struct bus_region){
        .base = FLASH, .size = FLASH_BYTES, .bytes = lone->flash, .pages = lone->flash_pages, .code = lone->flash_code};
    lone->regions[1] = (struct bus_region){
        .base = RAM, .size = RAM_BYTES, .bytes = lone->ram, .pages = lone->pages, .code = lone->code, .writable = true};
    lone->regions[2] = (struct bus_region){.base = DEVICE, .size = 0x1000};
    lone->bus = (struct bus){lone->regions, 3};
    ck_assert_int_eq(hart_init(&lone->hart, &isa, &lone->bus, &outside, lone), TA_OK);
    lone->hart.reset_address = RAM;
    lone->breakpoint = NO_ADDRESS;
    hart_reset(&lone->hart);
    lone->hart.state.mtvec = HANDLER;
    return lone;
}

static void lone_free(struct lone *lone) {
    hart_free(&lone->hart);
    g_free(lone);
}

static void put_word(struct lone *lone, uint32_t offset, uint32_t bits) {
    little_store(lone->ram + offset, 4, bits);
}

/* Carries out one instruction with these sources; what rd holds then. */
static uint64_t compute(struct lone *lone, uint32_t bits, uint64_t a, uint64_t b) {
    put_word(lone, 0, bits);
    hart_forget_all(&lone->hart);
    lone->hart.state.pc = RAM;
    lone->hart.stop_at = UINT64_MAX;
    hart_set_x(&lone->hart, 10, a);
    hart_set_x(&lone->hart, 11, b);
    hart_step(&lone->hart);
    return hart_x(&lone->hart, 12);
}

/* An instruction's bits with rd x12, rs1 x10 and rs2 x11; of those with an immediate the upper 12 bits are given. */
#define X12(match) ((uint32_t)(match) | 12u << 7 | 10u << 15 | ((match)&0x20 ? 11u << 20 : 0))

/* By the definitions in the Unprivileged ISA manual and the Bit-Manipulation specification; operands at their edges. */
START_TEST(instructions_compute_what_the_manual_says) {
#define ALL  UINT64_MAX
#define HIGH UINT64_C(0x8000000000000000)
    static const struct {
        unsigned xlen;
        const char *name;
        uint32_t bits;
        uint64_t a, b, result;
    } rows[] = {
        {64, "add", X12(0x33), ALL, 2, 1},
        {64, "sub", X12(0x40000033), 0, 1, ALL},
        {64, "sll by 63", X12(0x1033), 1, 63, HIGH},
        {64, "sll by 64 is by 0", X12(0x1033), 5, 64, 5},
        {64, "srl", X12(0x5033), HIGH, 63, 1},
        {64, "sra", X12(0x40005033), HIGH, 63, ALL},
        {64, "slt", X12(0x2033), HIGH, 0, 1},
        {64, "sltu", X12(0x3033), HIGH, 0, 0},
        {64, "addw", X12(0x3b), 0x7fffffff, 1, UINT64_C(0xffffffff80000000)},
        {64, "addw looks at words only", X12(0x3b), UINT64_C(0x1234567800000001), 1, 2},
        {64, "subw", X12(0x4000003b), 0, 1, ALL},
        {64, "sllw", X12(0x103b), 1, 31, UINT64_C(0xffffffff80000000)},
        {64, "sllw by 32 is by 0", X12(0x103b), 1, 32, 1},
        {64, "srlw", X12(0x503b), 0x80000000, 31, 1},
        {64, "sraw", X12(0x4000503b), 0x80000000, 31, ALL},
        {64, "addiw", X12(0x1b) | 0xfffu << 20, 0, 0, ALL},
        {64, "slliw", X12(0x101b) | 31u << 20, 3, 0, UINT64_C(0xffffffff80000000)},
        {64, "srliw", X12(0x501b) | 4u << 20, UINT64_C(0xf80000000), 0, UINT64_C(0x08000000)},
        {64, "sraiw", X12(0x4000501b) | 4u << 20, 0x80000000, 0, UINT64_C(0xfffffffff8000000)},
        {64, "slli by 40", X12(0x1013) | 40u << 20, 1, 0, UINT64_C(1) << 40},
        {64, "srai by 40", X12(0x40005013) | 40u << 20, HIGH, 0, UINT64_C(0xffffffffff800000)},
        {64, "lui extends", 0x80000637, 0, 0, UINT64_C(0xffffffff80000000)},
        {64, "mul", X12(0x2000033), ALL, 3, ALL - 2},
        {64, "mulh", X12(0x2001033), ALL, ALL, 0},
        {64, "mulh of the least", X12(0x2001033), HIGH, HIGH, UINT64_C(0x4000000000000000)},
        {64, "mulhu", X12(0x2003033), ALL, ALL, ALL - 1},
        {64, "mulhsu", X12(0x2002033), ALL, ALL, ALL},
        {64, "mulhsu of positive", X12(0x2002033), 2, HIGH, 1},
        {64, "div by 0", X12(0x2004033), 7, 0, ALL},
        {64, "div overflow", X12(0x2004033), HIGH, ALL, HIGH},
        {64, "rem overflow", X12(0x2006033), HIGH, ALL, 0},
        {64, "rem by 0", X12(0x2006033), 7, 0, 7},
        {64, "divu", X12(0x2005033), ALL, 2, ALL / 2},
        {64, "divw overflow", X12(0x200403b), 0x80000000, ALL, UINT64_C(0xffffffff80000000)},
        {64, "divw by 0", X12(0x200403b), 9, 0, ALL},
        {64, "divuw by 0", X12(0x200503b), 9, 0, ALL},
        {64, "divuw", X12(0x200503b), 0x80000000, 1, UINT64_C(0xffffffff80000000)},
        {64, "remw", X12(0x200603b), (uint64_t)-7, 2, ALL},
        {64, "remuw by 0", X12(0x200703b), 0x80000001, 0, UINT64_C(0xffffffff80000001)},
        {64, "mulw", X12(0x200003b), 0x10000, 0x8000, UINT64_C(0xffffffff80000000)},
        {64, "add.uw", X12(0x0800003b), ALL, 1, UINT64_C(0x100000000)},
        {64, "sh1add", X12(0x20002033), HIGH | 1, 1, 3},
        {64, "sh2add", X12(0x20004033), 3, 1, 13},
        {64, "sh3add", X12(0x20006033), 3, 1, 25},
        {64, "sh3add.uw", X12(0x2000603b), ALL, 1, UINT64_C(0x7fffffff9)},
        {64, "slli.uw", X12(0x0800101b) | 36u << 20, ALL, 0, UINT64_C(0xfffffff000000000)},
        {64, "andn", X12(0x40007033), 0xff, 0x0f, 0xf0},
        {64, "orn", X12(0x40006033), 1, ALL - 6, 7},
        {64, "xnor", X12(0x40004033), 5, 5, ALL},
        {64, "clz", X12(0x60001013), 1, 0, 63},
        {64, "clz of 0", X12(0x60001013), 0, 0, 64},
        {64, "ctz", X12(0x60101013), HIGH, 0, 63},
        {64, "ctz of 0", X12(0x60101013), 0, 0, 64},
        {64, "cpop", X12(0x60201013), ALL, 0, 64},
        {64, "clzw", X12(0x6000101b), UINT64_C(0xf00000001), 0, 31},
        {64, "clzw of 0", X12(0x6000101b), UINT64_C(0xf00000000), 0, 32},
        {64, "ctzw of 0", X12(0x6010101b), UINT64_C(0xf00000000), 0, 32},
        {64, "cpopw", X12(0x6020101b), UINT64_C(0xf0000000f), 0, 4},
        {64, "max", X12(0x0a006033), HIGH, 1, 1},
        {64, "maxu", X12(0x0a007033), HIGH, 1, HIGH},
        {64, "min", X12(0x0a004033), HIGH, 1, HIGH},
        {64, "minu", X12(0x0a005033), HIGH, 1, 1},
        {64, "sext.b", X12(0x60401013), 0x180, 0, UINT64_C(0xffffffffffffff80)},
        {64, "sext.h", X12(0x60501013), 0x8000, 0, UINT64_C(0xffffffffffff8000)},
        {64, "zext.h", X12(0x0800403b) & ~(31u << 20), ALL, 0, 0xffff},
        {64, "rol", X12(0x60001033), HIGH | 1, 1, 3},
        {64, "rol by 64 is by 0", X12(0x60001033), 9, 64, 9},
        {64, "ror", X12(0x60005033), 3, 1, HIGH | 1},
        {64, "rori", X12(0x60005013) | 63u << 20, HIGH, 0, 1},
        {64, "rolw", X12(0x6000103b), 0x80000001, 1, 3},
        {64, "rorw", X12(0x6000503b), 1, 1, UINT64_C(0xffffffff80000000)},
        {64, "roriw", X12(0x6000501b) | 4u << 20, 0xf, 0, UINT64_C(0xfffffffff0000000)},
        {64, "orc.b", X12(0x28705013), UINT64_C(0x0100800000000010), 0, UINT64_C(0xff00ff00000000ff)},
        {64, "rev8", X12(0x6b805013), UINT64_C(0x0102030405060708), 0, UINT64_C(0x0807060504030201)},
        {64, "bclr", X12(0x48001033), ALL, 127, ALL >> 1},
        {64, "bext", X12(0x48005033), HIGH, 63, 1},
        {64, "binv", X12(0x68001033), 0, 63, HIGH},
        {64, "bset", X12(0x28001033), 0, 64, 1},
        {64, "bseti", X12(0x28001013) | 62u << 20, 0, 0, UINT64_C(1) << 62},
        {64, "bclri", X12(0x48001013) | 0u << 20, 3, 0, 2},
        {64, "bexti", X12(0x48005013) | 33u << 20, UINT64_C(2) << 32, 0, 1},
        {64, "binvi", X12(0x68001013) | 33u << 20, UINT64_C(2) << 32, 0, 0},
        {32, "sh1add", X12(0x20002033), 0x80000001, 1, 3},
        {32, "clz of 0", X12(0x60001013), 0, 0, 32},
        {32, "ctz", X12(0x60101013), 0x80000000, 0, 31},
        {32, "cpop", X12(0x60201013), 0xf000000f, 0, 8},
        {32, "sext.b", X12(0x60401013), 0x80, 0, 0xffffff80},
        {32, "zext.h", X12(0x08004033) & ~(31u << 20), 0x12345678, 0, 0x5678},
        {32, "rol", X12(0x60001033), 0x80000001, 33, 3},
        {32, "rori", X12(0x60005013) | 31u << 20, 0x80000000, 0, 1},
        {32, "orc.b", X12(0x28705013), 0x01008000, 0, 0xff00ff00},
        {32, "rev8", X12(0x69805013), 0x01020304, 0, 0x04030201},
        {32, "max", X12(0x0a006033), 0x80000000, 1, 1},
        {32, "bset", X12(0x28001033), 0, 63, 0x80000000},
        {32, "bexti", X12(0x48005013) | 31u << 20, 0x80000000, 0, 1},
        {32, "mulhsu", X12(0x2002033), 0xffffffff, 0xffffffff, 0xffffffff},
    };
    struct lone *wide = lone_new("rv64imafdc_zifencei_zba_zbb_zbs"), *narrow = lone_new("rv32imafdc_zba_zbb_zbs");
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
        struct lone *lone = rows[i].xlen == 64 ? wide : narrow;
        uint32_t bits = rows[i].bits;
        if (!(rows[i].bits & 0x20)) /* an immediate: nothing of rs2 in it */
            bits = rows[i].bits;
        uint64_t got = compute(lone, bits, rows[i].a, rows[i].b);
        ck_assert_msg(got == rows[i].result && !lone->traps, "rv%u %s: %llx, not %llx (%llu traps)", rows[i].xlen,
                      rows[i].name, (unsigned long long)got, (unsigned long long)rows[i].result,
                      (unsigned long long)lone->traps);
    }
    lone_free(wide);
    lone_free(narrow);
}
END_TEST

/* What the hart's ISA lacks, or is reserved, traps as illegal. */
START_TEST(what_the_isa_lacks_is_illegal) {
    static const struct {
        const char *isa;
        uint32_t bits;
    } rows[] = {
        {"rv32i_zicsr", X12(0x2000033)},
        {"rv32im_zicsr", X12(0x20002033)},
        {"rv32imac_zicsr", X12(0x3b)},
        {"rv32imac_zicsr", X12(0x3003)},
        {"rv64imac_zicsr", 0x0005f553},
        {"rv32imaf", 0x02b57653},
        {"rv32imac_zicsr", X12(0x1013) | 1u << 25},
        {"rv32imac_zicsr", 0x0000100f},
        {"rv32imac_zicsr", 0x30200073 | 1u << 7},
        {"rv32imaf", 0x00b55653 /* rounding mode 5 */},
        {"rv32imafd", 0xe2050653 /* fmv.x.d is of 64 bits */},
        {"rv32imac_zicsr", 0xffffffff},
        {"rv64imac_zicsr", X12(0x69805013)},
        {"rv32imac_zbb", X12(0x6b805013)},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
        struct lone *lone = lone_new(rows[i].isa);
        lone->hart.state.mstatus |= MSTATUS_FS;
        compute(lone, rows[i].bits, 0, 0);
        ck_assert_msg(lone->traps == 1 && lone->last_cause == CAUSE_ILLEGAL && lone->last_value == rows[i].bits,
                      "%s %08x: %llu traps, cause %llu", rows[i].isa, rows[i].bits, (unsigned long long)lone->traps,
                      (unsigned long long)lone->last_cause);
        lone_free(lone);
    }
}
END_TEST

/* The two engines. */

static const struct row {
    uint32_t mask, match;
    unsigned widths, format;
} rows[] = {
#define ROW(name, mnemonic, mask, match, format, widths, extensions) {mask, match, WIDTH_##widths, FORMAT_##format},
    INSTRUCTION_TABLE(ROW)
#undef ROW
};

/* Any instruction, its registers mostly such that it does something: x8 and x9 point to data, x14 to code, and x26 to x31 are the
   handler's. */
static uint32_t any_instruction(GRand *random, const struct decoder *decoder, bool writes_itself) {
    static const uint32_t csrs[] = {0x300, 0x304, 0x340, 0x341, 0x342, 0x343, 0x344, 0x305, 0xb00, 0xb02, 0xc00, 0xc01,
                                    0xc02, 0x001, 0x002, 0x003, 0x306, 0x301, 0x3a0, 0x3b0, 0x3b1, 0xf14, 0x310, 0xb82};
    const struct row *row;
    struct op known = {.operation = OP_ILLEGAL};
    do { /* nearly all of the hart's own */
        row = &rows[g_rand_int_range(random, 0, G_N_ELEMENTS(rows))];
        decode(decoder, row->match, &known);
    } while (known.operation == OP_ILLEGAL);
    uint32_t bits = g_rand_int(random), rd = (uint32_t)g_rand_int_range(random, 0, 8), base = 8 + (bits >> 5 & 1);
    if (writes_itself && g_rand_int_range(random, 0, 5) == 0) /* sw, of an instruction that is in x16 to x23, to code */
        return (bits & 0xfe000000 & (bits >> 31 ? UINT32_MAX : 0)) % 0x20000000 | (16u + bits % 8) << 20 | 8u << 15 |
               2u << 12 | (bits & 0xe00) | 0x23;
    if (g_rand_int_range(random, 0, 40) == 0)
        return bits;
    bits = (bits & ~(31u << 7)) | rd << 7;
    switch (row->format) {
    case FORMAT_I:
    case FORMAT_FI:
        if ((row->match & 0x7f) == 0x67) /* jalr */
            bits = (bits & ~(31u << 15) & 0x0fffffff) | 14u << 15;
        else if ((row->match & 0x7f) != 0x13 && (row->match & 0x7f) != 0x1b)
            bits = (bits & ~(31u << 15) & ~(g_rand_int_range(random, 0, 8) ? 7u << 20 : 0)) | base << 15;
        break;
    case FORMAT_S:
    case FORMAT_FS: bits = (bits & ~(31u << 15) & ~(g_rand_int_range(random, 0, 8) ? 7u << 7 : 0)) | base << 15; break;
    case FORMAT_A: bits = (bits & ~(31u << 15)) | base << 15; break;
    case FORMAT_B:
        bits = (bits & 0x01fff000) | (g_rand_int_range(random, 1, 9) << 8) | (g_rand_boolean(random) ? 0xfe000080 : 0);
        break;
    case FORMAT_J: bits = (bits & 0x00000fff) | (uint32_t)g_rand_int_range(random, 1, 16) << 22; break;
    case FORMAT_CSR:
    case FORMAT_CSRI:
        bits = writes_itself ? 0x34000000
                             : (bits & 0x000fffff) | csrs[g_rand_int_range(random, 0, G_N_ELEMENTS(csrs))] << 20;
        break;
    default: break;
    }
    return (bits & ~row->mask) | row->match;
}

/* What goes back to somewhere in the code after a trap, further each time. */
static void put_handler(struct lone *lone) {
    static const uint32_t handler[] = {
        0x341e9073, /* csrrw x0, mepc, x29 */
        0x00ce8e93, /* addi x29, x29, 12 */
        0x01eefeb3, /* and x29, x29, x30 */
        0x01fe8eb3, /* add x29, x29, x31 */
        0x000d8413, /* addi x8, x27, 0 */
        0x000d0493, /* addi x9, x26, 0 */
        0x30200073, /* mret */
    };
    for (unsigned i = 0; i < G_N_ELEMENTS(handler); ++i)
        put_word(lone, HANDLER - RAM + 4 * i, handler[i]);
}

static void prepare(struct lone *lone, uint32_t seed) {
    /* Code lies over the end of a page; what x8 points to is partly code, so that programs change themselves. */
    enum { CODE = 0xe00, CODE_BYTES = 0x400, DATA = RAM + CODE + CODE_BYTES + 0x600 };
    GRand *random = g_rand_new_with_seed(seed);
    bool writes_itself = seed % 4 < 2;
    for (uint32_t at = CODE - 0x100; at < CODE + CODE_BYTES + 0x200; at += 4)
        put_word(lone, at + (seed % 5 ? 0 : 2), any_instruction(random, &lone->hart.decoder, writes_itself));
    for (uint32_t at = 0; at < FLASH_BYTES; at += 4)
        little_store(lone->flash + at, 4, any_instruction(random, &lone->hart.decoder, false));
    put_handler(lone);
    for (unsigned i = 1; i < 32; ++i)
        hart_set_x(&lone->hart, i, g_rand_int(random));
    for (unsigned i = 16; i < 24; ++i)
        hart_set_x(&lone->hart, i, any_instruction(random, &lone->hart.decoder, true));
    hart_set_x(&lone->hart, 8, writes_itself ? RAM + CODE + 0x80 : DATA);
    const uint32_t others[] = {DATA + 0x1000, DEVICE + 8, FLASH + 0x900};
    hart_set_x(&lone->hart, 9, others[seed % 3]);
    hart_set_x(&lone->hart, 26, others[seed % 3]);
    hart_set_x(&lone->hart, 14, seed % 7 ? RAM + CODE : FLASH + 0x1000);
    hart_set_x(&lone->hart, 27, hart_x(&lone->hart, 8));
    hart_set_x(&lone->hart, 29, RAM);
    hart_set_x(&lone->hart, 30, CODE_BYTES - 4);
    hart_set_x(&lone->hart, 31, RAM + CODE);
    lone->hart.state.mstatus |= g_rand_boolean(random) ? MSTATUS_FS : 0;
    lone->hart.misaligned = seed % 3 == 0;
    if (seed % 2)
        lone->hart.timing = (struct ta_timing){1, 2, 3, 20, 2, 4};
    g_rand_free(random);
}

static void run_to(struct lone *lone, uint64_t cycle) {
    struct hart *hart = &lone->hart;
    while (hart->state.cycle < cycle && !lone->stuck) {
        hart_take_interrupt(hart);
        if (hart_idle(hart)) {
            hart->state.cycle = cycle;
            return;
        }
        hart->stop_at = cycle;
        hart_execute(hart);
    }
}

static void compare(const struct lone *a, const struct lone *b, const char *isa, uint32_t seed) {
    const struct hart_state *x = &a->hart.state, *y = &b->hart.state;
    for (unsigned i = 1; i < 32; ++i)
        HOLDS(hart_x(&a->hart, i) == hart_x(&b->hart, i) && x->f[i] == y->f[i],
              "%s, seed %u, cycle %llu, pc %llx: x%u is %llx and %llx", isa, seed, (unsigned long long)x->cycle,
              (unsigned long long)x->pc, i, (unsigned long long)hart_x(&a->hart, i),
              (unsigned long long)hart_x(&b->hart, i));
    HOLDS(x->pc == y->pc && x->cycle == y->cycle && x->retired == y->retired && x->mstatus == y->mstatus &&
              x->mode == y->mode && x->mepc == y->mepc && x->mcause == y->mcause && x->mtval == y->mtval &&
              x->fcsr == y->fcsr && x->mie == y->mie && x->cycle_offset == y->cycle_offset &&
              x->retired_offset == y->retired_offset && x->reserved_address == y->reserved_address,
          "%s, seed %u: pc %llx and %llx, cycle %llu and %llu, retired %llu and %llu", isa, seed,
          (unsigned long long)x->pc, (unsigned long long)y->pc, (unsigned long long)x->cycle,
          (unsigned long long)y->cycle, (unsigned long long)x->retired, (unsigned long long)y->retired);
    HOLDS(!memcmp(x->pmp_address, y->pmp_address, sizeof x->pmp_address) && a->told == b->told &&
              a->asked == b->asked && a->traps == b->traps && a->stuck == b->stuck,
          "%s, seed %u: what is outside differs", isa, seed);
}

/* Random programs with random interrupts, which change themselves, protect memory and leave machine mode: after each stretch the fast
   engine's state is the slow one's. */
START_TEST(both_engines_agree) {
    static const char *const isas[] = {"rv32imac_zicsr_zifencei_zba_zbb_zbs", "rv64imafdc_zifencei_zba_zbb_zbs",
                                       "rv32imafdc", "rv64im_zicsr"};
    const char *wanted = g_getenv("TANCHOR_TEST_STREAMS");
    uint32_t streams = wanted ? (uint32_t)atoi(wanted) : 1250;
    uint64_t carried_out = 0, broke = 0;
    for (uint32_t seed = 1; seed <= streams; ++seed) {
        const char *isa = isas[seed % G_N_ELEMENTS(isas)];
        struct lone *fast = lone_new(isa), *slow = lone_new(isa);
        GRand *random = g_rand_new_with_seed(seed);
        prepare(fast, seed);
        prepare(slow, seed);
        slow->hart.slow = true;
        for (int stretch = 0; stretch < 400 && !fast->stuck; ++stretch) {
            uint64_t until = fast->hart.state.cycle + (uint64_t)g_rand_int_range(random, 1, stretch % 4 ? 40 : 200);
            uint64_t pending = g_rand_int_range(random, 0, 4) ? 0 : g_rand_int(random) & INTERRUPT_BITS;
            fast->hart.state.mip = slow->hart.state.mip = pending;
            if (stretch % 8 == 0) {
                fast->breakpoint = slow->breakpoint =
                    stretch % 16 ? NO_ADDRESS : fast->hart.state.pc + 2 * (uint64_t)g_rand_int_range(random, 0, 8);
                hart_forget_all(&fast->hart);
                hart_forget_all(&slow->hart);
            }
            run_to(fast, until);
            run_to(slow, until);
            compare(fast, slow, isa, seed);
        }
        ck_assert(!memcmp(fast->ram, slow->ram, RAM_BYTES));
        carried_out += fast->hart.state.retired;
        broke += fast->broke;
        lone_free(fast);
        lone_free(slow);
        g_rand_free(random);
    }
    ck_assert_uint_gt(carried_out, streams * 4000);
    ck_assert_uint_gt(broke, streams);
    ck_assert(wanted || carried_out > 10000000);
}
END_TEST

/* A loop that waits, mostly: it computes, loads from RAM, flash or a device, and goes back to its start on a condition. */
static void put_loop(struct lone *lone, GRand *random) {
    enum { LEAST = 1, MOST = 5, END = 0x400 };
    static const uint32_t bodies[] = {0x00042603 /* lw x12, 0(x8) */,
                                      0x00044683 /* lbu x13, 0(x8) */,
                                      0x0004a603 /* lw x12, 0(x9) */,
                                      0x7f04a603 /* lw x12, STEADY(x9) */,
                                      0x7f04c683 /* lbu x13, same */,
                                      0x00852703 /* lw x14, 8(x10): flash */,
                                      0x00167693 /* andi x13, x12, 1 */,
                                      0x00d64733 /* xor x14, x12, x13 */,
                                      0x00160613 /* addi x12, x12, 1 */,
                                      0x02c686b3 /* mul x13, x13, x12 */,
                                      0x00000617 /* auipc x12, 0 */,
                                      0x0ff0000f /* fence */,
                                      0x00c42223 /* sw x12, 4(x8) */,
                                      0xc0002673 /* rdcycle x12 */,
                                      0x00061463 /* bnez x12, +8 */,
                                      0x7f048783 /* lb x15, STEADY(x9) */,
                                      0x0ff0060f /* fence, with bits where others have rd */};
    uint32_t at = 0, count = (uint32_t)g_rand_int_range(random, LEAST, MOST + 1);
    hart_forget_all(&lone->hart);
    for (uint32_t i = 0; i < count; ++i, at += 4)
        put_word(lone, at, bodies[g_rand_int_range(random, 0, G_N_ELEMENTS(bodies))]);
    uint32_t back = (uint32_t) - (int32_t)at, kind = (uint32_t)g_rand_int_range(random, 0, 8);
    uint32_t jal = (back & 0x7fe) << 20 | (back >> 11 & 1) << 20 | (back & 0xff000) | 0x80000000 | 0x6f;
    uint32_t branch = 0x80000063 | (back >> 5 & 0x3f) << 25 | (back >> 1 & 0xf) << 8 | (back >> 11 & 1) << 7 |
                      kind << 12 | 12u << 15 | (kind > 4 ? 13u : 0) << 20;
    put_word(lone, at, kind == 2 || kind == 3 ? jal : branch);
    put_word(lone, at + 4, 0x0000006f | (END - at - 4) << 20);
    put_word(lone, END, 0xc01ff06f); /* jal x0, to the start */
    lone->hart.state.pc = RAM;
}

/* Whatever a loop waits for, all is at each moment as if every round had been carried out; and what was waited for arrives. */
START_TEST(rounds_that_change_nothing_are_counted) {
    enum { SEEDS = 3000, STRETCHES = 60, DATA = RAM + 0x3000 };
    uint64_t carried_out = 0;
    for (uint32_t seed = 1; seed <= SEEDS; ++seed) {
        const char *isa = seed % 2 ? "rv32imac_zicsr" : "rv64imafdc";
        struct lone *both[] = {lone_new(isa), lone_new(isa)};
        GRand *random = g_rand_new_with_seed(seed);
        both[1]->hart.slow = true;
        for (int k = 0; k < 2; ++k) {
            GRand *same = g_rand_new_with_seed(seed);
            const uint64_t registers[][2] = {{8, DATA}, {9, DEVICE}, {10, FLASH}, {12, seed}, {13, seed / 2}};
            for (size_t i = 0; i < G_N_ELEMENTS(registers); ++i)
                hart_set_x(&both[k]->hart, (unsigned)registers[i][0], registers[i][1]);
            both[k]->hart.timing = seed % 3 ? (struct ta_timing){0} : (struct ta_timing){1, 2, 3, 20, 2, seed % 2 * 4};
            both[k]->hart.watched = seed % 11 == 0;
            put_handler(both[k]);
            put_loop(both[k], same);
            g_rand_free(same);
        }
        for (int stretch = 0; stretch < STRETCHES; ++stretch) {
            uint64_t until = both[0]->hart.state.cycle + (uint64_t)g_rand_int_range(random, 1, stretch % 8 ? 90 : 5000);
            uint32_t value = g_rand_int(random) % 3;
            for (int k = 0; k < 2; ++k) {
                both[k]->level = value;
                little_store(both[k]->ram + DATA - RAM, 4, value);
                run_to(both[k], until);
            }
            compare(both[0], both[1], isa, seed);
        }
        carried_out += both[1]->hart.state.retired;
        lone_free(both[0]);
        lone_free(both[1]);
        g_rand_free(random);
    }
    ck_assert_uint_gt(carried_out, SEEDS * 1000);
}
END_TEST

/* A thousand million cycles of waiting take no time, and are all there. */
START_TEST(waiting_costs_nothing) {
    enum { CYCLES = 1000000000 };
    static const struct {
        uint32_t code[4];
        uint64_t polls; /* at most */
        uint64_t round; /* instructions */
    } rows[] = {
        {{0x7f04a603 /* lw x12, STEADY(x9) */, 0xfe060ee3 /* beqz x12, -4 */}, 9, 2},
        {{0x7f048783 /* lb x15, same */, 0x0017f613 /* andi x12, x15, 1 */, 0xfe060ce3 /* beqz x12, -8 */}, 9, 3},
        {{0x00042603 /* lw x12, 0(x8) */, 0x0ff0000f /* fence */, 0xfe060ce3 /* beqz x12, -8 */}, 0, 3},
        {{0x0000006f /* j . */}, 0, 1},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
        struct lone *lone = lone_new("rv32imac_zicsr");
        hart_set_x(&lone->hart, 8, RAM + 0x3000);
        hart_set_x(&lone->hart, 9, DEVICE);
        for (uint32_t k = 0; k < G_N_ELEMENTS(rows[i].code); ++k)
            put_word(lone, 4 * k, rows[i].code[k]);
        run_to(lone, CYCLES);
        HOLDS(lone->hart.state.cycle == CYCLES && lone->hart.state.retired == CYCLES, "row %zu: %llu", i,
              (unsigned long long)lone->hart.state.retired);
        HOLDS(lone->hart.state.pc == RAM + 4 * (CYCLES % rows[i].round), "row %zu", i);
        /* the engine counts some millions of cycles at once */
        HOLDS(lone->polls <= rows[i].polls * (CYCLES / CYCLES_AT_ONCE + 1), "row %zu: %llu polls", i,
              (unsigned long long)lone->polls);
        lone_free(lone);
    }
}
END_TEST

/* Memory: what atomic operations leave there and give back. */
START_TEST(atomics_give_the_old_and_leave_the_new) {
    static const struct {
        uint32_t match;
        uint64_t old, operand, left, result; /* of words */
    } cases[] = {{0x0800202f, 5, 9, 9, 5},
                 {0x0000202f, 0xffffffff, 2, 1, ALL},
                 {0x2000202f, 6, 3, 5, 6},
                 {0x6000202f, 6, 3, 2, 6},
                 {0x4000202f, 6, 3, 7, 6},
                 {0x8000202f, 0x80000000, 1, 0x80000000, UINT64_C(0xffffffff80000000)},
                 {0xa000202f, 0x80000000, 1, 1, UINT64_C(0xffffffff80000000)},
                 {0xc000202f, 0x80000000, UINT64_C(0xffffffff80000001), 0x80000000, UINT64_C(0xffffffff80000000)},
                 {0xc000202f, 0x80000000, 1, 1, UINT64_C(0xffffffff80000000)},
                 {0xe000202f, 0x80000000, 1, 0x80000000, UINT64_C(0xffffffff80000000)},
                 {0xa000202f, 1, 0x80000000, 1, 1},
                 {0xc000202f, 0x90000000, 0x80000001, 0x80000001, UINT64_C(0xffffffff90000000)}};
    struct lone *lone = lone_new("rv64ima_zicsr");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        little_store(lone->ram + 0x100, 8, cases[i].old);
        uint64_t got = compute(lone, X12(cases[i].match), RAM + 0x100, cases[i].operand);
        ck_assert_msg(got == cases[i].result && little_load(lone->ram + 0x100, 8) == cases[i].left, "case %zu: %llx", i,
                      (unsigned long long)got);
        little_store(lone->ram + 0x100, 8, cases[i].old << 32);
        got = compute(lone, X12(cases[i].match | 0x1000), RAM + 0x100, cases[i].operand << 32);
        ck_assert_msg(got == cases[i].old << 32 && little_load(lone->ram + 0x100, 8) == cases[i].left << 32,
                      "case %zu: %llx", i, (unsigned long long)got);
    }
    /* A reservation is for its address and size. */
    static const struct {
        uint32_t reserve, store;
        uint64_t address, failed;
    } pairs[] = {{0x1000202f, 0x1800202f, RAM + 0x100, 0},
                 {0x1000202f, 0x1800202f, RAM + 0x104, 1},
                 {0x1000302f, 0x1800202f, RAM + 0x100, 1},
                 {0x1000302f, 0x1800302f, RAM + 0x100, 0}};
    for (size_t i = 0; i < G_N_ELEMENTS(pairs); ++i) {
        compute(lone, pairs[i].reserve | 12u << 7 | 10u << 15, RAM + 0x100, 0);
        ck_assert_uint_eq(compute(lone, X12(pairs[i].store), pairs[i].address, 1), pairs[i].failed);
        ck_assert_uint_eq(compute(lone, X12(pairs[i].store), RAM + 0x100, 1), 1); /* it is used up */
    }
    ck_assert_uint_eq(lone->traps, 0);
    lone_free(lone);
}
END_TEST

/* Cycles beside the first come from the timing; what is fetched or loaded from flash waits. */
START_TEST(timing_is_what_was_asked_for) {
    struct lone *lone = lone_new("rv32imac_zicsr");
    struct hart_state *state = &lone->hart.state;
    lone->hart.timing =
        (struct ta_timing){.load = 1, .store = 2, .multiply = 3, .divide = 30, .taken_branch = 5, .flash_wait = 7};
    static const struct {
        uint32_t bits;
        uint64_t a, cycles;
    } cases[] = {{X12(0x33), 0, 1},      {X12(0x2003), RAM, 2},   {X12(0x2003), FLASH, 9}, {0x00b52023, RAM, 3},
                 {X12(0x2000033), 0, 4}, {X12(0x2004033), 0, 31}, {0x00000463, 0, 6},      {0x00001463, 0, 1}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        uint64_t before = state->cycle;
        compute(lone, cases[i].bits, cases[i].a, 0);
        ck_assert_msg(state->cycle - before == cases[i].cycles, "case %zu: %llu", i,
                      (unsigned long long)(state->cycle - before));
        little_store(lone->flash + 16, 4, cases[i].bits);
        state->pc = FLASH + 16;
        before = state->cycle;
        hart_set_x(&lone->hart, 10, cases[i].a);
        hart_step(&lone->hart);
        ck_assert_msg(state->cycle - before == cases[i].cycles + 7, "case %zu from flash: %llu", i,
                      (unsigned long long)(state->cycle - before));
    }
    lone->hart.misaligned = true; /* an access that traps halfway costs the next one nothing */
    compute(lone, X12(0x2003), FLASH + FLASH_BYTES - 2, 0);
    ck_assert_uint_eq(lone->last_cause, CAUSE_LOAD_ACCESS);
    uint64_t before = state->cycle;
    compute(lone, X12(0x2003), RAM, 0);
    ck_assert_uint_eq(state->cycle - before, 2);
    lone_free(lone);
}
END_TEST

/* Misaligned data is carried out where the profile says so; a device's registers are not memory. */
START_TEST(misaligned_data_is_carried_out_or_trapped) {
    struct lone *lone = lone_new("rv64imac_zicsr");
    uint64_t value = 0;
    little_store(lone->ram + 0x200, 8, UINT64_C(0x1122334455667788));
    ck_assert(!hart_load(&lone->hart, RAM + 0x201, 4, &value) && lone->last_cause == CAUSE_LOAD_MISALIGNED);
    ck_assert(!hart_store(&lone->hart, RAM + 0x201, 8, 0) && lone->last_cause == CAUSE_STORE_MISALIGNED);
    lone->hart.misaligned = true;
    ck_assert(hart_load(&lone->hart, RAM + 0x201, 4, &value));
    ck_assert_uint_eq(value, 0x44556677);
    ck_assert(hart_store(&lone->hart, RAM + 0xfff, 8, UINT64_C(0x0102030405060708))); /* over the end of a page */
    ck_assert_uint_eq(little_load(lone->ram + 0x1000, 4), 0x04050607);
    ck_assert(!hart_store(&lone->hart, RAM + RAM_BYTES - 3, 4, UINT32_MAX) && lone->last_cause == CAUSE_STORE_ACCESS);
    ck_assert_uint_eq(lone->last_value, RAM + RAM_BYTES); /* the first byte that cannot be */
    ck_assert_uint_eq(lone->ram[RAM_BYTES - 3], 0);       /* nothing is half stored */
    ck_assert(!hart_load(&lone->hart, DEVICE + 1, 4, &value) && lone->last_cause == CAUSE_LOAD_MISALIGNED);
    ck_assert(!hart_check_atomic(&lone->hart, RAM + 2, 4));
    lone_free(lone);
}
END_TEST

/* Only a hart that comes to nothing is stuck: not one whose kernel leaves its calls by a jump, nor one that looks for what it has. */
START_TEST(progress_is_told_from_none) {
    struct lone *lone = lone_new("rv32imac_zicsr");
    lone->hart.stop_at = 1000;
    put_word(lone, 0, 0x00000073);             /* ecall */
    put_word(lone, HANDLER - RAM, 0x00050067); /* jr x10, without an mret */
    hart_set_x(&lone->hart, 10, RAM);
    hart_execute(&lone->hart);
    ck_assert(!lone->stuck && lone->traps > 100);
    hart_reset(&lone->hart);
    lone->hart.state.mtvec = HANDLER;
    for (uint32_t i = 0; i < 40; ++i) /* forty CSRs that are not there, one after the other */
        put_word(lone, 4 * i, 0x7c0025f3);
    put_word(lone, 160, 0x0000006f);
    put_word(lone, HANDLER - RAM, 0x00450513);     /* addi x10, x10, 4 */
    put_word(lone, HANDLER - RAM + 4, 0x00050067); /* jr x10 */
    hart_set_x(&lone->hart, 10, RAM);
    lone->hart.stop_at = 2000;
    hart_execute(&lone->hart);
    ck_assert(!lone->stuck && lone->hart.state.pc == RAM + 160);
    put_word(lone, HANDLER - RAM, 0x00000013);
    put_word(lone, HANDLER - RAM + 4, 0x7c0025f3); /* a handler that itself needs one */
    hart_reset(&lone->hart);
    lone->hart.state.mtvec = HANDLER;
    lone->hart.stop_at = 3000;
    for (int i = 0; i < 100 && !lone->stuck; ++i)
        hart_execute(&lone->hart);
    ck_assert(lone->stuck && lone->hart.state.first_pc == HANDLER + 4);
    /* A read that waits for the console is not left for an interrupt. */
    hart_reset(&lone->hart);
    lone->hart.state.waiting_input = true;
    lone->hart.state.mip = lone->hart.state.mie = 8;
    lone->hart.state.mstatus |= MSTATUS_MIE;
    hart_take_interrupt(&lone->hart);
    ck_assert_uint_eq(lone->hart.state.pc, RAM);
    lone_free(lone);
}
END_TEST

/* Privileged Architecture 1.12, 3.1.6.1 and 3.1.9: who is taken, what is stacked, and what mret gives back. */
START_TEST(interrupts_are_taken_in_their_order) {
    enum { SOFTWARE = 1 << 3, TIMER = 1 << 7, EXTERNAL = 1 << 11, ALL_OF_THEM = SOFTWARE | TIMER | EXTERNAL };
    static const struct {
        enum hart_mode mode;
        bool on;
        unsigned enabled, pending, taken; /* 0: none */
    } rows[] = {
        {MODE_MACHINE, true, ALL_OF_THEM, ALL_OF_THEM, 11}, {MODE_MACHINE, true, ALL_OF_THEM, SOFTWARE | TIMER, 3},
        {MODE_MACHINE, true, ALL_OF_THEM, TIMER, 7},        {MODE_MACHINE, true, TIMER, ALL_OF_THEM, 7},
        {MODE_MACHINE, true, SOFTWARE, TIMER, 0},           {MODE_MACHINE, true, 0, ALL_OF_THEM, 0},
        {MODE_MACHINE, false, ALL_OF_THEM, EXTERNAL, 0},    {MODE_USER, false, ALL_OF_THEM, EXTERNAL, 11},
        {MODE_USER, true, ALL_OF_THEM, TIMER, 7},           {MODE_USER, false, TIMER, EXTERNAL, 0},
    };
    struct lone *lone = lone_new("rv32imac_zicsr");
    struct hart_state *state = &lone->hart.state;
    for (size_t i = 0; i < 2 * G_N_ELEMENTS(rows); ++i) {
        bool vectored = i % 2;
        const enum hart_mode mode = rows[i / 2].mode;
        const unsigned taken = rows[i / 2].taken;
        hart_reset(&lone->hart);
        state->mtvec = HANDLER | vectored;
        state->mode = mode;
        state->mstatus = rows[i / 2].on ? MSTATUS_MIE : 0;
        state->mie = rows[i / 2].enabled;
        state->mip = rows[i / 2].pending;
        hart_take_interrupt(&lone->hart);
        if (!taken) {
            HOLDS(state->pc == RAM && state->mode == mode, "row %zu was taken", i / 2);
            continue;
        }
        HOLDS(state->pc == (uint64_t)HANDLER + (vectored ? 4 * taken : 0), "row %zu goes to %llx", i / 2,
              (unsigned long long)state->pc);
        HOLDS(state->mcause == (UINT64_C(1) << 31 | taken) && state->mepc == RAM && !state->mtval, "row %zu", i / 2);
        uint64_t stacked = (uint64_t)mode << 11 | (rows[i / 2].on ? MSTATUS_MPIE : 0);
        HOLDS(state->mode == MODE_MACHINE && state->mstatus == stacked, "row %zu stacks %llx", i / 2,
              (unsigned long long)state->mstatus);
        lone->hart.attention = false;
        hart_return(&lone->hart);
        HOLDS(state->mode == mode && state->pc == RAM && !(state->mstatus & MSTATUS_MIE) == !rows[i / 2].on &&
                  state->mstatus & MSTATUS_MPIE && !(state->mstatus & MSTATUS_MPP),
              "row %zu comes back with %llx", i / 2, (unsigned long long)state->mstatus);
        HOLDS(lone->hart.attention, "row %zu: what is still pending is not looked for", i / 2);
    }
    lone_free(lone);
}
END_TEST

/* What is protected from machine mode, beside what is not: by the window and by pages, whatever was reached before. */
START_TEST(a_locked_guard_holds_beside_free_memory) {
    enum { LW = 0x00052603, SW = 0x00b52023, GUARD = 0x4100, GUARD_END = 0x4200, READ_ONLY = 0x6000 };
    struct lone *lone = lone_new("rv32imac_zicsr");
    struct hart_state *state = &lone->hart.state;
    static const struct {
        uint32_t instruction, offset;
        bool good;
    } rows[] = {
        {SW, 0x5000, true},         {SW, GUARD, false},         {SW, GUARD_END - 4, false}, {SW, GUARD_END, true},
        {SW, GUARD - 4, true},      {LW, GUARD, false},         {LW, 0x3000, true},         {SW, 0x3000, true},
        {LW, READ_ONLY, true},      {SW, READ_ONLY + 8, false}, {LW, READ_ONLY + 8, true},  {SW, 0x7000, true},
        {SW, READ_ONLY, false},     {SW, READ_ONLY - 4, true},  {SW, 0x9000, true},         {LW, GUARD_END - 4, false},
        {SW, GUARD_END + 6, false}, {LW, GUARD_END + 5, false}, {SW, 0x5002, false}, /* misaligned */
    };
    state->pmp_address[0] = (RAM + GUARD) >> 2;
    state->pmp_address[1] = (RAM + GUARD_END) >> 2;
    state->pmp_config[1] = 0x88; /* locked, from the address before, nothing allowed */
    state->pmp_address[2] = (RAM + READ_ONLY + 0x7ff) >> 2;
    state->pmp_config[2] = 0x99; /* locked, 4 KiB, read only */
    memset(lone->pages, PAGE_TOUCHED, sizeof lone->pages);
    for (size_t from = 0; from < G_N_ELEMENTS(rows);
         ++from) { /* each of them first, so that each may open the window */
        hart_forget_all(&lone->hart);
        for (size_t i = 0; i < G_N_ELEMENTS(rows); ++i) {
            size_t at = (from + i) % G_N_ELEMENTS(rows);
            uint64_t traps = lone->traps;
            put_word(lone, 0, rows[at].instruction);
            blocks_forget(&lone->hart.blocks);
            state->pc = RAM;
            lone->hart.stop_at = state->cycle + 1;
            lone->hart.attention = false;
            hart_set_x(&lone->hart, 10, RAM + rows[at].offset);
            hart_execute(&lone->hart);
            HOLDS((lone->traps == traps) == rows[at].good, "from %zu: row %zu", from, at);
            HOLDS(rows[at].good || lone->last_value == RAM + rows[at].offset, "from %zu: row %zu", from, at);
        }
    }
    uint64_t first, last;
    protection_extent(state, RAM, &first, &last);
    ck_assert(first == 0 && last == RAM + GUARD - 1);
    protection_extent(state, RAM + GUARD + 4, &first, &last);
    ck_assert(first == RAM + GUARD && last == RAM + GUARD_END - 1);
    protection_extent(state, RAM + GUARD_END, &first, &last);
    ck_assert(first == RAM + GUARD_END && last == RAM + READ_ONLY - 1);
    protection_extent(state, RAM + 0x8000, &first, &last);
    ck_assert(first == RAM + READ_ONLY + 0x1000 && last == UINT64_MAX);
    lone_free(lone);
}
END_TEST

/* An access that a region matches in part fails, whatever the region allows and whether or not it is locked: Privileged Architecture
   1.12, 3.7.1. */
START_TEST(an_access_that_a_region_matches_in_part_fails) {
    enum { LD = 0x00053603, SD = 0x00b53023, AMO = 0x00b5362f, AT = 0x1000 };
    static const uint32_t instructions[] = {LD, SD, 0x1005362f /* lr.d */, AMO};
    for (unsigned kind = 0; kind < 4; ++kind)
        for (size_t i = 0; i < G_N_ELEMENTS(instructions); ++i) {
            struct lone *lone = lone_new("rv64imac_zicsr");
            struct hart_state *state = &lone->hart.state;
            lone->hart.slow = kind & 1;
            ck_assert(csr_write(&lone->hart, 0x3b0, MODE_MACHINE, (RAM + AT) >> 2));
            ck_assert(csr_write(&lone->hart, 0x3b1, MODE_MACHINE, (RAM + AT + 0x100) >> 2));
            ck_assert(
                csr_write(&lone->hart, 0x3a0, MODE_MACHINE, kind & 2 ? 0x1097 : 0x17)); /* four bytes, all allowed */
            for (unsigned round = 0; round < 3; ++round) { /* what was reached beside it before decides nothing */
                static const struct {
                    uint32_t offset;
                    bool good;
                } places[] = {{AT + 8, true}, {AT, false}, {AT - 8, true}};
                uint64_t traps = lone->traps;
                compute(lone, instructions[i], RAM + places[round].offset, 0);
                HOLDS((lone->traps == traps) == places[round].good, "kind %u, instruction %zu, round %u", kind, i,
                      round);
                HOLDS(places[round].good ||
                          state->mcause == (i == 0 || i == 2 ? CAUSE_LOAD_ACCESS : CAUSE_STORE_ACCESS),
                      "kind %u, instruction %zu", kind, i);
            }
            lone_free(lone);
        }
}
END_TEST

/* More code than the cache of blocks holds, again and again, entered at every instruction: each time it is what memory says. */
START_TEST(a_full_cache_of_blocks_is_filled_anew) {
    enum { CODE = 0x1000, COUNT = 0x1c00, ADDI = 0x00160613 /* x12 += 1 */ };
    struct lone *lone = lone_new("rv32imac_zicsr");
    uint64_t generation = lone->hart.blocks.generation;
    for (uint32_t i = 0; i < COUNT; ++i)
        put_word(lone, CODE + 4 * i, ADDI);
    const uint32_t back = (uint32_t) - (4 * COUNT);
    put_word(lone, CODE + 4 * COUNT,
             0x6f | (back >> 20 & 1) << 31 | (back >> 1 & 0x3ff) << 21 | (back >> 11 & 1) << 20 | (back & 0xff000));
    lone->hart.state.pc = RAM + CODE;
    for (uint64_t cycles = 0, wanted = 120ull * COUNT; cycles < wanted; ++cycles) {
        uint64_t step = 1 + cycles % 61; /* each stretch begins a block where the one before ended */
        cycles += step;
        run_to(lone, lone->hart.state.cycle + step);
        const struct hart_state *state = &lone->hart.state;
        HOLDS(hart_x(&lone->hart, 12) + state->cycle / (COUNT + 1) == state->cycle &&
                  state->pc == RAM + CODE + 4 * (state->cycle % (COUNT + 1)),
              "cycle %llu", (unsigned long long)state->cycle);
    }
    HOLDS(lone->hart.blocks.generation > generation + 1, "it was never full");
    /* Where nothing can be fetched, right after all was forgotten. */
    blocks_forget(&lone->hart.blocks);
    lone->hart.state.pc = RAM + RAM_BYTES;
    lone->hart.stop_at = lone->hart.state.cycle + 3;
    hart_execute(&lone->hart);
    ck_assert_uint_eq(lone->last_value, RAM + RAM_BYTES);
    lone_free(lone);
}
END_TEST

/* A step is one instruction, wherever it leads: to code that is known already, too. */
START_TEST(a_step_is_one_instruction) {
    static const uint32_t code[] = {0x00000597 /* auipc x11, 0 */, 0x00160613 /* x12 += 1 */, 0x00160613,
                                    0x00458067 /* jalr x0, 4(x11) */};
    struct lone *lone = lone_new("rv32imac_zicsr");
    struct hart *hart = &lone->hart;
    for (uint32_t i = 0; i < G_N_ELEMENTS(code); ++i)
        put_word(lone, 4 * i, code[i]);
    run_to(lone, 100); /* it goes round, by way of its blocks */
    hart->stop_at = UINT64_MAX;
    for (unsigned i = 0; i < 12; ++i) {
        uint64_t pc = hart->state.pc, retired = hart->state.retired;
        hart_step(hart);
        HOLDS(hart->state.retired == retired + 1 && hart->state.pc == (pc == RAM + 12 ? RAM + 4 : pc + 4),
              "from %llx to %llx", (unsigned long long)pc, (unsigned long long)hart->state.pc);
    }
    lone_free(lone);
}
END_TEST

/* The block under way lies where the one that it goes on to is put, since all was forgotten in between: nothing links the two. */
START_TEST(no_block_is_linked_to_one_of_another_generation) {
    enum { ADDI = 0x00160613 /* x12 += 1 */, BLTZ_BACK = 0xfe06cee3 /* bltz x13, to the instruction before */ };
    static const uint32_t code[] = {ADDI, BLTZ_BACK, ADDI, BLTZ_BACK, ADDI, 0x0000006f};
    struct lone *lone = lone_new("rv32imac_zicsr");
    struct hart *hart = &lone->hart;
    for (uint32_t i = 0; i < G_N_ELEMENTS(code); ++i)
        put_word(lone, 4 * i, code[i]);
    run_to(lone, 1); /* the first block is there */
    hart->blocks.chunk_at = BLOCK_CHUNKS - 1;
    hart->blocks.chunk_used = BLOCK_CHUNK;
    hart->state.pc = RAM;
    hart_set_x(hart, 12, 0);
    run_to(lone, 100);
    ck_assert(hart_x(hart, 12) == 3 && hart->state.pc == RAM + 20);
    lone_free(lone);
}
END_TEST

/* Code goes on over the end of a page, and its second page is written to. */
START_TEST(code_that_changes_in_its_second_page_is_executed_anew) {
    struct lone *lone = lone_new("rv32imac_zicsr");
    const uint32_t end = PAGE_BYTES;
    for (uint32_t at = end - 16; at < end; at += 4)
        put_word(lone, at, 0x00000013);
    put_word(lone, end + 4, 0x0000006f);
    for (uint64_t value = 1; value < 5; ++value) {
        lone->hart.attention = false;
        ck_assert(hart_store(&lone->hart, RAM + end, 4, 0x00000613 | value << 20)); /* addi x12, x0, VALUE */
        lone->hart.attention = false;
        lone->hart.state.pc = RAM + end - 16;
        lone->hart.stop_at = lone->hart.state.cycle + 20;
        hart_execute(&lone->hart);
        ck_assert_uint_eq(hart_x(&lone->hart, 12), value);
    }
    /* An instruction, too, may lie in both. */
    put_word(lone, end - 4, 0x06130001); /* c.nop; the lower half of addi x12, x0, VALUE */
    little_store(lone->ram + end + 2, 4, 0x0000006f);
    for (uint64_t value = 1; value < 5; ++value) {
        lone->hart.attention = false;
        ck_assert(hart_store(&lone->hart, RAM + end, 2, value << 4));
        lone->hart.attention = false;
        lone->hart.state.pc = RAM + end - 4;
        lone->hart.stop_at = lone->hart.state.cycle + 20;
        hart_execute(&lone->hart);
        ck_assert_uint_eq(hart_x(&lone->hart, 12), value);
    }
    lone_free(lone);
}
END_TEST

/* User mode and protection. */
START_TEST(user_mode_reaches_what_it_may) {
    struct lone *lone = lone_new("rv32imac_zicsr");
    struct hart_state *state = &lone->hart.state;
    lone->hart.stop_at = UINT64_MAX;
    static const uint32_t program[] = {
        0x30200073, /* mret */
        0x00052583, /* lw x11, 0(x10) */
        0x00b52023, /* sw x11, 0(x10) */
        0x30002673, /* csrr x12, mstatus */
        0xc0002673, /* csrr x12, cycle */
        0x00000073, /* ecall */
        0x10500073, /* wfi */
    };
    static const struct {
        unsigned instruction; /* of the program, after mret went there */
        uint32_t address;     /* in x10 */
        unsigned regions;     /* the first so many of those below */
        uint64_t cause;       /* 99: none */
        uint64_t counters, tw;
    } cases[] = {
        {1, RAM + 0x1000, 0, CAUSE_FETCH_ACCESS, 0, 0},
        {1, RAM + 0x1000, 1, CAUSE_LOAD_ACCESS, 0, 0},
        {1, RAM + 0x1000, 2, 99, 0, 0},
        {2, RAM + 0x1000, 2, CAUSE_STORE_ACCESS, 0, 0},
        {2, RAM + 0x2000, 3, 99, 0, 0},
        {1, RAM + 0x2ffc, 3, 99, 0, 0},
        {1, RAM + 0x3000, 3, CAUSE_LOAD_ACCESS, 0, 0},
        {3, 0, 1, CAUSE_ILLEGAL, 0, 0},
        {4, 0, 1, CAUSE_ILLEGAL, 0, 0},
        {4, 0, 1, 99, 1, 0},
        {5, 0, 1, CAUSE_ECALL_U, 0, 0},
        {6, 0, 1, 99, 0, 0},
        {6, 0, 1, CAUSE_ILLEGAL, 0, 1},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        hart_reset(&lone->hart);
        state->mtvec = HANDLER;
        lone->traps = 0;
        for (unsigned k = 0; k < G_N_ELEMENTS(program); ++k)
            put_word(lone, 4 * k, program[k]);
        /* code: naturally aligned, read and executed; data: naturally aligned, read; data: up to RAM + 0x3000, all but executed */
        const uint64_t addresses[] = {RAM >> 2 | 0x7f, (RAM + 0x1000) >> 2 | 0x1ff, (RAM + 0x2000) >> 2,
                                      (RAM + 0x3000) >> 2};
        const uint8_t configs[] = {0x1d, 0x19, 0, 0x0b};
        for (unsigned k = 0; k < (cases[i].regions == 3 ? 4 : cases[i].regions); ++k) {
            ck_assert(csr_write(&lone->hart, 0x3b0 + k, MODE_MACHINE, addresses[k]));
            state->pmp_config[k] = configs[k];
        }
        ck_assert(csr_write(&lone->hart, 0x306, MODE_MACHINE, cases[i].counters));
        state->mstatus = cases[i].tw ? MSTATUS_TW : 0;
        state->mepc = RAM + 4 * cases[i].instruction;
        hart_set_x(&lone->hart, 10, cases[i].address);
        hart_step(&lone->hart);
        ck_assert_uint_eq(state->mode, MODE_USER);
        hart_step(&lone->hart);
        if (cases[i].cause == 99)
            ck_assert_msg(!lone->traps && state->mode == MODE_USER, "case %zu: cause %llu", i,
                          (unsigned long long)state->mcause);
        else
            ck_assert_msg(state->mcause == cases[i].cause && state->mode == MODE_MACHINE &&
                              !(state->mstatus & MSTATUS_MPP),
                          "case %zu: cause %llu", i, (unsigned long long)state->mcause);
    }
    /* What was allowed in a page says nothing of the rest of it; what was executed may be forbidden. */
    hart_reset(&lone->hart);
    uint64_t value;
    ck_assert(csr_write(&lone->hart, 0x3b0, MODE_MACHINE, (RAM + 0x1000) >> 2 | 0xff)); /* 2 KiB */
    ck_assert(csr_write(&lone->hart, 0x3a0, MODE_MACHINE, 0x1f));
    state->mode = MODE_USER;
    ck_assert(hart_load(&lone->hart, RAM + 0x1000, 4, &value) && hart_load(&lone->hart, RAM + 0x17fc, 4, &value));
    ck_assert(!hart_load(&lone->hart, RAM + 0x1800, 4, &value));
    state->mode = MODE_USER;
    ck_assert(!protection_allows(state, MODE_USER, RAM + 0x17fc, 8, PROTECT_READ));
    ck_assert(!protection_allows(state, MODE_USER, RAM + 0xffc, 8, PROTECT_READ));
    put_word(lone, 0x1000, 0x00000013);
    put_word(lone, 0x1004, 0xffdff06f); /* back */
    state->pc = RAM + 0x1000;
    hart_forget_all(&lone->hart);
    lone->hart.stop_at = state->cycle + 8;
    hart_execute(&lone->hart);
    hart_execute(&lone->hart);
    ck_assert(state->mode == MODE_USER && state->pc == RAM + 0x1000);
    ck_assert(csr_write(&lone->hart, 0x3a0, MODE_MACHINE, 0x1b));
    lone->hart.stop_at = state->cycle + 8;
    hart_execute(&lone->hart);
    ck_assert_uint_eq(state->mcause, CAUSE_FETCH_ACCESS);
    /* So it is when the region moves, or the lower end of one. */
    for (unsigned top = 0; top < 2; ++top) {
        hart_reset(&lone->hart);
        ck_assert(csr_write(&lone->hart, 0x3b0, MODE_MACHINE, (RAM + 0x1000) >> 2 | (top ? 0 : 0xff)));
        ck_assert(csr_write(&lone->hart, 0x3b1, MODE_MACHINE, (RAM + 0x2000) >> 2));
        ck_assert(csr_write(&lone->hart, 0x3a0, MODE_MACHINE, top ? 0x0f00 : 0x1f));
        state->mode = MODE_USER;
        state->pc = RAM + 0x1000;
        lone->hart.stop_at = state->cycle + 8;
        hart_execute(&lone->hart);
        hart_execute(&lone->hart);
        ck_assert(state->mode == MODE_USER && state->pc == RAM + 0x1000);
        ck_assert(csr_write(&lone->hart, 0x3b0, MODE_MACHINE, (RAM + 0x1800) >> 2 | (top ? 0 : 0xff)));
        lone->hart.stop_at = state->cycle + 8;
        hart_execute(&lone->hart);
        ck_assert_uint_eq(state->mcause, CAUSE_FETCH_ACCESS);
    }
    lone->hart.stop_at = UINT64_MAX;
    /* A locked region binds machine mode, and cannot be unlocked before reset. */
    hart_reset(&lone->hart);
    ck_assert(csr_write(&lone->hart, 0x3b0, MODE_MACHINE, (RAM + 0x1000) >> 2 | 0x1ff));
    ck_assert(csr_write(&lone->hart, 0x3a0, MODE_MACHINE, 0x99));
    ck_assert(csr_write(&lone->hart, 0x3a0, MODE_MACHINE, 0));
    ck_assert(csr_write(&lone->hart, 0x3b0, MODE_MACHINE, 0));
    ck_assert_uint_eq(state->pmp_config[0], 0x99);
    ck_assert(csr_write(&lone->hart, 0x3b2, MODE_MACHINE, 7) &&
              csr_write(&lone->hart, 0x3a0, MODE_MACHINE, 0x88990000 & 0xff000000));
    ck_assert(csr_write(&lone->hart, 0x3b2, MODE_MACHINE, 9)); /* the lower end of a locked region */
    ck_assert_uint_eq(state->pmp_address[2], 7);
    ck_assert(hart_load(&lone->hart, RAM + 0x1000, 4, &value));
    ck_assert(!hart_store(&lone->hart, RAM + 0x1ffc, 4, 1));
    ck_assert(hart_store(&lone->hart, RAM + 0x2000, 4, 1));
    /* MPRV: data is reached as the mode before the trap reaches it. */
    hart_reset(&lone->hart);
    ck_assert(hart_load(&lone->hart, RAM, 4, &value));
    ck_assert(csr_write(&lone->hart, 0x300, MODE_MACHINE, MSTATUS_MPRV));
    ck_assert(!hart_load(&lone->hart, RAM, 4, &value));
    state->mstatus = MSTATUS_MPRV;
    hart_return(&lone->hart);
    ck_assert(state->mode == MODE_USER && !(state->mstatus & MSTATUS_MPRV));
    lone_free(lone);
}
END_TEST

/* WARL fields hold legal values after any write. */
START_TEST(csrs_hold_legal_values) {
    static const struct {
        unsigned number;
        uint64_t written, read;
    } cases[] = {
        {0x300, 0x800, 0x1800} /* there is no supervisor */,
        {0x304, UINT32_MAX, 0x888},
        {0x305, 0x10000003, 0x10000001},
        {0x341, 0x10000003, 0x10000002},
        {0x344, UINT32_MAX, 0},
        {0x306, UINT32_MAX, 7},
        {0x3a0, 0x6262, 0},
        {0x301, 0, 0x40101105},
        {0xf14, 0, 0},
    };
    struct lone *lone = lone_new("rv32imac_zicsr");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        uint64_t value;
        csr_write(&lone->hart, cases[i].number, MODE_MACHINE, cases[i].written);
        ck_assert(csr_read(&lone->hart, cases[i].number, MODE_MACHINE, &value));
        ck_assert_msg(value == cases[i].read, "csr %03x: %llx", cases[i].number, (unsigned long long)value);
    }
    lone_free(lone);
    lone = lone_new("rv32ima_zicsr"); /* without C, instructions are aligned to 4 */
    uint64_t value;
    ck_assert(csr_write(&lone->hart, 0x341, MODE_MACHINE, 0x10000002) &&
              csr_read(&lone->hart, 0x341, MODE_MACHINE, &value));
    ck_assert_uint_eq(value, 0x10000000);
    put_word(lone, 0, 0x0020006f); /* jal x0, 2 */
    lone->hart.stop_at = UINT64_MAX;
    hart_step(&lone->hart);
    ck_assert(lone->hart.state.mcause == CAUSE_FETCH_MISALIGNED && lone->last_value == RAM + 2 &&
              lone->hart.state.mepc == RAM);
    put_word(lone, 0, 0x00000363); /* beq x0, x0, 6 */
    put_word(lone, 4, 0xfe000fe3); /* beq x0, x0, -2 */
    for (uint64_t at = RAM; at <= RAM + 4; at += 4) {
        lone->hart.state.pc = at;
        hart_step(&lone->hart);
        ck_assert(lone->hart.state.mcause == CAUSE_FETCH_MISALIGNED && lone->hart.state.mepc == at);
        ck_assert_uint_eq(lone->last_value, at == RAM ? RAM + 6 : RAM + 2);
    }
    /* A write to minstret is what the next instruction reads. */
    hart_reset(&lone->hart);
    put_word(lone, 0, 0xb0251073); /* csrw minstret, x10 */
    put_word(lone, 4, 0xb02025f3); /* csrr x11, minstret */
    hart_set_x(&lone->hart, 10, 100);
    hart_step(&lone->hart);
    hart_step(&lone->hart);
    ck_assert_uint_eq(hart_x(&lone->hart, 11), 100);
    lone->hart.state.cycle = lone->hart.state.retired = 100000; /* and counts on from there, however much was counted */
    for (unsigned number = 0xb00; number <= 0xb02; number += 2) {
        ck_assert(csr_write(&lone->hart, number, MODE_MACHINE, 5) &&
                  csr_read(&lone->hart, number, MODE_MACHINE, &value));
        ck_assert_uint_eq(value, 5);
        ck_assert(csr_write(&lone->hart, number + 0x80, MODE_MACHINE, 7) &&
                  csr_read(&lone->hart, number + 0x80, MODE_MACHINE, &value));
        ck_assert_uint_eq(value, 7);
    }
    lone_free(lone);
}
END_TEST

int main(void) {
    return run_suite("hart", (const TTest *const[]){
                                 instructions_compute_what_the_manual_says, what_the_isa_lacks_is_illegal,
                                 both_engines_agree, rounds_that_change_nothing_are_counted, waiting_costs_nothing,
                                 atomics_give_the_old_and_leave_the_new, timing_is_what_was_asked_for,
                                 misaligned_data_is_carried_out_or_trapped, progress_is_told_from_none,
                                 user_mode_reaches_what_it_may, interrupts_are_taken_in_their_order,
                                 a_locked_guard_holds_beside_free_memory, an_access_that_a_region_matches_in_part_fails,
                                 a_full_cache_of_blocks_is_filled_anew, no_block_is_linked_to_one_of_another_generation,
                                 a_step_is_one_instruction, code_that_changes_in_its_second_page_is_executed_anew,
                                 csrs_hold_legal_values, NULL});
}
