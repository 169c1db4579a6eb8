/* The harts of a board: built from the profile's groups, and run in turns. */
#include "machine/board.h"

#include <stdlib.h>

/* How far one hart may run ahead of the others: to the next of so many points of device time. */
enum { TURNS_PER_S = 50000 };

/* What this release simulates, of all that a profile can describe. */
static enum ta_status check_isa(const struct ta_profile *profile, const struct ta_hart_group *group, struct isa *isa,
                                struct ta_problem *why) {
    const uint64_t known = ISA_LETTER('i') | ISA_LETTER('m') | ISA_LETTER('a') | ISA_LETTER('f') | ISA_LETTER('d') |
                           ISA_LETTER('c') | ISA_ZICSR | ISA_ZIFENCEI | ISA_ZICNTR | ISA_ZBA | ISA_ZBB | ISA_ZBS;
    bool own = group->isa != profile->isa;
    enum ta_status status = isa_parse(group->isa, isa, why);
    if (status || !(isa->extensions & ~known))
        return status;
    return ta_problem_set(why, TA_E_UNSUPPORTED,
                          "harts of rv32 and rv64 imafdc_zicsr_zifencei_zicntr_zba_zbb_zbs are simulated",
                          "%s%s%sisa: %s cannot be simulated by this release", own ? "harts." : "",
                          own ? group->name : "", own ? "." : "", group->isa);
}

static enum ta_status add_hart(struct ta_machine *machine, const struct ta_hart_group *group, struct ta_problem *why) {
    const struct ta_profile *profile = machine->profile;
    struct board_hart *added = &machine->harts[machine->hart_count];
    struct isa isa;
    enum ta_status status = check_isa(profile, group, &isa, why);
    if (status)
        return status;
    ++machine->hart_count;
    if (hart_init(&added->hart, &isa, &machine->bus, &board_outside, machine))
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for a hart");
    added->clock_hz = group->clock_hz;
    added->hart.id = (unsigned)machine->hart_count - 1;
    added->hart.reset_address = group->reset_address;
    added->hart.held_at_reset = group->held;
    added->hart.misaligned = profile->misaligned;
    added->hart.shared = ta_profile_harts(profile) > 1;
    added->hart.timing = profile->timing;
    return TA_OK;
}

enum ta_status board_add_harts(struct ta_machine *machine, struct ta_problem *why) {
    const struct ta_profile *profile = machine->profile;
    struct ta_hart_group group;
    enum ta_status status = TA_OK;
    machine->harts = calloc(ta_profile_harts(profile), sizeof *machine->harts);
    if (!machine->harts)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the harts");
    for (size_t i = 0; !status && ta_profile_hart_group(profile, i, &group, NULL); ++i)
        for (unsigned k = 0; !status && k < group.count; ++k)
            status = add_hart(machine, &group, why);
    return status;
}

void board_free_harts(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->hart_count; ++i)
        hart_free(&machine->harts[i].hart);
    free(machine->harts);
}

void board_reset_harts(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->hart_count; ++i)
        hart_reset(&machine->harts[i].hart);
}

/* One hart's part of the turn, of *STEPS instructions at the most unless null. The horizon comes nearer when the hart sets a device an
   earlier wake-up. */
static void take_turn(struct ta_machine *machine, struct board_hart *turn, uint64_t *steps) {
    struct hart *hart = &turn->hart;
    machine->active = turn;
    while (!machine->queue.count && !machine->restart_wanted && (!steps || *steps)) {
        uint64_t end = board_hart_cycle(machine, turn, machine->turn.horizon);
        if (hart->state.cycle >= end)
            break;
        hart_take_interrupt(hart);
        if (hart_idle(hart)) {
            hart->state.cycle = end;
            break;
        }
        hart->stop_at = end;
        if (steps) {
            hart_step(hart);
            --*steps;
        } else {
            hart_execute(hart);
        }
        if (hart->attention) {
            uint64_t wake = board_next_wake(machine), now = board_hart_now(machine, turn);
            board_come_nearer(machine, wake > now ? wake : now);
        }
    }
    machine->active = NULL;
}

static bool all_idle(const struct ta_machine *machine) {
    for (size_t i = 0; i < machine->hart_count; ++i)
        if (!hart_idle(&machine->harts[i].hart))
            return false;
    return true;
}

uint64_t board_turn_cycles(const struct ta_machine *machine) {
    return machine->profile->clock_hz / TURNS_PER_S + (machine->profile->clock_hz < TURNS_PER_S);
}

/* The next turn. On a board of several harts it is a whole one, whatever the run's end: neither where a run ends nor what stops it on
   the way decides which hart comes first. False when STEPPED would wait for ever. */
static bool begin_turn(struct ta_machine *machine, uint64_t until, const struct board_hart *stepped) {
    const uint64_t turn_cycles = board_turn_cycles(machine);
    uint64_t next = board_wake_devices(machine);
    bool idle = all_idle(machine), whole = machine->hart_count > 1 && !idle;
    uint64_t end = whole ? (machine->cycle / turn_cycles + 1) * turn_cycles : until;
    if (stepped && next == UINT64_MAX && idle)
        return false;
    next = next > machine->cycle ? next
                                 : machine->cycle + 1; /* a device that wakes itself at once does not hold the clock */
    machine->turn = (struct turn){.under_way = true, .whole = whole, .horizon = next < end ? next : end};
    return true;
}

/* Goes on with the turn until it is over, or something stops it on the way. */
static void go_on(struct ta_machine *machine, struct board_hart *stepped, uint64_t *count) {
    struct turn *turn = &machine->turn;
    uint64_t reached = UINT64_MAX;
    bool stopped = false;
    while (!stopped && turn->next < machine->hart_count) {
        struct board_hart *hart = &machine->harts[turn->next];
        take_turn(machine, hart, hart == stepped ? count : NULL);
        stopped = machine->queue.count || machine->restart_wanted || (hart == stepped && !*count);
        turn->next += !stopped;
    }
    turn->under_way = turn->whole && stopped;
    for (size_t i = 0; i < machine->hart_count; ++i) {
        uint64_t now = board_hart_now(machine, &machine->harts[i]);
        reached = now < reached ? now : reached;
    }
    machine->cycle = reached > machine->cycle ? reached : machine->cycle;
}

uint64_t board_run(struct ta_machine *machine, uint64_t until, struct board_hart *stepped, uint64_t count) {
    while ((!stepped || count) && (machine->turn.under_way || machine->cycle < until)) {
        if (!machine->turn.under_way && !begin_turn(machine, until, stepped))
            break;
        go_on(machine, stepped, &count);
        if (machine->queue.count || machine->restart_wanted)
            return count;
    }
    if (!machine->turn.under_way)
        board_wake_devices(machine);
    return count;
}
