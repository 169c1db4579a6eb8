/* A hart: registers, CSRs, traps, and the decode cache. Machine mode only, as yet. Registers hold XLEN bits, zero
   above, so that harts of both widths share every function but the interpreter's loop. */
#ifndef TA_MACHINE_HART_H
#define TA_MACHINE_HART_H

#include "machine/bus.h"
#include "machine/decode.h"

enum {
    CAUSE_FETCH_MISALIGNED = 0,
    CAUSE_FETCH_ACCESS = 1,
    CAUSE_ILLEGAL = 2,
    CAUSE_BREAKPOINT = 3,
    CAUSE_LOAD_MISALIGNED = 4,
    CAUSE_LOAD_ACCESS = 5,
    CAUSE_STORE_MISALIGNED = 6,
    CAUSE_STORE_ACCESS = 7,
    CAUSE_ECALL_M = 11,

    INTERRUPT_SOFTWARE = 3,
    INTERRUPT_TIMER = 7,
    INTERRUPT_EXTERNAL = 11,

    DECODE_CACHE_ENTRIES = 4096,
    OPEN_TRAPS_AT_MOST = 16
};

#define MSTATUS_MIE  UINT64_C(0x8)
#define MSTATUS_MPIE UINT64_C(0x80)
#define MSTATUS_MPP  UINT64_C(0x1800)

struct ta_machine;

struct hart {
    uint64_t x[32];
    uint64_t pc;

    uint64_t cycle;   /* the board's clock: device time */
    uint64_t retired; /* instructions since power-on */
    uint64_t stop_at; /* the loop ends when cycle reaches it; set to 0 when something needs attention */

    bool waiting;       /* after wfi, until an interrupt is pending */
    bool waiting_input; /* inside a semihosting read, until the console has something */

    struct isa isa;
    uint64_t mstatus, mie, mip, mtvec, mscratch, mepc, mcause, mtval;
    uint64_t cycle_offset, retired_offset; /* what writes to mcycle and minstret added */
    unsigned id;

    unsigned open_traps;                         /* exceptions since the last mret */
    uint64_t first_cause, first_pc, first_value; /* of the first of these */

    uint64_t reserved_address; /* of LR; UINT64_MAX for none */
    uint64_t step_over;        /* the breakpoint at this address is passed once; UINT64_MAX for none */

    uint64_t reset_address;
    struct ta_machine *machine;
    const struct bus *bus;
    const struct bus_region *data_region, *code_region; /* the memories hit last, 8 bytes or more; may be null */
    bool watched;                                       /* every data access is told to the machine */
    struct decoded *decoded;                            /* DECODE_CACHE_ENTRIES, by address */
};

/* CSRs: false when there is none of that NUMBER or it cannot be written; the caller traps. */
bool csr_read(const struct hart *hart, unsigned number, uint64_t *value);
bool csr_write(struct hart *hart, unsigned number, uint64_t value);

enum ta_status hart_init(struct hart *hart, const struct isa *isa, unsigned id, struct ta_machine *machine,
                         const struct bus *bus, uint64_t reset_address);
void hart_free(struct hart *hart);

/* The state after reset (Privileged Architecture 1.12, 3.4). Cycle and retired go on. */
void hart_reset(struct hart *hart);

/* Forgets decoded instructions: after fence.i, and when memory or breakpoints changed from outside. */
void hart_forget_decoded(struct hart *hart);

/* From now on accesses to data are (or are not) told to the machine: those that memory answers fast are none then. */
void hart_watch(struct hart *hart, bool on);

/* Takes an exception at the instruction at pc; tells the machine, which may stop. */
void hart_exception(struct hart *hart, uint64_t cause, uint64_t value);

/* Takes the pending interrupt of the highest priority, if any is enabled. */
void hart_take_interrupt(struct hart *hart);

/* True when nothing can go on in the hart before an event from outside. */
static inline bool hart_idle(const struct hart *hart) {
    return hart->waiting_input || (hart->waiting && !(hart->mip & hart->mie));
}

/* Decodes the instruction at pc into the cache; null after a fetch exception was taken. */
const struct decoded *hart_decode(struct hart *hart);

/* The decoded instruction at pc. */
static inline const struct decoded *hart_fetch(struct hart *hart) {
    const struct decoded *decoded = &hart->decoded[(hart->pc >> 1) % DECODE_CACHE_ENTRIES];
    return decoded->pc == hart->pc ? decoded : hart_decode(hart);
}

/* Executes until cycle reaches stop_at, or the hart waits. (execute.c) */
void hart_execute(struct hart *hart);

/* Any data access: SIZE 1, 2, 4 or 8 bytes. False after the exception was taken. */
bool hart_load_any(struct hart *hart, uint64_t address, unsigned size, uint64_t *value);
bool hart_store_any(struct hart *hart, uint64_t address, unsigned size, uint64_t value);

/* Where ADDRESS is in the memory that was reached last, or null. */
static inline uint8_t *hart_near(const struct hart *hart, uint64_t address, unsigned size) {
    const struct bus_region *region = hart->data_region;
    if (!region || address - region->base > region->size - size || (address & (size - 1)))
        return NULL;
    return region->bytes + (address - region->base);
}

static inline bool hart_load(struct hart *hart, uint64_t address, unsigned size, uint64_t *value) {
    const uint8_t *at = hart_near(hart, address, size);
    if (!at)
        return hart_load_any(hart, address, size, value);
    *value = little_load(at, size);
    return true;
}

static inline bool hart_store(struct hart *hart, uint64_t address, unsigned size, uint64_t value) {
    uint8_t *at = hart_near(hart, address, size);
    if (!at || !hart->data_region->writable)
        return hart_store_any(hart, address, size, value);
    little_store(at, size, value);
    return true;
}

#endif
