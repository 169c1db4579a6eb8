/* An SDK as a build needs it: with the component packages that are made for it, and where each file lies. */
#include "core/plan/plan.h"
#include "flow/catalog/catalog.h"
#include "host/inside.h"

/* Sets where the component's files are: each source in the first of its roots that has it, headers in all of them. Nothing that it
   names leads out of these folders. */
static enum ta_status locate_component(struct arena *arena, struct component *component, struct ta_problem *why) {
    const struct texts *roots = &component->roots;
    size_t includes = component->include.count * roots->count;
    component->source_paths.items = arena_alloc(arena, (component->sources.count + 1) * sizeof(char *));
    component->include_paths.items = arena_alloc(arena, (includes + 1) * sizeof(char *));
    for (size_t i = 0; i < component->sources.count; ++i) {
        const char *found = NULL;
        for (size_t k = 0; k < roots->count && !found; ++k)
            if (inside_look(roots->items[k], component->sources.items[i]) == INSIDE_FILE)
                found = arena_printf(arena, "%s/%s", roots->items[k], component->sources.items[i]);
        if (!found)
            return ta_problem_set(why, TA_E_INPUT, "tell its publisher", "%s %s has no file %s in its folder",
                                  component->name, component->version, component->sources.items[i]);
        component->source_paths.items[component->source_paths.count++] = found;
    }
    for (size_t i = 0; i < component->include.count; ++i)
        for (size_t k = 0; k < roots->count; ++k) {
            if (inside_look(roots->items[k], component->include.items[i]) == INSIDE_FOLDER)
                component->include_paths.items[component->include_paths.count++] =
                    arena_printf(arena, "%s/%s", roots->items[k], component->include.items[i]);
        }
    return TA_OK;
}

/* The folder of an SDK's version, and of those that it is like. */
static enum ta_status find_roots(struct ta_context *context, const struct catalog_item *item, struct texts *roots,
                                 struct ta_problem *why) {
    enum { LIKE_AT_MOST = 8 };
    const char *like = item->model.sdk->like, *version = item->version;
    *roots = (struct texts){arena_alloc(context->arena, LIKE_AT_MOST * sizeof(char *)), 0};
    roots->items[roots->count++] = item->path;
    while (like && roots->count < LIKE_AT_MOST) {
        g_autofree char *range = g_strdup_printf("=%s", like);
        g_autofree char *fix = g_strdup_printf("{fetch %s@%s}", item->name, like);
        struct catalog_item *other = catalog_newest(context, PACKAGE_SDK, item->name, range);
        if (!other)
            return ta_problem_set(why, TA_E_INPUT, fix, "%s %s is based on %s, which is not installed", item->name,
                                  version, like);
        enum ta_status status = catalog_read(context, other, why);
        if (status)
            return status;
        roots->items[roots->count++] = other->path;
        version = like;
        like = other->model.sdk->like;
    }
    return TA_OK;
}

/* Of each name one: the version that CHOSEN says, else the newest that is made for the SDK. What cannot be read is passed over;
   catalog tells of it. */
static void add_packages(struct ta_context *context, const struct catalog_item *item, const struct pins *chosen,
                         struct sdk *sdk) {
    const struct catalog_items *all = catalog_list(context, PACKAGE_COMPONENT);
    size_t own = sdk->component_count;
    struct component *components = arena_alloc(context->arena, (own + all->count + 1) * sizeof *components);
    if (own)
        memcpy(components, sdk->components, own * sizeof *components);
    sdk->components = components;
    for (size_t i = 0; i < all->count; ++i) {
        struct catalog_item *each = &all->items[i];
        const char *wanted = chosen ? pins_version(chosen, each->name) : NULL;
        if ((wanted && strcmp(wanted, each->version)) || sdk_component(sdk, each->name) ||
            catalog_read(context, each, NULL))
            continue;
        const char *range = needs_range(&each->model.component->sdk, item->name);
        if (!range || !ta_range_contains(range, &item->parsed))
            continue;
        const char **root = arena_alloc(context->arena, sizeof *root);
        *root = each->path;
        struct component *added = &sdk->components[sdk->component_count++];
        *added = *each->model.component;
        added->roots = (struct texts){root, 1};
    }
}

/* The folders of all components; those of an SDK's own are the same ones. */
static void list_places(struct arena *arena, struct sdk *sdk) {
    size_t count = 0;
    for (size_t i = 0; i < sdk->component_count; ++i)
        count += sdk->components[i].roots.count;
    sdk->places = (struct pairs){arena_alloc(arena, (count + 1) * sizeof *sdk->places.items), 0};
    for (size_t i = 0; i < sdk->component_count; ++i) {
        const struct component *component = &sdk->components[i];
        bool listed = i && component->roots.items == sdk->components[i - 1].roots.items;
        for (size_t k = 0; !listed && k < component->roots.count; ++k)
            sdk->places.items[sdk->places.count++] =
                (struct pair){component_origin(sdk, component), component->roots.items[k]};
    }
}

/* Only what is used is looked for: an SDK has many more. What CHOSEN cannot be is told by those who plan with it. */
static enum ta_status locate_used(struct arena *arena, struct sdk *sdk, const struct pins *chosen,
                                  struct ta_problem *why) {
    const struct component **used;
    size_t count;
    enum ta_status status = TA_OK;
    if (plan_components(arena, sdk, chosen, &used, &count, NULL))
        return TA_OK;
    for (size_t i = 0; !status && i < count; ++i)
        status = locate_component(arena, &sdk->components[used[i] - sdk->components], why);
    return status;
}

enum ta_status catalog_sdk(struct ta_context *context, const char *name, const char *version, const struct pins *chosen,
                           struct sdk *sdk, const char **folder, struct ta_problem *why) {
    struct catalog_item *item;
    struct texts roots;
    enum ta_status status = catalog_need(context, PACKAGE_SDK, name, version, &item, why);
    if (!status)
        status = catalog_read(context, item, why);
    if (!status)
        status = find_roots(context, item, &roots, why);
    if (status)
        return status;
    *sdk = *item->model.sdk;
    *folder = item->path;
    add_packages(context, item, chosen, sdk);
    for (size_t i = 0; i < item->model.sdk->component_count; ++i) {
        sdk->components[i].version = sdk->version;
        sdk->components[i].roots = roots;
    }
    list_places(context->arena, sdk);
    return chosen ? locate_used(context->arena, sdk, chosen, why) : TA_OK;
}

enum ta_status catalog_licensed(struct ta_context *context, const char *name, struct component *component,
                                struct ta_problem *why) {
    struct catalog_item *item = catalog_newest(context, PACKAGE_COMPONENT, name, NULL);
    if (!item)
        return ta_problem_set(why, TA_E_INPUT, "{list component} lists them", "the catalog has no component \"%s\"",
                              name);
    enum ta_status status = catalog_read(context, item, why);
    if (status)
        return status;
    *component = *item->model.component;
    return component->licensed_by ? TA_OK : ta_problem_set(why, TA_E_INPUT, "use it", "%s takes no licence", name);
}

void component_headers(const struct component *component, void (*seen)(void *with, const char *name, const char *path),
                       void *with) {
    g_autoptr(GHashTable) names = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    for (size_t i = 0; i < component->include.count * component->roots.count; ++i) {
        const char *include = component->include.items[i / component->roots.count],
                   *root = component->roots.items[i % component->roots.count];
        if (inside_look(root, include) != INSIDE_FOLDER)
            continue;
        g_autofree char *folder = g_build_filename(root, include, NULL);
        g_auto(GStrv) files = files_below(folder, NULL);
        for (char **file = files; *file; ++file) {
            g_autofree char *path = g_build_filename(folder, *file, NULL);
            if (g_str_has_suffix(*file, ".h") && g_hash_table_add(names, g_strdup(*file)))
                seen(with, *file, path);
        }
    }
}
