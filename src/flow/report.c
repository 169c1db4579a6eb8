#include "flow/report.h"

#include <string.h>

/* A table that is being filled. */
struct filling {
    struct ta_table table;
    GArray *columns, *cells;
};

struct ta_report {
    const char *title, *next;
    double seconds;
    GStringChunk *texts;
    GArray *findings, *facts, *tables;
    GPtrArray *recordings;
};

static const char *const level_texts[] = {
#define ROW(name, text) text,
    TA_LEVEL_TABLE(ROW)
#undef ROW
};

const char *ta_level_text(enum ta_level level) {
    return (size_t)level < G_N_ELEMENTS(level_texts) ? level_texts[level] : "unknown";
}

static void free_recording(gpointer recording) {
    ta_recording_free(recording);
}

static void clear_filling(gpointer filling) {
    g_array_free(((struct filling *)filling)->columns, TRUE);
    g_array_free(((struct filling *)filling)->cells, TRUE);
}

struct ta_report *ta_report_new(void) {
    struct ta_report *report = g_new0(struct ta_report, 1);
    report->texts = g_string_chunk_new(1024);
    report->findings = g_array_new(FALSE, TRUE, sizeof(struct ta_finding));
    report->facts = g_array_new(FALSE, TRUE, sizeof(struct ta_fact));
    report->tables = g_array_new(FALSE, TRUE, sizeof(struct filling));
    g_array_set_clear_func(report->tables, clear_filling);
    report->recordings = g_ptr_array_new_with_free_func(free_recording);
    return report;
}

static void free_contents(struct ta_report *report) {
    g_string_chunk_free(report->texts);
    g_array_free(report->findings, TRUE);
    g_array_free(report->facts, TRUE);
    g_array_free(report->tables, TRUE);
    g_ptr_array_free(report->recordings, TRUE);
}

void ta_report_free(struct ta_report *report) {
    if (report)
        free_contents(report);
    g_free(report);
}

void report_clear(struct ta_report *report) {
    struct ta_report *fresh = ta_report_new();
    free_contents(report);
    *report = *fresh;
    g_free(fresh);
}

/* Reading. */

const char *ta_report_title(const struct ta_report *report) {
    return report->title;
}

const char *ta_report_next(const struct ta_report *report) {
    return report->next;
}

double ta_report_seconds(const struct ta_report *report) {
    return report->seconds;
}

size_t ta_report_findings(const struct ta_report *report) {
    return report->findings->len;
}

const struct ta_finding *ta_report_finding(const struct ta_report *report, size_t index) {
    return index < report->findings->len ? &g_array_index(report->findings, struct ta_finding, index) : NULL;
}

static const struct filling *filling_at(const struct ta_report *report, size_t index) {
    return &g_array_index(report->tables, struct filling, index);
}

size_t ta_report_tables(const struct ta_report *report) {
    return report->tables->len;
}

const struct ta_table *ta_report_table(const struct ta_report *report, size_t index) {
    return index < report->tables->len ? &filling_at(report, index)->table : NULL;
}

size_t ta_report_facts(const struct ta_report *report) {
    return report->facts->len;
}

const struct ta_fact *ta_report_fact_at(const struct ta_report *report, size_t index) {
    return index < report->facts->len ? &g_array_index(report->facts, struct ta_fact, index) : NULL;
}

size_t ta_report_recordings(const struct ta_report *report) {
    return report->recordings->len;
}

const struct ta_recording *ta_report_recording(const struct ta_report *report, size_t index) {
    return index < report->recordings->len ? report->recordings->pdata[index] : NULL;
}

size_t ta_report_count(const struct ta_report *report, enum ta_level level) {
    size_t count = 0;
    for (size_t i = 0; i < report->findings->len; ++i)
        count += ta_report_finding(report, i)->level == level;
    return count;
}

const struct ta_fact *ta_report_fact(const struct ta_report *report, const char *name) {
    for (size_t i = 0; i < report->facts->len; ++i)
        if (!strcmp(ta_report_fact_at(report, i)->name, name))
            return ta_report_fact_at(report, i);
    return NULL;
}

/* Filling. */

static const char *keep(struct ta_report *report, const char *text) {
    return text ? g_string_chunk_insert(report->texts, text) : NULL;
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
    va_list arguments;
    va_start(arguments, format);
    struct ta_finding finding = {level, keep(report, subject), keep_printf(report, format, arguments),
                                 keep(report, fix && *fix ? fix : NULL)};
    va_end(arguments);
    g_array_append_val(report->findings, finding);
}

void report_problem(struct ta_report *report, const char *subject, const struct ta_problem *why) {
    g_autoptr(GString) place = g_string_new(why->file);
    if (why->line)
        g_string_append_printf(place, ":%u:%u", why->line, why->column);
    report_add(report, TA_LEVEL_PROBLEM, subject, why->fix, "%s%s%s", place->str, place->len ? ": " : "", why->what);
}

void report_text(struct ta_report *report, const char *name, const char *text) {
    const struct ta_fact fact = {keep(report, name), keep(report, text), 0};
    g_array_append_val(report->facts, fact);
}

void report_number(struct ta_report *report, const char *name, int64_t number) {
    const struct ta_fact fact = {keep(report, name), NULL, number};
    g_array_append_val(report->facts, fact);
}

static void begin_table(struct ta_report *report, const char *name, const struct ta_column *columns, bool is_record,
                        bool for_programs) {
    struct filling filling = {.table = {.name = name, .is_record = is_record, .for_programs = for_programs},
                              .columns = g_array_new(TRUE, TRUE, sizeof(struct ta_column)),
                              .cells = g_array_new(FALSE, TRUE, sizeof(struct ta_cell))};
    for (; columns->name; ++columns)
        g_array_append_val(filling.columns, *columns);
    filling.table.columns = (const struct ta_column *)(const void *)filling.columns->data;
    filling.table.column_count = filling.columns->len;
    g_array_append_val(report->tables, filling);
}

void report_table(struct ta_report *report, const char *name, const struct ta_column *columns) {
    begin_table(report, name, columns, false, false);
}

void report_table_for_programs(struct ta_report *report, const char *name, const struct ta_column *columns) {
    begin_table(report, name, columns, false, true);
}

void report_row(struct ta_report *report, const struct ta_cell *cells) {
    struct filling *filling = &g_array_index(report->tables, struct filling, report->tables->len - 1);
    for (size_t i = 0; i < filling->table.column_count; ++i) {
        const struct ta_cell cell = {keep(report, cells[i].text && *cells[i].text ? cells[i].text : NULL),
                                     cells[i].number};
        g_array_append_val(filling->cells, cell);
    }
    filling->table.cells = (const struct ta_cell *)(const void *)filling->cells->data;
    ++filling->table.row_count;
}

void report_record(struct ta_report *report, const char *name, const struct ta_column *columns,
                   const struct ta_cell *cells) {
    begin_table(report, name, columns, true, false);
    report_row(report, cells);
}

void report_join(struct ta_report *to, const struct ta_report *from) {
    to->title = keep(to, from->title);
    to->next = keep(to, from->next);
    for (guint i = 0; i < from->findings->len; ++i) {
        const struct ta_finding *finding = ta_report_finding(from, i);
        report_add(to, finding->level, finding->subject, finding->fix, "%s", finding->message);
    }
    for (guint i = 0; i < from->tables->len; ++i) {
        const struct filling *filling = &g_array_index(from->tables, struct filling, i);
        const struct ta_table *table = &filling->table;
        begin_table(to, table->name, table->columns, table->is_record, table->for_programs);
        for (size_t k = 0; k < table->row_count; ++k)
            report_row(to, table->cells + k * table->column_count);
    }
    for (guint i = 0; i < from->facts->len; ++i) {
        const struct ta_fact *fact = ta_report_fact_at(from, i);
        const struct ta_fact own = {keep(to, fact->name), keep(to, fact->text), fact->number};
        g_array_append_val(to->facts, own);
    }
}

void report_recording(struct ta_report *report, struct ta_recording *recording) {
    g_ptr_array_add(report->recordings, recording);
}

void report_took(struct ta_report *report, double seconds) {
    report->seconds = seconds;
}

void report_drop(struct ta_report *report, enum ta_level level) {
    for (guint i = report->findings->len; i > 0; --i)
        if (ta_report_finding(report, i - 1)->level < level)
            g_array_remove_index(report->findings, i - 1);
}

/* A finding's place when problems come first. */
static int rank(enum ta_level level) {
    return level == TA_LEVEL_PROBLEM ? 0 : level == TA_LEVEL_WARNING ? 1 : 2;
}

void report_sort(struct ta_report *report) {
    GArray *sorted = g_array_sized_new(FALSE, TRUE, sizeof(struct ta_finding), report->findings->len);
    for (int wanted = 0; wanted <= 2; ++wanted)
        for (size_t i = 0; i < report->findings->len; ++i)
            if (rank(ta_report_finding(report, i)->level) == wanted)
                g_array_append_vals(sorted, ta_report_finding(report, i), 1);
    g_array_free(report->findings, TRUE);
    report->findings = sorted;
}
