/* What a target tells of itself: console text, outputs that change, traps, its end. Times are device time. */
#ifndef TAMEANCHOR_EVENT_H
#define TAMEANCHOR_EVENT_H

#include <stddef.h>
#include <stdint.h>

#define TA_EVENT_TABLE(X)                                                                                              \
    X(TA_EVENT_TIME, "time")             /* the limit was reached; nothing happened before it */                       \
    X(TA_EVENT_CONSOLE, "console")       /* BYTES, LENGTH: what the target wrote */                                    \
    X(TA_EVENT_OUTPUT, "output")         /* NAME, VALUE, WIDTH: an output changed */                                   \
    X(TA_EVENT_INPUT, "input")           /* NAME, VALUE: an input was set from outside */                              \
    X(TA_EVENT_TRAP, "trap")             /* CAUSE, PC, VALUE: an exception, Privileged Architecture 1.12, 3.1.15 */    \
    X(TA_EVENT_BREAKPOINT, "breakpoint") /* PC: a breakpoint set through the port */                                   \
    X(TA_EVENT_STOP, "stop")             /* STOP, CODE, PC: the target runs no more until it is powered on again; when \
                                            it ran wild, CAUSE, PC and VALUE of the trap that began it */

enum ta_event_kind {
#define TA_EVENT_ENUM(name, text) name,
    TA_EVENT_TABLE(TA_EVENT_ENUM)
#undef TA_EVENT_ENUM
};

#define TA_STOP_TABLE(X)                                                                                               \
    X(TA_STOP_NONE, "runs")                                                                                            \
    X(TA_STOP_OFF, "is powered off")                                                                                   \
    X(TA_STOP_ENDED, "ended by itself")                                                                                \
    X(TA_STOP_WILD, "ran wild")

enum ta_stop {
#define TA_STOP_ENUM(name, text) name,
    TA_STOP_TABLE(TA_STOP_ENUM)
#undef TA_STOP_ENUM
};

/* One event. NAME and BYTES are borrowed: they hold until the next call to the port or machine that gave the event.
   Fields that an event's kind does not name are zero. */
struct ta_event {
    enum ta_event_kind kind;
    uint64_t time_ns;
    const char *name;
    uint64_t value;
    unsigned width;
    const uint8_t *bytes;
    size_t length;
    uint64_t cause, pc;
    enum ta_stop stop;
    int code;
};

/* What a trap's CAUSE means, in words ("load access fault"); "unknown cause" for a number without a standard meaning.
 */
const char *ta_trap_text(uint64_t cause);
const char *ta_stop_text(enum ta_stop stop);
const char *ta_event_text(enum ta_event_kind kind);

#endif
