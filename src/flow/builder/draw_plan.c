/* The plan as a picture: a column for each step from the sources to the image, a box for each action. */
#include "flow/builder/builder.h"
#include "host/picture.h"

enum { COLUMNS = 12, SHOWN = 26, WIDTH = 1280, HEIGHT = 800, TOP = 90, MARGIN = 24, GAP = 46, LEAST_ROWS = 9 };

struct sheet {
    struct picture *picture;
    const struct builder *builder;
    unsigned *depth; /* of each action: how many must be done before, one after the other */
    unsigned count[COLUMNS], placed[COLUMNS], columns;
    double x_step, box_width, *x, *y; /* where each stands; 0 when it is not shown */
    double box_height;
};

static bool is_to_do(const struct builder *builder, size_t index) {
    return builder->turns[index].state != TURN_CURRENT;
}

static void find_columns(struct sheet *sheet) {
    const struct plan *plan = &sheet->builder->plan;
    for (size_t i = 0; i < plan->count; ++i) {
        for (size_t k = 0; k < plan->actions[i].need_count; ++k)
            sheet->depth[i] = MAX(sheet->depth[i], sheet->depth[plan->actions[i].needs[k]] + 1);
        sheet->depth[i] = MIN(sheet->depth[i], COLUMNS - 1);
        ++sheet->count[sheet->depth[i]];
        sheet->columns = MAX(sheet->columns, sheet->depth[i] + 1);
    }
}

/* What is to do is shown before what is not, when there is no room for all. */
static void place(struct sheet *sheet, bool to_do) {
    const struct plan *plan = &sheet->builder->plan;
    for (size_t i = 0; i < plan->count; ++i) {
        unsigned column = sheet->depth[i];
        if (is_to_do(sheet->builder, i) != to_do || sheet->placed[column] >= SHOWN)
            continue;
        unsigned rows = MIN(sheet->count[column], SHOWN);
        double step = (HEIGHT - TOP - MARGIN - 20.0) / MAX(rows, LEAST_ROWS);
        sheet->x[i] = MARGIN + column * sheet->x_step;
        sheet->y[i] = TOP + sheet->placed[column]++ * step;
    }
}

static void draw_arrows(struct sheet *sheet) {
    const struct plan *plan = &sheet->builder->plan;
    for (size_t i = 0; i < plan->count; ++i)
        for (size_t k = 0; sheet->x[i] > 0 && k < plan->actions[i].need_count; ++k) {
            size_t need = plan->actions[i].needs[k];
            if (sheet->x[need] > 0)
                picture_line(sheet->picture, sheet->x[need] + sheet->box_width, sheet->y[need] + sheet->box_height / 2,
                             sheet->x[i], sheet->y[i] + sheet->box_height / 2, PAINT_PALE);
        }
}

static void draw_boxes(struct sheet *sheet) {
    const struct builder *builder = sheet->builder;
    for (size_t i = 0; i < builder->plan.count; ++i) {
        const struct action *action = &builder->plan.actions[i];
        bool to_do = is_to_do(builder, i);
        double x = sheet->x[i], y = sheet->y[i], inside = sheet->box_width - 10;
        const char *why = !to_do                     ? "up to date"
                          : builder->turns[i].reason ? builder->turns[i].reason
                                                     : "what it needs is made anew";
        g_autofree char *first = g_strdup_printf("%s %s", action_kind_words[action->kind], action->name);
        if (x <= 0)
            continue;
        picture_box(sheet->picture, x, y, sheet->box_width, sheet->box_height, to_do ? PAINT_TO_DO : PAINT_DONE);
        picture_text(sheet->picture, x + 5, y + sheet->box_height / 2 - 2, inside, sheet->box_height * 0.36, false,
                     first);
        picture_text(sheet->picture, x + 5, y + sheet->box_height * 0.86, inside, sheet->box_height * 0.31, false, why);
    }
    for (unsigned column = 0; column < sheet->columns; ++column) {
        g_autofree char *more = g_strdup_printf("and %u more", sheet->count[column] - sheet->placed[column]);
        if (sheet->count[column] > sheet->placed[column])
            picture_text(sheet->picture, MARGIN + column * sheet->x_step, HEIGHT - 12, sheet->box_width, 11, false,
                         more);
    }
}

enum ta_status builder_draw_plan(struct builder *builder, const char *path) {
    struct sheet sheet = {.builder = builder};
    const struct plan *plan = &builder->plan;
    size_t wanted = 0;
    enum ta_status status = picture_new(WIDTH, HEIGHT, &sheet.picture, builder->why);
    if (status)
        return status;
    sheet.depth = g_new0(unsigned, plan->count + 1);
    sheet.x = g_new0(double, plan->count + 1);
    sheet.y = g_new0(double, plan->count + 1);
    find_columns(&sheet);
    sheet.x_step = (WIDTH - 2.0 * MARGIN + GAP) / sheet.columns;
    sheet.box_width = sheet.x_step - GAP;
    unsigned most = LEAST_ROWS;
    for (unsigned i = 0; i < sheet.columns; ++i)
        most = MAX(most, MIN(sheet.count[i], SHOWN));
    sheet.box_height = MIN((HEIGHT - TOP - MARGIN) / most * 0.85, 36);
    place(&sheet, true);
    place(&sheet, false);
    for (size_t i = 0; i < plan->count; ++i)
        wanted += is_to_do(builder, i);
    g_autofree char *title =
        g_strdup_printf("the plan of %s on %s", builder->workspace->project.project, builder->workspace->setup.target);
    g_autofree char *legend = g_strdup_printf(
        "%zu of %zu steps to do; a line goes from what is needed to what needs it", wanted, plan->count);
    picture_text(sheet.picture, MARGIN, 34, WIDTH - 2 * MARGIN, 20, false, title);
    picture_text(sheet.picture, MARGIN, 58, WIDTH - 2 * MARGIN, 13, false, legend);
    picture_box(sheet.picture, WIDTH - 250, 44, 14, 14, PAINT_TO_DO);
    picture_text(sheet.picture, WIDTH - 230, 56, 80, 12, false, "to do");
    picture_box(sheet.picture, WIDTH - 150, 44, 14, 14, PAINT_DONE);
    picture_text(sheet.picture, WIDTH - 130, 56, 110, 12, false, "up to date");
    draw_arrows(&sheet);
    draw_boxes(&sheet);
    g_free(sheet.depth);
    g_free(sheet.x);
    g_free(sheet.y);
    return picture_write(sheet.picture, path, builder->why);
}
