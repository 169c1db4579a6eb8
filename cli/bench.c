/* tanchor bench: the targets. */
#include "cli/commands.h"

enum ta_status bench_list(struct session *session) {
    return ta_bench_list(session->context, session->report, &session->why);
}

enum ta_status bench_add(struct session *session) {
    if (!session->options.profile)
        return usage(session, "tanchor bench add NAME --profile PROFILE", "say which profile it is made from");
    return ta_bench_add(session->context, session->names[0], session->options.profile,
                        (const char *const *)session->options.set, session->report, &session->why);
}

enum ta_status bench_show(struct session *session) {
    return ta_bench_show(session->context, session->names[0], session->report, &session->why);
}

enum ta_status bench_card_in(struct session *session) {
    return ta_bench_card_in(session->context, session->names[0], session->names[1], session->report, &session->why);
}

enum ta_status bench_card_out(struct session *session) {
    return ta_bench_card_out(session->context, session->names[0], session->names[1], session->report, &session->why);
}

enum ta_status bench_factory(struct session *session) {
    return ta_bench_factory(session->context, session->names[0], session->report, &session->why);
}

enum ta_status bench_switch(struct session *session) {
    return ta_bench_switch(session->context, session->names[0], (const char *const *)session->names + 1,
                           session->report, &session->why);
}

enum ta_status bench_remove(struct session *session) {
    return ta_bench_remove(session->context, session->names[0], session->report, &session->why);
}
