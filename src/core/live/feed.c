#include "core/live/feed.h"

#include "base/units.h"

#include <stdio.h>
#include <string.h>

/* A number of at most so many digits; times are seconds. */
static const struct ta_quantity plain = {"number", "", 0, 0, 0};

static enum ta_status refuse(const struct feed *feed, unsigned line, size_t column, const char *fix, const char *what,
                             struct ta_problem *why) {
    ta_problem_set(why, TA_E_SYNTAX, fix, "%s", what);
    ta_problem_at(why, feed->name, line, (unsigned)column + 1);
    return TA_E_SYNTAX;
}

/* A line without its end; HEADING: it may be one. */
static enum ta_status read_line(struct feed *feed, const char *at, size_t length, unsigned line, bool *heading,
                                struct ta_problem *why) {
    const char *comma = memchr(at, ',', length);
    size_t first = comma ? (size_t)(comma - at) : length, second = length - first - (comma != NULL);
    struct fed *fed = &feed->values[feed->count];
    int64_t time_ms = 0;
    bool timed = ta_quantity_parse(&plain, at, first, &time_ms);
    if (!timed && *heading) {
        *heading = false;
        return TA_OK;
    }
    *heading = false;
    if (!comma)
        return refuse(feed, line, length, "write seconds, a comma and a value: 0.5,90", "the value is missing", why);
    if (!timed || time_ms < 0)
        return refuse(feed, line, 0, "write seconds, at most three digits behind the point", "this is no time", why);
    if (memchr(comma + 1, ',', second))
        return refuse(feed, line, first + 1, "write seconds, a comma and a value: 0.5,90",
                      "there are more than two columns", why);
    if (!ta_quantity_parse(&plain, comma + 1, second, &fed->milli))
        return refuse(feed, line, first + 1, "write a number, at most three digits behind the point",
                      "this is no value", why);
    fed->time_ns = (uint64_t)time_ms * 1000000;
    fed->line = line;
    if (feed->count && fed->time_ns <= fed[-1].time_ns)
        return refuse(feed, line, 0, "let every time be later than the one before", "it goes back in time", why);
    ++feed->count;
    return TA_OK;
}

enum ta_status feed_read(const char *text, size_t length, struct arena *arena, struct feed *feed,
                         struct ta_problem *why) {
    size_t lines = 1;
    enum ta_status status = TA_OK;
    bool heading = true;
    for (size_t i = 0; i < length; ++i)
        lines += text[i] == '\n';
    feed->count = 0;
    feed->values = arena_alloc(arena, lines * sizeof *feed->values);
    if (!feed->values)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    unsigned line = 0;
    for (size_t at = 0; !status && at < length;) {
        const char *end = memchr(text + at, '\n', length - at);
        size_t size = end ? (size_t)(end - (text + at)) : length - at, shown = size;
        ++line;
        shown -= shown && text[at + shown - 1] == '\r';
        if (shown)
            status = read_line(feed, text + at, shown, line, &heading, why);
        at += size + 1;
    }
    if (!status && !feed->count)
        return refuse(feed, 0, 0, "write seconds, a comma and a value: 0.5,90", "it has no values", why);
    return status;
}

enum ta_status feed_check(const struct feed *feed, const struct ta_quantity *quantity, struct ta_problem *why) {
    char low[TA_QUANTITY_TEXT_BYTES], high[TA_QUANTITY_TEXT_BYTES], fix[3 * TA_QUANTITY_TEXT_BYTES];
    for (size_t i = 0; i < feed->count; ++i) {
        int64_t milli = feed->values[i].milli;
        if (milli >= quantity->minimum && milli <= quantity->maximum)
            continue;
        snprintf(fix, sizeof fix, "write %s to %s", ta_quantity_text("", quantity->minimum, low),
                 ta_quantity_text(quantity->unit, quantity->maximum, high));
        ta_problem_set(why, TA_E_INPUT, fix, "%s is out of range", ta_quantity_text(quantity->unit, milli, low));
        ta_problem_at(why, feed->name, feed->values[i].line, 1);
        return TA_E_INPUT;
    }
    return TA_OK;
}
