#include "machine/bus.h"

void bus_add(struct bus *bus, const struct bus_region *region) {
    size_t at = bus->count++;
    for (; at && bus->regions[at - 1].base > region->base; --at)
        bus->regions[at] = bus->regions[at - 1];
    bus->regions[at] = *region;
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
    return low && bus_holds(&bus->regions[low - 1], address, size) ? &bus->regions[low - 1] : NULL;
}

uint8_t *bus_memory(const struct bus *bus, uint64_t address, uint64_t size) {
    const struct bus_region *region = bus_find(bus, address, size);
    return region && region->bytes ? region->bytes + (address - region->base) : NULL;
}
