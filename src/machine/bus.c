#include "machine/bus.h"

const struct bus_region *bus_find(const struct bus *bus, uint64_t address, uint64_t size) {
    for (size_t i = 0; i < bus->count; ++i) {
        const struct bus_region *region = &bus->regions[i];
        if (address - region->base < region->size && size <= region->size - (address - region->base))
            return region;
    }
    return NULL;
}

uint8_t *bus_memory(const struct bus *bus, uint64_t address, uint64_t size) {
    const struct bus_region *region = bus_find(bus, address, size);
    return region && region->bytes ? region->bytes + (address - region->base) : NULL;
}
