/* What people do at the desk while a trial runs: switches, cables, cards. They stand as before when the trial is over. */
#include "core/trial/stimuli.h"

#include <string.h>

enum ta_status check_switch(const struct statement *statement, const struct ta_profile *profile,
                            struct ta_problem *why) {
    const struct ta_switch *each = ta_profile_switch(profile, statement->name);
    struct text known = {0};
    const struct ta_device *card = statement->bytes ? ta_profile_card(profile, statement->name) : NULL;
    if (statement->bytes && !card)
        return ta_problem_set(why, TA_E_INPUT, "leave the file out", "%s of %s puts no card in", statement->name,
                              profile->name);
    if (card && statement->byte_count > ta_device_card_bytes(card))
        return ta_problem_set(why, TA_E_INPUT, "give a smaller one", "%s has %zu bytes, the card of %s has %llu",
                              statement->text, statement->byte_count, profile->name,
                              (unsigned long long)ta_device_card_bytes(card));
    if (each && ta_switch_position(each, statement->position) < each->position_count)
        return TA_OK;
    for (size_t i = 0; i < (each ? each->position_count : profile->switch_count); ++i)
        text_printf(&known, "%s%s",
                    known.length ? ", " : "it has: ", each ? each->positions[i] : profile->switches[i].name);
    enum ta_status status =
        each ? ta_problem_set(why, TA_E_INPUT, known.bytes ? known.bytes : "", "%s of %s has no position \"%s\"",
                              each->name, profile->name, statement->position)
             : ta_problem_set(why, TA_E_INPUT, known.length ? known.bytes : "choose another target",
                              "%s has no switch, cable or card \"%s\"", profile->name, statement->name);
    text_free(&known);
    return status;
}

enum ta_status remember(struct recorder *recorder, const char *name) {
    struct ta_port *port = recorder->port;
    uint64_t position = 0;
    for (size_t i = 0; i < recorder->stood_count; ++i)
        if (!strcmp(recorder->stood[i].name, name))
            return TA_OK;
    enum ta_status status = port->read_output(port->self, name, &position, recorder->why);
    if (status)
        return status;
    recorder->stood = arena_grow(recorder->arena, recorder->stood, recorder->stood_count, &recorder->stood_room,
                                 sizeof *recorder->stood);
    if (!recorder->stood) {
        recorder->stood_count = 0;
        return ta_problem_set(recorder->why, TA_E_MEMORY, NULL, "out of memory");
    }
    recorder->stood[recorder->stood_count++] = (struct shown){.name = name, .level = position};
    return TA_OK;
}

enum ta_status act_switch(struct recorder *recorder, const struct statement *statement) {
    struct ta_port *port = recorder->port;
    const struct ta_profile *profile;
    enum ta_status status = port->describe(port->self, &profile, recorder->why);
    const struct ta_switch *each = status ? NULL : ta_profile_switch(profile, statement->name);
    if (!status)
        status = check_switch(statement, profile, recorder->why);
    if (!status)
        status = remember(recorder, statement->name);
    if (!status && statement->bytes)
        status = port->write_store(port->self, ta_profile_card(profile, statement->name)->name, 0, statement->bytes,
                                   statement->byte_count, recorder->why);
    return status ? status
                  : port->set_input(port->self, statement->name, ta_switch_position(each, statement->position),
                                    recorder->why);
}

enum ta_status put_back(struct recorder *recorder, struct ta_problem *why) {
    struct ta_port *port = recorder->port;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < recorder->stood_count; ++i)
        status = port->set_input(port->self, recorder->stood[i].name, recorder->stood[i].level, why);
    return status;
}
