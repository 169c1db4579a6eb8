/* Decoding: from the bits of an instruction to what the interpreter executes. */
#ifndef TA_MACHINE_DECODE_H
#define TA_MACHINE_DECODE_H

#include "machine/instructions.h"

#include <stdint.h>

/* One decoded instruction. PC is the tag of the hart's decode cache; BITS is what stood in memory (for mtval). */
struct decoded {
    uint64_t pc;
    int32_t immediate;
    uint32_t bits;
    uint8_t operation, rd, rs1, rs2;
    uint8_t length;
};

/* BITS' field of COUNT bits at LOW, moved to bit TO. */
static inline uint32_t bits_move(uint32_t bits, unsigned low, unsigned count, unsigned to) {
    return ((bits >> low) & ((1u << count) - 1)) << to;
}

/* The low COUNT bits of VALUE, as a signed number. */
static inline int32_t sign_extend(uint32_t value, unsigned count) {
    uint32_t sign = 1u << (count - 1);
    return (int32_t)((value ^ sign) - sign);
}

/* Decodes the 32 BITS of an uncompressed instruction for a hart of ISA. Fills all but PC and LENGTH. */
void decode_instruction(uint32_t bits, const struct isa *isa, struct decoded *decoded);

/* The 32-bit instruction that the 16 BITS stand for (chapter 16, RVC), or 0, which is illegal. */
uint32_t decode_expand(uint16_t bits);

#endif
