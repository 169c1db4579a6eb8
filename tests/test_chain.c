/* The chain through the public header, with the real compilers: what a build does again and what not, what reaches the
   target, that equal inputs give equal images and equal runs. */
#include "support.h"

#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <utime.h>

static struct ta_context *context;
static struct ta_problem why;

/* Runs a step that must succeed and gives the report, freed by the caller. */
static struct ta_report *expect_ok(enum ta_status status, struct ta_report *report) {
    ck_assert_msg(status == TA_OK, "%s: %s; %s", ta_status_text(status), why.what, why.fix);
    return report;
}

static void open_context(void) {
    memset(&why, 0, sizeof why);
    ck_assert_int_eq(ta_context_new(&context, &why), TA_OK);
}

static char *import_and_configure(const char *name, const char *compiler) {
    char *project = test_path("%s", name);
    struct ta_report *report = ta_report_new();
    expect_ok(ta_import(context,
                        &(struct ta_import){sizeof(struct ta_import), .source = "tide-lamp", .destination = project},
                        report, &why),
              report);
    expect_ok(ta_configure(context, project, &(struct ta_choices){sizeof(struct ta_choices), .compiler = compiler},
                           report, &why),
              report);
    ta_report_free(report);
    return project;
}

static struct ta_report *build(const char *project) {
    struct ta_report *report = ta_report_new();
    const struct ta_build build = {sizeof build, .without_cache = true};
    return expect_ok(ta_build(context, project, &build, report, &why), report);
}

static int64_t compiled(const char *project) {
    struct ta_report *report = build(project);
    int64_t count = ta_report_fact(report, "compiled")->number;
    ta_report_free(report);
    return count;
}

static char *identity_of(const char *project) {
    struct ta_report *report = build(project);
    char *identity = g_strdup(ta_report_fact(report, "identity")->text);
    ta_report_free(report);
    return identity;
}

START_TEST(a_build_does_again_only_what_changed) {
    open_context();
    char *project = import_and_configure("p", NULL);
    ck_assert_int_eq(compiled(project), 9);
    ck_assert_int_eq(compiled(project), 0);
    g_autofree char *source = g_build_filename(project, "src/tide.c", NULL);
    g_autofree char *header = g_build_filename(project, "src/tide.h", NULL);
    g_autofree char *first = identity_of(project);
    utime(source, &(struct utimbuf){1000000000, 1000000000});
    ck_assert_int_eq(compiled(project), 0); /* touched, the same bytes */
    edit(source, "uint32_t phase", "uint32_t  phase");
    ck_assert_int_eq(compiled(project), 1);
    g_autofree char *second = identity_of(project);
    ck_assert_str_ne(first, second);
    edit(source, "uint32_t  phase", "uint32_t phase");
    ck_assert_int_eq(compiled(project), 1);
    g_autofree char *third = identity_of(project);
    ck_assert_str_eq(first, third);
    edit(header, "TIDE_STEP_CM = 40", "TIDE_STEP_CM = 50");
    ck_assert_int_eq(compiled(project), 3); /* all that include it */
    g_autofree char *object =
        g_build_filename(project, "out/dunlin-gcc/obj/strand-2.1.0-gcc-12.2.0-size/src/main.c.o", NULL);
    write_text(object, "damaged");
    ck_assert_int_eq(compiled(project), 1);
    g_autofree char *elf = g_build_filename(project, "out/dunlin-gcc/tide-lamp.elf", NULL);
    ck_assert_int_eq(g_remove(elf), 0);
    ck_assert_int_eq(compiled(project), 0);
    ck_assert(g_file_test(elf, G_FILE_TEST_EXISTS));
    ta_context_free(context);
}
END_TEST

START_TEST(a_hand_edited_generated_file_is_found) {
    open_context();
    char *project = import_and_configure("p", NULL);
    g_autofree char *header = g_build_filename(project, "out/dunlin-gcc/generated/board.h", NULL);
    ck_assert_int_eq(compiled(project), 9);
    edit(header, "BOARD_LAMPS_COUNT 8u", "BOARD_LAMPS_COUNT 4u");
    struct ta_report *report = ta_report_new();
    ck_assert_int_eq(ta_build(context, project, NULL, report, &why), TA_E_NO);
    ck_assert_uint_eq(ta_report_count(report, TA_LEVEL_PROBLEM), 1);
    ck_assert_str_eq(ta_report_finding(report, 1)->message, "-#define BOARD_LAMPS_COUNT 8u");
    ck_assert_str_eq(ta_report_finding(report, 2)->message, "+#define BOARD_LAMPS_COUNT 4u");
    ck_assert_ptr_nonnull(strstr(read_text(header), "BOARD_LAMPS_COUNT 4u")); /* untouched so far */
    ck_assert_int_eq(ta_build(context, project,
                              &(struct ta_build){sizeof(struct ta_build), .edits = TA_EDITS_KEPT_ASIDE}, report, &why),
                     TA_OK);
    g_autofree char *aside = g_strconcat(header, ".edited", NULL);
    ck_assert_ptr_nonnull(strstr(read_text(aside), "BOARD_LAMPS_COUNT 4u"));
    ck_assert_ptr_nonnull(strstr(read_text(header), "BOARD_LAMPS_COUNT 8u"));
    edit(header, "BOARD_LAMPS_COUNT 8u", "BOARD_LAMPS_COUNT 2u");
    ck_assert_int_eq(
        ta_build(context, project, &(struct ta_build){sizeof(struct ta_build), .edits = TA_EDITS_LOST}, report, &why),
        TA_OK);
    ck_assert_ptr_nonnull(strstr(read_text(header), "BOARD_LAMPS_COUNT 8u"));
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

START_TEST(equal_inputs_give_equal_images_wherever_they_are) {
    static const char *const compilers[] = {"gcc", "clang"};
    open_context();
    for (size_t i = 0; i < G_N_ELEMENTS(compilers); ++i) {
        char *one = import_and_configure(i ? "clang/one" : "gcc/one", compilers[i]);
        char *two = import_and_configure(i ? "clang/deeper/two" : "gcc/deeper/two", compilers[i]);
        g_autofree char *first = identity_of(one), *second = identity_of(two);
        g_autofree char *binary = g_strdup_printf("out/dunlin-%s/tide-lamp.bin", compilers[i]);
        g_autofree char *one_path = g_build_filename(one, binary, NULL),
                        *two_path = g_build_filename(two, binary, NULL);
        g_autofree char *one_bytes = NULL, *two_bytes = NULL;
        gsize one_size, two_size;
        ck_assert_str_eq(first, second);
        ck_assert(g_file_get_contents(one_path, &one_bytes, &one_size, NULL));
        ck_assert(g_file_get_contents(two_path, &two_bytes, &two_size, NULL));
        ck_assert_uint_eq(one_size, two_size);
        ck_assert_mem_eq(one_bytes, two_bytes, one_size);
    }
    ta_context_free(context);
}
END_TEST

START_TEST(the_image_carries_its_identity_and_its_sizes) {
    open_context();
    char *project = import_and_configure("p", NULL);
    struct ta_report *report = build(project);
    const char *identity = ta_report_fact(report, "identity")->text, *elf = ta_report_fact(report, "elf")->text;
    struct ran notes =
        run_program(NULL, NULL, (const char *const[]){"riscv64-unknown-elf-readelf", "-n", "-l", elf, NULL});
    g_autoptr(GString) spaced = g_string_new(NULL);
    for (const char *at = identity; *at; at += 2)
        g_string_append_printf(spaced, "%.2s ", at);
    ck_assert_ptr_nonnull(strstr(notes.out, spaced->str));
    ck_assert_ptr_nonnull(strstr(notes.out, "TameAnchor"));
    struct ran sizes = run_program(NULL, NULL, (const char *const[]){"riscv64-unknown-elf-size", elf, NULL});
    unsigned text, data, bss;
    ck_assert_int_eq(sscanf(strchr(sizes.out, '\n'), "%u %u %u", &text, &data, &bss), 3);
    int64_t flash = ta_report_fact(report, "flash_used")->number, ram = ta_report_fact(report, "ram_used")->number;
    ck_assert_int_ge(flash, text + data);
    ck_assert_int_le(flash, text + data + 64); /* and what aligns it */
    ck_assert_int_ge(ram + 64, data + bss);
    ck_assert_int_eq(ta_report_fact(report, "flash_size")->number, 262144);
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

START_TEST(editors_get_a_compilation_database) {
    open_context();
    char *project = import_and_configure("p", NULL);
    compiled(project);
    g_autofree char *path = g_build_filename(project, "out/dunlin-gcc/compile_commands.json", NULL);
    const char *text = read_text(path);
    ck_assert_ptr_nonnull(strstr(text, "\"file\": \"src/main.c\""));
    ck_assert_ptr_nonnull(strstr(text, "-march=rv32imac"));
    ta_context_free(context);
}
END_TEST

static bool over(void *with) {
    return ++*(int *)with > 3;
}

START_TEST(a_cancelled_build_can_be_run_again) {
    int asked = 0;
    open_context();
    char *project = import_and_configure("p", NULL);
    struct ta_report *report = ta_report_new();
    const struct ta_callbacks callbacks = {.size_bytes = sizeof callbacks, .with = &asked, .cancelled = over},
                              none = {.size_bytes = sizeof none};
    ck_assert_int_eq(ta_context_listen(context, &callbacks, NULL), TA_OK);
    ck_assert_int_eq(ta_build(context, project, NULL, report, &why), TA_E_INTERRUPTED);
    ck_assert_int_eq(ta_context_listen(context, &none, NULL), TA_OK);
    ck_assert_int_gt(compiled(project), 0);
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

static enum ta_status keep(void *with, const struct ta_event *event) {
    if (event->kind == TA_EVENT_CONSOLE)
        g_string_append_len(with, (const char *)event->bytes, (gssize)event->length);
    return TA_OK;
}

static enum ta_status listen_to(void *with, struct ta_live *live, const struct ta_report *report,
                                struct ta_problem *problem) {
    const struct ta_listener listener = {sizeof listener, with, NULL, keep};
    (void)report;
    return ta_live_type(live, "", 0, true, problem) ? problem->status : ta_live_listen(live, &listener, problem);
}

START_TEST(what_is_deployed_lasts_and_runs) {
    open_context();
    char *project = import_and_configure("p", NULL);
    struct ta_report *report = build(project);
    g_autoptr(GString) console = g_string_new(NULL);
    const struct ta_run run = {sizeof run, .for_ns = 1600000000, .begins = listen_to, .with = console};
    expect_ok(ta_deploy(context, project, NULL, report, &why), report);
    ck_assert_int_eq(ta_report_fact(report, "programmed")->number, 1);
    ta_report_free(report);
    ta_context_free(context);

    open_context(); /* another day */
    report = ta_report_new();
    expect_ok(ta_deploy(context, project, NULL, report, &why), report);
    ck_assert_int_eq(ta_report_fact(report, "programmed")->number, 0);
    expect_ok(ta_run(context, project, &run, report, &why), report);
    ck_assert_str_eq(console->str,
                     "tide-lamp ready\nlow water\ntide 0.4 m rising\ntide 0.8 m rising\ntide 1.2 m rising\n");
    char *flash = test_path("home/bench/dunlin/flash.bin");
    struct stat about;
    ck_assert_int_eq(stat(flash, &about), 0);
    ck_assert(about.st_size > 8000 && about.st_size < 16000); /* what is blank is left out */
    write_text(flash, "something else");
    expect_ok(ta_deploy(context, project, NULL, report, &why), report);
    ck_assert_int_eq(stat(flash, &about), 0);
    ck_assert_int_gt(about.st_size, 8000);
    g_autofree char *long_text = g_strnfill(262144 + 1, 'x');
    write_text(flash, long_text);
    ck_assert_int_eq(ta_deploy(context, project, NULL, report, &why), TA_E_SYSTEM);
    ck_assert_ptr_nonnull(strstr(why.what, "flash.bin is larger than dunlin's flash"));
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

START_TEST(a_hundred_runs_give_one_trace) {
    open_context();
    char *project = import_and_configure("p", NULL);
    ta_report_free(build(project));
    g_autofree char *first = NULL;
    for (int i = 0; i < 100; ++i) {
        struct ta_report *report = ta_report_new();
        expect_ok(ta_verify(context, project, NULL, report, &why), report);
        const char *trace = ta_report_fact(report, "trace")->text;
        ck_assert_uint_eq(ta_report_recordings(report), 5);
        if (!first)
            first = g_strdup(trace);
        ck_assert_str_eq(trace, first);
        ta_report_free(report);
    }
    ta_context_free(context);
}
END_TEST

START_TEST(a_changed_line_changes_the_verdict) {
    open_context();
    char *project = import_and_configure("p", NULL);
    ta_report_free(build(project));
    g_autofree char *header = g_build_filename(project, "src/tide.h", NULL);
    edit(header, "TIDE_STEP_US = 500000", "TIDE_STEP_US = 400000");
    struct ta_report *report = ta_report_new();
    expect_ok(ta_deploy(context, project, &(struct ta_deploy){sizeof(struct ta_deploy), .as_is = true}, report, &why),
              report); /* the old image still */
    ck_assert_uint_eq(ta_report_count(report, TA_LEVEL_WARNING), 1);
    ta_report_free(report);
    const struct ta_verify as_is = {sizeof as_is, .as_is = true};
    report = ta_report_new();
    expect_ok(ta_verify(context, project, &as_is, report, &why), report);
    ck_assert_uint_eq(ta_report_count(report, TA_LEVEL_WARNING), 1);
    ta_report_free(report);
    report = ta_report_new();
    ck_assert_int_eq(ta_verify(context, project, NULL, report, &why), TA_E_NO);
    ck_assert_int_eq(ta_report_fact(report, "compiled")->number, 3);
    ck_assert_int_eq(ta_report_fact(report, "programmed")->number, 1);
    ck_assert_int_eq(ta_report_fact(report, "failed")->number, 1);
    for (size_t i = 0; i < ta_report_recordings(report); ++i) {
        const struct ta_recording *verdict = ta_report_recording(report, i);
        if (verdict->passed)
            continue;
        ck_assert_str_eq(verdict->trial, "lamp fills with the tide");
        ck_assert_str_eq(verdict->file, "trials/lamps.trial");
        ck_assert_ptr_nonnull(strstr(verdict->failed->seen, "0.400 s later"));
    }
    ta_report_free(report);
    report = ta_report_new();
    const char *const only[] = {"button"};
    expect_ok(ta_verify(context, project, &(struct ta_verify){sizeof(struct ta_verify), only, 1, false}, report, &why),
              report);
    ck_assert_uint_eq(ta_report_recordings(report), 2);
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

START_TEST(configure_keeps_what_was_chosen_and_says_why) {
    open_context();
    char *project = import_and_configure("p", NULL);
    g_autofree char *setup = g_build_filename(project, "setup.yaml", NULL);
    struct ta_report *report = ta_report_new();
    ck_assert_ptr_nonnull(strstr(read_text(setup), "compiler: gcc"));
    expect_ok(ta_configure(context, project,
                           &(struct ta_choices){sizeof(struct ta_choices), .compiler = "clang", .optimise = "speed"},
                           report, &why),
              report);
    expect_ok(
        ta_configure(context, project, &(struct ta_choices){.size_bytes = sizeof(struct ta_choices)}, report, &why),
        report);
    ck_assert_ptr_nonnull(strstr(read_text(setup), "compiler: clang"));
    ck_assert_ptr_nonnull(strstr(read_text(setup), "optimise: speed"));
    edit(setup, "compiler-version: \"", "compiler-version: \"9");
    ck_assert_int_eq(ta_ready(context, project, false, report, &why), TA_E_NO);
    expect_ok(
        ta_configure(context, project, &(struct ta_choices){.size_bytes = sizeof(struct ta_choices)}, report, &why),
        report);
    ta_report_free(report);
    report = ta_report_new();
    expect_ok(ta_ready(context, project, false, report, &why), report);
    ck_assert_uint_eq(ta_report_count(report, TA_LEVEL_OK), ta_report_findings(report));
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

/* What a verdict stands on: each statement's result, the whole timeline, and what the console said. */
START_TEST(a_recording_holds_the_whole_run) {
    open_context();
    char *project = import_and_configure("p", NULL);
    edit(test_path("p/trials/lamps.trial"), "within 5 s lamps show 11111111\n", "within 2 s lamps show 11111111\n");
    ta_report_free(build(project));
    struct ta_report *report = ta_report_new();
    const char *const only[] = {"lamp"};
    ck_assert_int_eq(
        ta_verify(context, project, &(struct ta_verify){sizeof(struct ta_verify), only, 1, false}, report, &why),
        TA_E_NO);
    ck_assert_uint_eq(ta_report_recordings(report), 2);
    const struct ta_recording *fills = ta_report_recording(report, 0), *drains = ta_report_recording(report, 1);
    ck_assert(fills->passed && !fills->failed && !drains->passed && !ta_report_recording(report, 2));
    /* Every statement has its place, its text and its span, one behind the other. */
    ck_assert_str_eq(fills->results[0].source, "power on");
    ck_assert_int_eq(fills->results[0].outcome, TA_OUTCOME_DONE);
    for (size_t i = 1; i < fills->result_count; ++i) {
        const struct ta_result *result = &fills->results[i], *before = &fills->results[i - 1];
        ck_assert_int_eq(result->outcome, TA_OUTCOME_HELD);
        ck_assert(result->line > before->line && result->moments >= before->moments && !result->seen);
        ck_assert(result->start_ns == before->end_ns && result->end_ns >= result->start_ns);
    }
    /* The one that failed says what was there; what comes behind it was not reached. */
    size_t failed = (size_t)(drains->failed - drains->results);
    ck_assert(drains->failed->outcome == TA_OUTCOME_FAILED && strstr(drains->failed->seen, "00000111"));
    ck_assert_uint_eq(drains->failed->end_ns - drains->failed->start_ns, UINT64_C(2000000000));
    ck_assert_uint_gt(drains->result_count, failed + 1);
    for (size_t i = failed + 1; i < drains->result_count; ++i)
        ck_assert(drains->results[i].outcome == TA_OUTCOME_NOT_REACHED && *drains->results[i].source);
    /* The timeline is whole and in order, and the artefact is what its console lines say. */
    g_autoptr(GString) said = g_string_new(NULL);
    unsigned shown = 0;
    for (size_t i = 0; i < fills->moment_count; ++i) {
        const struct ta_moment *moment = &fills->moments[i];
        char text[64], small[5];
        ck_assert(!i || moment->time_ns >= fills->moments[i - 1].time_ns);
        ck_assert_uint_le(moment->time_ns, fills->time_ns);
        shown += moment->kind == TA_EVENT_OUTPUT;
        if (moment->kind == TA_EVENT_CONSOLE)
            g_string_append_printf(said, "%s\n", moment->text);
        ck_assert_str_ne(ta_moment_text(moment, text, sizeof text), "");
        ck_assert_uint_eq(strlen(ta_moment_text(moment, small, sizeof small)), sizeof small - 1);
    }
    ck_assert_uint_eq(shown, 8);
    ck_assert_uint_eq(fills->artefact_count, 1);
    ck_assert_str_eq(fills->artefacts[0].name, "console");
    ck_assert_str_eq(fills->artefacts[0].type, "text/plain");
    ck_assert_uint_ge(fills->artefacts[0].length, said->len); /* and a line that has no end yet */
    ck_assert_mem_eq(fills->artefacts[0].bytes, said->str, said->len);
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

/* Two contexts in one program, each with folders of its own. */
START_TEST(contexts_have_their_own_folders) {
    open_context();
    struct ta_context *other = NULL;
    struct ta_report *report = ta_report_new();
    g_mkdir(test_path("bare"), 0777);
    ck_assert_int_eq(ta_context_new(&other, &why), TA_OK);
    ck_assert_int_eq(ta_context_set(other, test_path("bare"), test_path("elsewhere"), &why), TA_OK);
    ck_assert_str_eq(ta_context_home(other), test_path("elsewhere"));
    ck_assert_str_eq(ta_context_home(context), test_path("home"));
    expect_ok(ta_bench_add(context, "jetty", "dunlin", NULL, report, &why), report);
    ck_assert_int_eq(ta_bench_show(other, "jetty", report, &why), TA_E_INPUT);
    ck_assert_int_eq(ta_catalog_show(other, "tide-lamp", report, &why), TA_E_INPUT);
    ck_assert_int_eq(ta_context_set(other, test_path("gone"), test_path("third"), &why), TA_E_SYSTEM);
    ck_assert_ptr_nonnull(strstr(why.what, "gone is not there"));
    ck_assert_str_eq(ta_context_home(other), test_path("elsewhere")); /* all of it, or nothing */
    expect_ok(ta_context_set(other, CATALOG, NULL, &why), report);
    ta_report_free(report);
    report = ta_report_new();
    expect_ok(ta_catalog_show(other, "tide-lamp", report, &why), report);
    ta_report_free(report);
    ta_context_free(other);
    ta_context_free(context);
}
END_TEST

/* Nobody has to ask why; and a request that does not say its size is refused. */
START_TEST(a_null_why_is_no_fault) {
    open_context();
    struct ta_report *report = ta_report_new();
    const char *nowhere = test_path("nowhere");
    const struct ta_import import = {sizeof import, .source = "no-such-example"};
    const struct ta_choices choices = {sizeof choices, .sdk = "strand@99.0.0"};
    const struct ta_catalog_query query = {sizeof query, .kind = "boat"};
    const char *const pairs[] = {"odd", NULL};
    ck_assert_int_ne(ta_import(context, &import, report, NULL), TA_OK);
    ck_assert_int_ne(ta_configure(context, nowhere, &choices, report, NULL), TA_OK);
    ck_assert_int_ne(ta_ready(context, nowhere, false, report, NULL), TA_OK);
    ck_assert_int_ne(ta_build(context, nowhere, NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_deploy(context, nowhere, NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_verify(context, nowhere, NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_catalog(context, &query, report, NULL), TA_OK);
    ck_assert_int_ne(ta_catalog_show(context, "nothing", report, NULL), TA_OK);
    ck_assert_int_ne(ta_catalog_place(context, nowhere, TA_PLACE_LAST, report, NULL), TA_OK);
    ck_assert_int_ne(ta_package_add(context, nowhere, report, NULL), TA_OK);
    ck_assert_int_ne(ta_licence_add(context, nowhere, report, NULL), TA_OK);
    ck_assert_int_ne(ta_publisher_trust(context, nowhere, report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_add(context, "..", "dunlin", NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_add(context, "odd", "dunlin", pairs, report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_show(context, "odd", report, NULL), TA_OK);
    ck_assert_int_ne(ta_settings_set(context, nowhere, pairs, report, NULL), TA_OK);
    char *project = import_and_configure("p", NULL);
    ck_assert_int_ne(ta_configure(context, project, &choices, report, NULL), TA_OK);
    write_text(test_path("p/src/main.c"), "int main(void) { return tide; }\n");
    ck_assert_int_ne(ta_build(context, project, NULL, report, NULL), TA_OK);
    ck_assert_int_eq(ta_import(context, &(struct ta_import){.source = "tide-lamp"}, report, &why), TA_E_USAGE);
    ck_assert_int_eq(ta_context_listen(context, &(struct ta_callbacks){.with = report}, NULL), TA_E_USAGE);
    /* What was compiled against an older header, whose struct was shorter, keeps its meaning. */
    struct ta_import older = {offsetof(struct ta_import, destination) + sizeof(char *), .source = "tide-lamp"};
    older.destination = test_path("older");
    memset((char *)&older + older.size_bytes, 0xff, sizeof older - older.size_bytes);
    ta_report_free(report);
    report = ta_report_new();
    expect_ok(ta_import(context, &older, report, &why), report);
    ta_report_free(report);
    ta_context_free(context);
}
END_TEST

/* Every call may be made without a place for its problem. */
START_TEST(calls_need_no_place_for_a_problem) {
    struct ta_context *context;
    struct ta_report *report = ta_report_new();
    const struct ta_choices choices = {.size_bytes = sizeof choices};
    const struct ta_run run = {sizeof run, .image = "/dev/zero", .profile = "dunlin"};
    const char *const changes[] = {"power=off", NULL};
    ck_assert_int_eq(ta_context_new(&context, NULL), TA_OK);
    static const char *const sources[] = {"none.zip", "./none", "none", "/dev/zero", "http://127.0.0.1:1/x.git"};
    for (size_t i = 0; i < G_N_ELEMENTS(sources); ++i) {
        const struct ta_import import = {sizeof import, .source = sources[i], .destination = test_path("taken")};
        ck_assert_int_ne(ta_import(context, &import, report, NULL), TA_OK);
    }
    ck_assert_int_ne(ta_configure(context, test_folder, &choices, report, NULL), TA_OK);
    ck_assert_int_ne(ta_build(context, test_folder, NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_deploy(context, test_folder, NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_verify(context, test_folder, NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_run(context, test_folder, &run, report, NULL), TA_OK);
    ck_assert_int_ne(ta_show_files(context, test_folder, report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_add(context, "..", "dunlin", NULL, report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_show(context, "..", report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_switch(context, "..", changes, report, NULL), TA_OK);
    ck_assert_int_ne(ta_bench_remove(context, "..", report, NULL), TA_OK);
    ck_assert_int_ne(ta_licence_add(context, "/dev/zero", report, NULL), TA_OK);
    ck_assert_int_ne(ta_licence_evaluate(context, "none", report, NULL), TA_OK);
    ck_assert_int_ne(ta_publisher_trust(context, "/dev/zero", report, NULL), TA_OK);
    ck_assert_int_ne(ta_sign_in(context, "http://127.0.0.1:1", "ada", "x", report, NULL), TA_OK);
    ck_assert_int_ne(ta_sign_out(context, "http://127.0.0.1:1/", report, NULL), TA_OK);
    ta_report_free(report);
    ta_context_free(context);
    struct ran ran = tanchor(test_folder, "catalog", "pack", "strand@2.1.0", "--accept", "Bad Name");
    expect_refusal(ran, 2, "\"Bad Name\" is not the name of a licence text");
}
END_TEST

int main(void) {
    return run_suite(
        "chain", (const TTest *const[]){
                     calls_need_no_place_for_a_problem, a_build_does_again_only_what_changed,
                     a_hand_edited_generated_file_is_found, equal_inputs_give_equal_images_wherever_they_are,
                     the_image_carries_its_identity_and_its_sizes, editors_get_a_compilation_database,
                     a_cancelled_build_can_be_run_again, what_is_deployed_lasts_and_runs, a_hundred_runs_give_one_trace,
                     a_changed_line_changes_the_verdict, configure_keeps_what_was_chosen_and_says_why,
                     a_recording_holds_the_whole_run, contexts_have_their_own_folders, a_null_why_is_no_fault, NULL});
}
