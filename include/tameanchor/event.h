/* What a target tells of itself: console text, outputs that change, traps, its end. Times are device time. */
#ifndef TAMEANCHOR_EVENT_H
#define TAMEANCHOR_EVENT_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define TA_EVENT_TABLE(X)                                                                                              \
    X(TA_EVENT_TIME, "time")             /* the limit was reached; nothing happened before it */                       \
    X(TA_EVENT_CONSOLE, "console")       /* BYTES, LENGTH: what the target wrote */                                    \
    X(TA_EVENT_OUTPUT, "output")         /* NAME, VALUE, WIDTH: an output changed; a screen has WIDTH 0 */             \
    X(TA_EVENT_INPUT, "input")           /* NAME, VALUE: an input was set from outside */                              \
    X(TA_EVENT_TRAP, "trap")             /* CAUSE, PC, VALUE: an exception, Privileged Architecture 1.12, 3.1.15 */    \
    X(TA_EVENT_BREAKPOINT, "breakpoint") /* HART, PC: a breakpoint set through the port */                             \
    X(TA_EVENT_WATCHPOINT,                                                                                             \
      "watchpoint")          /* HART, PC, VALUE: the instruction at PC reached this address, and is done */            \
    X(TA_EVENT_STEP, "step") /* HART, PC: the step that was asked for is done */                                       \
    X(TA_EVENT_CABLE,                                                                                                  \
      "cable") /* NAME, VALUE of enum ta_cable, BYTES, LENGTH: what the other end of a cable makes of the target */    \
    X(TA_EVENT_TYPED, "typed") /* NAME, BYTES, LENGTH: what a keyboard typed into the other end's document, UTF-8 */   \
    X(TA_EVENT_TEXT,                                                                                                   \
      "text") /* NAME, VALUE, BYTES, LENGTH: a screen shows this text in the box VALUE, or none there */               \
    X(TA_EVENT_MESSAGE, "message") /* NAME, BYTES, LENGTH: what a radio has sent; what reaches it is input */          \
    X(TA_EVENT_STOP, "stop")       /* HART, STOP, CODE, PC: the target runs no more until it is powered on again; when \
                                            it ran wild, CAUSE, PC and VALUE of the trap that began it, and CODE of enum ta_wild */

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

/* Why a hart that ran wild will not come to anything. */
#define TA_WILD_TABLE(X)                                                                                               \
    X(TA_WILD_NO_HANDLER, "its trap handler is not in memory")                                                         \
    X(TA_WILD_IN_HANDLER, "its trap handler traps, too")                                                               \
    X(TA_WILD_AGAIN, "it traps there again and again")

enum ta_wild {
#define TA_WILD_ENUM(name, text) name,
    TA_WILD_TABLE(TA_WILD_ENUM)
#undef TA_WILD_ENUM
};

/* A branch or jump that was taken, a trap or a return from one: the instruction at FROM was the last before the one at TO. */
enum { TA_BRANCHES = 16 };
struct ta_branch {
    uint64_t from, to;
};

/* What the computer at the other end of a cable makes of the target: nothing (any more); a keyboard; it will not have it. */
enum ta_cable { TA_CABLE_GONE, TA_CABLE_KEYBOARD, TA_CABLE_REFUSED };

/* The part of a screen that a text takes: its left column and top row, its width and height in points. */
#define TA_TEXT_BOX(x, y, width, height)                                                                               \
    ((uint64_t)(height) << 48 | (uint64_t)(width) << 32 | (uint64_t)(y) << 16 | (uint64_t)(x))

/* How long a radio's message is at the most. */
enum { TA_MESSAGE_BYTES = 160 };

/* How memory is reached. */
enum ta_access { TA_ACCESS_READ = 1, TA_ACCESS_WRITE = 2 };

enum { TA_EVENT_NAME_BYTES = 64, TA_EVENT_TEXT_BYTES = 184 };

/* One event. It owns all that it holds: a console that says more at once gives several. Fields that an event's kind does
   not name are zero. */
struct ta_event {
    enum ta_event_kind kind;
    unsigned hart;
    uint64_t time_ns;
    char name[TA_EVENT_NAME_BYTES];
    uint64_t value;
    unsigned width;
    enum ta_stop stop;
    int code;
    uint64_t cause, pc;
    size_t length;
    uint8_t bytes[TA_EVENT_TEXT_BYTES];
};

/* What a trap's CAUSE means, in words ("load access fault"); "unknown cause" for a number without a standard meaning.
 */
const char *ta_trap_text(uint64_t cause);
const char *ta_stop_text(enum ta_stop stop);
/* Why a hart ran wild, for the code of that event. */
const char *ta_wild_text(int code);
const char *ta_event_text(enum ta_event_kind kind);

#ifdef __cplusplus
}
#endif
#endif
