#include "flow/catalog.h"

#include "base/text.h"
#include "host/files.h"
#include "host/model_files.h"
#include "tameanchor/version.h"

#include <string.h>

const char catalog_examples[] = "examples/*/anchor.yaml", catalog_profiles[] = "profiles/*.yaml",
           catalog_sdks[] = "sdk/*/sdk.yaml";

/* The catalog's own folders in their order, then the installed packages. */
static GPtrArray *catalog_folders(const struct ta_context *context) {
    GPtrArray *folders = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_auto(GStrv) installed = files_names(packages, "*/package.yaml");
    g_auto(GStrv) own = g_strsplit(context->catalog, ":", -1);
    for (char **folder = own; *folder; ++folder)
        g_ptr_array_add(folders, g_strdup(*folder));
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

char *catalog_example(const struct ta_context *context, const char *name, struct ta_problem *why) {
    g_autofree char *below = g_build_filename("examples", name, NULL);
    g_autofree char *folder = is_plain_name(name) ? catalog_find(context, below) : NULL;
    if (folder)
        return g_steal_pointer(&folder);
    no_such(context, catalog_examples, "example", name, why);
    return NULL;
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
    return *folder ? sdk_read(file, file, arena, sdk, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}

enum ta_status catalog_sdk_version(const struct ta_context *context, const char *name, const char *range,
                                   struct arena *arena, const char **result, struct ta_problem *why) {
    g_auto(GStrv) packages = catalog_list(context, catalog_sdks);
    g_autofree char *prefix = g_strconcat(name, "-", NULL);
    g_autoptr(GString) all = g_string_new(NULL);
    struct ta_version best = {0}, version;
    *result = NULL;
    for (char **package = packages; *package; ++package) {
        const char *text = *package + strlen(prefix);
        if (!g_str_has_prefix(*package, prefix) || ta_version_parse(text, &version, NULL))
            continue;
        g_string_append_printf(all, "%s%s", all->len ? ", " : "", text);
        if ((range && !ta_range_contains(range, &version)) || (*result && ta_version_compare(&version, &best) <= 0))
            continue;
        best = version;
        *result = arena_text(arena, text);
    }
    if (*result)
        return TA_OK;
    if (!all->len)
        return ta_problem_set(why, TA_E_INPUT, "check the name", "the catalog has no SDK named \"%s\"", name);
    g_autofree char *fix = g_strdup_printf("there is %s %s", name, all->str);
    return ta_problem_set(why, TA_E_INPUT, fix, "no version of %s is %s", name, range ? range : "there");
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
