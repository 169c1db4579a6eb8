/* How the board stands, kept from its events. */
#include "core/live/live.h"

#include <string.h>

uint64_t *board_value(struct ta_live *live, const char *name) {
    const struct ta_profile *profile = live->state.board.profile;
    const struct ta_connector *connector = ta_profile_connector(profile, name);
    const struct ta_switch *each = connector ? NULL : ta_profile_switch(profile, name);
    return connector ? &live->values[connector - profile->connectors]
           : each    ? &live->values[profile->connector_count + (size_t)(each - profile->switches)]
                     : NULL;
}

/* What the port tells of itself only when it changes is asked for once. A port may know outputs alone. */
static enum ta_status read_values(struct ta_live *live, struct ta_problem *why) {
    const struct ta_profile *profile = live->state.board.profile;
    struct ta_port *port = live->port;
    enum ta_status status = TA_OK;
    for (size_t i = 0; status != TA_E_PORT && i < profile->connector_count + profile->switch_count; ++i) {
        bool is_switch = i >= profile->connector_count;
        enum ta_connector_kind kind = is_switch ? TA_CONNECTOR_LAMPS : profile->connectors[i].kind;
        const char *name =
            is_switch ? profile->switches[i - profile->connector_count].name : profile->connectors[i].name;
        if (kind == TA_CONNECTOR_LAMPS || kind == TA_CONNECTOR_SENSOR || kind == TA_CONNECTOR_BUTTON)
            status = port->read_output(port->self, name, &live->values[i], why);
    }
    return status == TA_E_PORT ? status : TA_OK;
}

enum ta_status board_begin(struct ta_live *live, struct ta_problem *why) {
    struct ta_board *board = &live->state.board;
    board->time_ns = 0;
    board->stop = board->halt = board->trap = NULL;
    board->scene = NULL;
    live->state.texts.count = 0;
    return live->port->capabilities & TA_CAN_OUTPUT ? read_values(live, why) : TA_OK;
}

static void show_document(struct ta_live *live) {
    live->state.board.document = live->document.bytes ? live->document.bytes : "";
    live->state.board.document_length = live->document.length;
}

/* A backspace takes the last character away again. */
static enum ta_status take_typed(struct ta_live *live, const struct ta_event *event) {
    struct text *document = &live->document;
    for (size_t i = 0; i < event->length; ++i) {
        if (event->bytes[i] != '\b') {
            text_add(document, (const char *)&event->bytes[i], 1);
            continue;
        }
        while (document->length && (document->bytes[--document->length] & 0xc0) == 0x80)
            ;
        if (document->bytes)
            document->bytes[document->length] = '\0';
    }
    show_document(live);
    return document->failed ? TA_E_MEMORY : TA_OK;
}

static void take_trap(struct ta_live *live, const struct ta_event *event) {
    if (!ta_trap_counts(event, live->state.board.trap))
        return;
    live->state.trap = *event;
    live->state.board.trap = &live->state.trap;
    live->state.board.scene = &live->state.scene;
    ta_scene_take(live->port, event, &live->state.scene);
}

static void take_output(struct ta_live *live, const struct ta_event *event) {
    const struct ta_connector *screen = ta_profile_connector(live->state.board.profile, event->name);
    uint64_t *value = board_value(live, event->name);
    if (event->width && value)
        *value = event->value;
    if (event->width || !screen)
        return;
    live->state.board.redrawn = screen->name;
    ++live->state.board.redraws;
}

enum ta_status board_take(struct ta_live *live, const struct ta_event *event) {
    struct ta_board *board = &live->state.board;
    uint64_t *value;
    board->time_ns = event->time_ns;
    switch (event->kind) {
    case TA_EVENT_OUTPUT: take_output(live, event); break;
    case TA_EVENT_INPUT:
        value = event->length ? NULL : board_value(live, event->name);
        if (value)
            *value = event->value;
        break;
    case TA_EVENT_CABLE:
        board->cable_state = (enum ta_cable)event->value;
        memcpy(live->state.cable, event->bytes, event->length);
        live->state.cable[event->length] = '\0';
        break;
    case TA_EVENT_TYPED: return take_typed(live, event);
    case TA_EVENT_TEXT: ta_texts_take(&live->state.texts, event); break;
    case TA_EVENT_TRAP: take_trap(live, event); break;
    case TA_EVENT_STOP:
        live->state.stop = *event;
        board->stop = &live->state.stop;
        take_trap(live, event);
        break;
    case TA_EVENT_BREAKPOINT:
    case TA_EVENT_WATCHPOINT:
        live->state.halt = *event;
        board->halt = &live->state.halt;
        live->running = false;
        break;
    default: break;
    }
    return TA_OK;
}

enum ta_status board_keep(struct ta_live *live, struct mark *mark) {
    mark->state = arena_alloc(live->arena, sizeof *mark->state);
    mark->values = arena_alloc(live->arena, (live->value_count + 1) * sizeof *mark->values);
    mark->document = arena_text_part(live->arena, live->state.board.document, live->state.board.document_length);
    if (!mark->state || !mark->values || !mark->document)
        return TA_E_MEMORY;
    *mark->state = live->state;
    memcpy(mark->values, live->values, live->value_count * sizeof *mark->values);
    mark->document_length = live->state.board.document_length;
    return TA_OK;
}

enum ta_status board_back(struct ta_live *live, const struct mark *mark) {
    live->state = *mark->state;
    memcpy(live->values, mark->values, live->value_count * sizeof *mark->values);
    live->document.length = 0;
    text_add(&live->document, mark->document, mark->document_length);
    show_document(live);
    return live->document.failed ? TA_E_MEMORY : TA_OK;
}
