/* The plan of a build, shown: what would be done, in which order, and why. */
#include "flow/builder/builder.h"

static char *command_text(const struct action *action) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; action->head && i < action->head->count; ++i) {
        g_autofree char *quoted = g_shell_quote(action->head->items[i]);
        bool plain = !strpbrk(action->head->items[i], " '\"\\$&;<>|*?()");
        g_string_append_printf(text, "%s%s", text->len ? " " : "", plain ? action->head->items[i] : quoted);
    }
    for (size_t i = 0; action->head && i < action->tail.count; ++i) {
        g_autofree char *quoted = g_shell_quote(action->tail.items[i]);
        bool plain = !strpbrk(action->tail.items[i], " '\"\\$&;<>|*?()");
        g_string_append_printf(text, " %s", plain ? action->tail.items[i] : quoted);
    }
    return g_strdup(text->str);
}

static char *list_text(const struct texts *list) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < list->count; ++i)
        g_string_append_printf(text, "%s%s", i ? "\n" : "", list->items[i]);
    return g_strdup(text->str);
}

/* Why an action is done; null for one that is not. */
static const char *reason_of(const struct builder *builder, size_t index) {
    const struct turn *turn = &builder->turns[index];
    return turn->state == TURN_CURRENT ? NULL : turn->reason ? turn->reason : "what it needs is made anew";
}

static void report_plan(struct builder *builder, struct ta_report *report) {
    static const struct ta_column columns[] = {
        {"step", TA_COLUMN_TEXT}, {"name", TA_COLUMN_TEXT}, {"needs", TA_COLUMN_NUMBER}, {"why", TA_COLUMN_TEXT}, {0}};
    static const struct ta_column all[] = {{"step", TA_COLUMN_TEXT},         {"name", TA_COLUMN_TEXT},
                                           {"inputs", TA_COLUMN_TEXT},       {"outputs", TA_COLUMN_TEXT},
                                           {"command", TA_COLUMN_TEXT},      {"expected_ms", TA_COLUMN_NUMBER},
                                           {"up_to_date", TA_COLUMN_YES_NO}, {0}};
    const struct plan *plan = &builder->plan;
    size_t wanted = 0;
    double left_s = 0;
    report_table(report, "plan", columns);
    for (size_t i = 0; i < plan->count; ++i) {
        const char *reason = reason_of(builder, i);
        wanted += reason != NULL;
        left_s += reason ? builder->seconds[i] : 0;
        report_row(report, CELLS(TEXT_CELL(action_kind_words[plan->actions[i].kind]), TEXT_CELL(plan->actions[i].name),
                                 COUNT_CELL(plan->actions[i].need_count), TEXT_CELL(reason ? reason : "up to date")));
    }
    report_table_for_programs(report, "actions", all);
    for (size_t i = 0; i < plan->count; ++i) {
        const struct action *action = &plan->actions[i];
        g_autofree char *inputs = list_text(&action->inputs), *outputs = list_text(&action->outputs),
                        *command = command_text(action);
        report_row(report, CELLS(TEXT_CELL(action_kind_words[action->kind]), TEXT_CELL(action->name), TEXT_CELL(inputs),
                                 TEXT_CELL(outputs), TEXT_CELL(command), COUNT_CELL(builder->seconds[i] * 1e3),
                                 COUNT_CELL(reason_of(builder, i) == NULL)));
    }
    report_title(report, "the plan of %s: %zu of %zu steps to do, about %.2f s of work",
                 builder->workspace->project.project, wanted, plan->count, left_s);
    report_number(report, "wanted", (int64_t)wanted);
    report_number(report, "actions", (int64_t)plan->count);
}

enum ta_status ta_build_plan(struct ta_context *context, const char *folder, const struct ta_build *asked,
                             const char *picture, struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_build build = {0};
    struct workspace workspace;
    struct builder builder = {.report = NULL};
    struct built built;
    enum ta_status status = asked ? request_copy(asked, &build, sizeof build, why) : TA_OK;
    if (!status)
        status = workspace_open(context, folder, NULL, &workspace, why);
    if (!status)
        status = workspace_load(&workspace, why);
    if (!status)
        status = builder_open(&builder, &workspace, &build, &built, report, why);
    if (!status)
        status = builder_run(&builder, true);
    if (!status) {
        report_plan(&builder, report);
        report_next(report, "{build}");
        if (picture)
            status = builder_draw_plan(&builder, picture);
    }
    builder_close(&builder, status);
    return step_end(&step, status);
}
