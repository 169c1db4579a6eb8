/* ISA naming strings (Unprivileged ISA 20191213, chapter 27), as far as boards and compilers need them. */
#ifndef TA_CORE_MODEL_ISA_H
#define TA_CORE_MODEL_ISA_H

#include "tameanchor/status.h"

#include <stdint.h>

/* Bits of struct isa.extensions: single letters at their alphabet position, as in misa; then the named ones. */
#define ISA_LETTER(letter) (UINT64_C(1) << ((letter) - 'a'))
#define ISA_ZICSR          (UINT64_C(1) << 32)
#define ISA_ZIFENCEI       (UINT64_C(1) << 33)

struct isa {
    unsigned xlen;
    uint64_t extensions;
};

/* Reads "rv32imac_zicsr_zifencei" ('g' stands for imafd_zicsr_zifencei). Version numbers are not taken. */
enum ta_status isa_parse(const char *text, struct isa *isa, struct ta_problem *why);

/* What a compiler is told: the letters alone ("rv32imac") and the calling convention ("ilp32", "lp64d"). */
enum { ISA_TEXT_BYTES = 40 };
void isa_march(const struct isa *isa, char march[ISA_TEXT_BYTES]);
const char *isa_mabi(const struct isa *isa);

#endif
