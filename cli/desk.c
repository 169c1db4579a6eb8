#include "cli/desk.h"

#include <glib.h>
#include <string.h>

enum { HANDS = 0x0f /* Ctrl-O */, ESCAPE = 0x1b, ENTER = '\r', NEWLINE = '\n', BACKSPACE = 0x7f, TEXT_MOST = 200 };

/* Something to do, and the key for it. What it asks for is CONNECTOR's press, SWITCH's next position, or a turn. */
struct choice {
    char key;
    const struct ta_connector *button;
    const struct ta_switch *flips;
    const char *turn;
};

/* What the keys mean now; how far into a key of several bytes they are. */
enum mode { CONSOLE, CHOOSING, SETTING };
enum escape { NO_ESCAPE, ESCAPED, IN_SEQUENCE };

static struct {
    const struct ta_board *board;
    const struct ta_profile *profile; /* of that */
    GArray *choices;
    GString *setting; /* NAME=VALUE, as far as it is typed */
    GQueue *asked;
    char *told, *refused;
    enum mode mode;
    enum escape escape;
    unsigned waited; /* for what follows Escape */
    bool keys, changed;
} desk;

static size_t position_of(const struct ta_switch *flips) {
    return (size_t)desk.board->positions[flips - desk.profile->switches] % flips->position_count;
}

/* Buttons have digits, switches letters. */
static void add_choices(void) {
    struct ta_problem unheard;
    char digit = '1', letter = 'a';
    for (size_t i = 0; i < desk.profile->connector_count && digit <= '9'; ++i)
        if (desk.profile->connectors[i].kind == TA_CONNECTOR_BUTTON)
            g_array_append_val(desk.choices, ((struct choice){.key = digit++, .button = &desk.profile->connectors[i]}));
    for (size_t i = 0; i < desk.profile->switch_count && letter <= 'z'; ++i)
        g_array_append_val(desk.choices, ((struct choice){.key = letter++, .flips = &desk.profile->switches[i]}));
    if (ta_profile_turns(desk.profile, &unheard))
        return;
    g_array_append_val(desk.choices, ((struct choice){.key = '<', .turn = "left"}));
    g_array_append_val(desk.choices, ((struct choice){.key = '>', .turn = "right"}));
}

void desk_open(const struct ta_board *board, bool keys) {
    desk_close();
    desk.board = board;
    desk.profile = board->profile;
    desk.keys = keys;
    desk.choices = g_array_new(FALSE, FALSE, sizeof(struct choice));
    desk.setting = g_string_new(NULL);
    desk.asked = g_queue_new();
    desk.mode = CONSOLE;
    desk.escape = NO_ESCAPE;
    desk.changed = true;
    add_choices();
}

void desk_close(void) {
    if (!desk.profile)
        return;
    desk.profile = NULL;
    g_array_free(desk.choices, TRUE);
    g_string_free(desk.setting, TRUE);
    g_queue_free_full(desk.asked, g_free);
    g_clear_pointer(&desk.told, g_free);
    g_clear_pointer(&desk.refused, g_free);
}

static bool is_sensor(const struct ta_connector *connector) {
    return connector->kind == TA_CONNECTOR_SENSOR && connector->quantity;
}

bool desk_has_anything(void) {
    bool has = desk.profile && (desk.profile->switch_count || (desk.keys && desk.choices->len));
    for (size_t i = 0; desk.profile && i < desk.profile->connector_count; ++i) {
        const struct ta_connector *each = &desk.profile->connectors[i];
        has = has || is_sensor(each) ||
              (desk.keys && (each->kind == TA_CONNECTOR_TOUCH || each->kind == TA_CONNECTOR_RADIO));
    }
    return has;
}

void desk_take(const struct ta_event *event) {
    desk.changed = desk.changed || event->kind == TA_EVENT_INPUT;
}

static int64_t felt(const char *quantity) {
    const struct ta_connector *sensor = ta_profile_sensor(desk.profile, quantity);
    return sensor ? (int64_t)desk.board->values[sensor - desk.profile->connectors] : 0;
}

unsigned desk_turns(void) {
    enum { STANDS = 500 };
    if (!desk.profile)
        return 0;
    int64_t x = felt("acceleration x"), y = felt("acceleration y");
    return x > STANDS ? 1 : x < -STANDS ? 3 : y < -STANDS ? 2 : 0;
}

/* Hands are slower than a key that is held down. */
static void ask(char *what) {
    enum { ASKED_AT_MOST = 8 };
    if (g_queue_get_length(desk.asked) < ASKED_AT_MOST)
        g_queue_push_tail(desk.asked, what);
    else
        g_free(what);
}

static void choose(char key) {
    for (guint i = 0; i < desk.choices->len; ++i) {
        const struct choice *choice = &g_array_index(desk.choices, struct choice, i);
        if (choice->key != key)
            continue;
        const struct ta_switch *flips = choice->flips;
        char *what;
        if (flips)
            what = g_strdup_printf("switch %s to %s", flips->name,
                                   flips->positions[(position_of(flips) + 1) % flips->position_count]);
        else if (choice->turn)
            what = g_strdup_printf("turn device %s", choice->turn);
        else
            what = g_strdup_printf("press %s", choice->button->name);
        ask(what);
        return;
    }
    if (key == '=') {
        g_string_truncate(desk.setting, 0);
        desk.mode = SETTING;
    } else if (key == ESCAPE || key == ENTER || key == NEWLINE) {
        desk.mode = CONSOLE;
    }
}

static void type_setting(char key) {
    if (key == ESCAPE) {
        desk.mode = CHOOSING;
    } else if (key == ENTER || key == NEWLINE) {
        if (desk.setting->len)
            ask(g_strdup(desk.setting->str));
        desk.mode = CHOOSING;
    } else if (key == BACKSPACE || key == '\b') {
        gsize end = desk.setting->len;
        while (end && (desk.setting->str[--end] & 0xc0) == 0x80)
            ;
        g_string_truncate(desk.setting, end);
    } else if ((unsigned char)key >= ' ' && desk.setting->len < TEXT_MOST) {
        g_string_append_c(desk.setting, key);
    }
}

static void take_key(char key) {
    g_clear_pointer(&desk.refused, g_free);
    desk.changed = true;
    if (key == HANDS)
        desk.mode = desk.mode == CONSOLE ? CHOOSING : CONSOLE;
    else if (desk.mode == SETTING)
        type_setting(key);
    else
        choose(key);
}

/* An arrow, or another key that begins like Escape (ECMA-48, 5.4), means nothing here. It may come in pieces. True when KEY is a piece of one,
   or may be. */
static bool is_piece(char key) {
    bool begun = desk.escape == ESCAPED;
    if (desk.escape == IN_SEQUENCE) {
        desk.escape = key >= 0x40 && key <= 0x7e ? NO_ESCAPE : IN_SEQUENCE;
        return true;
    }
    desk.escape = begun && (key == '[' || key == 'O') ? IN_SEQUENCE : key == ESCAPE ? ESCAPED : NO_ESCAPE;
    if (begun && desk.escape != IN_SEQUENCE)
        take_key(ESCAPE); /* it was that key */
    desk.waited = 0;
    return desk.escape != NO_ESCAPE;
}

size_t desk_keys(uint8_t *bytes, size_t size) {
    size_t left = 0;
    for (size_t i = 0; i < size; ++i) {
        bool ours = desk.profile && desk.keys && desk_has_anything();
        if (ours && desk.mode != CONSOLE && is_piece((char)bytes[i]))
            continue;
        if (ours && (desk.mode != CONSOLE || bytes[i] == HANDS))
            take_key((char)bytes[i]);
        else
            bytes[left++] = bytes[i];
    }
    return left;
}

const char *desk_next(void) {
    enum { PATIENCE = 6 }; /* times that it is asked */
    if (desk.profile && desk.escape == ESCAPED && ++desk.waited > PATIENCE) {
        desk.escape = NO_ESCAPE;
        take_key(ESCAPE);
    }
    g_clear_pointer(&desk.told, g_free);
    desk.told = desk.profile ? g_queue_pop_head(desk.asked) : NULL;
    return desk.told;
}

void desk_refused(const struct ta_problem *why) {
    g_free(desk.refused);
    desk.refused = g_strdup_printf("%s%s%s", why->what, *why->fix ? "; " : "", why->fix);
    desk.changed = true;
}

bool desk_changed(void) {
    bool changed = desk.changed;
    desk.changed = false;
    return changed;
}

static void add_values(GString *line) {
    const struct ta_profile *profile = desk.profile;
    char text[TA_QUANTITY_TEXT_BYTES];
    for (size_t i = 0; i < profile->switch_count; ++i) {
        const struct ta_switch *each = &profile->switches[i];
        g_string_append_printf(line, "%s %s  ", each->name, each->positions[position_of(each)]);
    }
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (is_sensor(&profile->connectors[i]))
            g_string_append_printf(line, "%s %s  ", profile->connectors[i].name,
                                   ta_quantity_text(ta_profile_quantity(profile, profile->connectors[i].name)->unit,
                                                    (int64_t)desk.board->values[i], text));
}

static void add_choices_text(GString *line) {
    for (guint i = 0; i < desk.choices->len; ++i) {
        const struct choice *choice = &g_array_index(desk.choices, struct choice, i);
        const struct ta_switch *flips = choice->flips;
        if (choice->button)
            g_string_append_printf(line, "%c %s  ", choice->key, choice->button->name);
        else if (flips)
            g_string_append_printf(line, "%c %s (%s)  ", choice->key, flips->name,
                                   flips->positions[position_of(flips)]);
        else
            g_string_append_printf(line, "%c turn %s  ", choice->key, choice->turn);
    }
    g_string_append(line, "= set  Esc console");
}

char *desk_text(void) {
    GString *line = g_string_new(NULL);
    if (desk.mode == SETTING)
        g_string_append_printf(line, "NAME=VALUE, Enter: %s_", desk.setting->str);
    else if (desk.refused)
        g_string_append(line, desk.refused);
    else if (desk.mode == CHOOSING)
        add_choices_text(line);
    else if (desk.keys)
        g_string_append(line, "Ctrl-O hands  ");
    if (desk.mode == CONSOLE && !desk.refused)
        add_values(line);
    return g_string_free(line, FALSE);
}
