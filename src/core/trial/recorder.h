/* A recorder: takes the events of one run from the port, keeps them as a recording, and remembers from where on expectations
   look: the last stimulus, or what an earlier expectation has used up. */
#ifndef TA_CORE_TRIAL_RECORDER_H
#define TA_CORE_TRIAL_RECORDER_H

#include "base/arena.h"
#include "base/text.h"
#include "tameanchor/texts.h"
#include "tameanchor/trap.h"
#include "tameanchor/trial.h"

/* An output's level, from its time on. NAME is the recording's. */
struct shown {
    const char *name;
    uint64_t level, time_ns;
};

/* A sensor that is fed, and what comes next. */
struct feed;
struct feeding {
    const char *name;
    const struct feed *feed;
    uint64_t start_ns;
    size_t next;
};
enum { FEEDINGS = 8 };

struct recorder {
    struct ta_port *port;
    const struct ta_patterns *patterns;
    bool (*cancelled)(void *);
    void *cancelled_with;
    struct ta_problem *why, unheard;
    uint64_t now_ns;

    unsigned round; /* of those that cut the power, each at another instant */

    struct text console; /* since power-on */
    size_t console_from, line_start, line_tried;
    size_t text_tried, levels_tried; /* by the expectation that waits now: nothing that it wants begins before */
    size_t redrawn,
        pictured; /* how often a screen showed something else; what that was when a picture was last compared, and one more */
    enum ta_status trouble; /* while looking whether an expectation holds */
    uint64_t console_time_ns;
    unsigned console_line; /* the statement that console_from is because of */
    bool console_used;     /* it was an expectation, which used up what stood before */

    struct text document; /* what was typed at the other end of a cable */
    size_t document_from;
    const char *cable; /* what that makes of the target, in its last words; null: nothing */

    struct text sent; /* the messages that the radio sent, a zero behind each */
    size_t sent_from;

    struct ta_texts texts; /* on the screen now */

    struct feeding feedings[FEEDINGS];
    size_t feeding_count;

    struct shown *stood; /* how switches stood before the trial touched them */
    size_t stood_count, stood_room;

    struct shown *shown;
    size_t shown_count, shown_from, shown_room;

    bool stopped, trapped;
    struct ta_event stop, trap; /* TRAP: the first one, or the one that it ran wild because of */
    struct ta_scene *scene;     /* of that; the recording's */

    struct arena *arena; /* the recording's */
    struct text said;    /* all that the console said, over every power-on */
    struct ta_moment *moments;
    size_t moment_count, moment_room;
};

/* A recording's memory; null without any. */
struct ta_recording *recording_new(struct arena **arena);

/* Waits for one event, until UNTIL_NS; *TIMED_OUT tells that none came. Lets TIME_NS pass. */
enum ta_status recorder_next(struct recorder *recorder, uint64_t until_ns, bool *timed_out);
enum ta_status recorder_pass(struct recorder *recorder, uint64_t time_ns);

/* Lets the sensor NAME go through FEED from now on, until the power goes, or it is fed anew. */
enum ta_status recorder_feed(struct recorder *recorder, const char *name, const struct feed *feed);

/* What comes from here on is what expectations look at. */
void recorder_look_from_here(struct recorder *recorder);

/* Begins anew: the target was just powered on. */
void recorder_begin(struct recorder *recorder);
/* Something that the trial did, for those who read it. */
enum ta_status recorder_note(struct recorder *recorder, const char *what, const char *how);
enum ta_status recorder_add_shown(struct recorder *recorder, const char *name, uint64_t level);

#endif
