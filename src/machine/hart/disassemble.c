/* Instructions as assembler writes them, without the short forms that stand for special cases. */
#include "machine/hart/decode.h"
#include "tameanchor/trap.h"

#include "base/text.h"

#include <string.h>

static const struct {
    const char *mnemonic;
    uint32_t mask;
} rows[] = {{"", 0},
#define ROW(name, mnemonic, mask, match, format, widths, extensions) {mnemonic, mask},
            INSTRUCTION_TABLE(ROW)
#undef ROW
};

/* The operands of each format: d, s, t and r are rd, rs1, rs2 and rs3, in capitals those of floating point; i the immediate, x that in hexadecimal, o that and rs1
   in brackets, m rs1 in brackets, a where a branch leads to, u an upper immediate, c a CSR, z a constant in the place of rs1. */
static const char *const operands[] = {
    [FORMAT_NONE] = "",       [FORMAT_R] = "d,s,t",   [FORMAT_UNARY] = "d,s",  [FORMAT_I] = "d,s,i",
    [FORMAT_S] = "t,o",       [FORMAT_B] = "s,t,a",   [FORMAT_U] = "d,u",      [FORMAT_J] = "d,a",
    [FORMAT_SHIFT] = "d,s,x", [FORMAT_CSR] = "d,c,s", [FORMAT_CSRI] = "d,c,z", [FORMAT_A] = "d,t,m",
    [FORMAT_FI] = "D,o",      [FORMAT_FS] = "T,o",    [FORMAT_FR] = "D,S,T",   [FORMAT_FA] = "D,S,T",
    [FORMAT_FR4] = "D,S,T,R", [FORMAT_FX] = "d,S,T",  [FORMAT_XF] = "D,s",
};

static const char *const x_names[] = {"zero", "ra", "sp", "gp", "tp",  "t0",  "t1", "t2", "s0", "s1", "a0",
                                      "a1",   "a2", "a3", "a4", "a5",  "a6",  "a7", "s2", "s3", "s4", "s5",
                                      "s6",   "s7", "s8", "s9", "s10", "s11", "t3", "t4", "t5", "t6", "zero"};
static const char *const f_names[] = {"ft0", "ft1", "ft2", "ft3", "ft4",  "ft5",  "ft6", "ft7", "fs0",  "fs1", "fa0",
                                      "fa1", "fa2", "fa3", "fa4", "fa5",  "fa6",  "fa7", "fs2", "fs3",  "fs4", "fs5",
                                      "fs6", "fs7", "fs8", "fs9", "fs10", "fs11", "ft8", "ft9", "ft10", "ft11"};

const char *ta_register_name(unsigned number) {
    return number < TA_REGISTER_PC ? x_names[number] : "pc";
}

/* CSRs: Privileged Architecture 1.12, 2.2. */
static const struct {
    uint16_t number;
    char name[12];
} csrs[] = {{0x001, "fflags"},   {0x002, "frm"},     {0x003, "fcsr"},       {0x300, "mstatus"},  {0x301, "misa"},
            {0x304, "mie"},      {0x305, "mtvec"},   {0x306, "mcounteren"}, {0x310, "mstatush"}, {0x340, "mscratch"},
            {0x341, "mepc"},     {0x342, "mcause"},  {0x343, "mtval"},      {0x344, "mip"},      {0xb00, "mcycle"},
            {0xb02, "minstret"}, {0xb80, "mcycleh"}, {0xb82, "minstreth"},  {0xc00, "cycle"},    {0xc01, "time"},
            {0xc02, "instret"},  {0xc80, "cycleh"},  {0xc81, "timeh"},      {0xc82, "instreth"}, {0xf11, "mvendorid"},
            {0xf12, "marchid"},  {0xf13, "mimpid"},  {0xf14, "mhartid"}};

static void add_csr(struct text *text, unsigned number) {
    for (size_t i = 0; i < sizeof csrs / sizeof *csrs; ++i)
        if (csrs[i].number == number) {
            text_printf(text, "%s", csrs[i].name);
            return;
        }
    text_printf(text, "0x%x", number);
}

/* What of a format's operands this operation has. */
static const char *operands_of(const struct op *op) {
    const uint32_t rs2_field = 0x01f00000;
    enum instruction_format format = operation_format(op->operation);
    bool has_rs2 = (rows[op->operation].mask & rs2_field) != rs2_field;
    if (format == FORMAT_I && (operation_kind(op->operation) == KIND_LOAD || op->operation == OP_JALR))
        return "d,o";
    if (format == FORMAT_A && !has_rs2)
        return "d,m";
    if (format == FORMAT_FR && !has_rs2)
        return "D,S";
    if (format == FORMAT_FX && !has_rs2)
        return "d,S";
    return operands[format];
}

static void add_operand(struct text *text, char kind, const struct op *op, uint64_t pc) {
    switch (kind) {
    case 'd': text_printf(text, "%s", x_names[op->rd]); break;
    case 's': text_printf(text, "%s", x_names[op->rs1]); break;
    case 't': text_printf(text, "%s", x_names[op->rs2]); break;
    case 'D': text_printf(text, "%s", f_names[op->rd]); break;
    case 'S': text_printf(text, "%s", f_names[op->rs1]); break;
    case 'T': text_printf(text, "%s", f_names[op->rs2]); break;
    case 'R': text_printf(text, "%s", f_names[op->rs3]); break;
    case 'i': text_printf(text, "%d", (int)op->immediate); break;
    case 'x': text_printf(text, "0x%x", (unsigned)op->immediate); break;
    case 'o': text_printf(text, "%d(%s)", (int)op->immediate, x_names[op->rs1]); break;
    case 'm': text_printf(text, "(%s)", x_names[op->rs1]); break;
    case 'a': text_printf(text, "0x%llx", (unsigned long long)(pc + (uint64_t)(int64_t)op->immediate)); break;
    case 'u': text_printf(text, "0x%x", (unsigned)op->immediate >> 12); break;
    case 'c': add_csr(text, (unsigned)op->immediate); break;
    case 'z': text_printf(text, "%u", op->rs1); break;
    default: text_add(text, &kind, 1); break;
    }
}

void ta_instruction_text(const char *isa_text, uint64_t pc, uint32_t bits, char words[TA_INSTRUCTION_TEXT_BYTES]) {
    struct decoder decoder;
    struct text text = {0};
    struct isa isa;
    struct op op;
    words[0] = '\0';
    if (isa_parse(isa_text, &isa, NULL))
        return;
    decoder_init(&decoder, &isa);
    if ((bits & 3) != 3)
        bits = isa.extensions & ISA_LETTER('c') ? decode_expand((uint16_t)bits, &isa) : 0;
    decode(&decoder, bits, &op);
    if (op.operation == OP_ILLEGAL)
        return;
    text_printf(&text, "%s", rows[op.operation].mnemonic);
    const char *kinds = operands_of(&op);
    if (*kinds)
        text_add(&text, " ", 1);
    for (; *kinds; ++kinds)
        add_operand(&text, *kinds, &op, isa.xlen == 32 ? (uint32_t)pc : pc);
    if (!text.failed && text.length < TA_INSTRUCTION_TEXT_BYTES)
        memcpy(words, text.bytes, text.length + 1);
    text_free(&text);
}
