/* Going back: from a mark that the port keeps, all that was done is done again, each call at its instant. The target is deterministic, so the
   same calls at the same instants lead to the same target. */
#include "core/live/live.h"

#include <string.h>

/* Lets the target run to AT: behind so many events, then to its time. */
static enum ta_status go_to(struct ta_live *live, struct instant at, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    bool over = !live->running;
    while (!status && !over && live->now.events < at.events)
        status = ta_live_wait(live, at.time_ns, &over, NULL, why);
    if (!status && live->running && live->now.events == at.events && live->now.time_ns < at.time_ns)
        status = ta_live_wait(live, at.time_ns, &over, NULL, why);
    return status;
}

static enum ta_status do_again(struct ta_live *live, const struct call *call, struct ta_problem *why) {
    struct ta_port *port = live->port;
    switch (call->kind) {
    case CALL_POWER_ON: return ta_live_power(live, true, why);
    case CALL_POWER_OFF: return ta_live_power(live, false, why);
    case CALL_RESET: return ta_live_reset(live, why);
    case CALL_RESUME: return ta_live_resume(live, why);
    case CALL_HALT: return ta_live_halt(live, why);
    case CALL_SET: return port->set_input(port->self, call->name, call->value, why);
    case CALL_TYPE: return port->type(port->self, call->bytes, call->length, false, why);
    case CALL_CLOSE: return port->type(port->self, call->bytes, call->length, true, why);
    case CALL_MESSAGE: return port->message(port->self, call->name, call->bytes, call->length, why);
    case CALL_STORE: return port->write_store(port->self, call->name, 0, call->bytes, call->length, why);
    case CALL_FEED: return live_feed(live, call->name, call->feed, why);
    }
    return TA_OK;
}

/* The last call that switched the power on: times count from there. */
static size_t last_power_on(const struct ta_live *live) {
    size_t last = 0;
    for (size_t i = 0; i < live->call_count; ++i)
        last = live->calls[i].kind == CALL_POWER_ON ? i : last;
    return last;
}

/* The last mark from which TIME_NS can be reached; null for none. Marks of an earlier power-on lead there through the later one. */
static struct mark *mark_before(struct ta_live *live, uint64_t time_ns) {
    size_t begun = last_power_on(live);
    struct mark *found = NULL;
    for (size_t i = 0; i < live->mark_count; ++i)
        if (live->marks[i].calls <= begun || live->marks[i].at.time_ns <= time_ns)
            found = &live->marks[i];
    return found;
}

static enum ta_status replay(struct ta_live *live, const struct mark *mark, uint64_t time_ns, struct ta_problem *why) {
    size_t begun = last_power_on(live), at = mark->calls;
    enum ta_status status = live->port->rewind(live->port->self, mark->mark, why);
    live->now = mark->at;
    live->running = mark->running;
    live->feeding_count = mark->feeding_count;
    memcpy(live->feedings, mark->feedings, sizeof mark->feedings);
    if (!status && board_back(live, mark))
        status = live_no_memory(why);
    for (; !status && at < live->call_count && (at <= begun || live->calls[at].at.time_ns <= time_ns); ++at) {
        status = go_to(live, live->calls[at].at, why);
        if (!status)
            status = do_again(live, &live->calls[at], why);
    }
    for (bool over = !live->running; !status && !over;)
        status = ta_live_wait(live, time_ns, &over, NULL, why);
    live->call_count = at;
    return status;
}

enum ta_status ta_live_back(struct ta_live *live, uint64_t time_ns, struct ta_problem *why) {
    const struct mark *mark = mark_before(live, time_ns);
    if (live->call_count == CALLS_MOST)
        return ta_problem_set(why, TA_E_NO, "go back within the first million of calls",
                              "too much was done to the target since its first mark");
    if (!mark || time_ns > live->now.time_ns)
        return ta_problem_set(why, TA_E_INPUT, "choose a time between the first mark and now",
                              "the target cannot go back there");
    bool ended = live->ended;
    live->again = true;
    live->ended = false;
    enum ta_status status = replay(live, mark, time_ns, why);
    live->again = false;
    live->ended = ended;
    while (!status && live->mark_count && live->marks[live->mark_count - 1].calls > live->call_count)
        live->port->forget(live->port->self, live->marks[--live->mark_count].mark);
    return status;
}
