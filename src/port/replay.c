#include "port/replay.h"

/* A stretch lasts as long as a computer runs again in a moment, and so much longer as a snapshot costs: an instruction for a byte. Harts that
   sleep carry out next to none, but devices do not sleep. */
enum { STRETCH_INSTRUCTIONS = 10000000 };
static const uint64_t stretch_ns = UINT64_C(10000000000);

/* More than that is not saved whenever somebody reaches in. */
enum { OFTEN_BYTES = 16 << 20 };

void replay_prepare(struct replay *replay, const struct ta_machine *machine) {
    uint64_t now_ns = ta_machine_time_ns(machine), retired = ta_machine_retired(machine);
    uint64_t bytes = replay->from ? ta_snapshot_size(replay->from) : 0;
    bool is_long =
        retired - replay->from_retired >= STRETCH_INSTRUCTIONS + bytes || now_ns - replay->from_ns >= stretch_ns;
    bool is_new = !replay->from || (replay->broken && bytes <= OFTEN_BYTES);
    if (!is_new && !is_long && now_ns >= replay->from_ns)
        return;
    replay_end(replay);
    replay->from_ns = now_ns;
    replay->from_retired = retired;
    replay->broken = ta_machine_save(machine, &replay->from) != TA_OK;
}

/* Runs COPY to where MACHINE is, the last NOTED_NS of it with branches noted. */
static bool catch_up(struct ta_machine *copy, const struct ta_machine *machine, uint64_t noted_ns) {
    uint64_t now_ns = ta_machine_time_ns(machine), retired = ta_machine_retired(machine);
    struct ta_event event = {.kind = TA_EVENT_CONSOLE};
    while (now_ns > noted_ns && ta_machine_time_ns(copy) < now_ns - noted_ns && ta_machine_retired(copy) < retired)
        ta_machine_run(copy, now_ns - noted_ns, &event);
    ta_machine_note_branches(copy, true);
    do
        ta_machine_run(copy, now_ns, &event);
    while (ta_machine_trace(copy) != ta_machine_trace(machine) && ta_machine_retired(copy) <= retired &&
           event.kind != TA_EVENT_TIME);
    return ta_machine_trace(copy) == ta_machine_trace(machine);
}

size_t replay_branches(struct replay *replay, const struct ta_machine *machine, unsigned hart,
                       struct ta_branch branches[TA_BRANCHES]) {
    static const uint64_t noted_ns[] = {50000, 5000000, UINT64_MAX};
    struct ta_machine *copy;
    size_t count = 0;
    if (!replay->from || replay->broken ||
        ta_machine_new(replay->profile, replay->models, replay->model_count, &copy, NULL))
        return 0;
    for (size_t i = 0; i < sizeof noted_ns / sizeof *noted_ns && count < TA_BRANCHES; ++i) {
        ta_machine_note_branches(copy, false);
        if (ta_machine_fork(copy, replay->from, NULL) || !catch_up(copy, machine, noted_ns[i]))
            break;
        count = ta_machine_branches(copy, hart, branches);
    }
    ta_machine_free(copy);
    return count;
}

void replay_end(struct replay *replay) {
    ta_snapshot_free(replay->from);
    replay->from = NULL;
}
