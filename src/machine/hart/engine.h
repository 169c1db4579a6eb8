/* The engine: what every instruction does. Compiled once a width, by engine_32.c and engine_64.c, which define XLEN.

   It goes from block to block. LEFT holds two counts, so that a block costs one subtraction: above COUNT_BITS the cycles up to the
   hart's END, below the instructions since COUNTED; both as if the whole block under way were done. So pc, cycle and retired in the
   state are brought up to date (SYNC) only before something that can see them. Whatever leaves a block in its middle goes on from the
   state (OUTER). A block that does not fit into what is left is executed instruction by instruction. */
#include "machine/hart/accesses.h"
#include "machine/hart/dispatch.h"
#include "machine/hart/floating_quick.h"
#include "machine/hart/operations.h"

#ifdef __GNUC__
#define MOSTLY(condition) __builtin_expect(!!(condition), 1)
#else
#define MOSTLY(condition) (condition)
#endif

/* Shorthands of the loop below. */
#define PC        (block->pc + op->offset)
#define RS1       (x[op->rs1])
#define RS2       (x[op->rs2])
#define IMMEDIATE ((word)(sword)op->immediate)
#define SET(value)                                                                                                     \
    do {                                                                                                               \
        x[op->rd] = (word)(value);                                                                                     \
        NEXT;                                                                                                          \
    } while (0)
#define CYCLES_LEFT ((uint64_t)(left >> COUNT_BITS))
#define RETIRED     (hart->counted + (uint64_t)(left & (((int64_t)1 << COUNT_BITS) - 1)))
#define SYNC()                                                                                                         \
    do {                                                                                                               \
        state->pc = PC;                                                                                                \
        state->cycle = hart->end - CYCLES_LEFT - (block->cycles - op->before);                                         \
        state->retired = RETIRED - (uint64_t)(block->count - (op - block->ops));                                       \
    } while (0)
/* Executes BLOCK when it fits. */
#define ENTER()                                                                                                        \
    do {                                                                                                               \
        if (!MOSTLY(left >= block->need))                                                                              \
            goto piecewise;                                                                                            \
        left -= block->cost;                                                                                           \
        op = block->ops;                                                                                               \
        DISPATCH;                                                                                                      \
    } while (0)
/* To where the block's SLOT is linked, or will be: TARGET. */
#define GO(slot, target)                                                                                               \
    do {                                                                                                               \
        struct block *linked = slot;                                                                                   \
        if (MOSTLY(linked)) {                                                                                          \
            block = linked;                                                                                            \
            ENTER();                                                                                                   \
        }                                                                                                              \
        link = &slot;                                                                                                  \
        state->pc = (word)(target);                                                                                    \
        goto follow;                                                                                                   \
    } while (0)
/* A jump or branch that is taken; GIVEN of LEFT was counted for what it leaves out. */
#define TAKE(slot, given)                                                                                              \
    do {                                                                                                               \
        word target = (word)(PC + IMMEDIATE);                                                                          \
        if (!MOSTLY(slot) && target & misaligned_jump) {                                                               \
            state->pc = target;                                                                                        \
            goto misaligned;                                                                                           \
        }                                                                                                              \
        left += (given)-taken_cost;                                                                                    \
        GO(slot, target);                                                                                              \
    } while (0)
#define BRANCH(condition)                                                                                              \
    do {                                                                                                               \
        if (condition)                                                                                                 \
            TAKE(block->taken, 0);                                                                                     \
        GO(block->next, PC + op->length);                                                                              \
    } while (0)
/* The block goes on behind it. */
#define FORWARD(condition)                                                                                             \
    do {                                                                                                               \
        if (condition)                                                                                                 \
            TAKE(op->taken, ((int64_t)(block->cycles - op->before - op->cycles) << COUNT_BITS) -                       \
                                (block->count - (op - block->ops) - 1));                                               \
        NEXT;                                                                                                          \
    } while (0)
/* To the block's own start: see waiting.c. */
#define AGAIN(condition)                                                                                               \
    do {                                                                                                               \
        if (condition)                                                                                                 \
            goto again;                                                                                                \
        GO(block->next, PC + op->length);                                                                              \
    } while (0)
/* The six branches, by one of the ways above. */
#define CONDITIONS(kind, WAY)                                                                                          \
    ON(kind##BEQ) WAY(RS1 == RS2);                                                                                     \
    ON(kind##BNE) WAY(RS1 != RS2);                                                                                     \
    ON(kind##BLT) WAY((sword)RS1 < (sword)RS2);                                                                        \
    ON(kind##BGE) WAY((sword)RS1 >= (sword)RS2);                                                                       \
    ON(kind##BLTU) WAY(RS1 < RS2);                                                                                     \
    ON(kind##BGEU) WAY(RS1 >= RS2);
#define ARITHMETIC(operation, width)                                                                                   \
    do {                                                                                                               \
        uint64_t bits;                                                                                                 \
        if (MOSTLY(float_may_be_quick(hart, op) &&                                                                     \
                   float_quick_##width(operation, state->f[op->rs1], state->f[op->rs2], &bits))) {                     \
            state->f[op->rd] = bits;                                                                                   \
            NEXT;                                                                                                      \
        }                                                                                                              \
        goto any_float;                                                                                                \
    } while (0)

/* All instructions, longer than a screen: split up, the compiler would keep nothing in registers. Without a hart it tells where each
   operation is carried out. */
const void *const *EXECUTE(struct hart *hart, bool one) {
    ADDRESSES
    if (!hart)
        return addresses;
    struct hart_state *state = &hart->state;
    word *x = state->x.REGISTERS;
    struct op *op;
    struct block *block, **link;
    word window_base, window_size;
    uint8_t *window, *window_flags;
    uint64_t loaded, user,
        known_by; /* KNOWN_BY: what makes an address the key of a block; one instruction leads to none */
    int64_t left;
    const int64_t taken_cost = (int64_t)hart->timing.taken_branch << COUNT_BITS;
    const word misaligned_jump = hart->decoder.isa.extensions & ISA_LETTER('c') ? 0 : 2;
    bool done = false;

outer:
    if (hart->attention || state->cycle >= hart->stop_at || (one && done))
        return NULL;
    done = true;
    window_base = (word)hart->window.base;
    window_size = (word)hart->window.size;
    window = hart->window.bytes;
    window_flags = hart->window.flags;
    left = hart->stop_at - state->cycle > CYCLES_AT_ONCE ? CYCLES_AT_ONCE : (int64_t)(hart->stop_at - state->cycle);
    hart->end = state->cycle + (uint64_t)left;
    left <<= COUNT_BITS;
    hart->round_began = 0;
    hart->counted = state->retired;
    user = state->mode == MODE_USER;
    known_by = one ? BLOCK_NO_KEY : user;
    block = one || hart->slow ? hart_single(hart) : hart_block(hart);
    if (!block)
        goto trapped_fetching;
    hart->generation = hart->blocks.generation;
    if (block == hart->blocks.single)
        goto single;

enter:
    ENTER();

piecewise:
    state->pc = block->pc;
    state->cycle = hart->end - CYCLES_LEFT;
    state->retired = RETIRED;
    if (left >> COUNT_BITS <= 0)
        goto outer;
    block = hart_single(hart);
    if (!block)
        goto trapped_fetching;
single:
    left -= block->cost;
    op = block->ops;
    DISPATCH;

follow: /* LINK leads to pc, but where that is was not known */
    state->cycle = hart->end - CYCLES_LEFT;
    state->retired = RETIRED;
    if (left >> COUNT_BITS <= 0 || one || hart->slow || block == hart->blocks.single)
        goto outer;
    {
        struct block *found = hart_block(hart);
        if (!found)
            goto trapped_fetching;
        if (link && hart->generation == hart->blocks.generation && found != hart->blocks.single)
            *link = found;
        hart->generation = hart->blocks.generation;
        block = found;
        if (block == hart->blocks.single)
            goto single;
        goto enter;
    }

again:
    left -= taken_cost;
    if (hart->round_began - left == block->cost + taken_cost && hart_is_still(hart)) /* that round, and nothing else */
        left -= blocks_rounds(left - block->need, block->cost + taken_cost);
    hart->round_began = left;
    hart->asked = 0;
    ENTER();

reached: /* a load or store that took the long way is done */
    if (!hart->attention && left >> COUNT_BITS >= (int64_t)hart->waited) { /* what is left of the block still fits */
        left -= (int64_t)hart->waited << COUNT_BITS;
        hart->waited = 0;
        NEXT;
    }
    state->cycle += hart->waited;
    hart->waited = 0;
    goto finished;

finished: /* the state is that before the instruction, which is done */
    state->pc = (word)(PC + op->length);
done_at_pc:
    state->cycle += op->cycles;
    ++state->retired;
    goto outer;

illegal:
    SYNC();
    hart_illegal(hart);
trapped:
    state->cycle += op->cycles;
    hart->waited = 0;
    goto outer;
trapped_fetching:
    ++state->cycle;
    goto outer;

misaligned:
    loaded = state->pc;
    SYNC();
    hart_exception(hart, CAUSE_FETCH_MISALIGNED, loaded);
    goto trapped;

any_csr:
    SYNC();
    if (!execute_csr(hart, op)) {
        hart_illegal(hart);
        goto trapped;
    }
    if (hart->attention)
        goto finished;
    NEXT;

any_atomic:
    SYNC();
    if (!execute_atomic(hart, op))
        goto trapped;
    goto reached;

any_float:
    NEED_FLOAT();
    if (!floating_execute(state, op, x[op->rs1], NULL))
        goto illegal;
    NEXT;

any_float_to_x:
    NEED_FLOAT();
    if (!floating_execute(state, op, 0, &loaded))
        goto illegal;
    SET(loaded);

#if !(defined(__GNUC__) && !defined(TA_STRICT_DISPATCH))
dispatch:
    switch (op->operation) {
    default:
        switch (operation_format(op->operation)) {
        case FORMAT_CSR:
        case FORMAT_CSRI: goto any_csr;
        case FORMAT_A: goto any_atomic;
        case FORMAT_FR:
        case FORMAT_FR4:
        case FORMAT_XF: goto any_float;
        case FORMAT_FX: goto any_float_to_x;
        default: goto illegal;
        }
#else
    {
#endif
        ON(LUI) SET(IMMEDIATE);
        ON(AUIPC) SET(PC + IMMEDIATE);
        ON(JAL)
        if (!block->taken && (state->pc = (word)(PC + IMMEDIATE)) & misaligned_jump)
            goto misaligned;
        x[op->rd] = (word)(PC + op->length);
        TAKE(block->taken, 0);
        ON(JALR) {
            word target = (RS1 + IMMEDIATE) & ~(word)1;
            struct block *found = blocks_look_up(&hart->blocks, target | known_by);
            if (target & misaligned_jump) {
                state->pc = target;
                goto misaligned;
            }
            x[op->rd] = (word)(PC + op->length);
            left -= taken_cost;
            if (MOSTLY(found)) {
                block = found;
                ENTER();
            }
            link = NULL;
            state->pc = target;
            goto follow;
        }
        CONDITIONS(, BRANCH)
        CONDITIONS(FORWARD_, FORWARD)
        CONDITIONS(AGAIN_, AGAIN)
        ON(AGAIN_JAL) goto again;
        ON(LB) LOAD(int8_t, 0);
        ON(LH) LOAD(int16_t, 1);
        ON(LW) LOAD(int32_t, 2);
        ON(LBU) LOAD(uint8_t, 0);
        ON(LHU) LOAD(uint16_t, 1);
        ON(SB) STORE(0, RS2);
        ON(SH) STORE(1, RS2);
        ON(SW) STORE(2, RS2);
        ON(ADDI) SET(RS1 + IMMEDIATE);
        ON(SLTI) SET((sword)RS1 < (sword)IMMEDIATE);
        ON(SLTIU) SET(RS1 < IMMEDIATE);
        ON(XORI) SET(RS1 ^ IMMEDIATE);
        ON(ORI) SET(RS1 | IMMEDIATE);
        ON(ANDI) SET(RS1 & IMMEDIATE);
        ON(SLLI) SET(RS1 << op->immediate);
        ON(SRLI) SET(RS1 >> op->immediate);
        ON(SRAI) SET((sword)RS1 >> op->immediate);
        ON(ADD) SET(RS1 + RS2);
        ON(SUB) SET(RS1 - RS2);
        ON(SLL) SET(RS1 << (RS2 % XLEN));
        ON(SLT) SET((sword)RS1 < (sword)RS2);
        ON(SLTU) SET(RS1 < RS2);
        ON(XOR) SET(RS1 ^ RS2);
        ON(SRL) SET(RS1 >> (RS2 % XLEN));
        ON(SRA) SET((sword)RS1 >> (RS2 % XLEN));
        ON(OR) SET(RS1 | RS2);
        ON(AND) SET(RS1 & RS2);
        ON(FENCE) NEXT;
        ON(FENCE_I) NEXT; /* a store into code has its effect at once */
        ON(ECALL)
        SYNC();
        hart_exception(hart, user ? CAUSE_ECALL_U : CAUSE_ECALL_M, 0);
        goto trapped;
        ON(EBREAK)
        SYNC();
        switch (hart->outside->called(hart->with, hart)) {
        case CALL_DONE: goto finished;
        case CALL_NONE: hart_exception(hart, CAUSE_BREAKPOINT, state->pc); break;
        case CALL_WAITS: state->waiting_input = true; break;
        case CALL_GOES_ON: break;
        }
        hart->attention = true;
        goto trapped;
        ON(MRET)
        if (user)
            goto illegal;
        SYNC();
        hart_return(hart);
        goto done_at_pc;
        ON(WFI)
        if (user && state->mstatus & MSTATUS_TW)
            goto illegal;
        SYNC();
        state->waiting = hart->attention = true;
        goto finished;
        ON(MUL) SET(RS1 * RS2);
        ON(MULH) SET(multiply_high_signed(RS1, RS2, true));
        ON(MULHSU) SET(multiply_high_signed(RS1, RS2, false));
        ON(MULHU) SET(multiply_high(RS1, RS2));
        ON(DIV) SET(divide_signed(RS1, RS2, false));
        ON(DIVU) SET(divide(RS1, RS2, false));
        ON(REM) SET(divide_signed(RS1, RS2, true));
        ON(REMU) SET(divide(RS1, RS2, true));
        ON(FLW) LOAD_FLOAT(4, FLOAT_BOX);
        ON(FLD) LOAD_FLOAT(8, 0);
        ON(FSW)
        NEED_FLOAT();
        STORE(2, state->f[op->rs2]);
        ON(FSD)
        NEED_FLOAT();
        STORE(3, state->f[op->rs2]);
        ON(FADD_S) ARITHMETIC(FLOAT_ADD, single);
        ON(FSUB_S) ARITHMETIC(FLOAT_SUBTRACT, single);
        ON(FMUL_S) ARITHMETIC(FLOAT_MULTIPLY, single);
        ON(FDIV_S) ARITHMETIC(FLOAT_DIVIDE, single);
        ON(FADD_D) ARITHMETIC(FLOAT_ADD, double);
        ON(FSUB_D) ARITHMETIC(FLOAT_SUBTRACT, double);
        ON(FMUL_D) ARITHMETIC(FLOAT_MULTIPLY, double);
        ON(FDIV_D) ARITHMETIC(FLOAT_DIVIDE, double);
        ON(SH1ADD) SET((RS1 << 1) + RS2);
        ON(SH2ADD) SET((RS1 << 2) + RS2);
        ON(SH3ADD) SET((RS1 << 3) + RS2);
        ON(ANDN) SET(RS1 & ~RS2);
        ON(ORN) SET(RS1 | ~RS2);
        ON(XNOR) SET(~(RS1 ^ RS2));
        ON(MAX) SET((sword)RS1 > (sword)RS2 ? RS1 : RS2);
        ON(MAXU) SET(RS1 > RS2 ? RS1 : RS2);
        ON(MIN) SET((sword)RS1 < (sword)RS2 ? RS1 : RS2);
        ON(MINU) SET(RS1 < RS2 ? RS1 : RS2);
        ON(ROL) SET(rotate_right(RS1, XLEN - (unsigned)(RS2 % XLEN)));
        ON(ROR) SET(rotate_right(RS1, (unsigned)(RS2 % XLEN)));
        ON(RORI) SET(rotate_right(RS1, (unsigned)op->immediate));
        ON(CLZ) SET(count_leading(RS1));
        ON(CTZ) SET(count_trailing(RS1));
        ON(CPOP) SET(count_ones(RS1));
        ON(SEXT_B) SET((sword)(int8_t)RS1);
        ON(SEXT_H) SET((sword)(int16_t)RS1);
        ON(ORC_B) SET(combine_bytes(RS1));
        ON(BCLR) SET(RS1 & ~((word)1 << RS2 % XLEN));
        ON(BEXT) SET(RS1 >> RS2 % XLEN & 1);
        ON(BINV) SET(RS1 ^ (word)1 << RS2 % XLEN);
        ON(BSET) SET(RS1 | (word)1 << RS2 % XLEN);
        ON(BCLRI) SET(RS1 & ~((word)1 << op->immediate));
        ON(BEXTI) SET(RS1 >> op->immediate & 1);
        ON(BINVI) SET(RS1 ^ (word)1 << op->immediate);
        ON(BSETI) SET(RS1 | (word)1 << op->immediate);
#if XLEN == 32
        ON(ZEXT_H_32) SET(RS1 & 0xffff);
        ON(REV8_32) SET(reverse_bytes(RS1));
#else
        ON(ZEXT_H) SET(RS1 & 0xffff);
        ON(REV8) SET(reverse_bytes(RS1));
        ON(LWU) LOAD(uint32_t, 2);
        ON(LD) LOAD(int64_t, 3);
        ON(SD) STORE(3, RS2);
        ON(ADDIW) SET(extend_word((uint32_t)(RS1 + IMMEDIATE)));
        ON(SLLIW) SET(extend_word((uint32_t)RS1 << op->immediate));
        ON(SRLIW) SET(extend_word((uint32_t)RS1 >> op->immediate));
        ON(SRAIW) SET((sword)((int32_t)RS1 >> op->immediate));
        ON(ADDW) SET(extend_word((uint32_t)(RS1 + RS2)));
        ON(SUBW) SET(extend_word((uint32_t)(RS1 - RS2)));
        ON(SLLW) SET(extend_word((uint32_t)RS1 << RS2 % 32));
        ON(SRLW) SET(extend_word((uint32_t)RS1 >> RS2 % 32));
        ON(SRAW) SET((sword)((int32_t)RS1 >> RS2 % 32));
        ON(MULW) SET(extend_word((uint32_t)RS1 * (uint32_t)RS2));
        ON(DIVW) SET(divide_word((uint32_t)RS1, (uint32_t)RS2, true, false));
        ON(DIVUW) SET(divide_word((uint32_t)RS1, (uint32_t)RS2, false, false));
        ON(REMW) SET(divide_word((uint32_t)RS1, (uint32_t)RS2, true, true));
        ON(REMUW) SET(divide_word((uint32_t)RS1, (uint32_t)RS2, false, true));
        ON(ADD_UW) SET((uint32_t)RS1 + RS2);
        ON(SH1ADD_UW) SET(((word)(uint32_t)RS1 << 1) + RS2);
        ON(SH2ADD_UW) SET(((word)(uint32_t)RS1 << 2) + RS2);
        ON(SH3ADD_UW) SET(((word)(uint32_t)RS1 << 3) + RS2);
        ON(SLLI_UW) SET((word)(uint32_t)RS1 << op->immediate);
        ON(CLZW) SET((uint32_t)RS1 ? count_leading((uint32_t)RS1) - 32 : 32);
        ON(CTZW) SET((uint32_t)RS1 ? count_trailing((uint32_t)RS1) : 32);
        ON(CPOPW) SET(count_ones((uint32_t)RS1));
        ON(ROLW) SET(extend_word(rotate_word((uint32_t)RS1, 32 - (unsigned)(RS2 % 32))));
        ON(RORW) SET(extend_word(rotate_word((uint32_t)RS1, (unsigned)(RS2 % 32))));
        ON(RORIW) SET(extend_word(rotate_word((uint32_t)RS1, (unsigned)op->immediate)));
#endif
        ON(CONTINUE) GO(block->next, PC);
        ON(BREAKPOINT)
        SYNC();
        if (state->cycle < hart->stop_at) /* else its turn, or an interrupt, comes first */
            hart->outside->broke(hart->with, hart);
        return NULL;
        ON(STALE) /* what was counted for it was not executed */
        left += block->cost;
        link = NULL;
        state->pc = block->pc;
        goto follow;
    }
}
