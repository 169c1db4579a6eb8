/* The bus: which addresses are memory, and which are a device's registers. */
#ifndef TA_MACHINE_BUS_H
#define TA_MACHINE_BUS_H

#include "base/little.h"
#include "tameanchor/device.h"

/* What is known of a page of memory. A store to one that is only touched needs nothing done besides. */
enum { PAGE_BITS = 12, PAGE_BYTES = 1 << PAGE_BITS, PAGE_TOUCHED = 1, PAGE_CODE = 2, PAGE_RESERVED = 4, PAGE_LENT = 8 };

/* Code is known by pieces of 16 bytes, a bit each. */
enum { CODE_BITS = 4 };

/* Memory when BYTES is set, else SLOT's registers. WRITABLE is the guest's view: flash is not. */
struct bus_region {
    uint64_t base, size;
    uint8_t *bytes;
    uint8_t *pages; /* flags, one byte a page */
    uint8_t *code;  /* bits: what harts hold decoded */
    bool writable;
    struct ta_slot *slot;
    bool stored;          /* what a device keeps without power: no hart reaches it */
    const uint8_t **lent; /* of a fork: where the contents of its PAGE_LENT pages still are; null when there are none */
    size_t lent_count;
};

/* Sorted by base. */
struct bus {
    struct bus_region *regions;
    size_t count;
};

/* Puts REGION in its place; the caller saw to it that there is room, and that no other is there. */
void bus_add(struct bus *bus, const struct bus_region *region);

/* The region that holds all SIZE bytes from ADDRESS on, or null. Of a fork's memory, these pages are its own from then on. */
const struct bus_region *bus_find(const struct bus *bus, uint64_t address, uint64_t size);

/* The region that SLOT keeps without power, or null. */
struct bus_region *bus_store(const struct bus *bus, const struct ta_slot *slot);

/* Copies what of these SIZE bytes of REGION is only lent. */
void bus_own(struct bus_region *region, uint64_t address, uint64_t size);

/* The first bytes of memory at ADDRESS (SIZE of them), or null when that is no memory. */
uint8_t *bus_memory(const struct bus *bus, uint64_t address, uint64_t size);

/* Forgets what was lent to REGION: its pages have other contents. */
void bus_return(struct bus_region *region);

/* How much of REGION lies in PAGE: the last may be shorter. */
static inline size_t bus_page_bytes(const struct bus_region *region, uint64_t page) {
    uint64_t left = region->size - (page << PAGE_BITS);
    return (size_t)(left < PAGE_BYTES ? left : PAGE_BYTES);
}

static inline bool bus_holds(const struct bus_region *region, uint64_t address, uint64_t size) {
    return address - region->base < region->size && size <= region->size - (address - region->base);
}

#endif
