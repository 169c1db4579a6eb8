/* A hart: its state, what it holds decoded of its code, and its ways to memory. Everything else it reaches through a table of
   functions, so that one runs in a test with no board at all.

   Two engines share every line of what instructions do (engine.h): the fast one goes from block to block of decoded
   instructions, the slow one decodes one at a time and keeps nothing. Both give the same state after every instruction. */
#ifndef TA_MACHINE_HART_HART_H
#define TA_MACHINE_HART_HART_H

#include "machine/bus.h"
#include "machine/hart/blocks.h"
#include "machine/hart/decode.h"
#include "machine/hart/state.h"
#include "tameanchor/event.h"

struct hart;

/* What an ebreak was. */
enum hart_call {
    CALL_NONE, /* an exception */
    CALL_DONE,
    CALL_WAITS,   /* for input: it is made again then */
    CALL_GOES_ON, /* it is made again at once */
};

/* What a hart asks of its surroundings, and tells them. While one of them runs, pc, cycle and retired are those before the
   instruction that asks. */
struct hart_outside {
    /* A device's registers; false for an access that it has not. */
    bool (*read)(void *with, struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t *value);
    bool (*write)(void *with, struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value);
    /* Whether reading there again has no effect and gives the same, until the hart is stopped or does something else. */
    bool (*is_steady)(void *with, struct ta_slot *slot, uint64_t offset);
    uint64_t (*time)(void *with, const struct hart *hart); /* the CSR time */
    void (*trapped)(void *with, struct hart *hart, uint64_t cause, uint64_t pc, uint64_t value);
    void (*stuck)(void *with, struct hart *hart, enum ta_wild why); /* it traps and will never come to anything */
    enum hart_call (*called)(void *with, struct hart *hart);
    bool (*has_breakpoint)(void *with, uint64_t pc);
    void (*broke)(void *with, struct hart *hart);
    /* DONE was done to SIZE bytes of data at ADDRESS; told while WATCHED only. */
    void (*reached)(void *with, struct hart *hart, uint64_t address, unsigned size, enum ta_access done);
    /* A store met a page that is more than touched: it holds code, or somebody's reservation. */
    void (*stored)(void *with, const struct bus_region *region, uint64_t address, uint64_t size);
};

/* Pages of memory that a hart may reach without a question, or parts of them: FIRST and SIZE are multiples of 8. */
enum { PAGE_ENTRIES = 64 };
struct page_entry {
    uint64_t page; /* address >> PAGE_BITS; NO_ADDRESS for none */
    uint8_t *bytes;
    uint8_t *flags; /* null: not to be written */
    uint16_t first, size;
};

static inline bool page_holds(const struct page_entry *entry, uint64_t address) {
    return entry->page == address >> PAGE_BITS && address % PAGE_BYTES - entry->first < entry->size;
}

/* The memory that most data is in: no other question is asked there. SIZE 0: there is none. */
struct window {
    uint64_t base, size;
    uint8_t *bytes, *flags;
};

/* The branches that were taken, while they are noted: the slow engine's. NEXT is where the instruction at LAST leads to without one. */
struct trail {
    bool noted;
    uint64_t last, next;
    struct ta_branch branches[TA_BRANCHES];
    size_t count;
};

struct hart {
    struct hart_state state;

    unsigned id;
    uint64_t reset_address;
    bool held_at_reset;
    bool misaligned;  /* data that is not aligned is carried out, and not trapped */
    bool slow;        /* the reference: one instruction at a time, nothing is kept */
    bool watched;     /* every access to data is told */
    bool bound;       /* there are accesses that machine mode may not do, either */
    bool shared;      /* other harts' stores may end a reservation */
    bool host_floats; /* the host's arithmetic is in the mode that is needed (host_floats.h) */
    struct ta_timing timing;
    const struct bus *bus;
    const struct hart_outside *outside;
    void *with;

    uint64_t stop_at;      /* no instruction begins at this cycle or later */
    bool attention;        /* something is to be looked at before the next instruction */
    uint64_t end, counted; /* the engine's own, see there */
    uint64_t generation;   /* the same: that of the block under way */
    int64_t round_began;   /* the same, for loops that wait */
    unsigned asked;        /* how many reads of devices there were in the round under way (waiting.c); the last one: */
    struct ta_slot *asked_slot;
    uint64_t asked_offset;
    unsigned waited; /* cycles that the access under way took besides */
    struct trail trail;
    uint64_t step_over; /* the breakpoint at this address is passed once; NO_ADDRESS for none */

    struct decoder decoder;
    struct blocks blocks;
    struct window window;
    struct page_entry pages[PAGE_ENTRIES];
    uint64_t free_first,
        free_last; /* what machine mode may do all with, as it was found last; none when FIRST is above LAST */
    const struct bus_region *near; /* the region that was reached last, or null */
};

enum ta_status hart_init(struct hart *hart, const struct isa *isa, const struct bus *bus,
                         const struct hart_outside *outside, void *with);
void hart_free(struct hart *hart);

/* The state after reset (Privileged Architecture 1.12, 3.4). Cycle and retired go on. */
void hart_reset(struct hart *hart);

/* Executes until cycle reaches stop_at, or something is to be looked at. Interrupts are taken between two calls only: whatever can
   make one takeable asks for attention. */
void hart_execute(struct hart *hart);
/* The same, one instruction. */
void hart_step(struct hart *hart);

/* Takes an exception at the instruction at pc; tells the outside. (trap.c) */
void hart_exception(struct hart *hart, uint64_t cause, uint64_t value);
/* Takes the pending interrupt of the highest priority, if any is enabled. (trap.c) */
void hart_take_interrupt(struct hart *hart);
/* mret (trap.c) */
void hart_return(struct hart *hart);

/* True when nothing can go on in the hart before an event from outside. */
static inline bool hart_idle(const struct hart *hart) {
    const struct hart_state *state = &hart->state;
    return state->held || state->waiting_input || (state->waiting && !(state->mip & state->mie));
}

/* CSRs: false when there is none of that NUMBER, it cannot be written, or the mode may not reach it; the caller traps. (csr.c) */
bool csr_read(const struct hart *hart, unsigned number, enum hart_mode mode, uint64_t *value);
bool csr_write(struct hart *hart, unsigned number, enum hart_mode mode, uint64_t value);

/* Whether all of SIZE bytes from ADDRESS on may be reached so in MODE: Privileged Architecture 1.12, 3.7. (protection.c) */
enum protection { PROTECT_READ = 1, PROTECT_WRITE = 2, PROTECT_EXECUTE = 4, PROTECT_ALL = 7 };
bool protection_allows(const struct hart_state *state, enum hart_mode mode, uint64_t address, uint64_t size,
                       unsigned wanted);
/* The widest range around ADDRESS, *FIRST to *LAST, that lies in the same regions as it does. */
void protection_extent(const struct hart_state *state, uint64_t address, uint64_t *first, uint64_t *last);
/* Whether there are accesses that machine mode may not do. */
bool protection_binds_machine(const struct hart_state *state);

/* The mode that data is reached in. */
static inline enum hart_mode hart_data_mode(const struct hart_state *state) {
    return state->mstatus & MSTATUS_MPRV ? (enum hart_mode)(state->mstatus >> 11 & 3) : (enum hart_mode)state->mode;
}

/* Data: SIZE 1, 2, 4 or 8 bytes at ADDRESS. False after the exception was taken. (memory.c) */
bool hart_load(struct hart *hart, uint64_t address, unsigned size, uint64_t *value);
bool hart_store(struct hart *hart, uint64_t address, unsigned size, uint64_t value);
/* Where in memory these bytes are, when they are aligned and their page is known to be free to read; null else. */
static inline const uint8_t *hart_known(const struct hart *hart, uint64_t address, unsigned size) {
    const struct page_entry *entry = &hart->pages[(address >> PAGE_BITS) % PAGE_ENTRIES];
    return page_holds(entry, address) && !(address & (size - 1)) ? entry->bytes + address % PAGE_BYTES : NULL;
}

/* The same for a store that nobody else wants to know of: to a page that was stored to before. */
static inline uint8_t *hart_known_to_store(const struct hart *hart, uint64_t address, unsigned size) {
    const struct page_entry *entry = &hart->pages[(address >> PAGE_BITS) % PAGE_ENTRIES];
    bool good = page_holds(entry, address) && !(address & (size - 1)) && entry->flags && *entry->flags == PAGE_TOUCHED;
    return good ? entry->bytes + address % PAGE_BYTES : NULL;
}

/* Where an atomic operation on SIZE bytes may be done; false after the exception was taken. */
bool hart_check_atomic(struct hart *hart, uint64_t address, unsigned size);
/* The load of LR, which reserves what it loads. */
bool hart_reserve(struct hart *hart, uint64_t address, unsigned size, uint64_t *value);

/* Code: 16 or 32 bits at ADDRESS. False when none may be fetched; *FAULT tells at which address. (memory.c) */
bool hart_fetch(struct hart *hart, uint64_t address, uint32_t *bits, unsigned *length, uint64_t *fault);

/* The block at pc, decoded when it is not yet. Null after a fetch exception was taken. One instruction that is not kept comes where a
   breakpoint is passed, or memory is out. (translate.c) */
struct block *hart_block(struct hart *hart);
/* One instruction, not kept. */
struct block *hart_single(struct hart *hart);

/* Whether BLOCK is a loop that waits for something to change. (waiting.c) */
bool block_waits(const struct block *block);
/* Whether what the hart read in this round is the same the next time. (waiting.c) */
bool hart_is_still(const struct hart *hart);

/* The instruction at pc is illegal: its bits are the exception's value. (memory.c) */
void hart_illegal(struct hart *hart);

/* Forgets the ways to memory: after anything that decides on them has changed. (forget.c) */
void hart_forget_pages(struct hart *hart);
/* Forgets what is decoded, too. */
void hart_forget_all(struct hart *hart);
/* SIZE bytes at ADDRESS have other contents: what was decoded of them is forgotten. */
void hart_forget_code(struct hart *hart, uint64_t address, uint64_t size);

/* What the host's own flag says of results that floating_quick.h let it compute goes into fcsr. (host_floats.c) */
void hart_take_inexact(struct hart *hart);

static inline uint64_t hart_mask(const struct hart *hart) {
    return hart->decoder.isa.xlen == 32 ? UINT32_MAX : UINT64_MAX;
}

static inline uint64_t hart_x(const struct hart *hart, unsigned number) {
    return hart->decoder.isa.xlen == 32 ? hart->state.x.w32[number] : hart->state.x.w64[number];
}

static inline void hart_set_x(struct hart *hart, unsigned number, uint64_t value) {
    if (hart->decoder.isa.xlen == 32)
        hart->state.x.w32[number] = (uint32_t)value;
    else
        hart->state.x.w64[number] = value;
}

#endif
