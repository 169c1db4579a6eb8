/* Running a trial: events come from the port, are kept in a record, and each expectation looks into the record from its
   own starting point on: the last stimulus, or what an earlier expectation has used up. */
#include "base/text.h"
#include "base/units.h"
#include "core/statements.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* An output's level, from its time on. */
struct shown {
    const char *name;
    uint64_t level, time_ns;
};

enum { LAST_THINGS = 4, THING_BYTES = 160 };

struct record {
    struct ta_port *port;
    struct ta_problem *why;
    bool (*cancelled)(void *);
    void *cancelled_with;
    uint64_t now_ns;

    struct text console;
    size_t console_from, line_start, line_tried;
    uint64_t console_time_ns;

    struct shown *shown;
    size_t shown_count, shown_from, shown_room;

    bool stopped, trapped;
    struct ta_event stop, trap;

    char things[LAST_THINGS][THING_BYTES]; /* a ring */
    size_t thing_count;
};

const char *level_text(uint64_t level, unsigned width, char buffer[65]) {
    for (unsigned i = 0; i < width; ++i)
        buffer[i] = level >> (width - 1 - i) & 1 ? '1' : '0';
    buffer[width] = '\0';
    return buffer;
}

/* Keeping the record. */

#define THING(record, time_ns, ...) add_thing(record, time_ns, (snprintf(thing, sizeof thing, __VA_ARGS__), thing))

static void add_thing(struct record *record, uint64_t time_ns, const char *what) {
    char time[UNIT_TEXT_BYTES];
    snprintf(record->things[record->thing_count++ % LAST_THINGS], THING_BYTES, "%.120s %s", what,
             unit_format(time, UNIT_TIME_NS, time_ns));
}

static enum ta_status add_shown(struct record *record, const char *name, uint64_t level, uint64_t time_ns) {
    if (record->shown_count == record->shown_room) {
        size_t room = record->shown_room ? record->shown_room * 2 : 32;
        struct shown *grown = realloc(record->shown, room * sizeof *grown);
        if (!grown)
            return ta_problem_set(record->why, TA_E_MEMORY, NULL, "out of memory");
        record->shown = grown;
        record->shown_room = room;
    }
    record->shown[record->shown_count++] = (struct shown){name, level, time_ns};
    return TA_OK;
}

static void add_console(struct record *record, const struct ta_event *event) {
    char thing[THING_BYTES];
    for (size_t i = 0; i < event->length; ++i) {
        text_add(&record->console, (const char *)event->bytes + i, 1);
        if (event->bytes[i] != '\n' || record->console.failed)
            continue;
        size_t length = record->console.length - record->line_start - 1;
        THING(record, event->time_ns, "console \"%.*s\"", (int)(length < 100 ? length : 100),
              record->console.bytes + record->line_start);
        record->line_start = record->console.length;
    }
    record->console_time_ns = event->time_ns;
}

static enum ta_status add_event(struct record *record, const struct ta_event *event) {
    char thing[THING_BYTES], row[65];
    record->now_ns = event->time_ns;
    switch (event->kind) {
    case TA_EVENT_CONSOLE: add_console(record, event); break;
    case TA_EVENT_OUTPUT:
        THING(record, event->time_ns, "%s %s", event->name, level_text(event->value, event->width, row));
        return add_shown(record, event->name, event->value, event->time_ns);
    case TA_EVENT_INPUT:
        THING(record, event->time_ns, "%s %s", event->name, event->value ? "pressed" : "released");
        break;
    case TA_EVENT_TRAP:
        THING(record, event->time_ns, "trap: %s at 0x%llx", ta_trap_text(event->cause), (unsigned long long)event->pc);
        if (!record->trapped)
            record->trap = *event;
        record->trapped = true;
        break;
    case TA_EVENT_STOP:
        THING(record, event->time_ns, "the target %s", ta_stop_text(event->stop));
        record->stopped = true;
        record->stop = *event;
        break;
    case TA_EVENT_TIME:
    case TA_EVENT_BREAKPOINT: break;
    }
    return record->console.failed ? ta_problem_set(record->why, TA_E_MEMORY, NULL, "out of memory") : TA_OK;
}

/* Waits for one event, until UNTIL_NS; *TIMED_OUT tells that none came. */
static enum ta_status next_event(struct record *record, uint64_t until_ns, bool *timed_out) {
    struct ta_event event;
    if (record->cancelled && record->cancelled(record->cancelled_with))
        return ta_problem_set(record->why, TA_E_INTERRUPTED, NULL, "interrupted");
    enum ta_status status = record->port->wait(record->port->self, until_ns, &event, record->why);
    if (!status)
        status = add_event(record, &event);
    *timed_out = !status && event.kind == TA_EVENT_TIME;
    return status;
}

static enum ta_status pass_time(struct record *record, uint64_t time_ns) {
    uint64_t until_ns = record->now_ns + time_ns;
    enum ta_status status = TA_OK;
    for (bool timed_out = false; !status && !timed_out;)
        status = next_event(record, until_ns, &timed_out);
    return status;
}

/* What comes from here on is what expectations look at. */
static void look_from_here(struct record *record) {
    record->console_from = record->line_tried = record->console.length;
    record->shown_from = record->shown_count;
}

/* Stimuli. */

static enum ta_status power_on(struct record *record) {
    struct ta_port *port = record->port;
    const struct ta_profile *profile;
    enum ta_status status = port->power(port->self, true, record->why);
    if (!status)
        status = port->describe(port->self, &profile, record->why);
    record->now_ns = 0;
    record->stopped = record->trapped = false;
    record->console.length = record->line_start = 0;
    record->shown_count = 0;
    look_from_here(record);
    for (size_t i = 0; !status && i < profile->connector_count; ++i) {
        uint64_t level = 0;
        if (profile->connectors[i].kind != TA_CONNECTOR_LAMPS || !(port->capabilities & TA_CAN_OUTPUT))
            continue;
        status = port->read_output(port->self, profile->connectors[i].name, &level, record->why);
        if (!status)
            status = add_shown(record, profile->connectors[i].name, level, 0);
    }
    return status ? status : port->resume(port->self, record->why);
}

static enum ta_status reset(struct record *record) {
    struct ta_port *port = record->port;
    enum ta_status status = port->reset(port->self, record->why);
    look_from_here(record);
    record->stopped = record->trapped = false;
    return status ? status : port->resume(port->self, record->why);
}

static enum ta_status set_input(struct record *record, const char *name, uint64_t value) {
    return record->port->set_input(record->port->self, name, value, record->why);
}

static enum ta_status stimulate(struct record *record, const struct statement *statement) {
    struct ta_port *port = record->port;
    enum ta_status status;
    look_from_here(record);
    switch (statement->kind) {
    case STATEMENT_POWER_ON: return power_on(record);
    case STATEMENT_POWER_OFF: return port->power(port->self, false, record->why);
    case STATEMENT_RESET: return reset(record);
    case STATEMENT_HOLD: return set_input(record, statement->name, 1);
    case STATEMENT_RELEASE: return set_input(record, statement->name, 0);
    case STATEMENT_TYPE: return port->type(port->self, statement->text, statement->text_length, false, record->why);
    case STATEMENT_PRESS:
        status = set_input(record, statement->name, 1);
        if (!status)
            status = pass_time(record, statement->time_ns);
        return status ? status : set_input(record, statement->name, 0);
    default: /* wait */
        status = pass_time(record, statement->time_ns);
        look_from_here(record);
        return status;
    }
}

/* Expectations. Each tells whether the record holds what is expected; LAST_CALL: nothing more will come. */

static bool find_text(struct record *record, const struct statement *statement) {
    const char *console = record->console.bytes;
    size_t end = record->console.length, length = statement->text_length;
    for (size_t at = record->console_from; at + length <= end; ++at) {
        if (memcmp(console + at, statement->text, length))
            continue;
        record->console_from = record->line_tried = at + length;
        return true;
    }
    return false;
}

/* Patterns are tried on whole lines, each once; on an unfinished line only when nothing more will come. */
static bool find_pattern(struct record *record, const struct statement *statement, const struct ta_patterns *patterns,
                         bool last_call) {
    const char *console = record->console.bytes;
    while (record->line_tried < record->console.length) {
        const char *line = console + record->line_tried;
        size_t left = record->console.length - record->line_tried, end = 0;
        const char *newline = memchr(line, '\n', left);
        if (!newline && !last_call)
            return false;
        size_t length = newline ? (size_t)(newline - line) : left;
        size_t shown = length && line[length - 1] == '\r' ? length - 1 : length;
        record->line_tried += newline ? length + 1 : length;
        if (patterns->match(statement->pattern, line, shown, &end)) {
            record->console_from = record->line_tried;
            return true;
        }
    }
    return false;
}

/* The first level of output NAME in the record from AT on, or shown_count. */
static size_t next_shown(const struct record *record, const char *name, size_t at) {
    while (at < record->shown_count && strcmp(record->shown[at].name, name))
        ++at;
    return at;
}

/* How many of the rows follow each other directly from START on; *LAST is the last one's place. */
static size_t levels_follow(const struct record *record, const struct statement *statement, size_t start,
                            size_t *last) {
    uint64_t before_ns = 0;
    for (size_t i = 0; i < statement->level_count; ++i) {
        const struct shown *shown = &record->shown[start];
        if (start == record->shown_count || shown->level != statement->levels[i])
            return i;
        uint64_t gap = shown->time_ns - before_ns, every = statement->every_ns;
        if (i && every && (gap > every ? gap - every : every - gap) > statement->tolerance_ns)
            return i;
        before_ns = shown->time_ns;
        *last = start;
        start = next_shown(record, statement->name, start + 1);
    }
    return statement->level_count;
}

/* The first level that counts: the one in force at the starting point, or the next. */
static size_t first_shown(const struct record *record, const char *name) {
    size_t start = record->shown_from;
    while (start > 0 && strcmp(record->shown[start - 1].name, name))
        --start;
    return start ? start - 1 : next_shown(record, name, record->shown_from);
}

static bool find_levels(struct record *record, const struct statement *statement) {
    size_t start = first_shown(record, statement->name), last = 0;
    for (; start < record->shown_count; start = next_shown(record, statement->name, start + 1)) {
        if (levels_follow(record, statement, start, &last) == statement->level_count) {
            record->shown_from = last + 1;
            return true;
        }
    }
    return false;
}

static bool holds(struct record *record, const struct statement *statement, const struct ta_patterns *patterns,
                  bool last_call) {
    switch (statement->kind) {
    case STATEMENT_CONSOLE_SAYS: return find_text(record, statement);
    case STATEMENT_CONSOLE_MATCHES: return find_pattern(record, statement, patterns, last_call);
    case STATEMENT_SHOWS: return find_levels(record, statement);
    case STATEMENT_ENDS:
        return record->stopped && record->stop.stop == TA_STOP_ENDED &&
               (statement->code < 0 || statement->code == record->stop.code);
    default: return !record->trapped;
    }
}

/* Lets the target run until the expectation holds, its deadline passes or the target stops. */
static enum ta_status await(struct record *record, const struct statement *statement,
                            const struct ta_patterns *patterns, bool *held) {
    uint64_t deadline_ns = record->now_ns + statement->time_ns;
    enum ta_status status = TA_OK;
    bool over = statement->kind == STATEMENT_NO_TRAP;
    *held = holds(record, statement, patterns, over);
    while (!status && !*held && !over) {
        bool timed_out = record->stopped;
        if (!timed_out)
            status = next_event(record, deadline_ns, &timed_out);
        over = timed_out || record->stopped;
        *held = !status && holds(record, statement, patterns, over);
    }
    return status;
}

/* Telling what was seen instead. */

static void describe_console(const struct record *record, char *seen, size_t size) {
    char time[UNIT_TEXT_BYTES];
    size_t end = record->console.length;
    while (end && record->console.bytes[end - 1] == '\n')
        --end;
    size_t start = end;
    while (start && record->console.bytes[start - 1] != '\n')
        --start;
    if (end == start)
        snprintf(seen, size, "nothing on the console");
    else
        snprintf(seen, size, "\"%.*s\" (last line, %s)", (int)(end - start < 120 ? end - start : 120),
                 record->console.bytes + start, unit_format(time, UNIT_TIME_NS, record->console_time_ns));
}

/* Shows where the rows came nearest to what was expected: the last ones that did, and the one that did not. */
static void describe_levels(const struct record *record, const struct statement *statement, char *seen, size_t size) {
    enum { SHOWN_AT_MOST = 4 };
    const char *name = statement->name;
    size_t best = first_shown(record, name), best_count = 0, last = 0, length = 0;
    for (size_t start = best; start < record->shown_count; start = next_shown(record, name, start + 1)) {
        size_t count = levels_follow(record, statement, start, &last);
        if (count > best_count || !best_count) {
            best = start;
            best_count = count;
        }
    }
    for (size_t skip = best_count >= SHOWN_AT_MOST ? best_count + 1 - SHOWN_AT_MOST : 0; skip > 0; --skip)
        best = next_shown(record, name, best + 1);
    uint64_t before_ns = 0;
    seen[0] = '\0';
    for (size_t i = 0; i < SHOWN_AT_MOST && best < record->shown_count && length < size; ++i) {
        const struct shown *shown = &record->shown[best];
        char row[65], time[UNIT_TEXT_BYTES];
        level_text(shown->level, statement->width, row);
        unit_format(time, UNIT_TIME_NS, i ? shown->time_ns - before_ns : shown->time_ns);
        length += (size_t)snprintf(seen + length, size - length, i ? ", %s %s later" : "%s at %s", row, time);
        before_ns = shown->time_ns;
        if (i >= best_count)
            break;
        best = next_shown(record, name, best + 1);
    }
}

static void describe_trap(const struct ta_event *trap, char *seen, size_t size) {
    char time[UNIT_TEXT_BYTES];
    snprintf(seen, size, "trap: %s at 0x%llx, value 0x%llx (%s)", ta_trap_text(trap->cause),
             (unsigned long long)trap->pc, (unsigned long long)trap->value,
             unit_format(time, UNIT_TIME_NS, trap->time_ns));
}

static void describe_stop(const struct ta_event *stop, char *seen, size_t size) {
    char time[UNIT_TEXT_BYTES];
    snprintf(seen, size, "the target %s with exit code %d at %s", ta_stop_text(stop->stop), stop->code,
             unit_format(time, UNIT_TIME_NS, stop->time_ns));
}

static void describe_failure(const struct record *record, const struct statement *statement,
                             struct ta_verdict *verdict) {
    snprintf(verdict->expected, sizeof verdict->expected, "%s", statement->source);
    verdict->line = statement->line;
    verdict->passed = false;
    if (record->trapped && (statement->kind == STATEMENT_NO_TRAP || record->stopped)) {
        describe_trap(&record->trap, verdict->seen, sizeof verdict->seen);
        verdict->trapped = true;
        verdict->trap_pc = record->trap.pc;
    } else if (record->stopped) {
        describe_stop(&record->stop, verdict->seen, sizeof verdict->seen);
    } else if (statement->kind == STATEMENT_SHOWS) {
        describe_levels(record, statement, verdict->seen, sizeof verdict->seen);
    } else {
        describe_console(record, verdict->seen, sizeof verdict->seen);
    }
    size_t count = record->thing_count < LAST_THINGS ? record->thing_count : LAST_THINGS, length = 0;
    for (size_t i = record->thing_count - count; i < record->thing_count && length < sizeof verdict->before; ++i)
        length += (size_t)snprintf(verdict->before + length, sizeof verdict->before - length, "%s%s",
                                   length ? "\n" : "", record->things[i % LAST_THINGS]);
}

static uint32_t capabilities_for(const struct trial *trial) {
    uint32_t needed = TA_CAN_POWER;
    for (size_t i = 0; i < trial->count; ++i) {
        enum statement_kind kind = trial->statements[i].kind;
        needed |= kind == STATEMENT_SHOWS     ? TA_CAN_OUTPUT
                  : kind == STATEMENT_TYPE    ? TA_CAN_CONSOLE
                  : trial->statements[i].name ? TA_CAN_INPUT
                                              : 0;
    }
    return needed;
}

/* What a trial pressed is let go, and the power is off: the next trial starts like the first. */
static enum ta_status leave_target(struct record *record, const struct trial *trial) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < trial->count; ++i)
        if (trial->statements[i].kind == STATEMENT_HOLD || trial->statements[i].kind == STATEMENT_PRESS)
            status = set_input(record, trial->statements[i].name, 0);
    return status ? status : record->port->power(record->port->self, false, record->why);
}

enum ta_status ta_trial_run(const struct ta_trials *trials, size_t index, struct ta_port *port,
                            bool (*cancelled)(void *), void *cancelled_with, struct ta_verdict *verdict,
                            struct ta_problem *why) {
    const struct trial *trial = &trials->trials[index];
    struct record record = {.port = port, .why = why, .cancelled = cancelled, .cancelled_with = cancelled_with};
    *verdict = (struct ta_verdict){.passed = true, .expectations = ta_trial_expectations(trials, index)};
    snprintf(verdict->name, sizeof verdict->name, "%s", trial->name);
    snprintf(verdict->file, sizeof verdict->file, "%s", trials->file);
    enum ta_status status = ta_port_needs(port, capabilities_for(trial), why);
    for (size_t i = 0; !status && verdict->passed && i < trial->count; ++i) {
        const struct statement *statement = &trial->statements[i];
        bool held = true;
        status = statement_expects(statement) ? await(&record, statement, trials->patterns, &held)
                                              : stimulate(&record, statement);
        if (!status && !held)
            describe_failure(&record, statement, verdict);
    }
    verdict->time_ns = record.now_ns;
    if (!status && port->capabilities & TA_CAN_TRACE)
        status = port->trace(port->self, &verdict->trace, why);
    if (status != TA_E_PORT && status != TA_E_UNSUPPORTED) {
        enum ta_status left = leave_target(&record, trial);
        status = status ? status : left;
    }
    text_free(&record.console);
    free(record.shown);
    return status;
}
