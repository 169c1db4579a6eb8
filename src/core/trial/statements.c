#include "core/trial/statements.h"

#include "core/model/picture.h"
#include "core/trial/stimuli.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PRESS_DEFAULT_NS 50000000u
#define DRAG_DEFAULT_NS  300000000u

enum { LEVELS = 64, INSTANTS_MOST = 10000 };

/* Parsing: each reads what follows the words of its row. */

static const char input_allowed[] = "allowed here: the name of an input, for example button A";

static enum ta_status parse_press(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    statement->time_ns = PRESS_DEFAULT_NS;
    enum ta_status status = line_name(line, "for", input_allowed, &statement->name);
    return !status && line_accept(line, "for") ? line_time(line, &statement->time_ns) : status;
}

static enum ta_status parse_input(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    return line_name(line, NULL, input_allowed, &statement->name);
}

/* "heading to 90 deg" */
static enum ta_status parse_set(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    enum ta_status status =
        line_name(line, "to", "allowed here: the name of a sensor, for example heading", &statement->name);
    if (!status)
        status = line_expect(line, "to", "allowed here: to, and a value, for example: set heading to 90 deg");
    return status ? status
                  : line_name(line, NULL, "allowed here: a value and its unit, for example 90 deg", &statement->value);
}

/* "heading from "tide-rip.csv"" */
static enum ta_status parse_feed(struct line *line, struct statement *statement, const struct parsing *parsing) {
    const struct ta_attachments *attachments = parsing->attachments;
    char *bytes = NULL;
    size_t length = 0;
    enum ta_status status =
        line_name(line, "from", "allowed here: the name of a sensor, for example heading", &statement->name);
    if (!status)
        status = line_expect(line, "from", "allowed here: from, and a file: feed heading from \"tide.csv\"");
    const struct token *token = line_peek(line);
    if (!status)
        status = line_text(line, false, &statement->text, &statement->text_length);
    if (status)
        return status;
    struct feed *feed = arena_alloc(line->arena, sizeof *feed);
    if (!feed)
        return line_no_memory(line);
    if (!attachments)
        return line_refuse(line, token, "this program has no files");
    status = attachments->contents(attachments->with, statement->text, &bytes, &length, line->why);
    const char *folder_ends = strrchr(line->file, '/'); /* it lies beside the trials */
    feed->name =
        folder_ends ? arena_printf(line->arena, "%.*s/%s", (int)(folder_ends - line->file), line->file, statement->text)
                    : statement->text;
    if (!feed->name)
        status = status ? status : line_no_memory(line);
    if (!status)
        status = feed_read(bytes, length, line->arena, feed, line->why);
    else if (!*line->why->file)
        ta_problem_at(line->why, line->file, line->number, token->column);
    free(bytes);
    statement->feed = feed;
    return status;
}

static enum ta_status parse_type(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    return line_text(line, false, &statement->text, &statement->text_length);
}

static enum ta_status parse_wait(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    return line_time(line, &statement->time_ns);
}

static enum ta_status parse_console(struct line *line, struct statement *statement, bool pattern) {
    const struct token *token = line_peek(line);
    enum ta_status status = line_text(line, pattern, &statement->text, &statement->text_length);
    if (!status && !statement->text_length)
        status = line_refuse(line, token, "allowed here: a text that is not empty");
    return status;
}

static enum ta_status parse_says(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    return parse_console(line, statement, false);
}

static enum ta_status parse_matches(struct line *line, struct statement *statement, const struct parsing *parsing) {
    const struct token *token = line_peek(line);
    enum ta_status status = parse_console(line, statement, true);
    if (!status && !parsing->patterns)
        return line_refuse(line, token, "this program has no patterns; use says");
    if (!status)
        statement->pattern = parsing->patterns->compile(statement->text, line->why);
    if (status || statement->pattern)
        return status;
    ta_problem_at(line->why, line->file, line->number, token->column);
    return TA_E_SYNTAX;
}

static enum ta_status parse_pace(struct line *line, struct statement *statement) {
    enum ta_status status = line_time(line, &statement->every_ns);
    if (status || !line_accept(line, "give"))
        return status;
    status = line_expect(line, "or", "allowed here: or take");
    if (!status)
        status = line_expect(line, "take", "allowed here: take");
    return status ? status : line_time(line, &statement->tolerance_ns);
}

static enum ta_status parse_show(struct line *line, struct statement *statement, const struct parsing *parsing) {
    uint64_t levels[LEVELS];
    enum ta_status status;
    (void)parsing;
    do {
        if (statement->level_count == LEVELS)
            return line_refuse(line, line_peek(line), "at most 64 rows");
        status = line_level(line, &levels[statement->level_count++], &statement->width);
        if (status)
            return status;
    } while (line_peek(line)->kind == TOKEN_COMMA && ++line->next);
    uint64_t *kept = arena_alloc(line->arena, statement->level_count * sizeof *kept);
    if (!kept)
        return line_no_memory(line);
    memcpy(kept, levels, statement->level_count * sizeof *kept);
    statement->levels = kept;
    if (statement->level_count == 1)
        return TA_OK;
    status = line_expect(line, "in", "allowed here: a comma and the next row, or: in order");
    if (!status)
        status = line_expect(line, "order", "allowed here: order");
    return !status && line_accept(line, "every") ? parse_pace(line, statement) : status;
}

static enum ta_status parse_ends(struct line *line, struct statement *statement, const struct parsing *parsing) {
    uint64_t code = 0;
    (void)parsing;
    statement->code = -1;
    if (!line_accept(line, "with"))
        return TA_OK;
    enum ta_status status = line_number(line, 255, "allowed here: an exit code, 0 to 255", &code);
    statement->code = (int)code;
    return status;
}

/* At once, or "at 200 instants within 2 s". */
static enum ta_status parse_cut(struct line *line, struct statement *statement, const struct parsing *parsing) {
    uint64_t instants = 0;
    (void)parsing;
    if (!line_accept(line, "at"))
        return TA_OK;
    const struct token *token = line_peek(line);
    enum ta_status status = line_number(line, INSTANTS_MOST, "allowed here: how many instants, 2 to 10000", &instants);
    if (!status && instants < 2)
        return line_refuse(line, token, "allowed here: how many instants, 2 to 10000");
    if (!status)
        status = line_expect(line, "instants", "allowed here: instants");
    if (!status)
        status = line_expect(line, "within", "allowed here: within, and a time");
    statement->instants = (unsigned)instants;
    return status ? status : line_time(line, &statement->time_ns);
}

/* "log.img": what the card holds that is put in. */
static enum ta_status parse_contents(struct line *line, struct statement *statement, const struct parsing *parsing) {
    const struct token *token = line_peek(line);
    const struct ta_attachments *attachments = parsing->attachments;
    char *bytes = NULL;
    enum ta_status status = line_text(line, false, &statement->text, &statement->text_length);
    if (!status && !attachments)
        return line_refuse(line, token, "this program has no files");
    if (!status)
        status = attachments->contents(attachments->with, statement->text, &bytes, &statement->byte_count, line->why);
    if (!status && (!statement->byte_count || statement->byte_count % TA_CARD_BLOCK))
        status = ta_problem_set(line->why, TA_E_INPUT, "a card has whole blocks of 512 bytes", "%s has %zu bytes",
                                statement->text, statement->byte_count);
    if (status && !*line->why->file)
        ta_problem_at(line->why, line->file, line->number, token->column);
    if (!status)
        statement->bytes = arena_text_part(line->arena, bytes, statement->byte_count);
    free(bytes);
    return status || statement->bytes ? status : line_no_memory(line);
}

/* The name of a switch, whose new position the row says, or the line: "boot to card". */
static enum ta_status parse_switch(struct line *line, struct statement *statement, const struct parsing *parsing) {
    static const char name_allowed[] = "allowed here: the name of a switch, a cable or a card";
    statement->position = statement->row->position;
    enum ta_status status = line_name(line, statement->position ? NULL : "to", name_allowed, &statement->name);
    if (!status && line_peek(line)->kind == TOKEN_TEXT && statement->row->takes_file)
        return parse_contents(line, statement, parsing);
    if (status || statement->position)
        return status;
    status = line_expect(line, "to", "allowed here: to, and a position, for example: switch boot to flash");
    return status ? status : line_name(line, NULL, "allowed here: a position", &statement->position);
}

/* "120,80", and how long */
static enum ta_status parse_touch(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    statement->time_ns = PRESS_DEFAULT_NS;
    enum ta_status status = line_point(line, &statement->point);
    statement->end = statement->point;
    return !status && line_accept(line, "for") ? line_time(line, &statement->time_ns) : status;
}

/* "20,40 to 200,40", and how long it takes */
static enum ta_status parse_drag(struct line *line, struct statement *statement, const struct parsing *parsing) {
    (void)parsing;
    statement->time_ns = DRAG_DEFAULT_NS;
    enum ta_status status = line_point(line, &statement->point);
    if (!status)
        status = line_expect(line, "to", "allowed here: to, and where the finger ends");
    if (!status)
        status = line_point(line, &statement->end);
    return !status && line_accept(line, "in") ? line_time(line, &statement->time_ns) : status;
}

/* "dial.png" within 2 % */
static enum ta_status parse_looks(struct line *line, struct statement *statement, const struct parsing *parsing) {
    const struct token *token = line_peek(line);
    const struct ta_attachments *attachments = parsing->attachments;
    struct ta_picture picture = {0};
    enum ta_status status = line_text(line, false, &statement->text, &statement->text_length);
    if (!status && !attachments)
        return line_refuse(line, token, "this program has no pictures");
    if (!status)
        status = attachments->picture(attachments->with, statement->text, &picture, line->why);
    if (status) {
        if (!*line->why->file)
            ta_problem_at(line->why, line->file, line->number, token->column);
        return status;
    }
    statement->picture = picture_keep(line->arena, &picture);
    ta_picture_free(&picture);
    if (!statement->picture)
        return line_no_memory(line);
    return line_accept(line, "within") ? line_percent(line, &statement->allowed_milli) : TA_OK;
}

#define SWITCH(first_word, goes_to)                                                                                    \
    {                                                                                                                  \
        .words = first_word, .position = goes_to, .needs = TA_CAN_INPUT | TA_CAN_OUTPUT, .parse = parse_switch,        \
        .check = check_switch, .act = act_switch                                                                       \
    }

static const struct statement_row rows[] = {
    {.words = "power on", .by_trials = true, .act = act_power_on},
    {.words = "power off", .by_trials = true, .needs = TA_CAN_POWER, .act = act_power_off},
    {.words = "cut power",
     .by_trials = true,
     .needs_power = true,
     .needs = TA_CAN_POWER,
     .parse = parse_cut,
     .act = act_cut},
    {.words = "reset", .needs_power = true, .act = act_reset},
    {.words = "press",
     .needs_power = true,
     .needs = TA_CAN_INPUT,
     .parse = parse_press,
     .check = check_input,
     .act = act_press},
    {.words = "hold", .needs = TA_CAN_INPUT, .parse = parse_input, .check = check_input, .act = act_hold},
    {.words = "release", .needs = TA_CAN_INPUT, .parse = parse_input, .check = check_input, .act = act_release},
    {.words = "set", .needs = TA_CAN_INPUT, .parse = parse_set, .check = check_sensor, .act = act_set},
    {.words = "feed",
     .needs_power = true,
     .needs = TA_CAN_INPUT,
     .parse = parse_feed,
     .check = check_feed,
     .act = act_feed},
    SWITCH("switch", NULL),
    SWITCH("plug", "plugged"),
    SWITCH("unplug", "unplugged"),
    {.words = "insert",
     .position = "inserted",
     .takes_file = true,
     .needs = TA_CAN_INPUT | TA_CAN_OUTPUT,
     .parse = parse_switch,
     .check = check_switch,
     .act = act_switch},
    SWITCH("remove", "empty"),
    {.words = "touch",
     .needs_power = true,
     .needs = TA_CAN_INPUT,
     .parse = parse_touch,
     .check = check_touch,
     .act = act_touch},
    {.words = "drag",
     .needs_power = true,
     .needs = TA_CAN_INPUT,
     .parse = parse_drag,
     .check = check_touch,
     .act = act_touch},
    {.words = "turn device",
     .needs = TA_CAN_INPUT | TA_CAN_OUTPUT,
     .parse = parse_turn,
     .check = check_turn,
     .act = act_turn},
    {.words = "message",
     .needs_power = true,
     .needs = TA_CAN_MESSAGE,
     .parse = parse_arrives,
     .check = check_radio,
     .act = act_message},
    {.words = "type", .needs_power = true, .needs = TA_CAN_CONSOLE, .parse = parse_type, .act = act_type},
    {.words = "wait", .needs_power = true, .looks_anew = true, .parse = parse_wait, .act = act_wait},
    {.words = "console says",
     .within = true,
     .needs_power = true,
     .parse = parse_says,
     .holds = holds_text,
     .describe = describe_console},
    {.words = "console matches",
     .within = true,
     .needs_power = true,
     .parse = parse_matches,
     .holds = holds_pattern,
     .describe = describe_console},
    {.words = "document says",
     .within = true,
     .needs_power = true,
     .parse = parse_says,
     .holds = holds_document,
     .describe = describe_document},
    {.words = "message",
     .within = true,
     .needs_power = true,
     .parse = parse_is_sent,
     .check = check_radio,
     .holds = holds_sent,
     .describe = describe_sent},
    {.words = "program ends",
     .within = true,
     .needs_power = true,
     .parse = parse_ends,
     .holds = holds_end,
     .describe = describe_console},
    {.words = "show",
     .within = true,
     .named = true,
     .needs_power = true,
     .needs = TA_CAN_OUTPUT,
     .parse = parse_show,
     .check = check_lamps,
     .holds = holds_levels,
     .describe = describe_levels},
    {.words = "looks like",
     .within = true,
     .at_once = true,
     .named = true,
     .needs_power = true,
     .needs = TA_CAN_PICTURE,
     .parse = parse_looks,
     .check = check_screen,
     .holds = holds_picture,
     .describe = describe_picture},
    {.words = "shows text",
     .within = true,
     .at_once = true,
     .named = true,
     .needs_power = true,
     .parse = parse_says,
     .check = check_text,
     .holds = holds_shown_text,
     .describe = describe_shown_text},
    {.words = "no trap", .needs_power = true, .holds = holds_no_trap, .describe = describe_console},
};
enum { ROWS = sizeof rows / sizeof *rows };

/* Finding the row of a line. */

static size_t first_length(const struct statement_row *row) {
    return strcspn(row->words, " ");
}

static bool begins_with(const struct statement_row *row, const struct token *token) {
    size_t length = first_length(row);
    return token->kind == TOKEN_WORD && token->length == length && !memcmp(row->words, token->at, length);
}

/* The words that may stand here: the first of all rows (FIRST null), or the second of those that begin like FIRST. */
static enum ta_status refuse_words(struct line *line, bool within, const struct token *first) {
    struct text allowed = {0};
    const struct statement_row *before = NULL;
    for (size_t i = 0; i < ROWS; ++i) {
        const struct statement_row *row = &rows[i];
        size_t length = first_length(row);
        bool again = !first && before && first_length(before) == length && !memcmp(before->words, row->words, length);
        if (row->within != within || row->named || again || (first && !begins_with(row, first)))
            continue;
        text_printf(&allowed, "%s%.*s", allowed.length ? ", " : "allowed here: ", first ? 40 : (int)length,
                    first ? row->words + length + 1 : row->words);
        before = row;
    }
    text_printf(&allowed, "%s", first ? "" : within ? ", or the name of an output, for example lamps" : ", within");
    enum ta_status status = line_refuse(line, line_peek(line), allowed.bytes ? allowed.bytes : "");
    text_free(&allowed);
    return status;
}

/* Takes the words of a row, and sets it. */
static enum ta_status take_words(struct line *line, bool within, struct statement *statement) {
    const struct token *first = line_peek(line);
    bool begun = false;
    for (size_t i = 0; i < ROWS && !statement->row; ++i) {
        const struct statement_row *row = &rows[i];
        size_t length = first_length(row);
        if (row->within != within || row->named || !begins_with(row, first))
            continue;
        begun = true;
        if (!row->words[length] || token_is(first + 1, row->words + length + 1))
            statement->row = row;
    }
    if (statement->row)
        line->next += statement->row->words[first_length(statement->row)] ? 2 : 1;
    else if (begun)
        ++line->next;
    return statement->row ? TA_OK : begun ? refuse_words(line, within, first) : TA_E_NO;
}

/* Whether the words of ROW, of which there are one or two, stand at TOKEN. */
static bool words_stand(const struct statement_row *row, const struct token *token) {
    size_t length = first_length(row);
    return begins_with(row, token) && (!row->words[length] || token_is(token + 1, row->words + length + 1));
}

/* The row whose words follow the name of an output, or null. */
static const struct statement_row *named_row(const struct line *line) {
    for (const struct token *token = line_peek(line); token->kind == TOKEN_WORD; ++token)
        for (size_t i = 0; i < ROWS; ++i)
            if (rows[i].named && words_stand(&rows[i], token))
                return &rows[i];
    return NULL;
}

/* The name of an output, then the words of a row that takes one. */
static enum ta_status take_named(struct line *line, bool within, struct statement *statement) {
    static const char allowed[] = "allowed here: the name of an output, then show, looks like or shows text";
    const struct statement_row *row = named_row(line);
    char first[16] = "";
    if (line_peek(line)->kind != TOKEN_WORD || (!within && (!row || !row->at_once)))
        return refuse_words(line, within, NULL);
    if (row)
        snprintf(first, sizeof first, "%.*s", (int)first_length(row), row->words);
    statement->row = row;
    enum ta_status status = line_name(line, first, allowed, &statement->name);
    if (!status && !row)
        status = line_refuse(line, line_peek(line), "allowed here: show, looks like, shows text");
    line->next += status ? 0 : row->words[first_length(row)] ? 2 : 1;
    return status;
}

enum ta_status statement_read(struct line *line, bool powered, const struct parsing *parsing,
                              struct statement *statement) {
    const struct token *first = line_peek(line);
    *statement =
        (struct statement){.line = line->number, .column = first->column, .source = line_rest(line, first), .code = -1};
    if (!statement->source)
        return line_no_memory(line);
    bool within = line_accept(line, "within");
    enum ta_status status = within && powered ? line_time(line, &statement->time_ns) : TA_OK;
    if (!status && (!within || powered))
        status = take_words(line, within, statement);
    if (status == TA_E_NO)
        status = take_named(line, within, statement);
    if (!powered && (within || (!status && statement->row->needs_power)))
        return line_refuse(line, first, "the target is off here; write first: power on");
    return status || !statement->row->parse ? status : statement->row->parse(line, statement, parsing);
}

bool statement_begins(const struct line *line) {
    for (size_t i = 0; i < ROWS; ++i)
        if (rows[i].act && !rows[i].by_trials && begins_with(&rows[i], line_peek(line)))
            return true;
    return false;
}

bool statement_powers(const struct statement *statement, bool *on) {
    *on = statement->row->act == act_power_on;
    return *on || statement->row->act == act_power_off || statement->row->act == act_cut;
}

bool statement_cuts(const struct statement *statement) {
    return statement->row->act == act_cut;
}
