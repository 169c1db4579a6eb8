#include "core/trial/recorder.h"

#include "core/trial/feed.h"
#include "core/trial/levels.h"

#include <stdio.h>
#include <string.h>

/* The public recording first. */
struct full_recording {
    struct ta_recording recording;
    struct arena *arena;
};

struct ta_recording *recording_new(struct arena **arena) {
    *arena = arena_new();
    struct full_recording *full = *arena ? arena_alloc(*arena, sizeof *full) : NULL;
    if (!full) {
        arena_free(*arena);
        return NULL;
    }
    full->arena = *arena;
    return &full->recording;
}

void ta_recording_free(struct ta_recording *recording) {
    if (recording)
        arena_free(((struct full_recording *)recording)->arena);
}

enum ta_status ta_recording_locate(struct ta_recording *recording, const char *place, const char *words,
                                   const char *const *calls, size_t call_count) {
    struct arena *arena = ((struct full_recording *)recording)->arena;
    const char *kept_place = arena_text(arena, place), *kept_words = arena_text(arena, words);
    const char **kept_calls = arena_alloc(arena, (call_count + 1) * sizeof *kept_calls);
    bool good = kept_place && kept_words && kept_calls;
    for (size_t i = 0; good && i < call_count; ++i)
        good = (kept_calls[i] = arena_text(arena, calls[i])) != NULL;
    if (!good)
        return TA_E_MEMORY;
    recording->calls = kept_calls;
    recording->call_count = call_count;
    recording->place = *place ? kept_place : NULL;
    recording->words = *words ? kept_words : NULL;
    return TA_OK;
}

enum ta_status ta_recording_written(struct ta_recording *recording, const char *picture_file,
                                    const char *difference_file) {
    struct arena *arena = ((struct full_recording *)recording)->arena;
    const char *picture = arena_text(arena, picture_file), *difference = arena_text(arena, difference_file);
    if (!picture || !difference)
        return TA_E_MEMORY;
    recording->picture_file = picture;
    recording->difference_file = difference;
    return TA_OK;
}

const char *ta_moment_text(const struct ta_moment *moment, char *buffer, size_t size) {
    char row[LEVEL_TEXT_BYTES], value[TA_QUANTITY_TEXT_BYTES];
    switch (moment->kind) {
    case TA_EVENT_CONSOLE: snprintf(buffer, size, "console \"%s\"", moment->text); break;
    case TA_EVENT_OUTPUT:
        snprintf(buffer, size, "%s %s", moment->text,
                 moment->width   ? level_text(moment->value, moment->width, row)
                 : moment->value ? "drawn"
                                 : "dark");
        break;
    case TA_EVENT_INPUT:
        if (moment->position)
            snprintf(buffer, size, "%s %s", moment->text, moment->position);
        else if (moment->width && !moment->unit && moment->value)
            snprintf(buffer, size, "%s at %u,%u", moment->text, TA_TOUCH_X(moment->value), TA_TOUCH_Y(moment->value));
        else
            snprintf(buffer, size, "%s %s", moment->text,
                     moment->unit    ? ta_quantity_text(moment->unit, (int64_t)moment->value, value)
                     : moment->value ? "pressed"
                                     : "released");
        break;
    case TA_EVENT_TRAP:
        snprintf(buffer, size, "trap: %s at 0x%llx", ta_trap_text(moment->cause), (unsigned long long)moment->pc);
        break;
    case TA_EVENT_MESSAGE: snprintf(buffer, size, "%s %s", moment->text, moment->position); break;
    case TA_EVENT_TYPED: snprintf(buffer, size, "%s types", moment->text); break;
    case TA_EVENT_CABLE:
        snprintf(buffer, size, "the other end: %s", *moment->text ? moment->text : "nothing there");
        break;
    case TA_EVENT_STOP: snprintf(buffer, size, "the target %s", ta_stop_text(moment->stop)); break;
    default: snprintf(buffer, size, "%s at 0x%llx", ta_event_text(moment->kind), (unsigned long long)moment->pc); break;
    }
    return buffer;
}

static enum ta_status no_memory(struct recorder *recorder) {
    return ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
}

/* TEXT, or what stands there already: outputs have few names. */
static const char *keep_name(struct recorder *recorder, const char *text) {
    for (size_t i = 0; i < recorder->shown_count && i < 64; ++i)
        if (!strcmp(recorder->shown[i].name, text))
            return recorder->shown[i].name;
    return arena_text(recorder->arena, text);
}

/* Of a sensor that was set; else null. */
static const char *unit_of(const struct recorder *recorder, const struct ta_event *event) {
    const struct ta_profile *profile;
    struct ta_problem unheard;
    if (event->kind != TA_EVENT_INPUT || recorder->port->describe(recorder->port->self, &profile, &unheard))
        return NULL;
    const struct ta_quantity *quantity = ta_profile_quantity(profile, event->name);
    return quantity ? quantity->unit : NULL;
}

/* Of a switch that was set; else null. */
static const char *position_of(struct recorder *recorder, const struct ta_event *event) {
    const struct ta_profile *profile;
    struct ta_problem unheard;
    if (event->kind != TA_EVENT_INPUT || recorder->port->describe(recorder->port->self, &profile, &unheard))
        return NULL;
    const struct ta_switch *each = ta_profile_switch(profile, event->name);
    return each && event->value < each->position_count ? arena_text(recorder->arena, each->positions[event->value])
                                                       : NULL;
}

static enum ta_status add_moment(struct recorder *recorder, const struct ta_event *event, const char *text) {
    recorder->moments = arena_grow(recorder->arena, recorder->moments, recorder->moment_count, &recorder->moment_room,
                                   sizeof *recorder->moments);
    if (!recorder->moments || !text) {
        recorder->moment_count = 0;
        return no_memory(recorder);
    }
    recorder->moments[recorder->moment_count++] = (struct ta_moment){.time_ns = event->time_ns,
                                                                     .kind = event->kind,
                                                                     .hart = event->hart,
                                                                     .width = event->width < 64 ? event->width : 64,
                                                                     .text = text,
                                                                     .unit = unit_of(recorder, event),
                                                                     .position = position_of(recorder, event),
                                                                     .value = event->value,
                                                                     .cause = event->cause,
                                                                     .pc = event->pc,
                                                                     .stop = event->stop,
                                                                     .code = event->code};
    return TA_OK;
}

enum ta_status recorder_note(struct recorder *recorder, const char *what, const char *how) {
    const struct ta_event event = {.kind = TA_EVENT_INPUT, .time_ns = recorder->now_ns};
    enum ta_status status = add_moment(recorder, &event, what);
    if (!status)
        recorder->moments[recorder->moment_count - 1].position = how;
    return status;
}

enum ta_status recorder_add_shown(struct recorder *recorder, const char *name, uint64_t level) {
    recorder->shown = arena_grow(recorder->arena, recorder->shown, recorder->shown_count, &recorder->shown_room,
                                 sizeof *recorder->shown);
    const char *kept = recorder->shown ? keep_name(recorder, name) : NULL;
    if (!kept) {
        recorder->shown_count = 0;
        return no_memory(recorder);
    }
    recorder->shown[recorder->shown_count++] = (struct shown){kept, level, recorder->now_ns};
    return TA_OK;
}

/* Each line is a moment of its own when it ends. */
static enum ta_status add_console(struct recorder *recorder, const struct ta_event *event) {
    struct text *console = &recorder->console;
    enum ta_status status = TA_OK;
    text_add(console, (const char *)event->bytes, event->length);
    text_add(&recorder->said, (const char *)event->bytes, event->length);
    if (console->failed || recorder->said.failed)
        return no_memory(recorder);
    for (const char *end; !status && (end = memchr(console->bytes + recorder->line_start, '\n',
                                                   console->length - recorder->line_start));) {
        size_t length = (size_t)(end - (console->bytes + recorder->line_start));
        status = add_moment(recorder, event,
                            arena_text_part(recorder->arena, console->bytes + recorder->line_start, length));
        recorder->line_start += length + 1;
    }
    recorder->console_time_ns = event->time_ns;
    return status;
}

/* A backspace takes the last character away again. */
static void add_typed(struct recorder *recorder, const struct ta_event *event) {
    struct text *document = &recorder->document;
    for (size_t i = 0; i < event->length; ++i) {
        if (event->bytes[i] != '\b') {
            text_add(document, (const char *)&event->bytes[i], 1);
            continue;
        }
        while (document->length && (document->bytes[--document->length] & 0xc0) == 0x80)
            ;
    }
    if (recorder->document_from > document->length)
        recorder->document_from = document->length;
}

static enum ta_status add_message(struct recorder *recorder, const struct ta_event *event, const char *does) {
    const char *how =
        arena_printf(recorder->arena, "%s \"%.*s\"", does, (int)event->length, (const char *)event->bytes);
    enum ta_status status = how ? add_moment(recorder, event, keep_name(recorder, event->name)) : no_memory(recorder);
    if (!status)
        recorder->moments[recorder->moment_count - 1].position = how;
    return status;
}

static enum ta_status take_trap(struct recorder *recorder, const struct ta_event *event) {
    if (!ta_trap_counts(event, recorder->trapped ? &recorder->trap : NULL))
        return TA_OK;
    recorder->trapped = true;
    recorder->trap = *event;
    recorder->scene = recorder->scene ? recorder->scene : arena_alloc(recorder->arena, sizeof *recorder->scene);
    if (!recorder->scene)
        return no_memory(recorder);
    ta_scene_take(recorder->port, event, recorder->scene);
    return TA_OK;
}

static enum ta_status add_event(struct recorder *recorder, const struct ta_event *event) {
    enum ta_status status = TA_OK;
    recorder->now_ns = event->time_ns;
    switch (event->kind) {
    case TA_EVENT_TIME: return TA_OK;
    case TA_EVENT_CONSOLE: return event->length ? add_console(recorder, event) : TA_OK;
    case TA_EVENT_OUTPUT:
        if (!event->width) { /* a screen, of which pictures tell more */
            ++recorder->redrawn;
            return add_moment(recorder, event, keep_name(recorder, event->name));
        }
        status = recorder_add_shown(recorder, event->name, event->value);
        return status ? status : add_moment(recorder, event, keep_name(recorder, event->name));
    case TA_EVENT_TYPED: add_typed(recorder, event); break;
    case TA_EVENT_TEXT: ta_texts_take(&recorder->texts, event); return TA_OK;
    case TA_EVENT_MESSAGE:
        text_add(&recorder->sent, (const char *)event->bytes, event->length);
        text_add(&recorder->sent, "", 1);
        return add_message(recorder, event, "sends");
    case TA_EVENT_INPUT:
        if (event->length)
            return add_message(recorder, event, "hears");
        break;
    case TA_EVENT_CABLE:
        recorder->cable = arena_text_part(recorder->arena, (const char *)event->bytes, event->length);
        return add_moment(recorder, event, recorder->cable);
    case TA_EVENT_TRAP: status = take_trap(recorder, event); break;
    case TA_EVENT_STOP:
        recorder->stopped = true;
        recorder->stop = *event;
        status = take_trap(recorder, event);
        break;
    default: break;
    }
    return status ? status : add_moment(recorder, event, *event->name ? arena_text(recorder->arena, event->name) : "");
}

enum ta_status recorder_feed(struct recorder *recorder, const char *name, const struct feed *feed) {
    size_t at = 0;
    while (at < recorder->feeding_count && strcmp(recorder->feedings[at].name, name))
        ++at;
    if (at == FEEDINGS)
        return ta_problem_set(recorder->why, TA_E_INPUT, "eight are the most", "too many sensors are fed at once");
    recorder->feeding_count += at == recorder->feeding_count;
    recorder->feedings[at] = (struct feeding){name, feed, recorder->now_ns, 0};
    return TA_OK;
}

/* When the next value comes; UINT64_MAX for never. */
static uint64_t next_feed_ns(const struct recorder *recorder) {
    uint64_t next_ns = UINT64_MAX;
    for (size_t i = 0; i < recorder->feeding_count; ++i) {
        const struct feeding *each = &recorder->feedings[i];
        uint64_t due_ns =
            each->next < each->feed->count ? each->start_ns + each->feed->values[each->next].time_ns : UINT64_MAX;
        next_ns = due_ns < next_ns ? due_ns : next_ns;
    }
    return next_ns;
}

static enum ta_status feed_due(struct recorder *recorder) {
    struct ta_port *port = recorder->port;
    enum ta_status status = TA_OK;
    for (size_t i = 0; i < recorder->feeding_count; ++i) {
        struct feeding *each = &recorder->feedings[i];
        while (!status && each->next < each->feed->count &&
               each->start_ns + each->feed->values[each->next].time_ns <= recorder->now_ns)
            status = port->set_input(port->self, each->name, (uint64_t)each->feed->values[each->next++].milli,
                                     recorder->why);
    }
    return status;
}

/* In slices, between which it can be cancelled: a target that says nothing lets no event come. */
enum ta_status recorder_next(struct recorder *recorder, uint64_t until_ns, bool *timed_out) {
    enum { SLICE_NS = 100000000 };
    struct ta_event event = {.kind = TA_EVENT_TIME};
    enum ta_status status = TA_OK;
    do {
        uint64_t end_ns = until_ns - recorder->now_ns > SLICE_NS ? recorder->now_ns + SLICE_NS : until_ns;
        status = feed_due(recorder);
        if (status)
            return status;
        if (next_feed_ns(recorder) < end_ns)
            end_ns = next_feed_ns(recorder);
        if (recorder->cancelled && recorder->cancelled(recorder->cancelled_with))
            return ta_problem_set(recorder->why, TA_E_INTERRUPTED, NULL, "interrupted");
        status = recorder->port->wait(recorder->port->self, end_ns, &event, recorder->why);
        if (!status)
            status = add_event(recorder, &event);
    } while (!status && event.kind == TA_EVENT_TIME && recorder->now_ns < until_ns && !recorder->stopped);
    *timed_out = !status && event.kind == TA_EVENT_TIME;
    return status;
}

enum ta_status recorder_pass(struct recorder *recorder, uint64_t time_ns) {
    uint64_t until_ns = recorder->now_ns + time_ns;
    enum ta_status status = TA_OK;
    for (bool timed_out = false; !status && !timed_out;)
        status = recorder_next(recorder, until_ns, &timed_out);
    return status;
}

void recorder_look_from_here(struct recorder *recorder) {
    recorder->console_from = recorder->line_tried = recorder->console.length;
    recorder->shown_from = recorder->shown_count;
    recorder->document_from = recorder->document.length;
    recorder->sent_from = recorder->sent.length;
}

void recorder_begin(struct recorder *recorder) {
    recorder->now_ns = 0;
    recorder->stopped = recorder->trapped = false;
    recorder->console.length = recorder->line_start = 0;
    recorder->shown_count = recorder->feeding_count = recorder->texts.count = 0;
    recorder_look_from_here(recorder);
}
