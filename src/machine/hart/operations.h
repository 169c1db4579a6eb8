/* What the engine's instructions compute beyond C's operators, for harts of XLEN bits. Part of engine_32.c and engine_64.c. */
#include "machine/hart/hart.h"

#define JOIN_(a, b) a##b
#define JOIN(a, b)  JOIN_(a, b)

typedef JOIN(JOIN(uint, XLEN), _t) word;
typedef JOIN(JOIN(int, XLEN), _t) sword;
#define REGISTERS JOIN(w, XLEN)

static word divide_signed(word a, word b, bool remainder) {
    if (!b)
        return remainder ? a : (word)-1;
    if (a == (word)1 << (XLEN - 1) && b == (word)-1)
        return remainder ? 0 : a;
    return (word)(remainder ? (sword)a % (sword)b : (sword)a / (sword)b);
}

static word divide(word a, word b, bool remainder) {
    return b ? remainder ? a % b : a / b : remainder ? a : (word)-1;
}

#if XLEN == 32
static word multiply_high(word a, word b) {
    return (word)((uint64_t)a * b >> XLEN);
}
#else
/* The upper word of a product, from those of half words. */
static word multiply_high(word a, word b) {
    enum { HALF = XLEN / 2 };
    const word low = ((word)1 << HALF) - 1;
    word ll = (a & low) * (b & low), lh = (a & low) * (b >> HALF), hl = (a >> HALF) * (b & low);
    word middle = (ll >> HALF) + (lh & low) + hl;
    return (a >> HALF) * (b >> HALF) + (lh >> HALF) + (middle >> HALF);
}
#endif

/* A factor that is signed and negative counts 2^XLEN less. */
static word multiply_high_signed(word a, word b, bool b_signed) {
    word high = multiply_high(a, b);
    high -= (sword)a < 0 ? b : 0;
    return high - (b_signed && (sword)b < 0 ? a : 0);
}

static unsigned count_leading(word value) {
    unsigned count = 0;
    for (word bit = (word)1 << (XLEN - 1); bit && !(value & bit); bit >>= 1)
        ++count;
    return count;
}

static unsigned count_ones(word value) {
    unsigned count = 0;
    for (; value; value &= value - 1)
        ++count;
    return count;
}

static unsigned count_trailing(word value) {
    return value ? count_ones((value & (word)-value) - 1) : XLEN;
}

static word rotate_right(word value, unsigned amount) {
    return amount % XLEN ? value >> amount % XLEN | value << (XLEN - amount % XLEN) : value;
}

static word combine_bytes(word value) {
    word result = 0;
    for (unsigned i = 0; i < XLEN; i += 8)
        result |= (value >> i & 0xff ? (word)0xff : 0) << i;
    return result;
}

static word reverse_bytes(word value) {
    word result = 0;
    for (unsigned i = 0; i < XLEN; i += 8)
        result |= (value >> i & 0xff) << (XLEN - 8 - i);
    return result;
}

#if XLEN == 64
static word extend_word(uint32_t value) {
    return (word)(int64_t)(int32_t)value;
}

static word divide_word(uint32_t a, uint32_t b, bool is_signed, bool remainder) {
    if (!b)
        return extend_word(remainder ? a : UINT32_MAX);
    if (!is_signed)
        return extend_word(remainder ? a % b : a / b);
    int64_t x = (int32_t)a, y = (int32_t)b;
    return extend_word((uint32_t)(remainder ? x % y : x / y));
}

static uint32_t rotate_word(uint32_t value, unsigned amount) {
    return amount % 32 ? value >> amount % 32 | value << (32 - amount % 32) : value;
}
#endif

/* What an atomic operation stores, from what was there (OLD) and rs2: as numbers of 64 bits, signed and not. */
static uint64_t atomic_result(unsigned operation, uint64_t old, uint64_t operand) {
    int64_t a = (int64_t)old, b = (int64_t)operand;
    switch (operation) {
    case OP_AMOADD_W:
    case OP_AMOADD_D: return old + operand;
    case OP_AMOXOR_W:
    case OP_AMOXOR_D: return old ^ operand;
    case OP_AMOAND_W:
    case OP_AMOAND_D: return old & operand;
    case OP_AMOOR_W:
    case OP_AMOOR_D: return old | operand;
    case OP_AMOMIN_W:
    case OP_AMOMIN_D: return a < b ? old : operand;
    case OP_AMOMAX_W:
    case OP_AMOMAX_D: return a > b ? old : operand;
    case OP_AMOMINU_W:
    case OP_AMOMINU_D: return old < operand ? old : operand;
    case OP_AMOMAXU_W:
    case OP_AMOMAXU_D: return old > operand ? old : operand;
    default: return operand;
    }
}

/* Everything of the A extension. False after a trap. A failing LR is a load fault; an AMO is a store. */
static bool execute_atomic(struct hart *hart, const struct op *op) {
    struct hart_state *state = &hart->state;
    word *x = state->x.REGISTERS;
    unsigned size = op->operation >= OP_LR_D && op->operation <= OP_AMOMAXU_D ? 8 : 4;
    uint64_t address = x[op->rs1], value = 0, operand = x[op->rs2];
    if (op->operation == OP_LR_W || op->operation == OP_LR_D) {
        if (!hart_reserve(hart, address, size, &value))
            return false;
    } else if (op->operation == OP_SC_W || op->operation == OP_SC_D) {
        bool held = state->reserved_address == address && state->reserved_bytes == size;
        if (!hart_check_atomic(hart, address, size))
            return false;
        state->reserved_address = NO_ADDRESS;
        if (held && !hart_store(hart, address, size, operand))
            return false;
        x[op->rd] = !held;
        return true;
    } else {
        if (!hart_check_atomic(hart, address, size) || !hart_load(hart, address, size, &value))
            return false;
        bool unsigned_word = op->operation == OP_AMOMINU_W || op->operation == OP_AMOMAXU_W;
        uint64_t old = size == 8 || unsigned_word ? value : (uint64_t)(int64_t)(int32_t)value;
        operand = size == 8 ? operand : unsigned_word ? (uint32_t)operand : (uint64_t)(int64_t)(int32_t)operand;
        if (!hart_store(hart, address, size, atomic_result(op->operation, old, operand)))
            return false;
    }
    x[op->rd] = size == 8 ? (word)value : (word)(sword)(int32_t)value;
    return true;
}

/* Unprivileged ISA 20191213, chapter 9: csrrs and csrrc with rs1 = x0 (or 0) do not write. False when it is illegal. */
static bool execute_csr(struct hart *hart, const struct op *op) {
    word *x = hart->state.x.REGISTERS;
    bool constant = op->operation >= OP_CSRRWI;
    unsigned kind = op->operation - (constant ? (unsigned)OP_CSRRWI : (unsigned)OP_CSRRW);
    uint64_t operand = constant ? op->rs1 : x[op->rs1], old = 0;
    enum hart_mode mode = (enum hart_mode)hart->state.mode;
    unsigned number = (unsigned)op->immediate;
    bool writes = kind == 0 || op->rs1;
    hart_take_inexact(hart);
    if (!csr_read(hart, number, mode, &old))
        return false;
    if (writes && !csr_write(hart, number, mode, kind == 0 ? operand : kind == 1 ? old | operand : old & ~operand))
        return false;
    if (writes && (number == CSR_MINSTRET || number == CSR_MINSTRETH))
        --hart->state.retired_offset; /* what was written is what the next instruction reads */
    x[op->rd] = (word)old;
    return true;
}
