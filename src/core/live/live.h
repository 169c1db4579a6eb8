/* The inside of a live target. */
#ifndef TA_CORE_LIVE_LIVE_H
#define TA_CORE_LIVE_LIVE_H

#include "base/arena.h"
#include "base/text.h"
#include "core/live/feed.h"
#include "tameanchor/live.h"

/* CALLS_MOST: how many calls are kept; behind that nobody can go back, and a long session goes on. */
enum { LISTENERS = 8, ATTENDANTS = 8, FEEDINGS = 8, CALLS_MOST = 1 << 20 };

/* A sensor that is fed, and what comes next. */
struct feeding {
    const char *name;
    const struct feed *feed;
    uint64_t start_ns;
    size_t next;
};

/* An input or a switch that somebody touched, and how it stood before. */
struct touched {
    const char *name;
    uint64_t value;
};

/* Where in a run something was done: behind so many events since the power came on, at that time. */
struct instant {
    uint64_t events, time_ns;
};

enum call_kind {
    CALL_POWER_ON,
    CALL_POWER_OFF,
    CALL_RESET,
    CALL_RESUME,
    CALL_HALT,
    CALL_SET,
    CALL_TYPE,
    CALL_CLOSE,
    CALL_MESSAGE,
    CALL_STORE,
    CALL_FEED
};

struct call {
    enum call_kind kind;
    struct instant at;
    const char *name;
    uint64_t value;
    const char *bytes;
    size_t length;
    const struct feed *feed;
};

/* What events have told of the board, but for the document, which has no bound. The pointers of BOARD lead into the live target's own. */
struct board_state {
    struct ta_board board;
    struct ta_texts texts;
    struct ta_event stop, halt, trap;
    struct ta_scene scene;
    char cable[TA_EVENT_TEXT_BYTES + 1];
};

/* What the port remembers, and what LIVE knew then. */
struct mark {
    void *mark;
    struct instant at;
    size_t calls; /* how many there were */
    bool running;
    struct board_state *state;
    uint64_t *values;
    const char *document;
    size_t document_length;
    struct feeding feedings[FEEDINGS];
    size_t feeding_count;
};

struct attendance {
    struct ta_attendant attendant;
    uint64_t next_ns;
    bool at_work;
};

struct ta_live {
    struct ta_port *port;
    struct arena *arena;

    /* The board (board.c). */
    struct board_state state;
    uint64_t *values; /* of connectors, then of switches */
    size_t value_count;
    struct text document;

    /* The loop (live.c). */
    uint64_t base_ns; /* what the port's clock shows when ours shows 0 */
    struct instant now;
    struct ta_event event;
    bool running, ended, doing, again; /* AGAIN: what was done once is done again, and nobody is told */
    struct ta_listener listeners[LISTENERS];
    size_t listener_count;
    struct attendance attendances[ATTENDANTS];
    size_t attendance_count;

    /* What somebody does (hands.c, feeding.c). */
    struct feeding feedings[FEEDINGS];
    size_t feeding_count;
    struct touched *touched;
    size_t touched_count, touched_room;

    /* Going back (marks.c, back.c). */
    struct mark *marks;
    size_t mark_count, mark_room;
    struct call *calls;
    size_t call_count, call_room;
};

static inline enum ta_status live_no_memory(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

/* The board is as it is right behind power-on; as EVENT says. */
enum ta_status board_begin(struct ta_live *live, struct ta_problem *why);
enum ta_status board_take(struct ta_live *live, const struct ta_event *event);
/* Keeps all of it in MARK; it is as it was then. */
enum ta_status board_keep(struct ta_live *live, struct mark *mark);
enum ta_status board_back(struct ta_live *live, const struct mark *mark);
/* Where the value of a connector or a switch stands; null for a name that is none. */
uint64_t *board_value(struct ta_live *live, const char *name);

/* Remembers how the input or switch NAME stands, unless somebody touched it before. */
enum ta_status live_remember(struct ta_live *live, const char *name, struct ta_problem *why);

/* Lets the sensor NAME go through FEED from now on, until the power goes, or it is fed anew. Both are borrowed as long. */
enum ta_status live_feed(struct ta_live *live, const char *name, const struct feed *feed, struct ta_problem *why);
/* Sets what is due; when the next value is, UINT64_MAX for never. */
enum ta_status live_feed_due(struct ta_live *live, struct ta_problem *why);
uint64_t live_next_feed_ns(const struct ta_live *live);

/* Notes, behind the first mark, what was just done. What bytes there are is copied. */
enum ta_status live_note(struct ta_live *live, const struct call *call, struct ta_problem *why);

#endif
