/* The C extension: each 16-bit instruction is a 32-bit one written shorter (Unprivileged ISA 20191213, chapter 16). */
#include "machine/decode.h"

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
    JALR = 0x67,
    BEQ = 0x63,
    BNE = 0x1063,
    ADD = 0x33,
    EBREAK = 0x100073,
    X_RA = 1,
    X_SP = 2
};

static uint32_t expand_quadrant_0(uint32_t c) {
    uint32_t rd = bits_move(c, 2, 3, 0) + 8, rs1 = bits_move(c, 7, 3, 0) + 8;
    uint32_t wide = bits_move(c, 7, 4, 6) | bits_move(c, 11, 2, 4) | bits_move(c, 5, 1, 3) | bits_move(c, 6, 1, 2);
    uint32_t word = bits_move(c, 10, 3, 3) | bits_move(c, 6, 1, 2) | bits_move(c, 5, 1, 6);
    switch (c >> 13) {
    case 0: return wide ? make_i(ADDI, rd, X_SP, wide) : 0;
    case 2: return make_i(LW, rd, rs1, word);
    case 6: return make_s(SW, rs1, rd, word);
    default: return 0;
    }
}

static uint32_t expand_arithmetic(uint32_t c) {
    static const uint32_t registers[] = {0x40000033, 0x00004033, 0x00006033, 0x00007033}; /* sub xor or and */
    uint32_t rd = bits_move(c, 7, 3, 0) + 8, rs2 = bits_move(c, 2, 3, 0) + 8;
    uint32_t amount = bits_move(c, 12, 1, 5) | bits_move(c, 2, 5, 0);
    uint32_t kind = bits_move(c, 10, 2, 0);
    if (kind == 2)
        return make_i(ANDI, rd, rd, (uint32_t)sign_extend(amount, 6));
    if (kind == 3)
        return amount & 32 ? 0 : make_r(registers[bits_move(c, 5, 2, 0)], rd, rd, rs2);
    return make_i(kind ? (uint32_t)SRAI : (uint32_t)SRLI, rd, rd, amount);
}

static uint32_t expand_quadrant_1(uint32_t c) {
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
    case 1: return make_j(X_RA, jump);
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

static uint32_t expand_quadrant_2(uint32_t c) {
    uint32_t rd = bits_move(c, 7, 5, 0), rs2 = bits_move(c, 2, 5, 0), high = bits_move(c, 12, 1, 0);
    uint32_t load = bits_move(c, 12, 1, 5) | bits_move(c, 4, 3, 2) | bits_move(c, 2, 2, 6);
    uint32_t store = bits_move(c, 9, 4, 2) | bits_move(c, 7, 2, 6);
    switch (c >> 13) {
    case 0: return make_i(SLLI, rd, rd, high << 5 | rs2);
    case 2: return rd ? make_i(LW, rd, X_SP, load) : 0;
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

/* On RV32, a shift amount of 32 and more is reserved: its sixth bit falls into funct7, where no RV32 row matches. */
uint32_t decode_expand(uint16_t bits) {
    switch (bits & 3) {
    case 0: return expand_quadrant_0(bits);
    case 1: return expand_quadrant_1(bits);
    default: return expand_quadrant_2(bits);
    }
}
