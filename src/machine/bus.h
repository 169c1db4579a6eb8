/* The bus: which addresses are memory, and which are a device's registers. */
#ifndef TA_MACHINE_BUS_H
#define TA_MACHINE_BUS_H

#include "tameanchor/device.h"

/* Memory when BYTES is set, else SLOT's registers. WRITABLE is the guest's view: flash is not. */
struct bus_region {
    uint64_t base, size;
    uint8_t *bytes;
    bool writable;
    struct ta_slot *slot;
};

struct bus {
    struct bus_region *regions;
    size_t count;
};

/* The region that holds all SIZE bytes from ADDRESS on, or null. */
const struct bus_region *bus_find(const struct bus *bus, uint64_t address, uint64_t size);

/* The first bytes of memory at ADDRESS (SIZE of them), or null when that is no memory. */
uint8_t *bus_memory(const struct bus *bus, uint64_t address, uint64_t size);

/* Memory is little-endian on every host; a compiler makes one load or store of these. */
static inline uint64_t little_load(const uint8_t *at, unsigned size) {
    uint64_t value = 0;
    switch (size) {
    case 8: value |= (uint64_t)at[7] << 56 | (uint64_t)at[6] << 48 | (uint64_t)at[5] << 40 | (uint64_t)at[4] << 32;
    /* fall through */
    case 4: value |= (uint64_t)at[3] << 24 | (uint64_t)at[2] << 16;
    /* fall through */
    case 2: value |= (uint64_t)at[1] << 8;
    /* fall through */
    default: return value | at[0];
    }
}

static inline void little_store(uint8_t *at, unsigned size, uint64_t value) {
    for (unsigned i = 0; i < size; ++i)
        at[i] = (uint8_t)(value >> (8 * i));
}

#endif
