/* What expectations look for in the record, and what they tell of it when it is not there. */
#include "core/trial/stimuli.h"

#include "base/units.h"
#include "core/trial/levels.h"

#include <string.h>

bool holds_text(struct recorder *recorder, const struct statement *statement, bool last_call) {
    const char *console = recorder->console.bytes;
    size_t end = recorder->console.length, length = statement->text_length;
    size_t at = recorder->text_tried > recorder->console_from ? recorder->text_tried : recorder->console_from;
    (void)last_call;
    for (; at + length <= end; ++at) {
        if (memcmp(console + at, statement->text, length))
            continue;
        recorder->console_from = recorder->line_tried = at + length;
        return true;
    }
    recorder->text_tried = at;
    return false;
}

bool found_behind(const char *bytes, size_t size, size_t *from, const struct statement *statement) {
    size_t length = statement->text_length;
    for (size_t at = *from; at + length <= size; ++at) {
        if (memcmp(bytes + at, statement->text, length))
            continue;
        *from = at + length;
        return true;
    }
    return false;
}

bool holds_document(struct recorder *recorder, const struct statement *statement, bool last_call) {
    (void)last_call;
    return found_behind(recorder->board->document, recorder->board->document_length, &recorder->document_from,
                        statement);
}

/* Patterns are tried on whole lines, each once; on an unfinished line only when nothing more will come. */
bool holds_pattern(struct recorder *recorder, const struct statement *statement, bool last_call) {
    while (recorder->line_tried < recorder->console.length) {
        const char *line = recorder->console.bytes + recorder->line_tried;
        size_t left = recorder->console.length - recorder->line_tried, end = 0;
        const char *newline = memchr(line, '\n', left);
        if (!newline && !last_call)
            return false;
        size_t length = newline ? (size_t)(newline - line) : left;
        size_t shown = length && line[length - 1] == '\r' ? length - 1 : length;
        recorder->line_tried += newline ? length + 1 : length;
        if (recorder->patterns->match(statement->pattern, line, shown, &end)) {
            recorder->console_from = recorder->line_tried;
            return true;
        }
    }
    return false;
}

/* What STATEMENT's row speaks of: the first lamps of an output that may have more. */
static uint64_t level_of(const struct recorder *recorder, const struct statement *statement, size_t at) {
    uint64_t mask = statement->width < 64 ? (UINT64_C(1) << statement->width) - 1 : UINT64_MAX;
    return recorder->shown[at].level & mask;
}

/* The last record of the output before AT, or shown_count. */
static size_t shown_before(const struct recorder *recorder, const struct statement *statement, size_t at) {
    while (at > 0 && strcmp(recorder->shown[at - 1].name, statement->name))
        --at;
    return at > 0 ? at - 1 : recorder->shown_count;
}

/* Whether the record at AT is of the output, and changes what the row speaks of. */
static bool is_change(const struct recorder *recorder, const struct statement *statement, size_t at) {
    if (strcmp(recorder->shown[at].name, statement->name))
        return false;
    size_t before = shown_before(recorder, statement, at);
    return before == recorder->shown_count ||
           level_of(recorder, statement, before) != level_of(recorder, statement, at);
}

/* The first change in the record from AT on, or shown_count. */
static size_t next_shown(const struct recorder *recorder, const struct statement *statement, size_t at) {
    while (at < recorder->shown_count && !is_change(recorder, statement, at))
        ++at;
    return at;
}

/* The first level that counts: the one in force at FROM, or the next. */
static size_t first_shown(const struct recorder *recorder, const struct statement *statement, size_t from) {
    size_t start = shown_before(recorder, statement, from);
    if (start == recorder->shown_count)
        return next_shown(recorder, statement, from);
    while (!is_change(recorder, statement, start))
        start = shown_before(recorder, statement, start);
    return start;
}

/* How many of the rows follow each other directly from START on; *LAST is the last one's place, or shown_count when more may
   follow yet. */
static size_t levels_follow(const struct recorder *recorder, const struct statement *statement, size_t start,
                            size_t *last) {
    uint64_t before_ns = 0;
    for (size_t i = 0; i < statement->level_count; ++i) {
        const struct shown *shown = &recorder->shown[start];
        if (start == recorder->shown_count) {
            *last = start;
            return i;
        }
        if (level_of(recorder, statement, start) != statement->levels[i])
            return i;
        uint64_t gap = shown->time_ns - before_ns, every = statement->every_ns;
        if (i && every && (gap > every ? gap - every : every - gap) > statement->tolerance_ns)
            return i;
        before_ns = shown->time_ns;
        *last = start;
        start = next_shown(recorder, statement, start + 1);
    }
    return statement->level_count;
}

/* Each start is given up once: the first one that more may follow is where the next look begins. */
bool holds_levels(struct recorder *recorder, const struct statement *statement, bool last_call) {
    size_t tried = recorder->levels_tried, last = 0;
    size_t start =
        tried ? next_shown(recorder, statement, tried) : first_shown(recorder, statement, recorder->shown_from);
    (void)last_call;
    for (; start < recorder->shown_count; start = next_shown(recorder, statement, start + 1)) {
        if (levels_follow(recorder, statement, start, &last) == statement->level_count) {
            recorder->shown_from = last + 1;
            return true;
        }
        recorder->levels_tried = start;
        if (last == recorder->shown_count)
            return false;
        recorder->levels_tried = start + 1;
    }
    return false;
}

bool holds_end(struct recorder *recorder, const struct statement *statement, bool last_call) {
    (void)last_call;
    const struct ta_event *stop = recorder->board->stop;
    return stop && stop->stop == TA_STOP_ENDED && (statement->code < 0 || statement->code == stop->code);
}

bool holds_no_trap(struct recorder *recorder, const struct statement *statement, bool last_call) {
    (void)statement;
    (void)last_call;
    return !recorder->board->trap;
}

/* Telling what was seen instead. */

/* What the expectation wanted was on the console, but before it began to look. */
static bool console_had(const struct recorder *recorder, const struct statement *statement) {
    const char *at = recorder->console.bytes;
    for (size_t left = recorder->console_from; left;) {
        const char *newline = memchr(at, '\n', left);
        size_t length = newline ? (size_t)(newline - at) : left, end;
        if (statement->pattern && recorder->patterns->match(statement->pattern, at, length, &end))
            return true;
        at += length + (newline != NULL);
        left -= length + (newline != NULL);
    }
    at = recorder->console.bytes;
    for (size_t i = 0; !statement->pattern && statement->text && i + statement->text_length <= recorder->console_from;
         ++i)
        if (!memcmp(at + i, statement->text, statement->text_length))
            return true;
    return false;
}

const char *describe_console(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 400 };
    char time[UNIT_TEXT_BYTES];
    const char *console = recorder->console.bytes, *earlier = "";
    size_t end = recorder->console.length;
    if (console_had(recorder, statement))
        earlier = arena_printf(recorder->arena,
                               recorder->console_used ? "; it was there earlier, but line %u used it up"
                                                      : "; it was there earlier, before line %u",
                               recorder->console_line);
    while (end && console[end - 1] == '\n')
        --end;
    size_t start = end;
    while (start && console[start - 1] != '\n')
        --start;
    if (end == start)
        return arena_text(recorder->arena, "nothing on the console");
    bool cut = end - start > SHOWN_AT_MOST;
    return arena_printf(recorder->arena, "\"%.*s\"%s (last line, %s)%s", (int)(cut ? SHOWN_AT_MOST : end - start),
                        console + start, cut ? " and more" : "",
                        unit_format(time, UNIT_TIME_NS, recorder->console_time_ns), earlier ? earlier : "");
}

const char *describe_document(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 200 };
    const char *document = recorder->board->document, *cable = recorder->board->cable;
    size_t end = recorder->board->document_length;
    (void)statement;
    if (!end)
        return arena_printf(recorder->arena, "nothing was typed; the other end: %s", *cable ? cable : "nothing there");
    while (end && document[end - 1] == '\n')
        --end;
    size_t start = end;
    while (start && document[start - 1] != '\n' && end - start < SHOWN_AT_MOST)
        --start;
    return arena_printf(recorder->arena, "\"%.*s\" (last line of the document)", (int)(end - start), document + start);
}

/* The time at which the outputs had gone through the rows before the expectation began to look; false when they had not. */
static bool levels_had(const struct recorder *recorder, const struct statement *statement, uint64_t *time_ns) {
    size_t last = 0;
    for (size_t start = next_shown(recorder, statement, 0); start < recorder->shown_from;
         start = next_shown(recorder, statement, start + 1))
        if (levels_follow(recorder, statement, start, &last) == statement->level_count && last < recorder->shown_from) {
            *time_ns = recorder->shown[last].time_ns;
            return true;
        }
    return false;
}

/* Shows where the rows came nearest to what was expected: the last ones that did, and the one that did not. */
const char *describe_levels(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 4 };
    size_t best = first_shown(recorder, statement, recorder->shown_from), best_count = 0, last = 0;
    for (size_t start = best; start < recorder->shown_count; start = next_shown(recorder, statement, start + 1)) {
        size_t count = levels_follow(recorder, statement, start, &last);
        if (count > best_count || !best_count) {
            best = start;
            best_count = count;
        }
    }
    for (size_t skip = best_count >= SHOWN_AT_MOST ? best_count + 1 - SHOWN_AT_MOST : 0; skip > 0; --skip)
        best = next_shown(recorder, statement, best + 1);
    uint64_t before_ns = 0, had_ns;
    struct text seen = {0};
    char row[LEVEL_TEXT_BYTES], time[UNIT_TEXT_BYTES];
    for (size_t i = 0; i < SHOWN_AT_MOST && best < recorder->shown_count; ++i) {
        const struct shown *shown = &recorder->shown[best];
        level_text(level_of(recorder, statement, best), statement->width, row);
        unit_format(time, UNIT_TIME_NS, i ? shown->time_ns - before_ns : shown->time_ns);
        text_printf(&seen, i ? ", %s %s later" : "%s at %s", row, time);
        before_ns = shown->time_ns;
        if (i >= best_count)
            break;
        best = next_shown(recorder, statement, best + 1);
    }
    if (!seen.length)
        text_printf(&seen, "nothing");
    if (levels_had(recorder, statement, &had_ns))
        text_printf(&seen, "; %s was there at %s, before this line began to look",
                    level_text(statement->levels[statement->level_count - 1], statement->width, row),
                    unit_format(time, UNIT_TIME_NS, had_ns));
    const char *kept = arena_text(recorder->arena, seen.bytes ? seen.bytes : "nothing");
    text_free(&seen);
    return kept;
}

const char *describe_trap(const struct recorder *recorder) {
    char time[UNIT_TEXT_BYTES];
    const struct ta_event *trap = recorder->board->trap;
    return arena_printf(recorder->arena, "trap: %s at 0x%llx, value 0x%llx (%s)", ta_trap_text(trap->cause),
                        (unsigned long long)trap->pc, (unsigned long long)trap->value,
                        unit_format(time, UNIT_TIME_NS, trap->time_ns));
}

const char *describe_stop(const struct recorder *recorder) {
    char time[UNIT_TEXT_BYTES];
    const struct ta_event *stop = recorder->board->stop, *halt = recorder->board->halt;
    unit_format(time, UNIT_TIME_NS, stop ? stop->time_ns : halt->time_ns);
    return stop ? arena_printf(recorder->arena, "the target %s with exit code %d at %s", ta_stop_text(stop->stop),
                               stop->code, time)
                : arena_printf(recorder->arena, "the target halted at a %s at 0x%llx (%s)", ta_event_text(halt->kind),
                               (unsigned long long)halt->pc, time);
}
