/* show --memory: what the image takes of each memory, of what, and what changed. */
#include "base/units.h"
#include "flow/builder/builder.h"
#include "flow/builder/memory.h"
#include "host/picture.h"

enum { LARGEST = 20, WIDTH = 1280, HEIGHT = 800, MARGIN = 24 };

/* The project's maps; a map that is not there has no sizes. */
struct maps {
    struct memory_map now, before, verified;
};

static const struct memory_symbol *symbol_of(const struct memory_map *map, const struct memory_symbol *like) {
    for (size_t i = 0; i < map->symbol_count; ++i)
        if (!strcmp(map->symbols[i].name, like->name) && !strcmp(map->symbols[i].region, like->region))
            return &map->symbols[i];
    return NULL;
}

/* "+24 B", "-8 B", "new"; null for no change. Freed with g_free. */
static char *change_text(int64_t now, int64_t then) {
    char size[UNIT_TEXT_BYTES];
    if (now == then)
        return NULL;
    return g_strdup_printf("%s%s", now > then ? "+" : "-",
                           unit_format(size, UNIT_SIZE_BYTES, (uint64_t)(now > then ? now - then : then - now)));
}

static char *size_change(const struct memory_map *map, const struct memory_size *size) {
    const struct memory_size *old = memory_map_size(map, size->name);
    return old ? change_text((int64_t)size->used_bytes, (int64_t)old->used_bytes) : NULL;
}

static char *symbol_change(const struct memory_map *map, const struct memory_symbol *symbol) {
    const struct memory_symbol *old = symbol_of(map, symbol);
    return !map->size_count ? NULL
           : old            ? change_text((int64_t)symbol->size_bytes, (int64_t)old->size_bytes)
                            : g_strdup("new");
}

static void report_sizes(const struct maps *maps, struct ta_report *report) {
    static const struct ta_column columns[] = {{"memory", TA_COLUMN_TEXT},
                                               {"used", TA_COLUMN_BYTES},
                                               {"free", TA_COLUMN_BYTES},
                                               {"size", TA_COLUMN_BYTES},
                                               {"since_before", TA_COLUMN_TEXT},
                                               {"since_verified", TA_COLUMN_TEXT},
                                               {0}};
    report_table(report, "usage", columns);
    for (size_t i = 0; i < maps->now.size_count; ++i) {
        const struct memory_size *size = &maps->now.sizes[i];
        g_autofree char *before = size_change(&maps->before, size), *verified = size_change(&maps->verified, size);
        report_row(report,
                   CELLS(TEXT_CELL(size->name), COUNT_CELL(size->used_bytes),
                         COUNT_CELL(size->size_bytes > size->used_bytes ? size->size_bytes - size->used_bytes : 0),
                         COUNT_CELL(size->size_bytes), TEXT_CELL(before), TEXT_CELL(verified)));
    }
}

static void report_symbols(const struct maps *maps, struct ta_report *report) {
    static const struct ta_column columns[] = {{"symbol", TA_COLUMN_TEXT},         {"memory", TA_COLUMN_TEXT},
                                               {"size", TA_COLUMN_BYTES},          {"since_before", TA_COLUMN_TEXT},
                                               {"since_verified", TA_COLUMN_TEXT}, {0}};
    report_table(report, "symbols", columns);
    for (size_t i = 0; i < maps->now.symbol_count; ++i) { /* the largest, and what changed */
        const struct memory_symbol *symbol = &maps->now.symbols[i];
        g_autofree char *before = symbol_change(&maps->before, symbol),
                        *verified = symbol_change(&maps->verified, symbol);
        if (i >= LARGEST && !before && !verified)
            continue;
        report_row(report, CELLS(TEXT_CELL(symbol->name), TEXT_CELL(symbol->region), COUNT_CELL(symbol->size_bytes),
                                 TEXT_CELL(before), TEXT_CELL(verified)));
    }
}

/* A bar as long as the memory, filled as far as it is used, and its largest symbols below. */
static void draw_memory(struct picture *picture, const struct maps *maps, const struct memory_size *size, double y,
                        double height) {
    enum { BAR = 26, LINE = 19, LABEL = 330, SYMBOL_BAR = 640 };
    char used[UNIT_TEXT_BYTES], whole[UNIT_TEXT_BYTES];
    double wide = WIDTH - 2.0 * MARGIN,
           share = size->size_bytes ? (double)size->used_bytes / (double)size->size_bytes : 0;
    g_autofree char *before = size_change(&maps->before, size), *verified = size_change(&maps->verified, size);
    g_autofree char *title = g_strdup_printf(
        "%s: %s of %s used (%.1f %%)%s%s%s%s", size->name, unit_format(used, UNIT_SIZE_BYTES, size->used_bytes),
        unit_format(whole, UNIT_SIZE_BYTES, size->size_bytes), 100 * share, before ? ", since the build before " : "",
        before ? before : "", verified ? ", since it was verified " : "", verified ? verified : "");
    picture_text(picture, MARGIN, y, wide, 15, false, title);
    picture_box(picture, MARGIN, y + 10, wide, BAR, PAINT_FREE);
    picture_box(picture, MARGIN, y + 10, MIN(share, 1) * wide, BAR, PAINT_USED);
    double at = y + 10 + BAR + 22, most = 0;
    for (size_t i = 0; i < maps->now.symbol_count && at < y + height - LINE; ++i) {
        const struct memory_symbol *symbol = &maps->now.symbols[i];
        char bytes[UNIT_TEXT_BYTES];
        if (strcmp(symbol->region, size->name))
            continue;
        const struct memory_symbol *old = symbol_of(&maps->before, symbol);
        uint64_t was = old ? old->size_bytes : 0;
        bool compared = maps->before.size_count > 0;
        enum paint paint = !compared || was == symbol->size_bytes ? PAINT_USED
                           : was < symbol->size_bytes             ? PAINT_MORE
                                                                  : PAINT_LESS;
        g_autofree char *change = symbol_change(&maps->before, symbol);
        g_autofree char *label = g_strdup_printf("%s%s%s", unit_format(bytes, UNIT_SIZE_BYTES, symbol->size_bytes),
                                                 change ? "  " : "", change ? change : "");
        most = MAX(most, (double)symbol->size_bytes);
        picture_text(picture, MARGIN, at, LABEL - 12, 12, false, symbol->name);
        picture_box(picture, MARGIN + LABEL, at - 11, MAX((double)symbol->size_bytes / most * SYMBOL_BAR, 1), 12,
                    paint);
        picture_text(picture, MARGIN + LABEL + (double)symbol->size_bytes / most * SYMBOL_BAR + 8, at, 200, 12, false,
                     label);
        at += LINE;
    }
}

static enum ta_status draw(const struct maps *maps, const char *title, const char *path, struct ta_problem *why) {
    enum { TOP = 70 };
    struct picture *picture;
    enum ta_status status = picture_new(WIDTH, HEIGHT, &picture, why);
    if (status)
        return status;
    double height = (HEIGHT - TOP - MARGIN) / (double)maps->now.size_count;
    picture_text(picture, MARGIN, 34, WIDTH - 2 * MARGIN, 20, false, title);
    picture_box(picture, WIDTH - 420, 22, 14, 14, PAINT_USED);
    picture_text(picture, WIDTH - 400, 34, 80, 12, false, "used");
    picture_box(picture, WIDTH - 340, 22, 14, 14, PAINT_MORE);
    picture_text(picture, WIDTH - 320, 34, 120, 12, false, "grew since before");
    picture_box(picture, WIDTH - 190, 22, 14, 14, PAINT_LESS);
    picture_text(picture, WIDTH - 170, 34, 150, 12, false, "shrank since before");
    for (size_t i = 0; i < maps->now.size_count; ++i)
        draw_memory(picture, maps, &maps->now.sizes[i], TOP + 10 + (double)i * height, height);
    return picture_write(picture, path, why);
}

enum ta_status ta_show_memory(struct ta_context *context, const char *folder, const char *path,
                              struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    struct maps maps;
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (!status && (!workspace.configured ||
                    !memory_map_read(workspace_path(&workspace, workspace.layout.memory), context->arena, &maps.now)))
        status = ta_problem_set(why, TA_E_NO, workspace.configured ? "{build}" : "{configure}", "%s is not built yet",
                                workspace.project.project);
    if (status)
        return step_end(&step, status);
    memory_map_read(workspace_path(&workspace, workspace.layout.memory_before), context->arena, &maps.before);
    memory_map_read(workspace_path(&workspace, workspace.layout.memory_verified), context->arena, &maps.verified);
    g_autofree char *title =
        g_strdup_printf("the memory of %s on %s", workspace.project.project, workspace.setup.target);
    report_title(report, "%s", title);
    report_sizes(&maps, report);
    report_symbols(&maps, report);
    if (path)
        status = draw(&maps, title, path, why);
    return step_end(&step, status);
}
