#include "machine/hart.h"

#include "machine/board.h"

#include <stdlib.h>
#include <string.h>

enum ta_status hart_init(struct hart *hart, const struct isa *isa, unsigned id, struct ta_machine *machine,
                         const struct bus *bus, uint64_t reset_address) {
    *hart = (struct hart){.isa = *isa, .id = id, .machine = machine, .bus = bus, .reset_address = reset_address};
    hart->decoded = calloc(DECODE_CACHE_ENTRIES, sizeof *hart->decoded);
    if (!hart->decoded)
        return TA_E_MEMORY;
    hart_reset(hart);
    return TA_OK;
}

void hart_free(struct hart *hart) {
    free(hart->decoded);
}

void hart_reset(struct hart *hart) {
    memset(hart->x, 0, sizeof hart->x);
    hart->pc = hart->reset_address;
    hart->mstatus = MSTATUS_MPP;
    hart->mie = hart->mip = hart->mtvec = hart->mscratch = hart->mepc = hart->mcause = hart->mtval = 0;
    hart->cycle_offset = hart->retired_offset = 0;
    hart->waiting = hart->waiting_input = false;
    hart->open_traps = 0;
    hart->reserved_address = hart->step_over = UINT64_MAX;
    hart_forget_decoded(hart);
}

/* An odd tag is no instruction's address. */
void hart_forget_decoded(struct hart *hart) {
    for (size_t i = 0; i < DECODE_CACHE_ENTRIES; ++i)
        hart->decoded[i].pc = 1;
    hart->data_region = hart->code_region = NULL;
}

static const struct bus_region *code_at(struct hart *hart, uint64_t address, uint64_t size) {
    const struct bus_region *region = hart->code_region;
    if (!region || address - region->base >= region->size || size > region->size - (address - region->base)) {
        region = bus_find(hart->bus, address, size);
        if (region && !region->bytes)
            region = NULL;
        hart->code_region = region;
    }
    return region;
}

static void trap_enter(struct hart *hart, uint64_t cause, uint64_t value) {
    hart->mepc = hart->pc;
    hart->mcause = cause;
    hart->mtval = value;
    uint64_t previous = hart->mstatus & MSTATUS_MIE ? MSTATUS_MPIE : 0;
    hart->mstatus = (hart->mstatus & ~(MSTATUS_MIE | MSTATUS_MPIE)) | previous | MSTATUS_MPP;
    hart->pc = hart->mtvec & ~UINT64_C(3);
}

/* A handler that cannot be fetched, or whose first instruction raises the exception again, or that traps on and on
   without ever going back, will never come to anything: the machine stops there, with the first cause still in sight.
 */
void hart_exception(struct hart *hart, uint64_t cause, uint64_t value) {
    uint64_t handler = hart->mtvec & ~UINT64_C(3), at = hart->pc;
    if (!hart->open_traps++) {
        hart->first_cause = cause;
        hart->first_pc = at;
        hart->first_value = value;
    }
    bool wild = at == handler || hart->open_traps > OPEN_TRAPS_AT_MOST || !code_at(hart, handler, 2);
    board_trap(hart->machine, cause, at, value);
    if (wild)
        board_wild(hart->machine);
    trap_enter(hart, cause, value);
}

void hart_take_interrupt(struct hart *hart) {
    static const unsigned priority[] = {INTERRUPT_EXTERNAL, INTERRUPT_SOFTWARE, INTERRUPT_TIMER};
    uint64_t pending = hart->mip & hart->mie;
    if (!pending)
        return;
    hart->waiting = false;
    if (!(hart->mstatus & MSTATUS_MIE))
        return;
    for (size_t i = 0; i < sizeof priority / sizeof *priority; ++i) {
        if (!(pending & (UINT64_C(1) << priority[i])))
            continue;
        bool vectored = (hart->mtvec & 3) == 1;
        trap_enter(hart, UINT64_C(1) << (hart->isa.xlen - 1) | priority[i], 0);
        hart->pc += vectored ? 4 * priority[i] : 0;
        return;
    }
}

const struct decoded *hart_decode(struct hart *hart) {
    uint64_t pc = hart->pc;
    struct decoded *decoded = &hart->decoded[(pc >> 1) % DECODE_CACHE_ENTRIES];
    const struct bus_region *region = code_at(hart, pc, 2);
    if (!region) {
        hart_exception(hart, CAUSE_FETCH_ACCESS, pc);
        return NULL;
    }
    uint32_t bits = (uint32_t)little_load(region->bytes + (pc - region->base), 2);
    decoded->pc = 1;
    if ((bits & 3) != 3) {
        uint32_t expanded = hart->isa.extensions & ISA_LETTER('c') ? decode_expand((uint16_t)bits) : 0;
        decode_instruction(expanded, &hart->isa, decoded);
        decoded->bits = bits;
        decoded->length = 2;
    } else {
        if (!code_at(hart, pc, 4)) {
            hart_exception(hart, CAUSE_FETCH_ACCESS, pc + 2);
            return NULL;
        }
        bits |= (uint32_t)little_load(region->bytes + (pc + 2 - region->base), 2) << 16;
        decode_instruction(bits, &hart->isa, decoded);
        decoded->length = 4;
    }
    if (board_has_breakpoint(hart->machine, pc)) {
        if (hart->step_over == pc) {
            hart->step_over = UINT64_MAX;
            return decoded; /* executed once, not kept */
        }
        decoded->operation = OP_BREAKPOINT;
    }
    decoded->pc = pc;
    return decoded;
}

void hart_watch(struct hart *hart, bool on) {
    hart->watched = on;
    hart->data_region = NULL;
}

static const struct bus_region *data_at(struct hart *hart, uint64_t address, unsigned size) {
    const struct bus_region *region = bus_find(hart->bus, address, size);
    if (region && region->bytes && region->size >= 8 && !hart->watched)
        hart->data_region = region;
    return region;
}

bool hart_load_any(struct hart *hart, uint64_t address, unsigned size, uint64_t *value) {
    const struct bus_region *region = data_at(hart, address, size);
    if (address & (size - 1)) {
        hart_exception(hart, CAUSE_LOAD_MISALIGNED, address);
        return false;
    }
    if (!region) {
        hart_exception(hart, CAUSE_LOAD_ACCESS, address);
        return false;
    }
    *value = region->bytes ? little_load(region->bytes + (address - region->base), size)
                           : board_device_read(region->slot, address - region->base, size);
    if (hart->watched)
        board_access(hart->machine, address, size, TA_ACCESS_READ);
    return true;
}

bool hart_store_any(struct hart *hart, uint64_t address, unsigned size, uint64_t value) {
    const struct bus_region *region = data_at(hart, address, size);
    if (address & (size - 1)) {
        hart_exception(hart, CAUSE_STORE_MISALIGNED, address);
        return false;
    }
    if (!region || (region->bytes && !region->writable)) {
        hart_exception(hart, CAUSE_STORE_ACCESS, address);
        return false;
    }
    if (region->bytes)
        little_store(region->bytes + (address - region->base), size, value);
    else
        board_device_write(region->slot, address - region->base, size, value);
    if (hart->watched)
        board_access(hart->machine, address, size, TA_ACCESS_WRITE);
    return true;
}
