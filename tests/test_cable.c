/* Cables and switches: a USB device and the computer at the other end, which the test's firmware answers; switches that boards and trials
   know. */
#include "on_board.h"

#include <string.h>

enum { RAM = 0x10000000, USB = 0x50000000 };
enum { CONTROL = 0, STATUS = 4, ADDRESS = 8, SETUP = 12, READY0 = 0x14, READY1 = 0x18, BUFFER0 = 0x40, BUFFER1 = 0x80 };

static const char *cable[] = {"out", "in"}, *layout[] = {"us", "de"}, *boot[] = {"flash", "loader"};
static const struct ta_switch switches[] = {{.name = "usb cable", .positions = cable, .position_count = 2},
                                            {.name = "keyboard layout", .positions = layout, .position_count = 2},
                                            {.name = "boot", .positions = boot, .position_count = 2, .run = "flash"}};
static const struct ta_memory memories[] = {{"ram", TA_MEMORY_RAM, RAM, 64 * 1024}};
static const struct ta_device devices[] = {{.name = "usb0", .model = "usb-device", .base = USB}};
static const struct ta_connector connectors[] = {
    {.name = "usb", .kind = TA_CONNECTOR_USB, .device = "usb0", .by = "usb cable", .when = "in"}};
static const struct ta_profile board = {.name = "cabled",
                                        .version = "1.0.0",
                                        .struct_version = TA_PROFILE_VERSION,
                                        .isa = "rv32imac_zicsr",
                                        .clock_hz = 10000000,
                                        .reset_address = RAM,
                                        .memories = memories,
                                        .memory_count = 1,
                                        .devices = devices,
                                        .device_count = 1,
                                        .connectors = connectors,
                                        .connector_count = 1,
                                        .switches = switches,
                                        .switch_count = 3};

static GString *document, *said;
static unsigned gone;

/* What the firmware tells; a test changes it. */
static uint8_t device[18], configuration[34];
static unsigned refuses, mute; /* the request (setup's first two bytes) that it refuses, or does not answer */
static bool wants_address;

static void power_on(void) {
    static const uint8_t good_device[] = {18, 1, 0, 2, 0, 0, 0, 8, 1, 0, 1, 0, 0, 1, 0, 0, 0, 1};
    static const uint8_t good_configuration[] = {9, 2, 34, 0,  1, 1, 0, 0x80, 50, 9, 4, 0, 0,    1, 3, 1, 1,
                                                 0, 9, 33, 17, 1, 0, 1, 34,   45, 0, 7, 5, 0x81, 3, 8, 0, 4};
    memcpy(device, good_device, sizeof device);
    memcpy(configuration, good_configuration, sizeof configuration);
    refuses = mute = gone = 0;
    wants_address = false;
    document = g_string_new(NULL);
    said = g_string_new(NULL);
    make_board(&board);
}

static void power_off(void) {
    ta_machine_free(machine);
    g_string_free(document, TRUE);
    g_string_free(said, TRUE);
}

static void note(const struct ta_event *event) {
    if (event->kind == TA_EVENT_TYPED)
        g_string_append_len(document, (const char *)event->bytes, (gssize)event->length);
    if (event->kind == TA_EVENT_CABLE) {
        g_string_assign(said, "");
        g_string_append_len(said, (const char *)event->bytes, (gssize)event->length);
        gone += event->value == TA_CABLE_GONE;
    }
}

static void pass_ms(unsigned ms) {
    pass_and(ms * UINT64_C(1000000), note);
}

static void put(uint32_t buffer, const uint8_t *bytes, size_t length) {
    for (size_t i = 0; i < length; i += 4) {
        uint32_t word = 0;
        memcpy(&word, bytes + i, MIN(length - i, 4));
        poke((uint32_t)(buffer + i), word);
    }
}

/* In packets of 8 bytes. */
static const uint8_t *left;
static size_t left_length;

static void send_next(void) {
    size_t length = MIN(left_length, 8);
    put(USB + BUFFER0, left, length);
    poke(USB + READY0, (uint32_t)(0x80 | length));
    left += length;
    left_length -= length;
}

static void answer(void) {
    uint32_t low = peek(USB + SETUP), wanted = peek(USB + SETUP + 4) >> 16;
    if ((low & 0xffff) == mute)
        return;
    if ((low & 0xffff) == refuses) {
        poke(USB + READY0, 0x100);
        return;
    }
    wants_address = (low & 0xffff) == 0x0500;
    left_length = 0;
    if ((low & 0xffff) == 0x0680) {
        bool is_device = low >> 24 == 1;
        left = is_device ? device : configuration;
        left_length = MIN(is_device ? sizeof device : sizeof configuration, wanted);
    }
    send_next();
}

static void serve(unsigned ms) {
    for (unsigned i = 0; i < ms; ++i) {
        pass_ms(1);
        uint32_t status = peek(USB + STATUS);
        poke(USB + STATUS, status);
        if (status & 1 << 10 && wants_address)
            poke(USB + ADDRESS, 1);
        if (status & 1 << 9)
            answer();
        else if (status & 1 << 10 && left_length)
            send_next();
    }
}

static void plug(uint64_t in) {
    set("usb cable", in);
}

static void report(uint8_t modifiers, uint8_t key, uint8_t second) {
    const uint8_t bytes[8] = {modifiers, 0, key, second};
    put(USB + BUFFER1, bytes, 8);
    poke(USB + READY1, 0x88);
    serve(5);
    ck_assert_uint_eq(peek(USB + READY1) & 0x80, 0);
}

static void key(uint8_t modifiers, uint8_t code) {
    report(modifiers, code, 0);
    report(0, 0, 0);
}

START_TEST(a_computer_takes_a_keyboard) {
    power_on();
    poke(USB + CONTROL, 1);
    serve(400);
    ck_assert_uint_eq(said->len, 0); /* there is no cable */
    plug(1);
    ck_assert_uint_eq(peek(USB + STATUS), 1 | 1 << 12);
    serve(200);
    ck_assert_str_eq(said->str, "a keyboard");
    ck_assert_uint_eq(peek(USB + ADDRESS), 1);
    key(0, 0x04);
    key(2, 0x04);
    key(0x20, 0x1f);
    report(0, 0x05, 0);
    report(0, 0x05, 0x06); /* b stays down, c comes */
    report(0, 0x06, 0);
    report(0, 0, 0);
    key(1, 0x07); /* with control: nothing */
    key(0, 0x28);
    ck_assert_str_eq(document->str, "aA@bc\n");
    ck_assert(!ta_machine_set_input(machine, "keyboard layout", 1, NULL));
    key(0, 0x1c);
    key(0, 0x2d);
    key(0x40, 0x14);
    key(0x40, 0x04);
    key(0, 0x64);
    key(2, 0x64);
    key(0, 0xff);
    ck_assert_str_eq(document->str, "aA@bc\nz\u00df@<>");
    plug(0);
    serve(1);
    ck_assert_uint_eq(gone, 1);
    plug(1);
    serve(300);
    ck_assert_str_eq(said->str, "a keyboard");
    poke(USB + CONTROL, 0); /* the program lets go */
    serve(1);
    ck_assert_uint_eq(gone, 2);
    power_off();
}
END_TEST

/* What the computer will not have, and why. */
START_TEST(a_computer_says_why_it_will_not_have_a_device) {
    static const struct {
        uint8_t *bytes;
        size_t at;
        uint8_t value;
        unsigned refuses, mute;
        const char *why;
    } cases[] = {
        {device, 7, 9, 0, 0, "it tells no sound beginning of its device descriptor"},
        {device, 17, 0, 0, 0, "it tells no sound device descriptor"},
        {configuration, 0, 8, 0, 0, "it tells no sound beginning of its configuration"},
        {configuration, 2, 8, 0, 0, "it tells no sound beginning of its configuration"},
        {configuration, 3, 2, 0, 0, "it tells no sound beginning of its configuration"},
        {configuration, 2, 40, 0, 0, "it tells no sound configuration"},
        {configuration, 16, 2, 0, 0, "it is no keyboard that this computer knows: no interface of a boot keyboard"},
        {configuration, 29, 1, 0, 0, "it is no keyboard that this computer knows: no interface of a boot keyboard"},
        {configuration, 9, 200, 0, 0, "it is no keyboard that this computer knows: no interface of a boot keyboard"},
        {configuration, 9, 0, 0, 0, "it is no keyboard that this computer knows: no interface of a boot keyboard"},
        {configuration, 27, 8, 0, 0, "it is no keyboard that this computer knows: no interface of a boot keyboard"},
        {NULL, 0, 0, 0x0680, 0, "it refuses to tell or take the beginning of its device descriptor"},
        {NULL, 0, 0, 0x0500, 0, "it refuses to tell or take an address"},
        {NULL, 0, 0, 0x0900, 0, "it refuses to tell or take to be configured"},
        {NULL, 0, 0, 0x0b21, 0, "a keyboard"}, /* it need not */
        {NULL, 0, 0, 0, 0x0680, "it does not answer when asked for the beginning of its device descriptor"},
        {NULL, 0, 0, 0, 0x0a21, "it does not answer when asked for to be quiet while nothing changes"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        power_on();
        if (cases[i].bytes)
            cases[i].bytes[cases[i].at] = cases[i].value;
        refuses = cases[i].refuses;
        mute = cases[i].mute;
        plug(1);
        poke(USB + CONTROL, 1);
        serve(cases[i].mute ? 1500 : 400);
        ck_assert_msg(!strcmp(said->str, cases[i].why), "%zu: %s", i, said->str);
        power_off();
    }
}
END_TEST

/* Where it stood when the trial began, by hand: a port that cannot rewind has it set back. */
START_TEST(a_trial_leaves_switches_as_they_stood) {
    static const char text[] =
        "trial \"a\"\npower on\nswitch usb cable to out\nswitch keyboard layout to de\nno trap\n";
    struct ta_port port;
    struct ta_trials *trials;
    struct ta_recording *verdict;
    struct ta_problem why;
    uint64_t cable = 0, layout = 1;
    ck_assert(!ta_port_simulate(&board, &port, NULL));
    port.capabilities &= ~(uint32_t)TA_CAN_REWIND;
    ck_assert(!port.set_input(port.self, "usb cable", 1, NULL));
    ck_assert(!ta_trials_parse(text, strlen(text), "t.trial", NULL, NULL, &trials, NULL));
    ck_assert_msg(!ta_trial_run(trials, 0, &port, NULL, NULL, &verdict, &why), "%s", why.what);
    ck_assert(!port.read_output(port.self, "usb cable", &cable, NULL) && cable == 1);
    ck_assert(!port.read_output(port.self, "keyboard layout", &layout, NULL) && layout == 0);
    ta_recording_free(verdict);
    ta_trials_free(trials);
    port.close(port.self);
}
END_TEST

/* A snapshot amid it all goes on alike. */
START_TEST(a_cable_is_kept_in_snapshots) {
    struct ta_snapshot *snapshot;
    power_on();
    poke(USB + CONTROL, 1);
    plug(1);
    serve(130);
    ck_assert(!ta_machine_save(machine, &snapshot));
    const uint8_t *was = left;
    size_t was_length = left_length;
    bool was_address = wants_address;
    serve(100);
    uint64_t trace = ta_machine_trace(machine);
    ck_assert_str_eq(said->str, "a keyboard");
    ck_assert(!ta_machine_restore(machine, snapshot, NULL));
    g_string_assign(said, "");
    left = was;
    left_length = was_length;
    wants_address = was_address;
    serve(100);
    ck_assert_str_eq(said->str, "a keyboard");
    ck_assert_uint_eq(ta_machine_trace(machine), trace);
    uint64_t position = 0;
    plug(0);
    ck_assert(!ta_machine_restore(machine, snapshot, NULL));
    ck_assert(!ta_machine_output(machine, "usb cable", &position, NULL) && position == 1);
    ta_snapshot_free(snapshot);
    power_off();
}
END_TEST

START_TEST(the_reset_logic_reads_the_boot_switch) {
    struct ta_problem why;
    power_on();
    pass_ms(1);
    ck_assert_uint_gt(ta_machine_retired(machine), 0);
    ck_assert(!ta_machine_set_input(machine, "boot", 1, NULL));
    pass_ms(1); /* which does not look at it while the program runs */
    uint64_t retired = ta_machine_retired(machine);
    ta_machine_reset(machine);
    pass_ms(1);
    ck_assert_uint_eq(ta_machine_retired(machine), retired);
    ck_assert(!ta_machine_set_input(machine, "boot", 0, NULL));
    ta_machine_reset(machine);
    pass_ms(1);
    ck_assert_uint_gt(ta_machine_retired(machine), retired);
    ck_assert_int_eq(ta_machine_set_input(machine, "boot", 2, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "boot has no position 2");
    power_off();
}
END_TEST

START_TEST(profiles_tell_of_cables_that_are_none) {
    static const struct ta_device pair[] = {{.name = "usb0", .model = "usb-device", .base = USB, .interrupt = 3},
                                            {.name = "exit0", .model = "exit-register", .base = RAM, .interrupt = 3}};
    static const struct {
        struct ta_connector connector;
        const struct ta_device *devices;
        size_t device_count, switch_count;
        const char *what;
    } cases[] = {
        {{.name = "usb", .kind = TA_CONNECTOR_USB, .device = "usb0", .by = "lead", .when = "in"},
         devices,
         1,
         3,
         "connectors.usb.by: there is no switch \"lead\""},
        {{.name = "usb", .kind = TA_CONNECTOR_USB, .device = "usb0", .by = "usb cable", .when = "up"},
         devices,
         1,
         3,
         "connectors.usb.when: usb cable has no such position"},
        {{.name = "usb", .kind = TA_CONNECTOR_USB, .device = "usb0", .by = "usb cable"},
         devices,
         1,
         3,
         "connectors.usb.when: usb cable has no such position"},
        {{.name = "boot", .kind = TA_CONNECTOR_USB, .device = "usb0"},
         devices,
         1,
         3,
         "switches.boot: its name cannot be used"},
        {{.name = "usb", .kind = TA_CONNECTOR_USB, .device = "exit0"},
         &pair[1],
         1,
         0,
         "connectors.usb: no cable ends at exit0"},
        {{.name = "usb", .kind = TA_CONNECTOR_USB, .device = "usb0"},
         pair,
         2,
         0,
         "devices.exit0.interrupt: usb0 has 3 already"},
    };
    struct ta_problem why;
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        static const struct ta_memory elsewhere[] = {{"ram", TA_MEMORY_RAM, 0x20000000, 4096}};
        struct ta_profile profile = board;
        profile.memories = elsewhere;
        profile.reset_address = 0x20000000;
        profile.connectors = &cases[i].connector;
        profile.devices = cases[i].devices;
        profile.device_count = cases[i].device_count;
        profile.switch_count = cases[i].switch_count;
        ck_assert_int_eq(ta_machine_new(&profile, NULL, 0, &machine, &why), TA_E_INPUT);
        ck_assert_str_eq(why.what, cases[i].what);
    }
}
END_TEST

/* Through the tool. */
START_TEST(trials_and_runs_move_switches) {
    static const struct {
        const char *from, *to, *place, *what;
    } wrong[] = {
        {"\n  plug usb cable", "\n  plug lead", ":8:3", "turnstone has no switch, cable or card \"lead\""},
        {"\n  plug usb cable", "\n  insert usb cable", ":8:3", "usb cable of turnstone has no position \"inserted\""},
        {"switch keyboard layout to de", "switch keyboard layout to fr", ":40:3", "has no position \"fr\""},
        {"switch keyboard layout to de", "switch keyboard layout", ":40:", "and a position"},
        {"document says \"watch 1", "document shows \"watch 1", ":10:", "allowed here: says"},
    };
    expect_done(tanchor(test_folder, "import", "log-keys"));
    char *project = test_path("log-keys");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        edit(below(project, "trials/typing.trial"), wrong[i].from, wrong[i].to);
        struct ran ran = tanchor(project, "verify");
        expect_refusal(ran, 1, wrong[i].place, wrong[i].what);
        edit(below(project, "trials/typing.trial"), wrong[i].to, wrong[i].from);
    }
    struct ran ran = tanchor(project, "run", "--for", "1.6s", "--input", "usb cable=plugged");
    ck_assert_msg(strstr(ran.err, "the computer has found a keyboard") &&
                      strstr(ran.err, "watch 1: all moorings lie well"),
                  "%s", ran.err);
    ran = tanchor(project, "run", "--for", "1.6s");
    ck_assert(!strstr(ran.err, "keyboard"));
    ran = tanchor(project, "run", "--quiet", "--for", "1s", "--input", "usb cable=in");
    ck_assert(ran.code == 1 &&
              strstr(ran.err, "usb cable of turnstone has no position \"in\"; it has: unplugged, plugged"));
    /* As it stands on the bench; and a trial leaves it so. */
    expect_done(tanchor(project, "bench", "switch", "turnstone", "usb cable=plugged"));
    expect_shown(tanchor(project, "verify"), "5 of 5 passed");
    ran = tanchor(project, "run", "--for", "1s");
    ck_assert(strstr(ran.err, "the computer has found a keyboard"));
    edit(below(project, "src/main.c"), "strand_keyboard_open();", "(void)TICK_US;");
    ran = tanchor(project, "verify", "layout");
    expect_row(ran, "expected", "console says \"computer found\"");
    edit(below(project, "trials/typing.trial"),
         "  within 300 ms console says \"computer found\"\n  press button A\n  within 1 s document says \"bz",
         "  within 1 s document says \"bz");
    ran = tanchor(project, "verify", "layout");
    expect_row(ran, "seen", "nothing was typed; the other end: nothing there");
    expect_row(ran, "before that", "console \"log-keys ready\"");
}
END_TEST

START_TEST(sensors_are_fed_from_a_table) {
    static const struct {
        const char *table, *place, *what;
    } wrong[] = {
        {"", "trials/rip.csv", "it has no values"},
        {"seconds,heading\n", "trials/rip.csv", "it has no values"},
        {"0,1\n1\n", "trials/rip.csv:2:2", "the value is missing"},
        {"0,1\n1,\n", "trials/rip.csv:2:3", "this is no value"},
        {"0,1\n1,north\n", "trials/rip.csv:2:3", "this is no value"},
        {"0,1\nsoon,3\n", "trials/rip.csv:2:1", "this is no time"},
        {"0,1\n-1,3\n", "trials/rip.csv:2:1", "this is no time"},
        {"0,1\n1,2\n1,3\n", "trials/rip.csv:3:1", "it goes back in time"},
        {"0,1\n2,2\n1.999,3\n", "trials/rip.csv:3:1", "it goes back in time"},
        {"0,1\n1,2,3\n", "trials/rip.csv:2:3", "there are more than two columns"},
        {"0,1\r\n1,361\r\n", "trials/rip.csv:2:1", "361 deg is out of range; write 0 to 360 deg"},
        {"0,1\n1,0.0001\n", "trials/rip.csv:2:3", "this is no value"},
    };
    expect_done(tanchor(test_folder, "import", "mooring-compass"));
    char *project = test_path("mooring-compass");
    expect_done(tanchor(project, "configure", "--compiler", "gcc"));
    write_text(below(project, "trials/rip.trial"),
               "trial \"fed\"\n  power on\n  feed heading from \"rip.csv\"\n"
               "  within 100 ms console says \"ready\"\n  press button A\n"
               "  press button A\n  within 1.5 s console says \"heading 90 deg\"\n"
               "  within 1.2 s console says \"heading 180 deg\"\n"
               "  power off\n  power on\n  wait 3 s\n  press button A\n  press button A\n"
               "  within 200 ms console says \"heading 180 deg\"\n");
    struct ran ran = tanchor(project, "verify", "fed");
    expect_refusal(ran, 1, "trials/rip.trial:3:21", "there is no file trials/rip.csv");
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); ++i) {
        write_text(below(project, "trials/rip.csv"), wrong[i].table);
        ran = tanchor(project, "verify", "fed");
        expect_refusal(ran, 1, wrong[i].place, wrong[i].what);
    }
    write_text(below(project, "trials/rip.csv"), "0,0\n1,90\n\n2,180"); /* and no end of its last line */
    expect_shown(tanchor(project, "verify", "fed"),
                 "1 of 1 passed"); /* where it ended it stays, until the trial's end */
    expect_shown(tanchor(project, "verify"), "6 of 6 passed");
    edit(below(project, "trials/rip.trial"), "feed heading from", "feed heading with");
    ran = tanchor(project, "verify", "fed");
    expect_refusal(ran, 1, "trials/rip.trial:3:", "from, and a file");
    edit(below(project, "trials/rip.trial"), "feed heading with", "feed depth from");
    ran = tanchor(project, "verify", "fed");
    expect_refusal(ran, 1, "trials/rip.trial:3:3", "dunlin has no sensor \"depth\"");
}
END_TEST

int main(void) {
    return run_suite(
        "cable", (const TTest *const[]){a_computer_takes_a_keyboard, a_computer_says_why_it_will_not_have_a_device,
                                        a_trial_leaves_switches_as_they_stood, a_cable_is_kept_in_snapshots,
                                        the_reset_logic_reads_the_boot_switch, profiles_tell_of_cables_that_are_none,
                                        trials_and_runs_move_switches, sensors_are_fed_from_a_table, NULL});
}
