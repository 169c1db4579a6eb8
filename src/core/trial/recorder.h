/* A recorder: is told the events of one run, keeps them as a recording, and remembers from where on expectations
   look: the last stimulus, or what an earlier expectation has used up. */
#ifndef TA_CORE_TRIAL_RECORDER_H
#define TA_CORE_TRIAL_RECORDER_H

#include "base/arena.h"
#include "base/text.h"
#include "tameanchor/live.h"
#include "tameanchor/trial.h"

/* An output's level, from its time on. NAME is the recording's. */
struct shown {
    const char *name;
    uint64_t level, time_ns;
};

struct recorder {
    struct ta_live *live;
    const struct ta_board *board; /* of that */
    const struct ta_patterns *patterns;
    struct ta_problem *why;

    struct text console; /* since power-on */
    size_t console_from, line_start, line_tried;
    size_t text_tried, levels_tried; /* by the expectation that waits now: nothing that it wants begins before */
    uint64_t pictured; /* how often a screen had shown something else when a picture was last compared, and one more */
    enum ta_status trouble; /* while looking whether an expectation holds */
    uint64_t console_time_ns;
    unsigned console_line; /* the statement that console_from is because of */
    bool console_used;     /* it was an expectation, which used up what stood before */

    size_t document_from;

    struct text sent; /* the messages that the radio sent, a zero behind each */
    size_t sent_from;

    struct shown *shown;
    size_t shown_count, shown_from, shown_room;

    struct arena *arena; /* the recording's */
    struct text said;    /* all that the console said, over every power-on */
    struct ta_moment *moments;
    size_t moment_count, moment_room;
};

/* A recording's memory; null without any. */
struct ta_recording *recording_new(struct arena **arena);

/* As struct ta_listener has them; WITH is the recorder. */
enum ta_status recorder_begin(void *with);
enum ta_status recorder_take(void *with, const struct ta_event *event);

/* What comes from here on is what expectations look at. */
void recorder_look_from_here(struct recorder *recorder);

/* Something that the trial did, for those who read it. */
enum ta_status recorder_note(struct recorder *recorder, const char *what, const char *how);

#endif
