/* The platform-level interrupt controller: RISC-V PLIC specification 1.0.0, up to 63 sources, one context (machine
   mode) a hart for hart 0 to 7. Sources are levels; a source counts as pending again when its level is still high after
   its completion.

   0x000000 + 4 n             priority of source n, 0 to 7
   0x001000                   pending bits
   0x002000 + 0x80 c          enable bits of context c
   0x200000 + 0x1000 c        threshold of context c
   0x200004 + 0x1000 c        claim (read), complete (write) */
#include "machine/models.h"

#include <string.h>

enum {
    SOURCES = 64,
    CONTEXTS = 8,
    PENDING = 0x1000,
    ENABLE = 0x2000,
    ENABLE_STRIDE = 0x80,
    CONTEXT = 0x200000,
    CONTEXT_STRIDE = 0x1000,
    EXTERNAL = 11,
    PRIORITY_MASK = 7
};

struct plic {
    uint64_t level, pending, in_service;
    uint64_t enabled[CONTEXTS];
    uint8_t priority[SOURCES], threshold[CONTEXTS];
};

/* Contexts of harts that the board has not hold nothing. */
static unsigned plic_contexts(const struct ta_slot *slot) {
    unsigned harts = ta_slot_harts(slot);
    return harts < CONTEXTS ? harts : CONTEXTS;
}

/* The source that CONTEXT would claim: highest priority, then lowest number; 0 for none. */
static unsigned plic_best(const struct plic *plic, unsigned context, unsigned above) {
    unsigned best = 0;
    for (unsigned source = 1; source < SOURCES; ++source) {
        bool ready = (plic->pending & plic->enabled[context]) >> source & 1;
        if (ready && plic->priority[source] > above) {
            above = plic->priority[source];
            best = source;
        }
    }
    return best;
}

static void plic_update(struct plic *plic, struct ta_slot *slot) {
    plic->pending |= plic->level & ~plic->in_service;
    for (unsigned context = 0; context < CONTEXTS; ++context)
        ta_slot_hart_interrupt(slot, context, EXTERNAL, plic_best(plic, context, plic->threshold[context]) != 0);
}

static void plic_reset(void *state, struct ta_slot *slot) {
    memset(state, 0, sizeof(struct plic));
    plic_update(state, slot);
}

static void plic_input(void *state, struct ta_slot *slot, unsigned source, bool level) {
    struct plic *plic = state;
    if (source == 0 || source >= SOURCES)
        return;
    uint64_t bit = UINT64_C(1) << source;
    plic->level = level ? plic->level | bit : plic->level & ~bit;
    plic_update(plic, slot);
}

static unsigned plic_claim(struct plic *plic, struct ta_slot *slot, unsigned context) {
    unsigned source = plic_best(plic, context, 0);
    if (source) {
        plic->pending &= ~(UINT64_C(1) << source);
        plic->in_service |= UINT64_C(1) << source;
        plic_update(plic, slot);
    }
    return source;
}

static uint64_t plic_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    struct plic *plic = state;
    (void)size_bytes;
    if (offset < 4 * SOURCES)
        return plic->priority[offset / 4];
    if (offset == PENDING || offset == PENDING + 4)
        return (uint32_t)(plic->pending >> (offset == PENDING ? 0 : 32));
    if (offset >= ENABLE && offset < ENABLE + CONTEXTS * ENABLE_STRIDE) {
        uint64_t enabled = plic->enabled[(offset - ENABLE) / ENABLE_STRIDE];
        uint64_t at = (offset - ENABLE) % ENABLE_STRIDE;
        return at == 0 ? (uint32_t)enabled : at == 4 ? enabled >> 32 : 0;
    }
    if (offset >= CONTEXT && offset < CONTEXT + CONTEXTS * CONTEXT_STRIDE) {
        unsigned context = (unsigned)(offset - CONTEXT) / CONTEXT_STRIDE;
        uint64_t at = (offset - CONTEXT) % CONTEXT_STRIDE;
        return at == 0 ? plic->threshold[context] : at == 4 ? plic_claim(plic, slot, context) : 0;
    }
    return 0;
}

static void plic_enable(uint64_t *enabled, uint64_t at, uint64_t value) {
    if (at == 0)
        *enabled = (*enabled & ~UINT64_C(0xffffffff)) | (value & 0xfffffffe); /* there is no source 0 */
    else if (at == 4)
        *enabled = (*enabled & UINT64_C(0xffffffff)) | value << 32;
}

static void plic_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct plic *plic = state;
    (void)size_bytes;
    if (offset < 4 * SOURCES) {
        plic->priority[offset / 4] = offset ? value & PRIORITY_MASK : 0; /* there is no source 0 */
    } else if (offset >= ENABLE && offset < ENABLE + plic_contexts(slot) * ENABLE_STRIDE) {
        plic_enable(&plic->enabled[(offset - ENABLE) / ENABLE_STRIDE], (offset - ENABLE) % ENABLE_STRIDE, value);
    } else if (offset >= CONTEXT && offset < CONTEXT + plic_contexts(slot) * CONTEXT_STRIDE) {
        unsigned context = (unsigned)(offset - CONTEXT) / CONTEXT_STRIDE;
        uint64_t at = (offset - CONTEXT) % CONTEXT_STRIDE;
        if (at == 0)
            plic->threshold[context] = value & PRIORITY_MASK;
        else if (at == 4 && value < SOURCES && plic->enabled[context] >> value & 1)
            plic->in_service &= ~(UINT64_C(1) << value);
    }
    plic_update(plic, slot);
}

static void plic_keep(void *state, struct ta_keeper *keeper) {
    struct plic *plic = state;
    TA_KEEP_ALL(keeper, plic->enabled);
    TA_KEEP_ALL(keeper, plic->priority);
    TA_KEEP_ALL(keeper, plic->threshold);
    TA_KEEP(keeper, plic->level);
    TA_KEEP(keeper, plic->pending);
    TA_KEEP(keeper, plic->in_service);
}

const struct ta_device_kind model_plic = {
    .version = TA_DEVICE_VERSION,
    .model = "plic",
    .summary = "platform-level interrupt controller (RISC-V PLIC)",
    .span_bytes = 0x400000,
    .state_bytes = sizeof(struct plic),
    .widths = 4,
    .keep = plic_keep,
    .reset = plic_reset,
    .read = plic_read,
    .write = plic_write,
    .input = plic_input,
    .is_interrupt_controller = true,
};
