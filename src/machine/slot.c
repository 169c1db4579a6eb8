/* What a device model may ask of the machine around it: the functions of device.h. */
#include "machine/board.h"

#include <string.h>

static uint64_t device_read(struct ta_slot *slot, uint64_t offset, unsigned size) {
    return slot->kind->read ? slot->kind->read(slot->state, slot, offset, size) : 0;
}

static void device_write(struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value) {
    if (slot->kind->write)
        slot->kind->write(slot->state, slot, offset, size, value);
    board_attend(slot->machine); /* a wake-up or an interrupt may have moved */
}

static uint64_t mask_of(unsigned size) {
    return size == 8 ? UINT64_MAX : (UINT64_C(1) << 8 * size) - 1;
}

/* The size that an access of SIZE is made of: its own, a wider one, or 0 when it is none of the model's. */
static unsigned device_width(const struct ta_device_kind *kind, unsigned size) {
    if (kind->widths & size)
        return size;
    for (unsigned wider = size * 2; kind->merges && wider <= 8; wider *= 2)
        if (kind->widths & wider)
            return wider;
    return 0;
}

bool board_device_read(struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t *value) {
    unsigned width = device_width(slot->kind, size);
    uint64_t within = width ? offset & (width - 1) : 0; /* widths are powers of two */
    if (!width || offset - within + width > slot->kind->span_bytes)
        return false;
    *value = device_read(slot, offset - within, width) >> 8 * within & mask_of(size);
    return true;
}

bool board_device_is_steady(const struct ta_slot *slot, uint64_t offset) {
    uint64_t narrowest = slot->kind->widths & -slot->kind->widths;
    for (size_t i = 0; i < slot->kind->steady_count; ++i)
        if (slot->kind->steady[i] == (offset & ~(narrowest - 1)))
            return true;
    return false;
}

bool board_device_write(struct ta_slot *slot, uint64_t offset, unsigned size, uint64_t value) {
    unsigned width = device_width(slot->kind, size);
    uint64_t within = width ? offset & (width - 1) : 0, mask = mask_of(size) << 8 * within;
    if (!width || offset - within + width > slot->kind->span_bytes)
        return false;
    if (width != size)
        value = (device_read(slot, offset - within, width) & ~mask) | (value << 8 * within & mask);
    device_write(slot, offset - within, width, value & mask_of(width));
    return true;
}

uint64_t ta_slot_now(const struct ta_slot *slot) {
    return board_cycle(slot->machine);
}

uint64_t ta_slot_clock_hz(const struct ta_slot *slot) {
    return slot->machine->profile->clock_hz;
}

unsigned ta_slot_harts(const struct ta_slot *slot) {
    return (unsigned)slot->machine->hart_count;
}

const struct ta_device *ta_slot_config(const struct ta_slot *slot) {
    return slot->config;
}

uint64_t ta_slot_option(const struct ta_slot *slot, const char *name, uint64_t otherwise) {
    return ta_device_option(slot->config, name, otherwise);
}

bool ta_slot_transfer(struct ta_slot *bus, unsigned address, enum ta_transfer step, uint8_t *byte) {
    struct ta_machine *machine = bus->machine;
    for (size_t i = 0; i < machine->slot_count; ++i) {
        struct ta_slot *slot = &machine->slots[i];
        if (slot->config->on && slot->config->address == address && !strcmp(slot->config->on, bus->config->name))
            return slot->kind->transfer && slot->kind->transfer(slot->state, slot, step, byte);
    }
    return false;
}

int64_t ta_slot_sensed(const struct ta_slot *slot, const char *quantity, unsigned pin) {
    const struct ta_machine *machine = slot->machine;
    const struct ta_quantity *known = ta_quantity_find(quantity);
    for (size_t i = 0; i < machine->profile->connector_count; ++i) {
        const struct ta_connector *connector = &machine->profile->connectors[i];
        if (connector->kind == TA_CONNECTOR_SENSOR && connector->quantity && !strcmp(connector->quantity, quantity) &&
            connector->pin == pin && !strcmp(connector->device, slot->config->name))
            return (int64_t)machine->levels[i];
    }
    return known ? known->start : 0; /* that nobody can set */
}

bool ta_slot_store_read(struct ta_slot *slot, uint64_t offset, void *bytes, size_t size) {
    return board_store_read(bus_store(&slot->machine->bus, slot), offset, bytes, size);
}

bool ta_slot_store_write(struct ta_slot *slot, uint64_t offset, const void *bytes, size_t size) {
    return board_store_write(slot->machine, bus_store(&slot->machine->bus, slot), offset, bytes, size);
}

const uint8_t *ta_slot_memory(struct ta_slot *slot, uint64_t address, size_t size) {
    return bus_memory(&slot->machine->bus, address, size);
}

bool ta_slot_is_flash(const struct ta_slot *slot, uint64_t address, size_t size) {
    const struct bus_region *region = bus_find(&slot->machine->bus, address, size);
    return region && region->bytes && !region->writable;
}

void ta_slot_program(struct ta_slot *slot, uint64_t address, const void *bytes, size_t size) {
    const struct bus_region *region = bus_find(&slot->machine->bus, address, size);
    if (ta_slot_is_flash(slot, address, size))
        board_put(slot->machine, region, address, bytes, size);
}

const char *ta_slot_switch(const struct ta_slot *slot, const char *name) {
    const struct ta_profile *profile = slot->machine->profile;
    const struct ta_switch *found = ta_profile_switch(profile, name);
    return found ? found->positions[slot->machine->positions[found - profile->switches]] : NULL;
}

/* In the name of every connector of kind ENDS at the device. */
static void tell(struct ta_slot *slot, enum ta_connector_kind ends, enum ta_event_kind kind, uint64_t value,
                 const void *text, size_t length) {
    const struct ta_profile *profile = slot->machine->profile;
    struct ta_event event = {.kind = kind, .value = value, .length = length};
    event.length = length < sizeof event.bytes ? length : sizeof event.bytes;
    memcpy(event.bytes, text, event.length);
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == ends && !strcmp(profile->connectors[i].device, slot->config->name))
            board_named_event(slot->machine, event, profile->connectors[i].name);
}

void ta_slot_cable(struct ta_slot *slot, enum ta_cable state, const char *text) {
    tell(slot, TA_CONNECTOR_USB, TA_EVENT_CABLE, state, text ? text : "", text ? strlen(text) : 0);
}

void ta_slot_typed(struct ta_slot *slot, const char *text, size_t length) {
    tell(slot, TA_CONNECTOR_USB, TA_EVENT_TYPED, 0, text, length);
}

void ta_slot_sent(struct ta_slot *slot, const uint8_t *text, size_t length) {
    tell(slot, TA_CONNECTOR_RADIO, TA_EVENT_MESSAGE, 0, text, length);
}

void ta_slot_text(struct ta_slot *slot, uint64_t box, const uint8_t *text, size_t length) {
    tell(slot, TA_CONNECTOR_SCREEN, TA_EVENT_TEXT, box, text, length);
}

void ta_slot_show(struct ta_slot *slot, uint64_t shown) {
    board_screen(slot->machine, slot, shown);
}

void ta_slot_wake_at(struct ta_slot *slot, uint64_t cycle) {
    if (slot->wake_at == cycle)
        return;
    slot->wake_at = cycle;
    if (slot->machine->active)
        board_attend(slot->machine);
    else /* somebody outside did something in the middle of a turn */
        board_come_nearer(slot->machine, cycle > slot->machine->cycle ? cycle : slot->machine->cycle);
}

void ta_slot_interrupt(struct ta_slot *slot, bool level) {
    struct ta_slot *controller = slot->machine->controller;
    if (level == slot->interrupt)
        return;
    slot->interrupt = level;
    if (controller && slot->config->interrupt)
        controller->kind->input(controller->state, controller, slot->config->interrupt, level);
}

void ta_slot_hart_interrupt(struct ta_slot *slot, unsigned hart, unsigned bit, bool level) {
    if (hart >= slot->machine->hart_count || bit >= 16)
        return;
    struct hart_state *target = &slot->machine->harts[hart].hart.state;
    uint64_t mask = UINT64_C(1) << bit;
    target->mip = level ? target->mip | mask : target->mip & ~mask;
    if (level && bit == INTERRUPT_SOFTWARE)
        target->held = false;
    board_attend(slot->machine);
}

void ta_slot_output(struct ta_slot *slot, uint64_t pins) {
    slot->pins = pins;
    board_update_outputs(slot->machine, slot);
}

void ta_slot_console_write(struct ta_slot *slot, const uint8_t *bytes, size_t length) {
    if (slot == slot->machine->console)
        board_console(slot->machine, bytes, length);
}

void ta_slot_console_ready(struct ta_slot *slot) {
    if (slot == slot->machine->console && slot->machine->input.length)
        board_offer_input(slot->machine);
}

void ta_slot_finish(struct ta_slot *slot, int code) {
    board_stop(slot->machine, TA_STOP_ENDED, code);
}

void ta_slot_restart(struct ta_slot *slot) {
    slot->machine->restart_wanted = true;
    board_attend(slot->machine);
}

void ta_slot_provide_time(struct ta_slot *slot, ta_time_reader *reader) {
    slot->machine->timer = slot;
    slot->machine->read_time = reader;
}

uint64_t board_next_wake(const struct ta_machine *machine) {
    uint64_t next = UINT64_MAX;
    for (size_t i = 0; i < machine->slot_count; ++i)
        next = machine->slots[i].wake_at < next ? machine->slots[i].wake_at : next;
    return next;
}

uint64_t board_wake_devices(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->slot_count; ++i) {
        struct ta_slot *slot = &machine->slots[i];
        if (slot->wake_at > machine->cycle)
            continue;
        slot->wake_at = UINT64_MAX;
        if (slot->kind->wake)
            slot->kind->wake(slot->state, slot);
    }
    return board_next_wake(machine);
}
