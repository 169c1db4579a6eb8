#include "flow/catalog.h"

#include "base/text.h"
#include "flow/places.h"
#include "host/files.h"
#include "host/model_files.h"
#include "tameanchor/version.h"

#include <stdlib.h>
#include <string.h>

const char catalog_examples[] = "examples/*/anchor.yaml", catalog_profiles[] = "profiles/*.yaml",
           catalog_sdks[] = "sdk/*/sdk.yaml", catalog_components[] = "components/*/component.yaml",
           catalog_platforms[] = "platforms/*/platform.yaml";

/* The folders of all places in their order, then the installed packages. */
static GPtrArray *catalog_folders(const struct ta_context *context) {
    GPtrArray *folders = places_folders(context, NULL);
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_auto(GStrv) installed = files_names(packages, "*/package.yaml");
    for (char **name = installed; *name; ++name)
        g_ptr_array_add(folders, g_build_filename(packages, *name, NULL));
    return folders;
}

static int compare_names(const void *a, const void *b) {
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

char **catalog_list(const struct ta_context *context, const char *pattern) {
    g_autoptr(GPtrArray) folders = catalog_folders(context);
    GPtrArray *names = g_ptr_array_new();
    for (guint i = 0; i < folders->len; ++i) {
        g_auto(GStrv) found = files_names(folders->pdata[i], pattern);
        for (char **name = found; *name; ++name)
            if (!g_ptr_array_find_with_equal_func(names, *name, g_str_equal, NULL))
                g_ptr_array_add(names, g_strdup(*name));
    }
    if (names->len)
        qsort(names->pdata, names->len, sizeof *names->pdata, compare_names);
    g_ptr_array_add(names, NULL);
    return (char **)g_ptr_array_free(names, FALSE);
}

char *catalog_find(const struct ta_context *context, const char *below) {
    g_autoptr(GPtrArray) folders = catalog_folders(context);
    for (guint i = 0; i < folders->len; ++i) {
        g_autofree char *path = g_build_filename(folders->pdata[i], below, NULL);
        if (g_file_test(path, G_FILE_TEST_EXISTS))
            return g_steal_pointer(&path);
    }
    return NULL;
}

/* TA_E_INPUT: there is no KIND of that NAME in PART; the fix lists the nearest names, or all. */
static enum ta_status no_such(const struct ta_context *context, const char *part, const char *kind, const char *name,
                              struct ta_problem *why) {
    g_auto(GStrv) names = catalog_list(context, part);
    g_autoptr(GString) near = g_string_new(NULL);
    for (char **each = names; *each; ++each)
        if (text_is_near(name, *each))
            g_string_append_printf(near, "%s%s", near->len ? ", " : "did you mean ", *each);
    g_autofree char *all = g_strjoinv(", ", names);
    g_autofree char *listed = g_strdup_printf("the catalog has: %s", all);
    return ta_problem_set(why, TA_E_INPUT, near->len ? near->str : listed, "there is no %s named \"%s\"", kind, name);
}

static bool is_plain_name(const char *name) {
    return *name && *name != '.' && !strchr(name, '/');
}

char *catalog_split(const char *asked, char **version) {
    const char *at = strchr(asked, '@');
    *version = at ? g_strdup(at + 1) : NULL;
    return g_strndup(asked, at ? (gsize)(at - asked) : strlen(asked));
}

/* Examples: several versions of one name lie in several folders of the catalog. */

struct found_example {
    char *folder, *text; /* the version's */
    struct ta_version version;
};

static void clear_example(void *item) {
    struct found_example *found = item;
    g_free(found->folder);
    g_free(found->text);
}

static int newest_first(const void *a, const void *b) {
    return -ta_version_compare(&((const struct found_example *)a)->version,
                               &((const struct found_example *)b)->version);
}

/* Each version once, the newest first. One whose manifest cannot be read counts as the oldest: importing it tells why. */
static GArray *find_examples(const struct ta_context *context, const char *name) {
    g_autoptr(GPtrArray) folders = catalog_folders(context);
    GArray *all = g_array_new(FALSE, TRUE, sizeof(struct found_example));
    g_array_set_clear_func(all, clear_example);
    for (guint i = 0; i < folders->len && is_plain_name(name); ++i) {
        struct found_example found = {.folder = g_build_filename(folders->pdata[i], "examples", name, NULL)};
        g_autofree char *manifest = g_build_filename(found.folder, "anchor.yaml", NULL);
        struct arena *arena = g_file_test(manifest, G_FILE_TEST_EXISTS) ? arena_new() : NULL;
        struct project project = {0};
        if (arena && !project_read(manifest, manifest, arena, &project, NULL))
            ta_version_parse(project.version, &found.version, NULL);
        found.text = g_strdup(project.version ? project.version : "");
        bool again = !arena;
        for (guint k = 0; k < all->len && !again; ++k)
            again = !strcmp(g_array_index(all, struct found_example, k).text, found.text);
        arena_free(arena);
        if (again)
            clear_example(&found);
        else
            g_array_append_val(all, found);
    }
    if (all->len)
        qsort(all->data, all->len, sizeof(struct found_example), newest_first);
    return all;
}

char **catalog_example_versions(const struct ta_context *context, const char *name) {
    GArray *all = find_examples(context, name);
    char **versions = g_new0(char *, all->len + 1);
    for (guint i = 0; i < all->len; ++i)
        versions[i] = g_strdup(g_array_index(all, struct found_example, i).text);
    g_array_free(all, TRUE);
    return versions;
}

char *catalog_example(const struct ta_context *context, const char *name, const char *version, struct ta_problem *why) {
    GArray *all = find_examples(context, name);
    struct ta_version wanted = {0};
    char *folder = NULL;
    if (!all->len)
        no_such(context, catalog_examples, "example", name, why);
    else if (!version || !ta_version_parse(version, &wanted, why))
        for (guint i = 0; i < all->len && !folder; ++i) {
            const struct found_example *found = &g_array_index(all, struct found_example, i);
            if (!version || !ta_version_compare(&found->version, &wanted))
                folder = g_strdup(found->folder);
        }
    if (all->len && !folder && (!version || !ta_version_parse(version, &wanted, NULL))) {
        g_auto(GStrv) versions = catalog_example_versions(context, name);
        g_autofree char *listed = g_strjoinv(", ", versions);
        g_autofree char *fix = g_strdup_printf("there is %s", listed);
        ta_problem_set(why, TA_E_INPUT, fix, "the catalog has no version %s of %s", version, name);
    }
    g_array_free(all, TRUE);
    return folder;
}

enum ta_status catalog_profile(const struct ta_context *context, const char *name, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why) {
    if (strchr(name, '/') || g_str_has_suffix(name, ".yaml"))
        return profile_read(name, name, arena, profile, why);
    g_autofree char *file = g_strconcat(name, ".yaml", NULL);
    g_autofree char *below = g_build_filename("profiles", file, NULL);
    g_autofree char *path = is_plain_name(name) ? catalog_find(context, below) : NULL;
    if (!path)
        return no_such(context, catalog_profiles, "profile", name, why);
    return profile_read(path, file, arena, profile, why);
}

/* Packages that lie as NAME-VERSION. */

char *catalog_newest(const struct ta_context *context, const char *pattern, const char *name, const char *range,
                     char **all) {
    g_auto(GStrv) packages = catalog_list(context, pattern);
    g_autofree char *prefix = g_strconcat(name, "-", NULL);
    g_autoptr(GString) listed = g_string_new(NULL);
    struct ta_version best = {0}, version;
    char *newest = NULL;
    for (char **package = packages; *package; ++package) {
        const char *text = *package + strlen(prefix);
        if (!g_str_has_prefix(*package, prefix) || ta_version_parse(text, &version, NULL))
            continue;
        g_string_append_printf(listed, "%s%s", listed->len ? ", " : "", text);
        if ((range && !ta_range_contains(range, &version)) || (newest && ta_version_compare(&version, &best) <= 0))
            continue;
        best = version;
        g_free(newest);
        newest = g_strdup(text);
    }
    if (all)
        *all = g_strdup(listed->str);
    return newest;
}

enum ta_status catalog_sdk_version(const struct ta_context *context, const char *name, const char *range,
                                   struct arena *arena, const char **result, struct ta_problem *why) {
    g_autofree char *all = NULL;
    g_autofree char *newest = catalog_newest(context, catalog_sdks, name, range, &all);
    *result = newest ? arena_text(arena, newest) : NULL;
    if (*result)
        return TA_OK;
    if (newest)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!*all)
        return ta_problem_set(why, TA_E_INPUT, "check the name", "the catalog has no SDK named \"%s\"", name);
    g_autofree char *fix = g_strdup_printf("there is %s %s", name, all);
    return ta_problem_set(why, TA_E_INPUT, fix, "no version of %s is %s", name, range ? range : "there");
}

/* Adds the component packages that are made for this SDK, the newest of each name that the SDK has not got itself. */
static enum ta_status add_components(const struct ta_context *context, struct arena *arena, struct sdk *sdk,
                                     struct ta_problem *why) {
    g_auto(GStrv) packages = catalog_list(context, catalog_components);
    size_t own = sdk->component_count;
    struct component *all = arena_alloc(arena, (own + g_strv_length(packages) + 1) * sizeof *all);
    struct ta_version version = {0};
    enum ta_status status =
        all ? ta_version_parse(sdk->version, &version, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status && own)
        memcpy(all, sdk->components, own * sizeof *all);
    for (char **package = packages; !status && *package; ++package) {
        g_autofree char *below = g_strdup_printf("components/%s/component.yaml", *package);
        g_autofree char *path = catalog_find(context, below);
        g_autofree char *folder = g_path_get_dirname(path);
        struct component component = {0};
        struct ta_version mine, other;
        if (component_read(path, path, arena, &component, NULL))
            continue; /* catalog and ready tell of it */
        const char *range = needs_range(&component.sdk, sdk->sdk);
        const struct component *known =
            sdk_component(&(struct sdk){.components = all, .component_count = sdk->component_count}, component.name);
        if (!range || !ta_range_contains(range, &version) || (known && known < all + own))
            continue;
        component.folder = arena_text(arena, folder);
        bool newer = known && !ta_version_parse(component.version, &mine, NULL) &&
                     !ta_version_parse(known->version, &other, NULL) && ta_version_compare(&mine, &other) > 0;
        if (!known || newer)
            all[known ? (size_t)(known - all) : sdk->component_count++] = component;
    }
    if (!status)
        sdk->components = all;
    return status;
}

enum ta_status catalog_sdk(const struct ta_context *context, const char *name, const char *version, struct arena *arena,
                           struct sdk *sdk, const char **folder, struct ta_problem *why) {
    g_autofree char *below = g_strdup_printf("sdk/%s-%s", name, version);
    g_autofree char *path = catalog_find(context, below);
    g_autofree char *file = path ? g_build_filename(path, "sdk.yaml", NULL) : NULL;
    const char *any;
    if (!path) {
        g_autofree char *range = g_strdup_printf("=%s", version);
        return catalog_sdk_version(context, name, range, arena, &any, why);
    }
    *folder = arena_text(arena, path);
    enum ta_status status =
        *folder ? sdk_read(file, file, arena, sdk, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; !status && i < sdk->component_count; ++i) {
        sdk->components[i].folder = *folder;
        sdk->components[i].version = sdk->version;
    }
    return status ? status : add_components(context, arena, sdk, why);
}

/* The public profile first. */
struct kept_profile {
    struct ta_profile profile;
    struct arena *arena;
};

enum ta_status ta_profile_read(struct ta_context *context, const char *name, struct ta_profile **profile,
                               struct ta_problem *why) {
    struct kept_profile *kept = g_new0(struct kept_profile, 1);
    kept->arena = arena_new();
    enum ta_status status = kept->arena ? catalog_profile(context, name, kept->arena, &kept->profile, why)
                                        : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    *profile = &kept->profile;
    if (status) {
        ta_profile_free(*profile);
        *profile = NULL;
    }
    return status;
}

void ta_profile_free(struct ta_profile *profile) {
    if (!profile)
        return;
    arena_free(((struct kept_profile *)profile)->arena);
    g_free(profile);
}
