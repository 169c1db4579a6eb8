#include "machine/decode.h"

static const struct {
    uint32_t mask, match;
    uint64_t extension;
    uint8_t format;
} instructions[] = {{0xffffffff, 0, 0, FORMAT_NONE},
#define ROW(name, mnemonic, mask, match, format, extension) {mask, match, extension, format},
                    INSTRUCTION_TABLE(ROW)
#undef ROW
};

static int32_t immediate_of(uint32_t bits, uint8_t format) {
    switch (format) {
    case FORMAT_I: return sign_extend(bits >> 20, 12);
    case FORMAT_S: return sign_extend(bits_move(bits, 25, 7, 5) | bits_move(bits, 7, 5, 0), 12);
    case FORMAT_B:
        return sign_extend(bits_move(bits, 31, 1, 12) | bits_move(bits, 7, 1, 11) | bits_move(bits, 25, 6, 5) |
                               bits_move(bits, 8, 4, 1),
                           13);
    case FORMAT_U: return (int32_t)(bits & 0xfffff000u);
    case FORMAT_J:
        return sign_extend(bits_move(bits, 31, 1, 20) | bits_move(bits, 12, 8, 12) | bits_move(bits, 20, 1, 11) |
                               bits_move(bits, 21, 10, 1),
                           21);
    case FORMAT_SHIFT: return (int32_t)bits_move(bits, 20, 6, 0);
    case FORMAT_CSR: return (int32_t)bits_move(bits, 20, 12, 0);
    default: return 0;
    }
}

void decode_instruction(uint32_t bits, const struct isa *isa, struct decoded *decoded) {
    decoded->bits = bits;
    decoded->rd = (uint8_t)bits_move(bits, 7, 5, 0);
    decoded->rs1 = (uint8_t)bits_move(bits, 15, 5, 0);
    decoded->rs2 = (uint8_t)bits_move(bits, 20, 5, 0);
    decoded->operation = OP_ILLEGAL;
    decoded->immediate = 0;
    for (uint8_t i = 1; i < sizeof instructions / sizeof *instructions; ++i) {
        if ((bits & instructions[i].mask) != instructions[i].match)
            continue;
        if (isa->extensions & instructions[i].extension) {
            decoded->operation = i;
            decoded->immediate = immediate_of(bits, instructions[i].format);
        }
        return;
    }
}
