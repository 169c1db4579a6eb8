#include "machine/bus.h"

#include <stdlib.h>
#include <string.h>

void bus_add(struct bus *bus, const struct bus_region *region) {
    size_t at = bus->count++;
    for (; at && bus->regions[at - 1].base > region->base; --at)
        bus->regions[at] = bus->regions[at - 1];
    bus->regions[at] = *region;
}

void bus_return(struct bus_region *region) {
    free(region->lent);
    region->lent = NULL;
    region->lent_count = 0;
}

void bus_own(struct bus_region *region, uint64_t address, uint64_t size) {
    uint64_t first = (address - region->base) >> PAGE_BITS, last = (address - region->base + size - 1) >> PAGE_BITS;
    for (uint64_t page = first; region->lent && size && page <= last; ++page) {
        if (!(region->pages[page] & PAGE_LENT))
            continue;
        memcpy(region->bytes + (page << PAGE_BITS), region->lent[page], bus_page_bytes(region, page));
        region->pages[page] = (uint8_t)((region->pages[page] & ~PAGE_LENT) | PAGE_TOUCHED);
        if (!--region->lent_count)
            bus_return(region);
    }
}

const struct bus_region *bus_find(const struct bus *bus, uint64_t address, uint64_t size) {
    size_t low = 0, high = bus->count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (bus->regions[middle].base <= address)
            low = middle + 1;
        else
            high = middle;
    }
    struct bus_region *found = low && bus_holds(&bus->regions[low - 1], address, size) ? &bus->regions[low - 1] : NULL;
    if (found && found->stored)
        return NULL;
    if (found && found->lent)
        bus_own(found, address, size);
    return found;
}

struct bus_region *bus_store(const struct bus *bus, const struct ta_slot *slot) {
    for (size_t i = 0; i < bus->count; ++i)
        if (bus->regions[i].stored && bus->regions[i].slot == slot)
            return &bus->regions[i];
    return NULL;
}

uint8_t *bus_memory(const struct bus *bus, uint64_t address, uint64_t size) {
    const struct bus_region *region = bus_find(bus, address, size);
    return region && region->bytes ? region->bytes + (address - region->base) : NULL;
}
