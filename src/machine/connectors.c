/* What people see and touch: from pins to named inputs and outputs, and back. */
#include "core/model/quantity.h"
#include "machine/board.h"

#include <stdio.h>
#include <string.h>

static struct ta_slot *connector_slot(const struct ta_machine *machine, const struct ta_connector *connector) {
    for (size_t i = 0; i < machine->slot_count; ++i)
        if (!strcmp(machine->slots[i].config->name, connector->device))
            return &machine->slots[i];
    return NULL;
}

static bool senses(const struct ta_slot *slot, const struct ta_quantity *quantity) {
    const char *const *own = slot ? slot->kind->quantities : NULL;
    while (own && *own && (!quantity || strcmp(*own, quantity->name)))
        ++own;
    return own && *own;
}

enum ta_status board_attach_connectors(struct ta_machine *machine, struct ta_problem *why) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i) {
        const struct ta_connector *connector = &machine->profile->connectors[i];
        struct ta_slot *slot = connector_slot(machine, connector);
        unsigned last = connector->pin + (connector->count > 1 ? connector->count - 1 : 0);
        const struct ta_quantity *quantity = connector->quantity ? ta_quantity_find(connector->quantity) : NULL;
        if (connector->kind == TA_CONNECTOR_CONSOLE)
            machine->console = slot ? slot : machine->console;
        else if (connector->kind == TA_CONNECTOR_SENSOR && !senses(slot, quantity))
            return ta_problem_set(why, TA_E_INPUT, "docs/devices.md tells what each model senses",
                                  "connectors.%s: %s senses no %s", connector->name, connector->device,
                                  connector->quantity ? connector->quantity : "quantity that is named");
        else if (connector->kind == TA_CONNECTOR_SENSOR)
            machine->levels[i] = (uint64_t)quantity->start;
        else if (slot && slot->kind->pins && last >= slot->kind->pins)
            return ta_problem_set(why, TA_E_INPUT, "move it, or give it a device that has them",
                                  "connectors.%s: it needs pin %u, %s has %u", connector->name, last, connector->device,
                                  slot->kind->pins);
    }
    return TA_OK;
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

void board_darken(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        if (machine->profile->connectors[i].kind == TA_CONNECTOR_LAMPS)
            machine->levels[i] = 0;
}

static void drive_button(struct ta_machine *machine, const struct ta_connector *connector, uint64_t pressed) {
    struct ta_slot *slot = connector_slot(machine, connector);
    if (slot && slot->kind->input)
        slot->kind->input(slot->state, slot, connector->pin, (pressed != 0) != connector->active_low);
}

void board_restore_inputs(struct ta_machine *machine) {
    for (size_t i = 0; i < machine->profile->connector_count; ++i)
        if (machine->profile->connectors[i].kind == TA_CONNECTOR_BUTTON)
            drive_button(machine, &machine->profile->connectors[i], machine->levels[i]);
}

static enum ta_status find_connector(const struct ta_machine *machine, const char *name, enum ta_connector_kind kind,
                                     size_t *index, struct ta_problem *why) {
    const struct ta_connector *connector = ta_profile_connector(machine->profile, name);
    if (!connector || connector->kind != kind)
        return ta_problem_set(why, TA_E_INPUT, "its profile lists the connectors", "%s has no %s named \"%s\"",
                              machine->profile->name, kind == TA_CONNECTOR_BUTTON ? "input" : "output", name);
    *index = (size_t)(connector - machine->profile->connectors);
    return TA_OK;
}

static enum ta_status set_sensor(struct ta_machine *machine, const struct ta_connector *connector, int64_t milli,
                                 struct ta_problem *why) {
    const struct ta_quantity *quantity = ta_quantity_find(connector->quantity);
    uint64_t *level = &machine->levels[connector - machine->profile->connectors];
    char low[QUANTITY_TEXT_BYTES], high[QUANTITY_TEXT_BYTES], fix[2 * QUANTITY_TEXT_BYTES + 8];
    if (milli < quantity->minimum || milli > quantity->maximum) {
        snprintf(fix, sizeof fix, "%s to %s", quantity_text("", quantity->minimum, low),
                 quantity_text(quantity->unit, quantity->maximum, high));
        return ta_problem_set(why, TA_E_INPUT, fix, "%s: %s is out of range", connector->name,
                              quantity_text(quantity->unit, milli, low));
    }
    if (*level == (uint64_t)milli)
        return TA_OK;
    *level = (uint64_t)milli;
    board_named_event(machine, (struct ta_event){.kind = TA_EVENT_INPUT, .value = *level, .width = 64},
                      connector->name);
    return TA_OK;
}

enum ta_status ta_machine_set_input(struct ta_machine *machine, const char *name, uint64_t value,
                                    struct ta_problem *why) {
    size_t index = 0;
    const struct ta_connector *sensor = ta_profile_connector(machine->profile, name);
    if (sensor && sensor->kind == TA_CONNECTOR_SENSOR)
        return set_sensor(machine, sensor, (int64_t)value, why);
    enum ta_status status = find_connector(machine, name, TA_CONNECTOR_BUTTON, &index, why);
    if (status || machine->levels[index] == (value != 0))
        return status;
    const struct ta_connector *connector = &machine->profile->connectors[index];
    machine->levels[index] = value != 0;
    board_named_event(machine, (struct ta_event){.kind = TA_EVENT_INPUT, .value = value != 0}, connector->name);
    if (!machine->stopped)
        drive_button(machine, connector, value);
    return TA_OK;
}

enum ta_status ta_machine_output(const struct ta_machine *machine, const char *name, uint64_t *value,
                                 struct ta_problem *why) {
    size_t index = 0;
    enum ta_status status = find_connector(machine, name, TA_CONNECTOR_LAMPS, &index, why);
    if (!status)
        *value = machine->levels[index];
    return status;
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
    text_add(&machine->input, bytes, length);
    machine->input_closed = machine->input_closed || closed;
    board_offer_input(machine);
    return machine->input.failed ? TA_E_MEMORY : TA_OK;
}
