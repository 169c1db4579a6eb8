/* Filling a report. */
#ifndef TA_FLOW_REPORT_H
#define TA_FLOW_REPORT_H

#include "tameanchor/report.h"

#include <glib.h>

/* As ta_report_new gives it. */
void report_clear(struct ta_report *report);
void report_title(struct ta_report *report, const char *format, ...) G_GNUC_PRINTF(2, 3);
void report_next(struct ta_report *report, const char *format, ...) G_GNUC_PRINTF(2, 3);
void report_add(struct ta_report *report, enum ta_level level, const char *subject, const char *fix, const char *format,
                ...) G_GNUC_PRINTF(5, 6);
/* Problems first, then warnings; what is equal keeps its order. */
void report_sort(struct ta_report *report);

/* Takes away the findings below LEVEL. */
void report_drop(struct ta_report *report, enum ta_level level);

/* A problem as a finding, its place in front. */
void report_problem(struct ta_report *report, const char *subject, const struct ta_problem *why);
void report_text(struct ta_report *report, const char *name, const char *text);
void report_number(struct ta_report *report, const char *name, int64_t number);

/* Tables. COLUMNS end with a null name and are copied; NAME lasts as long as the program. Rows go to the table that was begun
   last, CELLS in the order of its columns, their texts copied. A record is one row. */
void report_table(struct ta_report *report, const char *name, const struct ta_column *columns);
void report_table_for_programs(struct ta_report *report, const char *name, const struct ta_column *columns);
void report_row(struct ta_report *report, const struct ta_cell *cells);
void report_record(struct ta_report *report, const char *name, const struct ta_column *columns,
                   const struct ta_cell *cells);
#define CELLS(...) ((const struct ta_cell[]){__VA_ARGS__})
#define TEXT_CELL(of)                                                                                                  \
    { .text = (of) }
#define COUNT_CELL(of)                                                                                                 \
    { .number = (int64_t)(of) }

/* Adds the findings, tables and facts of FROM to TO; its title and next step take the place of TO's own. */
void report_join(struct ta_report *to, const struct ta_report *from);

/* RECORDING is the report's from now on. */
void report_recording(struct ta_report *report, struct ta_recording *recording);

void report_took(struct ta_report *report, double seconds);

#endif
