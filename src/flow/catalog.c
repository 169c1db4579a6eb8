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

/* The profile in the file at PATH; one that is like another is read over that one. */
static enum ta_status read_profile(const struct ta_context *context, const char *path, const char *name, unsigned depth,
                                   struct arena *arena, struct ta_profile *profile, struct ta_problem *why) {
    enum { DERIVED_AT_MOST = 8, FILE_BYTES = 1 << 20 };
    g_autofree char *text = NULL, *base = NULL;
    g_autoptr(GMatchInfo) match = NULL;
    g_autoptr(GRegex) like = g_regex_new("^like:[ \t]*[\"']?([a-z0-9_-]+)", G_REGEX_MULTILINE | G_REGEX_RAW, 0, NULL);
    size_t length = 0;
    enum ta_status status = file_read(path, FILE_BYTES, &text, &length, why);
    if (status)
        return status;
    if (!g_regex_match(like, text, 0, &match))
        return profile_read_text(text, length, name, arena, profile, why);
    g_autofree char *other = g_match_info_fetch(match, 1);
    g_autofree char *file = g_strdup_printf("profiles/%s.yaml", other);
    base = catalog_find(context, file);
    if (!base || depth > DERIVED_AT_MOST) {
        ta_problem_set(why, TA_E_INPUT, "tanchor catalog --kind board lists the profiles",
                       base ? "like: %s is like itself" : "like: there is no profile named \"%s\"", other);
        ta_problem_at(why, name, 0, 0);
        return TA_E_INPUT;
    }
    status = read_profile(context, base, file + strlen("profiles/"), depth + 1, arena, profile, why);
    return status ? status : profile_overlay(text, length, name, arena, profile, why);
}

enum ta_status catalog_profile(const struct ta_context *context, const char *name, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why) {
    if (strchr(name, '/') || g_str_has_suffix(name, ".yaml"))
        return read_profile(context, name, name, 0, arena, profile, why);
    g_autofree char *file = g_strconcat(name, ".yaml", NULL);
    g_autofree char *below = g_build_filename("profiles", file, NULL);
    g_autofree char *path = is_plain_name(name) ? catalog_find(context, below) : NULL;
    if (!path)
        return no_such(context, catalog_profiles, "profile", name, why);
    return read_profile(context, path, file, 0, arena, profile, why);
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

/* Sets where the component's files are: each source in the first of ROOTS that has it, headers in all of them. */
static enum ta_status locate_component(struct arena *arena, struct component *component, const struct texts *roots,
                                       struct ta_problem *why) {
    size_t includes = component->include.count * roots->count;
    component->roots = *roots;
    component->source_paths.items = arena_alloc(arena, (component->sources.count + 1) * sizeof(char *));
    component->include_paths.items = arena_alloc(arena, (includes + 1) * sizeof(char *));
    if (!component->source_paths.items || !component->include_paths.items)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; i < component->sources.count; ++i) {
        const char *found = NULL;
        for (size_t k = 0; k < roots->count && !found; ++k) {
            found = arena_printf(arena, "%s/%s", roots->items[k], component->sources.items[i]);
            found = found && g_file_test(found, G_FILE_TEST_EXISTS) ? found : NULL;
        }
        if (!found) /* the compiler tells that it is missing */
            found = arena_printf(arena, "%s/%s", roots->items[0], component->sources.items[i]);
        component->source_paths.items[component->source_paths.count++] = found ? found : "";
    }
    for (size_t i = 0; i < component->include.count; ++i)
        for (size_t k = 0; k < roots->count; ++k) {
            const char *path = arena_printf(arena, "%s/%s", roots->items[k], component->include.items[i]);
            if (path && g_file_test(path, G_FILE_TEST_IS_DIR))
                component->include_paths.items[component->include_paths.count++] = path;
        }
    return TA_OK;
}

/* The component package in the folder components/PACKAGE. */
static enum ta_status read_component(const struct ta_context *context, const char *package, struct arena *arena,
                                     struct component *component, struct ta_problem *why) {
    g_autofree char *below = g_strdup_printf("components/%s", package);
    g_autofree char *folder = catalog_find(context, below);
    g_autofree char *path = g_build_filename(folder, "component.yaml", NULL);
    const char **root = arena_alloc(arena, sizeof *root);
    if (!root || !(*root = arena_text(arena, folder)))
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    enum ta_status status = component_read(path, path, arena, component, why);
    return status ? status : locate_component(arena, component, &(struct texts){root, 1}, why);
}

enum ta_status catalog_sdk_components(const struct ta_context *context, struct arena *arena, const char *sdk,
                                      const char *version_text, struct component **components, size_t *count,
                                      struct ta_problem *why) {
    g_auto(GStrv) packages = catalog_list(context, catalog_components);
    struct ta_version version;
    *count = 0;
    *components = arena_alloc(arena, (g_strv_length(packages) + 1) * sizeof **components);
    if (!*components)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    enum ta_status status = ta_version_parse(version_text, &version, why);
    for (char **package = packages; !status && *package; ++package) {
        struct component *component = &(*components)[*count];
        *component = (struct component){0};
        if (read_component(context, *package, arena, component, NULL))
            continue; /* catalog tells of it */
        const char *range = needs_range(&component->sdk, sdk);
        *count += range && ta_range_contains(range, &version);
    }
    return status;
}

/* The folder of an SDK's version, and of those that it is like. */
static enum ta_status find_roots(const struct ta_context *context, const char *name, const struct sdk *sdk,
                                 const char *folder, struct arena *arena, struct texts *roots, struct ta_problem *why) {
    enum { LIKE_AT_MOST = 8 };
    const char *like = sdk->like, *version = sdk->version;
    *roots = (struct texts){arena_alloc(arena, LIKE_AT_MOST * sizeof(char *)), 0};
    if (!roots->items)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    roots->items[roots->count++] = folder;
    while (like && roots->count < LIKE_AT_MOST) {
        g_autofree char *below = g_strdup_printf("sdk/%s-%s", name, like);
        g_autofree char *path = catalog_find(context, below);
        g_autofree char *file = path ? g_build_filename(path, "sdk.yaml", NULL) : NULL;
        g_autofree char *fix = g_strdup_printf("tanchor catalog add %s@%s", name, like);
        struct sdk other = {0};
        if (!path)
            return ta_problem_set(why, TA_E_INPUT, fix, "%s %s is like %s, which is not here", name, version, like);
        enum ta_status status = sdk_read(file, file, arena, &other, why);
        if (status)
            return status;
        roots->items[roots->count++] = arena_text(arena, path);
        version = like;
        like = other.like;
    }
    return TA_OK;
}

/* Those that are packages of their own come behind its own; of one name, the newest that is in PICK's range, when PICK names
   it. */
static enum ta_status add_components(const struct ta_context *context, struct arena *arena, struct sdk *sdk,
                                     const struct needs *pick, struct ta_problem *why) {
    struct component *others, *all;
    size_t own = sdk->component_count, count;
    enum ta_status status = catalog_sdk_components(context, arena, sdk->sdk, sdk->version, &others, &count, why);
    if (status)
        return status;
    all = arena_alloc(arena, (own + count + 1) * sizeof *all);
    if (!all)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (own)
        memcpy(all, sdk->components, own * sizeof *all);
    sdk->components = all;
    for (size_t i = 0; i < count; ++i) {
        const struct component *known = sdk_component(sdk, others[i].name);
        const char *range = pick ? needs_range(pick, others[i].name) : NULL;
        struct ta_version mine, other;
        if (ta_version_parse(others[i].version, &mine, NULL) || (range && !ta_range_contains(range, &mine)))
            continue;
        bool newer = known && known >= all + own && !ta_version_parse(known->version, &other, NULL) &&
                     ta_version_compare(&mine, &other) > 0;
        if (!known || newer)
            all[known ? (size_t)(known - all) : sdk->component_count++] = others[i];
    }
    return TA_OK;
}

enum ta_status catalog_sdk(const struct ta_context *context, const char *name, const char *version,
                           const struct needs *pick, struct arena *arena, struct sdk *sdk, const char **folder,
                           struct ta_problem *why) {
    g_autofree char *below = g_strdup_printf("sdk/%s-%s", name, version);
    g_autofree char *path = catalog_find(context, below);
    g_autofree char *file = path ? g_build_filename(path, "sdk.yaml", NULL) : NULL;
    struct texts roots;
    const char *any;
    if (!path) {
        g_autofree char *range = g_strdup_printf("=%s", version);
        return catalog_sdk_version(context, name, range, arena, &any, why);
    }
    *folder = arena_text(arena, path);
    enum ta_status status =
        *folder ? sdk_read(file, file, arena, sdk, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status)
        status = find_roots(context, name, sdk, *folder, arena, &roots, why);
    for (size_t i = 0; !status && i < sdk->component_count; ++i) {
        sdk->components[i].version = sdk->version;
        status = locate_component(arena, &sdk->components[i], &roots, why);
    }
    return status ? status : add_components(context, arena, sdk, pick, why);
}

enum ta_status catalog_licensed(const struct ta_context *context, const char *name, struct arena *arena,
                                struct component *component, struct ta_problem *why) {
    g_autofree char *all = NULL;
    g_autofree char *version = catalog_newest(context, catalog_components, name, NULL, &all);
    g_auto(GStrv) sdks = catalog_list(context, catalog_sdks);
    *component = (struct component){0};
    for (char **sdk = sdks; version && *sdk && !component->name; ++sdk) {
        struct component *found;
        size_t count = 0;
        const char *dash = strrchr(*sdk, '-');
        g_autofree char *sdk_name = g_strndup(*sdk, dash ? (gsize)(dash - *sdk) : 0);
        if (!dash || catalog_sdk_components(context, arena, sdk_name, dash + 1, &found, &count, why))
            continue;
        for (size_t i = 0; i < count; ++i)
            if (!strcmp(found[i].name, name) && !strcmp(found[i].version, version))
                *component = found[i];
    }
    if (!component->name)
        return ta_problem_set(why, TA_E_INPUT, "tanchor catalog --kind component lists them",
                              "the catalog has no component \"%s\"", name);
    if (!component->licensed_by)
        return ta_problem_set(why, TA_E_INPUT, "use it", "%s takes no licence", name);
    return TA_OK;
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
