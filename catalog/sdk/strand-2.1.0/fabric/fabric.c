#include "strand/fabric.h"

#include "../core/registers.h"

#include <board.h>
#include <string.h>

enum { LOADED = 0x00, BUILT = 0x08, IDENTITY = 0x10, FIRST = 0, SECOND = 4 };
#define MAGIC UINT32_C(0x62664154)

static uint32_t fabric(unsigned at) {
    return REGISTER_32(BOARD_FABRIC0_BASE + at);
}

bool strand_fabric_loaded(void) {
    return fabric(LOADED) == MAGIC;
}

void strand_fabric_identity(uint8_t identity[STRAND_FABRIC_IDENTITY_BYTES]) {
    for (unsigned i = 0; i < STRAND_FABRIC_IDENTITY_BYTES; i += 4) {
        uint32_t word = fabric(IDENTITY + i);
        memcpy(identity + i, &word, 4);
    }
}

bool strand_fabric_is(const uint8_t expected[STRAND_FABRIC_IDENTITY_BYTES]) {
    uint8_t identity[STRAND_FABRIC_IDENTITY_BYTES];
    strand_fabric_identity(identity);
    return strand_fabric_loaded() && !memcmp(identity, expected, sizeof identity);
}

int64_t strand_fabric_built(void) {
    return (int64_t)((uint64_t)fabric(BUILT + 4) << 32 | fabric(BUILT));
}

uint32_t strand_fabric_register(uintptr_t base, unsigned index) {
    return REGISTER_32(base + 4 * index);
}

void strand_fabric_set(uintptr_t base, unsigned index, uint32_t value) {
    REGISTER_32(base + 4 * index) = value;
}

uint32_t strand_fabric_count(uintptr_t base) {
    return REGISTER_32(base + FIRST);
}

void strand_fabric_limit(uintptr_t base, uint32_t limit) {
    REGISTER_32(base + SECOND) = limit;
}

void strand_fabric_add(uintptr_t base, uint32_t number) {
    REGISTER_32(base + FIRST) = number;
}

uint32_t strand_fabric_mean(uintptr_t base) {
    return REGISTER_32(base + SECOND);
}
