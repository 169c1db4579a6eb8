/* A project's setup as it is, compared with the one that was verified last, and going back to that one. */
#include "base/units.h"
#include "flow/setup/setup.h"
#include "host/model_files.h"

enum { SETUP_BYTES = 1 << 20 };

/* What a setup says, a value for each of these. */
enum value {
    SDK,
    COMPONENTS,
    COMPILER,
    TARGET,
    PROFILE,
    OPTIMISE,
    LAUNCHER,
    WITH,
    WITHOUT,
    STACK,
    HEAP,
    CLOCK,
    CONSOLE,
    VALUES
};

static const struct ta_column columns[VALUES + 1] = {
    [SDK] = {"sdk", TA_COLUMN_TEXT},
    [COMPONENTS] = {"components", TA_COLUMN_TEXT},
    [COMPILER] = {"compiler", TA_COLUMN_TEXT},
    [TARGET] = {"target", TA_COLUMN_TEXT},
    [PROFILE] = {"profile", TA_COLUMN_TEXT},
    [OPTIMISE] = {"optimise", TA_COLUMN_TEXT},
    [LAUNCHER] = {"compiler_launcher", TA_COLUMN_TEXT},
    [WITH] = {"with", TA_COLUMN_TEXT},
    [WITHOUT] = {"without", TA_COLUMN_TEXT},
    [STACK] = {"stack", TA_COLUMN_BYTES},
    [HEAP] = {"heap", TA_COLUMN_BYTES},
    [CLOCK] = {"clock", TA_COLUMN_HERTZ},
    [CONSOLE] = {"console_speed", TA_COLUMN_NUMBER},
};

static const char *pins_text(struct arena *arena, const struct pins *pins) {
    const char *text = "";
    for (size_t i = 0; i < pins->count; ++i)
        text = arena_printf(arena, "%s%s%s %s", text, i ? ", " : "", pins->items[i].name, pins->items[i].version);
    return text;
}

/* 0 means not chosen. */
static int64_t chosen(uint64_t value) {
    return value ? (int64_t)value : -1;
}

static void setup_cells(struct arena *arena, const struct setup *setup, struct ta_cell cells[VALUES]) {
    const char *with = "", *without = "";
    for (size_t i = 0; i < setup->with.count; ++i)
        with = arena_printf(arena, "%s%s%s %s", with, i ? ", " : "", setup->with.items[i].name,
                            setup->with.items[i].range);
    for (size_t i = 0; i < setup->without.count; ++i)
        without = arena_printf(arena, "%s%s%s", without, i ? ", " : "", setup->without.items[i]);
    cells[SDK].text = arena_printf(arena, "%s %s", setup->sdk, setup->sdk_version);
    cells[COMPONENTS].text = pins_text(arena, &setup->components);
    cells[COMPILER].text = arena_printf(arena, "%s %s", compiler_words[setup->compiler], setup->compiler_version);
    cells[TARGET].text = setup->target;
    cells[PROFILE].text = setup->profile;
    cells[OPTIMISE].text = arena_printf(arena, "for %s", optimisation_words[setup->optimise]);
    cells[LAUNCHER].text = setup->launcher ? launcher_words[setup->launcher] : NULL;
    cells[WITH].text = with;
    cells[WITHOUT].text = without;
    cells[STACK].number = chosen(setup->options.stack_bytes);
    cells[HEAP].number = chosen(setup->options.heap_bytes);
    cells[CLOCK].number = chosen(setup->options.clock_hz);
    cells[CONSOLE].number = chosen(setup->options.console_baud);
}

/* A cell as one of a table of texts. */
static const char *value_text(struct arena *arena, enum value value, const struct ta_cell *cell) {
    char text[UNIT_TEXT_BYTES];
    if (columns[value].kind == TA_COLUMN_TEXT)
        return cell->text;
    if (cell->number < 0)
        return NULL;
    if (value == CONSOLE)
        return arena_printf(arena, "%lld", (long long)cell->number);
    return arena_text(arena,
                      unit_format(text, value == CLOCK ? UNIT_FREQUENCY_HZ : UNIT_SIZE_BYTES, (uint64_t)cell->number));
}

static enum ta_status no_verified(struct workspace *workspace, struct ta_problem *why) {
    return g_file_test(workspace_path(workspace, VERIFIED_SETUP), G_FILE_TEST_EXISTS)
               ? TA_OK
               : ta_problem_set(why, TA_E_NO, "{verify}, until all trials pass", "no setup of %s has been verified yet",
                                workspace->project.project);
}

static void show(struct workspace *workspace, struct ta_report *report) {
    struct ta_cell cells[VALUES] = {0};
    setup_cells(workspace->context->arena, &workspace->setup, cells);
    report_record(report, "setup", columns, cells);
    report_next(report, "{compare} compares it with the one that was verified");
}

static enum ta_status compare(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    static const struct ta_column change_columns[] = {
        {"setting", TA_COLUMN_TEXT}, {"verified", TA_COLUMN_TEXT}, {"now", TA_COLUMN_TEXT}, {0}};
    struct arena *arena = workspace->context->arena;
    struct ta_cell now[VALUES] = {0}, then[VALUES] = {0};
    struct setup verified = {0};
    unsigned changes = 0;
    enum ta_status status = no_verified(workspace, why);
    if (!status)
        status = setup_read(workspace_path(workspace, VERIFIED_SETUP), VERIFIED_SETUP, arena, &verified, why);
    if (status)
        return status;
    setup_cells(arena, &workspace->setup, now);
    setup_cells(arena, &verified, then);
    report_table(report, "changes", change_columns);
    for (int i = 0; i < VALUES; ++i) {
        const char *is = value_text(arena, i, &now[i]), *was = value_text(arena, i, &then[i]);
        if (!g_strcmp0(is, was))
            continue;
        report_row(report, CELLS(TEXT_CELL(columns[i].name), TEXT_CELL(was), TEXT_CELL(is)));
        ++changes;
    }
    if (!changes)
        report_add(report, TA_LEVEL_OK, "setup", NULL, "the same as when all trials passed");
    report_number(report, "changes", changes);
    report_next(report, changes ? "{back} restores the verified one" : "{verify}");
    return TA_OK;
}

static enum ta_status go_back(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length;
    enum ta_status status = no_verified(workspace, why);
    if (!status)
        status = file_read(workspace_path(workspace, VERIFIED_SETUP), SETUP_BYTES, &text, &length, why);
    if (!status)
        status = compare(workspace, report, why);
    if (!status)
        status = file_write(workspace_path(workspace, "setup.yaml"), text, length, why);
    if (!status)
        report_next(report, "{ready}");
    return status;
}

enum ta_status ta_configure_look(struct ta_context *context, const char *folder, enum ta_setup_look look,
                                 struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status =
        workspace_open(context, folder, look == TA_SETUP_BACK ? "configure" : NULL, &workspace, why);
    if (!status)
        status = workspace_is_configured(&workspace, why);
    if (!status) {
        report_title(report, "%s on %s", workspace.project.project, workspace.setup.target);
        if (look == TA_SETUP_SHOW)
            show(&workspace, report);
        else
            status = look == TA_SETUP_DIFF ? compare(&workspace, report, why) : go_back(&workspace, report, why);
    }
    workspace_leave(&workspace);
    return step_end(&step, status);
}
