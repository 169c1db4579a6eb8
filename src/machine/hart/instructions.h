/* The instructions, one row each: name, mnemonic, mask, match, format, widths, extensions. From the Unprivileged ISA
   20191213, chapter 24, the Bit-Manipulation extensions 1.0.0, and the Privileged Architecture 1.12, chapter 13. Compressed
   instructions are expanded to these (compressed.c). A row whose extension or width the hart lacks is an illegal
   instruction. Decoder, disassembler and engines are made from this table. */
#ifndef TA_MACHINE_HART_INSTRUCTIONS_H
#define TA_MACHINE_HART_INSTRUCTIONS_H

#include "core/model/isa.h"

/* The extensions of a row, by short names. */
#define EXT_I        ISA_LETTER('i')
#define EXT_M        ISA_LETTER('m')
#define EXT_A        ISA_LETTER('a')
#define EXT_F        ISA_LETTER('f')
#define EXT_D        ISA_LETTER('d')
#define EXT_ZICSR    ISA_ZICSR
#define EXT_ZIFENCEI ISA_ZIFENCEI
#define EXT_ZBA      ISA_ZBA
#define EXT_ZBB      ISA_ZBB
#define EXT_ZBS      ISA_ZBS

/* clang-format off */
#define INSTRUCTION_TABLE(X) \
    X(LUI, "lui", 0x0000007f, 0x00000037, U, BOTH, EXT_I) \
    X(AUIPC, "auipc", 0x0000007f, 0x00000017, U, BOTH, EXT_I) \
    X(JAL, "jal", 0x0000007f, 0x0000006f, J, BOTH, EXT_I) \
    X(JALR, "jalr", 0x0000707f, 0x00000067, I, BOTH, EXT_I) \
    X(BEQ, "beq", 0x0000707f, 0x00000063, B, BOTH, EXT_I) \
    X(BNE, "bne", 0x0000707f, 0x00001063, B, BOTH, EXT_I) \
    X(BLT, "blt", 0x0000707f, 0x00004063, B, BOTH, EXT_I) \
    X(BGE, "bge", 0x0000707f, 0x00005063, B, BOTH, EXT_I) \
    X(BLTU, "bltu", 0x0000707f, 0x00006063, B, BOTH, EXT_I) \
    X(BGEU, "bgeu", 0x0000707f, 0x00007063, B, BOTH, EXT_I) \
    X(LB, "lb", 0x0000707f, 0x00000003, I, BOTH, EXT_I) \
    X(LH, "lh", 0x0000707f, 0x00001003, I, BOTH, EXT_I) \
    X(LW, "lw", 0x0000707f, 0x00002003, I, BOTH, EXT_I) \
    X(LBU, "lbu", 0x0000707f, 0x00004003, I, BOTH, EXT_I) \
    X(LHU, "lhu", 0x0000707f, 0x00005003, I, BOTH, EXT_I) \
    X(LWU, "lwu", 0x0000707f, 0x00006003, I, 64, EXT_I) \
    X(LD, "ld", 0x0000707f, 0x00003003, I, 64, EXT_I) \
    X(SB, "sb", 0x0000707f, 0x00000023, S, BOTH, EXT_I) \
    X(SH, "sh", 0x0000707f, 0x00001023, S, BOTH, EXT_I) \
    X(SW, "sw", 0x0000707f, 0x00002023, S, BOTH, EXT_I) \
    X(SD, "sd", 0x0000707f, 0x00003023, S, 64, EXT_I) \
    X(ADDI, "addi", 0x0000707f, 0x00000013, I, BOTH, EXT_I) \
    X(SLTI, "slti", 0x0000707f, 0x00002013, I, BOTH, EXT_I) \
    X(SLTIU, "sltiu", 0x0000707f, 0x00003013, I, BOTH, EXT_I) \
    X(XORI, "xori", 0x0000707f, 0x00004013, I, BOTH, EXT_I) \
    X(ORI, "ori", 0x0000707f, 0x00006013, I, BOTH, EXT_I) \
    X(ANDI, "andi", 0x0000707f, 0x00007013, I, BOTH, EXT_I) \
    X(SLLI, "slli", 0xfc00707f, 0x00001013, SHIFT, BOTH, EXT_I) \
    X(SRLI, "srli", 0xfc00707f, 0x00005013, SHIFT, BOTH, EXT_I) \
    X(SRAI, "srai", 0xfc00707f, 0x40005013, SHIFT, BOTH, EXT_I) \
    X(ADD, "add", 0xfe00707f, 0x00000033, R, BOTH, EXT_I) \
    X(SUB, "sub", 0xfe00707f, 0x40000033, R, BOTH, EXT_I) \
    X(SLL, "sll", 0xfe00707f, 0x00001033, R, BOTH, EXT_I) \
    X(SLT, "slt", 0xfe00707f, 0x00002033, R, BOTH, EXT_I) \
    X(SLTU, "sltu", 0xfe00707f, 0x00003033, R, BOTH, EXT_I) \
    X(XOR, "xor", 0xfe00707f, 0x00004033, R, BOTH, EXT_I) \
    X(SRL, "srl", 0xfe00707f, 0x00005033, R, BOTH, EXT_I) \
    X(SRA, "sra", 0xfe00707f, 0x40005033, R, BOTH, EXT_I) \
    X(OR, "or", 0xfe00707f, 0x00006033, R, BOTH, EXT_I) \
    X(AND, "and", 0xfe00707f, 0x00007033, R, BOTH, EXT_I) \
    X(ADDIW, "addiw", 0x0000707f, 0x0000001b, I, 64, EXT_I) \
    X(SLLIW, "slliw", 0xfe00707f, 0x0000101b, SHIFT, 64, EXT_I) \
    X(SRLIW, "srliw", 0xfe00707f, 0x0000501b, SHIFT, 64, EXT_I) \
    X(SRAIW, "sraiw", 0xfe00707f, 0x4000501b, SHIFT, 64, EXT_I) \
    X(ADDW, "addw", 0xfe00707f, 0x0000003b, R, 64, EXT_I) \
    X(SUBW, "subw", 0xfe00707f, 0x4000003b, R, 64, EXT_I) \
    X(SLLW, "sllw", 0xfe00707f, 0x0000103b, R, 64, EXT_I) \
    X(SRLW, "srlw", 0xfe00707f, 0x0000503b, R, 64, EXT_I) \
    X(SRAW, "sraw", 0xfe00707f, 0x4000503b, R, 64, EXT_I) \
    X(FENCE, "fence", 0x0000707f, 0x0000000f, NONE, BOTH, EXT_I) \
    X(FENCE_I, "fence.i", 0x0000707f, 0x0000100f, NONE, BOTH, EXT_ZIFENCEI) \
    X(ECALL, "ecall", 0xffffffff, 0x00000073, NONE, BOTH, EXT_I) \
    X(EBREAK, "ebreak", 0xffffffff, 0x00100073, NONE, BOTH, EXT_I) \
    X(MRET, "mret", 0xffffffff, 0x30200073, NONE, BOTH, EXT_I) \
    X(WFI, "wfi", 0xffffffff, 0x10500073, NONE, BOTH, EXT_I) \
    X(CSRRW, "csrrw", 0x0000707f, 0x00001073, CSR, BOTH, EXT_ZICSR) \
    X(CSRRS, "csrrs", 0x0000707f, 0x00002073, CSR, BOTH, EXT_ZICSR) \
    X(CSRRC, "csrrc", 0x0000707f, 0x00003073, CSR, BOTH, EXT_ZICSR) \
    X(CSRRWI, "csrrwi", 0x0000707f, 0x00005073, CSRI, BOTH, EXT_ZICSR) \
    X(CSRRSI, "csrrsi", 0x0000707f, 0x00006073, CSRI, BOTH, EXT_ZICSR) \
    X(CSRRCI, "csrrci", 0x0000707f, 0x00007073, CSRI, BOTH, EXT_ZICSR) \
    X(MUL, "mul", 0xfe00707f, 0x02000033, R, BOTH, EXT_M) \
    X(MULH, "mulh", 0xfe00707f, 0x02001033, R, BOTH, EXT_M) \
    X(MULHSU, "mulhsu", 0xfe00707f, 0x02002033, R, BOTH, EXT_M) \
    X(MULHU, "mulhu", 0xfe00707f, 0x02003033, R, BOTH, EXT_M) \
    X(DIV, "div", 0xfe00707f, 0x02004033, R, BOTH, EXT_M) \
    X(DIVU, "divu", 0xfe00707f, 0x02005033, R, BOTH, EXT_M) \
    X(REM, "rem", 0xfe00707f, 0x02006033, R, BOTH, EXT_M) \
    X(REMU, "remu", 0xfe00707f, 0x02007033, R, BOTH, EXT_M) \
    X(MULW, "mulw", 0xfe00707f, 0x0200003b, R, 64, EXT_M) \
    X(DIVW, "divw", 0xfe00707f, 0x0200403b, R, 64, EXT_M) \
    X(DIVUW, "divuw", 0xfe00707f, 0x0200503b, R, 64, EXT_M) \
    X(REMW, "remw", 0xfe00707f, 0x0200603b, R, 64, EXT_M) \
    X(REMUW, "remuw", 0xfe00707f, 0x0200703b, R, 64, EXT_M) \
    X(LR_W, "lr.w", 0xf9f0707f, 0x1000202f, A, BOTH, EXT_A) \
    X(SC_W, "sc.w", 0xf800707f, 0x1800202f, A, BOTH, EXT_A) \
    X(AMOSWAP_W, "amoswap.w", 0xf800707f, 0x0800202f, A, BOTH, EXT_A) \
    X(AMOADD_W, "amoadd.w", 0xf800707f, 0x0000202f, A, BOTH, EXT_A) \
    X(AMOXOR_W, "amoxor.w", 0xf800707f, 0x2000202f, A, BOTH, EXT_A) \
    X(AMOAND_W, "amoand.w", 0xf800707f, 0x6000202f, A, BOTH, EXT_A) \
    X(AMOOR_W, "amoor.w", 0xf800707f, 0x4000202f, A, BOTH, EXT_A) \
    X(AMOMIN_W, "amomin.w", 0xf800707f, 0x8000202f, A, BOTH, EXT_A) \
    X(AMOMAX_W, "amomax.w", 0xf800707f, 0xa000202f, A, BOTH, EXT_A) \
    X(AMOMINU_W, "amominu.w", 0xf800707f, 0xc000202f, A, BOTH, EXT_A) \
    X(AMOMAXU_W, "amomaxu.w", 0xf800707f, 0xe000202f, A, BOTH, EXT_A) \
    X(LR_D, "lr.d", 0xf9f0707f, 0x1000302f, A, 64, EXT_A) \
    X(SC_D, "sc.d", 0xf800707f, 0x1800302f, A, 64, EXT_A) \
    X(AMOSWAP_D, "amoswap.d", 0xf800707f, 0x0800302f, A, 64, EXT_A) \
    X(AMOADD_D, "amoadd.d", 0xf800707f, 0x0000302f, A, 64, EXT_A) \
    X(AMOXOR_D, "amoxor.d", 0xf800707f, 0x2000302f, A, 64, EXT_A) \
    X(AMOAND_D, "amoand.d", 0xf800707f, 0x6000302f, A, 64, EXT_A) \
    X(AMOOR_D, "amoor.d", 0xf800707f, 0x4000302f, A, 64, EXT_A) \
    X(AMOMIN_D, "amomin.d", 0xf800707f, 0x8000302f, A, 64, EXT_A) \
    X(AMOMAX_D, "amomax.d", 0xf800707f, 0xa000302f, A, 64, EXT_A) \
    X(AMOMINU_D, "amominu.d", 0xf800707f, 0xc000302f, A, 64, EXT_A) \
    X(AMOMAXU_D, "amomaxu.d", 0xf800707f, 0xe000302f, A, 64, EXT_A) \
    X(FLW, "flw", 0x0000707f, 0x00002007, FI, BOTH, EXT_F) \
    X(FSW, "fsw", 0x0000707f, 0x00002027, FS, BOTH, EXT_F) \
    X(FMADD_S, "fmadd.s", 0x0600007f, 0x00000043, FR4, BOTH, EXT_F) \
    X(FMSUB_S, "fmsub.s", 0x0600007f, 0x00000047, FR4, BOTH, EXT_F) \
    X(FNMSUB_S, "fnmsub.s", 0x0600007f, 0x0000004b, FR4, BOTH, EXT_F) \
    X(FNMADD_S, "fnmadd.s", 0x0600007f, 0x0000004f, FR4, BOTH, EXT_F) \
    X(FADD_S, "fadd.s", 0xfe00007f, 0x00000053, FA, BOTH, EXT_F) \
    X(FSUB_S, "fsub.s", 0xfe00007f, 0x08000053, FA, BOTH, EXT_F) \
    X(FMUL_S, "fmul.s", 0xfe00007f, 0x10000053, FA, BOTH, EXT_F) \
    X(FDIV_S, "fdiv.s", 0xfe00007f, 0x18000053, FA, BOTH, EXT_F) \
    X(FSQRT_S, "fsqrt.s", 0xfff0007f, 0x58000053, FR, BOTH, EXT_F) \
    X(FSGNJ_S, "fsgnj.s", 0xfe00707f, 0x20000053, FR, BOTH, EXT_F) \
    X(FSGNJN_S, "fsgnjn.s", 0xfe00707f, 0x20001053, FR, BOTH, EXT_F) \
    X(FSGNJX_S, "fsgnjx.s", 0xfe00707f, 0x20002053, FR, BOTH, EXT_F) \
    X(FMIN_S, "fmin.s", 0xfe00707f, 0x28000053, FR, BOTH, EXT_F) \
    X(FMAX_S, "fmax.s", 0xfe00707f, 0x28001053, FR, BOTH, EXT_F) \
    X(FEQ_S, "feq.s", 0xfe00707f, 0xa0002053, FX, BOTH, EXT_F) \
    X(FLT_S, "flt.s", 0xfe00707f, 0xa0001053, FX, BOTH, EXT_F) \
    X(FLE_S, "fle.s", 0xfe00707f, 0xa0000053, FX, BOTH, EXT_F) \
    X(FCLASS_S, "fclass.s", 0xfff0707f, 0xe0001053, FX, BOTH, EXT_F) \
    X(FCVT_W_S, "fcvt.w.s", 0xfff0007f, 0xc0000053, FX, BOTH, EXT_F) \
    X(FCVT_S_W, "fcvt.s.w", 0xfff0007f, 0xd0000053, XF, BOTH, EXT_F) \
    X(FCVT_WU_S, "fcvt.wu.s", 0xfff0007f, 0xc0100053, FX, BOTH, EXT_F) \
    X(FCVT_S_WU, "fcvt.s.wu", 0xfff0007f, 0xd0100053, XF, BOTH, EXT_F) \
    X(FCVT_L_S, "fcvt.l.s", 0xfff0007f, 0xc0200053, FX, 64, EXT_F) \
    X(FCVT_S_L, "fcvt.s.l", 0xfff0007f, 0xd0200053, XF, 64, EXT_F) \
    X(FCVT_LU_S, "fcvt.lu.s", 0xfff0007f, 0xc0300053, FX, 64, EXT_F) \
    X(FCVT_S_LU, "fcvt.s.lu", 0xfff0007f, 0xd0300053, XF, 64, EXT_F) \
    X(FLD, "fld", 0x0000707f, 0x00003007, FI, BOTH, EXT_D) \
    X(FSD, "fsd", 0x0000707f, 0x00003027, FS, BOTH, EXT_D) \
    X(FMADD_D, "fmadd.d", 0x0600007f, 0x02000043, FR4, BOTH, EXT_D) \
    X(FMSUB_D, "fmsub.d", 0x0600007f, 0x02000047, FR4, BOTH, EXT_D) \
    X(FNMSUB_D, "fnmsub.d", 0x0600007f, 0x0200004b, FR4, BOTH, EXT_D) \
    X(FNMADD_D, "fnmadd.d", 0x0600007f, 0x0200004f, FR4, BOTH, EXT_D) \
    X(FADD_D, "fadd.d", 0xfe00007f, 0x02000053, FA, BOTH, EXT_D) \
    X(FSUB_D, "fsub.d", 0xfe00007f, 0x0a000053, FA, BOTH, EXT_D) \
    X(FMUL_D, "fmul.d", 0xfe00007f, 0x12000053, FA, BOTH, EXT_D) \
    X(FDIV_D, "fdiv.d", 0xfe00007f, 0x1a000053, FA, BOTH, EXT_D) \
    X(FSQRT_D, "fsqrt.d", 0xfff0007f, 0x5a000053, FR, BOTH, EXT_D) \
    X(FSGNJ_D, "fsgnj.d", 0xfe00707f, 0x22000053, FR, BOTH, EXT_D) \
    X(FSGNJN_D, "fsgnjn.d", 0xfe00707f, 0x22001053, FR, BOTH, EXT_D) \
    X(FSGNJX_D, "fsgnjx.d", 0xfe00707f, 0x22002053, FR, BOTH, EXT_D) \
    X(FMIN_D, "fmin.d", 0xfe00707f, 0x2a000053, FR, BOTH, EXT_D) \
    X(FMAX_D, "fmax.d", 0xfe00707f, 0x2a001053, FR, BOTH, EXT_D) \
    X(FEQ_D, "feq.d", 0xfe00707f, 0xa2002053, FX, BOTH, EXT_D) \
    X(FLT_D, "flt.d", 0xfe00707f, 0xa2001053, FX, BOTH, EXT_D) \
    X(FLE_D, "fle.d", 0xfe00707f, 0xa2000053, FX, BOTH, EXT_D) \
    X(FCLASS_D, "fclass.d", 0xfff0707f, 0xe2001053, FX, BOTH, EXT_D) \
    X(FCVT_W_D, "fcvt.w.d", 0xfff0007f, 0xc2000053, FX, BOTH, EXT_D) \
    X(FCVT_D_W, "fcvt.d.w", 0xfff0007f, 0xd2000053, XF, BOTH, EXT_D) \
    X(FCVT_WU_D, "fcvt.wu.d", 0xfff0007f, 0xc2100053, FX, BOTH, EXT_D) \
    X(FCVT_D_WU, "fcvt.d.wu", 0xfff0007f, 0xd2100053, XF, BOTH, EXT_D) \
    X(FCVT_L_D, "fcvt.l.d", 0xfff0007f, 0xc2200053, FX, 64, EXT_D) \
    X(FCVT_D_L, "fcvt.d.l", 0xfff0007f, 0xd2200053, XF, 64, EXT_D) \
    X(FCVT_LU_D, "fcvt.lu.d", 0xfff0007f, 0xc2300053, FX, 64, EXT_D) \
    X(FCVT_D_LU, "fcvt.d.lu", 0xfff0007f, 0xd2300053, XF, 64, EXT_D) \
    X(FMV_X_W, "fmv.x.w", 0xfff0707f, 0xe0000053, FX, BOTH, EXT_F) \
    X(FMV_W_X, "fmv.w.x", 0xfff0707f, 0xf0000053, XF, BOTH, EXT_F) \
    X(FMV_X_D, "fmv.x.d", 0xfff0707f, 0xe2000053, FX, 64, EXT_D) \
    X(FMV_D_X, "fmv.d.x", 0xfff0707f, 0xf2000053, XF, 64, EXT_D) \
    X(FCVT_S_D, "fcvt.s.d", 0xfff0007f, 0x40100053, FR, BOTH, EXT_D) \
    X(FCVT_D_S, "fcvt.d.s", 0xfff0007f, 0x42000053, FR, BOTH, EXT_D) \
    X(SH1ADD, "sh1add", 0xfe00707f, 0x20002033, R, BOTH, EXT_ZBA) \
    X(SH2ADD, "sh2add", 0xfe00707f, 0x20004033, R, BOTH, EXT_ZBA) \
    X(SH3ADD, "sh3add", 0xfe00707f, 0x20006033, R, BOTH, EXT_ZBA) \
    X(ADD_UW, "add.uw", 0xfe00707f, 0x0800003b, R, 64, EXT_ZBA) \
    X(SH1ADD_UW, "sh1add.uw", 0xfe00707f, 0x2000203b, R, 64, EXT_ZBA) \
    X(SH2ADD_UW, "sh2add.uw", 0xfe00707f, 0x2000403b, R, 64, EXT_ZBA) \
    X(SH3ADD_UW, "sh3add.uw", 0xfe00707f, 0x2000603b, R, 64, EXT_ZBA) \
    X(SLLI_UW, "slli.uw", 0xfc00707f, 0x0800101b, SHIFT, 64, EXT_ZBA) \
    X(ANDN, "andn", 0xfe00707f, 0x40007033, R, BOTH, EXT_ZBB) \
    X(ORN, "orn", 0xfe00707f, 0x40006033, R, BOTH, EXT_ZBB) \
    X(XNOR, "xnor", 0xfe00707f, 0x40004033, R, BOTH, EXT_ZBB) \
    X(MAX, "max", 0xfe00707f, 0x0a006033, R, BOTH, EXT_ZBB) \
    X(MAXU, "maxu", 0xfe00707f, 0x0a007033, R, BOTH, EXT_ZBB) \
    X(MIN, "min", 0xfe00707f, 0x0a004033, R, BOTH, EXT_ZBB) \
    X(MINU, "minu", 0xfe00707f, 0x0a005033, R, BOTH, EXT_ZBB) \
    X(ROL, "rol", 0xfe00707f, 0x60001033, R, BOTH, EXT_ZBB) \
    X(ROR, "ror", 0xfe00707f, 0x60005033, R, BOTH, EXT_ZBB) \
    X(CLZ, "clz", 0xfff0707f, 0x60001013, UNARY, BOTH, EXT_ZBB) \
    X(CTZ, "ctz", 0xfff0707f, 0x60101013, UNARY, BOTH, EXT_ZBB) \
    X(CPOP, "cpop", 0xfff0707f, 0x60201013, UNARY, BOTH, EXT_ZBB) \
    X(SEXT_B, "sext.b", 0xfff0707f, 0x60401013, UNARY, BOTH, EXT_ZBB) \
    X(SEXT_H, "sext.h", 0xfff0707f, 0x60501013, UNARY, BOTH, EXT_ZBB) \
    X(ORC_B, "orc.b", 0xfff0707f, 0x28705013, UNARY, BOTH, EXT_ZBB) \
    X(ZEXT_H_32, "zext.h", 0xfff0707f, 0x08004033, UNARY, 32, EXT_ZBB) \
    X(REV8_32, "rev8", 0xfff0707f, 0x69805013, UNARY, 32, EXT_ZBB) \
    X(ZEXT_H, "zext.h", 0xfff0707f, 0x0800403b, UNARY, 64, EXT_ZBB) \
    X(REV8, "rev8", 0xfff0707f, 0x6b805013, UNARY, 64, EXT_ZBB) \
    X(CLZW, "clzw", 0xfff0707f, 0x6000101b, UNARY, 64, EXT_ZBB) \
    X(CTZW, "ctzw", 0xfff0707f, 0x6010101b, UNARY, 64, EXT_ZBB) \
    X(CPOPW, "cpopw", 0xfff0707f, 0x6020101b, UNARY, 64, EXT_ZBB) \
    X(RORI, "rori", 0xfc00707f, 0x60005013, SHIFT, BOTH, EXT_ZBB) \
    X(ROLW, "rolw", 0xfe00707f, 0x6000103b, R, 64, EXT_ZBB) \
    X(RORW, "rorw", 0xfe00707f, 0x6000503b, R, 64, EXT_ZBB) \
    X(RORIW, "roriw", 0xfe00707f, 0x6000501b, SHIFT, 64, EXT_ZBB) \
    X(BCLR, "bclr", 0xfe00707f, 0x48001033, R, BOTH, EXT_ZBS) \
    X(BEXT, "bext", 0xfe00707f, 0x48005033, R, BOTH, EXT_ZBS) \
    X(BINV, "binv", 0xfe00707f, 0x68001033, R, BOTH, EXT_ZBS) \
    X(BSET, "bset", 0xfe00707f, 0x28001033, R, BOTH, EXT_ZBS) \
    X(BCLRI, "bclri", 0xfc00707f, 0x48001013, SHIFT, BOTH, EXT_ZBS) \
    X(BEXTI, "bexti", 0xfc00707f, 0x48005013, SHIFT, BOTH, EXT_ZBS) \
    X(BINVI, "binvi", 0xfc00707f, 0x68001013, SHIFT, BOTH, EXT_ZBS) \
    X(BSETI, "bseti", 0xfc00707f, 0x28001013, SHIFT, BOTH, EXT_ZBS)
/* clang-format on */

/* Which fields an instruction has. X is an integer register, F one of floating point. */
#define FORMAT_TABLE(X)                                                                                                \
    X(NONE)                                                                                                            \
    X(R)     /* rd, rs1, rs2 */                                                                                        \
    X(UNARY) /* rd, rs1 */                                                                                             \
    X(I)     /* rd, rs1, immediate */                                                                                  \
    X(S)     /* rs1, rs2, immediate */                                                                                 \
    X(B)     /* rs1, rs2, where to */                                                                                  \
    X(U)     /* rd, upper immediate */                                                                                 \
    X(J)     /* rd, where to */                                                                                        \
    X(SHIFT) /* rd, rs1, an amount */                                                                                  \
    X(CSR)   /* rd, CSR, rs1 */                                                                                        \
    X(CSRI)  /* rd, CSR, a constant in the place of rs1 */                                                             \
    X(A)     /* rd, rs1 (an address), rs2 */                                                                           \
    X(FI)    /* load to F */                                                                                           \
    X(FS)    /* store of F */                                                                                          \
    X(FR)    /* F from F */                                                                                            \
    X(FA)    /* F from two of F, by an operation that the host may have */                                             \
    X(FR4)   /* F from three of F */                                                                                   \
    X(FX)    /* X from F */                                                                                            \
    X(XF)    /* F from X */

enum instruction_format {
#define FORMAT_ENUM(name) FORMAT_##name,
    FORMAT_TABLE(FORMAT_ENUM)
#undef FORMAT_ENUM
};

enum { WIDTH_32 = 1, WIDTH_64 = 2, WIDTH_BOTH = 3 };

enum operation {
    OP_ILLEGAL,
#define INSTRUCTION_ENUM(name, mnemonic, mask, match, format, widths, extensions) OP_##name,
    INSTRUCTION_TABLE(INSTRUCTION_ENUM)
#undef INSTRUCTION_ENUM
    /* What blocks hold besides: branches forwards, after which they go on, in the order of those above; branches and a jump to the block's
       own start, round after round of which changes nothing; they end without a jump, a debugger put a breakpoint there, or their code is
       no longer so. */
    OP_FORWARD_BEQ,
    OP_FORWARD_BNE,
    OP_FORWARD_BLT,
    OP_FORWARD_BGE,
    OP_FORWARD_BLTU,
    OP_FORWARD_BGEU,
    OP_AGAIN_BEQ,
    OP_AGAIN_BNE,
    OP_AGAIN_BLT,
    OP_AGAIN_BGE,
    OP_AGAIN_BLTU,
    OP_AGAIN_BGEU,
    OP_AGAIN_JAL,
    OP_CONTINUE,
    OP_BREAKPOINT,
    OP_STALE,
    OPERATION_COUNT
};

#endif
