/* Running a trial: statement by statement, each with its result. */
#include "base/digest.h"
#include "core/trial/stimuli.h"

#include <stdlib.h>
#include <string.h>

/* Lets the target run until the expectation holds, its deadline passes or the target stops. */
static enum ta_status await(struct recorder *recorder, const struct statement *statement, bool *held) {
    const struct ta_board *board = recorder->board;
    uint64_t deadline_ns = board->time_ns + statement->time_ns;
    enum ta_status status = TA_OK;
    bool over = !statement->row->within || (statement->row->at_once && !statement->time_ns);
    recorder->text_tried = recorder->levels_tried = 0;
    recorder->pictured = 0;
    recorder->trouble = TA_OK;
    *held = statement->row->holds(recorder, statement, over);
    status = recorder->trouble;
    while (!status && !*held && !over) {
        bool timed_out = board->stop != NULL;
        if (!timed_out)
            status = ta_live_wait(recorder->live, deadline_ns, &timed_out, NULL, recorder->why);
        over = timed_out || board->stop || board->halt;
        *held = !status && statement->row->holds(recorder, statement, over);
        status = status ? status : recorder->trouble;
    }
    return status;
}

/* What the board knows of a trap is the recording's too. */
static enum ta_status keep_trap(struct recorder *recorder, struct ta_recording *recording) {
    const struct ta_event *trap = recorder->board->trap;
    struct ta_scene *scene = arena_alloc(recorder->arena, sizeof *scene);
    if (!scene)
        return ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
    *scene = *recorder->board->scene;
    recording->trapped = true;
    recording->trap_pc = trap->pc;
    recording->trap_cause = trap->cause;
    recording->trap_value = trap->value;
    recording->scene = scene;
    return TA_OK;
}

/* A trap or a stop says more than what was not there because of it. */
static const char *describe_failure(const struct recorder *recorder, const struct statement *statement,
                                    const struct ta_recording *recording) {
    return recording->trapped                               ? describe_trap(recorder)
           : recorder->board->stop || recorder->board->halt ? describe_stop(recorder)
                                                            : statement->row->describe(recorder, statement);
}

/* A cut at one of many instants is another one each time that the trial is run. */
static enum ta_status act(struct recorder *recorder, const struct statement *statement, unsigned round) {
    struct statement now = *statement;
    if (statement->instants)
        now.time_ns = statement->time_ns * (2 * round + 1) / (2 * statement->instants);
    enum ta_status status = statement->row->act(recorder->live, &now, recorder->why);
    if (!status && statement_cuts(statement))
        status = recorder_note(recorder, "power", "cut");
    if (!status && statement->row->looks_anew)
        recorder_look_from_here(recorder);
    return status;
}

static enum ta_status run_statement(struct recorder *recorder, const struct statement *statement, unsigned round,
                                    struct ta_recording *recording, struct ta_result *result) {
    enum ta_status status;
    bool held = true;
    result->start_ns = recorder->board->time_ns;
    if (statement->row->act) {
        recorder_look_from_here(recorder);
        recorder->console_line = statement->line;
        recorder->console_used = false;
        status = act(recorder, statement, round);
        result->outcome = TA_OUTCOME_DONE;
    } else {
        size_t console_from = recorder->console_from;
        status = await(recorder, statement, &held);
        if (recorder->console_from != console_from) {
            recorder->console_line = statement->line;
            recorder->console_used = true;
        }
        result->outcome = held ? TA_OUTCOME_HELD : TA_OUTCOME_FAILED;
    }
    result->end_ns = recorder->board->time_ns;
    result->moments = recorder->moment_count;
    if (!status && !held) {
        recording->passed = false;
        recording->failed = result;
        if (recorder->board->trap && (!statement->row->within || recorder->board->stop))
            status = keep_trap(recorder, recording);
        if (!status)
            result->seen = describe_failure(recorder, statement, recording);
        if (!status && statement->picture)
            status = take_picture(recorder, statement, recording);
        if (!status && !result->seen)
            status = ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
    }
    return status;
}

static uint32_t capabilities_for(const struct trial *trial) {
    uint32_t needed = TA_CAN_TIME;
    for (size_t i = 0; i < trial->count; ++i)
        needed |= trial->statements[i].row->needs | (trial->statements[i].instants ? (uint32_t)TA_CAN_REWIND : 0) |
                  (trial->statements[i].bytes ? (uint32_t)TA_CAN_STORE : 0);
    return needed;
}

/* What a trial pressed is let go, and the power is off, where it can be: the next trial starts like the first. */
static enum ta_status leave_target(struct ta_live *live, bool can_power, struct ta_problem *why) {
    enum ta_status status = ta_live_put_back(live, why);
    if (!status && !can_power)
        return ta_live_halt(live, why);
    return status ? status : ta_live_power(live, false, why);
}

/* What of the record stays with the recording. */
static enum ta_status keep_record(struct recorder *recorder, struct ta_recording *recording) {
    struct ta_artefact *console = arena_alloc(recorder->arena, sizeof *console);
    const struct text *said = &recorder->said;
    const char *bytes = arena_text_part(recorder->arena, said->bytes ? said->bytes : "", said->length);
    if (!console || !bytes)
        return ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
    *console = (struct ta_artefact){"console", "text/plain", (const uint8_t *)bytes, said->length};
    recording->artefacts = console;
    recording->artefact_count = 1;
    recording->moments = recorder->moments;
    recording->moment_count = recorder->moment_count;
    recording->time_ns = recorder->board->time_ns;
    return TA_OK;
}

/* A recording with a result for each statement, none of them reached; null without memory. */
static struct ta_recording *recording_of(const struct ta_trials *trials, size_t index, struct arena **arena,
                                         struct ta_result **results) {
    const struct trial *trial = &trials->trials[index];
    struct ta_recording *recording = recording_new(arena);
    *results = recording ? arena_alloc(*arena, (trial->count + 1) * sizeof **results) : NULL;
    bool good = *results != NULL;
    for (size_t i = 0; good && i < trial->count; ++i) {
        (*results)[i].line = trial->statements[i].line;
        (*results)[i].source = arena_text(*arena, trial->statements[i].source);
        good = (*results)[i].source != NULL;
    }
    if (good) {
        recording->trial = arena_text(*arena, trial->name);
        recording->file = arena_text(*arena, trials->file);
        recording->passed = true;
        recording->expectations = ta_trial_expectations(trials, index);
        recording->results = *results;
        recording->result_count = trial->count;
    }
    if (good && recording->trial && recording->file)
        return recording;
    ta_recording_free(recording);
    return NULL;
}

static unsigned rounds_of(const struct trial *trial) {
    unsigned rounds = 1;
    for (size_t i = 0; i < trial->count; ++i)
        rounds = trial->statements[i].instants ? trial->statements[i].instants : rounds;
    return rounds;
}

/* One time that a trial is run: the NUMBER-th, from 0 on, of those that cut the power, each at another instant. */
struct round {
    const struct ta_trials *trials;
    size_t index;
    struct ta_port *port;
    bool (*cancelled)(void *);
    void *cancelled_with;
    struct ta_problem *why;
    unsigned number;
};

static enum ta_status look_for_cancel(void *with, struct ta_live *live, struct ta_problem *why) {
    const struct round *round = with;
    (void)live;
    return round->cancelled(round->cancelled_with) ? ta_problem_set(why, TA_E_INTERRUPTED, NULL, "interrupted") : TA_OK;
}

static enum ta_status record_round(const struct round *round, struct recorder *recorder, struct ta_recording **result) {
    const struct trial *trial = &round->trials->trials[round->index];
    struct ta_port *port = round->port;
    struct ta_result *results;
    struct ta_recording *recording = recording_of(round->trials, round->index, &recorder->arena, &results);
    enum ta_status status = TA_OK;
    if (!recording)
        return ta_problem_set(round->why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; !status && recording->passed && i < trial->count; ++i)
        status = run_statement(recorder, &trial->statements[i], round->number, recording, &results[i]);
    if (!status)
        status = keep_record(recorder, recording);
    if (!status && port->capabilities & TA_CAN_TRACE)
        status = port->trace(port->self, &recording->trace, round->why);
    recording->was_reset = recorder->board->was_reset;
    if (status)
        ta_recording_free(recording);
    else
        *result = recording;
    return status;
}

/* A target that is still there is left as it was found, also when the trial came to no verdict: that is what WHY tells of then. */
static enum ta_status use_target(struct round *round, struct recorder *recorder, struct ta_recording **result) {
    enum { LOOK_NS = 100000000 };
    const struct ta_attendant attendant = {sizeof attendant, round, LOOK_NS, look_for_cancel};
    const struct ta_listener listener = {sizeof listener, recorder, recorder_begin, recorder_take};
    struct ta_live *live = recorder->live;
    enum ta_status status = ta_live_listen(live, &listener, round->why);
    if (!status && round->cancelled)
        status = ta_live_attend(live, &attendant, round->why);
    if (!status)
        status = record_round(round, recorder, result);
    if (status == TA_E_PORT)
        return status;
    struct ta_problem *unheard = status ? calloc(1, sizeof *unheard) : NULL;
    enum ta_status left = status && !unheard ? TA_OK
                                             : leave_target(live, round->port->capabilities & TA_CAN_POWER,
                                                            status ? unheard : round->why);
    free(unheard);
    return status ? status : left;
}

/* A recorder is large, and stacks may be small: it lies on the heap. */
static enum ta_status run_round(struct round *round, struct ta_recording **result) {
    struct recorder *recorder = calloc(1, sizeof *recorder);
    *result = NULL;
    if (!recorder)
        return ta_problem_set(round->why, TA_E_MEMORY, NULL, "out of memory");
    enum ta_status status = ta_live_new(round->port, &recorder->live, round->why);
    if (!status) {
        recorder->board = ta_live_board(recorder->live);
        recorder->patterns = round->trials->patterns;
        recorder->why = round->why;
        status = use_target(round, recorder, result);
    }
    ta_live_free(recorder->live);
    text_free(&recorder->console);
    text_free(&recorder->said);
    text_free(&recorder->sent);
    free(recorder);
    return status;
}

/* Each round begins with what the target kept before the trial; so does the next trial. The recording is that of the round that failed, or of
   the last one, and its trace is of all of them. */
static enum ta_status run_rounds(struct round *round, struct ta_recording **result) {
    const struct trial *trial = &round->trials->trials[round->index];
    const unsigned rounds = rounds_of(trial);
    struct ta_port *port = round->port;
    uint64_t trace = DIGEST_START;
    void *mark = NULL;
    enum ta_status status = ta_port_needs(port, capabilities_for(trial), round->why);
    if (!status && port->capabilities & TA_CAN_REWIND)
        status = port->mark(port->self, &mark, round->why);
    for (bool over = false; !status && !over; ++round->number) {
        ta_recording_free(*result);
        status = run_round(round, result);
        if (!status && mark)
            status = port->rewind(port->self, mark, round->why);
        trace = status ? trace : digest_number(trace, (*result)->trace);
        over = status || !(*result)->passed || round->number + 1 == rounds;
    }
    if (!status && rounds > 1)
        (*result)->trace = trace;
    if (mark)
        port->forget(port->self, mark);
    return status;
}

enum ta_status ta_trial_run(const struct ta_trials *trials, size_t index, struct ta_port *port,
                            bool (*cancelled)(void *), void *cancelled_with, struct ta_recording **result,
                            struct ta_problem *why) {
    struct ta_problem *unheard = why ? NULL : calloc(1, sizeof *unheard); /* ports always have something to tell */
    struct round round = {trials, index, port, cancelled, cancelled_with, why ? why : unheard, 0};
    *result = NULL;
    enum ta_status status = round.why ? run_rounds(&round, result) : TA_E_MEMORY;
    free(unheard);
    if (status) {
        ta_recording_free(*result);
        *result = NULL;
    }
    return status;
}
