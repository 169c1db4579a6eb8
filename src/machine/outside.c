/* What the harts of a board ask and tell. */
#include "machine/board.h"
#include "machine/hart/host_floats.h"

/* Models of somebody else's may compute by the host's floating point, too: what is raised then is not the hart's. */
static void before_models(struct ta_machine *machine) {
    if (machine->has_others_models && machine->active)
        hart_take_inexact(&machine->active->hart);
}

static void after_models(const struct ta_machine *machine) {
    if (machine->has_others_models && machine->active)
        host_floats_take_inexact();
}

static bool outside_read(void *with, struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t *value) {
    before_models(with);
    bool good = board_device_read(slot, offset, size, value);
    after_models(with);
    return good;
}

static bool outside_write(void *with, struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value) {
    before_models(with);
    bool good = board_device_write(slot, offset, size, value);
    after_models(with);
    return good;
}

static bool outside_is_steady(void *with, struct ta_slot *slot, uint64_t offset) {
    (void)with;
    return board_device_is_steady(slot, offset);
}

/* Only CSR accesses ask for it, and these have taken what is the hart's (operations.h). */
static uint64_t outside_time(void *with, const struct hart *hart) {
    struct ta_machine *machine = with;
    uint64_t time = machine->read_time ? machine->read_time(machine->timer->state, machine->timer)
                                       : board_hart_now(machine, board_hart_of(machine, hart));
    after_models(machine);
    return time;
}

static void outside_trapped(void *with, struct hart *hart, uint64_t cause, uint64_t pc, uint64_t value) {
    (void)hart;
    if (cause != CAUSE_ECALL_M && cause != CAUSE_ECALL_U) /* a call is asked for, not suffered */
        board_event(with, &(struct ta_event){.kind = TA_EVENT_TRAP, .cause = cause, .pc = pc, .value = value});
}

static void outside_stuck(void *with, struct hart *hart, enum ta_wild why) {
    struct ta_machine *machine = with;
    machine->stopped = TA_STOP_WILD;
    board_event(machine, &(struct ta_event){.kind = TA_EVENT_STOP,
                                            .hart = hart->id,
                                            .stop = TA_STOP_WILD,
                                            .code = (int)why,
                                            .pc = hart->state.first_pc,
                                            .cause = hart->state.first_cause,
                                            .value = hart->state.first_value});
}

static bool outside_has_breakpoint(void *with, uint64_t pc) {
    const struct ta_machine *machine = with;
    for (size_t i = 0; i < machine->breakpoint_count; ++i)
        if (machine->breakpoints[i] == pc)
            return true;
    return false;
}

static void outside_broke(void *with, struct hart *hart) {
    struct ta_machine *machine = with;
    machine->at_breakpoint = true;
    board_event(machine, &(struct ta_event){.kind = TA_EVENT_BREAKPOINT, .pc = hart->state.pc});
}

/* Ends the run when what was reached is watched. */
static void outside_reached(void *with, struct hart *hart, uint64_t address, unsigned size, enum ta_access done) {
    struct ta_machine *machine = with;
    for (size_t i = 0; i < machine->watchpoint_count; ++i) {
        const struct watchpoint *watched = &machine->watchpoints[i];
        if (!(watched->kinds & done) || address >= watched->address + watched->size_bytes ||
            watched->address >= address + size)
            continue;
        board_event(machine, &(struct ta_event){.kind = TA_EVENT_WATCHPOINT, .pc = hart->state.pc, .value = address});
        return;
    }
}

static void outside_stored(void *with, const struct bus_region *region, uint64_t address, uint64_t size) {
    board_written(with, region, address, size);
}

const struct hart_outside board_outside = {
    .read = outside_read,
    .write = outside_write,
    .is_steady = outside_is_steady,
    .time = outside_time,
    .trapped = outside_trapped,
    .stuck = outside_stuck,
    .called = board_semihosting,
    .has_breakpoint = outside_has_breakpoint,
    .broke = outside_broke,
    .reached = outside_reached,
    .stored = outside_stored,
};
