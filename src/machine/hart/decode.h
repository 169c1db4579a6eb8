/* Decoding: from the bits of an instruction to what the engines execute. */
#ifndef TA_MACHINE_HART_DECODE_H
#define TA_MACHINE_HART_DECODE_H

#include "machine/hart/instructions.h"

#include <stdbool.h>
#include <stdint.h>

/* Where the result for x0 goes: a register that nobody reads. */
enum { REGISTER_NONE = 32 };

struct block;

/* One decoded instruction in its block. AT is where the engine carries it out, for one that jumps to addresses; TAKEN where a branch
   forwards leads to, once that is known. */
struct op {
    const void *at;
    struct block *taken;
    int32_t immediate;
    uint8_t rd, rs1, rs2, length; /* bytes */
    uint16_t offset;              /* of the instruction, from the block's first */
    uint16_t before;              /* cycles that those before it in the block take */
    uint8_t operation, cycles;    /* its own */
    uint8_t rs3, rounding;        /* of floating point */
};

/* The rows of the instruction table by opcode and funct3: bits 2 to 6 and 12 to 14 of an instruction. */
enum { DECODER_KEYS = 256, DECODER_ROWS = 1024 };

struct decoder {
    struct isa isa;
    uint16_t first[DECODER_KEYS + 1];
    uint8_t rows[DECODER_ROWS];
};

void decoder_init(struct decoder *decoder, const struct isa *isa);

/* Decodes the 32 BITS of an uncompressed instruction. Fills operation (OP_ILLEGAL when the ISA has none such), registers,
   immediate and rounding mode; the rest is zero. */
void decode(const struct decoder *decoder, uint32_t bits, struct op *op);

enum instruction_format operation_format(unsigned operation);

/* What an operation takes its time for. */
enum operation_kind { KIND_PLAIN, KIND_LOAD, KIND_STORE, KIND_MULTIPLY, KIND_DIVIDE };
enum operation_kind operation_kind(unsigned operation);

/* The 32-bit instruction that the 16 BITS stand for (chapter 16, RVC), or 0, which is illegal. */
uint32_t decode_expand(uint16_t bits, const struct isa *isa);

/* BITS' field of COUNT bits at LOW, moved to bit TO. */
static inline uint32_t bits_move(uint32_t bits, unsigned low, unsigned count, unsigned to) {
    return ((bits >> low) & ((1u << count) - 1)) << to;
}

/* The low COUNT bits of VALUE, as a signed number. */
static inline int32_t sign_extend(uint32_t value, unsigned count) {
    uint32_t sign = 1u << (count - 1);
    return (int32_t)((value ^ sign) - sign);
}

#endif
