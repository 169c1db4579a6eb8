/* Physical memory protection: Privileged Architecture 1.12, 3.7. */
#include "machine/hart/hart.h"

enum { PMP_LOCKED = 0x80, PMP_MODE = 0x18, PMP_TOR = 0x08, PMP_NA4 = 0x10, PMP_NAPOT = 0x18, PMP_ACCESS = 7 };

/* The first and the last byte of region INDEX; false when it is off or holds nothing. */
static bool region_of(const struct hart_state *state, unsigned index, uint64_t *first, uint64_t *last) {
    uint64_t address = state->pmp_address[index], low;
    switch (state->pmp_config[index] & PMP_MODE) {
    case PMP_TOR:
        low = index ? state->pmp_address[index - 1] : 0;
        *first = low << PMP_GRAIN_BITS;
        *last = (address << PMP_GRAIN_BITS) - 1;
        return address > low;
    case PMP_NA4:
        *first = address << PMP_GRAIN_BITS;
        *last = *first + 3;
        return true;
    case PMP_NAPOT: {
        uint64_t ones = address ^ (address + 1); /* those at its end, and the zero above */
        *first = (address & ~ones) << PMP_GRAIN_BITS;
        *last = *first | ones << PMP_GRAIN_BITS | 3;
        return true;
    }
    default: return false;
    }
}

/* A region that is not locked binds it, too: an access that reaches over its end fails. */
bool protection_binds_machine(const struct hart_state *state) {
    for (unsigned i = 0; i < PMP_REGIONS; ++i)
        if (state->pmp_config[i] & PMP_MODE)
            return true;
    return false;
}

/* The lowest region that holds any of the bytes decides, and must hold all of them, whatever its permissions and its lock (3.7.1). Where
   none does, machine mode may do all, user mode nothing. */
bool protection_allows(const struct hart_state *state, enum hart_mode mode, uint64_t address, uint64_t size,
                       unsigned wanted) {
    uint64_t end = address + size - 1, first, last;
    for (unsigned i = 0; i < PMP_REGIONS; ++i) {
        uint8_t config = state->pmp_config[i];
        if (!region_of(state, i, &first, &last) || end < first || address > last)
            continue;
        if (address < first || end > last)
            return false;
        return (mode == MODE_MACHINE && !(config & PMP_LOCKED)) || (config & PMP_ACCESS & wanted) == wanted;
    }
    return mode == MODE_MACHINE;
}

void protection_extent(const struct hart_state *state, uint64_t address, uint64_t *first, uint64_t *last) {
    uint64_t region_first, region_last;
    *first = 0;
    *last = UINT64_MAX;
    for (unsigned i = 0; i < PMP_REGIONS; ++i) {
        if (!region_of(state, i, &region_first, &region_last))
            continue;
        uint64_t low = region_last < address ? region_last + 1 : region_first <= address ? region_first : 0;
        uint64_t high = region_first > address ? region_first - 1 : region_last >= address ? region_last : UINT64_MAX;
        *first = low > *first ? low : *first;
        *last = high < *last ? high : *last;
    }
}
