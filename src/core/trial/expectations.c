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

/* The first level of output NAME in the record from AT on, or shown_count. */
static size_t next_shown(const struct recorder *recorder, const char *name, size_t at) {
    while (at < recorder->shown_count && strcmp(recorder->shown[at].name, name))
        ++at;
    return at;
}

/* The first level that counts: the one in force at the starting point, or the next. */
static size_t first_shown(const struct recorder *recorder, const char *name) {
    size_t start = recorder->shown_from;
    while (start > 0 && strcmp(recorder->shown[start - 1].name, name))
        --start;
    return start > 0 ? start - 1 : next_shown(recorder, name, recorder->shown_from);
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
        if (shown->level != statement->levels[i])
            return i;
        uint64_t gap = shown->time_ns - before_ns, every = statement->every_ns;
        if (i && every && (gap > every ? gap - every : every - gap) > statement->tolerance_ns)
            return i;
        before_ns = shown->time_ns;
        *last = start;
        start = next_shown(recorder, statement->name, start + 1);
    }
    return statement->level_count;
}

/* Each start is given up once: the first one that more may follow is where the next look begins. */
bool holds_levels(struct recorder *recorder, const struct statement *statement, bool last_call) {
    size_t tried = recorder->levels_tried, last = 0;
    size_t start = tried ? next_shown(recorder, statement->name, tried) : first_shown(recorder, statement->name);
    (void)last_call;
    for (; start < recorder->shown_count; start = next_shown(recorder, statement->name, start + 1)) {
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
    return recorder->stopped && recorder->stop.stop == TA_STOP_ENDED &&
           (statement->code < 0 || statement->code == recorder->stop.code);
}

bool holds_no_trap(struct recorder *recorder, const struct statement *statement, bool last_call) {
    (void)statement;
    (void)last_call;
    return !recorder->trapped;
}

/* Telling what was seen instead. */

const char *describe_console(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 400 };
    char time[UNIT_TEXT_BYTES];
    const char *console = recorder->console.bytes;
    size_t end = recorder->console.length;
    (void)statement;
    while (end && console[end - 1] == '\n')
        --end;
    size_t start = end;
    while (start && console[start - 1] != '\n')
        --start;
    if (end == start)
        return arena_text(recorder->arena, "nothing on the console");
    return arena_printf(recorder->arena, "\"%.*s\" (last line, %s)",
                        (int)(end - start < SHOWN_AT_MOST ? end - start : SHOWN_AT_MOST), console + start,
                        unit_format(time, UNIT_TIME_NS, recorder->console_time_ns));
}

/* Shows where the rows came nearest to what was expected: the last ones that did, and the one that did not. */
const char *describe_levels(const struct recorder *recorder, const struct statement *statement) {
    enum { SHOWN_AT_MOST = 4 };
    const char *name = statement->name;
    size_t best = first_shown(recorder, name), best_count = 0, last = 0;
    for (size_t start = best; start < recorder->shown_count; start = next_shown(recorder, name, start + 1)) {
        size_t count = levels_follow(recorder, statement, start, &last);
        if (count > best_count || !best_count) {
            best = start;
            best_count = count;
        }
    }
    for (size_t skip = best_count >= SHOWN_AT_MOST ? best_count + 1 - SHOWN_AT_MOST : 0; skip > 0; --skip)
        best = next_shown(recorder, name, best + 1);
    uint64_t before_ns = 0;
    struct text seen = {0};
    for (size_t i = 0; i < SHOWN_AT_MOST && best < recorder->shown_count; ++i) {
        const struct shown *shown = &recorder->shown[best];
        char row[LEVEL_TEXT_BYTES], time[UNIT_TEXT_BYTES];
        level_text(shown->level, statement->width, row);
        unit_format(time, UNIT_TIME_NS, i ? shown->time_ns - before_ns : shown->time_ns);
        text_printf(&seen, i ? ", %s %s later" : "%s at %s", row, time);
        before_ns = shown->time_ns;
        if (i >= best_count)
            break;
        best = next_shown(recorder, name, best + 1);
    }
    const char *kept = arena_text(recorder->arena, seen.bytes ? seen.bytes : "nothing");
    text_free(&seen);
    return kept;
}

const char *describe_trap(const struct recorder *recorder) {
    char time[UNIT_TEXT_BYTES];
    const struct ta_event *trap = &recorder->trap;
    return arena_printf(recorder->arena, "trap: %s at 0x%llx, value 0x%llx (%s)", ta_trap_text(trap->cause),
                        (unsigned long long)trap->pc, (unsigned long long)trap->value,
                        unit_format(time, UNIT_TIME_NS, trap->time_ns));
}

const char *describe_stop(const struct recorder *recorder) {
    char time[UNIT_TEXT_BYTES];
    const struct ta_event *stop = &recorder->stop;
    return arena_printf(recorder->arena, "the target %s with exit code %d at %s", ta_stop_text(stop->stop), stop->code,
                        unit_format(time, UNIT_TIME_NS, stop->time_ns));
}
