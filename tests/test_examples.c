/* The bundled examples: each passes its trials by every compiler and however it optimises, and a program that is wrong is found out. */
#include "support.h"

static const char *const setups[][2] = {{"gcc", "size"},  {"gcc", "nothing"}, {"clang", "nothing"},
                                        {"gcc", "debug"}, {"clang", "debug"}, {"clang", "size"}};

/* What is changed in the example, and the trial that then fails. */
struct fault {
    const char *file, *from, *to, *fails;
};

static void whole_example(const char *name, const char *target, const char *passed, const struct fault *faults) {
    if (!g_file_test(test_path("%s", name), G_FILE_TEST_EXISTS))
        expect_done(tanchor(test_folder, "import", name));
    char *project = test_path("%s", name);
    bool brief = g_getenv("TANCHOR_TEST_BRIEF") != NULL;
    for (size_t i = 0; i < (brief ? 1 : G_N_ELEMENTS(setups)); ++i) {
        expect_done(
            tanchor(project, "configure", "--target", target, "--compiler", setups[i][0], "--optimise", setups[i][1]));
        struct ran ran = tanchor(project, "verify");
        ck_assert_msg(strstr(ran.out, passed) && !*ran.err, "%s %s: %s%s", setups[i][0], setups[i][1], ran.out,
                      ran.err);
    }
    for (const struct fault *fault = faults; !brief && fault->file; ++fault) {
        const char *sound = read_text(below(project, fault->file));
        edit(below(project, fault->file), fault->from, fault->to);
        struct ran ran = tanchor(project, "verify", fault->fails);
        ck_assert_int_eq(ran.code, 1);
        expect_row(ran, "fail", fault->fails);
        write_text(below(project, fault->file), sound);
    }
}

START_TEST(mooring_compass) {
    static const struct fault faults[] = {
        {"src/main.c", "ring_towards(-heading)", "ring_towards(heading)", "the needle points north"},
        {"src/main.c", "(-motion.acceleration[0]", "(motion.acceleration[0]", "the low side lights"},
        {"src/ring.c", "12 * right < 5 * ahead", "right < ahead", "the low side lights"},
        {"src/main.c", "ROLL_TICKS = 25", "ROLL_TICKS = 26", "the needle waits until it is asked for"},
        {"src/main.c", "(mode + 1)", "(mode + 2)", "button A comes round"},
        {0},
    };
    whole_example("mooring-compass", "dunlin", "5 of 5 passed", faults);
}
END_TEST

START_TEST(gauge_dial) {
    static const struct fault faults[] = {
        {"src/dial.c", "return FIRST + (LAST - FIRST) * level / range_cm;",
         "return FIRST + (LAST - FIRST) * level / 800;", "the needle shows the level"},
        {"src/dial.c", "NEEDLE), 5, pale);", "NEEDLE), 5, flood);", "the needle shows the level"},
        {"src/dial.c", "level_cm > range_cm ? range_cm : level_cm;", "level_cm > 2000 ? range_cm : level_cm;",
         "a flood stays at the end of the scale"},
        {"src/main.c", "touch.what == STRAND_PRESS", "touch.what != STRAND_NOTHING",
         "a finger that stays is one touch"},
        {"src/main.c", "MV_PER_CM = 4", "MV_PER_CM = 5", "a flood stays at the end of the scale"},
        {"src/main.c", "if (range != drawn_range)\n            dial_scale", "if (tick == 0)\n            dial_scale",
         "a touch changes the range"},
        {0},
    };
    whole_example("gauge-dial", "turnstone", "4 of 4 passed", faults);
}
END_TEST

START_TEST(log_keys) {
    static const struct fault faults[] = {
        {"src/log.c", "first = (first + 1) % LINES;", "first = (first + 2) % LINES;", "what waited is typed"},
        {"src/main.c", "!strand_keyboard_type(line))", "(strand_keyboard_type(line), 1))",
         "it stops when the cable is out"},
        {"src/main.c", "TICKS_A_NOTE = 100", "TICKS_A_NOTE = 120", "it stops when the cable is out"},
        {"src/main.c", "Looked at", "looked at", "the button's line has capitals and signs"},
        {"src/main.c", "strand_keyboard_open();", "(void)TICK_US;", "a computer with another layout"},
        {"src/main.c", "log-keys ready", "log-keys up", "nobody is there without a cable"},
        {0},
    };
    whole_example("log-keys", "turnstone", "5 of 5 passed", faults);
}
END_TEST

START_TEST(card_log) {
    static const struct fault faults[] = {
        {"src/log.c", "FIRST_BLOCK + block.entry.number % ENTRIES", "FIRST_BLOCK", "the log survives a power cut"},
        {"src/log.c", "block.entry.check != check_of() ||", "", "the log survives a power cut"},
        {"src/log.c", "        ++*number;", "        *number += 2;", "the log goes on after the power was off"},
        {"src/main.c", "if (status == STRAND_CARD_LOCKED)", "if (tick > 1000)", "a locked card is read"},
        {"src/main.c", "status == STRAND_CARD_NONE && tick", "tick == 0 && tick", "no card is no reason to stop"},
        {0},
    };
    whole_example("card-log", "eider", "4 of 4 passed", faults);
}
END_TEST

START_TEST(watch_board) {
    static const struct fault faults[] = {
        {"fabric.yaml", "count: 8", "count: 4", "the average steadies what the workers answer"},
        {"fabric.yaml", "rate: 10 Hz", "rate: 11 Hz", "the fabric's beat is ten a second"},
        {"workers/main.c", "mean + 0.5", "mean + 1.5", "the keeper checks what both workers answer"},
        {"keeper/main.c", "strand_hart_call(BOARD_WORKERS_HARTS_FIRST + worker);", "",
         "the keeper checks what both workers answer"},
        {"workers/main.c", "    work(0);\n", "", "the keeper checks what both workers answer"},
        {"keeper/main.c", "FABRIC_IDENTITY;", "{1};", "the fabric tells what it is"},
        {0},
    };
    whole_example("watch-board", "eider", "4 of 4 passed", faults);
}
END_TEST

START_TEST(widget_shelf) {
    static const struct fault faults[] = {
        {"src/main.c", "% GREETINGS]", "% 2]", "the greeting changes at each press"},
        {"src/main.c", "if (!shelf[LISTEN].value)", "if (0)", "it shows what comes by radio while it listens"},
        {"src/main.c", "places[shelf[PLACES].value]", "places[1]", "a place that is chosen is sent"},
        {"src/main.c", "x > 0 ? 1 : 3", "x > 0 ? 3 : 1", "the page turns with the handset"},
        {"src/main.c", "(y > 0 ? 0 : 2)", "0", "the page turns with the handset"},
        {"src/main.c", "(255 - DARKEST) / 100", "(255 - DARKEST) / 200", "the slider sets the light"},
        {"src/main.c", "charge <= LOW", "charge < 50", "it tells when the battery is low"},
        {"src/shelf.c", "HIGH = 28", "HIGH = 30", "a finger that leaves the button"},
        {0},
    };
    whole_example("widget-shelf", "curlew", "7 of 7 passed", faults);
}
END_TEST

/* No example, but the test program of the devices that a board has for the night. */
START_TEST(night_watch) {
    static const struct fault faults[] = {
        {"main.c", "case 'b': strand_watchdog_feed(); break;", "", "the watchdog bites"},
        {"main.c", "951782399", "951868799", "the calendar goes on"},
        {0},
    };
    shell("cp -r " FIXTURES "/night-watch .");
    whole_example("night-watch", "eider", "5 of 5 passed", faults);
}
END_TEST

int main(void) {
    return run_suite("examples", (const TTest *const[]){mooring_compass, gauge_dial, log_keys, card_log, watch_board,
                                                        widget_shelf, night_watch, NULL});
}
