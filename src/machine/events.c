/* Events wait here until the port asks, and go into the trace's digest as they happen. */
#include "base/digest.h"
#include "machine/board.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void board_clear_events(struct ta_machine *machine) {
    struct event_queue *queue = &machine->queue;
    queue->count = queue->next = 0;
}

/* What a debugger asked for is none of what the board does: the trace is that of the undisturbed run. */
static bool is_a_debuggers(enum ta_event_kind kind) {
    return kind == TA_EVENT_BREAKPOINT || kind == TA_EVENT_WATCHPOINT;
}

static void digest_event(struct event_queue *queue, uint64_t cycle, const struct ta_event *event) {
    const uint64_t numbers[] = {event->kind,  cycle,     event->value,          event->width,
                                event->cause, event->pc, (uint64_t)event->stop, (uint64_t)(int64_t)event->code};
    uint64_t digest = queue->digest;
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; ++i)
        digest = digest_number(digest, numbers[i]);
    digest = digest_bytes(digest, event->name, strlen(event->name));
    queue->digest = digest_bytes(digest, event->bytes, event->length);
}

bool board_make_room(struct ta_machine *machine, size_t count) {
    struct event_queue *queue = &machine->queue;
    if (count <= queue->room)
        return true;
    struct ta_event *events = realloc(queue->events, count * sizeof *events);
    if (!events)
        return false;
    queue->events = events;
    queue->room = count;
    return true;
}

void board_event(struct ta_machine *machine, const struct ta_event *event) {
    struct event_queue *queue = &machine->queue;
    if (!is_a_debuggers(event->kind))
        digest_event(queue, board_cycle(machine), event);
    board_attend(machine);
    if (queue->count == queue->room && !board_make_room(machine, queue->room ? queue->room * 2 : 16))
        return; /* the digest knows the event; the caller of a machine without memory does not */
    struct ta_event *queued = &queue->events[queue->count++];
    *queued = *event;
    queued->time_ns = board_now_ns(machine);
    queued->hart = machine->active ? machine->active->hart.id : event->hart;
}

void board_named_event(struct ta_machine *machine, struct ta_event event, const char *name) {
    snprintf(event.name, sizeof event.name, "%s", name);
    board_event(machine, &event);
}

void board_console(struct ta_machine *machine, const void *bytes, size_t length) {
    const uint8_t *at = bytes;
    if (!board_is_reached(machine)) /* its cable is out: nobody hears it */
        return;
    for (size_t part; length; at += part, length -= part) {
        struct ta_event event = {.kind = TA_EVENT_CONSOLE};
        part = length < sizeof event.bytes ? length : sizeof event.bytes;
        memcpy(event.bytes, at, part);
        event.length = part;
        board_event(machine, &event);
    }
}

bool board_next_event(struct ta_machine *machine, struct ta_event *event) {
    struct event_queue *queue = &machine->queue;
    if (queue->next == queue->count)
        return false;
    *event = queue->events[queue->next++];
    return true;
}

void board_stop(struct ta_machine *machine, enum ta_stop stop, int code) {
    uint64_t pc = machine->active ? machine->active->hart.state.pc : machine->harts[0].hart.state.pc;
    machine->stopped = stop;
    board_event(machine, &(struct ta_event){.kind = TA_EVENT_STOP, .stop = stop, .code = code, .pc = pc});
}
