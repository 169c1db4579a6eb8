/* A hart's ways to memory, but for the window that the engine looks into by itself: pages that were found free to reach, then the
   bus with all its questions. */
#include "machine/hart/hart.h"

static const struct bus_region *region_at(struct hart *hart, uint64_t address, uint64_t size) {
    if (!hart->near || hart->near->lent || !bus_holds(hart->near, address, size))
        hart->near = bus_find(hart->bus, address, size);
    return hart->near;
}

/* The next access beside this one need not ask, as those to a device's registers would each time. */
static void remember_free(struct hart *hart, uint64_t address) {
    if (!hart->slow && protection_allows(&hart->state, MODE_MACHINE, address, 1, PROTECT_ALL))
        protection_extent(&hart->state, address, &hart->free_first, &hart->free_last);
}

static bool may_in_mode(struct hart *hart, enum hart_mode mode, uint64_t address, uint64_t size, unsigned wanted) {
    bool machine = mode == MODE_MACHINE;
    if (machine && (!hart->bound || (address >= hart->free_first && address <= hart->free_last &&
                                     size - 1 <= hart->free_last - address)))
        return true;
    if (!protection_allows(&hart->state, mode, address, size, wanted))
        return false;
    if (machine)
        remember_free(hart, address);
    return true;
}

static bool may_reach(struct hart *hart, uint64_t address, uint64_t size, unsigned wanted) {
    return may_in_mode(hart, hart_data_mode(&hart->state), address, size, wanted);
}

/* The window becomes all of REGION around the page at START that is protected as little as that. */
static void open_window(struct hart *hart, const struct bus_region *region, uint64_t start) {
    uint64_t first, last, end = region->base + region->size - 1;
    protection_extent(&hart->state, start, &first, &last);
    first = first > region->base ? (first + PAGE_BYTES - 1) & ~(uint64_t)(PAGE_BYTES - 1) : region->base;
    last = last < end ? last : end;
    hart->window = (struct window){.base = first,
                                   .size = (last - first + 1) & ~(uint64_t)7,
                                   .bytes = region->bytes + (first - region->base),
                                   .flags = region->pages + ((first - region->base) >> PAGE_BITS)};
}

/* The next access to the page of ADDRESS need not ask, or to that part of it that is protected in the same way: all of it may be reached
   like this. */
static void remember_page(struct hart *hart, const struct bus_region *region, uint64_t address) {
    uint64_t start = address & ~(uint64_t)(PAGE_BYTES - 1), offset = start - region->base, first, last;
    bool waits = hart->timing.flash_wait && !region->writable;
    if (hart->slow || hart->watched || waits || region->size - offset < PAGE_BYTES)
        return;
    if (offset % PAGE_BYTES)
        return; /* its flags are those of other pages */
    protection_extent(&hart->state, address, &first, &last);
    first = first > start ? (first + 7) & ~UINT64_C(7) : start;
    last = last - start < PAGE_BYTES ? (last + 1) & ~UINT64_C(7) : start + PAGE_BYTES; /* behind it, from here on */
    if (address < first || address >= last)
        return;
    /* It may be read, since ADDRESS was reached: what may be written may be read. */
    bool writable = region->writable && may_reach(hart, first, last - first, PROTECT_WRITE);
    hart->pages[(address >> PAGE_BITS) % PAGE_ENTRIES] =
        (struct page_entry){.page = address >> PAGE_BITS,
                            .bytes = region->bytes + offset,
                            .flags = writable ? &region->pages[offset >> PAGE_BITS] : NULL,
                            .first = (uint16_t)(first - start),
                            .size = (uint16_t)(last - first)};
    bool whole = last - first == PAGE_BYTES;
    if (whole && writable && !hart->window.bytes && !region->lent && region->base % PAGE_BYTES == 0)
        open_window(hart, region, start);
}

static bool refuse(struct hart *hart, uint64_t cause, uint64_t address) {
    hart_exception(hart, cause, address);
    return false;
}

static bool load_bytes(struct hart *hart, uint64_t address, unsigned size, uint64_t *value) {
    uint64_t byte, all = 0;
    const struct bus_region *region = bus_find(hart->bus, address, size);
    if (region && !region->bytes)
        return refuse(hart, CAUSE_LOAD_MISALIGNED, address);
    for (unsigned i = 0; i < size; ++i) {
        if (!hart_load(hart, (address + i) & hart_mask(hart), 1, &byte))
            return false;
        all |= byte << (8 * i);
    }
    *value = all;
    return true;
}

bool hart_load(struct hart *hart, uint64_t address, unsigned size, uint64_t *value) {
    if (address & (size - 1))
        return hart->misaligned ? load_bytes(hart, address, size, value) : refuse(hart, CAUSE_LOAD_MISALIGNED, address);
    const uint8_t *known = hart_known(hart, address, size);
    if (known) {
        *value = little_load(known, size);
        return true;
    }
    const struct bus_region *region = region_at(hart, address, size);
    if (!region || !may_reach(hart, address, size, PROTECT_READ))
        return refuse(hart, CAUSE_LOAD_ACCESS, address);
    if (region->bytes) {
        *value = little_load(region->bytes + (address - region->base), size);
        hart->waited += region->writable ? 0 : hart->timing.flash_wait;
        remember_page(hart, region, address);
    } else {
        ++hart->asked;
        hart->asked_slot = region->slot;
        hart->asked_offset = address - region->base;
        if (!hart->outside->read(hart->with, region->slot, address - region->base, size, value))
            return refuse(hart, CAUSE_LOAD_ACCESS, address);
    }
    if (hart->watched)
        hart->outside->reached(hart->with, hart, address, size, TA_ACCESS_READ);
    return true;
}

static bool holds_code(const struct bus_region *region, uint64_t offset, uint64_t size) {
    for (uint64_t piece = offset >> CODE_BITS; piece <= (offset + size - 1) >> CODE_BITS; ++piece)
        if (region->code[piece / 8] >> piece % 8 & 1)
            return true;
    return false;
}

static void store_to_memory(struct hart *hart, const struct bus_region *region, uint64_t address, unsigned size,
                            uint64_t value) {
    uint64_t offset = address - region->base;
    uint8_t *flags = &region->pages[offset >> PAGE_BITS];
    little_store(region->bytes + offset, size, value);
    if (*flags & PAGE_RESERVED || (*flags & PAGE_CODE && holds_code(region, offset, size)))
        hart->outside->stored(hart->with, region, address, size);
    *flags |= PAGE_TOUCHED;
}

/* All bytes are checked before the first is stored. */
static bool store_bytes(struct hart *hart, uint64_t address, unsigned size, uint64_t value) {
    for (unsigned i = 0; i < size; ++i) {
        uint64_t at = (address + i) & hart_mask(hart);
        const struct bus_region *region = bus_find(hart->bus, at, 1);
        if (region && !region->bytes)
            return refuse(hart, CAUSE_STORE_MISALIGNED, address);
        if (!region || !region->writable || !may_reach(hart, at, 1, PROTECT_WRITE))
            return refuse(hart, CAUSE_STORE_ACCESS, at);
    }
    for (unsigned i = 0; i < size; ++i)
        hart_store(hart, (address + i) & hart_mask(hart), 1, value >> (8 * i) & 0xff);
    return true;
}

bool hart_store(struct hart *hart, uint64_t address, unsigned size, uint64_t value) {
    if (address & (size - 1))
        return hart->misaligned ? store_bytes(hart, address, size, value)
                                : refuse(hart, CAUSE_STORE_MISALIGNED, address);
    uint8_t *known = hart_known_to_store(hart, address, size);
    if (known) {
        little_store(known, size, value);
        return true;
    }
    const struct bus_region *region = region_at(hart, address, size);
    if (!region || (region->bytes && !region->writable) || !may_reach(hart, address, size, PROTECT_WRITE))
        return refuse(hart, CAUSE_STORE_ACCESS, address);
    if (region->bytes) {
        store_to_memory(hart, region, address, size, value);
        remember_page(hart, region, address);
    } else if (!hart->outside->write(hart->with, region->slot, address - region->base, size, value)) {
        return refuse(hart, CAUSE_STORE_ACCESS, address);
    }
    if (hart->watched)
        hart->outside->reached(hart->with, hart, address, size, TA_ACCESS_WRITE);
    return true;
}

bool hart_check_atomic(struct hart *hart, uint64_t address, unsigned size) {
    if (address & (size - 1))
        return refuse(hart, CAUSE_STORE_MISALIGNED, address);
    const struct bus_region *region = bus_find(hart->bus, address, size);
    bool good =
        region && (!region->bytes || region->writable) && may_reach(hart, address, size, PROTECT_READ | PROTECT_WRITE);
    return good || refuse(hart, CAUSE_STORE_ACCESS, address);
}

bool hart_reserve(struct hart *hart, uint64_t address, unsigned size, uint64_t *value) {
    if (address & (size - 1))
        return refuse(hart, CAUSE_LOAD_MISALIGNED, address);
    if (!hart_load(hart, address, size, value))
        return false;
    const struct bus_region *region = bus_find(hart->bus, address, size);
    hart->state.reserved_address = address;
    hart->state.reserved_bytes = size;
    if (hart->shared && region && region->bytes)
        region->pages[(address - region->base) >> PAGE_BITS] |= PAGE_RESERVED;
    return true;
}

static const uint8_t *code_at(struct hart *hart, uint64_t address) {
    const struct bus_region *region = bus_find(hart->bus, address, 2);
    bool good =
        region && region->bytes && may_in_mode(hart, (enum hart_mode)hart->state.mode, address, 2, PROTECT_EXECUTE);
    return good ? region->bytes + (address - region->base) : NULL;
}

bool hart_fetch(struct hart *hart, uint64_t address, uint32_t *bits, unsigned *length, uint64_t *fault) {
    const uint8_t *low = code_at(hart, address), *high;
    *fault = address;
    if (!low)
        return false;
    *bits = (uint32_t)little_load(low, 2);
    *length = (*bits & 3) == 3 ? 4 : 2;
    if (*length == 2)
        return true;
    *fault = (address + 2) & hart_mask(hart);
    high = code_at(hart, *fault);
    if (high)
        *bits |= (uint32_t)little_load(high, 2) << 16;
    return high != NULL;
}

void hart_illegal(struct hart *hart) {
    uint32_t bits = 0;
    unsigned length;
    uint64_t fault;
    hart_fetch(hart, hart->state.pc, &bits, &length, &fault);
    hart_exception(hart, CAUSE_ILLEGAL, bits);
}
