/* tanchor bench: the targets. */
#include "cli/session.h"

#include <string.h>

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

static const struct action {
    const char *name, *arguments;
    size_t least, most;
    enum ta_status (*run)(struct session *session, char **names);
} actions[] = {
    {"list", "", 0, 0, list},
    {"add", "NAME --profile PROFILE [--set KEY=VALUE]", 1, 1, add},
    {"show", "NAME", 1, 1, show},
    {"switch", "NAME SWITCH=POSITION...", 2, 32, set_switches},
    {"remove", "NAME", 1, 1, take_away},
};

enum ta_status command_bench(struct session *session) {
    size_t count = rest_count(session);
    char **rest = session->options.rest;
    if (!count)
        return list(session, NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(actions); ++i) {
        const struct action *action = &actions[i];
        g_autofree char *fix = g_strdup_printf("tanchor bench %s %s", action->name, action->arguments);
        if (strcmp(action->name, rest[0]))
            continue;
        return count - 1 < action->least || count - 1 > action->most
                   ? usage(session, fix, "that is not how it is called")
                   : action->run(session, rest + 1);
    }
    return usage(session, "tanchor bench list, add, show, switch or remove", "tanchor bench does not know that");
}
