/* Reports for people: aligned columns, colour never the only carrier. */
#include "cli/output.h"

#include "base/units.h"
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

static void print_findings(const struct output *output, const struct ta_report *report) {
    const struct ta_finding *finding;
    for (size_t i = 0; (finding = ta_report_finding(report, i)); ++i) {
        if (output->quiet && finding->level < TA_LEVEL_WARNING)
            continue;
        g_autofree char *fix = advice_text(finding->fix), *message = advice_text(finding->message);
        fputs("  ", output->stream);
        print_word(output, level_colours[finding->level], ta_level_text(finding->level), 8);
        say(output->stream, " %-11s %s\n", finding->subject, message);
        if (fix)
            say(output->stream, "                       fix: %s\n", fix);
    }
}

/* Several lines under one label, each as far in as the first; long ones are broken between words. */
static void print_block(const struct output *output, const char *label, const char *text) {
    enum { WIDEST = 100 };
    while (*text) {
        size_t length = strcspn(text, "\n"), shown = length;
        if (length > WIDEST) {
            for (shown = WIDEST; shown > 0 && text[shown] != ' '; --shown)
                ;
            shown = shown ? shown : length;
        }
        say(output->stream, "        %-12s %.*s\n", label, (int)shown, text);
        text += shown + (text[shown] != '\0');
        label = "";
    }
}

/* What stands behind a trial's name: how much held, or where it failed. */
static char *verdict_detail(const struct ta_recording *recording) {
    if (recording->passed)
        return g_strdup_printf("%u expectation%s", recording->expectations, recording->expectations == 1 ? "" : "s");
    return g_strdup_printf("%s:%u", recording->file, recording->failed->line);
}

char *recording_seen(const struct ta_recording *recording) {
    return g_strdup_printf("%s%s%s", recording->failed->seen, recording->place ? " in " : "",
                           recording->place ? recording->place : "");
}

char *recording_before(const struct ta_recording *recording) {
    enum { SHOWN = 4 };
    g_autoptr(GString) text = g_string_new(NULL);
    size_t end = recording->failed->moments;
    for (size_t i = end > SHOWN ? end - SHOWN : 0; i < end; ++i) {
        char what[120], time[UNIT_TEXT_BYTES];
        g_string_append_printf(text, "%s%s %s", text->len ? "\n" : "",
                               ta_moment_text(&recording->moments[i], what, sizeof what),
                               unit_format(time, UNIT_TIME_NS, recording->moments[i].time_ns));
    }
    return g_strdup(text->str);
}

static void print_failure(const struct output *output, const struct ta_recording *recording) {
    g_autofree char *seen = recording_seen(recording), *before = recording_before(recording);
    print_block(output, "expected", recording->failed->source);
    print_block(output, "seen", seen);
    print_block(output, "before that", before);
}

static void print_verdicts(const struct output *output, const struct ta_report *report) {
    const struct ta_recording *recording;
    size_t name_width = 0, detail_width = 0;
    for (size_t i = 0; (recording = ta_report_recording(report, i)); ++i) {
        g_autofree char *detail = verdict_detail(recording);
        name_width = MAX(name_width, (size_t)g_utf8_strlen(recording->trial, -1));
        detail_width = MAX(detail_width, strlen(detail));
    }
    for (size_t i = 0; (recording = ta_report_recording(report, i)); ++i) {
        if (output->quiet && recording->passed)
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

void print_report(struct output *output, const char *done, const struct ta_report *report) {
    size_t problems = ta_report_count(report, TA_LEVEL_PROBLEM), trials = ta_report_recordings(report), passed = 0;
    for (size_t i = 0; i < trials; ++i)
        passed += ta_report_recording(report, i)->passed;
    g_autofree char *next = advice_text(ta_report_next(report));
    clear_progress(output);
    print_title(output, ta_report_title(report));
    print_findings(output, report);
    print_verdicts(output, report);
    if (output->quiet)
        return;
    if (trials)
        say(output->stream, "%zu of %zu passed in %.2f s.", passed, trials, ta_report_seconds(report));
    else if (problems)
        say(output->stream, "%zu problem%s.", problems, problems == 1 ? "" : "s");
    else if (!done)
        return;
    else if (*done)
        say(output->stream, "%s in %.2f s.", done, ta_report_seconds(report));
    if (next)
        say(output->stream, "%sNext: %s", done && !*done && !problems ? "" : " ", next);
    fputc('\n', output->stream);
}

void print_step(struct output *output, const char *name, const struct ta_report *report) {
    clear_progress(output);
    if (!output->quiet) {
        const char *title = ta_report_title(report);
        print_word(output, "1", name, 10);
        say(output->stream, " %s   (%.2f s)\n", title ? title : "", ta_report_seconds(report));
    }
    print_findings(output, report);
    print_verdicts(output, report);
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
    if (progress->in_bytes && output->progress_shown && now - output->progress_us < 100000)
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
    if (progress->in_bytes && progress->left_s >= 0.5)
        say(stderr, ", %.0f s left", progress->left_s);
    fflush(stderr);
}

void clear_progress(struct output *output) {
    if (output->progress_shown)
        fputs("\r\033[K", stderr);
    output->progress_shown = false;
}
