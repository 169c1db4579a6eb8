/* A line of a trial, done by hand to a live target. */
#include "core/live/live.h"
#include "core/trial/statements.h"

#include <stdlib.h>
#include <string.h>

/* "NAME=VALUE": NAME as the profile has it. */
struct setting {
    const struct ta_connector *connector;
    const struct ta_switch *flips;
    const char *value;
};

/* False when TEXT is none: a line of a trial has '=' in quotes alone. TA_E_INPUT for a name that the board has not. */
static bool find_setting(const struct ta_profile *profile, const char *text, struct arena *arena,
                         struct setting *setting, enum ta_status *status, struct ta_problem *why) {
    const char *equals = strchr(text, '='), *quote = strchr(text, '"');
    if (!equals || (quote && quote < equals))
        return false;
    const char *name = arena_text_part(arena, text, (size_t)(equals - text));
    *setting = (struct setting){.connector = name ? ta_profile_connector(profile, name) : NULL,
                                .flips = name ? ta_profile_switch(profile, name) : NULL,
                                .value = equals + 1};
    if (!name)
        *status = live_no_memory(why);
    else if (!setting->connector && !setting->flips)
        *status = ta_problem_set(why, TA_E_INPUT, "its profile lists the inputs", "%s has no input \"%s\"",
                                 profile->name, name);
    return true;
}

/* VALUE in quotes, as trials write texts. */
static void add_quoted(struct text *line, const char *value) {
    text_add(line, "\"", 1);
    for (; *value; ++value) {
        if (*value == '"' || *value == '\\')
            text_add(line, "\\", 1);
        text_add(line, value, 1);
    }
    text_add(line, "\"", 1);
}

/* The line that gives the input its value; null with STATUS when none does. */
static const char *line_of(const struct setting *setting, struct arena *arena, enum ta_status *status,
                           struct ta_problem *why) {
    const char *value = setting->value;
    struct text line = {0};
    if (setting->flips) {
        text_printf(&line, "switch %s to %s", setting->flips->name, value);
    } else {
        const char *name = setting->connector->name;
        switch (setting->connector->kind) {
        case TA_CONNECTOR_SENSOR: text_printf(&line, "set %s to %s", name, value); break;
        case TA_CONNECTOR_TOUCH: text_printf(&line, "touch %s", value); break;
        case TA_CONNECTOR_RADIO:
            text_printf(&line, "message ");
            add_quoted(&line, value);
            text_printf(&line, " arrives");
            break;
        case TA_CONNECTOR_BUTTON:
            if (!strcmp(value, "0") || !strcmp(value, "1"))
                text_printf(&line, "%s %s", *value == '1' ? "hold" : "release", name);
            else
                *status = ta_problem_set(why, TA_E_INPUT, "write 1 for held, 0 for released",
                                         "\"%.40s\" is not a position of %s", value, name);
            break;
        default:
            *status = ta_problem_set(why, TA_E_INPUT, "sensors, buttons, switches, touch panels and radios can be set",
                                     "%s is not an input", name);
        }
    }
    const char *kept = *status ? NULL : arena_text(arena, line.bytes ? line.bytes : "");
    if (!*status && (line.failed || !kept))
        *status = live_no_memory(why);
    text_free(&line);
    return kept;
}

/* BEFOREHAND: it may be done while the power is off, too. */
static enum ta_status read_line(const struct ta_live *live, const char *text, bool beforehand, struct line *line,
                                struct statement *statement) {
    static const struct parsing nothing_beside = {NULL, NULL};
    const struct ta_profile *profile = live->state.board.profile;
    line->text = text;
    line->length = strlen(text);
    enum ta_status status = line_cut(line);
    if (!status && !statement_begins(line))
        return ta_problem_set(line->why, TA_E_SYNTAX, "write for example heading=90 deg, or press button A",
                              "\"%.40s\" is nothing that somebody does", text);
    if (!status)
        status = statement_read(line, true, &nothing_beside, statement);
    if (!status && line_peek(line)->kind != TOKEN_END)
        status = line_refuse(line, line_peek(line), "allowed here: the end of the line");
    if (!status && (!statement->row->act || statement->row->by_trials))
        status =
            ta_problem_set(line->why, TA_E_INPUT, "press, hold, release, set, switch, plug, touch, drag and others do",
                           "\"%.40s\" is not done by hand", text);
    if (!status)
        status = ta_port_needs(live->port, statement->row->needs, line->why);
    if (!status && statement->row->check)
        status = statement->row->check(statement, profile, line->why);
    if (!status && statement->row->needs_power && !beforehand && !live->state.board.powered)
        status = ta_problem_set(line->why, TA_E_INPUT, "let it happen while the program runs",
                                "\"%.40s\" does nothing before the power is on", text);
    return status;
}

/* ARENA holds what is read of the line. */
static enum ta_status do_line(struct ta_live *live, const char *text, struct arena *arena, struct ta_problem *why) {
    const struct ta_profile *profile = live->state.board.profile;
    struct line *line = arena_alloc(arena, sizeof *line);
    struct statement statement;
    struct setting setting;
    enum ta_status status = line ? TA_OK : live_no_memory(why);
    bool sets = !status && find_setting(profile, text, arena, &setting, &status, why);
    bool touches = sets && !status && setting.connector && setting.connector->kind == TA_CONNECTOR_TOUCH;
    bool lies = touches && !live->state.board.powered; /* a finger that is there when the power comes on */
    if (touches && !*setting.value)
        return ta_live_set(live, setting.connector->name, 0, why);
    if (sets && !status)
        text = line_of(&setting, arena, &status, why);
    if (status)
        return status;
    *line = (struct line){.arena = arena, .file = "", .why = why};
    status = read_line(live, text, lies, line, &statement);
    if (status) { /* the line stands in no file */
        *why->file = '\0';
        why->line = why->column = 0;
    }
    if (!status && lies)
        return ta_live_set(live, setting.connector->name, statement.point, why);
    return status ? status : statement.row->act(live, &statement, why);
}

enum ta_status ta_live_do(struct ta_live *live, const char *line, struct ta_problem *why) {
    struct arena *arena = live->doing ? NULL : arena_new();
    if (live->doing)
        return ta_problem_set(why, TA_E_NO, "wait until it is done", "somebody is doing something to the target");
    if (!arena)
        return live_no_memory(why);
    live->doing = true;
    enum ta_status status = do_line(live, line, arena, why);
    live->doing = false;
    arena_free(arena);
    return status;
}

bool ta_live_is_doing(const struct ta_live *live) {
    return live->doing;
}
