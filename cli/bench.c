/* tanchor bench: the targets. */
#include "cli/commands.h"

static enum ta_status list(struct session *session, char **names) {
    (void)names;
    return ta_bench_list(session->context, session->report, &session->why);
}

static enum ta_status add(struct session *session, char **names) {
    if (!session->options.profile)
        return usage(session, "tanchor bench add NAME --profile PROFILE", "say what it is made from");
    return ta_bench_add(session->context, names[0], session->options.profile, (const char *const *)session->options.set,
                        session->report, &session->why);
}

static enum ta_status show(struct session *session, char **names) {
    return ta_bench_show(session->context, names[0], session->report, &session->why);
}

static enum ta_status set_switches(struct session *session, char **names) {
    return ta_bench_switch(session->context, names[0], (const char *const *)names + 1, session->report, &session->why);
}

static enum ta_status take_away(struct session *session, char **names) {
    return ta_bench_remove(session->context, names[0], session->report, &session->why);
}

const struct action bench_actions[] = {
    {"list", "", "all of them, and how their switches stand", 0, 0, list},
    {"add", "NAME", "one more, made from --profile, with --set KEY=VALUE", 1, 1, add},
    {"show", "NAME", "all about one", 1, 1, show},
    {"switch", "NAME SWITCH=POSITION...", "set a switch, a cable, the power", 2, 32, set_switches},
    {"remove", "NAME", "take one away, with its flash", 1, 1, take_away},
    {NULL, NULL, NULL, 0, 0, NULL},
};

enum ta_status command_bench(struct session *session) {
    const struct action *action =
        rest_count(session) ? action_find(bench_actions, session->options.rest[0]) : bench_actions;
    if (!rest_count(session))
        return list(session, NULL);
    return action
               ? action_run(session, "bench", action)
               : usage(session, "tanchor bench list, add, show, switch or remove", "tanchor bench does not know that");
}
