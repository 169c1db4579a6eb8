/* Loops that wait: for a device's register, a variable that an interrupt's handler sets, or for ever. A round of one that changes nothing
   leaves everything but the time as it was, so that the rounds up to the next event are counted and not executed. Exactly as many are as
   would have fitted. */
#include "machine/hart/hart.h"

/* The registers that OP reads, a bit each; false when it does more than to compute or to load. */
static bool reads_of(const struct op *op, uint64_t *reads) {
    *reads = UINT64_C(1) << op->rs1;
    switch (operation_format(op->operation)) {
    case FORMAT_R:
    case FORMAT_B: *reads |= UINT64_C(1) << op->rs2; return true;
    case FORMAT_U:
    case FORMAT_J: *reads = 0; return true;
    case FORMAT_I: return op->operation != OP_JALR;
    case FORMAT_SHIFT:
    case FORMAT_UNARY: return true;
    case FORMAT_NONE:
        if (op->operation < OP_FORWARD_BEQ) {
            *reads = 0; /* a fence: the others end a block */
            return true;
        }
        *reads |= UINT64_C(1) << op->rs2;
        return op->operation <= OP_FORWARD_BGEU;
    default: return false;
    }
}

/* Of a fence, and of a branch forwards, the bits where others have rd say nothing. */
static uint64_t written_by(const struct op *op) {
    return operation_format(op->operation) == FORMAT_NONE ? 0 : UINT64_C(1) << op->rd;
}

/* It leads to its own start, and what a round computes depends on no other round: no register is read before the round has written it that
   it writes at all. */
bool block_waits(const struct block *block) {
    if (!block->count)
        return false;
    const struct op *last = &block->ops[block->count - 1];
    bool branches = last->operation >= OP_BEQ && last->operation <= OP_BGEU;
    uint64_t written = 0, before = 0, reads;
    if (last->immediate != -(int32_t)last->offset ||
        !(branches || (last->operation == OP_JAL && last->rd == REGISTER_NONE)))
        return false;
    for (size_t i = 0; i + 1 < block->count; ++i)
        written |= written_by(&block->ops[i]);
    for (size_t i = 0; i < block->count; ++i) {
        if (!reads_of(&block->ops[i], &reads) || reads & written & ~before)
            return false;
        before |= written_by(&block->ops[i]);
    }
    return true;
}

bool hart_is_still(const struct hart *hart) {
    return !hart->watched &&
           (!hart->asked ||
            (hart->asked == 1 && hart->outside->is_steady(hart->with, hart->asked_slot, hart->asked_offset)));
}
