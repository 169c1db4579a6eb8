/* Statuses, problems, and the texts of events: the tables of the public headers, expanded. */
#include "tameanchor/status.h"
#include "tameanchor/event.h"

#include <stdarg.h>
#include <stdio.h>

static const struct {
    int exit_code;
    const char *text;
} statuses[] = {
#define ROW(name, exit_code, text) {exit_code, text},
    TA_STATUS_TABLE(ROW)
#undef ROW
};

#define ROW(name, text) text,
static const char *const stop_texts[] = {TA_STOP_TABLE(ROW)};
static const char *const event_texts[] = {TA_EVENT_TABLE(ROW)};
#undef ROW

/* Privileged Architecture 1.12, table 3.6, exceptions only. */
static const char *const trap_texts[] = {
    "instruction address misaligned",
    "instruction access fault",
    "illegal instruction",
    "breakpoint",
    "load address misaligned",
    "load access fault",
    "store address misaligned",
    "store access fault",
    "environment call from U-mode",
    "environment call from S-mode",
    NULL,
    "environment call from M-mode",
    "instruction page fault",
    "load page fault",
    NULL,
    "store page fault",
};

#define COUNT(array) (sizeof(array) / sizeof *(array))

const char *ta_status_text(enum ta_status status) {
    return (size_t)status < COUNT(statuses) ? statuses[status].text : "unknown status";
}

int ta_status_exit_code(enum ta_status status) {
    return (size_t)status < COUNT(statuses) ? statuses[status].exit_code : 3;
}

const char *ta_wild_text(int code) {
    static const char *const texts[] = {
#define WILD_TEXT(name, text) [name] = text,
        TA_WILD_TABLE(WILD_TEXT)
#undef WILD_TEXT
    };
    return code >= 0 && (size_t)code < sizeof texts / sizeof *texts ? texts[code] : "it does not get on";
}

const char *ta_stop_text(enum ta_stop stop) {
    return (size_t)stop < COUNT(stop_texts) ? stop_texts[stop] : "unknown";
}

const char *ta_event_text(enum ta_event_kind kind) {
    return (size_t)kind < COUNT(event_texts) ? event_texts[kind] : "unknown";
}

const char *ta_trap_text(uint64_t cause) {
    return cause < COUNT(trap_texts) && trap_texts[cause] ? trap_texts[cause] : "unknown cause";
}

enum ta_status ta_problem_set(struct ta_problem *why, enum ta_status status, const char *fix, const char *format, ...) {
    if (why) {
        va_list arguments;
        why->status = status;
        why->file[0] = '\0';
        why->line = why->column = 0;
        va_start(arguments, format);
        vsnprintf(why->what, sizeof why->what, format, arguments);
        va_end(arguments);
        snprintf(why->fix, sizeof why->fix, "%s", fix ? fix : "");
    }
    return status;
}

void ta_problem_at(struct ta_problem *why, const char *file, unsigned line, unsigned column) {
    if (!why)
        return;
    snprintf(why->file, sizeof why->file, "%s", file ? file : "");
    why->line = line;
    why->column = column;
}

enum ta_status ta_problem_copy(struct ta_problem *why, const struct ta_problem *found) {
    if (why)
        *why = *found;
    return found->status;
}
