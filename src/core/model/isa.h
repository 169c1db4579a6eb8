/* ISA naming strings (Unprivileged ISA 20191213, chapter 27), as far as boards and compilers need them. */
#ifndef TA_CORE_MODEL_ISA_H
#define TA_CORE_MODEL_ISA_H

#include "tameanchor/status.h"

#include <stdint.h>

/* Bits of struct isa.extensions: single letters at their alphabet position, as in misa; then the named ones. */
#define ISA_LETTER(letter) (UINT64_C(1) << ((letter) - 'a'))
#define ISA_ZICSR          (UINT64_C(1) << 32)
#define ISA_ZIFENCEI       (UINT64_C(1) << 33)
#define ISA_ZICNTR         (UINT64_C(1) << 34)
#define ISA_ZBA            (UINT64_C(1) << 35) /* Bit-Manipulation ISA extensions 1.0.0 */
#define ISA_ZBB            (UINT64_C(1) << 36)
#define ISA_ZBS            (UINT64_C(1) << 37)

struct isa {
    unsigned xlen;
    uint64_t extensions;
};

/* Reads "rv32imac_zicsr_zifencei", in letters of any case; 'g' stands for imafd_zicsr_zifencei, and an extension brings those that it
   needs (d brings f, f and zicntr bring zicsr). Version numbers are not taken. */
enum ta_status isa_parse(const char *text, struct isa *isa, struct ta_problem *why);

/* What a compiler is told: the letters alone ("rv32imac"), since it finds its libraries by them, and the calling convention ("ilp32",
   "lp64d"). */
enum { ISA_TEXT_BYTES = 64 };
void isa_march(const struct isa *isa, char march[ISA_TEXT_BYTES]);
const char *isa_mabi(const struct isa *isa);

#endif
