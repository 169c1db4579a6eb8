/* The interpreter's loop, for harts of 32 bits.

   Enters with pc at the next instruction and cycle below stop_at. Every instruction, also one that traps, takes one
   cycle; only one that completes counts as retired. Leaves when cycle has reached stop_at, which anything may lower to
   0 to be looked at before the next instruction: a device access, a CSR write, a trap that stops the machine, wfi. So
   interrupts need no check inside the loop: they are taken between two calls.

   A second width is this file again with other WORD types; the rest of the hart does not change. */
#include "machine/hart.h"

#include "machine/board.h"

typedef uint32_t word;
typedef int32_t sword;

enum { WORD_BITS = 32 };

static word divide_signed(word a, word b, bool remainder) {
    if (!b)
        return remainder ? a : (word)-1;
    if (a == (word)1 << (WORD_BITS - 1) && b == (word)-1)
        return remainder ? 0 : a;
    return (word)(remainder ? (sword)a % (sword)b : (sword)a / (sword)b);
}

static word multiply_high(int64_t a, int64_t b) {
    return (word)((uint64_t)(a * b) >> WORD_BITS);
}

/* What an atomic operation stores, from what was there (OLD) and rs2. */
static uint32_t atomic_result(unsigned operation, uint32_t old, uint32_t operand) {
    switch (operation) {
    case OP_AMOADD_W: return old + operand;
    case OP_AMOXOR_W: return old ^ operand;
    case OP_AMOAND_W: return old & operand;
    case OP_AMOOR_W: return old | operand;
    case OP_AMOMIN_W: return (int32_t)old < (int32_t)operand ? old : operand;
    case OP_AMOMAX_W: return (int32_t)old > (int32_t)operand ? old : operand;
    case OP_AMOMINU_W: return old < operand ? old : operand;
    case OP_AMOMAXU_W: return old > operand ? old : operand;
    default: return operand;
    }
}

/* Everything of the A extension. False after a trap. A failing LR is a load fault; an AMO is a store. */
static bool execute_atomic(struct hart *hart, const struct decoded *d, word *result) {
    uint64_t address = hart->x[d->rs1], value = 0;
    word operand = (word)hart->x[d->rs2];
    if (d->operation == OP_LR_W) {
        if (!hart_load(hart, address, 4, &value))
            return false;
        hart->reserved_address = address;
        *result = (word)value;
        return true;
    }
    if (d->operation == OP_SC_W) {
        bool held = hart->reserved_address == address;
        hart->reserved_address = UINT64_MAX;
        *result = !held;
        if (held)
            return hart_store(hart, address, 4, operand);
        if (address & 3) {
            hart_exception(hart, CAUSE_STORE_MISALIGNED, address);
            return false;
        }
        return true;
    }
    const struct bus_region *region = bus_find(hart->bus, address, 4);
    if ((address & 3) || !region || (region->bytes && !region->writable)) {
        hart_exception(hart, address & 3 ? CAUSE_STORE_MISALIGNED : CAUSE_STORE_ACCESS, address);
        return false;
    }
    hart_load(hart, address, 4, &value);
    *result = (word)value;
    return hart_store(hart, address, 4, atomic_result(d->operation, (uint32_t)value, operand));
}

/* Unprivileged ISA 20191213, chapter 9: csrrs and csrrc with rs1 = x0 (or 0) do not write. */
static bool execute_csr(struct hart *hart, const struct decoded *d, word *result) {
    bool constant = d->operation >= OP_CSRRWI;
    unsigned kind = d->operation - (constant ? (unsigned)OP_CSRRWI : (unsigned)OP_CSRRW);
    uint64_t operand = constant ? d->rs1 : hart->x[d->rs1], old = 0;
    unsigned number = (unsigned)d->immediate;
    bool good = csr_read(hart, number, &old);
    if (good && (kind == 0 || d->rs1))
        good = csr_write(hart, number, kind == 0 ? operand : kind == 1 ? old | operand : old & ~operand);
    if (!good) {
        hart_exception(hart, CAUSE_ILLEGAL, d->bits);
        return false;
    }
    *result = (word)old;
    return true;
}

/* ebreak: a semihosting call when its two neighbours say so, else an exception. True when execution goes on after it.
 */
static bool execute_ebreak(struct hart *hart) {
    switch (board_semihosting(hart->machine, hart)) {
    case SEMIHOSTING_DONE: return true;
    case SEMIHOSTING_NONE: hart_exception(hart, CAUSE_BREAKPOINT, hart->pc); return false;
    case SEMIHOSTING_WAITS: hart->waiting_input = true; break;
    case SEMIHOSTING_GOES_ON: break;
    }
    hart->stop_at = 0;
    return false;
}

static void execute_mret(struct hart *hart) {
    uint64_t enabled = hart->mstatus & MSTATUS_MPIE ? MSTATUS_MIE : 0;
    hart->mstatus = (hart->mstatus & ~MSTATUS_MIE) | MSTATUS_MPIE | enabled;
    hart->pc = hart->mepc;
    hart->open_traps = 0;
    hart->stop_at = 0;
}

/* Shorthands of the loop below. */
#define RS1        ((word)x[d->rs1])
#define RS2        ((word)x[d->rs2])
#define IMMEDIATE  ((word)d->immediate)
#define SET(value) result = (word)(value)
#define BRANCH(taken)                                                                                                  \
    do {                                                                                                               \
        if (taken)                                                                                                     \
            next = (word)(hart->pc + IMMEDIATE);                                                                       \
        result = (word)x[d->rd];                                                                                       \
        writes = false;                                                                                                \
    } while (0)
#define LOAD(type, size)                                                                                               \
    do {                                                                                                               \
        if (!hart_load(hart, (word)(RS1 + IMMEDIATE), size, &loaded))                                                  \
            goto trapped;                                                                                              \
        SET((sword)(type)loaded);                                                                                      \
    } while (0)
#define STORE(size)                                                                                                    \
    do {                                                                                                               \
        writes = false;                                                                                                \
        if (!hart_store(hart, (word)(RS1 + IMMEDIATE), size, RS2))                                                     \
            goto trapped;                                                                                              \
    } while (0)

/* One switch over all instructions, longer than a screen: split up, the compiler would keep nothing in registers. */
void hart_execute(struct hart *hart) {
    uint64_t *x = hart->x;
    while (hart->cycle < hart->stop_at) {
        const struct decoded *d = hart_fetch(hart);
        if (!d)
            goto trapped;
        uint64_t loaded = 0;
        word next = (word)(hart->pc + d->length), result = 0;
        bool writes = true;
        switch (d->operation) {
        case OP_LUI: SET(IMMEDIATE); break;
        case OP_AUIPC: SET(hart->pc + IMMEDIATE); break;
        case OP_JAL:
            SET(next);
            next = (word)(hart->pc + IMMEDIATE);
            break;
        case OP_JALR:
            SET(next);
            next = (RS1 + IMMEDIATE) & ~(word)1;
            break;
        case OP_BEQ: BRANCH(RS1 == RS2); break;
        case OP_BNE: BRANCH(RS1 != RS2); break;
        case OP_BLT: BRANCH((sword)RS1 < (sword)RS2); break;
        case OP_BGE: BRANCH((sword)RS1 >= (sword)RS2); break;
        case OP_BLTU: BRANCH(RS1 < RS2); break;
        case OP_BGEU: BRANCH(RS1 >= RS2); break;
        case OP_LB: LOAD(int8_t, 1); break;
        case OP_LH: LOAD(int16_t, 2); break;
        case OP_LW: LOAD(int32_t, 4); break;
        case OP_LBU: LOAD(uint8_t, 1); break;
        case OP_LHU: LOAD(uint16_t, 2); break;
        case OP_SB: STORE(1); break;
        case OP_SH: STORE(2); break;
        case OP_SW: STORE(4); break;
        case OP_ADDI: SET(RS1 + IMMEDIATE); break;
        case OP_SLTI: SET((sword)RS1 < (sword)IMMEDIATE); break;
        case OP_SLTIU: SET(RS1 < IMMEDIATE); break;
        case OP_XORI: SET(RS1 ^ IMMEDIATE); break;
        case OP_ORI: SET(RS1 | IMMEDIATE); break;
        case OP_ANDI: SET(RS1 & IMMEDIATE); break;
        case OP_SLLI: SET(RS1 << d->immediate); break;
        case OP_SRLI: SET(RS1 >> d->immediate); break;
        case OP_SRAI: SET((sword)RS1 >> d->immediate); break;
        case OP_ADD: SET(RS1 + RS2); break;
        case OP_SUB: SET(RS1 - RS2); break;
        case OP_SLL: SET(RS1 << (RS2 % WORD_BITS)); break;
        case OP_SLT: SET((sword)RS1 < (sword)RS2); break;
        case OP_SLTU: SET(RS1 < RS2); break;
        case OP_XOR: SET(RS1 ^ RS2); break;
        case OP_SRL: SET(RS1 >> (RS2 % WORD_BITS)); break;
        case OP_SRA: SET((sword)RS1 >> (RS2 % WORD_BITS)); break;
        case OP_OR: SET(RS1 | RS2); break;
        case OP_AND: SET(RS1 & RS2); break;
        case OP_FENCE: writes = false; break;
        case OP_FENCE_I:
            hart_forget_decoded(hart);
            hart->pc = next;
            goto retired;
        case OP_ECALL: hart_exception(hart, CAUSE_ECALL_M, 0); goto trapped;
        case OP_EBREAK:
            if (!execute_ebreak(hart))
                goto trapped;
            writes = false;
            break;
        case OP_MRET: execute_mret(hart); goto retired;
        case OP_WFI:
            writes = false;
            hart->waiting = true;
            hart->stop_at = 0;
            break;
        case OP_CSRRW:
        case OP_CSRRS:
        case OP_CSRRC:
        case OP_CSRRWI:
        case OP_CSRRSI:
        case OP_CSRRCI:
            if (!execute_csr(hart, d, &result))
                goto trapped;
            break;
        case OP_MUL: SET(RS1 * RS2); break;
        case OP_MULH: SET(multiply_high((sword)RS1, (sword)RS2)); break;
        case OP_MULHSU: SET(multiply_high((sword)RS1, RS2)); break;
        case OP_MULHU: SET((uint64_t)RS1 * RS2 >> WORD_BITS); break;
        case OP_DIV: SET(divide_signed(RS1, RS2, false)); break;
        case OP_DIVU: SET(RS2 ? RS1 / RS2 : (word)-1); break;
        case OP_REM: SET(divide_signed(RS1, RS2, true)); break;
        case OP_REMU: SET(RS2 ? RS1 % RS2 : RS1); break;
        case OP_LR_W:
        case OP_SC_W:
        case OP_AMOSWAP_W:
        case OP_AMOADD_W:
        case OP_AMOXOR_W:
        case OP_AMOAND_W:
        case OP_AMOOR_W:
        case OP_AMOMIN_W:
        case OP_AMOMAX_W:
        case OP_AMOMINU_W:
        case OP_AMOMAXU_W:
            if (!execute_atomic(hart, d, &result))
                goto trapped;
            break;
        case OP_BREAKPOINT: board_breakpoint(hart->machine, hart->pc); return;
        default: hart_exception(hart, CAUSE_ILLEGAL, d->bits); goto trapped;
        }
        if (writes && d->rd)
            x[d->rd] = result;
        hart->pc = next;
    retired:
        ++hart->retired;
    trapped:
        ++hart->cycle;
    }
}
