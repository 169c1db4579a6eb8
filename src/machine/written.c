/* What follows when memory has other contents. */
#include "machine/board.h"

#include <string.h>

static bool overlaps(uint64_t a, uint64_t a_size, uint64_t b, uint64_t b_size) {
    return a < b + b_size && b < a + a_size;
}

/* Other harts' reservations that are written to end; stores to PAGE of the region ask no more when none is left there. */
static void end_reservations(struct ta_machine *machine, const struct bus_region *region, uint64_t page,
                             uint64_t address, uint64_t size) {
    uint64_t first = region->base + (page << PAGE_BITS);
    bool left = false;
    for (size_t i = 0; i < machine->hart_count; ++i) {
        struct hart_state *state = &machine->harts[i].hart.state;
        bool own = machine->active == &machine->harts[i];
        if (state->reserved_address == NO_ADDRESS)
            continue;
        if (!own && overlaps(state->reserved_address, state->reserved_bytes, address, size))
            state->reserved_address = NO_ADDRESS;
        else
            left = left || overlaps(state->reserved_address, state->reserved_bytes, first, PAGE_BYTES);
    }
    if (!left)
        region->pages[page] &= (uint8_t)~PAGE_RESERVED;
}

void board_written(struct ta_machine *machine, const struct bus_region *region, uint64_t address, uint64_t size) {
    const uint64_t piece_bytes = 1 << CODE_BITS;
    uint64_t offset = address - region->base, first = offset / piece_bytes, last = (offset + size - 1) / piece_bytes;
    bool held = false;
    for (uint64_t page = offset >> PAGE_BITS; page <= (offset + size - 1) >> PAGE_BITS; ++page)
        if (region->pages[page] & PAGE_RESERVED)
            end_reservations(machine, region, page, address, size);
    for (uint64_t piece = first; piece <= last; ++piece) {
        held = held || region->code[piece / 8] >> piece % 8 & 1;
        region->code[piece / 8] &= (uint8_t) ~(1u << piece % 8);
    }
    for (size_t i = 0; held && i < machine->hart_count; ++i)
        hart_forget_code(&machine->harts[i].hart, region->base + first * piece_bytes, (last - first + 1) * piece_bytes);
}

void board_touched(struct ta_machine *machine, const struct bus_region *region, uint64_t address, uint64_t size) {
    uint64_t offset = address - region->base;
    for (uint64_t page = offset >> PAGE_BITS; size && page <= (offset + size - 1) >> PAGE_BITS; ++page)
        region->pages[page] |= PAGE_TOUCHED;
    if (size)
        board_written(machine, region, address, size);
}

void board_put(struct ta_machine *machine, const struct bus_region *region, uint64_t address, const void *bytes,
               size_t size) {
    memcpy(region->bytes + (address - region->base), bytes, size);
    board_touched(machine, region, address, size);
}

static uint8_t *store_at(struct bus_region *region, uint64_t offset, size_t size) {
    if (!region || !bus_holds(region, region->base + offset, size) || offset > region->size)
        return NULL;
    bus_own(region, region->base + offset, size);
    return region->bytes + offset;
}

bool board_store_read(struct bus_region *region, uint64_t offset, void *bytes, size_t size) {
    const uint8_t *at = store_at(region, offset, size);
    if (at)
        memcpy(bytes, at, size);
    return at != NULL;
}

bool board_store_write(struct ta_machine *machine, struct bus_region *region, uint64_t offset, const void *bytes,
                       size_t size) {
    if (!store_at(region, offset, size))
        return false;
    board_put(machine, region, region->base + offset, bytes, size);
    return true;
}
