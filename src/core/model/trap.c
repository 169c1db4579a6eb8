#include "tameanchor/trap.h"

#include <stdio.h>

/* Exceptions: Privileged Architecture 1.12, table 3.6. */
enum { FETCH_MISALIGNED = 0, FETCH = 1, ILLEGAL = 2, LOAD_MISALIGNED = 4, LOAD = 5, STORE_MISALIGNED = 6, STORE = 7 };

/* So near to a memory's end, or to 0, an address is taken for one that was meant to be inside. */
enum { NEAR_BYTES = 64 << 10, NULL_BYTES = 4 << 10 };

static const struct ta_device *device_near(const struct ta_profile *profile, uint64_t address) {
    const struct ta_device *best = NULL;
    for (size_t i = 0; i < profile->device_count; ++i) {
        const struct ta_device *device = &profile->devices[i];
        if (device->base <= address && address - device->base < NULL_BYTES && (!best || device->base > best->base))
            best = device;
    }
    return best;
}

static void explain_address(const struct ta_profile *profile, uint64_t address, uint64_t cause,
                            char text[TA_TRAP_TEXT_BYTES]) {
    unsigned long long shown = address;
    const struct ta_memory *memory = ta_profile_memory_at(profile, address, 1);
    const struct ta_device *device = device_near(profile, address);
    if (memory && memory->kind == TA_MEMORY_FLASH && cause == STORE) {
        snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is in %s, which a program cannot write", shown, memory->name);
        return;
    }
    if (memory) {
        snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is in %s, which is protected", shown, memory->name);
        return;
    }
    if (address < NULL_BYTES) {
        snprintf(text, TA_TRAP_TEXT_BYTES,
                 address ? "0x%08llx is not memory; a null pointer plus %llu?"
                         : "0x%08llx is not memory; a null pointer?",
                 shown, shown);
        return;
    }
    for (size_t i = 0; i < profile->memory_count; ++i) {
        const struct ta_memory *near = &profile->memories[i];
        uint64_t end = near->base + near->size_bytes;
        if (address >= end && address - end < NEAR_BYTES) {
            snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is %llu %s behind the end of %s", shown,
                     (unsigned long long)(address - end + 1), address == end ? "byte" : "bytes", near->name);
            return;
        }
        if (address < near->base && near->base - address < NEAR_BYTES) {
            snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is %llu bytes before %s%s", shown,
                     (unsigned long long)(near->base - address), near->name,
                     near->kind == TA_MEMORY_RAM ? "; a stack that is full?" : "");
            return;
        }
    }
    if (device && cause != FETCH)
        snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is at %s, whose registers have no such access", shown,
                 device->name);
    else
        snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is not memory", shown);
}

void ta_trap_explain(const struct ta_profile *profile, const struct ta_event *trap, char text[TA_TRAP_TEXT_BYTES]) {
    unsigned long long value = trap->value;
    text[0] = '\0';
    switch (trap->cause) {
    case FETCH:
    case LOAD:
    case STORE: explain_address(profile, trap->value, trap->cause, text); break;
    case FETCH_MISALIGNED:
    case LOAD_MISALIGNED:
    case STORE_MISALIGNED: snprintf(text, TA_TRAP_TEXT_BYTES, "0x%08llx is not aligned", value); break;
    case ILLEGAL:
        if (!value)
            snprintf(text, TA_TRAP_TEXT_BYTES, "it is 0: memory that nothing was written to?");
        else if ((value & 0xffff) == 0xffff)
            snprintf(text, TA_TRAP_TEXT_BYTES, "it is 0x%llx: flash that nothing was written to?", value);
        else
            snprintf(text, TA_TRAP_TEXT_BYTES, "it is 0x%llx, which %s has not", value, profile->isa);
        break;
    default: break;
    }
}
