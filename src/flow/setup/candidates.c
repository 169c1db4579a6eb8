#include "flow/setup/setup.h"

#include "flow/depot/depot.h"

#include <stdlib.h>

/* One version of a package while they are gathered: of one name and version, what is here comes before what is offered. */
struct entry {
    struct candidate candidate;
    struct ta_version version;
    const struct offer *offer;
};

struct gathering {
    struct ta_context *context;
    const char *sdk;
    const struct setup *only;
    GPtrArray *names;    /* of packages, the SDK's first */
    GPtrArray *lists;    /* of GArray of struct entry, one a name */
    GHashTable *by_name; /* the same lists */
};

static GArray *list_of(struct gathering *gathering, const char *name) {
    GArray *list = g_hash_table_lookup(gathering->by_name, name);
    if (list)
        return list;
    list = g_array_new(FALSE, TRUE, sizeof(struct entry));
    g_ptr_array_add(gathering->names, (gpointer)name);
    g_ptr_array_add(gathering->lists, list);
    g_hash_table_insert(gathering->by_name, (gpointer)name, list);
    return list;
}

/* NAME's VERSION, which needs the SDK in SDK_RANGE (null: it is the SDK) and NEEDS. SHARED: it is a package of its own, which is
   the same for every SDK that it fits. */
static void add_version(struct gathering *gathering, const char *name, const char *version, const char *sdk_range,
                        const struct needs *needs, bool shared, const struct offer *offer) {
    struct arena *arena = gathering->context->arena;
    struct entry entry = {.candidate.version = version, .offer = offer};
    GArray *list = list_of(gathering, name);
    if (ta_version_parse(version, &entry.version, NULL))
        return;
    for (guint i = 0; shared && i < list->len; ++i)
        if (!ta_version_compare(&g_array_index(list, struct entry, i).version, &entry.version))
            return;
    struct needs *all = &entry.candidate.needs;
    all->items = arena_alloc(arena, (needs->count + 2) * sizeof *all->items);
    if (sdk_range)
        all->items[all->count++] = (struct need){gathering->sdk, sdk_range};
    for (size_t i = 0; i < needs->count; ++i)
        all->items[all->count++] = needs->items[i];
    g_array_append_val(list, entry);
}

/* Whether the version of ITEM is looked at. */
static bool is_wanted(const struct gathering *gathering, const struct catalog_item *item) {
    const struct setup *only = gathering->only;
    const char *version = !only                       ? item->version
                          : item->kind == PACKAGE_SDK ? only->sdk_version
                                                      : pins_version(&only->components, item->name);
    return version && !strcmp(version, item->version);
}

/* What cannot be read is no choice; catalog tells of it. */
static void add_here(struct gathering *gathering) {
    struct ta_context *context = gathering->context;
    const struct catalog_items *sdks = catalog_list(context, PACKAGE_SDK),
                               *components = catalog_list(context, PACKAGE_COMPONENT);
    const struct needs none = {0};
    for (size_t i = 0; i < sdks->count; ++i) {
        struct catalog_item *item = &sdks->items[i];
        if (strcmp(item->name, gathering->sdk) || !is_wanted(gathering, item) || catalog_read(context, item, NULL))
            continue;
        const struct sdk *sdk = item->model.sdk;
        add_version(gathering, gathering->sdk, item->version, NULL, &none, true, NULL);
        for (size_t k = 0; k < sdk->component_count; ++k)
            add_version(gathering, sdk->components[k].name, item->version, item->version, &sdk->components[k].needs,
                        false, NULL);
    }
    for (size_t i = 0; i < components->count; ++i) {
        struct catalog_item *item = &components->items[i];
        bool is_there = is_wanted(gathering, item) && !catalog_read(context, item, NULL);
        const char *range = is_there ? needs_range(&item->model.component->sdk, gathering->sdk) : NULL;
        if (range)
            add_version(gathering, item->name, item->version, range, &item->model.component->needs, true, NULL);
    }
}

/* Of the components that an offered SDK brings, only the names are known: they fit each other. */
static void add_offered_sdk(struct gathering *gathering, const struct offer *offer) {
    const struct package *package = &offer->package;
    const struct needs none = {0};
    g_autofree char *range = g_strdup_printf("=%s", package->version);
    if (catalog_newest(gathering->context, PACKAGE_SDK, package->package, range))
        return;
    add_version(gathering, package->package, package->version, NULL, &none, true, offer);
    for (size_t i = 0; i < package->provides.count; ++i)
        add_version(gathering, package->provides.items[i], package->version, package->version, &none, false, offer);
}

static void add_offered(struct gathering *gathering, const struct choice *choice) {
    for (size_t i = 0; i < choice->sdks.count; ++i)
        add_offered_sdk(gathering, &choice->sdks.items[i]);
    for (size_t i = 0; i < choice->components.count; ++i) {
        const struct offer *offer = &choice->components.items[i];
        const char *range = needs_range(&offer->package.needs.sdk, gathering->sdk);
        if (range)
            add_version(gathering, offer->package.package, offer->package.version, range,
                        &offer->package.needs.components, true, offer);
    }
}

/* What is here before what is offered, then the newest first. */
static int wanted_first(const void *a, const void *b) {
    const struct entry *left = a, *right = b;
    if (!left->offer != !right->offer)
        return left->offer ? 1 : -1;
    return -ta_version_compare(&left->version, &right->version);
}

static void free_list(gpointer list) {
    g_array_free(list, TRUE);
}

enum ta_status candidates_read(struct ta_context *context, const char *sdk, const struct setup *only, bool offered,
                               struct choice *choice, struct ta_problem *why) {
    struct gathering gathering = {.context = context, .sdk = sdk, .only = only};
    *choice = (struct choice){0};
    const struct offer_query sdks = {.kind = "sdk", .name = sdk}, components = {.kind = "component"};
    enum ta_status status = offered ? depot_offers(context, &sdks, &choice->sdks, &choice->silent, why) : TA_OK;
    if (!status && offered)
        status = depot_offers(context, &components, &choice->components, &choice->silent, why);
    if (status)
        return status;
    gathering.by_name = g_hash_table_new(g_str_hash, g_str_equal);
    gathering.names = g_ptr_array_new();
    gathering.lists = g_ptr_array_new_with_free_func(free_list);
    list_of(&gathering, sdk);
    add_here(&gathering);
    add_offered(&gathering, choice);
    choice->count = gathering.names->len;
    choice->packages = arena_alloc(context->arena, (choice->count + 1) * sizeof *choice->packages);
    choice->offers = arena_alloc(context->arena, (choice->count + 1) * sizeof *choice->offers);
    for (size_t i = 0; i < choice->count; ++i) {
        GArray *list = gathering.lists->pdata[i];
        struct candidates *package = &choice->packages[i];
        *package =
            (struct candidates){gathering.names->pdata[i],
                                arena_alloc(context->arena, (list->len + 1) * sizeof *package->items), list->len};
        choice->offers[i] = arena_alloc(context->arena, (list->len + 1) * sizeof **choice->offers);
        if (list->len)
            qsort(list->data, list->len, sizeof(struct entry), wanted_first);
        for (guint v = 0; v < list->len; ++v) {
            package->items[v] = g_array_index(list, struct entry, v).candidate;
            choice->offers[i][v] = g_array_index(list, struct entry, v).offer;
        }
    }
    g_ptr_array_free(gathering.names, TRUE);
    g_ptr_array_free(gathering.lists, TRUE);
    g_hash_table_destroy(gathering.by_name);
    return TA_OK;
}

char *candidates_versions(const struct choice *choice, const char *name) {
    g_autoptr(GString) all = g_string_new(NULL);
    for (size_t i = 0; i < choice->count; ++i)
        for (size_t v = 0; v < choice->packages[i].count && !strcmp(choice->packages[i].name, name); ++v)
            if (!v || strcmp(choice->packages[i].items[v - 1].version, choice->packages[i].items[v].version))
                g_string_append_printf(all, "%s%s%s", all->len ? ", " : "", choice->packages[i].items[v].version,
                                       choice->offers[i][v] ? " (offered)" : "");
    return g_strdup(all->str);
}
