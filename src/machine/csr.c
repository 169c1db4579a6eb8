/* Control and status registers: Privileged Architecture 1.12, chapter 2, machine level. */
#include "machine/hart.h"

#include "machine/board.h"

#include <stddef.h>

/* CSRs that are a field of the hart. Bits outside WRITABLE keep what they hold. */
static const struct {
    unsigned number;
    size_t offset;
    uint64_t writable;
} fields[] = {
    {0x300, offsetof(struct hart, mstatus), MSTATUS_MIE | MSTATUS_MPIE},
    {0x304, offsetof(struct hart, mie), 0x888},
    {0x305, offsetof(struct hart, mtvec), ~UINT64_C(2)},
    {0x340, offsetof(struct hart, mscratch), UINT64_MAX},
    {0x341, offsetof(struct hart, mepc), ~UINT64_C(1)},
    {0x342, offsetof(struct hart, mcause), UINT64_MAX},
    {0x343, offsetof(struct hart, mtval), UINT64_MAX},
    {0x344, offsetof(struct hart, mip), 0},
};
enum { FIELD_COUNT = sizeof fields / sizeof *fields };

/* CSRs that read as zero and drop writes: mstatush, mcountinhibit, the event selectors and their counters, and the
   identification that a board without a vendor leaves empty (those are in the read-only space). */
static bool csr_is_zero(unsigned number, unsigned xlen) {
    return (number == 0x310 && xlen == 32) ||
           (number >= 0x320 && number <= 0x33f && number != 0x321 && number != 0x322) ||
           (number >= 0xb03 && number <= 0xb1f) || (number >= 0xb83 && number <= 0xb9f && xlen == 32) ||
           (number >= 0xc03 && number <= 0xc1f) || (number >= 0xc83 && number <= 0xc9f && xlen == 32) ||
           (number >= 0xf11 && number <= 0xf13) || number == 0xf15;
}

static uint64_t hart_mask(const struct hart *hart) {
    return hart->isa.xlen == 32 ? UINT32_MAX : UINT64_MAX;
}

/* The counters: machine ones at 0xb00, their read-only shadows at 0xc00, upper halves 0x80 above on RV32. */
static bool counter_read(const struct hart *hart, unsigned number, uint64_t *value) {
    switch (number & ~0x80u) {
    case 0xb00:
    case 0xc00: *value = hart->cycle + hart->cycle_offset; break;
    case 0xb02:
    case 0xc02: *value = hart->retired + hart->retired_offset; break;
    case 0xc01: *value = board_time(hart->machine); break;
    default: return false;
    }
    if (number & 0x80) {
        if (hart->isa.xlen != 32)
            return false;
        *value >>= 32;
    }
    return true;
}

bool csr_read(const struct hart *hart, unsigned number, uint64_t *value) {
    for (size_t i = 0; i < FIELD_COUNT; ++i) {
        if (fields[i].number == number) {
            *value = *(const uint64_t *)((const char *)hart + fields[i].offset);
            return true;
        }
    }
    if (counter_read(hart, number, value)) {
        *value &= hart_mask(hart);
        return true;
    }
    *value = 0;
    if (number == 0x301) /* misa */
        *value = (uint64_t)(hart->isa.xlen / 32) << (hart->isa.xlen - 2) | (hart->isa.extensions & 0x3ffffff);
    else if (number == 0xf14)
        *value = hart->id;
    else
        return csr_is_zero(number, hart->isa.xlen);
    return true;
}

static bool counter_write(struct hart *hart, unsigned number, uint64_t value) {
    bool cycles = (number & ~0x80u) == 0xb00, high = number & 0x80;
    if (!cycles && (number & ~0x80u) != 0xb02)
        return false;
    if (high && hart->isa.xlen != 32)
        return false;
    uint64_t counted = cycles ? hart->cycle : hart->retired;
    uint64_t *offset = cycles ? &hart->cycle_offset : &hart->retired_offset;
    uint64_t current = counted + *offset;
    if (hart->isa.xlen == 32)
        value = high ? value << 32 | (current & UINT32_MAX) : (current & ~(uint64_t)UINT32_MAX) | value;
    *offset = value - counted;
    return true;
}

bool csr_write(struct hart *hart, unsigned number, uint64_t value) {
    if (number >> 10 == 3)
        return false; /* the read-only quarter */
    for (size_t i = 0; i < FIELD_COUNT; ++i) {
        if (fields[i].number != number)
            continue;
        uint64_t *field = (uint64_t *)((char *)hart + fields[i].offset);
        *field = ((*field & ~fields[i].writable) | (value & fields[i].writable)) & hart_mask(hart);
        hart->stop_at = 0; /* an interrupt may have become takeable */
        return true;
    }
    return counter_write(hart, number, value) || number == 0x301 || csr_is_zero(number, hart->isa.xlen);
}
