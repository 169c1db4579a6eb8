#include "flow/live/live.h"

/* How much device time passes at the most until the clock is looked at, and whether to stop. */
enum { SLICE_NS = 5000000, KEEP_US = 1000000, LOST_US = 1000000 };

/* Switches that somebody moved while it ran stay so. */
static enum ta_status keep_switches(struct live *live, struct ta_problem *why) {
    const struct target *target = live->target;
    struct arena *arena = target->context->arena;
    const struct ta_board *board = ta_live_board(live->live);
    struct bench_target bench;
    bool moved = false;
    for (size_t i = 0; i < target->profile->switch_count; ++i)
        moved = moved || board->positions[i] != live->positions[i];
    enum ta_status status = moved ? target_read(target->context, target->name, &bench, why) : TA_OK;
    for (size_t i = 0; !status && moved && i < target->profile->switch_count; ++i) {
        const struct ta_switch *each = &target->profile->switches[i];
        uint64_t position = board->positions[i];
        if (position != live->positions[i] && position < each->position_count)
            pairs_set(arena, &bench.state, each->name, each->positions[position]);
        live->positions[i] = position;
    }
    return status || !moved ? status : target_write(target->context, &bench, why);
}

enum ta_status live_keep(struct live *live, struct ta_problem *why) {
    if (!live->keeps)
        return TA_OK;
    live->kept_us = g_get_monotonic_time();
    enum ta_status status = target_keep(live->target, why);
    if (!status && live->target->simulated && ta_live_board(live->live)->powered)
        status = keep_switches(live, why);
    return status;
}

/* Sleeps until the host's clock has caught up with the device's. Time in which this process was stopped is not made up for. */
static void keep_pace(struct live *live) {
    gint64 device_us = (gint64)(ta_live_board(live->live)->time_ns / 1000);
    gint64 ahead_us = device_us - (g_get_monotonic_time() - live->start_us);
    if (ahead_us > 0)
        g_usleep((gulong)ahead_us);
    else if (ahead_us < -LOST_US)
        live->start_us -= ahead_us;
}

static enum ta_status attend(void *with, struct ta_live *of, struct ta_problem *why) {
    struct live *live = with;
    if (context_cancelled(live->target->context)) {
        if (live->has_limit)
            return ta_problem_set(why, TA_E_INTERRUPTED, NULL, "interrupted");
        ta_live_end(of); /* without a limit, this is how a run ends */
        return TA_OK;
    }
    if (live->at_board_pace)
        keep_pace(live);
    return g_get_monotonic_time() - live->kept_us > KEEP_US ? live_keep(live, why) : TA_OK;
}

static enum ta_status begin(void *with) {
    struct live *live = with;
    memcpy(live->positions, ta_live_board(live->live)->positions,
           live->target->profile->switch_count * sizeof *live->positions);
    live->start_us = live->kept_us = g_get_monotonic_time();
    return TA_OK;
}

enum ta_status live_open(struct live *live, struct target *target, struct ta_problem *why) {
    *live = (struct live){.target = target, .keeps = target->held};
    const struct ta_listener listener = {sizeof listener, live, begin, NULL};
    const struct ta_attendant attendant = {sizeof attendant, live, SLICE_NS, attend};
    live->positions = g_new0(uint64_t, target->profile->switch_count + 1);
    enum ta_status status = ta_live_new(&target->port, &live->live, why);
    if (!status)
        status = ta_live_listen(live->live, &listener, why);
    return status ? status : ta_live_attend(live->live, &attendant, why);
}

void live_close(struct live *live) {
    ta_live_free(live->live);
    g_free(live->positions);
    *live = (struct live){.live = NULL};
}
