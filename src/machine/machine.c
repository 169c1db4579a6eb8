/* A machine: assembled from its profile, and run from event to event. */
#include "base/digest.h"
#include "base/scale.h"
#include "machine/board.h"
#include "machine/hart/host_floats.h"
#include "machine/models.h"

#include <stdlib.h>
#include <string.h>

uint64_t ta_machine_time_ns(const struct ta_machine *machine) {
    return board_now_ns(machine);
}

uint64_t ta_machine_retired(const struct ta_machine *machine) {
    uint64_t retired = 0;
    for (size_t i = 0; i < machine->hart_count; ++i)
        retired += machine->harts[i].hart.state.retired;
    return retired;
}

enum ta_stop ta_machine_stopped(const struct ta_machine *machine) {
    return machine->stopped;
}

uint64_t ta_machine_trace(const struct ta_machine *machine) {
    uint64_t digest = machine->queue.digest;
    for (size_t i = 0; i < machine->hart_count; ++i) {
        const struct hart_state *state = &machine->harts[i].hart.state;
        digest = digest_number(digest_number(digest, state->cycle), state->retired);
    }
    return digest;
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

/* KEY and NAME say where the region stands in the profile. */
static enum ta_status add_region(struct ta_machine *machine, const char *key, const char *name,
                                 struct bus_region region, struct ta_problem *why) {
    for (size_t i = 0; i < machine->bus.count; ++i) {
        const struct bus_region *other = &machine->bus.regions[i];
        if (region.base < other->base + other->size && other->base < region.base + region.size)
            return ta_problem_set(why, TA_E_INPUT, "give it an address of its own",
                                  "%s.%s: 0x%llx to 0x%llx is taken by another device or memory", key, name,
                                  (unsigned long long)region.base, (unsigned long long)(region.base + region.size - 1));
    }
    bus_add(&machine->bus, &region);
    return TA_OK;
}

static void free_memory(struct bus_region *region) {
    bus_return(region);
    free(region->bytes);
    free(region->pages);
    free(region->code);
}

/* Only what is touched takes the host's memory. What keeps its contents is blank, with all bits set. */
static enum ta_status add_memory(struct ta_machine *machine, const char *key, const char *name,
                                 struct bus_region region, struct ta_problem *why) {
    size_t size = (size_t)region.size;
    enum ta_status status = TA_OK;
    region.bytes = size == region.size ? calloc(1, size) : NULL;
    region.pages = calloc(1, (size >> PAGE_BITS) + 1);
    region.code = calloc(1, (size >> CODE_BITS) / 8 + 1);
    if (!region.bytes || !region.pages || !region.code)
        status = ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the board's %s", name);
    else if (!region.writable)
        memset(region.bytes, 0xff, size);
    status = status ? status : add_region(machine, key, name, region, why);
    if (status)
        free_memory(&region);
    return status;
}

static enum ta_status add_memories(struct ta_machine *machine, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < machine->profile->memory_count; ++i) {
        const struct ta_memory *memory = &machine->profile->memories[i];
        status =
            add_memory(machine, "memory", memory->name,
                       (struct bus_region){
                           .base = memory->base, .size = memory->size_bytes, .writable = memory->kind == TA_MEMORY_RAM},
                       why);
    }
    return status;
}

/* What the device keeps has no address; it stands behind all that have. */
static enum ta_status add_store(struct ta_machine *machine, struct ta_slot *slot, struct ta_problem *why) {
    uint64_t size = slot->kind->store_bytes ? slot->kind->store_bytes(slot->config) : 0, end = UINT64_MAX;
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (machine->bus.regions[i].stored && machine->bus.regions[i].base < end)
            end = machine->bus.regions[i].base;
    if (!size)
        return TA_OK;
    return add_memory(machine, "devices", slot->config->name,
                      (struct bus_region){.base = end - size, .size = size, .slot = slot, .stored = true}, why);
}

/* A bus has the addresses that its parts are at. */
static enum ta_status check_bus(const struct ta_machine *machine, const struct ta_device *device,
                                struct ta_problem *why) {
    for (size_t i = 0; i < machine->slot_count; ++i) {
        const struct ta_slot *bus = &machine->slots[i];
        if (!device->on || strcmp(bus->config->name, device->on))
            continue;
        if (!bus->kind->is_bus)
            return ta_problem_set(why, TA_E_INPUT, "name a bus", "devices.%s.on: %s is no bus", device->name,
                                  device->on);
        if (device->address < bus->kind->first_address || device->address > bus->kind->last_address)
            return ta_problem_set(why, TA_E_INPUT, "give it one that the bus has",
                                  "devices.%s.address: addresses on %s are 0x%02x to 0x%02x", device->name, device->on,
                                  bus->kind->first_address, bus->kind->last_address);
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
    if (kind->is_interrupt_controller && !kind->input)
        return ta_problem_set(why, TA_E_INPUT, "give it the function input",
                              "devices.%s: model \"%s\" is an interrupt controller that takes no interrupts",
                              device->name, device->model);
    struct ta_slot *slot = &machine->slots[machine->slot_count++];
    *slot = (struct ta_slot){.machine = machine, .kind = kind, .config = device, .wake_at = UINT64_MAX};
    slot->state = calloc(1, kind->state_bytes ? kind->state_bytes : 1);
    if (!slot->state)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for device %s", device->name);
    if (kind->is_interrupt_controller)
        machine->controller = slot;
    enum ta_status status = add_store(machine, slot, why);
    if (status)
        return status;
    if (device->on)
        return kind->transfer
                   ? TA_OK
                   : ta_problem_set(why, TA_E_INPUT, "give it a base address",
                                    "devices.%s: model \"%s\" does not hang on a bus", device->name, device->model);
    if (!kind->span_bytes)
        return ta_problem_set(why, TA_E_INPUT, "say on which bus it is, and its address there",
                              "devices.%s: model \"%s\" has no registers of its own", device->name, device->model);
    return add_region(machine, "devices", device->name,
                      (struct bus_region){.base = device->base, .size = kind->span_bytes, .slot = slot}, why);
}

static void free_device(struct ta_slot *slot) {
    if (slot->state && slot->kind->release)
        slot->kind->release(slot->state);
    free(slot->state);
}

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

static enum ta_status assemble(struct ta_machine *machine, const struct ta_device_kind *const *extra,
                               size_t extra_count, struct ta_problem *why) {
    const struct ta_profile *profile = machine->profile;
    size_t regions = profile->memory_count + 2 * profile->device_count;
    machine->bus.regions = calloc(regions + 1, sizeof *machine->bus.regions);
    machine->slots = calloc(profile->device_count + 1, sizeof *machine->slots);
    machine->levels = calloc(profile->connector_count + 1, sizeof *machine->levels);
    machine->positions = calloc(profile->switch_count + 1, sizeof *machine->positions);
    if (!machine->bus.regions || !machine->slots || !machine->levels || !machine->positions)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the machine");
    enum ta_status status = board_add_harts(machine, why);
    status = status ? status : add_memories(machine, why);
    for (size_t i = 0; !status && i < profile->device_count; ++i)
        status =
            add_device(machine, &profile->devices[i], find_model(profile->devices[i].model, extra, extra_count), why);
    for (size_t i = 0; !status && i < profile->device_count; ++i)
        status = check_bus(machine, &profile->devices[i], why);
    machine->semihosting.on = profile->semihosting;
    return status ? status : board_attach_connectors(machine, why);
}

enum ta_status ta_machine_new(const struct ta_profile *profile, const struct ta_device_kind *const *extra,
                              size_t extra_count, struct ta_machine **result, struct ta_problem *why) {
    enum ta_status status = ta_profile_check(profile, why);
    *result = NULL;
    if (status)
        return status;
    struct ta_machine *machine = calloc(1, sizeof *machine);
    if (!machine)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "no memory for the machine");
    machine->profile = profile;
    machine->stopped = TA_STOP_OFF;
    machine->has_others_models = extra_count > 0;
    machine->queue.digest = DIGEST_START;
    status = assemble(machine, extra, extra_count, why);
    if (status) {
        ta_machine_free(machine);
        return status;
    }
    reset_devices(machine); /* what they provide, as the time, is there before the first power-on, for a restore */
    ta_machine_power(machine, false);
    *result = machine;
    return TA_OK;
}

void ta_machine_free(struct ta_machine *machine) {
    if (!machine)
        return;
    for (size_t i = 0; machine->bus.regions && i < machine->bus.count; ++i)
        free_memory(&machine->bus.regions[i]);
    for (size_t i = 0; machine->slots && i < machine->slot_count; ++i)
        free_device(&machine->slots[i]);
    board_free_harts(machine);
    free(machine->bus.regions);
    free(machine->slots);
    free(machine->levels);
    free(machine->positions);
    free(machine->breakpoints);
    free(machine->watchpoints);
    free(machine->queue.events);
    text_free(&machine->input);
    free(machine->semihosting.command_line);
    free(machine);
}

/* Power and reset. */

static void restart(struct ta_machine *machine) {
    machine->stopped = TA_STOP_NONE;
    machine->restart_wanted = machine->at_breakpoint = machine->turn.under_way = false;
    machine->semihosting.open_files = 0;
    machine->semihosting.error = 0;
    board_reset_harts(machine);
    bool boots = board_boots(machine);
    for (size_t i = 0; !boots && i < machine->hart_count; ++i)
        machine->harts[i].hart.state.held = true; /* the reset logic lets none of them start */
    reset_devices(machine);
}

/* Of memory that can be written, what was; what was lent is not there any more. */
static void clear_memory(struct bus_region *region) {
    for (uint64_t page = 0; page << PAGE_BITS < region->size; ++page) {
        if (region->pages[page] & PAGE_TOUCHED)
            memset(region->bytes + (page << PAGE_BITS), 0, bus_page_bytes(region, page));
        region->pages[page] = 0;
    }
    bus_return(region);
}

void ta_machine_power(struct ta_machine *machine, bool on) {
    board_clear_events(machine);
    if (!on) {
        machine->stopped = TA_STOP_OFF;
        board_darken(machine);
        board_clear_events(machine);
        return;
    }
    for (size_t i = 0; i < machine->bus.count; ++i)
        if (machine->bus.regions[i].writable)
            clear_memory(&machine->bus.regions[i]);
        else if (machine->bus.regions[i].lent)
            bus_own(&machine->bus.regions[i], machine->bus.regions[i].base, machine->bus.regions[i].size);
    machine->cycle = 0;
    for (size_t i = 0; i < machine->hart_count; ++i)
        machine->harts[i].hart.state.cycle = machine->harts[i].hart.state.retired = 0;
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

/* Where the harts left a breakpoint, the next run passes it. */
static void leave_breakpoints(struct ta_machine *machine) {
    for (size_t i = 0; machine->at_breakpoint && i < machine->hart_count; ++i)
        machine->harts[i].hart.step_over = machine->harts[i].hart.state.pc;
    machine->at_breakpoint = false;
}

/* How often a board can restart itself: its reset takes a millisecond. */
enum { RESTARTS_PER_S = 1000 };

static bool run_on(struct ta_machine *machine, uint64_t until, struct board_hart *stepped, uint64_t count) {
    for (;;) {
        count = board_run(machine, until, stepped, count);
        if (!machine->restart_wanted)
            return machine->queue.count > 0;
        board_skip(machine, machine->cycle + machine->profile->clock_hz / RESTARTS_PER_S); /* it ages all the same */
        restart(machine);
        if (machine->queue.count)
            return true;
    }
}

/* True when there is an event. The caller's floating-point mode, which it may have changed since the last run, is put aside meanwhile. */
static bool run(struct ta_machine *machine, uint64_t until, struct board_hart *stepped, uint64_t count) {
    bool usual;
    unsigned mode = host_floats_enter(&usual);
    for (size_t i = 0; i < machine->hart_count; ++i)
        machine->harts[i].hart.host_floats = usual;
    bool event = run_on(machine, until, stepped, count);
    host_floats_write(mode);
    return event;
}

static void deliver(struct ta_machine *machine, struct ta_event *event, uint64_t until, struct board_hart *stepped,
                    uint64_t count) {
    if (board_next_event(machine, event))
        return;
    board_clear_events(machine);
    leave_breakpoints(machine);
    if (machine->stopped && !stepped)
        board_skip(machine, until);
    else if (!machine->stopped && run(machine, until, stepped, count) && board_next_event(machine, event))
        return;
    *event = (struct ta_event){.kind = TA_EVENT_TIME, .time_ns = board_now_ns(machine)};
}

void ta_machine_run(struct ta_machine *machine, uint64_t until_ns, struct ta_event *event) {
    deliver(machine, event, scale_ceiling(until_ns, machine->profile->clock_hz, 1000000000u), NULL, 0);
}

/* A second is as long as a step may wait. */
void ta_machine_step(struct ta_machine *machine, unsigned hart, uint64_t count, struct ta_event *event) {
    uint64_t until = machine->cycle + machine->profile->clock_hz;
    bool there = hart < machine->hart_count;
    deliver(machine, event, until, &machine->harts[there ? hart : 0], there ? count : 0);
}

/* A debugger's view. */

void ta_machine_note_branches(struct ta_machine *machine, bool on) {
    for (size_t i = 0; i < machine->hart_count; ++i) {
        struct hart *hart = &machine->harts[i].hart;
        hart->slow = on;
        hart->trail = (struct trail){.noted = on, .next = NO_ADDRESS};
    }
}

size_t ta_machine_branches(const struct ta_machine *machine, unsigned hart, struct ta_branch branches[TA_BRANCHES]) {
    const struct trail *trail = hart < machine->hart_count ? &machine->harts[hart].hart.trail : NULL;
    size_t count = !trail ? 0 : trail->count < TA_BRANCHES ? trail->count : TA_BRANCHES;
    for (size_t i = 0; i < count; ++i)
        branches[i] = trail->branches[(trail->count - count + i) % TA_BRANCHES];
    return count;
}

enum ta_status ta_machine_read(const struct ta_machine *machine, uint64_t address, void *bytes, size_t size_bytes) {
    const uint8_t *at = bus_memory(&machine->bus, address, size_bytes);
    if (!at)
        return TA_E_INPUT;
    memcpy(bytes, at, size_bytes);
    return TA_OK;
}

enum ta_status ta_machine_write(struct ta_machine *machine, uint64_t address, const void *bytes, size_t size_bytes) {
    const struct bus_region *region = bus_find(&machine->bus, address, size_bytes);
    if (!region || !region->bytes)
        return TA_E_INPUT;
    board_put(machine, region, address, bytes, size_bytes);
    return TA_OK;
}

uint64_t ta_machine_store_size(const struct ta_machine *machine, const char *device) {
    const struct bus_region *store = board_store(machine, device);
    return store ? store->size : 0;
}

enum ta_status ta_machine_store_read(const struct ta_machine *machine, const char *device, uint64_t offset, void *bytes,
                                     size_t size_bytes) {
    return board_store_read(board_store(machine, device), offset, bytes, size_bytes) ? TA_OK : TA_E_INPUT;
}

enum ta_status ta_machine_store_write(struct ta_machine *machine, const char *device, uint64_t offset,
                                      const void *bytes, size_t size_bytes) {
    return board_store_write(machine, board_store(machine, device), offset, bytes, size_bytes) ? TA_OK : TA_E_INPUT;
}

static struct hart *hart_at(const struct ta_machine *machine, unsigned hart) {
    return hart < machine->hart_count ? &machine->harts[hart].hart : NULL;
}

enum ta_status ta_machine_register(const struct ta_machine *machine, unsigned hart, unsigned number, uint64_t *value) {
    const struct hart *of = hart_at(machine, hart);
    if (!of)
        return TA_E_INPUT;
    if (number < TA_REGISTER_PC)
        *value = hart_x(of, number);
    else if (number == TA_REGISTER_PC)
        *value = of->state.pc;
    else if (number < TA_REGISTER_F + 32 && of->decoder.isa.extensions & ISA_LETTER('f'))
        *value = of->state.f[number - TA_REGISTER_F];
    else if (number < TA_REGISTER_CSR || number >= TA_REGISTER_CSR + 4096 ||
             !csr_read(of, number - TA_REGISTER_CSR, MODE_MACHINE, value))
        return TA_E_INPUT;
    return TA_OK;
}

enum ta_status ta_machine_set_register(struct ta_machine *machine, unsigned hart, unsigned number, uint64_t value) {
    struct hart *of = hart_at(machine, hart);
    if (!of || number > TA_REGISTER_CSR + 4095)
        return TA_E_INPUT;
    uint64_t even = of->decoder.isa.extensions & ISA_LETTER('c') ? 1 : 3;
    if (number == 0)
        return TA_OK;
    if (number < TA_REGISTER_PC)
        hart_set_x(of, number, value);
    else if (number == TA_REGISTER_PC)
        of->state.pc = value & hart_mask(of) & ~even;
    else if (number < TA_REGISTER_F + 32 && of->decoder.isa.extensions & ISA_LETTER('f'))
        of->state.f[number - TA_REGISTER_F] = value;
    else if (number < TA_REGISTER_CSR || !csr_write(of, number - TA_REGISTER_CSR, MODE_MACHINE, value & hart_mask(of)))
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
    for (size_t k = 0; k < machine->hart_count; ++k)
        hart_forget_all(&machine->harts[k].hart);
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
    for (size_t k = 0; k < machine->hart_count; ++k) {
        machine->harts[k].hart.watched = machine->watchpoint_count > 0;
        hart_forget_pages(&machine->harts[k].hart);
    }
    return TA_OK;
}
