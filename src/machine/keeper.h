/* A keeper moves what a snapshot holds either way: into the bytes, or out of them. So what is kept is told once. Numbers are little-endian
   there, whatever the host. Once something has failed, nothing moves any more. */
#ifndef TA_MACHINE_KEEPER_H
#define TA_MACHINE_KEEPER_H

#include "tameanchor/device.h"

/* Bytes that grow. */
struct kept {
    uint8_t *bytes;
    size_t length, room;
};

/* Checking goes over the bytes as restoring does, and leaves the machine alone. */
enum direction { SAVING, CHECKING, RESTORING };

struct ta_keeper {
    enum direction direction;
    struct kept *into;
    const uint8_t *from;
    size_t at, length;
    bool lends;  /* restoring, memory stays where it is until it is reached */
    bool failed; /* out of memory, or the bytes are not sound */
};

/* Room for SIZE bytes more; false without memory. */
bool kept_grow(struct kept *kept, size_t size);

/* SIZE bytes, which when checking go nowhere. */
void keep_bytes(struct ta_keeper *keeper, void *bytes, size_t size);

/* A number of at most MOST. What it is comes back in every direction, so that lengths can be followed when checking. */
uint64_t keep_number(struct ta_keeper *keeper, uint64_t value, uint64_t most);

/* The same, in its place. */
void keep_u64(struct ta_keeper *keeper, uint64_t *value, uint64_t most);
void keep_unsigned(struct ta_keeper *keeper, unsigned *value, unsigned most);
void keep_u8(struct ta_keeper *keeper, uint8_t *value, uint8_t most);
void keep_bool(struct ta_keeper *keeper, bool *value);
void keep_size(struct ta_keeper *keeper, size_t *value, size_t most);

/* A number that has no other bits than those of MASK. */
void keep_bits(struct ta_keeper *keeper, uint64_t *value, uint64_t mask);

/* The state of SLOT's device, at STATE. Checking, its model looks at a copy. */
void keep_state(struct ta_keeper *keeper, const struct ta_slot *slot, void *state);

#endif
