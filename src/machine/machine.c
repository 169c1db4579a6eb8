/* A machine: assembled from its profile, and run from event to event. */
#include "base/digest.h"
#include "base/scale.h"
#include "machine/board.h"
#include "machine/models.h"

#include <stdlib.h>
#include <string.h>

uint64_t ta_machine_time_ns(const struct ta_machine *machine) {
    return board_now_ns(machine);
}

uint64_t ta_machine_retired(const struct ta_machine *machine) {
    return machine->hart.retired;
}

enum ta_stop ta_machine_stopped(const struct ta_machine *machine) {
    return machine->stopped;
}

uint64_t ta_machine_trace(const struct ta_machine *machine) {
    return digest_number(digest_number(machine->queue.digest, machine->hart.cycle), machine->hart.retired);
}

/* Assembly. */

static const struct ta_device_kind *find_model(const char *model, const struct ta_device_kind *const *extra,
                                               size_t extra_count) {
    const struct ta_device_kind *kind;
    for (size_t i = 0; i < extra_count; ++i)
        if (!strcmp(extra[i]->model, model))
            return extra[i];
    for (size_t i = 0; (kind = ta_machine_model(i)); ++i)
        if (!strcmp(kind->model, model))
            return kind;
    return NULL;
}

static enum ta_status add_region(struct ta_machine *machine, const char *name, struct bus_region region,
                                 struct ta_problem *why) {
    for (size_t i = 0; i < machine->bus.count; ++i) {
        const struct bus_region *other = &machine->bus.regions[i];
        if (region.base < other->base + other->size && other->base < region.base + region.size)
            return ta_problem_set(why, TA_E_INPUT, "give it an address of its own",
                                  "%s: 0x%llx to 0x%llx is taken by another device or memory", name,
                                  (unsigned long long)region.base, (unsigned long long)(region.base + region.size - 1));
    }
    machine->bus.regions[machine->bus.count++] = region;
    return TA_OK;
}

static enum ta_status add_memories(struct ta_machine *machine, struct ta_problem *why) {
    for (size_t i = 0; i < machine->profile->memory_count; ++i) {
        const struct ta_memory *memory = &machine->profile->memories[i];
        struct bus_region region = {.base = memory->base,
                                    .size = memory->size_bytes,
                                    .bytes = calloc(1, (size_t)memory->size_bytes),
                                    .writable = memory->kind == TA_MEMORY_RAM};
        if (!region.bytes)
            return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the board's %s", memory->name);
        if (memory->kind == TA_MEMORY_FLASH)
            memset(region.bytes, 0xff, (size_t)memory->size_bytes);
        enum ta_status status = add_region(machine, memory->name, region, why);
        if (status) {
            free(region.bytes);
            return status;
        }
    }
    return TA_OK;
}

static enum ta_status add_device(struct ta_machine *machine, const struct ta_device *device,
                                 const struct ta_device_kind *kind, struct ta_problem *why) {
    if (!kind)
        return ta_problem_set(why, TA_E_UNSUPPORTED, "docs/devices.md lists the models",
                              "devices.%s: there is no model \"%s\"", device->name, device->model);
    if (kind->version != TA_DEVICE_VERSION)
        return ta_problem_set(why, TA_E_UNSUPPORTED, "build it against this library's device.h",
                              "devices.%s: model \"%s\" has another version", device->name, device->model);
    struct ta_slot *slot = &machine->slots[machine->slot_count++];
    *slot = (struct ta_slot){.machine = machine, .kind = kind, .config = device, .wake_at = UINT64_MAX};
    slot->state = calloc(1, kind->state_bytes ? kind->state_bytes : 1);
    if (!slot->state)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for device %s", device->name);
    if (kind->is_interrupt_controller)
        machine->controller = slot;
    return add_region(machine, device->name,
                      (struct bus_region){.base = device->base, .size = kind->span_bytes, .slot = slot}, why);
}

/* What this release simulates, of all that a profile can describe. */
static enum ta_status check_harts(const struct ta_profile *profile, struct isa *isa, struct ta_problem *why) {
    const uint64_t known =
        ISA_LETTER('i') | ISA_LETTER('m') | ISA_LETTER('a') | ISA_LETTER('c') | ISA_ZICSR | ISA_ZIFENCEI;
    enum ta_status status = ta_profile_check(profile, why);
    if (!status)
        status = isa_parse(profile->isa, isa, why);
    if (!status && (isa->xlen != 32 || isa->extensions & ~known))
        status = ta_problem_set(why, TA_E_UNSUPPORTED, "harts of rv32imac_zicsr_zifencei and its subsets are simulated",
                                "isa: %s cannot be simulated by this release", profile->isa);
    if (!status && ta_profile_harts(profile) > 1)
        status = ta_problem_set(why, TA_E_UNSUPPORTED, "boards of one hart are simulated",
                                "harts: %u harts cannot be simulated by this release", ta_profile_harts(profile));
    return status;
}

static enum ta_status assemble(struct ta_machine *machine, const struct isa *isa,
                               const struct ta_device_kind *const *extra, size_t extra_count, struct ta_problem *why) {
    const struct ta_profile *profile = machine->profile;
    size_t regions = profile->memory_count + profile->device_count;
    machine->bus.regions = calloc(regions + 1, sizeof *machine->bus.regions);
    machine->slots = calloc(profile->device_count + 1, sizeof *machine->slots);
    machine->levels = calloc(profile->connector_count + 1, sizeof *machine->levels);
    if (!machine->bus.regions || !machine->slots || !machine->levels)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the machine");
    if (hart_init(&machine->hart, isa, 0, machine, &machine->bus, profile->reset_address))
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the hart");
    enum ta_status status = add_memories(machine, why);
    for (size_t i = 0; !status && i < profile->device_count; ++i)
        status =
            add_device(machine, &profile->devices[i], find_model(profile->devices[i].model, extra, extra_count), why);
    machine->semihosting.on = profile->semihosting;
    return status ? status : board_attach_connectors(machine, why);
}

enum ta_status ta_machine_new(const struct ta_profile *profile, const struct ta_device_kind *const *extra,
                              size_t extra_count, struct ta_machine **result, struct ta_problem *why) {
    struct isa isa;
    enum ta_status status = check_harts(profile, &isa, why);
    *result = NULL;
    if (status)
        return status;
    struct ta_machine *machine = calloc(1, sizeof *machine);
    if (!machine)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the machine");
    machine->profile = profile;
    machine->stopped = TA_STOP_OFF;
    machine->queue.digest = DIGEST_START;
    status = assemble(machine, &isa, extra, extra_count, why);
    if (status)
        ta_machine_free(machine);
    else
        *result = machine;
    return status;
}

void ta_machine_free(struct ta_machine *machine) {
    if (!machine)
        return;
    for (size_t i = 0; machine->bus.regions && i < machine->bus.count; ++i)
        free(machine->bus.regions[i].bytes);
    for (size_t i = 0; machine->slots && i < machine->slot_count; ++i)
        free(machine->slots[i].state);
    hart_free(&machine->hart);
    free(machine->bus.regions);
    free(machine->slots);
    free(machine->levels);
    free(machine->breakpoints);
    free(machine->watchpoints);
    free(machine->queue.events);
    text_free(&machine->input);
    free(machine->semihosting.command_line);
    free(machine);
}

/* Power and reset. */

static void reset_devices(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->slot_count; ++i) {
        struct ta_slot *slot = &machine->slots[i];
        slot->wake_at = UINT64_MAX;
        slot->interrupt = false;
        ta_slot_output(slot, 0);
        if (slot->kind->reset)
            slot->kind->reset(slot->state, slot);
    }
    board_restore_inputs(machine);
}

static void restart(struct ta_machine *machine) {
    machine->stopped = TA_STOP_NONE;
    machine->restart_wanted = machine->at_breakpoint = false;
    machine->semihosting.open_files = 0;
    machine->semihosting.error = 0;
    hart_reset(&machine->hart);
    reset_devices(machine);
}

void ta_machine_power(struct ta_machine *machine, bool on) {
    board_clear_events(machine);
    if (!on) {
        machine->stopped = TA_STOP_OFF;
        for (size_t i = 0; i < machine->slot_count; ++i)
            ta_slot_output(&machine->slots[i], 0);
        board_clear_events(machine);
        return;
    }
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (machine->bus.regions[i].writable)
            memset(machine->bus.regions[i].bytes, 0, (size_t)machine->bus.regions[i].size);
    machine->hart.cycle = machine->hart.retired = 0;
    text_drop(&machine->input, machine->input.length);
    machine->input_closed = false;
    restart(machine);
    board_clear_events(machine);
    machine->queue.digest = DIGEST_START;
}

void ta_machine_reset(struct ta_machine *machine) {
    if (machine->stopped == TA_STOP_OFF)
        ta_machine_power(machine, true);
    else
        restart(machine);
}

/* Running. */

/* The cycle of the next wake-up, after those that are due have been given. */
static uint64_t wake_devices(struct ta_machine *machine) {
    uint64_t next = UINT64_MAX;
    for (size_t i = 0; i < machine->slot_count; ++i) {
        struct ta_slot *slot = &machine->slots[i];
        if (slot->wake_at <= machine->hart.cycle) {
            slot->wake_at = UINT64_MAX;
            if (slot->kind->wake)
                slot->kind->wake(slot->state, slot);
        }
        if (slot->wake_at < next)
            next = slot->wake_at;
    }
    return next;
}

/* Where the harts left a breakpoint, the next run passes it. */
static void leave_breakpoint(struct ta_machine *machine) {
    struct hart *hart = &machine->hart;
    if (!machine->at_breakpoint)
        return;
    machine->at_breakpoint = false;
    hart->step_over = hart->pc;
    hart->decoded[(hart->pc >> 1) % DECODE_CACHE_ENTRIES].pc = 1;
}

/* How often a board can restart itself: its reset takes a millisecond. */
enum { RESTARTS_PER_S = 1000 };

/* Runs to cycle UNTIL or RETIRED instructions, or to the first event; true when there is one. */
static bool run(struct ta_machine *machine, uint64_t until, uint64_t cycles) {
    struct hart *hart = &machine->hart;
    board_clear_events(machine);
    leave_breakpoint(machine);
    if (machine->stopped) {
        hart->cycle = until > hart->cycle ? until : hart->cycle;
        return false;
    }
    uint64_t last = cycles < UINT64_MAX - hart->cycle ? hart->cycle + cycles : UINT64_MAX;
    until = last < until ? last : until;
    while (hart->cycle < until) {
        uint64_t next = wake_devices(machine);
        next = next < until ? next : until;
        hart_take_interrupt(hart);
        if (hart_idle(hart)) {
            hart->cycle = next > hart->cycle ? next : hart->cycle;
        } else {
            hart->stop_at = next;
            hart_execute(hart);
        }
        if (machine->restart_wanted) {
            hart->cycle +=
                machine->profile->clock_hz / RESTARTS_PER_S; /* a board that does nothing else ages all the same */
            restart(machine);
        }
        if (machine->queue.count)
            return true;
    }
    wake_devices(machine);
    return machine->queue.count > 0;
}

static void deliver(struct ta_machine *machine, struct ta_event *event, uint64_t until, uint64_t cycles) {
    if (board_next_event(machine, event))
        return;
    if (run(machine, until, cycles) && board_next_event(machine, event))
        return;
    *event = (struct ta_event){.kind = TA_EVENT_TIME, .time_ns = board_now_ns(machine)};
}

void ta_machine_run(struct ta_machine *machine, uint64_t until_ns, struct ta_event *event) {
    deliver(machine, event, scale_ceiling(until_ns, machine->profile->clock_hz, 1000000000u), UINT64_MAX);
}

void ta_machine_step(struct ta_machine *machine, uint64_t count, struct ta_event *event) {
    deliver(machine, event, UINT64_MAX, count);
}

/* A debugger's view. */

enum ta_status ta_machine_read(const struct ta_machine *machine, uint64_t address, void *bytes, size_t size_bytes) {
    const uint8_t *at = bus_memory(&machine->bus, address, size_bytes);
    if (!at)
        return TA_E_INPUT;
    memcpy(bytes, at, size_bytes);
    return TA_OK;
}

enum ta_status ta_machine_write(struct ta_machine *machine, uint64_t address, const void *bytes, size_t size_bytes) {
    uint8_t *at = bus_memory(&machine->bus, address, size_bytes);
    if (!at)
        return TA_E_INPUT;
    memcpy(at, bytes, size_bytes);
    hart_forget_decoded(&machine->hart);
    return TA_OK;
}

enum ta_status ta_machine_register(const struct ta_machine *machine, unsigned hart, unsigned number, uint64_t *value) {
    if (hart != machine->hart.id)
        return TA_E_INPUT;
    if (number < TA_REGISTER_PC)
        *value = machine->hart.x[number];
    else if (number == TA_REGISTER_PC)
        *value = machine->hart.pc;
    else if (number < TA_REGISTER_CSR || number >= TA_REGISTER_CSR + 4096 ||
             !csr_read(&machine->hart, number - TA_REGISTER_CSR, value))
        return TA_E_INPUT;
    return TA_OK;
}

enum ta_status ta_machine_set_register(struct ta_machine *machine, unsigned hart, unsigned number, uint64_t value) {
    if (hart != machine->hart.id || number > TA_REGISTER_CSR + 4095)
        return TA_E_INPUT;
    if (machine->hart.isa.xlen == 32)
        value = (uint32_t)value;
    if (number < TA_REGISTER_PC)
        machine->hart.x[number] = number ? value : 0;
    else if (number == TA_REGISTER_PC)
        machine->hart.pc = value & ~UINT64_C(1);
    else if (number < TA_REGISTER_CSR || !csr_write(&machine->hart, number - TA_REGISTER_CSR, value))
        return TA_E_INPUT;
    return TA_OK;
}

enum ta_status ta_machine_set_breakpoint(struct ta_machine *machine, uint64_t address, bool on) {
    size_t i = 0;
    while (i < machine->breakpoint_count && machine->breakpoints[i] != address)
        ++i;
    bool found = i < machine->breakpoint_count;
    if (on && !found) {
        uint64_t *grown = realloc(machine->breakpoints, (i + 1) * sizeof *grown);
        if (!grown)
            return TA_E_MEMORY;
        machine->breakpoints = grown;
        machine->breakpoints[machine->breakpoint_count++] = address;
    } else if (!on && found) {
        machine->breakpoints[i] = machine->breakpoints[--machine->breakpoint_count];
    }
    hart_forget_decoded(&machine->hart);
    return TA_OK;
}

enum ta_status ta_machine_set_watchpoint(struct ta_machine *machine, uint64_t address, uint64_t size_bytes,
                                         unsigned kinds) {
    const struct watchpoint wanted = {address, size_bytes, kinds};
    size_t i = 0;
    if (!size_bytes || address + size_bytes < address)
        return TA_E_INPUT;
    while (i < machine->watchpoint_count &&
           (machine->watchpoints[i].address != address || machine->watchpoints[i].size_bytes != size_bytes))
        ++i;
    if (i == machine->watchpoint_count && kinds) {
        struct watchpoint *grown = realloc(machine->watchpoints, (i + 1) * sizeof *grown);
        if (!grown)
            return TA_E_MEMORY;
        machine->watchpoints = grown;
        machine->watchpoints[machine->watchpoint_count++] = wanted;
    } else if (i < machine->watchpoint_count) {
        machine->watchpoints[i] = kinds ? wanted : machine->watchpoints[--machine->watchpoint_count];
    }
    hart_watch(&machine->hart, machine->watchpoint_count > 0);
    return TA_OK;
}
