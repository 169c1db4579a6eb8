/* bench list and bench show: the targets that a user has. */
#include "tameanchor/bench.h"

#include "base/text.h"
#include "base/units.h"
#include "flow/bench/bench.h"

static const struct ta_column target_columns[] = {{"target", TA_COLUMN_TEXT},   {"profile", TA_COLUMN_TEXT},
                                                  {"title", TA_COLUMN_TEXT},    {"power", TA_COLUMN_TEXT},
                                                  {"switches", TA_COLUMN_TEXT}, {0}};

/* "boot flash, usb cable plugged". */
static char *switches_text(const struct bench_entry *entry) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < entry->profile.switch_count; ++i) {
        const char *name = entry->profile.switches[i].name;
        g_string_append_printf(text, "%s%s %s", i ? ", " : "", name,
                               target_state(&entry->target, &entry->profile, name));
    }
    return g_string_free(g_steal_pointer(&text), FALSE);
}

static void add_entry(struct ta_report *report, const struct bench_entry *entry) {
    g_autofree char *switches = switches_text(entry);
    report_row(report,
               CELLS(TEXT_CELL(entry->target.target), TEXT_CELL(entry->profile.name), TEXT_CELL(entry->profile.title),
                     TEXT_CELL(target_state(&entry->target, &entry->profile, "power")), TEXT_CELL(switches)));
}

void bench_report_entry(struct ta_report *report, const struct bench_entry *entry) {
    report_table(report, "targets", target_columns);
    add_entry(report, entry);
}

enum ta_status ta_bench_list(struct ta_context *context, struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_auto(GStrv) names = target_names(context);
    report_table(report, "targets", target_columns);
    for (char **name = names; *name; ++name) {
        struct bench_entry entry;
        struct ta_problem found = {0};
        if (bench_entry_read(context, *name, &entry, &found))
            report_problem(report, *name, &found);
        else
            add_entry(report, &entry);
    }
    report_number(report, "targets", g_strv_length(names));
    report_next(report, *names ? "{show-target NAME}" : "{add-target PROFILE}");
    return step_end(&step, *names ? TA_OK : ta_problem_set(why, TA_E_NO, "{add-target PROFILE}", "the bench is empty"));
}

/* The platform image of an emulator, with its size; null with a warning when it is not here. */
static const char *describe_platform(struct ta_context *context, const struct bench_entry *entry,
                                     struct ta_report *report) {
    const char *name = entry->profile.platform, *version = entry->target.platform_version;
    char size[UNIT_TEXT_BYTES];
    struct catalog_item *item = NULL;
    if (!name)
        return NULL;
    if (!version || catalog_need(context, PACKAGE_PLATFORM, name, version, &item, NULL) ||
        catalog_read(context, item, NULL)) {
        g_autofree char *fix = target_renew_fix(&entry->target, name);
        report_add(report, TA_LEVEL_WARNING, "platform", fix, "%s is not installed", name);
        return NULL;
    }
    const char *file = item->model.platform->image;
    g_autofree char *image = g_build_filename(item->path, file, NULL);
    return arena_printf(context->arena, "%s %s, %s, %s", name, version, file,
                        unit_format(size, UNIT_SIZE_BYTES, file_size(image)));
}

static const struct ta_column about_columns[] = {
    {"target", TA_COLUMN_TEXT}, {"profile", TA_COLUMN_TEXT},  {"version", TA_COLUMN_TEXT},
    {"like", TA_COLUMN_TEXT},   {"title", TA_COLUMN_TEXT},    {"isa", TA_COLUMN_TEXT},
    {"clock", TA_COLUMN_HERTZ}, {"platform", TA_COLUMN_TEXT}, {0}};
static const struct ta_column set_columns[] = {{"key", TA_COLUMN_TEXT}, {"value", TA_COLUMN_TEXT}, {0}};
static const struct ta_column switch_columns[] = {
    {"switch", TA_COLUMN_TEXT}, {"position", TA_COLUMN_TEXT}, {"positions", TA_COLUMN_TEXT}, {0}};

static void describe_switches(const struct bench_entry *entry, struct ta_report *report) {
    report_table(report, "switches", switch_columns);
    report_row(report, CELLS(TEXT_CELL("power"), TEXT_CELL(target_state(&entry->target, &entry->profile, "power")),
                             TEXT_CELL("on, off")));
    for (size_t i = 0; i < entry->profile.switch_count; ++i) {
        const struct ta_switch *each = &entry->profile.switches[i];
        g_autoptr(GString) positions = g_string_new(NULL);
        for (size_t k = 0; k < each->position_count; ++k)
            g_string_append_printf(positions, "%s%s", k ? ", " : "", each->positions[k]);
        report_row(report,
                   CELLS(TEXT_CELL(each->name), TEXT_CELL(target_state(&entry->target, &entry->profile, each->name)),
                         TEXT_CELL(positions->str)));
    }
}

enum ta_status ta_bench_show(struct ta_context *context, const char *name, struct ta_report *report,
                             struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct bench_entry entry;
    enum ta_status status = bench_entry_read(context, name, &entry, why);
    if (!status) {
        const struct ta_profile *profile = &entry.profile;
        struct ta_problem found = {0};
        const char *platform = describe_platform(context, &entry, report);
        report_title(report, "%s: %s", name, profile->title);
        report_record(report, "about", about_columns,
                      CELLS(TEXT_CELL(name), TEXT_CELL(profile->name), TEXT_CELL(profile->version),
                            TEXT_CELL(profile->like), TEXT_CELL(profile->title), TEXT_CELL(profile->isa),
                            COUNT_CELL(profile->clock_hz), TEXT_CELL(platform)));
        report_table(report, "set", set_columns);
        for (size_t i = 0; i < entry.target.set.count; ++i)
            report_row(report,
                       CELLS(TEXT_CELL(entry.target.set.items[i].name), TEXT_CELL(entry.target.set.items[i].value)));
        describe_switches(&entry, report);
        board_describe(context->arena, profile, report);
        if (target_can_be_reached(context, &entry.target, profile, &found))
            report_problem(report, "machine", &found);
        report_next(report, "{target %s}", name);
    }
    return step_end(&step, status);
}
