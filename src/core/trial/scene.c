/* The scene of a trap: what its hart was at, as far as a port tells. */
#include "base/little.h"
#include "core/model/isa.h"
#include "tameanchor/trap.h"

#include <string.h>

enum { REGISTER_SP = 2 };

bool ta_trap_counts(const struct ta_event *event, const struct ta_event *known) {
    bool is_wild = event->kind == TA_EVENT_STOP && event->stop == TA_STOP_WILD;
    if (!known)
        return is_wild || event->kind == TA_EVENT_TRAP;
    bool is_told = event->cause || event->value; /* by a port that knows what it was */
    return is_wild && is_told && (known->pc != event->pc || known->cause != event->cause);
}

/* How wide the hart is: that of its group. */
static unsigned width_of(const struct ta_profile *profile, unsigned hart) {
    struct ta_hart_group group;
    struct isa isa;
    return ta_profile_harts_of(profile, hart, &group) && !isa_parse(group.isa, &isa, NULL) ? isa.xlen : 32;
}

/* As much of the stack as there is from sp to the end of its memory. */
static void take_stack(const struct ta_port *port, const struct ta_profile *profile, struct ta_scene *scene) {
    struct ta_problem unheard;
    uint64_t sp = scene->registers[REGISTER_SP];
    const struct ta_memory *memory = ta_profile_memory_at(profile, sp, 1);
    if (!memory || memory->kind != TA_MEMORY_RAM)
        return;
    uint64_t left = memory->base + memory->size_bytes - sp;
    size_t length = left < sizeof scene->stack ? (size_t)left : sizeof scene->stack;
    if (port->read_memory(port->self, sp, scene->stack, length, &unheard))
        return;
    scene->stack_address = sp;
    scene->stack_length = length;
}

void ta_scene_take(const struct ta_port *port, const struct ta_event *event, struct ta_scene *scene) {
    const struct ta_profile *profile;
    struct ta_problem unheard;
    uint8_t bits[4] = {0};
    memset(scene, 0, sizeof *scene);
    scene->hart = event->hart;
    scene->cause = event->cause;
    scene->value = event->value;
    if (port->describe(port->self, &profile, &unheard))
        return;
    scene->xlen = width_of(profile, event->hart);
    for (unsigned i = 0; port->capabilities & TA_CAN_REGISTERS && i < TA_REGISTER_PC; ++i)
        if (port->read_register(port->self, event->hart, i, &scene->registers[i], &unheard))
            break;
    scene->registers[TA_REGISTER_PC] = event->pc;
    if (port->capabilities & TA_CAN_BRANCHES &&
        port->branches(port->self, event->hart, scene->branches, &scene->branch_count, &unheard))
        scene->branch_count = 0;
    if (!(port->capabilities & TA_CAN_MEMORY))
        return;
    take_stack(port, profile, scene);
    bool whole = ta_profile_memory_at(profile, event->pc, sizeof bits) != NULL;
    if (!port->read_memory(port->self, event->pc, bits, whole ? 4 : 2, &unheard))
        scene->instruction = (uint32_t)little_load(bits, 4);
}
