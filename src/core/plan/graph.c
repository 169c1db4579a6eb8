#include "core/plan/graph.h"

#include "base/digest.h"

#include <string.h>

const char *const action_kind_words[ACTION_KINDS] = {
#define ACTION_WORD(name, word) [name] = word,
    ACTION_TABLE(ACTION_WORD)
#undef ACTION_WORD
};

/* Which action makes a file: a table by the digest of its path, at most half full. */
struct makers {
    struct maker {
        const char *path;
        size_t action;
    } * slots;
    size_t mask;
};

static struct maker *slot_of(const struct makers *makers, const char *path) {
    size_t at = (size_t)digest_much(DIGEST_START, path, strlen(path)) & makers->mask;
    while (makers->slots[at].path && strcmp(makers->slots[at].path, path))
        at = (at + 1) & makers->mask;
    return &makers->slots[at];
}

static bool makers_new(struct arena *arena, const struct plan *plan, struct makers *makers) {
    size_t count = 0, room = 16;
    for (size_t i = 0; i < plan->count; ++i)
        count += plan->actions[i].outputs.count;
    while (room < 2 * count)
        room *= 2;
    *makers = (struct makers){arena_alloc(arena, room * sizeof *makers->slots), room - 1};
    return makers->slots != NULL;
}

/* Adds to NEEDS, of which COUNT are there, the actions that make PATHS; each once, since MARKS say which action was added for which. */
static size_t add_needs(const struct makers *makers, const struct texts *paths, size_t of, size_t *marks, size_t *needs,
                        size_t count) {
    for (size_t i = 0; paths && i < paths->count; ++i) {
        const struct maker *maker = slot_of(makers, paths->items[i]);
        if (maker->path && maker->action < of && marks[maker->action] != of) {
            marks[maker->action] = of;
            needs[count++] = maker->action;
        }
    }
    return count;
}

enum ta_status plan_connect(struct arena *arena, struct plan *plan, struct ta_problem *why) {
    size_t room = 0, used = 0;
    struct makers makers;
    size_t *marks = arena_alloc(arena, (plan->count + 1) * sizeof *marks);
    for (size_t i = 0; i < plan->count; ++i)
        room += plan->actions[i].inputs.count + (plan->actions[i].ready ? plan->actions[i].ready->count : 0);
    size_t *needs = arena_alloc(arena, (room + 1) * sizeof *needs);
    if (!makers_new(arena, plan, &makers) || !marks || !needs)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; i < plan->count; ++i)
        for (size_t k = 0; k < plan->actions[i].outputs.count; ++k) {
            const char *path = plan->actions[i].outputs.items[k];
            struct maker *maker = slot_of(&makers, path);
            if (maker->path)
                return ta_problem_set(why, TA_E_INPUT, "rename one of them", "%s and %s would make one file, %s",
                                      plan->actions[maker->action].name, plan->actions[i].name, path);
            *maker = (struct maker){path, i};
        }
    for (size_t i = 0; i < plan->count; ++i) {
        struct action *action = &plan->actions[i];
        action->needs = &needs[used];
        size_t found = add_needs(&makers, &action->inputs, i, marks, &needs[used], 0);
        action->need_count = add_needs(&makers, action->ready, i, marks, &needs[used], found);
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
