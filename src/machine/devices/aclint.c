/* The timer and software interrupts of one to eight harts: the RISC-V ACLINT specification, 1.0-rc4, an MSWI and an
   MTIMER device at the offsets that keep older software working (chapter 1, "Backward compatibility"). Registers of 32
   bits; 64-bit ones are two of them.

   0x0000 + 4 n   MSIP of hart n, bit 0
   0x4000 + 8 n   MTIMECMP of hart n
   0xbff8         MTIME, counting at the device's clock */
#include "base/scale.h"
#include "machine/models.h"

enum { MSIP = 0x0000, MTIMECMP = 0x4000, MTIME = 0xbff8, HARTS = 8, SOFTWARE = 3, TIMER = 7 };

struct aclint {
    uint64_t compare[HARTS];
    uint64_t offset; /* added to the count of ticks since power-on */
    uint8_t software[HARTS];
};

static uint64_t tick_hz(const struct ta_slot *slot) {
    uint64_t hz = ta_slot_config(slot)->clock_hz;
    return hz ? hz : ta_slot_clock_hz(slot);
}

static uint64_t aclint_time(void *state, struct ta_slot *slot) {
    return scale_floor(ta_slot_now(slot), tick_hz(slot), ta_slot_clock_hz(slot)) + ((struct aclint *)state)->offset;
}

/* The lines follow the comparison; the next wake-up is the nearest compare value still ahead, or where MTIME starts from 0 again. */
static void aclint_update(struct aclint *aclint, struct ta_slot *slot) {
    uint64_t time = aclint_time(aclint, slot), ticks = time - aclint->offset;
    uint64_t ahead = (uint64_t)0 - time, wake = UINT64_MAX;
    for (unsigned hart = 0; hart < ta_slot_harts(slot); ++hart) {
        ta_slot_hart_interrupt(slot, hart, TIMER, time >= aclint->compare[hart]);
        if (aclint->compare[hart] > time && aclint->compare[hart] - time - 1 < ahead - 1) /* an AHEAD of 0 is 2^64 */
            ahead = aclint->compare[hart] - time;
    }
    if (ahead && ahead <= UINT64_MAX - ticks) /* else it is centuries off */
        wake = scale_ceiling(ticks + ahead, ta_slot_clock_hz(slot), tick_hz(slot));
    ta_slot_wake_at(slot, wake);
}

static void aclint_reset(void *state, struct ta_slot *slot) {
    struct aclint *aclint = state;
    ta_slot_provide_time(slot, aclint_time);
    aclint->offset = 0;
    aclint->offset = (uint64_t)0 - aclint_time(aclint, slot); /* MTIME starts from 0 */
    for (unsigned hart = 0; hart < HARTS; ++hart) {
        aclint->compare[hart] = UINT64_MAX;
        aclint->software[hart] = false;
    }
    aclint_update(aclint, slot);
}

static void aclint_wake(void *state, struct ta_slot *slot) {
    aclint_update(state, slot);
}

static uint64_t aclint_read(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes) {
    const struct aclint *aclint = state;
    uint64_t value = 0;
    if (offset < MSIP + 4 * HARTS)
        return size_bytes == 4 ? aclint->software[offset / 4] : 0;
    if (offset >= MTIMECMP && offset < MTIMECMP + 8 * HARTS)
        value = aclint->compare[(offset - MTIMECMP) / 8];
    else if ((offset & ~UINT64_C(7)) == MTIME)
        value = aclint_time(state, slot);
    return size_bytes == 8 || !(offset & 4) ? value : value >> 32;
}

/* WORD with its addressed half, or all of it, replaced. */
static uint64_t replace(uint64_t word, uint64_t offset, unsigned size_bytes, uint64_t value) {
    if (size_bytes == 8)
        return value;
    unsigned shift = offset & 4 ? 32 : 0;
    return (word & ~(UINT64_C(0xffffffff) << shift)) | (value & 0xffffffff) << shift;
}

static void aclint_write(void *state, struct ta_slot *slot, uint64_t offset, unsigned size_bytes, uint64_t value) {
    struct aclint *aclint = state;
    if (offset < MSIP + 4 * HARTS && size_bytes == 4) {
        unsigned hart = (unsigned)offset / 4;
        if (hart >= ta_slot_harts(slot)) /* of a hart that the board has not */
            return;
        aclint->software[hart] = value & 1;
        ta_slot_hart_interrupt(slot, hart, SOFTWARE, value & 1);
    } else if (offset >= MTIMECMP && offset < MTIMECMP + 8 * ta_slot_harts(slot)) {
        uint64_t *compare = &aclint->compare[(offset - MTIMECMP) / 8];
        *compare = replace(*compare, offset, size_bytes, value);
    } else if ((offset & ~UINT64_C(7)) == MTIME) {
        uint64_t now = aclint_time(state, slot);
        aclint->offset += replace(now, offset, size_bytes, value) - now;
    }
    aclint_update(aclint, slot);
}

static void aclint_keep(void *state, struct ta_keeper *keeper) {
    struct aclint *aclint = state;
    TA_KEEP_ALL(keeper, aclint->compare);
    TA_KEEP_ALL(keeper, aclint->software);
    TA_KEEP(keeper, aclint->offset);
}

const struct ta_device_kind model_aclint = {
    .version = TA_DEVICE_VERSION,
    .model = "aclint",
    .summary = "timer and software interrupts of the harts (RISC-V ACLINT)",
    .span_bytes = 0xc000,
    .state_bytes = sizeof(struct aclint),
    .widths = 4 | 8,
    .keep = aclint_keep,
    .reset = aclint_reset,
    .wake = aclint_wake,
    .read = aclint_read,
    .write = aclint_write,
};
