/* How long things took, for an estimate the next time. Only a help. */
#ifndef TA_FLOW_DURATIONS_H
#define TA_FLOW_DURATIONS_H

#include "flow/context.h"

/* WHAT (for example "fetch http://127.0.0.1:8470") took SECONDS for AMOUNT bytes, or for something without an amount: 0. */
void duration_note(struct ta_context *context, const char *what, uint64_t amount, double seconds);

/* The seconds that WHAT should take for AMOUNT, by the last time; below 0 when it is not known. */
double duration_expect(struct ta_context *context, const char *what, uint64_t amount);

/* A progress that goes on: what is left, from the rate so far, or, while little is there, from the last time. */
struct duration_watch {
    struct ta_context *context;
    const char *what, *key;
    int64_t start_us;
    uint64_t from; /* the bytes that were there before */
    double expected_s;
};
void duration_start(struct duration_watch *watch, struct ta_context *context, const char *what, const char *key,
                    uint64_t from, uint64_t amount);

/* Tells the context; WATCH is a struct duration_watch, as callbacks give it. TOTAL 0: not known. */
void duration_progress(void *watch, uint64_t done, uint64_t total);

/* It is over, and took AMOUNT bytes. */
void duration_end(const struct duration_watch *watch, uint64_t amount);

#endif
