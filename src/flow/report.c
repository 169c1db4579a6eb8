#include "flow/report.h"

#include <string.h>

/* The public report first: a pointer to one is a pointer to the other. */
struct full_report {
    struct ta_report report;
    GStringChunk *texts;
    GArray *findings, *facts, *verdicts;
};

static const char *const level_texts[] = {
#define ROW(name, text) text,
    TA_LEVEL_TABLE(ROW)
#undef ROW
};

const char *ta_level_text(enum ta_level level) {
    return (size_t)level < G_N_ELEMENTS(level_texts) ? level_texts[level] : "unknown";
}

struct ta_report *ta_report_new(void) {
    struct full_report *full = g_new0(struct full_report, 1);
    full->texts = g_string_chunk_new(1024);
    full->findings = g_array_new(FALSE, TRUE, sizeof(struct ta_finding));
    full->facts = g_array_new(FALSE, TRUE, sizeof(struct ta_fact));
    full->verdicts = g_array_new(FALSE, TRUE, sizeof(struct ta_verdict));
    return &full->report;
}

void ta_report_free(struct ta_report *report) {
    struct full_report *full = (struct full_report *)report;
    if (!full)
        return;
    g_string_chunk_free(full->texts);
    g_array_free(full->findings, TRUE);
    g_array_free(full->facts, TRUE);
    g_array_free(full->verdicts, TRUE);
    g_free(full);
}

size_t ta_report_count(const struct ta_report *report, enum ta_level level) {
    size_t count = 0;
    for (size_t i = 0; i < report->finding_count; ++i)
        count += report->findings[i].level == level;
    return count;
}

const struct ta_fact *ta_report_fact(const struct ta_report *report, const char *name) {
    for (size_t i = 0; i < report->fact_count; ++i)
        if (!strcmp(report->facts[i].name, name))
            return &report->facts[i];
    return NULL;
}

static const char *keep(struct ta_report *report, const char *text) {
    return text ? g_string_chunk_insert(((struct full_report *)report)->texts, text) : NULL;
}

static const char *keep_printf(struct ta_report *report, const char *format, va_list arguments) {
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    return keep(report, text);
}

void report_title(struct ta_report *report, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    report->title = keep_printf(report, format, arguments);
    va_end(arguments);
}

void report_next(struct ta_report *report, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    report->next = keep_printf(report, format, arguments);
    va_end(arguments);
}

void report_add(struct ta_report *report, enum ta_level level, const char *subject, const char *fix, const char *format,
                ...) {
    struct full_report *full = (struct full_report *)report;
    va_list arguments;
    va_start(arguments, format);
    struct ta_finding finding = {level, keep(report, subject), keep_printf(report, format, arguments),
                                 keep(report, fix && *fix ? fix : NULL)};
    va_end(arguments);
    g_array_append_val(full->findings, finding);
    report->findings = (const struct ta_finding *)(void *)full->findings->data;
    report->finding_count = full->findings->len;
}

void report_problem(struct ta_report *report, const char *subject, const struct ta_problem *why) {
    g_autoptr(GString) place = g_string_new(why->file);
    if (why->line)
        g_string_append_printf(place, ":%u:%u", why->line, why->column);
    report_add(report, TA_LEVEL_PROBLEM, subject, why->fix, "%s%s%s", place->str, place->len ? ": " : "", why->what);
}

static void add_fact(struct ta_report *report, struct ta_fact fact) {
    struct full_report *full = (struct full_report *)report;
    g_array_append_val(full->facts, fact);
    report->facts = (const struct ta_fact *)(void *)full->facts->data;
    report->fact_count = full->facts->len;
}

void report_text(struct ta_report *report, const char *name, const char *text) {
    add_fact(report, (struct ta_fact){keep(report, name), keep(report, text), 0});
}

void report_number(struct ta_report *report, const char *name, int64_t number) {
    add_fact(report, (struct ta_fact){keep(report, name), NULL, number});
}

void report_verdict(struct ta_report *report, const struct ta_verdict *verdict) {
    struct full_report *full = (struct full_report *)report;
    g_array_append_val(full->verdicts, *verdict);
    report->verdicts = (const struct ta_verdict *)(void *)full->verdicts->data;
    report->verdict_count = full->verdicts->len;
}

void report_took(struct ta_report *report, gint64 start_us) {
    report->seconds = (double)(g_get_monotonic_time() - start_us) / 1e6;
}

/* A finding's place when problems come first. */
static int rank(const struct ta_finding *finding) {
    return finding->level == TA_LEVEL_PROBLEM ? 0 : finding->level == TA_LEVEL_WARNING ? 1 : 2;
}

void report_sort(struct ta_report *report) {
    GArray *findings = ((struct full_report *)report)->findings;
    GArray *sorted = g_array_sized_new(FALSE, TRUE, sizeof(struct ta_finding), findings->len);
    for (int wanted = 0; wanted <= 2; ++wanted)
        for (guint i = 0; i < findings->len; ++i)
            if (rank(&g_array_index(findings, struct ta_finding, i)) == wanted)
                g_array_append_val(sorted, g_array_index(findings, struct ta_finding, i));
    g_array_free(findings, TRUE);
    ((struct full_report *)report)->findings = sorted;
    report->findings = (const struct ta_finding *)(void *)sorted->data;
}
