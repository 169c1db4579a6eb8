/* Sensors that go through values from a table. */
#include "core/live/live.h"

#include <string.h>

enum ta_status live_feed(struct ta_live *live, const char *name, const struct feed *feed, struct ta_problem *why) {
    size_t at = 0;
    enum ta_status status = live_remember(live, name, why);
    while (at < live->feeding_count && strcmp(live->feedings[at].name, name))
        ++at;
    if (!status && at == FEEDINGS)
        status = ta_problem_set(why, TA_E_INPUT, "eight are the most", "too many sensors are fed at once");
    if (status)
        return status;
    live->feeding_count += at == live->feeding_count;
    live->feedings[at] = (struct feeding){name, feed, live->now.time_ns, 0};
    return live_note(live, &(struct call){.kind = CALL_FEED, .name = name, .feed = feed}, why);
}

static uint64_t due_ns(const struct feeding *feeding) {
    return feeding->next < feeding->feed->count ? feeding->start_ns + feeding->feed->values[feeding->next].time_ns
                                                : UINT64_MAX;
}

uint64_t live_next_feed_ns(const struct ta_live *live) {
    uint64_t next_ns = UINT64_MAX;
    for (size_t i = 0; i < live->feeding_count; ++i)
        next_ns = due_ns(&live->feedings[i]) < next_ns ? due_ns(&live->feedings[i]) : next_ns;
    return next_ns;
}

enum ta_status live_feed_due(struct ta_live *live, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; i < live->feeding_count; ++i) {
        struct feeding *each = &live->feedings[i];
        while (!status && due_ns(each) <= live->now.time_ns)
            status = live->port->set_input(live->port->self, each->name,
                                           (uint64_t)each->feed->values[each->next++].milli, why);
    }
    return status;
}
