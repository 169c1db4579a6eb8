#include "cli/actions.h"

#include <string.h>

const struct action *action_find(const struct action *actions, const char *name) {
    for (; actions->name; ++actions)
        if (!strcmp(actions->name, name))
            return actions;
    return NULL;
}

enum ta_status action_run(struct session *session, const char *command, const struct action *action) {
    size_t count = rest_count(session) - 1;
    g_autofree char *fix = g_strdup_printf("tanchor %s %s %s", command, action->name, action->arguments);
    if (count < action->least || count > action->most)
        return usage(session, g_strchomp(fix), "that is not how it is called");
    return action->run(session, session->options.rest + 1);
}

char *actions_help(const char *command, const struct action *actions) {
    GString *text = g_string_new("Actions:\n");
    for (; actions->name; ++actions) {
        g_autofree char *call = g_strdup_printf("%s %s", actions->name, actions->arguments);
        g_string_append_printf(text, "  tanchor %s %-30s %s\n", command, call, actions->summary);
    }
    return g_string_free(text, FALSE);
}
