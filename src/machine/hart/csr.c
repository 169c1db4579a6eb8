/* Control and status registers: Privileged Architecture 1.12, chapter 2, those of machine and user mode. */
#include "machine/hart/hart.h"

#include <stddef.h>

/* What a write has to be followed by. */
enum consequence { NOTHING, LOOK_FOR_INTERRUPTS, NEW_WAYS_TO_MEMORY };

/* CSRs that are a field of the state. Bits outside WRITABLE keep what they hold. */
static const struct {
    unsigned number;
    size_t offset;
    uint64_t writable;
    enum consequence then;
} fields[] = {
    {0x300, offsetof(struct hart_state, mstatus), MSTATUS_MIE | MSTATUS_MPIE | MSTATUS_MPP | MSTATUS_MPRV | MSTATUS_TW,
     NEW_WAYS_TO_MEMORY},
    {0x304, offsetof(struct hart_state, mie), INTERRUPT_BITS, LOOK_FOR_INTERRUPTS},
    {0x305, offsetof(struct hart_state, mtvec), ~UINT64_C(2), NOTHING},
    {0x306, offsetof(struct hart_state, mcounteren), 7, NOTHING},
    {0x340, offsetof(struct hart_state, mscratch), UINT64_MAX, NOTHING},
    {0x341, offsetof(struct hart_state, mepc), ~UINT64_C(1), NOTHING},
    {0x342, offsetof(struct hart_state, mcause), UINT64_MAX, NOTHING},
    {0x343, offsetof(struct hart_state, mtval), UINT64_MAX, NOTHING},
    {0x344, offsetof(struct hart_state, mip), 0, NOTHING},
};
enum {
    FIELD_COUNT = sizeof fields / sizeof *fields,
    MSTATUS = 0x300,
    MEPC = 0x341,
    FFLAGS = 0x001,
    FRM = 0x002,
    FCSR = 0x003,
    PMPCFG0 = 0x3a0,
    PMPADDR0 = 0x3b0,
    PMP_LOCKED = 0x80,
    PMP_TOR = 0x08,
    PMP_MODE = 0x18
};

/* CSRs that read as zero and drop writes: mstatush, menvcfg, mcountinhibit, the event selectors and their counters, and the
   identification that a board without a vendor leaves empty (those are in the read-only space). */
static bool csr_is_zero(unsigned number, unsigned xlen) {
    return number == 0x30a || ((number == 0x310 || number == 0x31a) && xlen == 32) ||
           (number >= 0x320 && number <= 0x33f && number != 0x321 && number != 0x322) ||
           (number >= 0xb03 && number <= 0xb1f) || (number >= 0xb83 && number <= 0xb9f && xlen == 32) ||
           (number >= 0xc03 && number <= 0xc1f) || (number >= 0xc83 && number <= 0xc9f && xlen == 32) ||
           (number >= 0xf11 && number <= 0xf13) || number == 0xf15;
}

static bool has_float(const struct hart *hart) {
    return (hart->decoder.isa.extensions & ISA_LETTER('f')) != 0;
}

/* The counters: machine ones at 0xb00, their read-only shadows at 0xc00, upper halves 0x80 above on RV32. User mode reads
   those that mcounteren lets it. */
static bool counter_read(const struct hart *hart, unsigned number, enum hart_mode mode, uint64_t *value) {
    const struct hart_state *state = &hart->state;
    if (mode == MODE_USER && !(state->mcounteren >> (number & 31) & 1))
        return false;
    switch (number & ~0x80u) {
    case 0xb00:
    case 0xc00: *value = state->cycle + state->cycle_offset; break;
    case 0xb02:
    case 0xc02: *value = state->retired + state->retired_offset; break;
    case 0xc01: *value = hart->outside->time(hart->with, hart); break;
    default: return false;
    }
    if (number & 0x80) {
        if (hart->decoder.isa.xlen != 32)
            return false;
        *value >>= 32;
    }
    return true;
}

static bool is_counter(unsigned number) {
    return number >> 8 == 0xc;
}

/* fflags, frm and fcsr are one register. */
static bool float_field(unsigned number, unsigned *shift, uint64_t *mask) {
    *shift = number == FRM ? 5 : 0;
    *mask = number == FFLAGS ? 0x1f : number == FRM ? 7 : 0xff;
    return number >= FFLAGS && number <= FCSR;
}

static bool pmp_read(const struct hart *hart, unsigned number, uint64_t *value) {
    unsigned bytes = hart->decoder.isa.xlen / 8, first = (number - PMPCFG0) * 4;
    *value = 0;
    if (number >= PMPADDR0 && number < PMPADDR0 + PMP_REGIONS)
        *value = hart->state.pmp_address[number - PMPADDR0];
    else if (number >= PMPCFG0 && number < PMPCFG0 + PMP_REGIONS / 4 && first % bytes == 0)
        for (unsigned i = 0; i < bytes; ++i)
            *value |= (uint64_t)hart->state.pmp_config[first + i] << (8 * i);
    else
        return false;
    return true;
}

/* What is known of pages and code is forgotten when another memory is protected than before: not for the address of a region that is off. */
static bool pmp_write(struct hart *hart, unsigned number, uint64_t value) {
    struct hart_state *state = &hart->state;
    unsigned bytes = hart->decoder.isa.xlen / 8, first = (number - PMPCFG0) * 4;
    bool matters = false;
    if (number >= PMPADDR0 && number < PMPADDR0 + PMP_REGIONS) {
        unsigned index = number - PMPADDR0;
        uint8_t above = index + 1 < PMP_REGIONS ? state->pmp_config[index + 1] : 0;
        bool top = (above & PMP_MODE) == PMP_TOR, bound = (above & PMP_LOCKED) && top;
        matters = (state->pmp_config[index] & PMP_MODE) || top;
        if (!(state->pmp_config[index] & PMP_LOCKED) && !bound)
            state->pmp_address[index] = value & (bytes == 4 ? UINT32_MAX : (UINT64_C(1) << 54) - 1);
    } else if (number >= PMPCFG0 && number < PMPCFG0 + PMP_REGIONS / 4 && first % bytes == 0) {
        for (unsigned i = 0; i < bytes; ++i) {
            uint8_t config = value >> (8 * i) & 0x9f;
            if ((config & 3) == 2) /* written but not read is reserved */
                config &= (uint8_t)~2;
            if (!(state->pmp_config[first + i] & PMP_LOCKED)) {
                matters = matters || state->pmp_config[first + i] != config;
                state->pmp_config[first + i] = config;
            }
        }
    } else {
        return false;
    }
    if (matters)
        hart_forget_all(hart);
    return true;
}

static uint64_t misa_of(const struct isa *isa) {
    return (uint64_t)(isa->xlen / 32) << (isa->xlen - 2) | (isa->extensions & 0x3ffffff) | ISA_LETTER('u');
}

/* Fields that are not stored: SD sums FS up, user mode has the hart's width. */
static uint64_t mstatus_derived(const struct hart *hart) {
    unsigned xlen = hart->decoder.isa.xlen;
    bool dirty = (hart->state.mstatus & MSTATUS_FS) == MSTATUS_FS;
    return (uint64_t)dirty << (xlen - 1) | (xlen == 64 ? UINT64_C(2) << 32 : 0);
}

bool csr_read(const struct hart *hart, unsigned number, enum hart_mode mode, uint64_t *value) {
    const struct hart_state *state = &hart->state;
    unsigned shift;
    uint64_t mask;
    *value = 0;
    if ((number >> 8 & 3) > (unsigned)mode)
        return false;
    for (size_t i = 0; i < FIELD_COUNT; ++i) {
        if (fields[i].number == number) {
            *value = *(const uint64_t *)(const void *)((const char *)state + fields[i].offset);
            *value |= number == MSTATUS ? mstatus_derived(hart) : 0;
            return true;
        }
    }
    if (float_field(number, &shift, &mask)) {
        *value = state->fcsr >> shift & mask;
        return has_float(hart) && state->mstatus & MSTATUS_FS;
    }
    if (counter_read(hart, number, mode, value)) {
        *value &= hart_mask(hart);
        return true;
    }
    if (is_counter(number) && mode == MODE_USER)
        return false;
    if (pmp_read(hart, number, value))
        return true;
    if (number == 0x301)
        *value = misa_of(&hart->decoder.isa);
    else if (number == 0xf14)
        *value = hart->id;
    else
        return csr_is_zero(number, hart->decoder.isa.xlen);
    return true;
}

static bool counter_write(struct hart *hart, unsigned number, uint64_t value) {
    struct hart_state *state = &hart->state;
    bool cycles = (number & ~0x80u) == 0xb00, high = number & 0x80;
    if (!cycles && (number & ~0x80u) != 0xb02)
        return false;
    if (high && hart->decoder.isa.xlen != 32)
        return false;
    uint64_t counted = cycles ? state->cycle : state->retired;
    uint64_t *offset = cycles ? &state->cycle_offset : &state->retired_offset;
    uint64_t current = counted + *offset;
    if (hart->decoder.isa.xlen == 32)
        value = high ? value << 32 | (current & UINT32_MAX) : (current & ~(uint64_t)UINT32_MAX) | (value & UINT32_MAX);
    *offset = value - counted;
    return true;
}

/* MPP holds user or machine mode only; another value leaves what it held. */
static uint64_t legal_mstatus(const struct hart *hart, uint64_t value) {
    uint64_t mode = value & MSTATUS_MPP;
    if (mode && mode != MSTATUS_MPP)
        value = (value & ~MSTATUS_MPP) | (hart->state.mstatus & MSTATUS_MPP);
    return value;
}

static void field_write(struct hart *hart, size_t index, uint64_t value) {
    uint64_t *field = (uint64_t *)(void *)((char *)&hart->state + fields[index].offset);
    uint64_t writable = fields[index].writable, before = *field;
    if (fields[index].number == MSTATUS) {
        writable |= has_float(hart) ? MSTATUS_FS : 0;
        value = legal_mstatus(hart, value);
    }
    if (fields[index].number == MEPC && !(hart->decoder.isa.extensions & ISA_LETTER('c')))
        writable &= ~UINT64_C(3);
    *field = ((*field & ~writable) | (value & writable)) & hart_mask(hart);
    if (fields[index].then == NEW_WAYS_TO_MEMORY && (before ^ *field) & (MSTATUS_MPRV | MSTATUS_MPP) &&
        (before | *field) & MSTATUS_MPRV)
        hart_forget_pages(hart);
    /* What is looked for is an interrupt that has become takeable. */
    hart->attention = hart->attention || (fields[index].then != NOTHING && hart->state.mip & hart->state.mie);
}

bool csr_write(struct hart *hart, unsigned number, enum hart_mode mode, uint64_t value) {
    struct hart_state *state = &hart->state;
    unsigned shift;
    uint64_t mask;
    if (number >> 10 == 3 || (number >> 8 & 3) > (unsigned)mode)
        return false; /* the read-only quarter; another mode's */
    for (size_t i = 0; i < FIELD_COUNT; ++i) {
        if (fields[i].number == number) {
            field_write(hart, i, value);
            return true;
        }
    }
    if (float_field(number, &shift, &mask)) {
        if (!has_float(hart) || !(state->mstatus & MSTATUS_FS))
            return false;
        state->fcsr = (state->fcsr & ~(mask << shift)) | (value & mask) << shift;
        state->mstatus |= MSTATUS_FS;
        return true;
    }
    return counter_write(hart, number, value) || pmp_write(hart, number, value) || number == 0x301 ||
           csr_is_zero(number, hart->decoder.isa.xlen);
}
