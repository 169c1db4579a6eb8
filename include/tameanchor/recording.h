/* A recording: what one run of a trial was. Verdicts, JSON and reports read it; nothing in it is cut. All memory is the
   recording's own; it is made by ta_trial_run alone, so that it can grow. Times are device time in nanoseconds. */
#ifndef TAMEANCHOR_RECORDING_H
#define TAMEANCHOR_RECORDING_H

#include "tameanchor/event.h"
#include "tameanchor/picture.h"
#include "tameanchor/trap.h"

#include <stdbool.h>

#ifdef __cplusplus
extern "C" {
#endif

/* One thing that the target did or that was done to it. TEXT: a console's line without its end, or the name of an input or
   output; never null. The numbers are those of the event. */
struct ta_moment {
    uint64_t time_ns;
    enum ta_event_kind kind;
    unsigned hart, width;
    const char *text;
    const char *unit;     /* of a sensor that was set, whose VALUE is in thousandths of it; else null */
    const char *position; /* of a switch, where it was put; else null */
    uint64_t value, cause, pc;
    enum ta_stop stop;
    int code;
};

enum ta_outcome { TA_OUTCOME_NOT_REACHED, TA_OUTCOME_DONE, TA_OUTCOME_HELD, TA_OUTCOME_FAILED };

/* One statement: where it stands, how it is written, and what came of it between START_NS and END_NS. MOMENTS is how many of
   the timeline's were there at its end. SEEN, of one that failed, says what was there instead; else null. */
struct ta_result {
    unsigned line;
    const char *source, *seen;
    enum ta_outcome outcome;
    uint64_t start_ns, end_ns;
    size_t moments;
};

/* Something that the run leaves: all that the console said ("console", "text/plain"). TYPE is a media type (RFC 6838). */
struct ta_artefact {
    const char *name, *type;
    const uint8_t *bytes;
    size_t length;
};

/* FAILED is null when the trial passed. SCENE is that of a trap that failed it, else null; CALLS are the functions that were under way then,
   the innermost first, as far as they are known. PLACE says where in the source a trap that failed it was ("tide_level (tide.c:42)"),
   null when that is not known; PICTURE is what the screen showed when it did not look as expected, DIFFERENCE where it did not; else null. WORDS what it touched ("0x00000044 is not memory; a null pointer plus 68?"), null likewise. TRACE is the port's digest, 0 when it has none. WAS_RESET: the target's power cannot be switched, and each power-on was a
   reset. */
struct ta_recording {
    const char *trial, *file;
    bool passed, trapped, was_reset;
    unsigned expectations;
    uint64_t time_ns, trace, trap_pc, trap_cause, trap_value;
    const struct ta_scene *scene;
    const struct ta_picture *picture, *difference;
    const char *picture_file, *difference_file; /* where they were written to, or null */
    const char *place, *words;
    const char *const *calls;
    size_t call_count;
    const struct ta_result *failed;
    const struct ta_result *results;
    size_t result_count;
    const struct ta_moment *moments;
    size_t moment_count;
    const struct ta_artefact *artefacts;
    size_t artefact_count;
};

/* RECORDING may be null. */
void ta_recording_free(struct ta_recording *recording);

/* A moment in words ("lamps 00000111", "button A pressed"), at most SIZE bytes with the zero into BUFFER, which is returned. */
const char *ta_moment_text(const struct ta_moment *moment, char *buffer, size_t size);

/* Says where the trap was, PLACE, what it touched, WORDS, and which CALL_COUNT functions were under way, CALLS; all are copied, each may be
   empty. TA_E_MEMORY leaves the recording as it was. */
enum ta_status ta_recording_locate(struct ta_recording *recording, const char *place, const char *words,
                                   const char *const *calls, size_t call_count);

/* Says where PICTURE and DIFFERENCE were written to; both are copied. TA_E_MEMORY leaves the recording as it was. */
enum ta_status ta_recording_written(struct ta_recording *recording, const char *picture_file,
                                    const char *difference_file);

#ifdef __cplusplus
}
#endif
#endif
