/* Reports for programs. */
#include "cli/output.h"

#include <glib.h>
#include <jansson.h>

/* Texts that are not UTF-8 (a target may say anything) are shown with replacement characters. */
static json_t *text_json(const char *text) {
    g_autofree char *valid = text ? g_utf8_make_valid(text, -1) : NULL;
    return valid ? json_string(valid) : json_null();
}

/* TEXT is freed. */
static json_t *own_text_json(char *text) {
    json_t *json = text_json(text);
    g_free(text);
    return json;
}

static json_t *findings_json(const struct ta_report *report) {
    json_t *all = json_array();
    const struct ta_finding *finding;
    for (size_t i = 0; (finding = ta_report_finding(report, i)); ++i)
        json_array_append_new(all, json_pack("{s:s, s:o, s:o, s:o}", "level", ta_level_text(finding->level), "subject",
                                             text_json(finding->subject), "message",
                                             own_text_json(advice_text(finding->message)), "fix",
                                             own_text_json(advice_text(finding->fix))));
    return all;
}

static json_t *cell_json(enum ta_column_kind kind, const struct ta_cell *cell) {
    if (kind == TA_COLUMN_TEXT)
        return own_text_json(advice_text(cell->text));
    return cell->number < 0           ? json_null()
           : kind == TA_COLUMN_YES_NO ? json_boolean(cell->number)
                                      : json_integer(cell->number);
}

/* An object of tables, each a list of rows, each an object with a key for every column. */
static json_t *tables_json(const struct ta_report *report) {
    json_t *all = json_object();
    const struct ta_table *table;
    for (size_t i = 0; (table = ta_report_table(report, i)); ++i) {
        json_t *rows = json_array();
        for (size_t row = 0; row < table->row_count; ++row) {
            json_t *object = json_object();
            for (size_t k = 0; k < table->column_count; ++k)
                json_object_set_new(object, table->columns[k].name,
                                    cell_json(table->columns[k].kind, &table->cells[row * table->column_count + k]));
            json_array_append_new(rows, object);
        }
        json_object_set_new(all, table->name, rows);
    }
    return all;
}

static json_t *number_json(const struct ta_scene *scene, uint64_t value) {
    g_autofree char *text = g_strdup_printf("0x%0*" G_GINT64_MODIFIER "x", scene->xlen == 64 ? 16 : 8, value);
    return json_string(text);
}

/* The scene of the trap that a trial failed by; null for none. */
static json_t *trap_json(const struct ta_recording *recording) {
    const struct ta_scene *scene = recording->scene;
    if (!scene)
        return json_null();
    json_t *calls = json_array(), *registers = json_array(), *branches = json_array();
    for (size_t i = 0; i < recording->call_count; ++i)
        json_array_append_new(calls, text_json(recording->calls[i]));
    for (size_t i = 0; i <= TA_REGISTER_PC; ++i) /* x0 to x31, and pc */
        json_array_append_new(registers, number_json(scene, scene->registers[i]));
    for (size_t i = 0; i < scene->branch_count; ++i)
        json_array_append_new(branches, json_pack("{s:o, s:o}", "from", number_json(scene, scene->branches[i].from),
                                                  "to", number_json(scene, scene->branches[i].to)));
    return json_pack("{s:s, s:i, s:o, s:o, s:o, s:o, s:o}", "cause", ta_trap_text(scene->cause), "hart",
                     (int)scene->hart, "pc", number_json(scene, scene->registers[TA_REGISTER_PC]), "value",
                     number_json(scene, scene->value), "calls", calls, "registers", registers, "branches", branches);
}

static json_t *verdicts_json(const struct ta_report *report) {
    json_t *all = json_array();
    const struct ta_recording *recording;
    for (size_t i = 0; (recording = ta_report_recording(report, i)); ++i) {
        g_autofree char *trace = g_strdup_printf("%016" G_GINT64_MODIFIER "x", recording->trace);
        json_t *each =
            json_pack("{s:o, s:o, s:b, s:i, s:I, s:s}", "name", text_json(recording->trial), "file",
                      text_json(recording->file), "passed", recording->passed, "expectations",
                      (int)recording->expectations, "time_ns", (json_int_t)recording->time_ns, "trace", trace);
        if (!recording->passed) {
            json_object_set_new(each, "line", json_integer(recording->failed->line));
            json_object_set_new(each, "expected", text_json(recording->failed->source));
            json_object_set_new(each, "seen", own_text_json(recording_seen(recording)));
            json_object_set_new(each, "before", own_text_json(recording_before(recording)));
            json_object_set_new(each, "trap", trap_json(recording));
            if (recording->picture_file)
                json_object_set_new(
                    each, "pictures",
                    json_pack("{s:s, s:s}", "seen", recording->picture_file, "difference", recording->difference_file));
        }
        json_array_append_new(all, each);
    }
    return all;
}

static json_t *facts_json(const struct ta_report *report) {
    json_t *all = json_object();
    const struct ta_fact *fact;
    for (size_t i = 0; (fact = ta_report_fact_at(report, i)); ++i)
        json_object_set_new(all, fact->name, fact->text ? text_json(fact->text) : json_integer(fact->number));
    return all;
}

struct json_t *report_to_json(const char *command, const char *action, int exit_code, const struct ta_report *report,
                              const struct ta_problem *why) {
    json_t *document =
        json_pack("{s:s, s:o, s:i}", "command", command, "action", text_json(action), "exit_code", exit_code);
    json_object_set_new(document, "title", text_json(ta_report_title(report)));
    json_object_set_new(document, "findings", findings_json(report));
    json_object_set_new(document, "tables", tables_json(report));
    json_object_set_new(document, "verdicts", verdicts_json(report));
    json_object_set_new(document, "facts", facts_json(report));
    json_object_set_new(document, "seconds", json_real(ta_report_seconds(report)));
    json_object_set_new(document, "next", own_text_json(advice_text(ta_report_next(report))));
    if (why && *why->what)
        json_object_set_new(document, "problem",
                            json_pack("{s:o, s:i, s:i, s:o, s:o}", "file", text_json(why->file), "line", (int)why->line,
                                      "column", (int)why->column, "what", own_text_json(advice_text(why->what)), "fix",
                                      own_text_json(advice_text(why->fix))));
    return document;
}
