/* Switches, cables, cards. */
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

enum ta_status act_switch(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    const struct ta_profile *profile = ta_live_board(live)->profile;
    const struct ta_switch *each = ta_profile_switch(profile, statement->name);
    enum ta_status status = check_switch(statement, profile, why);
    if (!status && statement->bytes)
        status = ta_live_store(live, ta_profile_card(profile, statement->name)->name, statement->bytes,
                               statement->byte_count, why);
    return status ? status : ta_live_set(live, statement->name, ta_switch_position(each, statement->position), why);
}
