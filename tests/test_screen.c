/* Screens, touch panels and analogue inputs, through their registers and through trials; pictures; the SDK's drawing. */
#include "on_board.h"

#include "../catalog/sdk/strand-2.1.0/draw/include/strand/draw.h"
#include "host/picture_file.h"

#include <string.h>

enum { RAM = 0x10000000, SCREEN = 0x50000000, TOUCH = 0x50001000, ANALOGUE = 0x50002000 };
enum {
    CONTROL = 0,
    STATUS = 4,
    BUFFER = 8,
    STRIDE = 12,
    FROM = 16,
    EXTENT = 20,
    REFRESH = 24,
    BRIGHTNESS = 28,
    SIZE = 32
};

static const struct ta_memory memories[] = {{"ram", TA_MEMORY_RAM, RAM, 64 * 1024}};
static const struct ta_option points[] = {{"width", 40}, {"height", 30}};
static const struct ta_device devices[] = {
    {.name = "plic", .model = "plic", .base = 0x44000000},
    {.name = "screen0", .model = "screen", .base = SCREEN, .interrupt = 3, .options = points, .option_count = 2},
    {.name = "touch0", .model = "touch", .base = TOUCH, .interrupt = 4, .options = points, .option_count = 2},
    {.name = "analogue0", .model = "analogue", .base = ANALOGUE, .interrupt = 5}};
static const struct ta_connector connectors[] = {
    {.name = "screen", .kind = TA_CONNECTOR_SCREEN, .device = "screen0"},
    {.name = "touch", .kind = TA_CONNECTOR_TOUCH, .device = "touch0"},
    {.name = "gauge", .kind = TA_CONNECTOR_SENSOR, .device = "analogue0", .quantity = "voltage"},
    {.name = "cell", .kind = TA_CONNECTOR_SENSOR, .device = "analogue0", .quantity = "voltage", .pin = 7}};
static const struct ta_profile board = {.name = "glass",
                                        .version = "1.0.0",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .isa = "rv32imac_zicsr",
                                        .clock_hz = 10000000,
                                        .reset_address = RAM,
                                        .memories = memories,
                                        .memory_count = 1,
                                        .devices = devices,
                                        .device_count = 4,
                                        .connectors = connectors,
                                        .connector_count = 4};

static void power_on(void) {
    make_board(&board);
}

static void refresh(uint32_t from, uint32_t extent) {
    poke(SCREEN + FROM, from);
    poke(SCREEN + EXTENT, extent);
    poke(SCREEN + REFRESH, 1);
    while (peek(SCREEN + STATUS) & 1)
        pass(1000);
}

static uint32_t seen(unsigned x, unsigned y) {
    struct ta_picture picture;
    ck_assert(!ta_machine_picture(machine, "screen", &picture, NULL) && picture.width == 40 && picture.height == 30);
    const uint8_t *point = picture.points + 3 * (y * 40 + x);
    uint32_t colour = (uint32_t)(point[0] << 16 | point[1] << 8 | point[2]);
    ta_picture_free(&picture);
    return colour;
}

START_TEST(a_screen_shows_what_is_refreshed) {
    power_on();
    ck_assert_uint_eq(peek(SCREEN + SIZE), 40 | 30 << 16);
    poke(SCREEN + BUFFER, RAM + 0x100);
    poke(SCREEN + STRIDE, 80);
    poke(RAM + 0x100, 0x07e0f800); /* red, green */
    poke(RAM + 0x104, 0x0000001f); /* blue */
    refresh(0, 40 | 30 << 16);     /* off: dropped */
    ck_assert_uint_eq(seen(0, 0), 0);
    poke(SCREEN + CONTROL, 1);
    poke(SCREEN + EXTENT, 40 | 30 << 16);
    poke(SCREEN + REFRESH, 1);
    pass(25000);
    poke(SCREEN + REFRESH, 1); /* dropped: one is under way, and takes 30 us */
    pass(6000);
    ck_assert_uint_eq(peek(SCREEN + STATUS), 2);
    poke(SCREEN + STATUS, 2);
    poke(SCREEN + CONTROL, 1 | 2);
    poke(0x44000000 + 4 * 3, 1);
    poke(0x44002000, 1 << 3);
    refresh(0, 40 | 30 << 16);
    ck_assert_uint_eq(peek(SCREEN + STATUS), 2);
    ck_assert(machine->harts[0].hart.state.mip & 1 << 11);
    poke(SCREEN + STATUS, 2);
    ck_assert_uint_eq(peek(SCREEN + STATUS), 0);
    ck_assert_uint_eq(seen(0, 0), 0xff0000);
    ck_assert_uint_eq(seen(1, 0), 0x00ff00);
    ck_assert_uint_eq(seen(2, 0), 0x0000ff);
    ck_assert_uint_eq(seen(3, 0), 0);
    /* a part of it alone */
    for (uint32_t at = 0x100; at < 0x100 + 80 * 30; at += 4)
        poke(RAM + at, 0xffffffff);
    refresh(10 | 20 << 16, 2 | 3 << 16);
    ck_assert(seen(10, 20) == 0xffffff && seen(11, 22) == 0xffffff && seen(9, 20) == 0 && seen(12, 22) == 0 &&
              seen(10, 23) == 0 && seen(0, 0) == 0xff0000);
    poke(SCREEN + BRIGHTNESS, 51);
    ck_assert_uint_eq(seen(10, 20), 0x333333);
    poke(SCREEN + CONTROL, 0);
    ck_assert_uint_eq(seen(10, 20), 0);
    /* 32 bits a point, three quarter turns clockwise: its first row is the left side, from the bottom up */
    poke(SCREEN + CONTROL, 1 | 4 | 3 << 4);
    poke(SCREEN + BRIGHTNESS, 255);
    ck_assert_uint_eq(peek(SCREEN + SIZE), 30 | 40 << 16);
    poke(SCREEN + STRIDE, 120);
    poke(RAM + 0x100, 0x00123456);
    poke(RAM + 0x104, 0x00abcdef);
    poke(RAM + 0x100 + 120, 0x00654321);
    refresh(0, 30 | 40 << 16);
    ck_assert_uint_eq(seen(0, 29), 0x123456);
    ck_assert_uint_eq(seen(0, 28), 0xabcdef);
    ck_assert_uint_eq(seen(1, 29), 0x654321);
    poke(SCREEN + CONTROL, 1 | 4 | 1 << 4);
    refresh(0, 1 | 1 << 16);
    ck_assert_uint_eq(seen(39, 0), 0x123456);
    poke(SCREEN + CONTROL, 1 | 4 | 2 << 4);
    refresh(0, 2 | 1 << 16);
    ck_assert(seen(39, 29) == 0x123456 && seen(38, 29) == 0xabcdef);
    ta_machine_power(machine, false);
    ck_assert_uint_eq(seen(39, 29), 0);
    ta_machine_free(machine);
}
END_TEST

/* What leaves the panel or memory is refused whole, whatever a program writes. */
START_TEST(a_screen_refuses_what_is_not_there) {
    static const struct {
        uint32_t buffer, stride, from, extent;
    } wrong[] = {
        {RAM, 80, 0, 0},
        {RAM, 80, 0, 41 | 1 << 16},
        {RAM, 80, 0, 1 | 31 << 16},
        {RAM, 80, 40, 1 | 1 << 16},
        {RAM, 80, 30, 20 | 1 << 16},
        {RAM, 80, 20 << 16, 1 | 20 << 16},
        {RAM, 80, 30 << 16, 1 | 1 << 16},
        {RAM, 80, 0xffff, 0xffff | 1 << 16},
        {RAM + 64 * 1024 - 80 * 30 + 2, 80, 0, 40 | 30 << 16},
        {RAM, 0xffffffff, 0, 40 | 30 << 16},
        {0xfffffff0, 80, 0, 40 | 30 << 16},
        {SCREEN, 80, 0, 40 | 30 << 16},
    };
    power_on();
    poke(SCREEN + CONTROL, 1);
    poke(RAM + 0x100, 0xffff);
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        poke(SCREEN + BUFFER, wrong[i].buffer);
        poke(SCREEN + STRIDE, wrong[i].stride);
        refresh(wrong[i].from, wrong[i].extent);
        ck_assert_msg(peek(SCREEN + STATUS) == 6, "%zu: %x", i, peek(SCREEN + STATUS));
        ck_assert_uint_eq(seen(0, 0), 0);
    }
    ta_machine_free(machine);
}
END_TEST

/* A snapshot holds the panel, and a refresh that is under way. */
START_TEST(a_panel_is_kept_in_snapshots) {
    struct ta_snapshot *blank, *drawn;
    power_on();
    ck_assert(!ta_machine_save(machine, &blank));
    poke(SCREEN + CONTROL, 1);
    poke(SCREEN + BUFFER, RAM + 0x200);
    poke(SCREEN + STRIDE, 80);
    refresh(0, 1 | 1 << 16);
    poke(RAM + 0x200, 0xffffffff);
    poke(SCREEN + REFRESH, 1);
    ck_assert(!ta_machine_save(machine, &drawn));
    uint32_t before = seen(0, 0);
    pass(1000000);
    ck_assert(seen(0, 0) == 0xffffff && before != 0xffffff);
    ck_assert(!ta_machine_restore(machine, drawn, NULL) && seen(0, 0) == before);
    pass(1000000);
    ck_assert_uint_eq(seen(0, 0), 0xffffff);
    uint64_t trace = ta_machine_trace(machine);
    ck_assert(!ta_machine_restore(machine, blank, NULL) && seen(0, 0) == 0);
    ck_assert(!ta_machine_restore(machine, drawn, NULL));
    pass(1000000);
    ck_assert_uint_eq(ta_machine_trace(machine), trace);
    ta_snapshot_free(blank);
    ta_snapshot_free(drawn);
    ta_machine_free(machine);
}
END_TEST

static void touch(uint64_t value) {
    set("touch", value);
}

START_TEST(a_finger_is_told_press_by_press) {
    struct ta_problem why;
    power_on();
    touch(TA_TOUCH(1, 2));
    ck_assert_uint_eq(peek(TOUCH + 0xc), 0); /* it is off */
    poke(TOUCH, 1 | 2);
    ck_assert_uint_eq(peek(TOUCH + 0xc), 1u << 31 | 2 << 15 | 1);
    ck_assert_uint_eq(peek(TOUCH + 8), 0); /* what was before is not told */
    touch(TA_TOUCH(39, 29));
    touch(0);
    touch(TA_TOUCH(5, 6));
    ck_assert_uint_eq(peek(TOUCH + 8), 3);
    ck_assert_uint_eq(peek(TOUCH + 4), 2u << 30 | 29 << 15 | 39);
    ck_assert_uint_eq(peek(TOUCH + 4), 3u << 30 | 29 << 15 | 39);
    ck_assert_uint_eq(peek(TOUCH + 4), 1u << 30 | 6 << 15 | 5);
    ck_assert_uint_eq(peek(TOUCH + 4), 0);
    /* with no room, the last move is the one that counts, and other things are lost */
    for (unsigned i = 0; i < 30; ++i)
        touch(TA_TOUCH(i, 0));
    touch(0);
    ck_assert_uint_eq(peek(TOUCH + 8), 16);
    for (unsigned i = 0; i < 15; ++i)
        peek(TOUCH + 4);
    ck_assert_uint_eq(peek(TOUCH + 4), 2u << 30 | 29);
    ck_assert_int_eq(ta_machine_set_input(machine, "touch", TA_TOUCH(40, 0), &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "touch: 40,0 is outside of 40 by 30 points");
    ck_assert_int_eq(ta_machine_set_input(machine, "touch", TA_TOUCH(0, 30), &why), TA_E_INPUT);
    ck_assert_int_eq(ta_machine_set_input(machine, "touch", 7, &why), TA_E_INPUT);
    ta_machine_free(machine);
}
END_TEST

START_TEST(a_voltage_becomes_a_number) {
    static const struct {
        uint64_t mv;
        uint32_t result;
    } cases[] = {{0, 0}, {1650, 2048}, {3300, 4095}, {5000, 4095}, {1, 1}};
    power_on();
    poke(ANALOGUE + 4, 0);
    ck_assert_uint_eq(peek(ANALOGUE + 0xc), 0); /* it is off */
    poke(ANALOGUE, 1);
    ck_assert_uint_eq(peek(ANALOGUE + 0x10), 3300);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        ck_assert(!ta_machine_set_input(machine, "cell", cases[i].mv, NULL));
        poke(ANALOGUE + 4, 7);
        poke(ANALOGUE + 4, 0); /* dropped: one is under way */
        pass(9900);
        ck_assert_uint_eq(peek(ANALOGUE + 0xc), 1);
        pass(300);
        ck_assert_uint_eq(peek(ANALOGUE + 0xc), 2);
        ck_assert_uint_eq(peek(ANALOGUE + 8), cases[i].result);
    }
    poke(ANALOGUE + 4, 0); /* the other channel has its own */
    pass(20000);
    ck_assert_uint_eq(peek(ANALOGUE + 8), 0);
    poke(ANALOGUE + 4, 8);
    ck_assert_uint_eq(peek(ANALOGUE + 0xc) & 1, 0);
    ta_machine_free(machine);
}
END_TEST

START_TEST(connectors_need_a_device_that_can) {
    static const struct {
        struct ta_connector connector;
        const char *what;
    } cases[] = {
        {{.name = "glass", .kind = TA_CONNECTOR_SCREEN, .device = "touch0"},
         "connectors.glass: touch0 shows no picture"},
        {{.name = "glass", .kind = TA_CONNECTOR_TOUCH, .device = "screen0"},
         "connectors.glass: screen0 feels no finger"},
        {{.name = "volts", .kind = TA_CONNECTOR_SENSOR, .device = "analogue0", .quantity = "voltage", .pin = 8},
         "connectors.volts: it needs pin 8, analogue0 has 8"},
        {{.name = "volts", .kind = TA_CONNECTOR_SENSOR, .device = "analogue0", .quantity = "heading"},
         "connectors.volts: analogue0 senses no heading"},
    };
    struct ta_problem why;
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_profile profile = board;
        profile.connectors = &cases[i].connector;
        profile.connector_count = 1;
        ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), TA_E_INPUT);
        ck_assert_str_eq(why.what, cases[i].what);
    }
    static const struct ta_option huge[] = {{"width", 4097}};
    struct ta_device larger = devices[1];
    struct ta_profile profile = board;
    larger.options = huge;
    larger.option_count = 1;
    profile.devices = &larger;
    profile.device_count = profile.connector_count = 1;
    ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "devices.screen0.options: a side of 4097 by 240 points is out of range");
}
END_TEST

/* Pictures as files. */

START_TEST(pictures_are_read_back_as_they_were_written) {
    struct ta_picture picture, again, difference;
    struct ta_problem why;
    ck_assert(!ta_picture_make(&picture, 33, 7) && !ta_picture_make(&difference, 33, 7));
    for (size_t i = 0; i < 33 * 7 * 3; ++i)
        picture.points[i] = (uint8_t)(i * 37);
    const char *path = test_path("some.png");
    ck_assert(!picture_save(&picture, path, &why));
    ck_assert_msg(!picture_read(path, "some.png", &again, &why), "%s", why.what);
    ck_assert(again.width == 33 && again.height == 7 && !memcmp(again.points, picture.points, 33 * 7 * 3));
    again.points[3] = (uint8_t)(again.points[3] + TA_PICTURE_TOLERANCE); /* looks alike */
    again.points[8] = (uint8_t)(again.points[8] ^ 0x80);
    ck_assert_uint_eq(ta_picture_compare(&picture, &again, &difference), 1);
    ck_assert(difference.points[6] == 230 && difference.points[7] == 0 && difference.points[3] >= 176);
    ta_picture_free(&picture);
    ta_picture_free(&again);
    ta_picture_free(&difference);

    /* What is damaged, cut off, or said to be huge is refused in a line. */
    gsize length;
    char *bytes;
    ck_assert(g_file_get_contents(path, &bytes, &length, NULL));
    for (gsize cut = 0; cut < length - 12; cut += 5) {
        ck_assert(g_file_set_contents(path, bytes, (gssize)cut, NULL));
        ck_assert_msg(picture_read(path, "some.png", &picture, &why) == TA_E_INPUT, "cut to %zu of %zu", cut, length);
        ck_assert(!picture.points && strstr(why.what, "some.png is "));
    }
    static const struct {
        size_t at;
        char byte;
        const char *what;
    } changes[] = {{1, 'X', "some.png is no PNG picture"},
                   {16, 0x7f, "some.png has 2130706465 by 7 points; 4096 by 4096 is the most"},
                   {22, 0x7f, "some.png has 33 by 32519 points; 4096 by 4096 is the most"},
                   {23, 0, "some.png is a damaged PNG picture"},
                   {60, 0x55, "some.png is a damaged PNG picture"}};
    for (size_t i = 0; i < G_N_ELEMENTS(changes); ++i) {
        char kept = bytes[changes[i].at];
        bytes[changes[i].at] = changes[i].byte;
        ck_assert(g_file_set_contents(path, bytes, (gssize)length, NULL));
        ck_assert_int_eq(picture_read(path, "some.png", &picture, &why), TA_E_INPUT);
        ck_assert_str_eq(why.what, changes[i].what);
        bytes[changes[i].at] = kept;
    }
    g_free(bytes);
    ck_assert_int_eq(ta_picture_make(&picture, 0, 5), TA_E_INPUT);
    ck_assert_int_eq(ta_picture_make(&picture, 5, 4097), TA_E_INPUT);
}
END_TEST

/* Through the tool: what a trial says of pictures and fingers, and what show writes. */
START_TEST(trials_look_at_the_screen) {
    static const struct {
        const char *from, *to, *place, *what;
    } wrong[] = {
        {"dial-2.50.png\" within 0.05 %", "dial-2.50.png\" within 101 %", "trials/dial.trial:7:58", "0 % to 100 %"},
        {"dial-2.50.png\" within 0.05 %", "dial-2.50.png\" within 2", "trials/dial.trial:7:58", "0 % to 100 %"},
        {"dial-2.50.png", "../../../secret.png", "trials/dial.trial:7:35", "leads out of the project"},
        {"dial-2.50.png", "dial.trial", "trials/dial.trial:7:35", "trials/dial.trial is no PNG picture"},
        {"dial-2.50.png", "none.png", "trials/dial.trial:7:35", "there is no file trials/none.png"},
        {"screen looks like", "glass looks like", "trials/dial.trial:7:3", "turnstone has no screen \"glass\""},
        {"screen looks like", "screen looks", "trials/dial.trial:7:", "allowed here"},
        {"touch 160,120", "touch 320,0", "trials/dial.trial:17:3", "320,0 is outside of the 320 by 240 points"},
        {"touch 160,120", "touch 160", "trials/dial.trial:17:", "column and row of a point"},
        {"drag 20,20 to 300,200", "drag 20,20 300,200", "trials/dial.trial:39:14", "where the finger ends"},
        {"set gauge to 1 V", "set gauge to 6 V", "trials/dial.trial:4:3", "6 V is out of the range of gauge"},
    };
    expect_done(tanchor(test_folder, "import", "gauge-dial"));
    char *project = test_path("gauge-dial");
    struct ran ran = tanchor(project, "show", "--screen", "none.png");
    expect_refusal(ran, 1, "not configured");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    ran = tanchor(project, "show", "--screen", "none.png");
    expect_refusal(ran, 1, "turnstone has shown nothing yet");
    ran = tanchor(project, "show", "--lamps");
    expect_refusal(ran, 1, "turnstone has no lamps");
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        edit(below(project, "trials/dial.trial"), wrong[i].from, wrong[i].to);
        ran = tanchor(project, "verify", "--list");
        ran = ran.code ? ran : tanchor(project, "verify");
        expect_refusal(ran, 1, wrong[i].place, wrong[i].what);
        edit(below(project, "trials/dial.trial"), wrong[i].to, wrong[i].from);
    }
    expect_shown(tanchor(project, "verify"), "4 of 4 passed");
    write_text(below(project, "trials/dark.trial"),
               "trial \"it begins dark\"\n  power on\n  screen looks like \"dark.png\"\n  no trap\n");
    struct ta_picture dark;
    ck_assert(!ta_picture_make(&dark, 320, 240) && !picture_save(&dark, below(project, "trials/dark.png"), NULL));
    expect_shown(tanchor(project, "verify", "dark"), "1 of 1 passed");
    memset(dark.points, 17, 320 * 3); /* one more than looks alike */
    ck_assert(!picture_save(&dark, below(project, "trials/dark.png"), NULL));
    ran = tanchor(project, "verify", "dark");
    expect_row(ran, "seen", "screen differs in 0.417 % of its points; 0.000 % are allowed");
    edit(below(project, "trials/dark.trial"), "dark.png\"", "dark.png\" within 0.417 %");
    expect_shown(tanchor(project, "verify", "dark"), "1 of 1 passed");
    edit(below(project, "trials/dark.trial"), "0.417", "0.416");
    ck_assert_int_eq(tanchor(project, "verify", "dark").code, 1);
    unlink(below(project, "trials/dark.trial"));
    ta_picture_free(&dark);
    expect_done(tanchor(project, "run", "--for", "300ms", "--input", "gauge=1 V", "--screen", "now.png"));
    expect_shown(tanchor(project, "show", "--screen", "later.png"), "later.png");
    struct ta_picture wanted, now, later;
    struct ta_problem why;
    ck_assert(!picture_read(below(project, "trials/dial-2.50.png"), "a", &wanted, &why) &&
              !picture_read(below(project, "now.png"), "b", &now, &why) &&
              !picture_read(below(project, "later.png"), "c", &later, &why));
    ck_assert(ta_picture_compare(&wanted, &now, NULL) == 0 && ta_picture_compare(&now, &later, NULL) == 0);
    ta_picture_free(&wanted);
    ta_picture_free(&now);
    ta_picture_free(&later);

    /* The pictures of a failure show what was seen, and where it differs. */
    edit(below(project, "src/dial.c"), "NEEDLE), 5, pale);", "NEEDLE), 5, flood);");
    ran = tanchor(project, "verify", "needle", "--json");
    ck_assert_int_eq(ran.code, 1);
    expect_shown(ran, "screen differs in 0.317 % of its points; 0.050 % are allowed");
    expect_shown(ran, "\"difference\": \"out/turnstone-gcc/pictures/the-needle-shows-the-level-difference.png\"");
    ck_assert(!picture_read(below(project, "out/turnstone-gcc/pictures/the-needle-shows-the-level-seen.png"), "a", &now,
                            &why));
    ta_picture_free(&now);
    expect_done(tanchor(project, "build", "--clean", "setup"));
    ck_assert(!g_file_test(below(project, "out/turnstone-gcc/pictures"), G_FILE_TEST_EXISTS));

    static const char *const inputs[][2] = {
        {"gauge", "is nothing that somebody does; write for example heading=90 deg"},
        {"gouge=1 V", "has no input \"gouge\""},
        {"gauge=1 A", "\"1 A\" is no value in V; write 0 to 5 V"},
        {"gauge=7 V", "7 V is out of the range of gauge; write 0 to 5 V"},
        {"touch=1", "the line ends too early; allowed here: column and row"},
        {"touch=320,1", "outside of the 320 by 240 points"},
        {"button A=on", "\"on\" is not a position of button A"},
        {"console=1", "console is not an input"}};
    for (size_t i = 0; i < G_N_ELEMENTS(inputs); ++i) {
        ran = tanchor(project, "run", "--quiet", "--for", "1ms", "--input", inputs[i][0]);
        ck_assert_msg(ran.code != 0 && strstr(ran.err, inputs[i][1]), "%s: %s", inputs[i][0], ran.err);
    }
}
END_TEST

/* On a terminal, the lines above the last show the screen, in halves of letters; the console goes on above, letter for letter. */
START_TEST(a_terminal_shows_the_screen) {
    expect_done(tanchor(test_folder, "import", "gauge-dial"));
    char *project = test_path("gauge-dial");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    expect_done(tanchor(project, "build"));
    g_setenv("LC_ALL", "C.UTF-8", TRUE);
    const struct typed until[] = {{"level 2.50 m\n", ""}, {"\033[38;2;66;170;132m", "\003"}, {NULL, NULL}};
    const char *const arguments[] = {TANCHOR, "run", "--input", "gauge=1 V", NULL};
    struct ran ran = in_terminal(project, 100, until, arguments);
    ck_assert_msg(ran.code == 0, "%d %s", ran.code, ran.out + strlen(ran.out) - 300);
    expect_shown(ran, "\033[1;18r");            /* of 40 lines, twenty for the picture, and those of time and desk */
    expect_shown(ran, "\033[38;2;66;170;132m"); /* the calm part of the dial */
    ck_assert_msg(strstr(g_strrstr(ran.out, "\033[r"), " of device time\n") != NULL, "%s", ran.out);
    g_unsetenv("LC_ALL");
    g_setenv("NO_COLOR", "1", TRUE);
    ran = in_terminal(project, 100, (const struct typed[]){{"level 2.50 m\n", "\003"}, {NULL, NULL}}, arguments);
    ck_assert(!strstr(ran.out, "\u2580") && !strstr(ran.out, "[38;2"));
    g_unsetenv("NO_COLOR");
}
END_TEST

/* Drawing stays within the clip, wherever its points lie, and draws what it says. */
START_TEST(drawing_stays_within_the_clip) {
    enum { W = 32, H = 24, EDGE = 64 };
    static strand_colour all[EDGE + W * H + EDGE];
    struct strand_canvas canvas;
    GRand *random = g_rand_new_with_seed(11);
    strand_canvas_open(&canvas, all + EDGE, W, H);
    for (int i = 0; i < 3000; ++i) {
        int n[8], far = i % 3 ? 60 : 40000;
        for (int k = 0; k < 8; ++k)
            n[k] = g_rand_int_range(random, -far, far);
        strand_clip(&canvas, 5, 4, 20, 15);
        switch (i % 5) {
        case 0: strand_fill(&canvas, n[0], n[1], n[2], n[3], 0xffff); break;
        case 1: strand_line(&canvas, n[0] % 500, n[1] % 500, n[2] % 500, n[3] % 500, n[4] % 9, 0xffff); break;
        case 2: strand_disc(&canvas, n[0] % 9000, n[1] % 9000, n[2] % 9000, 0xffff); break;
        case 3: strand_arc(&canvas, n[0] % 900, n[1] % 900, n[2] % 200, n[3] % 50, n[4], n[5], 0xffff); break;
        default: strand_text(&canvas, n[0], n[1], n[2] % 5, "tide\x80\x01~", 0xffff); break;
        }
    }
    for (int i = 0; i < EDGE + W * H + EDGE; ++i) {
        int x = (i - EDGE) % W, y = (i - EDGE) / W;
        bool inside = i >= EDGE && x >= 5 && x < 25 && y >= 4 && y < 19;
        ck_assert_msg(inside == (all[i] == 0xffff), "%d,%d", x, y);
    }
    /* a line has both its ends, a disc its radius, an arc its quarter */
    memset(all, 0, sizeof all);
    strand_canvas_open(&canvas, all + EDGE, W, H);
    strand_line(&canvas, 2, 3, 20, 11, 1, 1);
    strand_disc(&canvas, 26, 6, 4, 2);
    strand_arc(&canvas, 8, 16, 6, 2, 0, 900, 3);
#define AT(x, y) all[EDGE + (y)*W + (x)]
    ck_assert(AT(2, 3) == 1 && AT(20, 11) == 1 && AT(11, 7) == 1);
    ck_assert(AT(22, 6) == 2 && AT(30, 6) == 2 && AT(26, 2) == 2 && AT(26, 10) == 2 && AT(21, 6) == 0 &&
              AT(29, 3) == 0);
    ck_assert(AT(8, 10) == 3 && AT(12, 12) == 3 && AT(8, 13) == 0 && AT(4, 12) == 0 && AT(8, 22) == 0 &&
              AT(14, 17) == 0);
    ck_assert(strand_sine(900, 100) == 100 && strand_cosine(1800, 100) == -100 && strand_sine(-300, 1000) == -500 &&
              strand_cosine(36600, 1000) == strand_cosine(600, 1000) && strand_text_width("abc", 2) == 34 &&
              strand_text_width("", 2) == 0);
    g_rand_free(random);
}
END_TEST

int main(void) {
    return run_suite("screen",
                     (const TTest *const[]){a_screen_shows_what_is_refreshed, a_screen_refuses_what_is_not_there,
                                            a_panel_is_kept_in_snapshots, a_finger_is_told_press_by_press,
                                            a_voltage_becomes_a_number, connectors_need_a_device_that_can,
                                            pictures_are_read_back_as_they_were_written, trials_look_at_the_screen,
                                            a_terminal_shows_the_screen, drawing_stays_within_the_clip, NULL});
}
