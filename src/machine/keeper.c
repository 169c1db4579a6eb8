/* Moving what a snapshot holds. */
#include "machine/keeper.h"

#include "machine/board.h"

#include <stdlib.h>
#include <string.h>

bool kept_grow(struct kept *kept, size_t size) {
    if (size <= kept->room - kept->length)
        return true;
    size_t room = (kept->room + size) * 2;
    uint8_t *bytes = realloc(kept->bytes, room);
    if (!bytes)
        return false;
    kept->bytes = bytes;
    kept->room = room;
    return true;
}

void keep_bytes(struct ta_keeper *keeper, void *bytes, size_t size) {
    if (keeper->failed || !size)
        return;
    if (keeper->direction == SAVING) {
        keeper->failed = !kept_grow(keeper->into, size);
        if (keeper->failed)
            return;
        memcpy(keeper->into->bytes + keeper->into->length, bytes, size);
        keeper->into->length += size;
        return;
    }
    keeper->failed = size > keeper->length - keeper->at;
    if (keeper->failed)
        return;
    if (keeper->direction == RESTORING)
        memcpy(bytes, keeper->from + keeper->at, size);
    keeper->at += size;
}

/* SIZE bytes of it: 1, 2, 4 or 8. */
static uint64_t keep_sized(struct ta_keeper *keeper, uint64_t value, uint64_t most, unsigned size) {
    uint8_t bytes[8] = {0};
    if (keeper->direction == SAVING) {
        little_store(bytes, size, value);
        keep_bytes(keeper, bytes, size);
        return value;
    }
    if (keeper->failed || size > keeper->length - keeper->at) {
        keeper->failed = true;
        return 0;
    }
    value = little_load(keeper->from + keeper->at, size);
    keeper->at += size;
    keeper->failed = value > most;
    return keeper->failed ? 0 : value;
}

uint64_t keep_number(struct ta_keeper *keeper, uint64_t value, uint64_t most) {
    return keep_sized(keeper, value, most, 8);
}

void keep_u64(struct ta_keeper *keeper, uint64_t *value, uint64_t most) {
    uint64_t kept = keep_number(keeper, *value, most);
    *value = keeper->direction == RESTORING ? kept : *value;
}

void keep_bits(struct ta_keeper *keeper, uint64_t *value, uint64_t mask) {
    uint64_t kept = keep_number(keeper, *value, UINT64_MAX);
    keeper->failed = keeper->failed || kept & ~mask;
    *value = keeper->direction == RESTORING ? kept : *value;
}

void keep_unsigned(struct ta_keeper *keeper, unsigned *value, unsigned most) {
    uint64_t kept = keep_number(keeper, *value, most);
    *value = keeper->direction == RESTORING ? (unsigned)kept : *value;
}

void keep_u8(struct ta_keeper *keeper, uint8_t *value, uint8_t most) {
    uint64_t kept = keep_number(keeper, *value, most);
    *value = keeper->direction == RESTORING ? (uint8_t)kept : *value;
}

void keep_bool(struct ta_keeper *keeper, bool *value) {
    uint64_t kept = keep_number(keeper, *value, 1);
    *value = keeper->direction == RESTORING ? kept != 0 : *value;
}

void keep_size(struct ta_keeper *keeper, size_t *value, size_t most) {
    uint64_t kept = keep_number(keeper, *value, most);
    *value = keeper->direction == RESTORING ? (size_t)kept : *value;
}

/* What models call (device.h). */

#define KEEP_EACH(type)                                                                                                \
    for (size_t i = 0; !keeper->failed && i < count; ++i) {                                                            \
        type *number = (type *)numbers + i;                                                                            \
        *number = (type)keep_sized(keeper, *number, UINT64_MAX, sizeof(type));                                         \
    }

void ta_keep(struct ta_keeper *keeper, void *numbers, size_t count, size_t size_bytes) {
    switch (size_bytes) {
    case 1: keep_bytes(keeper, numbers, count); break;
    case 2: KEEP_EACH(uint16_t) break;
    case 4: KEEP_EACH(uint32_t) break;
    case 8: KEEP_EACH(uint64_t) break;
    default: keeper->failed = true;
    }
}

void ta_keep_memory(struct ta_keeper *keeper, void **memory, size_t *length) {
    size_t size = (size_t)keep_number(keeper, *length, SIZE_MAX);
    if (keeper->direction == RESTORING) {
        keeper->failed = keeper->failed || size > keeper->length - keeper->at;
        void *bytes = keeper->failed || !size ? NULL : malloc(size);
        keeper->failed = keeper->failed || (size && !bytes);
        free(*memory);
        *memory = bytes;
        *length = keeper->failed ? 0 : size;
    }
    keep_bytes(keeper, *memory, size);
}

static void move_state(struct ta_keeper *keeper, const struct ta_device_kind *kind, void *state) {
    if (kind->keep)
        kind->keep(state, keeper);
    else
        keep_bytes(keeper, state, kind->state_bytes);
}

/* The model looks at a copy, which is aligned as its state has to be. */
static void check_state(struct ta_keeper *keeper, const struct ta_slot *slot) {
    const struct ta_device_kind *kind = slot->kind;
    struct ta_keeper within = *keeper;
    void *copy = calloc(1, kind->state_bytes ? kind->state_bytes : 1);
    keeper->failed = keeper->failed || !copy;
    if (keeper->failed) {
        free(copy);
        return;
    }
    within.direction = RESTORING;
    move_state(&within, kind, copy);
    keeper->at = within.at;
    keeper->failed = within.failed || (kind->is_sound && !kind->is_sound(copy, slot));
    if (kind->release)
        kind->release(copy);
    free(copy);
}

void keep_state(struct ta_keeper *keeper, const struct ta_slot *slot, void *state) {
    if (keeper->direction == CHECKING)
        check_state(keeper, slot);
    else
        move_state(keeper, slot->kind, state);
}
