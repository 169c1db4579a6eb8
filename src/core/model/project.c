/* What a manifest alone can tell to be wrong, and what follows from it. */
#include "core/model/models.h"

#include <string.h>

const char *project_image_harts(const struct project_image *image) {
    return image->harts ? image->harts : image->name;
}

enum ta_status project_check(const struct project *project, struct ta_problem *why) {
    if (!project->sources.items && !project->image_count)
        return ta_problem_set(why, TA_E_INPUT, "add it", "the key sources is missing");
    for (size_t i = 0; i < project->image_count; ++i)
        for (size_t k = 0; k < i; ++k)
            if (!strcmp(project_image_harts(&project->images[i]), project_image_harts(&project->images[k])))
                return ta_problem_set(why, TA_E_INPUT, "give each group of harts one image",
                                      "images.%s.harts: %s has the image %s already", project->images[i].name,
                                      project_image_harts(&project->images[i]), project->images[k].name);
    return TA_OK;
}

bool project_need_harts(struct project *project, struct arena *arena) {
    struct texts *board = &project->needs.board;
    const char **items = arena_alloc(arena, (board->count + project->image_count + 1) * sizeof *items);
    if (!items)
        return false;
    if (board->count)
        memcpy(items, board->items, board->count * sizeof *items);
    board->items = items;
    for (size_t i = 0; i < project->image_count; ++i) {
        const char *need = arena_join(arena, HARTS_NEED, project_image_harts(&project->images[i]), "");
        if (!need)
            return false;
        board->items[board->count++] = need;
    }
    return true;
}
