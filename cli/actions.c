#include "cli/actions.h"

#include "base/text.h"

#include <string.h>

const struct command *command_find(const struct command *all, const char *name) {
    for (const struct command *command = all; command->name; ++command)
        if (!strcmp(command->name, name))
            return command;
    return NULL;
}

const struct action *action_find(const struct command *command, const char *name) {
    for (const struct action *action = command->actions; action->run; ++action)
        if (!g_strcmp0(action->name, name))
            return action;
    return NULL;
}

const char *command_near(const struct command *all, const char *word) {
    const char *near = NULL;
    for (const struct command *command = all; command->name; ++command)
        near = command->hidden ? near : text_nearer(word, command->name, near);
    return near;
}

const char *action_near(const struct command *command, const char *word) {
    const char *near = NULL;
    for (const struct action *action = command->actions; action->run; ++action)
        near = action->name ? text_nearer(word, action->name, near) : near;
    return near;
}

char *action_words(const struct command *command, const struct action *action) {
    return g_strdup_printf("tanchor%s%s%s%s", *command->name ? " " : "", command->name, action->name ? " " : "",
                           action->name ? action->name : "");
}
