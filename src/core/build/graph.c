#include "core/build/graph.h"

#include <stdlib.h>
#include <string.h>

const char *const action_kind_words[ACTION_KINDS] = {
#define ACTION_WORD(name, word) [name] = word,
    ACTION_TABLE(ACTION_WORD)
#undef ACTION_WORD
};

/* A file and the action that makes it. */
struct made {
    const char *path;
    size_t action;
};

static int by_path(const void *a, const void *b) {
    const struct made *left = a, *right = b;
    int order = strcmp(left->path, right->path);
    return order ? order : (left->action > right->action) - (left->action < right->action);
}

static int path_of(const void *key, const void *entry) {
    return strcmp(key, ((const struct made *)entry)->path);
}

static size_t outputs_of(const struct plan *plan) {
    size_t count = 0;
    for (size_t i = 0; i < plan->count; ++i)
        count += plan->actions[i].outputs.count;
    return count;
}

/* Adds to NEEDS, of which COUNT are there, the actions that make PATHS; each once, since MARKS say which action was added for which. */
static size_t add_needs(const struct made *made, size_t made_count, const struct texts *paths, size_t of, size_t *marks,
                        size_t *needs, size_t count) {
    for (size_t i = 0; paths && i < paths->count; ++i) {
        const struct made *found = bsearch(paths->items[i], made, made_count, sizeof *made, path_of);
        if (found && found->action < of && marks[found->action] != of) {
            marks[found->action] = of;
            needs[count++] = found->action;
        }
    }
    return count;
}

static enum ta_status twice(const struct plan *plan, const struct made *made, struct ta_problem *why) {
    return ta_problem_set(why, TA_E_INPUT, "rename one of them", "%s and %s would make one file, %s",
                          plan->actions[made[0].action].name, plan->actions[made[1].action].name, made[0].path);
}

enum ta_status plan_connect(struct arena *arena, struct plan *plan, struct ta_problem *why) {
    size_t count = outputs_of(plan), room = 0, used = 0, at = 0;
    struct made *made = arena_alloc(arena, (count + 1) * sizeof *made);
    size_t *marks = arena_alloc(arena, (plan->count + 1) * sizeof *marks);
    for (size_t i = 0; i < plan->count; ++i)
        room += plan->actions[i].inputs.count + (plan->actions[i].ready ? plan->actions[i].ready->count : 0);
    size_t *needs = arena_alloc(arena, (room + 1) * sizeof *needs);
    if (!made || !marks || !needs)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; i < plan->count; ++i)
        for (size_t k = 0; k < plan->actions[i].outputs.count; ++k)
            made[at++] = (struct made){plan->actions[i].outputs.items[k], i};
    qsort(made, count, sizeof *made, by_path);
    for (size_t i = 1; i < count; ++i)
        if (!strcmp(made[i - 1].path, made[i].path))
            return twice(plan, &made[i - 1], why);
    for (size_t i = 0; i < plan->count; ++i) {
        struct action *action = &plan->actions[i];
        action->needs = &needs[used];
        size_t found = add_needs(made, count, &action->inputs, i, marks, &needs[used], 0);
        action->need_count = add_needs(made, count, action->ready, i, marks, &needs[used], found);
        used += action->need_count;
    }
    return TA_OK;
}

const struct action *plan_action(const struct plan *plan, enum work work) {
    for (size_t i = plan->count; i-- > 0;)
        if (plan->actions[i].work == work)
            return &plan->actions[i];
    return NULL;
}

void plan_weigh(const struct plan *plan, const double *seconds, double *weights) {
    for (size_t i = 0; i < plan->count; ++i)
        weights[i] = 0;
    for (size_t i = plan->count; i-- > 0;) { /* those that need it stand behind it */
        const struct action *action = &plan->actions[i];
        weights[i] += seconds[i];
        for (size_t k = 0; k < action->need_count; ++k)
            if (weights[action->needs[k]] < weights[i])
                weights[action->needs[k]] = weights[i];
    }
}
