/* Which components of an SDK a build takes: those that were chosen and all that they need. */
#include "core/plan/plan.h"

#include <string.h>

/* A walk that takes what is needed first. Components that need one another come in the order in which they are met. */
struct component_walk {
    const struct sdk *sdk;
    const struct component **list;
    bool *met; /* of the SDK's components */
    size_t count;
    struct ta_problem *why;
};

static enum ta_status add_component(struct component_walk *walk, const char *name) {
    const struct sdk *sdk = walk->sdk;
    const struct component *component = sdk_component(sdk, name);
    enum ta_status status = TA_OK;
    if (!component)
        return ta_problem_set(walk->why, TA_E_INPUT, "its sdk.yaml lists the components",
                              "%s %s has no component \"%s\"", sdk->sdk, sdk->version, name);
    if (walk->met[component - sdk->components])
        return TA_OK;
    walk->met[component - sdk->components] = true;
    for (size_t i = 0; !status && i < component->needs.count; ++i)
        status = add_component(walk, component->needs.items[i].name);
    walk->list[walk->count++] = component;
    return status;
}

enum ta_status plan_components(struct arena *arena, const struct sdk *sdk, const struct pins *chosen,
                               const struct component ***components, size_t *count, struct ta_problem *why) {
    struct component_walk walk = {.sdk = sdk, .why = why};
    enum ta_status status = TA_OK;
    walk.list = arena_alloc(arena, (sdk->component_count + 1) * sizeof *walk.list);
    walk.met = arena_alloc(arena, (sdk->component_count + 1) * sizeof *walk.met);
    if (!walk.list || !walk.met)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; !status && i < chosen->count; ++i) {
        const struct component *component = sdk_component(sdk, chosen->items[i].name);
        status = add_component(&walk, chosen->items[i].name);
        if (!status && strcmp(component->version, chosen->items[i].version))
            status = ta_problem_set(why, TA_E_INPUT, "{configure}", "%s %s has %s %s, and the setup says %s", sdk->sdk,
                                    sdk->version, component->name, component->version, chosen->items[i].version);
    }
    *components = walk.list;
    *count = walk.count;
    return status;
}
