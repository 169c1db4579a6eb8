/* What something of the catalog is as a package. */
#include "flow/catalog/catalog.h"

char *package_place(enum package_kind kind, const char *name, const char *version) {
    const struct package_kind_row *row = &package_kinds[kind];
    if (package_kind_is_profile(kind))
        return g_strdup_printf("%s/%s.yaml", row->folder, name);
    return row->versioned ? g_strdup_printf("%s/%s-%s/", row->folder, name, version)
                          : g_strdup_printf("%s/%s/", row->folder, name);
}

char *package_folder(const struct ta_context *context, const char *name, const char *version) {
    return g_strdup_printf("%s/packages/%s-%s", context->home, name, version);
}

struct texts package_connectors(struct arena *arena, const struct ta_profile *profile) {
    size_t most = profile->connector_count + profile->hart_group_count + 2;
    struct texts provides = {arena_alloc(arena, most * sizeof(char *)), 0};
    for (size_t i = 0; i < profile->connector_count; ++i) {
        const struct ta_connector *each = &profile->connectors[i];
        provides.items[provides.count++] =
            each->count > 1 ? arena_printf(arena, "%s %u", each->name, each->count) : each->name;
    }
    for (size_t i = 0; i < profile->hart_group_count; ++i)
        provides.items[provides.count++] = arena_join(arena, HARTS_NEED, profile->hart_groups[i].name, "");
    if (ta_profile_fabric(profile))
        provides.items[provides.count++] = "fabric";
    return provides;
}

char *lack_text(const struct lack *lack, const char *board) {
    return lack->has ? g_strdup_printf("%s, %s has %s", lack->wanted, board, lack->has)
                     : g_strdup_printf("%s, which %s does not have", lack->wanted, board);
}

enum ta_status package_find(struct ta_context *context, const char *asked, struct catalog_item **item,
                            struct ta_problem *why) {
    static const enum package_kind kinds[] = {PACKAGE_EXAMPLE, PACKAGE_BOARD, PACKAGE_SDK, PACKAGE_COMPONENT,
                                              PACKAGE_PLATFORM};
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    *item = NULL;
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); ++i)
        if (catalog_newest(context, kinds[i], name, NULL))
            return catalog_need(context, kinds[i], name, version, item, why);
    return ta_problem_set(why, TA_E_INPUT, "{list} lists what there is", "the catalog has no \"%s\"", asked);
}

static enum ta_status describe_profile(struct ta_context *context, const struct catalog_item *item,
                                       struct package *package, struct ta_problem *why) {
    struct ta_profile profile;
    enum ta_status status = catalog_profile(context, item->name, context->arena, &profile, why);
    if (!status)
        *package = (struct package){.package = profile.name,
                                    .kind = profile.kind == TA_PROFILE_BOARD ? PACKAGE_BOARD : PACKAGE_EMULATOR,
                                    .version = profile.version,
                                    .title = profile.title,
                                    .summary = profile.summary,
                                    .provides = package_connectors(context->arena, &profile)};
    return status;
}

/* One of another version, which lacks what a version that it is like has, is no package on its own. */
static void describe_sdk(struct arena *arena, const struct sdk *sdk, struct package *package) {
    if (sdk->like) {
        package->needs.sdk = (struct needs){arena_alloc(arena, sizeof(struct need)), 1};
        package->needs.sdk.items[0] = (struct need){sdk->sdk, sdk->like};
    }
    package->provides.items = arena_alloc(arena, (sdk->component_count + 1) * sizeof(char *));
    for (size_t i = 0; i < sdk->component_count; ++i)
        package->provides.items[package->provides.count++] = sdk->components[i].name;
}

#define COMMON(model)                                                                                                  \
    .version = item->version, .title = (model)->title, .summary = (model)->summary, .licence = (model)->licence

enum ta_status package_describe(struct ta_context *context, struct catalog_item *item, struct package *package,
                                struct ta_problem *why) {
    if (item->kind == PACKAGE_BOARD)
        return describe_profile(context, item, package, why);
    enum ta_status status = catalog_read(context, item, why);
    if (status)
        return status;
    const struct component *component = item->model.component;
    switch (item->kind) {
    case PACKAGE_EXAMPLE:
        *package = (struct package){COMMON(item->model.project), .needs = item->model.project->needs};
        break;
    case PACKAGE_SDK:
        *package = (struct package){COMMON(item->model.sdk)};
        describe_sdk(context->arena, item->model.sdk, package);
        break;
    case PACKAGE_COMPONENT:
        *package =
            (struct package){COMMON(component), .needs = {.sdk = component->sdk, .components = component->needs}};
        package->provides = (struct texts){arena_alloc(context->arena, sizeof(char *)), 1};
        package->provides.items[0] = component->name;
        break;
    default: *package = (struct package){COMMON(item->model.platform)}; break;
    }
    package->package = item->name;
    package->kind = item->kind;
    return TA_OK;
}
