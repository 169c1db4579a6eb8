#include "flow/catalog/catalog.h"

#include "host/memory.h"
#include "host/model_files.h"
#include "host/schema.h"
#include "tameanchor/catalog.h"

#include <stdlib.h>

/* What was read of the catalogs: all of a kind at once. */
struct snapshot {
    struct texts roots; /* the folders of all places in their order, then the installed packages */
    struct catalog_items *kinds[PACKAGE_KINDS];
};

static const char *const manifests[] = {[PACKAGE_EXAMPLE] = "anchor.yaml",
                                        [PACKAGE_SDK] = "sdk.yaml",
                                        [PACKAGE_COMPONENT] = "component.yaml",
                                        [PACKAGE_PLATFORM] = "platform.yaml"};

void catalog_changed(struct ta_context *context) {
    context->snapshot = NULL;
}

static struct snapshot *snapshot_of(struct ta_context *context) {
    if (context->snapshot)
        return context->snapshot;
    struct snapshot *snapshot = arena_alloc(context->arena, sizeof *snapshot);
    g_autoptr(GPtrArray) folders = places_folders(context, NULL);
    g_autofree char *packages = g_build_filename(context->home, "packages", NULL);
    g_auto(GStrv) installed = files_names(packages, "*/package.yaml");
    for (char **name = installed; *name; ++name)
        g_ptr_array_add(folders, g_build_filename(packages, *name, NULL));
    snapshot->roots.items = arena_alloc(context->arena, (folders->len + 1) * sizeof(char *));
    for (guint i = 0; i < folders->len; ++i)
        snapshot->roots.items[snapshot->roots.count++] = arena_text(context->arena, folders->pdata[i]);
    context->snapshot = snapshot;
    return snapshot;
}

/* "tide-table-1.1.0" into name and version: at the first '-' behind which a version stands. */
static bool split_entry(struct arena *arena, const char *entry, struct catalog_item *item) {
    for (const char *dash = strchr(entry, '-'); dash; dash = strchr(dash + 1, '-')) {
        if (ta_version_parse(dash + 1, &item->parsed, NULL))
            continue;
        item->name = arena_text_part(arena, entry, (size_t)(dash - entry));
        item->version = arena_text(arena, dash + 1);
        return true;
    }
    return false;
}

/* ENTRY of the folder of KIND in ROOT. An example's version is in its manifest; one that cannot be read counts as the oldest:
   importing it tells why. */
static bool make_item(struct ta_context *context, enum package_kind kind, const char *root, const char *entry,
                      struct catalog_item *item) {
    struct arena *arena = context->arena;
    bool profile = package_kind_is_profile(kind);
    *item = (struct catalog_item){.kind = kind, .root = root};
    item->path = arena_printf(arena, "%s/%s/%s%s", root, package_kinds[kind].folder, entry, profile ? ".yaml" : "");
    if (package_kinds[kind].versioned)
        return split_entry(arena, entry, item);
    item->name = arena_text(arena, entry);
    if (profile)
        return true;
    item->version = catalog_read(context, item, NULL) ? "" : item->model.project->version;
    ta_version_parse(item->version, &item->parsed, NULL);
    return true;
}

static int by_name_newest_first(const void *a, const void *b) {
    const struct catalog_item *left = a, *right = b;
    int order = strcmp(left->name, right->name);
    return order ? order : -ta_version_compare(&left->parsed, &right->parsed);
}

static struct catalog_items *load_kind(struct ta_context *context, enum package_kind kind, const struct texts *roots) {
    g_autoptr(GArray) all = g_array_new(FALSE, TRUE, sizeof(struct catalog_item));
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_autofree char *pattern = package_kind_is_profile(kind)
                                   ? g_strdup("profiles/*.yaml")
                                   : g_strdup_printf("%s/*/%s", package_kinds[kind].folder, manifests[kind]);
    for (size_t i = 0; i < roots->count; ++i) {
        g_auto(GStrv) entries = files_names(roots->items[i], pattern);
        for (char **entry = entries; *entry; ++entry) {
            struct catalog_item item;
            if (!make_item(context, kind, roots->items[i], *entry, &item))
                continue;
            if (g_hash_table_add(seen, g_strconcat(item.name, "@", item.version ? item.version : "", NULL)))
                g_array_append_val(all, item);
        }
    }
    struct catalog_items *items = arena_alloc(context->arena, sizeof *items);
    items->items = arena_alloc(context->arena, (all->len + 1) * sizeof *items->items);
    items->count = all->len;
    if (all->len) {
        memcpy(items->items, all->data, all->len * sizeof *items->items);
        qsort(items->items, items->count, sizeof *items->items, by_name_newest_first);
    }
    return items;
}

const struct catalog_items *catalog_list(struct ta_context *context, enum package_kind kind) {
    enum package_kind part = kind == PACKAGE_EMULATOR ? PACKAGE_BOARD : kind;
    struct snapshot *snapshot = snapshot_of(context);
    if (!snapshot->kinds[part])
        snapshot->kinds[part] = load_kind(context, part, &snapshot->roots);
    return snapshot->kinds[part];
}

struct catalog_item *catalog_newest(struct ta_context *context, enum package_kind kind, const char *name,
                                    const char *range) {
    const struct catalog_items *all = catalog_list(context, kind);
    for (size_t i = 0; i < all->count; ++i) {
        struct catalog_item *item = &all->items[i];
        if (!strcmp(item->name, name) && (!range || !item->version || ta_range_contains(range, &item->parsed)))
            return item;
    }
    return NULL;
}

char *catalog_versions(struct ta_context *context, enum package_kind kind, const char *name) {
    const struct catalog_items *all = catalog_list(context, kind);
    g_autoptr(GString) listed = g_string_new(NULL);
    for (size_t i = 0; i < all->count; ++i)
        if (!strcmp(all->items[i].name, name) && all->items[i].version)
            g_string_append_printf(listed, "%s%s", listed->len ? ", " : "", all->items[i].version);
    return g_strdup(listed->str);
}

/* TA_E_INPUT: there is none of KIND of that NAME; the fix lists the nearest names, or all. */
static enum ta_status no_such(struct ta_context *context, enum package_kind kind, const char *name,
                              struct ta_problem *why) {
    const struct catalog_items *all = catalog_list(context, kind);
    g_autoptr(GString) near = g_string_new(NULL), listed = g_string_new(all->count ? "the catalog has: " : NULL);
    const char *before = "";
    for (size_t i = 0; i < all->count; before = all->items[i++].name) {
        const char *each = all->items[i].name;
        if (!strcmp(each, before))
            continue;
        g_string_append_printf(listed, "%s%s", *before ? ", " : "", each);
        if (text_nearer(name, each, NULL))
            g_string_append_printf(near, "%s%s", near->len ? ", " : "did you mean ", each);
    }
    if (!all->count)
        g_string_append_printf(listed, "{fetch %s}", name);
    return ta_problem_set(why, TA_E_INPUT, near->len ? near->str : listed->str, "there is no %s named \"%s\"",
                          kind == PACKAGE_BOARD ? "profile" : package_kinds[kind].label, name);
}

enum ta_status catalog_need(struct ta_context *context, enum package_kind kind, const char *name, const char *version,
                            struct catalog_item **item, struct ta_problem *why) {
    struct ta_version wanted;
    if (version && ta_version_parse(version, &wanted, why))
        return TA_E_INPUT;
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    *item = catalog_newest(context, kind, name, range);
    if (*item)
        return TA_OK;
    g_autofree char *versions = catalog_versions(context, kind, name);
    if (!*versions)
        return no_such(context, kind, name, why);
    g_autofree char *fix = g_strdup_printf("there is %s", versions);
    return ta_problem_set(why, TA_E_INPUT, fix, "the catalog has no version %s of %s", version, name);
}

enum ta_status catalog_read(struct ta_context *context, struct catalog_item *item, struct ta_problem *why) {
    struct arena *arena = context->arena;
    if (item->model.any)
        return TA_OK;
    if (item->fault)
        return ta_problem_copy(why, item->fault);
    union {
        struct project project;
        struct sdk sdk;
        struct component component;
        struct platform platform;
    } *read = arena_alloc(arena, sizeof *read);
    struct ta_problem found = {0};
    const char *file = arena_printf(arena, "%s/%s", item->path, manifests[item->kind]);
    enum ta_status status;
    switch (item->kind) {
    case PACKAGE_EXAMPLE: status = project_read(file, file, arena, &read->project, &found); break;
    case PACKAGE_SDK: status = sdk_read(file, file, arena, &read->sdk, &found); break;
    case PACKAGE_COMPONENT: status = component_read(file, file, arena, &read->component, &found); break;
    default: status = platform_read(file, file, arena, &read->platform, &found); break;
    }
    if (!status) {
        item->model.any = read;
        return TA_OK;
    }
    item->fault = arena_alloc(arena, sizeof *item->fault);
    *item->fault = found;
    return ta_problem_copy(why, &found);
}

char *catalog_split(const char *asked, char **version) {
    const char *at = strchr(asked, '@');
    *version = at ? g_strdup(at + 1) : NULL;
    return g_strndup(asked, at ? (gsize)(at - asked) : strlen(asked));
}

/* Profiles. */

enum { PROFILE_BYTES = 1 << 20 };

/* The profile in the file at PATH; one that is like another is read over that one. */
static enum ta_status read_profile(struct ta_context *context, const char *path, const char *name, unsigned depth,
                                   struct arena *arena, struct ta_profile *profile, struct ta_problem *why) {
    enum { DERIVED_AT_MOST = 8 };
    g_autofree char *text = NULL;
    size_t length = 0;
    enum ta_status status = file_read(path, PROFILE_BYTES, &text, &length, why);
    if (status)
        return status;
    const char *other = schema_key(text, length, "like", arena);
    if (!other) {
        status = profile_read_text(text, length, name, arena, profile, why);
        profile->file = status ? NULL : arena_text(arena, path);
        return status;
    }
    g_autofree char *file = g_strconcat(other, ".yaml", NULL);
    const struct catalog_item *base = catalog_newest(context, PACKAGE_BOARD, other, NULL);
    if (!base || depth > DERIVED_AT_MOST) {
        ta_problem_set(why, TA_E_INPUT, "{list board} lists the profiles",
                       base ? "like: %s is based on itself" : "like: there is no profile named \"%s\"", other);
        ta_problem_at(why, name, 0, 0);
        return TA_E_INPUT;
    }
    status = read_profile(context, base->path, file, depth + 1, arena, profile, why);
    profile->file = NULL; /* there are several */
    return status ? status : profile_overlay(text, length, name, true, arena, profile, why);
}

void catalog_locate(const struct ta_context *context, const struct ta_profile *profile, struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length = 0;
    if (profile->file && !file_read(profile->file, PROFILE_BYTES, &text, &length, NULL))
        profile_locate(text, length, profile->file, context->arena, why);
}

enum ta_status catalog_profile(struct ta_context *context, const char *name, struct arena *arena,
                               struct ta_profile *profile, struct ta_problem *why) {
    if (strchr(name, '/') || g_str_has_suffix(name, ".yaml"))
        return read_profile(context, name, name, 0, arena, profile, why);
    const struct catalog_item *item = catalog_newest(context, PACKAGE_BOARD, name, NULL);
    g_autofree char *file = g_strconcat(name, ".yaml", NULL);
    return item ? read_profile(context, item->path, file, 0, arena, profile, why)
                : no_such(context, PACKAGE_BOARD, name, why);
}

/* The public profile first. */
struct kept_profile {
    struct ta_profile profile;
    struct arena *arena;
};

enum ta_status ta_profile_read(struct ta_context *context, const char *name, struct ta_profile **profile,
                               struct ta_problem *why) {
    struct step step = step_begin(context, NULL);
    struct kept_profile *kept = g_new0(struct kept_profile, 1);
    kept->arena = arena_or_end();
    enum ta_status status = catalog_profile(context, name, kept->arena, &kept->profile, why);
    *profile = status ? NULL : &kept->profile;
    if (status)
        ta_profile_free(&kept->profile);
    return step_end(&step, status);
}

void ta_profile_free(struct ta_profile *profile) {
    if (!profile)
        return;
    arena_free(((struct kept_profile *)profile)->arena);
    g_free(profile);
}
