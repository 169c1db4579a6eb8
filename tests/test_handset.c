/* A handset: its radio, the texts that its screen tells of, and how it is turned; through registers, through the port, and in trials. */
#include "on_board.h"

#include <strand/screen.h>
#include <strand/widget.h>
#include <string.h>

enum { RAM = 0x10000000, PLIC = 0x44000000, SCREEN = 0x50000000, RADIO = 0x50001000, I2C = 0x50002000 };
enum { CONTROL = 0x00, STATUS = 0x04, LENGTH = 0x08, TAKE = 0x0c, PUT = 0x10, SEND = 0x14, LOST = 0x18 };
enum {
    BUFFER = 0x08,
    STRIDE = 0x0c,
    FROM = 0x10,
    EXTENT = 0x14,
    REFRESH = 0x18,
    TEXT_FROM = 0x24,
    TEXT_EXTENT = 0x28,
    TEXT = 0x2c
};

static const struct ta_memory memories[] = {{"ram", TA_MEMORY_RAM, RAM, 64 * 1024}};
static const struct ta_option points[] = {{"width", 40}, {"height", 30}};
static const struct ta_device devices[] = {
    {.name = "plic", .model = "plic", .base = PLIC},
    {.name = "screen0", .model = "screen", .base = SCREEN, .interrupt = 3, .options = points, .option_count = 2},
    {.name = "radio0", .model = "radio", .base = RADIO, .interrupt = 4},
    {.name = "i2c0", .model = "i2c", .base = I2C},
    {.name = "compass0", .model = "compass", .on = "i2c0", .address = 0x1e},
    {.name = "motion0", .model = "motion", .on = "i2c0", .address = 0x6a}};
static const struct ta_connector connectors[] = {
    {.name = "screen", .kind = TA_CONNECTOR_SCREEN, .device = "screen0"},
    {.name = "radio", .kind = TA_CONNECTOR_RADIO, .device = "radio0"},
    {.name = "heading", .kind = TA_CONNECTOR_SENSOR, .device = "compass0", .quantity = "heading"},
    {.name = "across", .kind = TA_CONNECTOR_SENSOR, .device = "motion0", .quantity = "acceleration x"},
    {.name = "along", .kind = TA_CONNECTOR_SENSOR, .device = "motion0", .quantity = "acceleration y", .start = "1 g"},
    {.name = "out", .kind = TA_CONNECTOR_SENSOR, .device = "motion0", .quantity = "acceleration z", .start = "0 g"}};
static const struct ta_profile board = {.name = "stint",
                                        .version = "1.0.0",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .isa = "rv32imac_zicsr",
                                        .clock_hz = 10000000,
                                        .reset_address = RAM,
                                        .memories = memories,
                                        .memory_count = 1,
                                        .devices = devices,
                                        .device_count = 6,
                                        .connectors = connectors,
                                        .connector_count = 6};

/* The SDK's widgets on a screen of the test's own, which remembers what was refreshed. */
enum { ACROSS = 60, DOWN = 80 };
static bool refreshed[ACROSS * DOWN];

int strand_screen_refresh(int x, int y, int width, int height) {
    for (int row = MAX(y, 0); row < MIN(y + height, DOWN); ++row)
        for (int column = MAX(x, 0); column < MIN(x + width, ACROSS); ++column)
            refreshed[row * ACROSS + column] = true;
    return 0;
}

int strand_screen_refresh_all(void) {
    return strand_screen_refresh(0, 0, ACROSS, DOWN);
}

void strand_screen_point(int *x, int *y) {
    (void)x;
    (void)y;
}

/* Whatever a finger does, and however odd the widgets are: values stay in range, what has changed is refreshed, nothing is drawn outside of its
   widget, and who was used is who was touched first. */
START_TEST(widgets_bear_any_finger) {
    static const char *const rows[] = {"a", "longer than the list is wide", "", "d", "e", "f", "g"};
    static strand_colour points[ACROSS * DOWN], before[ACROSS * DOWN];
    GRand *random = g_rand_new_with_seed(5);
    unsigned used[STRAND_LIST + 1] = {0};
    for (int round = 0; round < 200; ++round) {
        struct strand_widget widgets[5] = {{0}};
        struct strand_page page = {0};
        struct strand_canvas canvas;
        struct strand_widget *held = NULL;
        unsigned wrong = 0;
        strand_canvas_open(&canvas, points, ACROSS, DOWN);
        for (int i = 0; i < 5; ++i)
            widgets[i] = (struct strand_widget){.kind = (enum strand_widget_kind)((i + round) % (STRAND_LIST + 1)),
                                                .x = g_rand_int_range(random, -5, ACROSS),
                                                .y = 16 * i,
                                                .width = g_rand_int_range(random, 1, ACROSS),
                                                .height = (i + round) % (STRAND_LIST + 1) == STRAND_LIST ? 60 : 16,
                                                .text = "text",
                                                .most = g_rand_int_range(random, 0, 5) * 25,
                                                .rows = rows,
                                                .count = g_rand_int_range(random, 0, 8)};
        strand_page_open(&page, &canvas, widgets, 5);
        memset(refreshed, 0, sizeof refreshed);
        ck_assert(!strand_page_show(&page) && refreshed[0] && refreshed[ACROSS * DOWN - 1]);
        for (int i = 0; i < 60; ++i) {
            const struct strand_widget *near = &widgets[g_rand_int_range(random, 0, 5)];
            bool far = g_rand_boolean(random);
            struct strand_touch touch = {
                (enum strand_touched)g_rand_int_range(random, 0, 4),
                far ? g_rand_int_range(random, -10, ACROSS + 10) : near->x + g_rand_int_range(random, 0, near->width),
                far ? g_rand_int_range(random, -10, DOWN + 10) : near->y + g_rand_int_range(random, 0, near->height)};
            memcpy(before, points, sizeof before);
            memset(refreshed, 0, sizeof refreshed);
            struct strand_widget *one = strand_page_touch(&page, touch);
            held = page.held ? page.held : held;
            wrong += one && one != held;
            used[one ? one->kind : STRAND_LABEL] += one != NULL;
            wrong += strand_page_show(&page) != 0;
            for (int k = 0; k < ACROSS * DOWN; ++k)
                wrong += points[k] != before[k] && !refreshed[k];
            for (int k = 0; k < 5; ++k) {
                const struct strand_widget *each = &widgets[k];
                wrong += each->kind == STRAND_SLIDER && (each->value < 0 || each->value > each->most);
                wrong += each->kind == STRAND_SWITCH && each->value != 0 && each->value != 1;
                wrong += each->kind == STRAND_LIST && (each->value < -1 || each->value >= MAX(each->count, 1));
                wrong += each->kind == STRAND_LIST && (each->first < 0 || each->first > MAX(each->count, 0));
            }
        }
        ck_assert_uint_eq(wrong, 0);
    }
    ck_assert(!used[STRAND_LABEL]);
    for (int kind = STRAND_BUTTON; kind <= STRAND_LIST; ++kind)
        ck_assert_msg(used[kind] > 5, "%u %u %u %u", used[1], used[2], used[3], used[4]);
    g_rand_free(random);
}
END_TEST

static GString *told;

static void note(const struct ta_event *event) {
    if (event->kind == TA_EVENT_MESSAGE || event->kind == TA_EVENT_TEXT)
        g_string_append_printf(told, "%s %" G_GINT64_MODIFIER "x \"%.*s\"; ", event->name, event->value,
                               (int)event->length, (const char *)event->bytes);
}

static void expect_told(const char *expected) {
    told = g_string_new(NULL);
    pass_and(200000000, note);
    ck_assert_str_eq(told->str, expected);
    g_string_free(told, TRUE);
}

static enum ta_status arrive(const char *text) {
    return ta_machine_message(machine, "radio", text, strlen(text), NULL);
}

static void put(uint64_t address, const char *text) {
    for (; *text; ++text)
        poke(address, (unsigned char)*text);
}

static void expect_taken(const char *expected) {
    ck_assert_uint_eq(peek(RADIO + LENGTH), strlen(expected));
    for (; *expected; ++expected)
        ck_assert_uint_eq(peek(RADIO + TAKE), (unsigned char)*expected);
    ck_assert_uint_eq(peek(RADIO + TAKE), 0);
    poke(RADIO + TAKE, 0);
}

START_TEST(a_radio_keeps_what_comes_in_order) {
    char longest[TA_MESSAGE_BYTES + 2] = "";
    struct ta_problem why;
    make_board(&board);
    ck_assert(!arrive("nobody hears")); /* it is off */
    poke(RADIO + CONTROL, 3);
    ck_assert(peek(RADIO + STATUS) == 0 && peek(RADIO + LENGTH) == 0 && peek(RADIO + TAKE) == 0);
    poke(RADIO + TAKE, 0); /* there is nothing to be done with */
    memset(longest, 'x', TA_MESSAGE_BYTES);
    static const char *const texts[] = {"one", "a second", "\xc3\xa4", "4"};
    for (size_t i = 0; i < 4; ++i)
        ck_assert(!arrive(texts[i]));
    ck_assert(!arrive("no room"));
    ck_assert(peek(RADIO + LOST) == 1 && peek(RADIO + STATUS) == 1 && peek(PLIC + 0x1000) == 1 << 4);
    expect_taken("one");
    ck_assert(!arrive(longest));
    peek(RADIO + TAKE); /* begun, and not read to its end */
    poke(RADIO + TAKE, 0);
    expect_taken("\xc3\xa4");
    expect_taken("4");
    expect_taken(longest);
    ck_assert(peek(RADIO + STATUS) == 0 && peek(RADIO + LOST) == 1);
    longest[TA_MESSAGE_BYTES] = 'x';
    ck_assert_int_eq(ta_machine_message(machine, "radio", longest, sizeof longest - 1, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "radio: a message of 161 bytes");
    ck_assert_int_eq(arrive(""), TA_E_INPUT);
    ck_assert_int_eq(ta_machine_message(machine, "screen", "a", 1, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "stint has no radio named \"screen\"");
    ck_assert(!arrive("forgotten"));
    ta_machine_reset(machine);
    ck_assert(peek(RADIO + STATUS) == 0 && peek(RADIO + CONTROL) == 0);
    ta_machine_power(machine, false);
    ck_assert(!arrive("into the void"));
    ta_machine_free(machine);
}
END_TEST

/* 1,200 bytes a second; one at a time; a snapshot amid it goes on alike. */
START_TEST(a_radio_takes_its_time_to_send) {
    struct ta_snapshot *snapshot;
    make_board(&board);
    put(RADIO + PUT, "nobody");
    poke(RADIO + SEND, 1); /* it is off */
    ck_assert_uint_eq(peek(RADIO + STATUS), 0);
    poke(RADIO + CONTROL, 3);
    poke(RADIO + SEND, 1); /* nothing was put */
    expect_told("");
    put(RADIO + PUT, "wrong");
    poke(RADIO + SEND, 0);
    put(RADIO + PUT, "tide is up, ok");
    poke(RADIO + SEND, 1);
    put(RADIO + PUT, "too early");
    poke(RADIO + SEND, 0);
    ck_assert_uint_eq(peek(RADIO + STATUS), 2);
    pass(11600000);
    ck_assert_uint_eq(peek(RADIO + STATUS), 2);
    ck_assert(!ta_machine_save(machine, &snapshot));
    for (int i = 0; i < 2; ++i) {
        expect_told("radio 0 \"tide is up, ok\"; ");
        ck_assert(peek(RADIO + STATUS) == 4 && peek(PLIC + 0x1000) == 1 << 4);
        ck_assert(!ta_machine_restore(machine, snapshot, NULL));
    }
    ta_snapshot_free(snapshot);
    pass(100000);
    poke(RADIO + STATUS, 4);
    ck_assert_uint_eq(peek(RADIO + STATUS), 0);
    char longest[TA_MESSAGE_BYTES + 1] = "";
    memset(longest, 'y', TA_MESSAGE_BYTES);
    put(RADIO + PUT, longest);
    put(RADIO + PUT, "zz"); /* for which there is no room */
    poke(RADIO + SEND, 1);
    g_autofree char *expected = g_strdup_printf("radio 0 \"%s\"; ", longest);
    expect_told(expected);
    ta_machine_free(machine);
}
END_TEST

static void say_text(unsigned x, unsigned y, unsigned width, unsigned height, const char *text) {
    poke(SCREEN + TEXT_FROM, x | y << 16);
    poke(SCREEN + TEXT_EXTENT, width | height << 16);
    put(SCREEN + TEXT, text);
    poke(SCREEN + TEXT, 0);
}

static void refresh(unsigned x, unsigned y, unsigned width, unsigned height) {
    poke(SCREEN + FROM, x | y << 16);
    poke(SCREEN + EXTENT, width | height << 16);
    poke(SCREEN + REFRESH, 1);
}

START_TEST(texts_are_told_with_the_refresh_that_shows_them) {
    make_board(&board);
    poke(SCREEN + CONTROL, 1);
    poke(SCREEN + BUFFER, RAM + 0x400);
    poke(SCREEN + STRIDE, 80);
    say_text(0, 0, 10, 7, "upper");
    say_text(0, 20, 10, 7, "lower");
    expect_told(""); /* nothing is refreshed */
    refresh(0, 0, 40, 10);
    expect_told("screen 7000a00000000 \"upper\"; ");
    refresh(0, 0, 40, 30);
    expect_told("screen 7000a00140000 \"lower\"; ");
    say_text(0, 8, 10, 7, "half");
    refresh(0, 0, 40, 9); /* of which its upper edge is seen */
    expect_told("screen 7000a00080000 \"half\"; ");
    say_text(1, 21, 5, 5, "gone before it is seen");
    say_text(0, 20, 10, 7, "");
    say_text(39, 0, 2, 1, "beyond the edge");
    refresh(0, 0, 40, 30);
    expect_told("screen 7000a00140000 \"\"; ");
    refresh(0, 0, 41, 30); /* refused */
    say_text(0, 0, 4, 4, "a");
    expect_told("");

    /* Turned, a box is where the panel has it: 40 by 30 as it is built in. */
    static const struct {
        unsigned turns;
        const char *told;
    } turned[] = {{0, "screen 4000300020001 \"t\"; "},
                  {1, "screen 3000400010022 \"t\"; "},
                  {2, "screen 4000300180024 \"t\"; "},
                  {3, "screen 30004001a0002 \"t\"; "}};
    for (unsigned i = 0; i < 4; ++i) {
        ta_machine_reset(machine);
        poke(SCREEN + CONTROL, 1 | turned[i].turns << 4);
        poke(SCREEN + BUFFER, RAM + 0x400);
        poke(SCREEN + STRIDE, 80);
        say_text(1, 2, 3, 4, "t");
        refresh(0, 0, 30, 30);
        expect_told(turned[i].told);
    }

    /* The last 48 of those that wait, 96 bytes of each. */
    char longest[120] = "";
    memset(longest, 'l', 110);
    ta_machine_reset(machine);
    poke(SCREEN + CONTROL, 1);
    poke(SCREEN + BUFFER, RAM + 0x400);
    poke(SCREEN + STRIDE, 80);
    for (unsigned i = 0; i < 50; ++i)
        say_text(i % 40, i / 40, 1, 1, i == 49 ? longest : "n");
    refresh(0, 0, 2, 1);
    expect_told(""); /* the first two are lost */
    refresh(9, 1, 1, 1);
    longest[96] = '\0';
    g_autofree char *expected = g_strdup_printf("screen 1000100010009 \"%s\"; ", longest);
    expect_told(expected);
    ta_machine_free(machine);
}
END_TEST

static int64_t felt(struct ta_port *port, const char *name) {
    uint64_t value = 0;
    ck_assert(!port->read_output(port->self, name, &value, NULL));
    return (int64_t)value;
}

START_TEST(a_quarter_turn_is_felt) {
    static const int left_across[] = {1000, 0, -1000, 0}, left_along[] = {0, -1000, 0, 1000};
    struct ta_port port;
    struct ta_problem why;
    ck_assert(!ta_port_simulate(&board, &port, NULL));
    ck_assert(felt(&port, "across") == 0 && felt(&port, "along") == 1000 && felt(&port, "out") == 0);
    for (int i = 0; i < 4; ++i) {
        ck_assert(!ta_port_turn(&port, -1, &why));
        ck_assert(felt(&port, "across") == left_across[i] && felt(&port, "along") == left_along[i]);
    }
    ck_assert(!ta_port_turn(&port, 1, &why));
    ck_assert(felt(&port, "across") == -1000 && felt(&port, "along") == 0 && felt(&port, "heading") == 0);
    /* One that lies flat has another heading. */
    ck_assert(!port.set_input(port.self, "across", 0, &why) && !port.set_input(port.self, "out", 1000, &why));
    ck_assert(!ta_port_turn(&port, -1, &why) && felt(&port, "heading") == 270000);
    ck_assert(!ta_port_turn(&port, 1, &why) && !ta_port_turn(&port, 1, &why) && felt(&port, "heading") == 90000);
    ck_assert(felt(&port, "across") == 0 && felt(&port, "along") == 0);
    port.close(port.self);

    struct ta_profile still = board;
    still.connector_count = 2;
    ck_assert(!ta_port_simulate(&still, &port, NULL));
    ck_assert_int_eq(ta_port_turn(&port, 1, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "stint does not feel how it is turned");
    port.close(port.self);
}
END_TEST

START_TEST(what_a_sensor_starts_with_is_one_of_its_values) {
    static const char *const starts[] = {"9 g", "1 m", "up", ""};
    struct ta_connector own[6];
    struct ta_profile profile = board;
    struct ta_problem why;
    memcpy(own, connectors, sizeof own);
    profile.connectors = own;
    for (size_t i = 0; i < G_N_ELEMENTS(starts); ++i) {
        own[4].start = starts[i];
        ck_assert_int_eq(ta_profile_check(&profile, &why), TA_E_INPUT);
        ck_assert(g_str_has_prefix(why.what, "connectors.along.start: "));
    }
    own[4].start = NULL;
    own[0].start = "1 g"; /* a screen senses nothing */
    ck_assert_int_eq(ta_profile_check(&profile, &why), TA_E_INPUT);
    own[0].start = NULL;
    own[1].device = "screen0";
    ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "connectors.radio: screen0 hears no messages");
}
END_TEST

/* In a trial a device is turned, and stands as before when the trial is over, though the port cannot rewind. */
START_TEST(trials_turn_the_device_back) {
    static const char text[] =
        "trial \"a\"\nturn device left\npower on\nturn device left\nset heading to 5 deg\nno trap\n";
    struct ta_port port;
    struct ta_trials *trials;
    struct ta_recording *verdict;
    ck_assert(!ta_port_simulate(&board, &port, NULL));
    port.capabilities &= ~(uint32_t)TA_CAN_REWIND;
    ck_assert(!ta_port_turn(&port, 1, NULL));
    ck_assert(!ta_trials_parse(text, strlen(text), "t.trial", NULL, NULL, &trials, NULL));
    ck_assert(!ta_trial_check(trials, 0, &board, NULL));
    ck_assert(!ta_trial_run(trials, 0, &port, NULL, NULL, &verdict, NULL));
    ck_assert(felt(&port, "across") == -1000 && felt(&port, "along") == 0);
    ta_recording_free(verdict);
    ta_trials_free(trials);
    port.close(port.self);
}
END_TEST

START_TEST(trials_say_what_was_read_and_heard) {
    static const struct {
        const char *from, *to, *trial, *seen;
    } wrong[] = {
        {"text \"Safe landing\"\n  touch 120,56\n  within 30", "text \"Safe tide\"\n  touch 120,56\n  within 30",
         "the greeting", "\"Safe landing\""},
        {"message \"at Heron Bank\"", "message \"at Mill Creek\"", "a place that is chosen",
         "\"at Heron Bank\" (the last message that was sent)"},
        {"touch 60,215\n", "touch 60,10\n", "a place that is chosen", "no message was sent"},
        {"  power on\n  within 200 ms screen shows text \"no news\"", "  power on\n  screen shows text \"no news\"",
         "by radio", "no text that it tells of"},
    };
    expect_done(tanchor(test_folder, "import", "widget-shelf"));
    char *project = test_path("widget-shelf");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        edit(below(project, "trials/shelf.trial"), wrong[i].from, wrong[i].to);
        struct ran ran = tanchor(project, "verify", wrong[i].trial);
        ck_assert_int_eq(ran.code, 1);
        expect_row(ran, "seen", wrong[i].seen);
        edit(below(project, "trials/shelf.trial"), wrong[i].to, wrong[i].from);
    }
    edit(below(project, "trials/shelf.trial"), "\"heard: fog\"", "\"heard: frog\"");
    struct ran ran = tanchor(project, "verify", "by radio");
    expect_row(ran, "before that", "radio hears \"fog\"");
}
END_TEST

/* An emulator's program goes in a package of its own, which is run, deployed and shown like any image. */
START_TEST(an_app_package_is_an_image) {
    expect_done(tanchor(test_folder, "import", "widget-shelf"));
    char *project = test_path("widget-shelf");
    write_text(below(project, "assets/tide.txt"), "high at nine\n");
    edit(below(project, "anchor.yaml"), "docs: [README.md]", "docs: [README.md]\nassets: [assets/tide.txt]");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    expect_row(tanchor(project, "build"), "app", "out/curlew-gcc/widget-shelf.app");
    shell("mkdir app && cd app && cmake -E tar xf ../widget-shelf/out/curlew-gcc/widget-shelf.app && "
          "cmp ../widget-shelf/out/curlew-gcc/widget-shelf.elf program.elf && "
          "cmp ../widget-shelf/assets/tide.txt assets/tide.txt");
    const char *manifest = read_text(test_path("app/app.json"));
    ck_assert(strstr(manifest, "\"profile\": \"curlew\"") && strstr(manifest, "\"program\": \"program.elf\""));
    struct ran ran = tanchor(project, "run", "out/curlew-gcc/widget-shelf.app", "--target", "curlew", "--for", "50ms");
    ck_assert_str_eq(ran.out, "widget-shelf ready\n");
    ran = tanchor(project, "deploy", "out/curlew-gcc/widget-shelf.app");
    expect_done(ran);
    expect_shown(ran, "Next: tanchor verify --as-is");
    expect_shown(tanchor(project, "verify", "--as-is"), "7 of 7 passed");
    expect_row(tanchor(project, "show", "out/curlew-gcc/widget-shelf.app"), "board", "curlew 1.2.0");
    const char *package = below(project, "out/curlew-gcc/widget-shelf.app");
    g_autofree char *bytes = NULL;
    gsize length;
    ck_assert(g_file_get_contents(package, &bytes, &length, NULL) &&
              g_file_set_contents(below(project, "half.app"), bytes, (gssize)length / 2, NULL));
    ran = tanchor(project, "run", "half.app", "--target", "curlew", "--for", "50ms");
    ck_assert(ran.code == 1 && strstr(ran.err, "half.app"));
}
END_TEST

/* At a keyboard, Ctrl-O takes keys to the desk: buttons, switches, turns, and whatever --input can set. */
START_TEST(hands_reach_the_board_while_it_runs) {
    static const struct typed at_the_desk[] = {
        {"widget-shelf ready\n", "\017"},
        {"> turn right  = set  Esc console", "<"},
        {"turned 1\n", "=radio=ahoi\177y\r"},
        {"heard: ahoy\n", "=heading=400 deg\n"},
        {"400 deg is out of the range of heading; write 0 to 360 deg", "q\033[A\033OP=heading=90\033[C deg\r"},
        {"= set", "=no\033\033"},
        {"Ctrl-O hands", "x"},
        {"heading 90 deg", "\017>"},
        {"turned 0\n", "\003"},
        {NULL, NULL}};
    static const struct typed buttons[] = {{"mooring-compass ready\n", "1\017"},
                                           {"1 button A  a boot (flash)  b usb cable (plugged)", "1b"},
                                           {"b usb cable (unplugged)", "1"}, /* nobody hears the console */
                                           {"button A", "b"},
                                           {"b usb cable (plugged)", "1"},
                                           {"mode roll", "\017"},
                                           {"usb cable plugged", "\003"},
                                           {NULL, NULL}};
    const char *const run[] = {TANCHOR, "run", NULL}, *const plain[] = {TANCHOR, "run", "--plain", NULL};
    expect_done(tanchor(test_folder, "import", "widget-shelf"));
    char *project = test_path("widget-shelf");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    expect_done(tanchor(project, "deploy"));
    /* Beside its picture stands what can be read on the screen, also when it is turned. */
    static const struct typed turned[] = {{"\033[K  Greet", "\017<"},
                                          {"turned 1\n", ""},
                                          {"\033[K  Good tide  Mill Creek", ""},
                                          {"\033[K  no news\033[", "\003"},
                                          {NULL, NULL}};
    g_setenv("LC_ALL", "C.UTF-8", TRUE);
    struct ran ran = in_terminal(project, 120, turned, run);
    ck_assert_msg(ran.code == 0, "%s", ran.out);
    g_unsetenv("LC_ALL");
    g_setenv("NO_COLOR", "1", TRUE);
    ran = in_terminal(project, 160, at_the_desk, run);
    ck_assert_msg(ran.code == 0, "%d %s", ran.code, ran.out);
    ran = in_terminal(project, 160, (const struct typed[]){{"ready\n", "\017\003"}, {NULL, NULL}}, plain);
    ck_assert_msg(ran.code == 0 && !strstr(ran.out, "\033[1;") && !strstr(ran.out, "hands"), "%s", ran.out);
    expect_done(tanchor(test_folder, "import", "mooring-compass"));
    project = test_path("mooring-compass");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    expect_done(tanchor(project, "deploy"));
    ran = in_terminal(project, 160, buttons, run);
    ck_assert_msg(ran.code == 0 && !strstr(ran.out, "mode needle"), "%s", ran.out);
    ran = tanchor(project, "run", "--quiet", "--for", "1ms", "--input", "radio=ahoy");
    expect_refusal(ran, 1, "dunlin has no input \"radio\"");
    ran = tanchor(test_path("widget-shelf"), "run", "--quiet", "--for", "1ms", "--input", "radio=ahoy");
    expect_refusal(ran, 1, "does nothing before the power is on; let it happen while the program runs");
    g_unsetenv("NO_COLOR");
}
END_TEST

int main(void) {
    return run_suite("handset", (const TTest *const[]){
                                    widgets_bear_any_finger, a_radio_keeps_what_comes_in_order,
                                    a_radio_takes_its_time_to_send, texts_are_told_with_the_refresh_that_shows_them,
                                    a_quarter_turn_is_felt, what_a_sensor_starts_with_is_one_of_its_values,
                                    trials_turn_the_device_back, trials_say_what_was_read_and_heard,
                                    hands_reach_the_board_while_it_runs, an_app_package_is_an_image, NULL});
}
