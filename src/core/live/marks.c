/* Marks that the port keeps, and what was done since the first of them, each with its instant. */
#include "core/live/live.h"

#include <string.h>

enum ta_status live_note(struct ta_live *live, const struct call *call, struct ta_problem *why) {
    if (!live->mark_count || live->again || live->call_count == CALLS_MOST)
        return TA_OK;
    live->calls = arena_grow(live->arena, live->calls, live->call_count, &live->call_room, sizeof *live->calls);
    struct call *kept = live->calls ? &live->calls[live->call_count] : NULL;
    if (!kept) {
        live->call_count = 0;
        return live_no_memory(why);
    }
    *kept = *call;
    kept->at = live->now;
    kept->name = call->name ? arena_text(live->arena, call->name) : NULL;
    kept->bytes = call->bytes ? arena_text_part(live->arena, call->bytes, call->length) : NULL;
    if ((call->name && !kept->name) || (call->bytes && !kept->bytes))
        return live_no_memory(why);
    ++live->call_count;
    return TA_OK;
}

enum ta_status ta_live_mark(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = ta_port_needs(live->port, TA_CAN_REWIND, why);
    if (status)
        return status;
    live->marks = arena_grow(live->arena, live->marks, live->mark_count, &live->mark_room, sizeof *live->marks);
    if (!live->marks) {
        live->mark_count = 0;
        return live_no_memory(why);
    }
    struct mark *mark = &live->marks[live->mark_count];
    *mark = (struct mark){
        .at = live->now, .calls = live->call_count, .running = live->running, .feeding_count = live->feeding_count};
    memcpy(mark->feedings, live->feedings, sizeof mark->feedings);
    if (board_keep(live, mark))
        return live_no_memory(why);
    status = live->port->mark(live->port->self, &mark->mark, why);
    live->mark_count += !status;
    return status;
}
