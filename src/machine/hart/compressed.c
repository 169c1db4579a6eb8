/* The C extension: each 16-bit instruction is a 32-bit one written shorter (Unprivileged ISA 20191213, chapter 16). */
#include "machine/hart/decode.h"

/* The encodings of the 32-bit formats. */
static uint32_t make_i(uint32_t match, uint32_t rd, uint32_t rs1, uint32_t immediate) {
    return match | rd << 7 | rs1 << 15 | immediate << 20;
}

static uint32_t make_r(uint32_t match, uint32_t rd, uint32_t rs1, uint32_t rs2) {
    return match | rd << 7 | rs1 << 15 | rs2 << 20;
}

static uint32_t make_s(uint32_t match, uint32_t rs1, uint32_t rs2, uint32_t immediate) {
    return match | rs1 << 15 | rs2 << 20 | bits_move(immediate, 0, 5, 7) | bits_move(immediate, 5, 7, 25);
}

static uint32_t make_b(uint32_t match, uint32_t rs1, uint32_t immediate) {
    return match | rs1 << 15 | bits_move(immediate, 11, 1, 7) | bits_move(immediate, 1, 4, 8) |
           bits_move(immediate, 5, 6, 25) | bits_move(immediate, 12, 1, 31);
}

static uint32_t make_j(uint32_t rd, uint32_t immediate) {
    return 0x6f | rd << 7 | bits_move(immediate, 12, 8, 12) | bits_move(immediate, 11, 1, 20) |
           bits_move(immediate, 1, 10, 21) | bits_move(immediate, 20, 1, 31);
}

enum {
    ADDI = 0x13,
    ANDI = 0x7013,
    SLLI = 0x1013,
    SRLI = 0x5013,
    SRAI = 0x40005013,
    LUI = 0x37,
    LW = 0x2003,
    SW = 0x2023,
    LD = 0x3003,
    SD = 0x3023,
    FLW = 0x2007,
    FSW = 0x2027,
    FLD = 0x3007,
    FSD = 0x3027,
    ADDIW = 0x1b,
    JALR = 0x67,
    BEQ = 0x63,
    BNE = 0x1063,
    ADD = 0x33,
    EBREAK = 0x100073,
    X_RA = 1,
    X_SP = 2
};

/* Of the loads and stores, funct3 1 is a double's; 3 a float's on RV32, a double word's on RV64. Whether the hart has floating point
   the expanded instruction decides. */
static uint32_t expand_quadrant_0(uint32_t c, bool wide) {
    uint32_t rd = bits_move(c, 2, 3, 0) + 8, rs1 = bits_move(c, 7, 3, 0) + 8;
    uint32_t stack = bits_move(c, 7, 4, 6) | bits_move(c, 11, 2, 4) | bits_move(c, 5, 1, 3) | bits_move(c, 6, 1, 2);
    uint32_t word = bits_move(c, 10, 3, 3) | bits_move(c, 6, 1, 2) | bits_move(c, 5, 1, 6);
    uint32_t twice = bits_move(c, 10, 3, 3) | bits_move(c, 5, 2, 6);
    switch (c >> 13) {
    case 0: return stack ? make_i(ADDI, rd, X_SP, stack) : 0;
    case 1: return make_i(FLD, rd, rs1, twice);
    case 2: return make_i(LW, rd, rs1, word);
    case 3: return wide ? make_i(LD, rd, rs1, twice) : make_i(FLW, rd, rs1, word);
    case 5: return make_s(FSD, rs1, rd, twice);
    case 6: return make_s(SW, rs1, rd, word);
    case 7: return wide ? make_s(SD, rs1, rd, twice) : make_s(FSW, rs1, rd, word);
    default: return 0;
    }
}

static uint32_t expand_arithmetic(uint32_t c) {
    /* sub xor or and subw addw */
    static const uint32_t registers[] = {0x40000033, 0x00004033, 0x00006033, 0x00007033, 0x4000003b, 0x0000003b, 0, 0};
    uint32_t rd = bits_move(c, 7, 3, 0) + 8, rs2 = bits_move(c, 2, 3, 0) + 8;
    uint32_t amount = bits_move(c, 12, 1, 5) | bits_move(c, 2, 5, 0);
    uint32_t kind = bits_move(c, 10, 2, 0);
    if (kind == 2)
        return make_i(ANDI, rd, rd, (uint32_t)sign_extend(amount, 6));
    if (kind == 3)
        return registers[bits_move(c, 5, 2, 0) | bits_move(c, 12, 1, 2)]
                   ? make_r(registers[bits_move(c, 5, 2, 0) | bits_move(c, 12, 1, 2)], rd, rd, rs2)
                   : 0;
    return make_i(kind ? (uint32_t)SRAI : (uint32_t)SRLI, rd, rd, amount);
}

static uint32_t expand_quadrant_1(uint32_t c, bool wide) {
    uint32_t rd = bits_move(c, 7, 5, 0), rs1 = bits_move(c, 7, 3, 0) + 8;
    uint32_t small = (uint32_t)sign_extend(bits_move(c, 12, 1, 5) | bits_move(c, 2, 5, 0), 6);
    uint32_t jump = (uint32_t)sign_extend(bits_move(c, 12, 1, 11) | bits_move(c, 11, 1, 4) | bits_move(c, 9, 2, 8) |
                                              bits_move(c, 8, 1, 10) | bits_move(c, 7, 1, 6) | bits_move(c, 6, 1, 7) |
                                              bits_move(c, 3, 3, 1) | bits_move(c, 2, 1, 5),
                                          12);
    uint32_t branch = (uint32_t)sign_extend(bits_move(c, 12, 1, 8) | bits_move(c, 10, 2, 3) | bits_move(c, 5, 2, 6) |
                                                bits_move(c, 3, 2, 1) | bits_move(c, 2, 1, 5),
                                            9);
    uint32_t stack = (uint32_t)sign_extend(bits_move(c, 12, 1, 9) | bits_move(c, 6, 1, 4) | bits_move(c, 5, 1, 6) |
                                               bits_move(c, 3, 2, 7) | bits_move(c, 2, 1, 5),
                                           10);
    switch (c >> 13) {
    case 0: return make_i(ADDI, rd, rd, small);
    case 1:
        if (wide)
            return rd ? make_i(ADDIW, rd, rd, small) : 0;
        return make_j(X_RA, jump);
    case 2: return make_i(ADDI, rd, 0, small);
    case 3:
        if (rd == X_SP)
            return stack ? make_i(ADDI, X_SP, X_SP, stack) : 0;
        return small ? LUI | rd << 7 | small << 12 : 0;
    case 4: return expand_arithmetic(c);
    case 5: return make_j(0, jump);
    case 6: return make_b(BEQ, rs1, branch);
    default: return make_b(BNE, rs1, branch);
    }
}

static uint32_t expand_quadrant_2(uint32_t c, bool wide) {
    uint32_t rd = bits_move(c, 7, 5, 0), rs2 = bits_move(c, 2, 5, 0), high = bits_move(c, 12, 1, 0);
    uint32_t load = bits_move(c, 12, 1, 5) | bits_move(c, 4, 3, 2) | bits_move(c, 2, 2, 6);
    uint32_t store = bits_move(c, 9, 4, 2) | bits_move(c, 7, 2, 6);
    uint32_t load_twice = bits_move(c, 12, 1, 5) | bits_move(c, 5, 2, 3) | bits_move(c, 2, 3, 6);
    uint32_t store_twice = bits_move(c, 10, 3, 3) | bits_move(c, 7, 3, 6);
    switch (c >> 13) {
    case 0: return make_i(SLLI, rd, rd, high << 5 | rs2);
    case 1: return make_i(FLD, rd, X_SP, load_twice);
    case 2: return rd ? make_i(LW, rd, X_SP, load) : 0;
    case 3:
        if (wide)
            return rd ? make_i(LD, rd, X_SP, load_twice) : 0;
        return make_i(FLW, rd, X_SP, load);
    case 5: return make_s(FSD, X_SP, rs2, store_twice);
    case 7: return wide ? make_s(SD, X_SP, rs2, store_twice) : make_s(FSW, X_SP, rs2, store);
    case 4:
        if (rs2)
            return make_r(ADD, rd, high ? rd : 0, rs2);
        if (!rd)
            return high ? EBREAK : 0;
        return make_i(JALR, high ? X_RA : 0, rd, 0);
    case 6: return make_s(SW, X_SP, rs2, store);
    default: return 0;
    }
}

/* On RV32, a shift amount of 32 and more is reserved, as it is in the instruction that it stands for. */
uint32_t decode_expand(uint16_t bits, const struct isa *isa) {
    bool wide = isa->xlen == 64;
    switch (bits & 3) {
    case 0: return expand_quadrant_0(bits, wide);
    case 1: return expand_quadrant_1(bits, wide);
    default: return expand_quadrant_2(bits, wide);
    }
}
