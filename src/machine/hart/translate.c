/* From code in memory to blocks of decoded instructions. */
#include "machine/hart/hart.h"

/* Where control leaves as a rule, so that nothing behind it belongs to the block: a branch backwards is mostly a loop's. */
static bool ends_block(unsigned operation) {
    switch (operation) {
    case OP_ILLEGAL:
    case OP_JAL:
    case OP_JALR:
    case OP_BEQ:
    case OP_BNE:
    case OP_BLT:
    case OP_BGE:
    case OP_BLTU:
    case OP_BGEU:
    case OP_ECALL:
    case OP_EBREAK:
    case OP_MRET:
    case OP_WFI: return true;
    default: return false;
    }
}

static unsigned cycles_of(const struct hart *hart, unsigned operation, bool flash) {
    const struct ta_timing *timing = &hart->timing;
    unsigned cycles = 1 + (flash ? timing->flash_wait : 0);
    switch (operation_kind(operation)) {
    case KIND_LOAD: return cycles + timing->load;
    case KIND_STORE: return cycles + timing->store;
    case KIND_MULTIPLY: return cycles + timing->multiply;
    case KIND_DIVIDE: return cycles + timing->divide;
    default: return cycles;
    }
}

/* Decodes the instruction at ADDRESS into OP; false when it cannot be fetched. */
static bool decode_at(struct hart *hart, uint64_t address, struct op *op, uint64_t *fault) {
    uint32_t bits;
    unsigned length;
    if (!hart_fetch(hart, address, &bits, &length, fault))
        return false;
    bool short_form = length == 2;
    const struct isa *isa = &hart->decoder.isa;
    if (short_form)
        bits = isa->extensions & ISA_LETTER('c') ? decode_expand((uint16_t)bits, isa) : 0;
    decode(&hart->decoder, bits, op);
    const struct bus_region *region = bus_find(hart->bus, address, 1);
    op->cycles = (uint8_t)cycles_of(hart, op->operation, region && !region->writable);
    op->length = (uint8_t)length;
    if (op->operation >= OP_BEQ && op->operation <= OP_BGEU && op->immediate > 0)
        op->operation = (uint8_t)(op->operation + (OP_FORWARD_BEQ - OP_BEQ));
    op->at = hart->blocks.addresses[op->operation];
    return true;
}

static void start_block(const struct hart *hart, struct block *block) {
    const struct hart_state *state = &hart->state;
    *block = (struct block){.key = state->pc | (state->mode == MODE_USER), .pc = state->pc};
}

static void add_op(struct block *block) {
    struct op *op = &block->ops[block->count];
    op->offset = block->bytes;
    op->before = (uint16_t)block->cycles;
    block->cycles += op->cycles;
    block->bytes = (uint16_t)(block->bytes + op->length);
    ++block->count;
}

static void end_block(const struct hart *hart, struct block *block, unsigned operation) {
    block->ops[block->count] = (struct op){.at = hart->blocks.addresses[operation],
                                           .operation = (uint8_t)operation,
                                           .offset = block->bytes,
                                           .before = (uint16_t)block->cycles};
    block->need = (int64_t)block->cycles << COUNT_BITS;
    block->cost = block->need - block->count;
}

/* Stores there have to ask from now on. */
static void mark_code(struct hart *hart, uint64_t address, uint64_t size) {
    const struct bus_region *region = bus_find(hart->bus, address, size);
    uint64_t first = address - region->base, last = first + size - 1;
    for (uint64_t page = first >> PAGE_BITS; page <= last >> PAGE_BITS; ++page)
        region->pages[page] |= PAGE_CODE;
    for (uint64_t piece = first >> CODE_BITS; piece <= last >> CODE_BITS; ++piece)
        region->code[piece / 8] |= (uint8_t)(1u << piece % 8);
}

static void note_step(struct trail *trail, uint64_t pc, unsigned length) {
    if (pc != trail->next && trail->next != NO_ADDRESS)
        trail->branches[trail->count++ % TA_BRANCHES] = (struct ta_branch){trail->last, pc};
    trail->last = pc;
    trail->next = pc + length;
}

struct block *hart_single(struct hart *hart) {
    struct block *block = hart->blocks.single;
    uint64_t fault;
    start_block(hart, block);
    if (hart->step_over != block->pc && hart->outside->has_breakpoint(hart->with, block->pc)) {
        end_block(hart, block, OP_BREAKPOINT);
        return block;
    }
    hart->step_over = NO_ADDRESS;
    if (!decode_at(hart, block->pc, &block->ops[0], &fault)) {
        if (hart->trail.noted)
            note_step(&hart->trail, block->pc, 0);
        hart_exception(hart, CAUSE_FETCH_ACCESS, fault);
        return NULL;
    }
    if (hart->trail.noted)
        note_step(&hart->trail, block->pc, block->ops[0].length);
    add_op(block);
    end_block(hart, block, OP_CONTINUE);
    return block;
}

struct block *hart_block(struct hart *hart) {
    struct hart_state *state = &hart->state;
    uint64_t key = state->pc | (state->mode == MODE_USER), page = state->pc >> PAGE_BITS, fault;
    if (hart->step_over != NO_ADDRESS)
        return hart_single(hart);
    struct block *block = blocks_known(&hart->blocks, key);
    if (block)
        return block;
    block = blocks_begin(&hart->blocks);
    if (!block)
        return hart_single(hart); /* slow, but right */
    start_block(hart, block);
    unsigned last = OP_CONTINUE;
    while (block->count < BLOCK_OPS) {
        uint64_t address = block->pc + block->bytes;
        if (hart->outside->has_breakpoint(hart->with, address)) {
            last = OP_BREAKPOINT;
            break;
        }
        if (address >> PAGE_BITS != page || !decode_at(hart, address, &block->ops[block->count], &fault))
            break;
        add_op(block);
        if (ends_block(block->ops[block->count - 1].operation))
            break;
    }
    if (!block->count && last != OP_BREAKPOINT) {
        hart_exception(hart, CAUSE_FETCH_ACCESS, fault);
        return NULL;
    }
    end_block(hart, block, last);
    if (block_waits(block)) {
        struct op *op = &block->ops[block->count - 1];
        op->operation = (uint8_t)(op->operation == OP_JAL ? OP_AGAIN_JAL : op->operation + (OP_AGAIN_BEQ - OP_BEQ));
        op->at = hart->blocks.addresses[op->operation];
    }
    if (block->bytes)
        mark_code(hart, block->pc, block->bytes);
    blocks_keep(&hart->blocks, block, block->count + 1u);
    return block;
}
