/* The inside of a machine: its harts, slots, connectors and events, as its own files see them. */
#ifndef TA_MACHINE_BOARD_H
#define TA_MACHINE_BOARD_H

#include "base/scale.h"
#include "base/text.h"
#include "machine/hart/hart.h"
#include "tameanchor/machine.h"

#include <string.h>

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

enum { SEMIHOSTING_FEATURES_BYTES = 5 };

struct semihosting {
    bool on;
    char *command_line;
    int error;           /* the target's errno of the last failed call */
    unsigned open_files; /* a bit for each handle: all are the console or the features file */
    size_t features_at;
    uint64_t said, said_at; /* how much of a long text, by the call at that address, is on the console already */
};

/* A hart and its clock. */
struct board_hart {
    struct hart hart;
    uint64_t clock_hz;
};

/* What the harts do before devices are looked at again: each in its order goes up to HORIZON of the board's clock. NEXT is the one whose
   part is not over. A WHOLE one that something stopped stays UNDER_WAY, and is gone on with. */
struct turn {
    uint64_t horizon;
    size_t next;
    bool under_way, whole;
};

struct ta_machine {
    const struct ta_profile *profile;
    struct bus bus;
    struct board_hart *harts;
    size_t hart_count;
    uint64_t cycle; /* of the board's clock: all harts have come at least so far */
    struct turn turn;
    struct board_hart *active; /* whose turn it is, or null */
    struct ta_slot *slots;
    size_t slot_count;
    struct ta_slot *controller, *console, *timer;
    bool has_others_models; /* models that are not built in, which may do anything that C can */
    ta_time_reader *read_time;
    uint64_t *positions; /* of each switch */
    uint64_t *levels;    /* of each connector, as told by events: lamps' state, button pressed */
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

/* The device of that name, or null. */
static inline struct ta_slot *board_slot(const struct ta_machine *machine, const char *device) {
    for (size_t i = 0; i < machine->slot_count; ++i)
        if (!strcmp(machine->slots[i].config->name, device))
            return &machine->slots[i];
    return NULL;
}

/* What it keeps without power; null for nothing. */
static inline struct bus_region *board_store(const struct ta_machine *machine, const char *device) {
    const struct ta_slot *slot = board_slot(machine, device);
    return slot ? bus_store(&machine->bus, slot) : NULL;
}

/* What harts ask and tell. (outside.c) */
extern const struct hart_outside board_outside;

/* (events.c) */
void board_stop(struct ta_machine *machine, enum ta_stop stop, int code);

/* The bytes at ADDRESS have other contents: what harts hold decoded of them, or reserved, is so no more. (written.c) */
void board_written(struct ta_machine *machine, const struct bus_region *region, uint64_t address, uint64_t size);

/* False for an access that the model has not. (slot.c) */
bool board_device_read(struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t *value);
bool board_device_is_steady(const struct ta_slot *slot, uint64_t offset);
bool board_device_write(struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value);

/* Puts SIZE bytes at ADDRESS, which lie in REGION, whoever may write there. (written.c) */
void board_put(struct ta_machine *machine, const struct bus_region *region, uint64_t address, const void *bytes,
               size_t size);

/* What a device keeps without power; false outside of it, or when REGION is null. (written.c) */
bool board_store_read(struct bus_region *region, uint64_t offset, void *bytes, size_t size);
bool board_store_write(struct ta_machine *machine, struct bus_region *region, uint64_t offset, const void *bytes,
                       size_t size);

/* The same, and somebody other than a hart writes there. */
void board_touched(struct ta_machine *machine, const struct bus_region *region, uint64_t address, uint64_t size);

enum hart_call board_semihosting(void *machine, struct hart *hart);

/* Time. A hart's own clock may be another than the board's: where a hart is in cycles of the board, and the first cycle of the hart
   that is not before CYCLE of the board. (time.c) */
uint64_t board_hart_now(const struct ta_machine *machine, const struct board_hart *hart);
uint64_t board_hart_cycle(const struct ta_machine *machine, const struct board_hart *hart, uint64_t cycle);
/* All harts skip to CYCLE of the board. */
void board_skip(struct ta_machine *machine, uint64_t cycle);
static inline uint64_t board_cycle(const struct ta_machine *machine) {
    return machine->active ? board_hart_now(machine, machine->active) : machine->cycle;
}

static inline uint64_t board_now_ns(const struct ta_machine *machine) {
    return scale_floor(board_cycle(machine), 1000000000u, machine->profile->clock_hz);
}

/* Builds the harts of the profile, or says what cannot be simulated. (harts.c) */
enum ta_status board_add_harts(struct ta_machine *machine, struct ta_problem *why);
void board_free_harts(struct ta_machine *machine);
void board_reset_harts(struct ta_machine *machine);
/* Runs to cycle UNTIL, to the first event, or until a device wants a restart. With STEPPED, until that hart has carried out COUNT
   instructions; how many of them are left. */
uint64_t board_run(struct ta_machine *machine, uint64_t until, struct board_hart *stepped, uint64_t count);
/* The length of a turn of several harts, in cycles of the board's clock. */
uint64_t board_turn_cycles(const struct ta_machine *machine);
/* Gives the wake-ups that are due; the cycle of the next one. (slot.c) */
uint64_t board_wake_devices(struct ta_machine *machine);
uint64_t board_next_wake(const struct ta_machine *machine);

static inline struct board_hart *board_hart_of(struct ta_machine *machine, const struct hart *hart) {
    return &machine->harts[hart->id];
}

/* The turn ends at CYCLE or before. */
static inline void board_come_nearer(struct ta_machine *machine, uint64_t cycle) {
    machine->turn.horizon = cycle < machine->turn.horizon ? cycle : machine->turn.horizon;
}

/* Makes the hart whose turn it is leave its loop before the next instruction. */
static inline void board_attend(struct ta_machine *machine) {
    if (machine->active)
        machine->active->hart.attention = true;
}

/* Events (events.c). MACHINE's clock gives the time; NAME may be null. */
void board_named_event(struct ta_machine *machine, struct ta_event event, const char *name);
void board_event(struct ta_machine *machine, const struct ta_event *event);
void board_console(struct ta_machine *machine, const void *bytes, size_t length);
bool board_next_event(struct ta_machine *machine, struct ta_event *event);
void board_clear_events(struct ta_machine *machine);
/* Room for so many events, so that none is lost; false when memory is out. */
bool board_make_room(struct ta_machine *machine, size_t count);

/* Finds the console's device, and whether the others have the pins that their connectors need. (connectors.c) */
enum ta_status board_attach_connectors(struct ta_machine *machine, struct ta_problem *why);

/* The connectors of SLOT's output pins may have changed. */
void board_update_outputs(struct ta_machine *machine, struct ta_slot *slot);
/* The connectors of SLOT's screen show what SHOWN stands for. */
void board_screen(struct ta_machine *machine, struct ta_slot *slot, uint64_t shown);
/* Without power no lamp is lit, whichever level would light it, and screens are dark. */
void board_darken(struct ta_machine *machine);
/* Whether the switch at INDEX stands at POSITION, which may be null; whether all of them let the board be reached, by its console.
   (switches.c) */
bool board_stands_at(const struct ta_machine *machine, size_t index, const char *position);
bool board_is_reached(const struct ta_machine *machine);
/* The reset logic: whether its switches let the board run a program. From a card, that is programmed into its flash first. (boot.c) */
bool board_boots(struct ta_machine *machine);
/* Puts every input at the level it has, after a reset. */
void board_restore_inputs(struct ta_machine *machine);

/* Offers typed bytes to the console's device. */
void board_offer_input(struct ta_machine *machine);

#endif
