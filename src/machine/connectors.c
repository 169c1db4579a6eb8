/* What people see and touch: from pins to named inputs and outputs, and back. */
#include "machine/board.h"

#include <stdio.h>
#include <string.h>

static bool senses(const struct ta_slot *slot, const struct ta_quantity *quantity) {
    const char *const *own = slot ? slot->kind->quantities : NULL;
    while (own && *own && (!quantity || strcmp(*own, quantity->name)))
        ++own;
    return own && *own;
}

/* What the switch connects is there, or not. */
static void follow_switch(struct ta_machine *machine, size_t index) {
    const struct ta_switch *by = &machine->profile->switches[index];
    for (size_t i = 0; i < machine->profile->connector_count; ++i) {
        const struct ta_connector *connector = &machine->profile->connectors[i];
        if (connector->by && !strcmp(connector->by, by->name))
            machine->levels[i] = !strcmp(by->positions[machine->positions[index]], connector->when);
    }
}

/* What CONNECTOR needs of its device. */
static enum ta_status attach_connector(struct ta_machine *machine, size_t index, struct ta_problem *why) {
    const struct ta_connector *connector = &machine->profile->connectors[index];
    const struct ta_quantity *quantity = connector->quantity ? ta_quantity_find(connector->quantity) : NULL;
    struct ta_slot *slot = board_slot(machine, connector->device);
    unsigned last = connector->pin + (connector->count > 1 ? connector->count - 1 : 0);
    if (slot && slot->kind->pins && last >= slot->kind->pins && connector->kind != TA_CONNECTOR_CONSOLE)
        return ta_problem_set(why, TA_E_INPUT, "move it, or give it a device that has them",
                              "connectors.%s: it needs pin %u, %s has %u", connector->name, last, connector->device,
                              slot->kind->pins);
    switch (connector->kind) {
    case TA_CONNECTOR_CONSOLE: machine->console = slot ? slot : machine->console; break;
    case TA_CONNECTOR_SENSOR:
        if (!senses(slot, quantity))
            return ta_problem_set(why, TA_E_INPUT, "docs/devices.md tells what each model senses",
                                  "connectors.%s: %s senses no %s", connector->name, connector->device,
                                  connector->quantity ? connector->quantity : "quantity that is named");
        machine->levels[index] = (uint64_t)ta_connector_start(connector);
        break;
    case TA_CONNECTOR_TOUCH:
        if (!slot || !slot->kind->sensed)
            return ta_problem_set(why, TA_E_INPUT, "give it a touch panel", "connectors.%s: %s feels no finger",
                                  connector->name, connector->device);
        break;
    case TA_CONNECTOR_USB:
        machine->levels[index] = 1;
        if (!slot || !slot->kind->is_cable)
            return ta_problem_set(why, TA_E_INPUT, "give it a device that has a cable",
                                  "connectors.%s: no cable ends at %s", connector->name, connector->device);
        break;
    case TA_CONNECTOR_CARD:
        machine->levels[index] = 1;
        if (!slot || !slot->kind->store_bytes || !slot->kind->sensed)
            return ta_problem_set(why, TA_E_INPUT, "give it a storage card", "connectors.%s: %s is no card",
                                  connector->name, connector->device);
        break;
    case TA_CONNECTOR_RADIO:
        if (!slot || !slot->kind->heard)
            return ta_problem_set(why, TA_E_INPUT, "give it a radio", "connectors.%s: %s hears no messages",
                                  connector->name, connector->device);
        break;
    case TA_CONNECTOR_SCREEN:
        if (!slot || !slot->kind->picture)
            return ta_problem_set(why, TA_E_INPUT, "give it a screen", "connectors.%s: %s shows no picture",
                                  connector->name, connector->device);
        break;
    default: break;
    }
    return TA_OK;
}

enum ta_status board_attach_connectors(struct ta_machine *machine, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < machine->profile->connector_count; ++i)
        status = attach_connector(machine, i, why);
    for (size_t i = 0; i < machine->profile->switch_count; ++i)
        follow_switch(machine, i);
    return status;
}

static uint64_t lamps_level(const struct ta_connector *connector, uint64_t pins) {
    uint64_t mask = connector->count < 64 ? (UINT64_C(1) << connector->count) - 1 : UINT64_MAX;
    return ((connector->active_low ? ~pins : pins) >> connector->pin) & mask;
}

void board_update_outputs(struct ta_machine *machine, struct ta_slot *slot) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i) {
        const struct ta_connector *connector = &machine->profile->connectors[i];
        if (connector->kind != TA_CONNECTOR_LAMPS || strcmp(connector->device, slot->config->name))
            continue;
        uint64_t level = lamps_level(connector, slot->pins);
        if (level == machine->levels[i])
            continue;
        machine->levels[i] = level;
        board_named_event(machine,
                          (struct ta_event){.kind = TA_EVENT_OUTPUT, .value = level, .width = connector->count},
                          connector->name);
    }
}

void board_screen(struct ta_machine *machine, struct ta_slot *slot, uint64_t shown) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i) {
        const struct ta_connector *connector = &machine->profile->connectors[i];
        if (connector->kind != TA_CONNECTOR_SCREEN || strcmp(connector->device, slot->config->name) ||
            machine->levels[i] == shown)
            continue;
        machine->levels[i] = shown;
        board_named_event(machine, (struct ta_event){.kind = TA_EVENT_OUTPUT, .value = shown}, connector->name);
    }
}

void board_darken(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        if (machine->profile->connectors[i].kind == TA_CONNECTOR_LAMPS ||
            machine->profile->connectors[i].kind == TA_CONNECTOR_SCREEN)
            machine->levels[i] = 0;
}

/* Tells the device what its input is now: a button's level, else a value. */
static void drive_input(struct ta_machine *machine, size_t index) {
    const struct ta_connector *connector = &machine->profile->connectors[index];
    struct ta_slot *slot = board_slot(machine, connector->device);
    uint64_t value = machine->levels[index];
    if (!slot)
        return;
    if (connector->kind == TA_CONNECTOR_BUTTON && slot->kind->input)
        slot->kind->input(slot->state, slot, connector->pin, (value != 0) != connector->active_low);
    if (connector->kind != TA_CONNECTOR_BUTTON && connector->kind != TA_CONNECTOR_LAMPS && slot->kind->sensed)
        slot->kind->sensed(slot->state, slot, connector->pin, value);
}

void board_restore_inputs(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        drive_input(machine, i);
}

static enum ta_status no_connector(const struct ta_machine *machine, const char *name, const char *what,
                                   struct ta_problem *why) {
    return ta_problem_set(why, TA_E_INPUT, "its profile lists the connectors", "%s has no %s named \"%s\"",
                          machine->profile->name, what, name);
}

/* Of a sensor: VALUE is within the range of what it senses. */
static enum ta_status check_sensed(const struct ta_connector *connector, int64_t milli, struct ta_problem *why) {
    const struct ta_quantity *quantity = ta_quantity_find(connector->quantity);
    char low[TA_QUANTITY_TEXT_BYTES], high[TA_QUANTITY_TEXT_BYTES], fix[2 * TA_QUANTITY_TEXT_BYTES + 8];
    if (milli >= quantity->minimum && milli <= quantity->maximum)
        return TA_OK;
    snprintf(fix, sizeof fix, "%s to %s", ta_quantity_text("", quantity->minimum, low),
             ta_quantity_text(quantity->unit, quantity->maximum, high));
    return ta_problem_set(why, TA_E_INPUT, fix, "%s: %s is out of range", connector->name,
                          ta_quantity_text(quantity->unit, milli, low));
}

static enum ta_status check_touched(const struct ta_machine *machine, const char *name, uint64_t value,
                                    struct ta_problem *why) {
    unsigned width = 0, height = 0;
    ta_profile_points(machine->profile, name, &width, &height);
    if (!value || (value >> 32 == 1 && TA_TOUCH_X(value) < width && TA_TOUCH_Y(value) < height))
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "give a point of the screen", "%s: %u,%u is outside of %u by %u points",
                          name, TA_TOUCH_X(value), TA_TOUCH_Y(value), width, height);
}

static enum ta_status set_switch(struct ta_machine *machine, const struct ta_switch *each, uint64_t position,
                                 struct ta_problem *why) {
    size_t index = (size_t)(each - machine->profile->switches);
    if (position >= each->position_count)
        return ta_problem_set(why, TA_E_INPUT, "positions count from 0", "%s has no position %llu", each->name,
                              (unsigned long long)position);
    if (machine->positions[index] == position)
        return TA_OK;
    machine->positions[index] = position;
    board_named_event(machine, (struct ta_event){.kind = TA_EVENT_INPUT, .value = position}, each->name);
    follow_switch(machine, index);
    for (size_t i = 0; !machine->stopped && i < machine->profile->connector_count; ++i)
        if (machine->profile->connectors[i].by && !strcmp(machine->profile->connectors[i].by, each->name))
            drive_input(machine, i);
    return TA_OK;
}

enum ta_status ta_machine_set_input(struct ta_machine *machine, const char *name, uint64_t value,
                                    struct ta_problem *why) {
    const struct ta_switch *each = ta_profile_switch(machine->profile, name);
    if (each)
        return set_switch(machine, each, value, why);
    const struct ta_connector *connector = ta_profile_connector(machine->profile, name);
    enum ta_status status = TA_OK;
    unsigned width = 0;
    switch (connector ? connector->kind : TA_CONNECTOR_CONSOLE) {
    case TA_CONNECTOR_BUTTON: value = value != 0; break;
    case TA_CONNECTOR_SENSOR:
        status = check_sensed(connector, (int64_t)value, why);
        width = 64;
        break;
    case TA_CONNECTOR_TOUCH:
        status = check_touched(machine, name, value, why);
        width = 64;
        break;
    default: return no_connector(machine, name, "input", why);
    }
    size_t index = (size_t)(connector - machine->profile->connectors);
    if (status || machine->levels[index] == value)
        return status;
    machine->levels[index] = value;
    board_named_event(machine, (struct ta_event){.kind = TA_EVENT_INPUT, .value = value, .width = width},
                      connector->name);
    if (!machine->stopped)
        drive_input(machine, index);
    return TA_OK;
}

enum ta_status ta_machine_message(struct ta_machine *machine, const char *name, const void *text, size_t length,
                                  struct ta_problem *why) {
    const struct ta_connector *connector = ta_profile_connector(machine->profile, name);
    struct ta_event event = {.kind = TA_EVENT_INPUT, .length = length};
    if (!connector || connector->kind != TA_CONNECTOR_RADIO)
        return no_connector(machine, name, "radio", why);
    if (!length || length > TA_MESSAGE_BYTES)
        return ta_problem_set(why, TA_E_INPUT, "a message has 1 to 160 bytes", "%s: a message of %zu bytes", name,
                              length);
    memcpy(event.bytes, text, length);
    board_named_event(machine, event, name);
    struct ta_slot *slot = board_slot(machine, connector->device);
    if (!machine->stopped)
        slot->kind->heard(slot->state, slot, text, length);
    return TA_OK;
}

static const struct ta_connector *connector_of(const struct ta_machine *machine, const char *name,
                                               enum ta_connector_kind kind) {
    const struct ta_connector *connector = ta_profile_connector(machine->profile, name);
    return connector && connector->kind == kind ? connector : NULL;
}

enum ta_status ta_machine_picture(const struct ta_machine *machine, const char *name, struct ta_picture *picture,
                                  struct ta_problem *why) {
    const struct ta_connector *connector = connector_of(machine, name, TA_CONNECTOR_SCREEN);
    *picture = (struct ta_picture){0};
    if (!connector)
        return no_connector(machine, name, "screen", why);
    const struct ta_slot *slot = board_slot(machine, connector->device);
    enum ta_status status = slot->kind->picture(slot->state, slot, picture);
    bool dark = machine->stopped == TA_STOP_OFF;
    if (!status && dark)
        memset(picture->points, 0, (size_t)picture->width * picture->height * 3);
    return status ? ta_problem_set(why, status, NULL, "no memory for what %s shows", name) : TA_OK;
}

enum ta_status ta_machine_output(const struct ta_machine *machine, const char *name, uint64_t *value,
                                 struct ta_problem *why) {
    const struct ta_connector *connector = ta_profile_connector(machine->profile, name);
    const struct ta_switch *each = ta_profile_switch(machine->profile, name);
    if (each)
        *value = machine->positions[each - machine->profile->switches];
    if (each)
        return TA_OK;
    if (!connector || connector->kind == TA_CONNECTOR_SCREEN || connector->kind == TA_CONNECTOR_CONSOLE ||
        connector->kind == TA_CONNECTOR_RADIO)
        return no_connector(machine, name, "output", why);
    *value = machine->levels[connector - machine->profile->connectors];
    return TA_OK;
}

void board_offer_input(struct ta_machine *machine) {
    struct ta_slot *slot = machine->console;
    for (size_t i = 0; i < machine->hart_count; ++i)
        machine->harts[i].hart.state.waiting_input = false;
    board_attend(machine);
    if (!slot || !slot->kind->receive || machine->stopped)
        return;
    size_t taken = 0;
    while (taken < machine->input.length &&
           slot->kind->receive(slot->state, slot, (uint8_t)machine->input.bytes[taken]))
        ++taken;
    text_drop(&machine->input, taken);
}

enum ta_status ta_machine_type(struct ta_machine *machine, const void *bytes, size_t length, bool closed) {
    if (!board_is_reached(machine)) /* whatever is typed goes nowhere */
        return TA_OK;
    text_add(&machine->input, bytes, length);
    machine->input_closed = machine->input_closed || closed;
    board_offer_input(machine);
    return machine->input.failed ? TA_E_MEMORY : TA_OK;
}
