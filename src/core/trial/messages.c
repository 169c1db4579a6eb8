/* Messages of text that reach the board's radio, and that it sends. */
#include "core/trial/stimuli.h"

#include <stdio.h>
#include <string.h>

/* "high tide at nine" arrives: a text, then the row's last words. */
static enum ta_status parse_message(struct line *line, struct statement *statement, const char *const *words) {
    static const char text_allowed[] = "allowed here: a text of 1 to 160 bytes, in quotes";
    const struct token *token = line_peek(line);
    if (token->kind != TOKEN_TEXT)
        return line_refuse(line, token, text_allowed);
    enum ta_status status = line_text(line, false, &statement->text, &statement->text_length);
    if (!status && (!statement->text_length || statement->text_length > TA_MESSAGE_BYTES))
        return line_refuse(line, token, text_allowed);
    for (; !status && *words; ++words) {
        char allowed[64];
        snprintf(allowed, sizeof allowed, "allowed here: %s", *words);
        status = line_expect(line, *words, allowed);
    }
    return status;
}

enum ta_status parse_arrives(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    return parse_message(line, statement, (const char *const[]){"arrives", NULL});
}

enum ta_status parse_is_sent(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    return parse_message(line, statement, (const char *const[]){"is", "sent", NULL});
}

enum ta_status check_radio(const struct statement *statement, const struct ta_profile *profile,
                           struct ta_problem *why) {
    (void)statement;
    return ta_profile_connector_of(profile, TA_CONNECTOR_RADIO)
               ? TA_OK
               : ta_problem_set(why, TA_E_INPUT, "choose another target", "%s has no radio", profile->name);
}

enum ta_status act_message(struct ta_live *live, const struct statement *statement, struct ta_problem *why) {
    const struct ta_profile *profile = ta_live_board(live)->profile;
    enum ta_status status = check_radio(statement, profile, why);
    return status ? status
                  : ta_live_message(live, ta_profile_connector_of(profile, TA_CONNECTOR_RADIO)->name, statement->text,
                                    statement->text_length, why);
}

bool holds_sent(struct recorder *recorder, const struct statement *statement, bool last_call) {
    (void)last_call;
    return found_behind(recorder->sent.bytes, recorder->sent.length, &recorder->sent_from, statement);
}

const char *describe_sent(const struct recorder *recorder, const struct statement *statement) {
    const struct text *sent = &recorder->sent;
    size_t end = sent->length ? sent->length - 1 : 0, start = end;
    (void)statement;
    if (!sent->length)
        return arena_text(recorder->arena, "no message was sent");
    while (start && sent->bytes[start - 1] != '\0')
        --start;
    return arena_printf(recorder->arena, "\"%.*s\" (the last message that was sent)", (int)(end - start),
                        sent->bytes + start);
}
