/* Snapshots. What they hold is told once, by functions that move it either way: into the bytes, or out of them. A restore goes over the
   bytes twice, first only to see that they are sound, so that nothing is half restored. */
#include "tameanchor/snapshot.h"

#include "base/digest.h"
#include "machine/board.h"

#include <stdlib.h>
#include <string.h>

/* "TAsn", then the version, in one number. */
#define MAGIC (UINT64_C(0x6e734154) | UINT64_C(1) << 32)

/* Clocks may go on from there for centuries. */
#define CYCLES_MOST (UINT64_MAX / 4)

enum { HEADER_BYTES = 16, EVENTS_AT_MOST = 1 << 20 };

struct ta_snapshot {
    uint8_t *bytes; /* the header: magic and version, and the digest; then all that moves */
    size_t length, room;
};

enum direction { SAVING, CHECKING, RESTORING };

struct mover {
    enum direction direction;
    struct ta_snapshot *into;
    const uint8_t *from;
    size_t at, length;
    bool lends;  /* restoring, memory stays where it is until it is reached */
    bool failed; /* out of memory, or the bytes are not sound */
};

static bool grow(struct ta_snapshot *snapshot, size_t size) {
    if (size <= snapshot->room - snapshot->length)
        return true;
    size_t room = (snapshot->room + size) * 2;
    uint8_t *bytes = realloc(snapshot->bytes, room);
    if (!bytes)
        return false;
    snapshot->bytes = bytes;
    snapshot->room = room;
    return true;
}

/* SIZE bytes, which when checking go nowhere. */
static void move_bytes(struct mover *mover, void *bytes, size_t size) {
    if (mover->failed || !size)
        return;
    if (mover->direction == SAVING) {
        mover->failed = !grow(mover->into, size);
        if (mover->failed)
            return;
        memcpy(mover->into->bytes + mover->into->length, bytes, size);
        mover->into->length += size;
        return;
    }
    mover->failed = size > mover->length - mover->at;
    if (mover->failed)
        return;
    if (mover->direction == RESTORING)
        memcpy(bytes, mover->from + mover->at, size);
    mover->at += size;
}

/* A number of at most MOST. What it is comes back in both directions, so that lengths can be followed when checking. */
static uint64_t move_number(struct mover *mover, uint64_t value, uint64_t most) {
    uint8_t bytes[8] = {0};
    if (mover->direction == SAVING) {
        little_store(bytes, 8, value);
        move_bytes(mover, bytes, sizeof bytes);
        return value;
    }
    if (mover->failed || sizeof bytes > mover->length - mover->at) {
        mover->failed = true;
        return 0;
    }
    value = little_load(mover->from + mover->at, 8);
    mover->at += sizeof bytes;
    mover->failed = value > most;
    return mover->failed ? 0 : value;
}

static void move_u64(struct mover *mover, uint64_t *value, uint64_t most) {
    uint64_t moved = move_number(mover, *value, most);
    *value = mover->direction == RESTORING ? moved : *value;
}

/* A number that has no other bits than those of MASK. */
static void move_bits(struct mover *mover, uint64_t *value, uint64_t mask) {
    uint64_t moved = move_number(mover, *value, UINT64_MAX);
    mover->failed = mover->failed || moved & ~mask;
    *value = mover->direction == RESTORING ? moved : *value;
}

static void move_unsigned(struct mover *mover, unsigned *value, unsigned most) {
    uint64_t moved = move_number(mover, *value, most);
    *value = mover->direction == RESTORING ? (unsigned)moved : *value;
}

static void move_u8(struct mover *mover, uint8_t *value, uint8_t most) {
    uint64_t moved = move_number(mover, *value, most);
    *value = mover->direction == RESTORING ? (uint8_t)moved : *value;
}

static void move_bool(struct mover *mover, bool *value) {
    uint64_t moved = move_number(mover, *value, 1);
    *value = mover->direction == RESTORING ? moved != 0 : *value;
}

static void move_size(struct mover *mover, size_t *value, size_t most) {
    uint64_t moved = move_number(mover, *value, most);
    *value = mover->direction == RESTORING ? (size_t)moved : *value;
}

/* What both machines must have alike. */
static uint64_t fingerprint(const struct ta_machine *machine) {
    const struct ta_profile *profile = machine->profile;
    const union {
        uint16_t word;
        uint8_t low;
    } order = {1}; /* devices' states are copied as this host has them */
    uint64_t digest = digest_number(DIGEST_START, profile->clock_hz + order.low);
    for (size_t i = 0; i < machine->hart_count; ++i) {
        const struct board_hart *hart = &machine->harts[i];
        digest = digest_number(digest_number(digest, hart->hart.decoder.isa.extensions), hart->hart.decoder.isa.xlen);
        digest = digest_number(digest_number(digest, hart->clock_hz), hart->hart.reset_address);
        digest = digest_bytes(digest, &hart->hart.timing, sizeof hart->hart.timing);
        digest = digest_number(digest, hart->hart.misaligned);
    }
    for (size_t i = 0; i < machine->bus.count; ++i) {
        const struct bus_region *region = &machine->bus.regions[i];
        digest = digest_number(digest_number(digest_number(digest, region->base), region->size), region->writable);
    }
    for (size_t i = 0; i < machine->slot_count; ++i) {
        const struct ta_device_kind *kind = machine->slots[i].kind;
        digest = digest_bytes(digest, kind->model, strlen(kind->model) + 1);
        digest = digest_number(digest, kind->state_bytes);
    }
    for (size_t i = 0; i < profile->connector_count; ++i)
        digest = digest_bytes(digest, profile->connectors[i].name, strlen(profile->connectors[i].name) + 1);
    return digest;
}

static void move_hart(struct mover *mover, const struct hart *hart, struct hart_state *state) {
    uint64_t mask = hart_mask(hart), even = hart->decoder.isa.extensions & ISA_LETTER('c') ? 1 : 3;
    for (unsigned i = 1; i < 32; ++i)
        if (hart->decoder.isa.xlen == 64) {
            move_u64(mover, &state->x.w64[i], mask);
        } else {
            uint64_t value = move_number(mover, state->x.w32[i], mask);
            state->x.w32[i] = mover->direction == RESTORING ? (uint32_t)value : state->x.w32[i];
        }
    for (unsigned i = 0; i < 32; ++i)
        move_u64(mover, &state->f[i], UINT64_MAX);
    move_bits(mover, &state->pc, mask & ~even);
    move_u64(mover, &state->cycle, CYCLES_MOST);
    uint64_t *const free_fields[] = {&state->retired,         &state->cycle_offset, &state->retired_offset,
                                     &state->trap_pc,         &state->trap_cause,   &state->trap_retired,
                                     &state->first_cause,     &state->first_pc,     &state->first_value,
                                     &state->reserved_address};
    for (size_t i = 0; i < sizeof free_fields / sizeof *free_fields; ++i)
        move_u64(mover, free_fields[i], UINT64_MAX);
    uint64_t *const registers[] = {&state->mtvec, &state->mscratch, &state->mepc, &state->mcause, &state->mtval};
    for (size_t i = 0; i < sizeof registers / sizeof *registers; ++i)
        move_bits(mover, registers[i], mask);
    move_bits(mover, &state->mstatus,
              MSTATUS_MIE | MSTATUS_MPIE | MSTATUS_MPP | MSTATUS_MPRV | MSTATUS_TW | MSTATUS_FS);
    move_bits(mover, &state->mie, INTERRUPT_BITS);
    move_bits(mover, &state->mip, UINT16_MAX);
    move_bits(mover, &state->mcounteren, 7);
    move_bits(mover, &state->fcsr, 0xff);
    move_u64(mover, &state->reserved_bytes, 8);
    for (unsigned i = 0; i < PMP_REGIONS; ++i) {
        move_u64(mover, &state->pmp_address[i], UINT64_MAX >> 10);
        move_u8(mover, &state->pmp_config[i], 0x9f);
    }
    uint64_t mode = move_number(mover, state->mode, MODE_MACHINE);
    mover->failed = mover->failed || (mode != MODE_USER && mode != MODE_MACHINE);
    state->mode = mover->direction == RESTORING ? (uint8_t)mode : state->mode;
    move_unsigned(mover, &state->trap_repeats, UINT16_MAX);
    move_bool(mover, &state->held);
    move_bool(mover, &state->waiting);
    move_bool(mover, &state->waiting_input);
}

/* The page stays in the snapshot. */
static void lend(struct mover *mover, struct bus_region *region, uint64_t page, size_t size) {
    region->lent[page] = mover->from + mover->at;
    ++region->lent_count;
    mover->at += size; /* which was checked */
}

/* Pages that were touched, each behind its number, in order; the number of all pages ends them. The others are blank. */
static void move_memory(struct mover *mover, struct bus_region *region) {
    uint64_t pages = (region->size + PAGE_BYTES - 1) >> PAGE_BITS, next = pages;
    bool saving = mover->direction == SAVING;
    if (!saving)
        next = move_number(mover, 0, pages);
    for (uint64_t page = 0; !mover->failed && page < pages; ++page) {
        bool lent = region->pages[page] & PAGE_LENT, touched = lent || region->pages[page] & PAGE_TOUCHED;
        bool moves = saving ? touched : page == next;
        size_t size = bus_page_bytes(region, page);
        uint8_t *bytes = region->bytes + (page << PAGE_BITS);
        if (saving && moves)
            move_number(mover, page, pages);
        if (mover->direction == RESTORING) {
            if (touched && (!moves || mover->lends))
                memset(bytes, region->writable ? 0 : 0xff, size);
            region->pages[page] = !moves ? 0 : mover->lends ? PAGE_LENT : PAGE_TOUCHED;
        }
        if (!moves)
            continue;
        if (mover->direction == RESTORING && mover->lends)
            lend(mover, region, page, size);
        else
            move_bytes(mover, saving && lent ? (void *)region->lent[page] : bytes, size);
        if (!saving) {
            next = move_number(mover, 0, pages);
            mover->failed = mover->failed || next <= page;
        }
    }
    if (saving)
        move_number(mover, pages, pages);
}

/* The model looks at a copy, which is aligned as its state has to be. */
static bool is_sound(const struct ta_slot *slot, const uint8_t *bytes) {
    void *copy = malloc(slot->kind->state_bytes);
    if (!copy)
        return false;
    memcpy(copy, bytes, slot->kind->state_bytes);
    bool sound = slot->kind->is_sound(copy);
    free(copy);
    return sound;
}

static void move_slot(struct mover *mover, struct ta_slot *slot) {
    const struct ta_device_kind *kind = slot->kind;
    size_t size = kind->state_bytes;
    if (mover->direction == CHECKING && !mover->failed && size <= mover->length - mover->at && kind->is_sound)
        mover->failed = !is_sound(slot, mover->from + mover->at);
    move_bytes(mover, slot->state, size);
    move_u64(mover, &slot->wake_at, UINT64_MAX);
    move_u64(mover, &slot->pins, UINT64_MAX);
    move_bool(mover, &slot->interrupt);
}

static void move_event(struct mover *mover, struct ta_event *event) {
    uint64_t kind = move_number(mover, event->kind, TA_EVENT_STOP),
             stop = move_number(mover, event->stop, TA_STOP_WILD);
    uint64_t code = move_number(mover, (uint64_t)(int64_t)event->code, UINT64_MAX);
    move_unsigned(mover, &event->hart, UINT8_MAX);
    move_unsigned(mover, &event->width, UINT16_MAX);
    move_u64(mover, &event->time_ns, UINT64_MAX);
    move_u64(mover, &event->value, UINT64_MAX);
    move_u64(mover, &event->cause, UINT64_MAX);
    move_u64(mover, &event->pc, UINT64_MAX);
    move_size(mover, &event->length, TA_EVENT_TEXT_BYTES);
    move_bytes(mover, event->bytes, sizeof event->bytes);
    move_bytes(mover, event->name, sizeof event->name);
    if (mover->direction == RESTORING) {
        event->kind = (enum ta_event_kind)kind;
        event->stop = (enum ta_stop)stop;
        event->code = (int)(int64_t)code;
        event->name[sizeof event->name - 1] = '\0';
    }
}

/* Those that nobody has taken yet. */
static void move_events(struct mover *mover, struct event_queue *queue) {
    uint64_t count = move_number(mover, queue->count - queue->next, EVENTS_AT_MOST);
    move_u64(mover, &queue->digest, UINT64_MAX);
    if (mover->direction == RESTORING) {
        queue->next = queue->count = 0;
        if (count > queue->room) { /* seen to by the check */
            mover->failed = true;
            return;
        }
        queue->count = (size_t)count;
    }
    for (uint64_t i = 0; !mover->failed && i < count; ++i) {
        struct ta_event unused = {0};
        move_event(mover, mover->direction == CHECKING ? &unused : &queue->events[queue->next + i]);
    }
}

static void move_input(struct mover *mover, struct text *input) {
    uint64_t length = move_number(mover, input->length, UINT32_MAX);
    if (mover->direction == SAVING) {
        move_bytes(mover, input->bytes, (size_t)length);
        return;
    }
    mover->failed = mover->failed || length > mover->length - mover->at;
    if (mover->failed)
        return;
    if (mover->direction == RESTORING) {
        text_drop(input, input->length);
        text_add(input, (const char *)mover->from + mover->at, (size_t)length);
    }
    mover->at += (size_t)length;
}

static void move_machine(struct mover *mover, struct ta_machine *machine) {
    struct semihosting *calls = &machine->semihosting;
    uint64_t stopped, print = fingerprint(machine);
    mover->failed = move_number(mover, print, UINT64_MAX) != print || mover->failed;
    move_u64(mover, &machine->cycle, CYCLES_MOST);
    stopped = move_number(mover, machine->stopped, TA_STOP_WILD);
    machine->stopped = mover->direction == RESTORING ? (enum ta_stop)stopped : machine->stopped;
    move_bool(mover, &machine->restart_wanted);
    move_bool(mover, &machine->at_breakpoint);
    move_bool(mover, &machine->input_closed);
    for (size_t i = 0; i < machine->hart_count; ++i)
        move_hart(mover, &machine->harts[i].hart, &machine->harts[i].hart.state);
    for (size_t i = 0; i < machine->slot_count; ++i)
        move_slot(mover, &machine->slots[i]);
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        move_u64(mover, &machine->levels[i], UINT64_MAX);
    move_bool(mover, &calls->on);
    move_unsigned(mover, &calls->open_files, UINT32_MAX);
    move_size(mover, &calls->features_at, SEMIHOSTING_FEATURES_BYTES);
    move_u64(mover, &calls->said, UINT64_MAX);
    move_u64(mover, &calls->said_at, UINT64_MAX);
    uint64_t error = move_number(mover, (uint64_t)(unsigned)calls->error, INT32_MAX);
    calls->error = mover->direction == RESTORING ? (int)error : calls->error;
    move_input(mover, &machine->input);
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (machine->bus.regions[i].bytes)
            move_memory(mover, &machine->bus.regions[i]);
    move_events(mover, &machine->queue);
}

enum ta_status ta_machine_save(const struct ta_machine *machine, struct ta_snapshot **result) {
    struct ta_snapshot *snapshot = calloc(1, sizeof *snapshot);
    struct mover mover = {.direction = SAVING, .into = snapshot};
    uint8_t header[HEADER_BYTES] = {0};
    *result = NULL;
    if (!snapshot)
        return TA_E_MEMORY;
    little_store(header, 8, MAGIC);
    move_bytes(&mover, header, sizeof header);
    move_machine(&mover, (struct ta_machine *)machine); /* which saving leaves alone */
    if (mover.failed) {
        ta_snapshot_free(snapshot);
        return TA_E_MEMORY;
    }
    *result = snapshot;
    return TA_OK;
}

/* What harts hold besides their state follows from it. */
static void renew_harts(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->hart_count; ++i) {
        struct hart *hart = &machine->harts[i].hart;
        const struct bus_region *region = bus_find(&machine->bus, hart->state.reserved_address, 1);
        hart->step_over = NO_ADDRESS;
        hart_forget_all(hart);
        if (hart->shared && region && region->bytes)
            region->pages[(hart->state.reserved_address - region->base) >> PAGE_BITS] |= PAGE_RESERVED;
    }
}

/* What was lent to MACHINE before is forgotten; with LENDS, there is room for what will be. False without memory. */
static bool prepare_memory(struct ta_machine *machine, bool lends) {
    bool good = true;
    for (size_t i = 0; i < machine->bus.count; ++i) {
        struct bus_region *region = &machine->bus.regions[i];
        for (uint64_t page = 0; region->lent && page << PAGE_BITS < region->size; ++page)
            region->pages[page] &= (uint8_t)~PAGE_LENT; /* its own bytes there are blank */
        bus_return(region);
        if (lends && region->bytes)
            region->lent = calloc((size_t)((region->size + PAGE_BYTES - 1) >> PAGE_BITS), sizeof *region->lent);
        good = good && (!lends || !region->bytes || region->lent);
    }
    return good;
}

static enum ta_status take_back(struct ta_machine *machine, const struct ta_snapshot *snapshot, bool lends,
                                struct ta_problem *why) {
    struct mover mover = {
        .direction = CHECKING, .from = snapshot->bytes, .at = HEADER_BYTES, .length = snapshot->length, .lends = lends};
    move_machine(&mover, machine);
    if (mover.failed || mover.at != snapshot->length)
        return ta_problem_set(why, TA_E_INPUT,
                              "restore it on a machine of the profile and the library that it was saved of",
                              "the snapshot is not one of %s", machine->profile->name);
    if (!board_make_room(machine, snapshot->length / sizeof(struct ta_event) + 1) || !prepare_memory(machine, lends))
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the snapshot");
    mover.direction = RESTORING;
    mover.at = HEADER_BYTES;
    move_machine(&mover, machine);
    renew_harts(machine);
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (!machine->bus.regions[i].lent_count)
            bus_return(&machine->bus.regions[i]);
    return machine->input.failed ? ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for what was typed") : TA_OK;
}

enum ta_status ta_machine_restore(struct ta_machine *machine, const struct ta_snapshot *snapshot,
                                  struct ta_problem *why) {
    return take_back(machine, snapshot, false, why);
}

enum ta_status ta_machine_fork(struct ta_machine *machine, const struct ta_snapshot *snapshot, struct ta_problem *why) {
    return take_back(machine, snapshot, true, why);
}

size_t ta_snapshot_size(const struct ta_snapshot *snapshot) {
    return snapshot->room;
}

void ta_snapshot_free(struct ta_snapshot *snapshot) {
    if (snapshot)
        free(snapshot->bytes);
    free(snapshot);
}

static uint64_t content_digest(const struct ta_snapshot *snapshot) {
    return digest_bytes(DIGEST_START, snapshot->bytes + HEADER_BYTES, snapshot->length - HEADER_BYTES);
}

const void *ta_snapshot_bytes(struct ta_snapshot *snapshot, size_t *length) {
    little_store(snapshot->bytes + 8, 8, content_digest(snapshot));
    *length = snapshot->length;
    return snapshot->bytes;
}

enum ta_status ta_snapshot_read(const void *bytes, size_t length, struct ta_snapshot **result, struct ta_problem *why) {
    *result = NULL;
    if (length < HEADER_BYTES || little_load(bytes, 4) != (MAGIC & UINT32_MAX))
        return ta_problem_set(why, TA_E_INPUT, "give the file that a machine was saved to", "this is not a snapshot");
    if (little_load(bytes, 8) != MAGIC)
        return ta_problem_set(why, TA_E_INPUT, "save it again with this library",
                              "the snapshot is of version %u, this library reads %u",
                              (unsigned)(little_load(bytes, 8) >> 32), (unsigned)(MAGIC >> 32));
    struct ta_snapshot *snapshot = calloc(1, sizeof *snapshot);
    if (!snapshot || !grow(snapshot, length)) {
        ta_snapshot_free(snapshot);
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the snapshot");
    }
    memcpy(snapshot->bytes, bytes, length);
    snapshot->length = length;
    if (little_load(snapshot->bytes + 8, 8) != content_digest(snapshot)) {
        ta_snapshot_free(snapshot);
        return ta_problem_set(why, TA_E_INPUT, "save it again", "the snapshot was cut off or altered");
    }
    *result = snapshot;
    return TA_OK;
}
