#include "machine/hart/decode.h"

#include <string.h>

static const struct row {
    uint32_t mask, match;
    uint64_t extensions;
    uint8_t format, widths;
} table[] = {{0xffffffff, 0, 0, FORMAT_NONE, 0},
#define ROW(name, mnemonic, mask, match, format, widths, extensions)                                                   \
    {mask, match, extensions, FORMAT_##format, WIDTH_##widths},
             INSTRUCTION_TABLE(ROW)
#undef ROW
};
enum { ROW_COUNT = sizeof table / sizeof *table, FUNCT3 = 0x7000 };

static unsigned key_of(uint32_t bits) {
    return bits_move(bits, 2, 5, 0) | bits_move(bits, 12, 3, 5);
}

static bool has_row(const struct isa *isa, const struct row *row) {
    unsigned width = isa->xlen == 32 ? WIDTH_32 : WIDTH_64;
    return (row->widths & width) && (isa->extensions & row->extensions) == row->extensions;
}

/* From its key, a row stands under every STEP-th: one that does not look at the whole of funct3, under eight. */
static unsigned key_step(const struct row *row) {
    return (row->mask & FUNCT3) == FUNCT3 ? DECODER_KEYS : 32;
}

/* Counted first, then put in their places, in the order of the table. */
void decoder_init(struct decoder *decoder, const struct isa *isa) {
    uint16_t next[DECODER_KEYS + 1] = {0};
    decoder->isa = *isa;
    for (unsigned i = 1; i < ROW_COUNT; ++i)
        for (unsigned step = key_step(&table[i]), key = key_of(table[i].match) % step; key < DECODER_KEYS; key += step)
            next[key + 1] = (uint16_t)(next[key + 1] + has_row(isa, &table[i]));
    for (unsigned key = 0; key < DECODER_KEYS; ++key)
        next[key + 1] = (uint16_t)(next[key + 1] + next[key]);
    memcpy(decoder->first, next, sizeof decoder->first);
    for (unsigned i = 1; i < ROW_COUNT; ++i)
        for (unsigned step = key_step(&table[i]), key = key_of(table[i].match) % step; key < DECODER_KEYS; key += step)
            if (has_row(isa, &table[i]))
                decoder->rows[next[key]++] = (uint8_t)i;
}

static int32_t immediate_of(uint32_t bits, enum instruction_format format) {
    switch (format) {
    case FORMAT_I:
    case FORMAT_FI: return sign_extend(bits >> 20, 12);
    case FORMAT_S:
    case FORMAT_FS: return sign_extend(bits_move(bits, 25, 7, 5) | bits_move(bits, 7, 5, 0), 12);
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
    case FORMAT_CSR:
    case FORMAT_CSRI: return (int32_t)bits_move(bits, 20, 12, 0);
    default: return 0;
    }
}

static bool writes_x(enum instruction_format format) {
    return format < FORMAT_FI || format == FORMAT_FX;
}

/* The number of the row that BITS match, or 0. */
static unsigned find_row(const struct decoder *decoder, uint32_t bits) {
    unsigned key = key_of(bits);
    for (unsigned i = decoder->first[key]; (bits & 3) == 3 && i < decoder->first[key + 1]; ++i)
        if ((bits & table[decoder->rows[i]].mask) == table[decoder->rows[i]].match)
            return decoder->rows[i];
    return 0;
}

/* A shift by 32 and more on RV32 is reserved. Rounding modes that are, are found when one is carried out: most come from fcsr. */
static bool is_reserved(const struct decoder *decoder, const struct row *row, const struct op *op) {
    return row->format == FORMAT_SHIFT && decoder->isa.xlen == 32 && op->immediate >= 32;
}

void decode(const struct decoder *decoder, uint32_t bits, struct op *op) {
    unsigned found = find_row(decoder, bits);
    const struct row *row = &table[found];
    enum instruction_format format = (enum instruction_format)row->format;
    bool rounds = format >= FORMAT_FR && !(row->mask & FUNCT3);
    *op = (struct op){.operation = (uint8_t)found,
                      .rd = (uint8_t)bits_move(bits, 7, 5, 0),
                      .rs1 = (uint8_t)bits_move(bits, 15, 5, 0),
                      .rs2 = (uint8_t)bits_move(bits, 20, 5, 0),
                      .rs3 = (uint8_t)bits_move(bits, 27, 5, 0),
                      .rounding = (uint8_t)(rounds ? bits_move(bits, 12, 3, 0) : 0),
                      .immediate = immediate_of(bits, format)};
    if (found && is_reserved(decoder, row, op))
        op->operation = OP_ILLEGAL;
    if (!op->rd && writes_x(format))
        op->rd = REGISTER_NONE;
}

enum instruction_format operation_format(unsigned operation) {
    return operation < ROW_COUNT ? (enum instruction_format)table[operation].format : FORMAT_NONE;
}

enum operation_kind operation_kind(unsigned operation) {
    switch (operation) {
    case OP_LB:
    case OP_LH:
    case OP_LW:
    case OP_LBU:
    case OP_LHU:
    case OP_LWU:
    case OP_LD:
    case OP_FLW:
    case OP_FLD: return KIND_LOAD;
    case OP_SB:
    case OP_SH:
    case OP_SW:
    case OP_SD:
    case OP_FSW:
    case OP_FSD: return KIND_STORE;
    case OP_MUL:
    case OP_MULH:
    case OP_MULHSU:
    case OP_MULHU:
    case OP_MULW: return KIND_MULTIPLY;
    case OP_DIV:
    case OP_DIVU:
    case OP_REM:
    case OP_REMU:
    case OP_DIVW:
    case OP_DIVUW:
    case OP_REMW:
    case OP_REMUW: return KIND_DIVIDE;
    default: return operation_format(operation) == FORMAT_A ? KIND_STORE : KIND_PLAIN;
    }
}
