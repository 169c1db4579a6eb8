/* A target of one's own behind deploy and verify. Runs the trials of the project that is named on its simulated board,
   keeps what happened, and then verifies the project again on another target, a board that only plays that record. */
#include "recorded_board.h"

#include <stdio.h>

static enum ta_status open_recorded(void *with, const struct ta_target *target, struct ta_port *port,
                                    struct ta_problem *why) {
    return recorded_board_open(with, target->profile, port, why);
}

static int complain(const struct ta_problem *why) {
    fprintf(stderr, "verify_a_record: %s; %s\n", why->what, why->fix);
    return ta_status_exit_code(why->status);
}

int main(int argc, char **argv) {
    const char *project = argc > 1 ? argv[1] : "tide-lamp";
    struct ta_report *recorded = ta_report_new(), *played = ta_report_new();
    struct record record = {.report = recorded};
    const struct ta_port_kind kind = {
        .size_bytes = sizeof kind, .name = "recorded", .with = &record, .open = open_recorded};
    static const char *const reached_by[] = {"port.kind=recorded", NULL};
    const struct ta_choices choices = {sizeof choices, .target = "record"};
    struct ta_context *context = NULL;
    struct ta_problem why;
    enum ta_status status = ta_context_new(&context, &why);
    if (!status)
        status = ta_verify(context, project, NULL, recorded, &why);
    if (!status)
        status = ta_context_add_port(context, &kind, &why);
    if (!status)
        status = ta_bench_add(context, "record", "dunlin", reached_by, played, &why);
    if (!status)
        status = ta_configure(context, project, &choices, played, &why);
    if (!status)
        status = ta_verify(context, project, NULL, played, &why);
    for (size_t i = 0; i < ta_report_recordings(played); ++i) {
        const struct ta_recording *trial = ta_report_recording(played, i);
        printf("  %s  %s, played from the record\n", trial->passed ? "pass" : "FAIL", trial->trial);
    }
    ta_context_free(context);
    ta_report_free(recorded);
    ta_report_free(played);
    return status ? complain(&why) : 0;
}
