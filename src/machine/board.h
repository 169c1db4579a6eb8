/* The inside of a machine: its harts, slots, connectors and events, as its own files see them. */
#ifndef TA_MACHINE_BOARD_H
#define TA_MACHINE_BOARD_H

#include "base/scale.h"
#include "base/text.h"
#include "machine/hart.h"
#include "tameanchor/machine.h"

/* One device in its place. */
struct ta_slot {
    struct ta_machine *machine;
    const struct ta_device_kind *kind;
    const struct ta_device *config;
    void *state;
    uint64_t wake_at;
    uint64_t pins; /* output pins, as last driven */
    bool interrupt;
};

/* Events wait until the port asks, and go into the trace's digest as they happen. */
struct event_queue {
    struct ta_event *events;
    size_t count, next, room;
    uint64_t digest;
};

/* The accesses to SIZE_BYTES from ADDRESS on that end a run. */
struct watchpoint {
    uint64_t address, size_bytes;
    unsigned kinds; /* of enum ta_access */
};

struct semihosting {
    bool on;
    char *command_line;
    int error;           /* the target's errno of the last failed call */
    unsigned open_files; /* a bit for each handle: all are the console or the features file */
    size_t features_at;
    uint64_t said, said_at; /* how much of a long text, by the call at that address, is on the console already */
};

struct ta_machine {
    const struct ta_profile *profile;
    struct bus bus;
    struct hart hart;
    struct ta_slot *slots;
    size_t slot_count;
    struct ta_slot *controller, *console, *timer;
    ta_time_reader *read_time;
    uint64_t *levels; /* of each connector, as told by events: lamps' state, button pressed */
    uint64_t *breakpoints;
    size_t breakpoint_count;
    struct watchpoint *watchpoints;
    size_t watchpoint_count;
    struct event_queue queue;
    struct text input; /* typed, not yet taken by the guest */
    bool input_closed;
    struct semihosting semihosting;
    enum ta_stop stopped;
    bool restart_wanted, at_breakpoint;
};

/* Called by harts. (events.c) */
void board_trap(struct ta_machine *machine, uint64_t cause, uint64_t pc, uint64_t value);
void board_stop(struct ta_machine *machine, enum ta_stop stop, int code, uint64_t pc);
void board_wild(struct ta_machine *machine);
void board_breakpoint(struct ta_machine *machine, uint64_t pc);
/* DONE was done at ADDRESS: ends the run when that is watched. */
void board_access(struct ta_machine *machine, uint64_t address, unsigned size, enum ta_access done);

/* (slot.c) */
uint64_t board_device_read(struct ta_slot *slot, uint64_t offset, unsigned size);
void board_device_write(struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value);

enum semihosting_result {
    SEMIHOSTING_NONE,
    SEMIHOSTING_DONE,
    SEMIHOSTING_WAITS,   /* for input: the call is made again then */
    SEMIHOSTING_GOES_ON, /* it is made again at once */
};
enum semihosting_result board_semihosting(struct ta_machine *machine, struct hart *hart);

static inline uint64_t board_now_ns(const struct ta_machine *machine) {
    return scale_floor(machine->hart.cycle, 1000000000u, machine->profile->clock_hz);
}

static inline uint64_t board_time(const struct ta_machine *machine) {
    return machine->read_time ? machine->read_time(machine->timer->state, machine->timer) : machine->hart.cycle;
}

static inline bool board_has_breakpoint(const struct ta_machine *machine, uint64_t pc) {
    for (size_t i = 0; i < machine->breakpoint_count; ++i)
        if (machine->breakpoints[i] == pc)
            return true;
    return false;
}

/* Makes the interpreter leave its loop before the next instruction. */
static inline void board_attend(struct ta_machine *machine) {
    machine->hart.stop_at = 0;
}

/* Events (events.c). MACHINE's clock gives the time; NAME may be null. */
void board_named_event(struct ta_machine *machine, struct ta_event event, const char *name);
void board_event(struct ta_machine *machine, const struct ta_event *event);
void board_console(struct ta_machine *machine, const void *bytes, size_t length);
bool board_next_event(struct ta_machine *machine, struct ta_event *event);
void board_clear_events(struct ta_machine *machine);

/* Finds the console's device, and whether the others have the pins that their connectors need. (connectors.c) */
enum ta_status board_attach_connectors(struct ta_machine *machine, struct ta_problem *why);

/* The connectors of SLOT's output pins may have changed. */
void board_update_outputs(struct ta_machine *machine, struct ta_slot *slot);
/* Puts every input at the level it has, after a reset. */
void board_restore_inputs(struct ta_machine *machine);

/* Offers typed bytes to the console's device. */
void board_offer_input(struct ta_machine *machine);

#endif
