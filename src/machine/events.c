/* Events wait here until somebody asks, and go into the trace's digest as they happen. */
#include "base/digest.h"
#include "base/scale.h"
#include "machine/board.h"

#include <stdlib.h>
#include <string.h>

void board_clear_events(struct ta_machine *machine) {
    struct event_queue *queue = &machine->queue;
    queue->count = queue->next = 0;
    queue->bytes.length = 0;
}

static void digest_event(struct event_queue *queue, uint64_t cycle, const struct ta_event *event) {
    const uint64_t numbers[] = {event->kind,  cycle,     event->value,          event->width,
                                event->cause, event->pc, (uint64_t)event->stop, (uint64_t)(int64_t)event->code};
    uint64_t digest = queue->digest;
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; ++i)
        digest = digest_number(digest, numbers[i]);
    if (event->name)
        digest = digest_bytes(digest, event->name, strlen(event->name));
    queue->digest = digest_bytes(digest, event->bytes, event->length);
}

void board_event(struct ta_machine *machine, const struct ta_event *event) {
    struct event_queue *queue = &machine->queue;
    digest_event(queue, machine->hart.cycle, event);
    board_attend(machine);
    if (queue->count == queue->room) {
        size_t room = queue->room ? queue->room * 2 : 16;
        struct queued_event *events = realloc(queue->events, room * sizeof *events);
        if (!events)
            return; /* the digest knows the event; the caller of a machine without memory does not */
        queue->events = events;
        queue->room = room;
    }
    struct queued_event *queued = &queue->events[queue->count++];
    queued->event = *event;
    queued->event.time_ns = ta_machine_time_ns(machine);
    queued->bytes_at = queue->bytes.length;
    if (event->length)
        text_add(&queue->bytes, (const char *)event->bytes, event->length);
}

void board_console(struct ta_machine *machine, const void *bytes, size_t length) {
    if (length)
        board_event(machine, &(struct ta_event){.kind = TA_EVENT_CONSOLE, .bytes = bytes, .length = length});
}

bool board_next_event(struct ta_machine *machine, struct ta_event *event) {
    struct event_queue *queue = &machine->queue;
    if (queue->next == queue->count)
        return false;
    const struct queued_event *queued = &queue->events[queue->next++];
    *event = queued->event;
    if (event->length)
        event->bytes = (const uint8_t *)queue->bytes.bytes + queued->bytes_at;
    return true;
}
