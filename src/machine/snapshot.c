/* Snapshots: what of a machine a keeper moves. A restore goes over the bytes twice, first only to see that they are sound, so that nothing
   is half restored. */
#include "tameanchor/snapshot.h"

#include "base/digest.h"
#include "machine/board.h"
#include "machine/keeper.h"

#include <stdlib.h>
#include <string.h>

/* "TAsn", then the version, in one number. */
#define MAGIC (UINT64_C(0x6e734154) | UINT64_C(3) << 32)

/* Clocks may go on from there for centuries. */
#define CYCLES_MOST (UINT64_MAX / 4)

enum { HEADER_BYTES = 16, EVENTS_AT_MOST = 1 << 20 };

/* The header: magic and version, and the digest; then all that is kept. */
struct ta_snapshot {
    struct kept kept;
};

static uint8_t host_order(void) {
    const union {
        uint16_t word;
        uint8_t low;
    } order = {1};
    return order.low;
}

/* What both machines must have alike. */
static uint64_t fingerprint(const struct ta_machine *machine) {
    const struct ta_profile *profile = machine->profile;
    uint64_t digest = digest_number(DIGEST_START, profile->clock_hz);
    for (size_t i = 0; i < machine->hart_count; ++i) {
        const struct board_hart *hart = &machine->harts[i];
        digest = digest_number(digest_number(digest, hart->hart.decoder.isa.extensions), hart->hart.decoder.isa.xlen);
        digest = digest_number(digest_number(digest, hart->clock_hz), hart->hart.reset_address);
        const struct ta_timing *timing = &hart->hart.timing;
        const unsigned costs[] = {timing->load,   timing->store,        timing->multiply,
                                  timing->divide, timing->taken_branch, timing->flash_wait};
        for (size_t j = 0; j < sizeof costs / sizeof *costs; ++j)
            digest = digest_number(digest, costs[j]);
        digest = digest_number(digest, hart->hart.misaligned);
    }
    for (size_t i = 0; i < machine->bus.count; ++i) {
        const struct bus_region *region = &machine->bus.regions[i];
        digest = digest_number(digest_number(digest_number(digest, region->base), region->size), region->writable);
    }
    for (size_t i = 0; i < machine->slot_count; ++i) {
        const struct ta_device_kind *kind = machine->slots[i].kind;
        digest = digest_bytes(digest, kind->model, strlen(kind->model) + 1);
        if (!kind->keep) /* its state is copied as this host has it */
            digest = digest_number(digest_number(digest, kind->state_bytes), host_order());
    }
    for (size_t i = 0; i < profile->connector_count; ++i)
        digest = digest_bytes(digest, profile->connectors[i].name, strlen(profile->connectors[i].name) + 1);
    for (size_t i = 0; i < profile->switch_count; ++i)
        digest = digest_bytes(digest, profile->switches[i].name, strlen(profile->switches[i].name) + 1);
    return digest;
}

static void keep_hart(struct ta_keeper *keeper, const struct hart *hart, struct hart_state *state) {
    uint64_t mask = hart_mask(hart), even = hart->decoder.isa.extensions & ISA_LETTER('c') ? 1 : 3;
    for (unsigned i = 1; i < 32; ++i)
        if (hart->decoder.isa.xlen == 64) {
            keep_u64(keeper, &state->x.w64[i], mask);
        } else {
            uint64_t value = keep_number(keeper, state->x.w32[i], mask);
            state->x.w32[i] = keeper->direction == RESTORING ? (uint32_t)value : state->x.w32[i];
        }
    for (unsigned i = 0; i < 32; ++i)
        keep_u64(keeper, &state->f[i], UINT64_MAX);
    keep_bits(keeper, &state->pc, mask & ~even);
    keep_u64(keeper, &state->cycle, CYCLES_MOST);
    uint64_t *const free_fields[] = {&state->retired,         &state->cycle_offset, &state->retired_offset,
                                     &state->trap_pc,         &state->trap_cause,   &state->trap_retired,
                                     &state->first_cause,     &state->first_pc,     &state->first_value,
                                     &state->reserved_address};
    for (size_t i = 0; i < sizeof free_fields / sizeof *free_fields; ++i)
        keep_u64(keeper, free_fields[i], UINT64_MAX);
    uint64_t *const registers[] = {&state->mtvec, &state->mscratch, &state->mepc, &state->mcause, &state->mtval};
    for (size_t i = 0; i < sizeof registers / sizeof *registers; ++i)
        keep_bits(keeper, registers[i], mask);
    keep_bits(keeper, &state->mstatus,
              MSTATUS_MIE | MSTATUS_MPIE | MSTATUS_MPP | MSTATUS_MPRV | MSTATUS_TW | MSTATUS_FS);
    keep_bits(keeper, &state->mie, INTERRUPT_BITS);
    keep_bits(keeper, &state->mip, UINT16_MAX);
    keep_bits(keeper, &state->mcounteren, 7);
    keep_bits(keeper, &state->fcsr, 0xff);
    keep_u64(keeper, &state->reserved_bytes, 8);
    for (unsigned i = 0; i < PMP_REGIONS; ++i) {
        keep_u64(keeper, &state->pmp_address[i], UINT64_MAX >> 10);
        keep_u8(keeper, &state->pmp_config[i], 0x9f);
    }
    uint64_t mode = keep_number(keeper, state->mode, MODE_MACHINE);
    keeper->failed = keeper->failed || (mode != MODE_USER && mode != MODE_MACHINE);
    state->mode = keeper->direction == RESTORING ? (uint8_t)mode : state->mode;
    keep_unsigned(keeper, &state->trap_repeats, UINT16_MAX);
    keep_bool(keeper, &state->held);
    keep_bool(keeper, &state->waiting);
    keep_bool(keeper, &state->waiting_input);
}

/* The page stays in the snapshot. */
static void lend(struct ta_keeper *keeper, struct bus_region *region, uint64_t page, size_t size) {
    region->lent[page] = keeper->from + keeper->at;
    ++region->lent_count;
    keeper->at += size; /* which was checked */
}

/* Pages that were touched, each behind its number, in order; the number of all pages ends them. The others are blank. */
static void keep_memory(struct ta_keeper *keeper, struct bus_region *region) {
    uint64_t pages = (region->size + PAGE_BYTES - 1) >> PAGE_BITS, next = pages;
    bool saving = keeper->direction == SAVING;
    if (!saving)
        next = keep_number(keeper, 0, pages);
    for (uint64_t page = 0; !keeper->failed && page < pages; ++page) {
        bool lent = region->pages[page] & PAGE_LENT, touched = lent || region->pages[page] & PAGE_TOUCHED;
        bool moves = saving ? touched : page == next;
        size_t size = bus_page_bytes(region, page);
        uint8_t *bytes = region->bytes + (page << PAGE_BITS);
        if (saving && moves)
            keep_number(keeper, page, pages);
        if (keeper->direction == RESTORING) {
            if (touched && (!moves || keeper->lends))
                memset(bytes, region->writable ? 0 : 0xff, size);
            region->pages[page] = !moves ? 0 : keeper->lends ? PAGE_LENT : PAGE_TOUCHED;
        }
        if (!moves)
            continue;
        if (keeper->direction == RESTORING && keeper->lends)
            lend(keeper, region, page, size);
        else
            keep_bytes(keeper, saving && lent ? (void *)region->lent[page] : bytes, size);
        if (!saving) {
            next = keep_number(keeper, 0, pages);
            keeper->failed = keeper->failed || next <= page;
        }
    }
    if (saving)
        keep_number(keeper, pages, pages);
}

static void keep_slot(struct ta_keeper *keeper, struct ta_slot *slot) {
    keep_state(keeper, slot, slot->state);
    keep_u64(keeper, &slot->wake_at, UINT64_MAX);
    keep_u64(keeper, &slot->pins, UINT64_MAX);
    keep_bool(keeper, &slot->interrupt);
}

static void keep_event(struct ta_keeper *keeper, struct ta_event *event) {
    uint64_t kind = keep_number(keeper, event->kind, TA_EVENT_STOP),
             stop = keep_number(keeper, event->stop, TA_STOP_WILD);
    uint64_t code = keep_number(keeper, (uint64_t)(int64_t)event->code, UINT64_MAX);
    keep_unsigned(keeper, &event->hart, UINT8_MAX);
    keep_unsigned(keeper, &event->width, UINT16_MAX);
    keep_u64(keeper, &event->time_ns, UINT64_MAX);
    keep_u64(keeper, &event->value, UINT64_MAX);
    keep_u64(keeper, &event->cause, UINT64_MAX);
    keep_u64(keeper, &event->pc, UINT64_MAX);
    keep_size(keeper, &event->length, TA_EVENT_TEXT_BYTES);
    keep_bytes(keeper, event->bytes, sizeof event->bytes);
    keep_bytes(keeper, event->name, sizeof event->name);
    if (keeper->direction == RESTORING) {
        event->kind = (enum ta_event_kind)kind;
        event->stop = (enum ta_stop)stop;
        event->code = (int)(int64_t)code;
        event->name[sizeof event->name - 1] = '\0';
    }
}

/* Those that nobody has taken yet. */
static void keep_events(struct ta_keeper *keeper, struct event_queue *queue) {
    uint64_t count = keep_number(keeper, queue->count - queue->next, EVENTS_AT_MOST);
    keep_u64(keeper, &queue->digest, UINT64_MAX);
    if (keeper->direction == RESTORING) {
        queue->next = queue->count = 0;
        if (count > queue->room) { /* seen to by the check */
            keeper->failed = true;
            return;
        }
        queue->count = (size_t)count;
    }
    for (uint64_t i = 0; !keeper->failed && i < count; ++i) {
        struct ta_event unused = {0};
        keep_event(keeper, keeper->direction == CHECKING ? &unused : &queue->events[queue->next + i]);
    }
}

static void keep_input(struct ta_keeper *keeper, struct text *input) {
    uint64_t length = keep_number(keeper, input->length, UINT32_MAX);
    if (keeper->direction == SAVING) {
        keep_bytes(keeper, input->bytes, (size_t)length);
        return;
    }
    keeper->failed = keeper->failed || length > keeper->length - keeper->at;
    if (keeper->failed)
        return;
    if (keeper->direction == RESTORING) {
        text_drop(input, input->length);
        text_add(input, (const char *)keeper->from + keeper->at, (size_t)length);
    }
    keeper->at += (size_t)length;
}

/* The one under way, if any: where it ends from here on. */
static void keep_turn(struct ta_keeper *keeper, struct ta_machine *machine) {
    struct turn *turn = &machine->turn;
    uint64_t ahead = turn->under_way && turn->horizon > machine->cycle ? turn->horizon - machine->cycle : 0;
    ahead = keep_number(keeper, ahead, board_turn_cycles(machine));
    keep_bool(keeper, &turn->under_way);
    keep_size(keeper, &turn->next, machine->hart_count);
    if (keeper->direction == RESTORING) {
        turn->whole = true;
        turn->horizon = machine->cycle + ahead;
    }
}

/* A zero ends it. */
static void keep_command_line(struct ta_keeper *keeper, struct semihosting *calls) {
    void *text = calls->command_line;
    size_t length = text ? strlen(text) + 1 : 0;
    ta_keep_memory(keeper, &text, &length);
    if (keeper->direction == CHECKING && !keeper->failed && length)
        keeper->failed = keeper->from[keeper->at - 1] != '\0';
    if (keeper->direction == RESTORING)
        calls->command_line = text;
}

static void keep_machine(struct ta_keeper *keeper, struct ta_machine *machine) {
    struct semihosting *calls = &machine->semihosting;
    uint64_t stopped, print = fingerprint(machine);
    keeper->failed = keep_number(keeper, print, UINT64_MAX) != print || keeper->failed;
    keep_u64(keeper, &machine->cycle, CYCLES_MOST);
    stopped = keep_number(keeper, machine->stopped, TA_STOP_WILD);
    machine->stopped = keeper->direction == RESTORING ? (enum ta_stop)stopped : machine->stopped;
    keep_bool(keeper, &machine->restart_wanted);
    keep_bool(keeper, &machine->at_breakpoint);
    keep_turn(keeper, machine);
    keep_bool(keeper, &machine->input_closed);
    for (size_t i = 0; i < machine->hart_count; ++i)
        keep_hart(keeper, &machine->harts[i].hart, &machine->harts[i].hart.state);
    for (size_t i = 0; i < machine->slot_count; ++i)
        keep_slot(keeper, &machine->slots[i]);
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        keep_u64(keeper, &machine->levels[i], UINT64_MAX);
    for (size_t i = 0; i < machine->profile->switch_count; ++i)
        keep_u64(keeper, &machine->positions[i], machine->profile->switches[i].position_count - 1);
    keep_bool(keeper, &calls->on);
    keep_unsigned(keeper, &calls->open_files, UINT32_MAX);
    keep_size(keeper, &calls->features_at, SEMIHOSTING_FEATURES_BYTES);
    keep_u64(keeper, &calls->said, UINT64_MAX);
    keep_u64(keeper, &calls->said_at, UINT64_MAX);
    uint64_t error = keep_number(keeper, (uint64_t)(unsigned)calls->error, INT32_MAX);
    calls->error = keeper->direction == RESTORING ? (int)error : calls->error;
    keep_command_line(keeper, calls);
    keep_input(keeper, &machine->input);
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (machine->bus.regions[i].bytes)
            keep_memory(keeper, &machine->bus.regions[i]);
    keep_events(keeper, &machine->queue);
}

enum ta_status ta_machine_save(const struct ta_machine *machine, struct ta_snapshot **result) {
    struct ta_snapshot *snapshot = calloc(1, sizeof *snapshot);
    struct ta_keeper keeper = {.direction = SAVING, .into = &snapshot->kept};
    uint8_t header[HEADER_BYTES] = {0};
    *result = NULL;
    if (!snapshot)
        return TA_E_MEMORY;
    little_store(header, 8, MAGIC);
    keep_bytes(&keeper, header, sizeof header);
    keep_machine(&keeper, (struct ta_machine *)machine); /* which saving leaves alone */
    if (keeper.failed) {
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
    struct ta_keeper keeper = {.direction = CHECKING,
                               .from = snapshot->kept.bytes,
                               .at = HEADER_BYTES,
                               .length = snapshot->kept.length,
                               .lends = lends};
    keep_machine(&keeper, machine);
    if (keeper.failed || keeper.at != snapshot->kept.length)
        return ta_problem_set(why, TA_E_INPUT,
                              "restore it on a machine of the profile and the library that it was saved of",
                              "the snapshot is not one of %s", machine->profile->name);
    if (!board_make_room(machine, snapshot->kept.length / sizeof(struct ta_event) + 1) ||
        !prepare_memory(machine, lends))
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the snapshot");
    keeper.direction = RESTORING;
    keeper.at = HEADER_BYTES;
    keep_machine(&keeper, machine);
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
    return snapshot->kept.room;
}

void ta_snapshot_free(struct ta_snapshot *snapshot) {
    if (snapshot)
        free(snapshot->kept.bytes);
    free(snapshot);
}

static uint64_t content_digest(const struct ta_snapshot *snapshot) {
    return digest_bytes(DIGEST_START, snapshot->kept.bytes + HEADER_BYTES, snapshot->kept.length - HEADER_BYTES);
}

const void *ta_snapshot_bytes(struct ta_snapshot *snapshot, size_t *length) {
    little_store(snapshot->kept.bytes + 8, 8, content_digest(snapshot));
    *length = snapshot->kept.length;
    return snapshot->kept.bytes;
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
    if (!snapshot || !kept_grow(&snapshot->kept, length)) {
        ta_snapshot_free(snapshot);
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the snapshot");
    }
    memcpy(snapshot->kept.bytes, bytes, length);
    snapshot->kept.length = length;
    if (little_load(snapshot->kept.bytes + 8, 8) != content_digest(snapshot)) {
        ta_snapshot_free(snapshot);
        return ta_problem_set(why, TA_E_INPUT, "save it again", "the snapshot was cut off or altered");
    }
    *result = snapshot;
    return TA_OK;
}
