/* What something of the catalog is as a package. */
#include "flow/packages.h"

#include "flow/catalog.h"
#include "flow/workspace.h"
#include "host/model_files.h"

#include <string.h>

static enum ta_status no_memory(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

char *package_place(const char *kind, const char *name, const char *version) {
    static const struct {
        const char *kind, *folder;
        bool versioned;
    } kinds[] = {{"example", "examples", false},
                 {"sdk", "sdk", true},
                 {"component", "components", true},
                 {"platform", "platforms", true}};
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); ++i)
        if (!strcmp(kinds[i].kind, kind))
            return kinds[i].versioned ? g_strdup_printf("%s/%s-%s/", kinds[i].folder, name, version)
                                      : g_strdup_printf("%s/%s/", kinds[i].folder, name);
    return g_strdup_printf("profiles/%s.yaml", name); /* a board or an emulator */
}

enum ta_status package_connectors(struct arena *arena, const struct ta_profile *profile, struct texts *provides,
                                  struct ta_problem *why) {
    provides->items = arena_alloc(arena, (profile->connector_count + 1) * sizeof *provides->items);
    if (!provides->items)
        return no_memory(why);
    for (size_t i = 0; i < profile->connector_count; ++i) {
        const struct ta_connector *each = &profile->connectors[i];
        const char *text = each->count > 1 ? arena_printf(arena, "%s %u", each->name, each->count) : each->name;
        if (!text)
            return no_memory(why);
        provides->items[provides->count++] = text;
    }
    return TA_OK;
}

/* One of these for each kind: is there such a thing, and what is it? Memory is ARENA's. */
typedef enum ta_status describe(struct ta_context *context, const char *name, const char *version, struct arena *arena,
                                struct package *package, struct ta_problem *why);

static enum ta_status describe_example(struct ta_context *context, const char *name, const char *version,
                                       struct arena *arena, struct package *package, struct ta_problem *why) {
    struct project project = {0};
    g_autofree char *folder = catalog_example(context, name, version, why);
    g_autofree char *manifest = folder ? g_build_filename(folder, "anchor.yaml", NULL) : NULL;
    enum ta_status status = folder ? project_read(manifest, manifest, arena, &project, why) : TA_E_INPUT;
    if (!status)
        *package = (struct package){.package = arena_text(arena, name),
                                    .kind = "example",
                                    .version = project.version,
                                    .title = project.title,
                                    .summary = project.summary,
                                    .licence = project.licence,
                                    .needs = project.needs};
    return status;
}

static enum ta_status describe_profile(struct ta_context *context, const char *name, const char *version,
                                       struct arena *arena, struct package *package, struct ta_problem *why) {
    struct ta_profile profile;
    (void)version;
    enum ta_status status = catalog_profile(context, name, arena, &profile, why);
    if (!status)
        *package = (struct package){.package = profile.name,
                                    .kind = profile.kind,
                                    .version = profile.version,
                                    .title = profile.title,
                                    .summary = profile.summary};
    return status ? status : package_connectors(arena, &profile, &package->provides, why);
}

static enum ta_status describe_sdk(struct ta_context *context, const char *name, const char *version,
                                   struct arena *arena, struct package *package, struct ta_problem *why) {
    const char *folder;
    struct sdk sdk;
    enum ta_status status = catalog_sdk(context, name, version, NULL, arena, &sdk, &folder, why);
    if (status)
        return status;
    *package = (struct package){.package = sdk.sdk,
                                .kind = "sdk",
                                .version = sdk.version,
                                .title = sdk.title,
                                .summary = sdk.summary,
                                .licence = sdk.licence};
    if (sdk.like) { /* a package on its own would not be whole */
        package->needs.sdk.items = arena_alloc(arena, sizeof *package->needs.sdk.items);
        if (!package->needs.sdk.items)
            return no_memory(why);
        package->needs.sdk.items[package->needs.sdk.count++] = (struct need){sdk.sdk, sdk.like};
    }
    package->provides.items = arena_alloc(arena, (sdk.component_count + 1) * sizeof *package->provides.items);
    for (size_t i = 0; package->provides.items && i < sdk.component_count; ++i)
        if (!sdk.components[i].sdk.count) /* those that are packages of their own do not come with it */
            package->provides.items[package->provides.count++] = sdk.components[i].name;
    return package->provides.items ? TA_OK : no_memory(why);
}

static enum ta_status describe_component(struct ta_context *context, const char *name, const char *version,
                                         struct arena *arena, struct package *package, struct ta_problem *why) {
    g_autofree char *below = g_strdup_printf("components/%s-%s/component.yaml", name, version);
    g_autofree char *path = catalog_find(context, below);
    struct component component = {0};
    enum ta_status status = component_read(path, path, arena, &component, why);
    const char **provides = arena_alloc(arena, sizeof *provides);
    if (!status && !provides)
        return no_memory(why);
    if (!status) {
        *provides = component.name;
        *package = (struct package){.package = component.name,
                                    .kind = "component",
                                    .version = component.version,
                                    .title = component.title,
                                    .summary = component.summary,
                                    .licence = component.licence,
                                    .needs = {.sdk = component.sdk, .components = component.needs},
                                    .provides = {provides, 1}};
    }
    return status;
}

static enum ta_status describe_platform(struct ta_context *context, const char *name, const char *version,
                                        struct arena *arena, struct package *package, struct ta_problem *why) {
    g_autofree char *below = g_strdup_printf("platforms/%s-%s/platform.yaml", name, version);
    g_autofree char *path = catalog_find(context, below);
    struct platform platform = {0};
    enum ta_status status = platform_read(path, path, arena, &platform, why);
    if (!status)
        *package = (struct package){.package = platform.platform,
                                    .kind = "platform",
                                    .version = platform.version,
                                    .title = platform.title,
                                    .summary = platform.summary,
                                    .licence = platform.licence};
    return status;
}

/* What NAME is: kinds whose folders carry no version come first, then the newest version of the others. */
static describe *find_kind(struct ta_context *context, const char *name, const char *asked, char **version) {
    static const struct {
        const char *pattern;
        describe *describe;
    } plain[] = {{catalog_examples, describe_example}, {catalog_profiles, describe_profile}},
      versioned[] = {{catalog_sdks, describe_sdk},
                     {catalog_components, describe_component},
                     {catalog_platforms, describe_platform}};
    for (size_t i = 0; i < G_N_ELEMENTS(plain); ++i) {
        g_auto(GStrv) names = catalog_list(context, plain[i].pattern);
        if (g_strv_contains((const char *const *)names, name)) {
            *version = g_strdup(asked);
            return plain[i].describe;
        }
    }
    g_autofree char *range = asked ? g_strdup_printf("=%s", asked) : NULL;
    for (size_t i = 0; i < G_N_ELEMENTS(versioned); ++i) {
        *version = catalog_newest(context, versioned[i].pattern, name, range, NULL);
        if (*version)
            return versioned[i].describe;
    }
    return NULL;
}

enum ta_status package_describe(struct ta_context *context, const char *asked, struct arena *arena,
                                struct package *package, char **root, char **below, struct ta_problem *why) {
    g_autofree char *wanted = NULL, *version = NULL;
    g_autofree char *name = catalog_split(asked, &wanted);
    describe *describe = find_kind(context, name, wanted, &version);
    *root = *below = NULL;
    *package = (struct package){0};
    if (!describe)
        return ta_problem_set(why, TA_E_INPUT, "tanchor catalog lists what there is", "the catalog has no \"%s\"",
                              asked);
    enum ta_status status = describe(context, name, version, arena, package, why);
    if (status)
        return status;
    if (wanted && strcmp(wanted, package->version))
        return ta_problem_set(why, TA_E_INPUT, "tanchor catalog lists the versions",
                              "the catalog has no version %s of %s", wanted, name);
    *below = package_place(package->kind, package->package, package->version);
    g_autofree char *path = !strcmp(package->kind, "example") ? catalog_example(context, name, package->version, why)
                                                              : catalog_find(context, *below);
    size_t tail = strlen(*below) - g_str_has_suffix(*below, "/");
    while (path && g_str_has_suffix(path, "/"))
        path[strlen(path) - 1] = '\0';
    *root = g_strndup(path, strlen(path) - tail - 1);
    return TA_OK;
}
