/* Filling a report. */
#ifndef TA_FLOW_REPORT_H
#define TA_FLOW_REPORT_H

#include "tameanchor/report.h"

#include <glib.h>

void report_title(struct ta_report *report, const char *format, ...) G_GNUC_PRINTF(2, 3);
void report_next(struct ta_report *report, const char *format, ...) G_GNUC_PRINTF(2, 3);
void report_add(struct ta_report *report, enum ta_level level, const char *subject, const char *fix, const char *format,
                ...) G_GNUC_PRINTF(5, 6);
/* Problems first, then warnings; what is equal keeps its order. */
void report_sort(struct ta_report *report);

/* A problem as a finding, its place in front. */
void report_problem(struct ta_report *report, const char *subject, const struct ta_problem *why);
void report_text(struct ta_report *report, const char *name, const char *text);
void report_number(struct ta_report *report, const char *name, int64_t number);

/* RECORDING is the report's from now on. */
void report_recording(struct ta_report *report, struct ta_recording *recording);

void report_took(struct ta_report *report, double seconds);

#endif
