#include "core/trial/recorder.h"

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
    const struct ta_quantity *quantity =
        event->kind == TA_EVENT_INPUT ? ta_profile_quantity(recorder->board->profile, event->name) : NULL;
    return quantity ? quantity->unit : NULL;
}

/* Of a switch that was set; else null. */
static const char *position_of(struct recorder *recorder, const struct ta_event *event) {
    const struct ta_switch *each =
        event->kind == TA_EVENT_INPUT ? ta_profile_switch(recorder->board->profile, event->name) : NULL;
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
    const struct ta_event event = {.kind = TA_EVENT_INPUT, .time_ns = recorder->board->time_ns};
    enum ta_status status = add_moment(recorder, &event, what);
    if (!status)
        recorder->moments[recorder->moment_count - 1].position = how;
    return status;
}

static enum ta_status add_shown(struct recorder *recorder, const char *name, uint64_t level) {
    recorder->shown = arena_grow(recorder->arena, recorder->shown, recorder->shown_count, &recorder->shown_room,
                                 sizeof *recorder->shown);
    const char *kept = recorder->shown ? keep_name(recorder, name) : NULL;
    if (!kept) {
        recorder->shown_count = 0;
        return no_memory(recorder);
    }
    recorder->shown[recorder->shown_count++] = (struct shown){kept, level, recorder->board->time_ns};
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

static enum ta_status add_message(struct recorder *recorder, const struct ta_event *event, const char *does) {
    const char *how =
        arena_printf(recorder->arena, "%s \"%.*s\"", does, (int)event->length, (const char *)event->bytes);
    enum ta_status status = how ? add_moment(recorder, event, keep_name(recorder, event->name)) : no_memory(recorder);
    if (!status)
        recorder->moments[recorder->moment_count - 1].position = how;
    return status;
}

static enum ta_status take_output(struct recorder *recorder, const struct ta_event *event) {
    enum ta_status status = event->width ? add_shown(recorder, event->name, event->value) : TA_OK;
    return status ? status : add_moment(recorder, event, keep_name(recorder, event->name));
}

enum ta_status recorder_take(void *with, const struct ta_event *event) {
    struct recorder *recorder = with;
    switch (event->kind) {
    case TA_EVENT_TIME:
    case TA_EVENT_TEXT: return TA_OK; /* the board knows */
    case TA_EVENT_CONSOLE: return event->length ? add_console(recorder, event) : TA_OK;
    case TA_EVENT_OUTPUT: return take_output(recorder, event);
    case TA_EVENT_TYPED:
        if (recorder->document_from > recorder->board->document_length) /* a backspace took some of it away */
            recorder->document_from = recorder->board->document_length;
        break;
    case TA_EVENT_MESSAGE:
        text_add(&recorder->sent, (const char *)event->bytes, event->length);
        text_add(&recorder->sent, "", 1);
        return add_message(recorder, event, "sends");
    case TA_EVENT_INPUT:
        if (event->length)
            return add_message(recorder, event, "hears");
        break;
    case TA_EVENT_CABLE: return add_moment(recorder, event, arena_text(recorder->arena, recorder->board->cable));
    default: break;
    }
    return add_moment(recorder, event, *event->name ? arena_text(recorder->arena, event->name) : "");
}

void recorder_look_from_here(struct recorder *recorder) {
    recorder->console_from = recorder->line_tried = recorder->console.length;
    recorder->shown_from = recorder->shown_count;
    recorder->document_from = recorder->board->document_length;
    recorder->sent_from = recorder->sent.length;
}

/* The levels that lamps have before the program runs count too. */
enum ta_status recorder_begin(void *with) {
    struct recorder *recorder = with;
    const struct ta_profile *profile = recorder->board->profile;
    enum ta_status status = TA_OK;
    recorder->console.length = recorder->line_start = 0;
    recorder->shown_count = 0;
    recorder_look_from_here(recorder);
    for (size_t i = 0; !status && i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == TA_CONNECTOR_LAMPS)
            status = add_shown(recorder, profile->connectors[i].name, recorder->board->values[i]);
    return status;
}
