/* Reports for people: aligned columns, colour never the only carrier. */
#include "cli/output.h"

#include "base/units.h"
#include "cli/layout.h"
#include "cli/say.h"

#include <glib.h>
#include <string.h>

static const char *const level_colours[] = {"32", "36", "33", "31"}; /* by enum ta_level */

static void print_word(const struct output *output, const char *colour, const char *word, int width) {
    if (output->colour)
        fprintf(output->stream, "\033[%sm", colour);
    say(output->stream, "%-*s", width, word);
    if (output->colour)
        fputs("\033[0m", output->stream);
}

enum { LEVEL_WIDTH = 8, SUBJECT_WIDTH = 11, LONGEST_SUBJECT = 24 };

static void print_findings(const struct output *output, const struct ta_report *report) {
    const struct ta_finding *finding;
    size_t width = layout_width(output->stream), subject_width = SUBJECT_WIDTH;
    for (size_t i = 0; (finding = ta_report_finding(report, i)); ++i)
        subject_width = MAX(subject_width, MIN(strlen(finding->subject), LONGEST_SUBJECT));
    size_t indent = 2 + LEVEL_WIDTH + 1 + subject_width + 1;
    for (size_t i = output->findings_shown; (finding = ta_report_finding(report, i)); ++i) {
        if (output->quiet && finding->level < TA_LEVEL_WARNING)
            continue;
        g_autofree char *fix = advice_text(finding->fix), *message = advice_text(finding->message);
        fputs("  ", output->stream);
        print_word(output, level_colours[finding->level], ta_level_text(finding->level), LEVEL_WIDTH);
        say(output->stream, " %-*s ", (int)subject_width, finding->subject);
        layout_paragraph(output->stream, width, indent, indent, message);
        if (fix) {
            fprintf(output->stream, "%*sfix: ", (int)indent, "");
            layout_paragraph(output->stream, width, indent + strlen("fix: "), indent + strlen("fix: "), fix);
        }
    }
}

/* Tables. */

/* Words that are more than their key with blanks for '_'. */
static const struct {
    const char *key, *word;
} key_words[] = {
    {"sdks", "SDKs"}, {"sdk", "SDK"}, {"isa", "ISA"}, {"c_libraries", "C libraries"}, {"c_library", "C library"}};

static char *key_text(const char *key) {
    for (size_t i = 0; i < G_N_ELEMENTS(key_words); ++i)
        if (!strcmp(key, key_words[i].key))
            return g_strdup(key_words[i].word);
    return g_strdelimit(g_strdup(key), "_", ' ');
}

static char *cell_text(enum ta_column_kind kind, const struct ta_cell *cell) {
    char text[UNIT_TEXT_BYTES];
    if (kind == TA_COLUMN_TEXT)
        return advice_text(cell->text);
    if (cell->number < 0)
        return NULL;
    switch (kind) {
    case TA_COLUMN_BYTES: return g_strdup(unit_format(text, UNIT_SIZE_BYTES, (uint64_t)cell->number));
    case TA_COLUMN_HERTZ: return g_strdup(unit_format(text, UNIT_FREQUENCY_HZ, (uint64_t)cell->number));
    case TA_COLUMN_YES_NO: return g_strdup(cell->number ? "yes" : "no");
    default: return g_strdup_printf("%" G_GINT64_FORMAT, cell->number);
    }
}

/* A record has its keys in the first column; any other table has them in the first line. */
static void print_table(const struct output *output, const struct ta_table *table, bool named) {
    g_autoptr(GPtrArray) texts = g_ptr_array_new_with_free_func(g_free),
                         headings = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *name = key_text(table->name);
    for (size_t i = 0; i < table->column_count; ++i)
        g_ptr_array_add(headings, key_text(table->columns[i].name));
    for (size_t i = 0; i < table->row_count * table->column_count; ++i) {
        char *text = cell_text(table->columns[i % table->column_count].kind, &table->cells[i]);
        if (table->is_record && !text)
            continue;
        if (table->is_record)
            g_ptr_array_add(texts, g_strdup(headings->pdata[i]));
        g_ptr_array_add(texts, text);
    }
    struct grid grid = {.cells = (const char *const *)texts->pdata, .columns = 2, .rows = texts->len / 2, .indent = 2};
    if (!table->is_record) {
        grid.columns = table->column_count;
        grid.rows = table->row_count;
        grid.headings = (const char *const *)headings->pdata;
        grid.bold = output->colour;
    }
    if (named)
        say(output->stream, "%s\n", name);
    layout_grid(output->stream, layout_width(output->stream), &grid);
}

static void print_tables(const struct output *output, const struct ta_report *report) {
    const struct ta_table *table;
    size_t told = 0;
    for (size_t i = 0; (table = ta_report_table(report, i)); ++i)
        told += table->row_count > 0 && !table->is_record && !table->for_programs;
    for (size_t i = 0; !output->quiet && (table = ta_report_table(report, i)); ++i)
        if (table->row_count && !table->for_programs)
            print_table(output, table, !table->is_record && (told > 1 || !ta_report_title(report)));
}

/* Several lines under one label, each as far in as the first. */
static void print_block(const struct output *output, const char *label, const char *text) {
    enum { INDENT = 21 };
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    for (char **line = lines; *line; ++line) {
        say(output->stream, "        %-12s ", line == lines ? label : "");
        layout_paragraph(output->stream, layout_width(output->stream), INDENT, INDENT, *line);
    }
}

/* What stands behind a trial's name: how much held, or where it failed. */
static char *verdict_detail(const struct ta_recording *recording) {
    if (recording->passed)
        return g_strdup_printf("%u expectation%s", recording->expectations, recording->expectations == 1 ? "" : "s");
    return g_strdup_printf("%s:%u", recording->file, recording->failed->line);
}

char *recording_seen(const struct ta_recording *recording) {
    return g_strdup_printf("%s%s%s%s%s", recording->failed->seen, recording->place ? " in " : "",
                           recording->place ? recording->place : "", recording->words ? ": " : "",
                           recording->words ? recording->words : "");
}

char *recording_before(const struct ta_recording *recording) {
    enum { SHOWN = 4 };
    g_autoptr(GString) text = g_string_new(NULL);
    size_t end = recording->failed->moments;
    for (size_t i = end > SHOWN ? end - SHOWN : 0; i < end; ++i) {
        char what[400], time[UNIT_TEXT_BYTES];
        ta_moment_text(&recording->moments[i], what, sizeof what);
        g_string_append_printf(text, "%s%s%s %s", text->len ? "\n" : "", what,
                               strlen(what) + 1 == sizeof what ? " and more" : "",
                               unit_format(time, UNIT_TIME_NS, recording->moments[i].time_ns));
    }
    return g_strdup(text->str);
}

/* The functions around the one that trapped, a line each. */
static char *callers_text(const struct ta_recording *recording) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 1; i < recording->call_count; ++i)
        g_string_append_printf(text, "%s%s", text->len ? "\n" : "", recording->calls[i]);
    return g_strdup(text->str);
}

/* As much of a text as people read. */
static char *shortened(const char *text) {
    enum { SHOWN = 400 };
    if (strlen(text) <= SHOWN)
        return g_strdup(text);
    const char *end = g_utf8_find_prev_char(text, text + SHOWN + 1);
    size_t shown = (size_t)((end ? end : text + SHOWN) - text);
    return g_strdup_printf("%.*s ... and %zu more bytes", (int)shown, text, strlen(text) - shown);
}

static void print_failure(const struct output *output, const struct ta_recording *recording) {
    g_autofree char *seen = recording_seen(recording), *before = recording_before(recording);
    g_autofree char *expected = shortened(recording->failed->source);
    print_block(output, "expected", expected);
    print_block(output, "seen", seen);
    if (recording->picture_file) {
        g_autofree char *files = g_strdup_printf("%s, and %s", recording->picture_file, recording->difference_file);
        print_block(output, "pictures", files);
    }
    g_autofree char *callers = callers_text(recording);
    if (*callers)
        print_block(output, "called by", callers);
    print_block(output, "before that", before);
}

/* Whether BEFORE (may be null) has the same verdict for the same reason. */
static bool is_known(const struct ta_report *before, const struct ta_recording *recording) {
    const struct ta_recording *old;
    for (size_t i = 0; before && (old = ta_report_recording(before, i)); ++i)
        if (!strcmp(old->trial, recording->trial) && old->passed == recording->passed)
            return recording->passed || (!strcmp(old->failed->seen, recording->failed->seen) &&
                                         old->failed->line == recording->failed->line);
    return false;
}

static void print_verdicts(const struct output *output, const struct ta_report *before,
                           const struct ta_report *report) {
    const struct ta_recording *recording;
    size_t name_width = 0, detail_width = 0;
    for (size_t i = 0; (recording = ta_report_recording(report, i)); ++i) {
        g_autofree char *detail = verdict_detail(recording);
        name_width = MAX(name_width, (size_t)g_utf8_strlen(recording->trial, -1));
        detail_width = MAX(detail_width, strlen(detail));
    }
    for (size_t i = 0; (recording = ta_report_recording(report, i)); ++i) {
        if ((output->quiet && recording->passed) || is_known(before, recording))
            continue;
        int padding = (int)(name_width - (size_t)g_utf8_strlen(recording->trial, -1));
        g_autofree char *detail = verdict_detail(recording);
        fputs("  ", output->stream);
        print_word(output, recording->passed ? "32" : "31", recording->passed ? "pass" : "fail", 5);
        say(output->stream, " %s%*s  %-*s  %7.3f s\n", recording->trial, padding, "", (int)detail_width, detail,
            (double)recording->time_ns / 1e9);
        if (!recording->passed)
            print_failure(output, recording);
    }
}

static void print_title(const struct output *output, const char *title) {
    if (title && !output->quiet)
        say(output->stream, "%s\n", title);
}

/* "4 of 5 passed in 0.02 s." */
static void print_count(const struct output *output, const struct ta_report *report) {
    size_t trials = ta_report_recordings(report), passed = 0;
    for (size_t i = 0; i < trials; ++i)
        passed += ta_report_recording(report, i)->passed;
    say(output->stream, "%zu of %zu passed in %.2f s.", passed, trials, ta_report_seconds(report));
}

/* The last line: what came of it, and the next step. */
static void print_end(const struct output *output, const char *done, const struct ta_report *report) {
    size_t problems = ta_report_count(report, TA_LEVEL_PROBLEM);
    g_autofree char *next = output->watching ? NULL : advice_text(ta_report_next(report));
    bool counts = true;
    if (output->quiet)
        return;
    if (ta_report_recordings(report))
        print_count(output, report);
    else if (problems)
        say(output->stream, "%zu problem%s.", problems, problems == 1 ? "" : "s");
    else if (done && *done)
        say(output->stream, "%s in %.2f s.", done, ta_report_seconds(report));
    else
        counts = false;
    if (next && (counts || done))
        say(output->stream, "%sNext: %s", counts ? " " : "", next);
    if (counts || (next && done))
        fputc('\n', output->stream);
}

void print_report(struct output *output, const char *done, const struct ta_report *report) {
    clear_progress(output);
    if (!output->begun)
        print_title(output, ta_report_title(report));
    print_findings(output, report);
    print_tables(output, report);
    print_verdicts(output, NULL, report);
    print_end(output, done, report);
}

void print_beginning(struct output *output, const struct ta_report *report) {
    clear_progress(output);
    print_title(output, ta_report_title(report));
    print_findings(output, report);
    output->findings_shown = ta_report_findings(report);
    output->begun = true;
}

void print_changes(struct output *output, const struct ta_report *before, const struct ta_report *report) {
    print_findings(output, report);
    print_verdicts(output, before, report);
    if (ta_report_recordings(report)) {
        print_count(output, report);
        fputc('\n', output->stream);
    }
}

void print_step(struct output *output, const char *name, const struct ta_report *report) {
    clear_progress(output);
    if (!output->quiet) {
        const char *title = ta_report_title(report);
        print_word(output, "1", name, 10);
        say(output->stream, " %s   (%.2f s)\n", title ? title : "", ta_report_seconds(report));
    }
    print_findings(output, report);
    print_verdicts(output, NULL, report);
}

void print_problem(const struct ta_problem *why) {
    g_autofree char *fix = advice_text(why->fix), *what = advice_text(why->what);
    if (*why->file && why->line)
        say(stderr, "%s:%u:%u: ", why->file, why->line, why->column);
    else
        say(stderr, "%s: ", *why->file ? why->file : "tanchor");
    say(stderr, "%s%s%s\n", what, *fix ? "; " : "", fix);
}

/* "[#####.....] 1.2 of 3.4 MiB, 2.1 MiB/s, 2 s left", as far as it is known. */
void print_progress(struct output *output, const struct ta_progress *progress) {
    enum { BAR = 24 };
    char done[UNIT_TEXT_BYTES], total[UNIT_TEXT_BYTES], rate[UNIT_TEXT_BYTES];
    gint64 now = g_get_monotonic_time();
    bool often = progress->in_bytes || progress->left_s >= 0;
    if (often && output->progress_shown && now - output->progress_us < 100000)
        return; /* a terminal is slow, and nobody reads faster */
    output->progress_us = now;
    output->progress_shown = true;
    fputs("\r\033[K", stderr);
    say(stderr, "%s", progress->what);
    if (progress->total) {
        int filled = (int)((double)BAR * (double)progress->done / (double)progress->total);
        say(stderr, " [%.*s%.*s]", MIN(filled, BAR), "########################", BAR - MIN(filled, BAR),
            "........................");
    }
    if (progress->in_bytes && progress->total)
        say(stderr, " %s of %s", unit_format(done, UNIT_SIZE_BYTES, progress->done),
            unit_format(total, UNIT_SIZE_BYTES, progress->total));
    else if (progress->in_bytes && progress->done)
        say(stderr, " %s", unit_format(done, UNIT_SIZE_BYTES, progress->done));
    else if (progress->total)
        say(stderr, " %llu of %llu", (unsigned long long)progress->done, (unsigned long long)progress->total);
    if (progress->in_bytes && progress->bytes_per_s >= 1)
        say(stderr, ", %s/s", unit_format(rate, UNIT_SIZE_BYTES, (uint64_t)progress->bytes_per_s));
    if (progress->left_s >= 0.5)
        say(stderr, ", %.0f s left", progress->left_s);
    fflush(stderr);
}

void clear_progress(struct output *output) {
    if (output->progress_shown)
        fputs("\r\033[K", stderr);
    output->progress_shown = false;
}
