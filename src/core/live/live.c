/* The loop of a live target: the one place where device time passes. */
#include "core/live/live.h"

#include <stdlib.h>
#include <string.h>

enum ta_status ta_live_new(struct ta_port *port, struct ta_live **result, struct ta_problem *why) {
    struct ta_live *live = calloc(1, sizeof *live);
    const struct ta_profile *profile;
    *result = NULL;
    if (!live)
        return live_no_memory(why);
    live->port = port;
    enum ta_status status = ta_port_needs(port, 0, why);
    if (!status)
        status = port->describe(port->self, &profile, why);
    live->arena = status ? NULL : arena_new();
    live->value_count = live->arena ? profile->connector_count + profile->switch_count : 0;
    live->values = live->arena ? arena_alloc(live->arena, (live->value_count + 1) * sizeof *live->values) : NULL;
    if (!status && !live->values)
        status = live_no_memory(why);
    if (status) {
        ta_live_free(live);
        return status;
    }
    live->state.board = (struct ta_board){.size_bytes = sizeof live->state.board,
                                          .profile = profile,
                                          .values = live->values,
                                          .positions = live->values + profile->connector_count,
                                          .texts = &live->state.texts,
                                          .cable = live->state.cable,
                                          .document = ""};
    *result = live;
    return TA_OK;
}

void ta_live_free(struct ta_live *live) {
    if (!live)
        return;
    for (size_t i = 0; i < live->mark_count; ++i)
        live->port->forget(live->port->self, live->marks[i].mark);
    text_free(&live->document);
    arena_free(live->arena);
    free(live);
}

const struct ta_board *ta_live_board(const struct ta_live *live) {
    return &live->state.board;
}

enum ta_status ta_live_picture(struct ta_live *live, const char *name, struct ta_picture *picture,
                               struct ta_problem *why) {
    enum ta_status status = ta_port_needs(live->port, TA_CAN_PICTURE, why);
    return status ? status : live->port->read_picture(live->port->self, name, picture, why);
}

/* Copies the request at GIVEN, which says its size first, over COPY of SIZE bytes. */
static enum ta_status take_request(const void *given, void *copy, size_t size, bool room, struct ta_problem *why) {
    size_t said = *(const size_t *)given;
    if (!said || !room)
        return ta_problem_set(why, TA_E_USAGE, said ? "eight are the most" : "fill in size_bytes",
                              said ? "too many use one live target" : "a listener or an attendant says no size");
    memcpy(copy, given, said < size ? said : size);
    return TA_OK;
}

enum ta_status ta_live_listen(struct ta_live *live, const struct ta_listener *listener, struct ta_problem *why) {
    struct ta_listener copy = {0};
    enum ta_status status = take_request(listener, &copy, sizeof copy, live->listener_count < LISTENERS, why);
    if (!status)
        live->listeners[live->listener_count++] = copy;
    return status;
}

enum ta_status ta_live_attend(struct ta_live *live, const struct ta_attendant *attendant, struct ta_problem *why) {
    struct ta_attendant copy = {0};
    enum ta_status status = take_request(attendant, &copy, sizeof copy, live->attendance_count < ATTENDANTS, why);
    if (!status && !copy.slice_ns)
        status = ta_problem_set(why, TA_E_USAGE, "fill in slice_ns", "an attendant says not how often it comes");
    if (!status)
        live->attendances[live->attendance_count++] = (struct attendance){.attendant = copy};
    return status;
}

/* Power. */

/* What a target that cannot be powered is given instead. Its clock goes on; ours begins anew. */
static enum ta_status begin_by_reset(struct ta_live *live, struct ta_problem *why) {
    struct ta_port *port = live->port;
    enum ta_status status = port->halt(port->self, why);
    if (!status)
        status = port->reset(port->self, why);
    if (!status)
        status = port->wait(port->self, 0, &live->event, why);
    live->base_ns = live->event.time_ns;
    live->state.board.was_reset = true;
    return status;
}

static enum ta_status begin_by_power(struct ta_live *live, struct ta_problem *why) {
    struct ta_port *port = live->port;
    enum ta_status status = port->power(port->self, false, why); /* it may have been handed over running */
    live->base_ns = 0;
    return status ? status : port->power(port->self, true, why);
}

static enum ta_status tell_begin(struct ta_live *live) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && !live->again && i < live->listener_count; ++i)
        if (live->listeners[i].began)
            status = live->listeners[i].began(live->listeners[i].with);
    return status;
}

static enum ta_status power_on(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status =
        live->port->capabilities & TA_CAN_POWER ? begin_by_power(live, why) : begin_by_reset(live, why);
    if (status)
        return status;
    live->now = (struct instant){0, 0};
    live->running = false;
    live->feeding_count = 0;
    live->state.board.powered = true;
    for (size_t i = 0; i < live->attendance_count; ++i)
        live->attendances[i].next_ns = 0;
    status = live_note(live, &(struct call){.kind = CALL_POWER_ON}, why);
    if (!status)
        status = board_begin(live, why);
    return status ? status : tell_begin(live);
}

enum ta_status ta_live_power(struct ta_live *live, bool on, struct ta_problem *why) {
    if (on)
        return power_on(live, why);
    enum ta_status status = ta_port_needs(live->port, TA_CAN_POWER, why);
    if (!status)
        status = live->port->power(live->port->self, false, why);
    if (status)
        return status;
    live->running = live->state.board.powered = false;
    return live_note(live, &(struct call){.kind = CALL_POWER_OFF}, why);
}

enum ta_status ta_live_reset(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = live->port->reset(live->port->self, why);
    if (status)
        return status;
    live->running = false;
    live->state.board.stop = live->state.board.halt = live->state.board.trap = NULL;
    live->state.board.scene = NULL;
    return live_note(live, &(struct call){.kind = CALL_RESET}, why);
}

enum ta_status ta_live_resume(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = live->port->resume(live->port->self, why);
    if (status)
        return status;
    live->running = true;
    live->state.board.halt = NULL;
    return live_note(live, &(struct call){.kind = CALL_RESUME}, why);
}

enum ta_status ta_live_halt(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = live->port->halt(live->port->self, why);
    if (status)
        return status;
    live->running = false;
    return live_note(live, &(struct call){.kind = CALL_HALT}, why);
}

/* Time. */

/* Those who are due. One that lets time pass itself is not called meanwhile. */
static enum ta_status attend(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < live->attendance_count; ++i) {
        struct attendance *each = &live->attendances[i];
        if (each->at_work || live->now.time_ns < each->next_ns)
            continue;
        each->at_work = true;
        status = each->attendant.attend(each->attendant.with, live, why);
        each->at_work = false;
        each->next_ns = live->now.time_ns + each->attendant.slice_ns;
    }
    return status;
}

static uint64_t sooner(uint64_t a, uint64_t b) {
    return a < b ? a : b;
}

/* The next time, UNTIL_NS at the latest, at which something has to be done. */
static uint64_t next_stop_ns(const struct ta_live *live, uint64_t until_ns) {
    uint64_t next_ns = sooner(until_ns, live_next_feed_ns(live));
    for (size_t i = 0; i < live->attendance_count; ++i)
        if (!live->attendances[i].at_work)
            next_ns = sooner(next_ns, live->attendances[i].next_ns);
    return next_ns;
}

static enum ta_status tell(struct ta_live *live, const struct ta_event *event) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && !live->again && i < live->listener_count; ++i)
        if (live->listeners[i].happened)
            status = live->listeners[i].happened(live->listeners[i].with, event);
    return status;
}

/* One call of the port. */
static enum ta_status take_next(struct ta_live *live, uint64_t until_ns, struct ta_problem *why) {
    struct ta_event *event = &live->event;
    uint64_t end_ns = until_ns > UINT64_MAX - live->base_ns ? UINT64_MAX : until_ns + live->base_ns;
    enum ta_status status = live->port->wait(live->port->self, end_ns, event, why);
    if (status)
        return status;
    event->time_ns = event->time_ns > live->base_ns ? event->time_ns - live->base_ns : 0;
    live->now.time_ns = event->time_ns;
    live->now.events += event->kind != TA_EVENT_TIME;
    status = board_take(live, event);
    if (!status)
        status = tell(live, event);
    return status == TA_E_MEMORY ? live_no_memory(why)
           : status              ? ta_problem_set(why, status, NULL, "one who listens to the target ended this")
                                 : TA_OK;
}

enum ta_status ta_live_wait(struct ta_live *live, uint64_t until_ns, bool *over, const struct ta_event **event,
                            struct ta_problem *why) {
    enum ta_status status = TA_OK;
    live->event.kind = TA_EVENT_TIME;
    do {
        status = live_feed_due(live, why);
        if (!status && !live->again)
            status = attend(live, why);
        live->event.kind = TA_EVENT_TIME; /* an attendant may have waited for others */
        if (!status && live->running && !live->ended)
            status = take_next(live, next_stop_ns(live, until_ns), why);
    } while (!status && live->event.kind == TA_EVENT_TIME && live->now.time_ns < until_ns && live->running &&
             !live->state.board.stop && !live->ended);
    *over = !status && live->event.kind == TA_EVENT_TIME;
    if (event)
        *event = &live->event;
    return status;
}

enum ta_status ta_live_pass(struct ta_live *live, uint64_t time_ns, struct ta_problem *why) {
    uint64_t until_ns = live->now.time_ns + time_ns;
    enum ta_status status = TA_OK;
    for (bool over = false; !status && !over;)
        status = ta_live_wait(live, until_ns, &over, NULL, why);
    return status;
}

void ta_live_end(struct ta_live *live) {
    live->ended = true;
}

bool ta_live_ended(const struct ta_live *live) {
    return live->ended;
}
