/* A live target: one that is powered while somebody uses it, through a terminal, a trial, a debugger or a program of yours. A live target
   alone calls its port: it owns the loop that lets device time pass, knows how the board stands, tells those who listen, and can go back.

   One thread uses a live target, the one that lets it run, and that thread alone calls the port. Times are device time in nanoseconds since
   the power came on, or, of a target whose power cannot be switched, since the reset that stands for it. WHY is never null in a function
   that takes one. TA_E_PORT means that the target cannot be reached any more; TA_E_MEMORY that there was no memory, and nothing was done;
   what is refused changes nothing. */
#ifndef TAMEANCHOR_LIVE_H
#define TAMEANCHOR_LIVE_H

#include "tameanchor/port.h"
#include "tameanchor/texts.h"
#include "tameanchor/trap.h"

#ifdef __cplusplus
extern "C" {
#endif

struct ta_live;

/* A live target over PORT, which is borrowed, powered or not, and must not be used by anybody else until ta_live_free. */
enum ta_status ta_live_new(struct ta_port *port, struct ta_live **live, struct ta_problem *why);
void ta_live_free(struct ta_live *live); /* may be null */

/* The board, as events have told it. */

/* How the board stands. VALUES has an entry for each connector of PROFILE, in its order (lamps: a bit each; a sensor in thousandths of its
   unit; a button 1 while it is held), POSITIONS one for each of its switches. All of it is the live target's, and changes with the next
   call. */
struct ta_board {
    size_t size_bytes;
    const struct ta_profile *profile;
    bool powered;
    bool was_reset; /* it could not be powered, and was reset instead */
    uint64_t time_ns;
    const uint64_t *values, *positions;
    const struct ta_texts *texts; /* that its screen shows */
    const char *redrawn;          /* the screen that showed something else last; null for none yet */
    uint64_t redraws;             /* how often one did */
    const char
        *cable; /* what the other end of a cable makes of the target, in its last words; empty before the first */
    enum ta_cable cable_state;
    const char *document; /* what was typed there, UTF-8 with a zero behind it */
    size_t document_length;
    const struct ta_event *stop;  /* why it runs no more; null while it does */
    const struct ta_event *halt;  /* the breakpoint or watchpoint that it halts at; null while it does not */
    const struct ta_event *trap;  /* the first one, or the one that it ran wild because of; null for none */
    const struct ta_scene *scene; /* of that */
};
const struct ta_board *ta_live_board(const struct ta_live *live);

/* Makes PICTURE what the screen of that name shows, to be freed with ta_picture_free. */
enum ta_status ta_live_picture(struct ta_live *live, const char *name, struct ta_picture *picture,
                               struct ta_problem *why);

/* Who is told, and who asks. */

/* BEGAN is told when the power came on, before anything happens; HAPPENED of each event, in order, times as above. What they answer but TA_OK
   ends the call under way with that. Either may be null. */
struct ta_listener {
    size_t size_bytes;
    void *with;
    enum ta_status (*began)(void *with);
    enum ta_status (*happened)(void *with, const struct ta_event *event);
};

/* Called now and then between two events, at the latest when SLICE_NS of device time have passed since it was called last: the place to keep a
   pace, to read what somebody types, to set what somebody wants. It may call all functions of LIVE but ta_live_free, and is not called again
   while it does. What it answers but TA_OK ends the call under way with that. */
struct ta_attendant {
    size_t size_bytes;
    void *with;
    uint64_t slice_ns;
    enum ta_status (*attend)(void *with, struct ta_live *live, struct ta_problem *why);
};

/* Both are copied, and stay until ta_live_free. Eight of each are the most: TA_E_USAGE. */
enum ta_status ta_live_listen(struct ta_live *live, const struct ta_listener *listener, struct ta_problem *why);
enum ta_status ta_live_attend(struct ta_live *live, const struct ta_attendant *attendant, struct ta_problem *why);

/* The loop. */

/* On: the harts stand at their reset address, device time is 0. A target whose power cannot be switched is reset, and the board's was_reset
   says so; off is TA_E_UNSUPPORTED there. */
enum ta_status ta_live_power(struct ta_live *live, bool on, struct ta_problem *why);
enum ta_status ta_live_reset(struct ta_live *live, struct ta_problem *why);
enum ta_status ta_live_resume(struct ta_live *live, struct ta_problem *why);
enum ta_status ta_live_halt(struct ta_live *live, struct ta_problem *why);

/* Lets the target run until the next event, or until device time UNTIL_NS: *OVER says that no event came. Of a target that runs no more, that
   halts, or that nobody resumed, it is over at once. EVENT is the live target's until the next call. */
enum ta_status ta_live_wait(struct ta_live *live, uint64_t until_ns, bool *over, const struct ta_event **event,
                            struct ta_problem *why);

/* Lets TIME_NS pass, whatever happens; a target that stops or halts meanwhile ends it. */
enum ta_status ta_live_pass(struct ta_live *live, uint64_t time_ns, struct ta_problem *why);

/* From now on nothing is waited for: ta_live_wait is over at once. For an attendant who has seen enough. */
void ta_live_end(struct ta_live *live);
bool ta_live_ended(const struct ta_live *live);

/* What somebody does to it. */

/* An input by its connector's name, a switch by its own; values as in machine.h. */
enum ta_status ta_live_set(struct ta_live *live, const char *name, uint64_t value, struct ta_problem *why);
/* A quarter turn by hand, TURNS times, as ta_port_turn. */
enum ta_status ta_live_turn(struct ta_live *live, int turns, struct ta_problem *why);
enum ta_status ta_live_type(struct ta_live *live, const void *bytes, size_t length, bool closed,
                            struct ta_problem *why);
enum ta_status ta_live_message(struct ta_live *live, const char *name, const void *text, size_t length,
                               struct ta_problem *why);
/* What DEVICE keeps without power, as a card that is put in does, from its first byte on. */
enum ta_status ta_live_store(struct ta_live *live, const char *device, const void *bytes, size_t length,
                             struct ta_problem *why);

/* Inputs and switches stand again as they did before anybody touched them through LIVE. */
enum ta_status ta_live_put_back(struct ta_live *live, struct ta_problem *why);

/* Does what one line of a trial does (docs/trials.md), such as "press button A for 50 ms", "set heading to 90 deg", "drag 20,40 to 200,40", or
   "message "high tide" arrives"; "NAME=VALUE" stands for the line that gives the input NAME that value. The line is checked against the board
   first: TA_E_SYNTAX, TA_E_INPUT. What takes time lets it pass. A line is refused, TA_E_NO, while another one is carried out. */
enum ta_status ta_live_do(struct ta_live *live, const char *line, struct ta_problem *why);
bool ta_live_is_doing(const struct ta_live *live);

/* Going back, where the port can: TA_CAN_REWIND. */

/* Remembers all of the target as it is. From the first mark on LIVE keeps what was done to the target, each with its instant. */
enum ta_status ta_live_mark(struct ta_live *live, struct ta_problem *why);

/* Goes back to TIME_NS, which is not after now, and not before the first mark since the power came on: from the last mark before that time all
   that was done, at TIME_NS itself too, is done again, each at its instant, so that the target is exactly as it was. Listeners are not told anew of what they were told.
   What came after TIME_NS is forgotten. */
enum ta_status ta_live_back(struct ta_live *live, uint64_t time_ns, struct ta_problem *why);

#ifdef __cplusplus
}
#endif
#endif
