/* The instructions, one row each: name, mnemonic, mask, match, format, extension. Unprivileged ISA 20191213, chapter
   24; Privileged Architecture 1.12, chapter 13. Compressed instructions are expanded to these (compressed.c). A row
   whose extension the hart lacks is an illegal instruction. */
#ifndef TA_MACHINE_INSTRUCTIONS_H
#define TA_MACHINE_INSTRUCTIONS_H

#include "core/model/isa.h"

#define INSTRUCTION_TABLE(X)                                                                                           \
    X(LUI, "lui", 0x0000007f, 0x00000037, FORMAT_U, ISA_LETTER('i'))                                                   \
    X(AUIPC, "auipc", 0x0000007f, 0x00000017, FORMAT_U, ISA_LETTER('i'))                                               \
    X(JAL, "jal", 0x0000007f, 0x0000006f, FORMAT_J, ISA_LETTER('i'))                                                   \
    X(JALR, "jalr", 0x0000707f, 0x00000067, FORMAT_I, ISA_LETTER('i'))                                                 \
    X(BEQ, "beq", 0x0000707f, 0x00000063, FORMAT_B, ISA_LETTER('i'))                                                   \
    X(BNE, "bne", 0x0000707f, 0x00001063, FORMAT_B, ISA_LETTER('i'))                                                   \
    X(BLT, "blt", 0x0000707f, 0x00004063, FORMAT_B, ISA_LETTER('i'))                                                   \
    X(BGE, "bge", 0x0000707f, 0x00005063, FORMAT_B, ISA_LETTER('i'))                                                   \
    X(BLTU, "bltu", 0x0000707f, 0x00006063, FORMAT_B, ISA_LETTER('i'))                                                 \
    X(BGEU, "bgeu", 0x0000707f, 0x00007063, FORMAT_B, ISA_LETTER('i'))                                                 \
    X(LB, "lb", 0x0000707f, 0x00000003, FORMAT_I, ISA_LETTER('i'))                                                     \
    X(LH, "lh", 0x0000707f, 0x00001003, FORMAT_I, ISA_LETTER('i'))                                                     \
    X(LW, "lw", 0x0000707f, 0x00002003, FORMAT_I, ISA_LETTER('i'))                                                     \
    X(LBU, "lbu", 0x0000707f, 0x00004003, FORMAT_I, ISA_LETTER('i'))                                                   \
    X(LHU, "lhu", 0x0000707f, 0x00005003, FORMAT_I, ISA_LETTER('i'))                                                   \
    X(SB, "sb", 0x0000707f, 0x00000023, FORMAT_S, ISA_LETTER('i'))                                                     \
    X(SH, "sh", 0x0000707f, 0x00001023, FORMAT_S, ISA_LETTER('i'))                                                     \
    X(SW, "sw", 0x0000707f, 0x00002023, FORMAT_S, ISA_LETTER('i'))                                                     \
    X(ADDI, "addi", 0x0000707f, 0x00000013, FORMAT_I, ISA_LETTER('i'))                                                 \
    X(SLTI, "slti", 0x0000707f, 0x00002013, FORMAT_I, ISA_LETTER('i'))                                                 \
    X(SLTIU, "sltiu", 0x0000707f, 0x00003013, FORMAT_I, ISA_LETTER('i'))                                               \
    X(XORI, "xori", 0x0000707f, 0x00004013, FORMAT_I, ISA_LETTER('i'))                                                 \
    X(ORI, "ori", 0x0000707f, 0x00006013, FORMAT_I, ISA_LETTER('i'))                                                   \
    X(ANDI, "andi", 0x0000707f, 0x00007013, FORMAT_I, ISA_LETTER('i'))                                                 \
    X(SLLI, "slli", 0xfe00707f, 0x00001013, FORMAT_SHIFT, ISA_LETTER('i'))                                             \
    X(SRLI, "srli", 0xfe00707f, 0x00005013, FORMAT_SHIFT, ISA_LETTER('i'))                                             \
    X(SRAI, "srai", 0xfe00707f, 0x40005013, FORMAT_SHIFT, ISA_LETTER('i'))                                             \
    X(ADD, "add", 0xfe00707f, 0x00000033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(SUB, "sub", 0xfe00707f, 0x40000033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(SLL, "sll", 0xfe00707f, 0x00001033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(SLT, "slt", 0xfe00707f, 0x00002033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(SLTU, "sltu", 0xfe00707f, 0x00003033, FORMAT_R, ISA_LETTER('i'))                                                 \
    X(XOR, "xor", 0xfe00707f, 0x00004033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(SRL, "srl", 0xfe00707f, 0x00005033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(SRA, "sra", 0xfe00707f, 0x40005033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(OR, "or", 0xfe00707f, 0x00006033, FORMAT_R, ISA_LETTER('i'))                                                     \
    X(AND, "and", 0xfe00707f, 0x00007033, FORMAT_R, ISA_LETTER('i'))                                                   \
    X(FENCE, "fence", 0x0000707f, 0x0000000f, FORMAT_NONE, ISA_LETTER('i'))                                            \
    X(FENCE_I, "fence.i", 0x0000707f, 0x0000100f, FORMAT_NONE, ISA_ZIFENCEI)                                           \
    X(ECALL, "ecall", 0xffffffff, 0x00000073, FORMAT_NONE, ISA_LETTER('i'))                                            \
    X(EBREAK, "ebreak", 0xffffffff, 0x00100073, FORMAT_NONE, ISA_LETTER('i'))                                          \
    X(MRET, "mret", 0xffffffff, 0x30200073, FORMAT_NONE, ISA_LETTER('i'))                                              \
    X(WFI, "wfi", 0xffffffff, 0x10500073, FORMAT_NONE, ISA_LETTER('i'))                                                \
    X(CSRRW, "csrrw", 0x0000707f, 0x00001073, FORMAT_CSR, ISA_ZICSR)                                                   \
    X(CSRRS, "csrrs", 0x0000707f, 0x00002073, FORMAT_CSR, ISA_ZICSR)                                                   \
    X(CSRRC, "csrrc", 0x0000707f, 0x00003073, FORMAT_CSR, ISA_ZICSR)                                                   \
    X(CSRRWI, "csrrwi", 0x0000707f, 0x00005073, FORMAT_CSR, ISA_ZICSR)                                                 \
    X(CSRRSI, "csrrsi", 0x0000707f, 0x00006073, FORMAT_CSR, ISA_ZICSR)                                                 \
    X(CSRRCI, "csrrci", 0x0000707f, 0x00007073, FORMAT_CSR, ISA_ZICSR)                                                 \
    X(MUL, "mul", 0xfe00707f, 0x02000033, FORMAT_R, ISA_LETTER('m'))                                                   \
    X(MULH, "mulh", 0xfe00707f, 0x02001033, FORMAT_R, ISA_LETTER('m'))                                                 \
    X(MULHSU, "mulhsu", 0xfe00707f, 0x02002033, FORMAT_R, ISA_LETTER('m'))                                             \
    X(MULHU, "mulhu", 0xfe00707f, 0x02003033, FORMAT_R, ISA_LETTER('m'))                                               \
    X(DIV, "div", 0xfe00707f, 0x02004033, FORMAT_R, ISA_LETTER('m'))                                                   \
    X(DIVU, "divu", 0xfe00707f, 0x02005033, FORMAT_R, ISA_LETTER('m'))                                                 \
    X(REM, "rem", 0xfe00707f, 0x02006033, FORMAT_R, ISA_LETTER('m'))                                                   \
    X(REMU, "remu", 0xfe00707f, 0x02007033, FORMAT_R, ISA_LETTER('m'))                                                 \
    X(LR_W, "lr.w", 0xf9f0707f, 0x1000202f, FORMAT_R, ISA_LETTER('a'))                                                 \
    X(SC_W, "sc.w", 0xf800707f, 0x1800202f, FORMAT_R, ISA_LETTER('a'))                                                 \
    X(AMOSWAP_W, "amoswap.w", 0xf800707f, 0x0800202f, FORMAT_R, ISA_LETTER('a'))                                       \
    X(AMOADD_W, "amoadd.w", 0xf800707f, 0x0000202f, FORMAT_R, ISA_LETTER('a'))                                         \
    X(AMOXOR_W, "amoxor.w", 0xf800707f, 0x2000202f, FORMAT_R, ISA_LETTER('a'))                                         \
    X(AMOAND_W, "amoand.w", 0xf800707f, 0x6000202f, FORMAT_R, ISA_LETTER('a'))                                         \
    X(AMOOR_W, "amoor.w", 0xf800707f, 0x4000202f, FORMAT_R, ISA_LETTER('a'))                                           \
    X(AMOMIN_W, "amomin.w", 0xf800707f, 0x8000202f, FORMAT_R, ISA_LETTER('a'))                                         \
    X(AMOMAX_W, "amomax.w", 0xf800707f, 0xa000202f, FORMAT_R, ISA_LETTER('a'))                                         \
    X(AMOMINU_W, "amominu.w", 0xf800707f, 0xc000202f, FORMAT_R, ISA_LETTER('a'))                                       \
    X(AMOMAXU_W, "amomaxu.w", 0xf800707f, 0xe000202f, FORMAT_R, ISA_LETTER('a'))

enum instruction_format {
    FORMAT_NONE,
    FORMAT_R,
    FORMAT_I,
    FORMAT_S,
    FORMAT_B,
    FORMAT_U,
    FORMAT_J,
    FORMAT_SHIFT,
    FORMAT_CSR, /* the immediate is the CSR's number; rs1 is a register or a small constant */
};

enum operation {
    OP_ILLEGAL,
#define INSTRUCTION_ENUM(name, mnemonic, mask, match, format, extension) OP_##name,
    INSTRUCTION_TABLE(INSTRUCTION_ENUM)
#undef INSTRUCTION_ENUM
        OP_BREAKPOINT, /* stands where a debugger put one */
};

#endif
