/* Reports for programs. */
#include "cli/output.h"

#include <glib.h>
#include <jansson.h>

/* Texts that are not UTF-8 (a target may say anything) are shown with replacement characters. */
static json_t *text_json(const char *text) {
    g_autofree char *valid = text ? g_utf8_make_valid(text, -1) : NULL;
    return valid ? json_string(valid) : json_null();
}

static json_t *findings_json(const struct ta_report *report) {
    json_t *all = json_array();
    for (size_t i = 0; i < report->finding_count; ++i) {
        const struct ta_finding *finding = &report->findings[i];
        json_array_append_new(all, json_pack("{s:s, s:o, s:o, s:o}", "level", ta_level_text(finding->level), "subject",
                                             text_json(finding->subject), "message", text_json(finding->message), "fix",
                                             text_json(finding->fix)));
    }
    return all;
}

static json_t *verdicts_json(const struct ta_report *report) {
    json_t *all = json_array();
    for (size_t i = 0; i < report->verdict_count; ++i) {
        const struct ta_verdict *verdict = &report->verdicts[i];
        g_autofree char *trace = g_strdup_printf("%016" G_GINT64_MODIFIER "x", verdict->trace);
        json_t *each = json_pack("{s:o, s:o, s:b, s:i, s:I, s:s}", "name", text_json(verdict->name), "file",
                                 text_json(verdict->file), "passed", verdict->passed, "expectations",
                                 (int)verdict->expectations, "time_ns", (json_int_t)verdict->time_ns, "trace", trace);
        if (!verdict->passed) {
            json_object_set_new(each, "line", json_integer(verdict->line));
            json_object_set_new(each, "expected", text_json(verdict->expected));
            json_object_set_new(each, "seen", text_json(verdict->seen));
            json_object_set_new(each, "before", text_json(verdict->before));
        }
        json_array_append_new(all, each);
    }
    return all;
}

static json_t *facts_json(const struct ta_report *report) {
    json_t *all = json_object();
    for (size_t i = 0; i < report->fact_count; ++i) {
        const struct ta_fact *fact = &report->facts[i];
        json_object_set_new(all, fact->name, fact->text ? text_json(fact->text) : json_integer(fact->number));
    }
    return all;
}

struct json_t *report_to_json(const char *command, int exit_code, const struct ta_report *report,
                              const struct ta_problem *why) {
    json_t *document = json_pack("{s:s, s:i}", "command", command, "exit_code", exit_code);
    json_object_set_new(document, "title", text_json(report->title));
    json_object_set_new(document, "findings", findings_json(report));
    json_object_set_new(document, "verdicts", verdicts_json(report));
    json_object_set_new(document, "facts", facts_json(report));
    json_object_set_new(document, "seconds", json_real(report->seconds));
    json_object_set_new(document, "next", text_json(report->next));
    if (why && *why->what)
        json_object_set_new(document, "problem",
                            json_pack("{s:o, s:i, s:i, s:o, s:o}", "file", text_json(why->file), "line", (int)why->line,
                                      "column", (int)why->column, "what", text_json(why->what), "fix",
                                      text_json(why->fix)));
    return document;
}
