#include "flow/live/shown.h"

#include "core/trial/levels.h"
#include "host/picture_file.h"

#include <sys/stat.h>

#define SHOWN_LAMPS  "shown.txt"
#define SHOWN_SCREEN "shown.png"

static const struct ta_connector *screen_of(const struct ta_profile *profile) {
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == TA_CONNECTOR_SCREEN)
            return &profile->connectors[i];
    return NULL;
}

static enum ta_status no_screen(const struct ta_profile *profile, struct ta_problem *why) {
    return ta_problem_set(why, TA_E_INPUT, "leave --screen out", "%s has no screen", profile->name);
}

static bool has_lamps(const struct ta_profile *profile) {
    for (size_t i = 0; i < profile->connector_count; ++i)
        if (profile->connectors[i].kind == TA_CONNECTOR_LAMPS)
            return true;
    return false;
}

/* "lamps 00000111", a line each. */
static enum ta_status keep_lamps(struct target *target, const struct ta_board *board, struct ta_problem *why) {
    g_autoptr(GString) text = g_string_new(NULL);
    g_autofree char *file = target_path(target->context, target->name, SHOWN_LAMPS);
    for (size_t i = 0; i < board->profile->connector_count; ++i) {
        const struct ta_connector *connector = &board->profile->connectors[i];
        char row[LEVEL_TEXT_BYTES];
        if (connector->kind == TA_CONNECTOR_LAMPS)
            g_string_append_printf(text, "%s\t%s\n", connector->name,
                                   level_text(board->values[i], connector->count, row));
    }
    return file_write(file, text->str, text->len, why);
}

static enum ta_status keep_screen(struct target *target, const char *screen, struct ta_problem *why) {
    const struct ta_connector *connector = screen_of(target->profile);
    struct ta_picture picture;
    if (!connector)
        return screen ? no_screen(target->profile, why) : TA_OK;
    if (!screen && !target->name)
        return TA_OK;
    enum ta_status status = ta_port_needs(&target->port, TA_CAN_PICTURE, why);
    if (!status)
        status = target->port.read_picture(target->port.self, connector->name, &picture, why);
    if (status)
        return status;
    g_autofree char *file = target->name ? target_path(target->context, target->name, SHOWN_SCREEN) : NULL;
    status = file ? picture_save(&picture, file, why) : TA_OK;
    if (!status && screen)
        status = picture_save(&picture, screen, why);
    ta_picture_free(&picture);
    return status;
}

enum ta_status shown_keep(struct target *target, const struct ta_board *board, const char *screen,
                          struct ta_problem *why) {
    enum ta_status status = TA_OK;
    if (target->name && target->port.capabilities & TA_CAN_OUTPUT)
        status = keep_lamps(target, board, why);
    return status ? status : keep_screen(target, screen, why);
}

static void report_lamps(const char *text, struct ta_report *report) {
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    for (char **line = lines; *line; ++line) {
        char *tab = strchr(*line, '\t');
        if (!tab)
            continue;
        *tab = '\0';
        report_row(report, CELLS(TEXT_CELL(*line), TEXT_CELL(tab + 1)));
    }
}

/* "3 min" */
static const char *age_text(struct arena *arena, gint64 age_s) {
    enum { MINUTE_S = 60, HOUR_S = 3600, MANY = 120 };
    if (age_s < MANY)
        return arena_printf(arena, "%" G_GINT64_FORMAT " s", age_s);
    if (age_s < MANY * MINUTE_S)
        return arena_printf(arena, "%" G_GINT64_FORMAT " min", age_s / MINUTE_S);
    return arena_printf(arena, "%" G_GINT64_FORMAT " h", age_s / HOUR_S);
}

enum ta_status ta_show_outputs(struct ta_context *context, const char *folder, const char *target, const char *screen,
                               struct ta_report *report, struct ta_problem *why) {
    enum { SHOWN_BYTES = 64 << 20 };
    static const struct ta_column columns[] = {{"output", TA_COLUMN_TEXT}, {"shows", TA_COLUMN_TEXT}, {0}};
    struct step step = step_begin(context, report);
    struct ta_profile profile;
    enum ta_status status = target_of_folder(context, folder, &target, why);
    status = status ? status : board_of_target(context, target, NULL, &profile, why);
    if (status)
        return step_end(&step, status);
    g_autofree char *lamps = target_path(context, target, SHOWN_LAMPS);
    g_autofree char *picture = target_path(context, target, SHOWN_SCREEN);
    g_autofree char *text = NULL, *bytes = NULL;
    size_t length = 0, size = 0;
    struct stat found;
    if (screen ? !screen_of(&profile) : !has_lamps(&profile))
        status = screen ? no_screen(&profile, why)
                        : ta_problem_set(why, TA_E_INPUT, "--screen FILE.png shows what it has", "%s has no lamps",
                                         profile.name);
    else if (stat(lamps, &found) || file_read(lamps, SHOWN_BYTES, &text, &length, NULL) ||
             (screen && file_read(picture, SHOWN_BYTES, &bytes, &size, NULL)))
        status = ta_problem_set(why, TA_E_NO, "{run}, then ask again", "%s has shown nothing yet", target);
    if (!status && screen)
        status = file_write_named(screen, bytes, size, why);
    if (status)
        return step_end(&step, status);
    report_title(report, "%s as its last run left it, %s ago", target,
                 age_text(context->arena, MAX(g_get_real_time() / G_USEC_PER_SEC - found.st_mtime, 0)));
    report_table(report, "outputs", columns);
    report_lamps(text, report);
    if (screen)
        report_row(report, CELLS(TEXT_CELL(screen_of(&profile)->name), TEXT_CELL(screen)));
    return step_end(&step, TA_OK);
}
