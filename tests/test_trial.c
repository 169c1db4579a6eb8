/* The trial language, and the port's layer: trials run against a port that is a list of events, with no machine behind.
 */
#include "support.h"

#include "host/patterns.h"

#include <string.h>

/* A port that plays a score. Inputs set on it are remembered; nothing else is simulated. */
struct played {
    const struct ta_event *score;
    size_t count, next;
    uint64_t now_ns;
    bool on, button;
    unsigned presses, powered_on;
};

static enum ta_status play_describe(void *self, const struct ta_profile **profile, struct ta_problem *why) {
    (void)self;
    (void)why;
    *profile = dunlin();
    return TA_OK;
}

static enum ta_status play_power(void *self, bool on, struct ta_problem *why) {
    struct played *played = self;
    (void)why;
    played->on = on;
    played->next = 0;
    played->now_ns = 0;
    played->powered_on += on;
    return TA_OK;
}

static enum ta_status play_go(void *self, struct ta_problem *why) {
    (void)self;
    (void)why;
    return TA_OK;
}

static enum ta_status play_wait(void *self, uint64_t until_ns, struct ta_event *event, struct ta_problem *why) {
    struct played *played = self;
    (void)why;
    if (played->next < played->count && played->score[played->next].time_ns <= until_ns)
        *event = played->score[played->next++];
    else
        *event = (struct ta_event){.kind = TA_EVENT_TIME, .time_ns = until_ns};
    played->now_ns = event->time_ns;
    return TA_OK;
}

static enum ta_status play_input(void *self, const char *name, uint64_t value, struct ta_problem *why) {
    struct played *played = self;
    (void)why;
    ck_assert_str_eq(name, "button A");
    played->presses += value && !played->button;
    played->button = value;
    return TA_OK;
}

static enum ta_status play_output(void *self, const char *name, uint64_t *value, struct ta_problem *why) {
    (void)self;
    (void)name;
    (void)why;
    *value = 0;
    return TA_OK;
}

static struct ta_port play(struct played *played) {
    return (struct ta_port){.version = TA_PORT_VERSION,
                            .capabilities = TA_CAN_POWER | TA_CAN_INPUT | TA_CAN_OUTPUT | TA_CAN_TIME,
                            .self = played,
                            .describe = play_describe,
                            .power = play_power,
                            .reset = play_go,
                            .resume = play_go,
                            .halt = play_go,
                            .wait = play_wait,
                            .set_input = play_input,
                            .read_output = play_output};
}

#define MS(ms) (UINT64_C(1000000) * (ms))
#define SAYS(ms, text)                                                                                                 \
    { .kind = TA_EVENT_CONSOLE, .time_ns = MS(ms), .bytes = text, .length = sizeof text - 1 }
#define SHOWS(ms, level)                                                                                               \
    { .kind = TA_EVENT_OUTPUT, .time_ns = MS(ms), .name = "lamps", .value = level, .width = 8 }

static const struct ta_event score[] = {
    SAYS(10, "tide-"),    SAYS(20, "lamp ready\n"), SHOWS(100, 1), SHOWS(200, 3), SHOWS(300, 7),
    SAYS(310, "mode ma"), SAYS(320, "rk\r\n"),      SHOWS(400, 3), SHOWS(550, 1), SAYS(600, "unfinished"),
};

/* Freed when the test ends. */
static GPtrArray *recordings;

static void free_recording(gpointer recording) {
    ta_recording_free(recording);
}

static struct ta_recording *kept_recording(struct ta_recording *recording) {
    if (!recordings)
        recordings = g_ptr_array_new_with_free_func(free_recording);
    g_ptr_array_add(recordings, recording);
    return recording;
}

/* Parses statements (one trial's body) and runs them on the score. */
static struct ta_recording *run_body(const char *body, struct played *played) {
    g_autofree char *text = g_strdup_printf("trial \"t\"\n%s", body);
    struct ta_trials *trials;
    struct ta_problem why = {0};
    struct ta_recording *verdict;
    struct ta_port port = play(played);
    ck_assert_msg(!ta_trials_parse(text, strlen(text), "t.trial", &host_patterns, NULL, &trials, &why), "%s: %s",
                  why.what, why.fix);
    ck_assert_msg(!ta_trial_check(trials, 0, dunlin(), &why), "%s", why.what);
    ck_assert_msg(!ta_trial_run(trials, 0, &port, NULL, NULL, &verdict, &why), "%s", why.what);
    ta_trials_free(trials); /* a recording outlives its trials */
    ck_assert(!played->on);
    return kept_recording(verdict);
}

#define ON_SCORE                                                                                                       \
    { .score = score, .count = G_N_ELEMENTS(score) }

START_TEST(expectations_that_hold) {
    static const char *const bodies[] = {
        "power on\nwithin 500 ms console says \"tide-lamp ready\"\n",
        "power on\nwithin 1 s lamps show 00000000\n",
        "power on\nwithin 1 s lamps show 00000111 # high\n",
        "power on\nwithin 1s lamps show 00000001, 00000011, 00000111 in order\n",
        "power on\nwithin 1 s lamps show 00000001,00000011,00000111 in order every 100 ms\n",
        "power on\nwithin 1 s lamps show 00000111, 00000011, 00000001 in order every 125 ms give or take 25 ms\n",
        "power on\nwithin 1 s console matches \"mode (\\w+)$\"\n",
        "power on\nwithin 1 s console matches \"^unfin\"\n",
        "power on\nwait 350 ms\nwithin 10 ms lamps show 00000111\nno trap\n",
        "power on\nwithin 1 s lamps show 00000011, 00000001 in order\nwithin 1 s console says \"finished\"\n",
        "hold button A\npower on\nrelease button A\nwithin 20 ms console says \"tide\"\n",
        "power on\nwithin 1 s lamps show 001\nwithin 1 s lamps show 011, 111, 011 in order every 100 ms\n",
        "power on\nwithin 1 s lamps show 00, 01, 11, 01 in order\nno trap\n", /* the first two lamps alone */
        "power on\nwithin 1 s lamps show 0, 1 in order every 100 ms\nno trap\n",
        "power on\nwithin 1 s console says \"tide\"\npower off\npower on\nwithin 1 s console says \"tide\"\n",
    };
    for (size_t i = 0; i < G_N_ELEMENTS(bodies); ++i) {
        struct played played = ON_SCORE;
        struct ta_recording *verdict = run_body(bodies[i], &played);
        ck_assert_msg(verdict->passed && !verdict->failed, "%s failed: %s", bodies[i],
                      verdict->failed ? verdict->failed->seen : "");
        ck_assert_uint_gt(verdict->expectations, 0);
        for (size_t k = 0; k < verdict->result_count; ++k)
            ck_assert(verdict->results[k].outcome == TA_OUTCOME_DONE || verdict->results[k].outcome == TA_OUTCOME_HELD);
    }
}
END_TEST

START_TEST(expectations_that_fail_say_what_was_seen) {
    static const struct {
        const char *body, *seen;
        unsigned line;
        uint64_t time_ns;
    } cases[] = {
        {"power on\nwithin 15 ms console says \"ready\"\n", "\"tide-\" (last line, 0.010 s)", 3, MS(15)},
        {"power on\nwithin 5 ms console says \"ready\"\n", "nothing on the console", 3, MS(5)},
        {"power on\nwithin 1 s console says \"ready\"\nwithin 1 s console says \"ready\"\n", "\"unfinished\"", 4,
         MS(1020)},
        {"power on\nwithin 1 s lamps show 00000001, 00000111 in order\n", "00000001 at 0.100 s, 00000011 0.100 s later",
         3, MS(1000)},
        {"power on\nwithin 1 s lamps show 00000111, 00000011, 00000001 in order every 100 ms give or take 10 ms\n",
         "00000111 at 0.300 s, 00000011 0.100 s later, 00000001 0.150 s later", 3, MS(1000)},
        {"power on\nwithin 1 s console matches \"^mode \\d\"\n", "\"unfinished\"", 3, MS(1000)},
        {"power on\nwait 450 ms\nwithin 10 ms lamps show 00000111\n", "00000011 at 0.400 s", 4, MS(460)},
        {"power on\nwithin 1 s console says \"tide-lamp\"\nwithin 1 s console says \"tide\"\n",
         "it was there earlier, but line 3 used it up", 4, MS(1020)},
        {"power on\nwithin 1 s console matches \"ready$\"\nwithin 1 s console matches \"^tide\"\n",
         "it was there earlier, but line 3 used it up", 4, MS(1020)},
        {"power on\nwait 300 ms\nwithin 1 s console says \"ready\"\n", "it was there earlier, before line 3", 4,
         MS(1300)},
        {"power on\nwait 450 ms\nwithin 10 ms lamps show 00000111\n",
         "00000011 at 0.400 s; 00000111 was there at 0.300 s, before this line began to look", 4, MS(460)},
        {"power on\nwithin 1 s lamps show 001, 011 in order\nwait 1 ms\nwithin 10 ms lamps show 001, 011 in order\n",
         "011 was there at 0.200 s, before this line", 5, MS(211)},
        {"power on\npress button A for 100 ms\nwithin 1 ms lamps show 00001111\n", "00000001 at 0.100 s", 4, MS(101)},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct played played = ON_SCORE;
        struct ta_recording *verdict = run_body(cases[i].body, &played);
        ck_assert_msg(!verdict->passed, "%s passed", cases[i].body);
        ck_assert_msg(strstr(verdict->failed->seen, cases[i].seen) != NULL, "%s: seen %s", cases[i].body,
                      verdict->failed->seen);
        ck_assert_uint_eq(verdict->failed->line, cases[i].line);
        ck_assert_uint_eq(verdict->time_ns, cases[i].time_ns);
        ck_assert_str_eq(verdict->file, "t.trial");
    }
}
END_TEST

/* A backspace takes a letter away, however many bytes it has, and nothing when there is none. */
START_TEST(what_was_typed_is_a_document) {
#define TYPES(ms, text)                                                                                                \
    { .kind = TA_EVENT_TYPED, .time_ns = MS(ms), .name = "usb", .bytes = text, .length = sizeof text - 1 }
    static const struct ta_event typed[] = {TYPES(10, "\b"), TYPES(20, "se\xc3\xa4"), TYPES(30, "\b\b"),
                                            TYPES(40, "al")};
    struct played played = {.score = typed, .count = G_N_ELEMENTS(typed)};
    ck_assert(run_body("power on\nwithin 25 ms document says \"\xc3\xa4\"\nwithin 1 s document says \"al\"\n", &played)
                  ->passed);
    struct ta_recording *verdict = run_body("power on\nwithin 1 s document says \"seal\"\n", &played);
    ck_assert(!verdict->passed);
    ck_assert_ptr_nonnull(strstr(verdict->failed->seen, "\"sal\" (last line of the document)"));
}
END_TEST

START_TEST(a_failure_shows_the_last_things_that_happened) {
    struct played played = ON_SCORE;
    struct ta_recording *verdict = run_body("power on\nwithin 450 ms console says \"never\"\n", &played);
    static const char *const last[] = {"lamps 00000011", "lamps 00000111", "console \"mode mark\r\"", "lamps 00000011"};
    char text[64];
    ck_assert_str_eq(verdict->failed->source, "within 450 ms console says \"never\"");
    ck_assert_uint_eq(verdict->failed->moments, verdict->moment_count);
    for (size_t i = 0; i < 4; ++i)
        ck_assert_str_eq(ta_moment_text(&verdict->moments[verdict->moment_count - 4 + i], text, sizeof text), last[i]);
    ck_assert_uint_eq(verdict->moments[verdict->moment_count - 1].time_ns, MS(400));
    ck_assert_str_eq(verdict->artefacts[0].name, "console");
    ck_assert_str_eq((const char *)verdict->artefacts[0].bytes, "tide-lamp ready\nmode mark\r\n");
}
END_TEST

START_TEST(traps_and_stops_end_a_trial_at_once) {
    static const struct ta_event wild[] = {
        SHOWS(100, 1),
        {.kind = TA_EVENT_TRAP, .time_ns = MS(120), .cause = 5, .pc = 0x400100, .value = 0x10},
        {.kind = TA_EVENT_STOP, .time_ns = MS(120), .stop = TA_STOP_WILD, .pc = 0x400100},
    };
    static const struct ta_event ended[] = {
        {.kind = TA_EVENT_STOP, .time_ns = MS(50), .stop = TA_STOP_ENDED, .code = 3}};
    struct played played = {.score = wild, .count = 3};
    struct ta_recording *verdict = run_body("power on\nwithin 5 s lamps show 00000011\n", &played);
    ck_assert(!verdict->passed && verdict->trapped);
    ck_assert_uint_eq(verdict->trap_pc, 0x400100);
    ck_assert_uint_eq(verdict->time_ns, MS(120));
    ck_assert_str_eq(verdict->failed->seen, "trap: load access fault at 0x400100, value 0x10 (0.120 s)");
    played = (struct played){.score = wild, .count = 2};
    ck_assert(!run_body("power on\nwait 1 s\nno trap\n", &played)->passed);
    static const struct ta_event twice[] = {
        {.kind = TA_EVENT_TRAP, .time_ns = MS(120), .cause = 5, .pc = 0x400100, .value = 0x10},
        {.kind = TA_EVENT_TRAP, .time_ns = MS(130), .cause = 2, .pc = 0x400200, .value = 0x77}};
    played = (struct played){.score = twice, .count = 2};
    ck_assert_uint_eq(run_body("power on\nwait 1 s\nno trap\n", &played)->trap_pc, 0x400100); /* the first */
    played = (struct played){.score = ended, .count = 1};
    ck_assert(run_body("power on\nwithin 1 s program ends with 3\n", &played)->passed);
    played = (struct played){.score = ended, .count = 1};
    verdict = run_body("power on\nwithin 1 s program ends with 0\n", &played);
    ck_assert_str_eq(verdict->failed->seen, "the target ended by itself with exit code 3 at 0.050 s");
}
END_TEST

/* What came too early does not do, nor does what an expectation before used up. */
START_TEST(what_came_too_early_does_not_do) {
    static const char *const bodies[] = {
        "power on\nwithin 1 s lamps show 00000001, 00000011 in order every 200 ms give or take 50 ms\n",
        "power on\nwithin 1 s lamps show 00000001, 00000011 in order every 50 ms give or take 10 ms\n",
        "power on\nwithin 1 s lamps show 00000001, 00000011 in order\nwithin 10 ms lamps show 00000001\n",
        "power on\nwithin 1 s console matches \"mode ma$\"\n", /* which is not all of its line */
    };
    for (size_t i = 0; i < G_N_ELEMENTS(bodies); ++i) {
        struct played played = ON_SCORE;
        ck_assert_msg(!run_body(bodies[i], &played)->passed, "%s", bodies[i]);
    }
}
END_TEST

START_TEST(what_was_pressed_is_let_go) {
    struct played played = ON_SCORE;
    run_body("hold button A\npower on\npress button A for 10 ms\npress button A\nwithin 1 ms lamps show 11111111\n",
             &played);
    ck_assert_uint_eq(played.presses, 2); /* held already the first time */
    ck_assert(!played.button);
}
END_TEST

START_TEST(a_port_that_cannot_says_so) {
    static const char text[] = "trial \"t\"\npower on\ntype \"x\"\nno trap\n";
    struct played played = ON_SCORE;
    struct ta_port port = play(&played);
    struct ta_trials *trials;
    struct ta_problem why;
    struct ta_recording *verdict;
    ck_assert_int_eq(ta_trials_parse(text, sizeof text - 1, "t", NULL, NULL, &trials, &why), TA_OK);
    ck_assert_int_eq(ta_trial_run(trials, 0, &port, NULL, NULL, &verdict, &why), TA_E_UNSUPPORTED);
    ck_assert_str_eq(why.what, "the port to this target cannot write to its console");
    ck_assert_uint_eq(played.powered_on, 0);
    port.version = 99;
    ck_assert_int_eq(ta_port_needs(&port, 0, &why), TA_E_UNSUPPORTED);
    ta_trials_free(trials);
}
END_TEST

static bool always(void *with) {
    (void)with;
    return true;
}

START_TEST(a_cancelled_trial_leaves_the_target_off) {
    static const char text[] = "trial \"t\"\npower on\nwait 1 min\nno trap\n";
    struct played played = ON_SCORE;
    struct ta_port port = play(&played);
    struct ta_trials *trials;
    struct ta_problem why;
    struct ta_recording *verdict;
    ck_assert_int_eq(ta_trials_parse(text, sizeof text - 1, "t", NULL, NULL, &trials, &why), TA_OK);
    ck_assert_int_eq(ta_trial_run(trials, 0, &port, always, NULL, &verdict, &why), TA_E_INTERRUPTED);
    ck_assert(!played.on && played.powered_on == 1);
    ta_trials_free(trials);
}
END_TEST

/* Text, line, column, what was found, what is allowed. */
START_TEST(syntax_errors_name_the_place_and_what_is_allowed) {
    static const struct {
        const char *text;
        unsigned line, column;
        const char *found, *allowed;
    } cases[] = {
        {"wait 1 s\n", 1, 1, "wait", "trial \"its name\""},
        {"# lamps\n\n  trial tide\n", 3, 9, "tide", "a text in quotes"},
        {"trial \"\"\n", 1, 7, "", "a name that is not empty"},
        {"trial \"a\"\npower on\nno trap\ntrial \"a\"\n", 4, 7, "a", "two trials of one file"},
        {"trial \"a\"\n  powr on\n", 2, 3, "powr", "power, cut, reset, press"},
        {"trial \"a\"\n  power up\n", 2, 9, "up", "on, off"},
        {"trial \"a\"\n  wait 1 s\n", 2, 3, "wait", "write first: power on"},
        {"trial \"a\"\npower on\npower off\nno trap\n", 4, 1, "no", "power on"},
        {"trial \"a\"\npower on\nwait soon\n", 3, 6, "soon", "a time"},
        {"trial \"a\"\npower on\nwait 5\n", 3, 6, "5", "a time"},
        {"trial \"a\"\npower on\nwait 90000 s\n", 3, 6, "90000", "a time"},
        {"trial \"a\"\npower on\nwait 5 s now\n", 3, 10, "now", "the end of the line"},
        {"trial \"a\"\npower on\npress\n", 3, 6, NULL, "the name of an input"},
        {"trial \"a\"\npower on\npress button A for\n", 3, 19, NULL, "a time"},
        {"trial \"a\"\npower on\nwithin 1 s console shouts \"x\"\n", 3, 20, "shouts", "says, matches"},
        {"trial \"a\"\npower on\nwithin 1 s console says \"x\n", 3, 25, NULL, "closing \""},
        {"trial \"a\"\npower on\nwithin 1 s console says \"a\\qb\"\n", 3, 27, "\\q", "after a backslash"},
        {"trial \"a\"\npower on\nwithin 1 s console says \"\"\n", 3, 25, "", "not empty"},
        {"trial \"a\"\npower on\nwithin 1 s lamps show 0012\n", 3, 23, "0012", "0 and 1"},
        {"trial \"a\"\npower on\nwithin 1 s lamps show 001, 01 in order\n", 3, 28, "01", "as long as the first"},
        {"trial \"a\"\npower on\nwithin 1 s lamps show 001, 011\n", 3, 31, NULL, "in order"},
        {"trial \"a\"\npower on\nwithin 1 s lamps show 001, 011 in order every 5 s give 1\n", 3, 56, "1", "or take"},
        {"trial \"a\"\npower on\nwithin 1 s lamps\n", 3, 17, NULL, "show"},
        {"trial \"a\"\npower on\nwithin 1 s program ends with 300\n", 3, 30, "300", "0 to 255"},
        {"trial \"a\"\npower on\nturn device up\n", 3, 13, "up", "left or right"},
        {"trial \"a\"\npower on\nturn left\n", 3, 6, "left", "device"},
        {"trial \"a\"\nmessage \"a\" arrives\n", 2, 1, "message", "write first: power on"},
        {"trial \"a\"\npower on\nmessage tide arrives\n", 3, 9, "tide", "1 to 160 bytes"},
        {"trial \"a\"\npower on\nmessage \"\" arrives\n", 3, 9, "", "1 to 160 bytes"},
        {"trial \"a\"\npower on\nmessage \"a\" is sent\n", 3, 13, "is", "arrives"},
        {"trial \"a\"\npower on\nwithin 1 s message \"a\" is here\n", 3, 27, "here", "sent"},
        {"trial \"a\"\npower on\nscreen shows text tide\n", 3, 19, "tide", "a text in quotes"},
        {"trial \"a\"\npower on\nno tarp\n", 3, 4, "tarp", "trap"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_trials *trials;
        struct ta_problem why = {0};
        enum ta_status status =
            ta_trials_parse(cases[i].text, strlen(cases[i].text), "t.trial", &host_patterns, NULL, &trials, &why);
        g_autofree char *found = cases[i].found ? g_strdup_printf("\"%s\" is not allowed here", cases[i].found)
                                                : g_strdup("the line ends too early");
        ck_assert_msg(status == TA_E_SYNTAX, "%s", cases[i].text);
        ck_assert_msg(why.line == cases[i].line && why.column == cases[i].column, "%s at %u:%u", cases[i].text,
                      why.line, why.column);
        ck_assert_str_eq(why.what, found);
        ck_assert_msg(strstr(why.fix, cases[i].allowed) != NULL, "%s: %s", cases[i].text, why.fix);
        ck_assert_ptr_null(trials);
    }
}
END_TEST

START_TEST(patterns_that_are_none_are_refused) {
    static const char text[] = "trial \"a\"\npower on\nwithin 1 s console matches \"mode (\"\n";
    struct ta_trials *trials;
    struct ta_problem why;
    ck_assert_int_eq(ta_trials_parse(text, sizeof text - 1, "t.trial", &host_patterns, NULL, &trials, &why),
                     TA_E_SYNTAX);
    ck_assert_uint_eq(why.line, 3);
    ck_assert_ptr_nonnull(strstr(why.what, "\"mode (\" is not a pattern"));
    ck_assert_int_eq(ta_trials_parse("\xff", 1, "t.trial", NULL, NULL, &trials, &why), TA_E_SYNTAX);
}
END_TEST

/* What could not fail is no trial. */
START_TEST(trials_that_say_nothing_are_refused) {
    static const struct {
        const char *text, *what;
        unsigned line;
    } cases[] = {
        {"", "the file holds no trial", 0},
        {"# to be written\n\n", "the file holds no trial", 0},
        {"trial \"a\"\n", "the trial \"a\" expects nothing", 1},
        {"\ntrial \"a\"\n  power on\n  wait 1 s\n", "the trial \"a\" expects nothing", 2},
        {"trial \"a\"\npower on\ntrial \"b\"\npower on\nno trap\n", "the trial \"a\" expects nothing", 1},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_trials *trials;
        struct ta_problem why = {0};
        ck_assert_int_eq(
            ta_trials_parse(cases[i].text, strlen(cases[i].text), "t.trial", &host_patterns, NULL, &trials, &why),
            TA_E_SYNTAX);
        ck_assert_str_eq(why.what, cases[i].what);
        ck_assert_uint_eq(why.line, cases[i].line);
        ck_assert_str_eq(why.file, "t.trial");
        ck_assert_ptr_null(trials);
    }
}
END_TEST

START_TEST(names_are_checked_against_the_board) {
    static const struct {
        const char *line, *what, *fix;
    } cases[] = {
        {"press button B", "dunlin has no input \"button B\"", "button A"},
        {"within 1 s dial show 0000", "dunlin has no output \"dial\"", "lamps"},
        {"within 1 s lamps show 000000000", "lamps has 8 lamps, the row has 9", "a 0 or 1 for each lamp"},
        {"press lamps", "dunlin has no input \"lamps\"", "button A"},
        {"set depth to 3 m", "dunlin has no sensor \"depth\"", "it has: heading, acceleration x"},
        {"set button A to 1", "dunlin has no sensor \"button A\"", "it has: heading"},
        {"set heading to 90 m", "\"90 m\" is no value in deg", "write 0 to 360 deg"},
        {"set heading to 361 deg", "361 deg is out of the range of heading", "write 0 to 360 deg"},
        {"set acceleration x to -9 g", "-9 g is out of the range of acceleration x", "write -8 to 8 g"},
        {"message \"a\" arrives", "dunlin has no radio", "another target"},
        {"within 1 s message \"a\" is sent", "dunlin has no radio", "another target"},
        {"screen shows text \"a\"", "dunlin has no screen \"screen\"", "another target"},
        {"set heading to 1.2345 deg", "\"1.2345 deg\" is no value in deg", "write 0 to 360 deg"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        g_autofree char *text = g_strdup_printf("trial \"a\"\npower on\n%s\nno trap\n", cases[i].line);
        struct ta_trials *trials;
        struct ta_problem why;
        ck_assert_int_eq(ta_trials_parse(text, strlen(text), "t.trial", NULL, NULL, &trials, &why), TA_OK);
        ck_assert_int_eq(ta_trial_check(trials, 0, dunlin(), &why), TA_E_INPUT);
        ck_assert_str_eq(why.what, cases[i].what);
        ck_assert_ptr_nonnull(strstr(why.fix, cases[i].fix));
        ck_assert_uint_eq(why.line, 3);
        ta_trials_free(trials);
    }
}
END_TEST

/* A sensor's value has the unit of what it senses, whatever its name is. */
START_TEST(a_sensor_is_told_in_its_own_unit) {
    static const char text[] = "trial \"a\"\npower on\nset heading to -5.5 deg/s\nwithin 1 ms console says \"x\"\n";
    struct ta_profile board = *dunlin();
    struct ta_connector *connectors = g_memdup2(board.connectors, board.connector_count * sizeof *connectors);
    struct ta_trials *trials;
    struct ta_recording *recording;
    struct ta_problem why;
    struct ta_port port;
    char told[80] = "";
    board.connectors = connectors;
    for (size_t i = 0; i < board.connector_count; ++i)
        if (!strcmp(connectors[i].name, "heading"))
            connectors[i] = (struct ta_connector){
                .name = "heading", .kind = TA_CONNECTOR_SENSOR, .device = "motion0", .quantity = "rotation x"};
        else if (!strcmp(connectors[i].name, "rotation x"))
            connectors[i].name = "roll";
    ck_assert_int_eq(ta_port_simulate(&board, &port, &why), TA_OK);
    ck_assert_int_eq(ta_trials_parse(text, strlen(text), "t.trial", NULL, NULL, &trials, &why), TA_OK);
    ck_assert_int_eq(ta_trial_run(trials, 0, &port, NULL, NULL, &recording, &why), TA_OK);
    for (size_t i = 0; i < recording->moment_count; ++i)
        if (recording->moments[i].kind == TA_EVENT_INPUT)
            ta_moment_text(&recording->moments[i], told, sizeof told);
    ck_assert_str_eq(told, "heading -5.5 deg/s");
    ta_recording_free(recording);
    ta_trials_free(trials);
    port.close(port.self);
    g_free(connectors);
}
END_TEST

/* Any bytes give trials or a problem with a place; under the sanitizers, nothing else. */
START_TEST(damaged_trials_never_crash_the_parser) {
    static const char good[] = "trial \"lamp\"\n  power on\n  within 500 ms console matches \"mode (\\w+)\"\n"
                               "  within 5 s lamps show 00000001, 00000011 in order every 500 ms give or take 1 ms\n"
                               "  press button A for 50 ms # once\n  type \"a\\n\"\n  no trap\n";
    GRand *random = g_rand_new_with_seed(7);
    for (int round = 0; round < 20000; ++round) {
        char text[sizeof good];
        size_t length = (size_t)g_rand_int_range(random, 0, sizeof good);
        struct ta_trials *trials;
        struct ta_problem why = {0};
        memcpy(text, good, sizeof good);
        for (int i = g_rand_int_range(random, 0, 4); i > 0; --i)
            text[g_rand_int_range(random, 0, sizeof good - 1)] = (char)g_rand_int_range(random, 0, 256);
        g_autofree char *exact = g_memdup2(text, length); /* so that reading past the end is seen */
        if (ta_trials_parse(exact ? exact : "", length, "t", &host_patterns, NULL, &trials, &why))
            ck_assert(*why.what);
        ta_trials_free(trials);
    }
    g_rand_free(random);
}
END_TEST

/* A flood is looked through once: what was in vain is not tried again at each event. */
START_TEST(floods_are_searched_once) {
    enum { EVENTS = 200000 };
    static const char *const bodies[] = {"power on\nwithin 10 min console says \"never there\"\n",
                                         "power on\nwithin 10 min console matches \"never\"\n",
                                         "power on\nwithin 10 min lamps show 00000001, 00000011, 00000111 in order\n"};
    struct ta_event *flood = g_new0(struct ta_event, EVENTS);
    for (size_t i = 0; i < EVENTS; ++i)
        flood[i] = i % 2 ? (struct ta_event)SHOWS(i, i & 2 ? 1 : 3) : (struct ta_event)SAYS(i, "neve");
    for (size_t i = 0; i < G_N_ELEMENTS(bodies); ++i) {
        struct played played = {.score = flood, .count = EVENTS};
        gint64 start_us = g_get_monotonic_time();
        ck_assert(!run_body(bodies[i], &played)->passed);
        ck_assert_int_lt(g_get_monotonic_time() - start_us, 20 * G_TIME_SPAN_SECOND); /* by the square: minutes */
    }
    g_free(flood);
}
END_TEST

int main(void) {
    return run_suite("trial",
                     (const TTest *const[]){
                         expectations_that_hold, expectations_that_fail_say_what_was_seen, what_was_typed_is_a_document,
                         a_failure_shows_the_last_things_that_happened, traps_and_stops_end_a_trial_at_once,
                         what_was_pressed_is_let_go, what_came_too_early_does_not_do, a_port_that_cannot_says_so,
                         a_cancelled_trial_leaves_the_target_off, syntax_errors_name_the_place_and_what_is_allowed,
                         patterns_that_are_none_are_refused, trials_that_say_nothing_are_refused,
                         names_are_checked_against_the_board, a_sensor_is_told_in_its_own_unit,
                         damaged_trials_never_crash_the_parser, floods_are_searched_once, NULL});
}
