#include "flow/versions.h"

#include "core/resolve.h"
#include "flow/catalog.h"
#include "flow/report.h"
#include "tameanchor/version.h"

#include <stdlib.h>
#include <string.h>

/* The question for the resolver: the SDK is the first package, components are the others. */
struct question {
    struct workspace *workspace;
    struct arena *arena;
    const char *sdk;
    GPtrArray *names; /* of packages, the SDK's first */
    GPtrArray *lists; /* of GArray of struct candidate, one a name */
    GArray *roots;    /* of struct requirement */
    struct ta_problem *why;
};

static int newest_first(const void *a, const void *b) {
    struct ta_version left = {0}, right = {0};
    ta_version_parse(((const struct candidate *)a)->version, &left, NULL);
    ta_version_parse(((const struct candidate *)b)->version, &right, NULL);
    return -ta_version_compare(&left, &right);
}

static GArray *list_of(struct question *question, const char *name) {
    for (guint i = 0; i < question->names->len; ++i)
        if (!strcmp(question->names->pdata[i], name))
            return question->lists->pdata[i];
    g_ptr_array_add(question->names, (gpointer)name);
    g_ptr_array_add(question->lists, g_array_new(FALSE, TRUE, sizeof(struct candidate)));
    return question->lists->pdata[question->lists->len - 1];
}

/* A component's version: it needs the SDK in SDK_RANGE, and its own needs. */
static bool add_candidate(struct question *question, const struct component *component, const char *sdk_range) {
    struct candidate candidate = {.version = component->version};
    candidate.needs.items = arena_alloc(question->arena, (component->needs.count + 1) * sizeof *candidate.needs.items);
    if (!candidate.needs.items || !sdk_range)
        return false;
    candidate.needs.items[candidate.needs.count++] = (struct need){question->sdk, sdk_range};
    for (size_t i = 0; i < component->needs.count; ++i)
        candidate.needs.items[candidate.needs.count++] = component->needs.items[i];
    GArray *list = list_of(question, component->name);
    for (guint i = 0; component->sdk.count && i < list->len; ++i) /* a package is the same for every SDK that it fits */
        if (!strcmp(g_array_index(list, struct candidate, i).version, component->version))
            return true;
    g_array_append_val(list, candidate);
    return true;
}

static enum ta_status add_sdk_version(struct question *question, const char *version) {
    struct ta_context *context = question->workspace->context;
    struct candidate candidate = {.version = version};
    struct component *packages;
    const char *folder;
    struct sdk sdk;
    size_t count;
    if (catalog_sdk(context, question->sdk, version, NULL, question->arena, &sdk, &folder, question->why))
        return TA_OK; /* one that cannot be read is no choice; catalog tells of it */
    g_array_append_val(question->lists->pdata[0], candidate);
    enum ta_status status =
        catalog_sdk_components(context, question->arena, question->sdk, version, &packages, &count, question->why);
    bool good = true;
    for (size_t i = 0; !status && good && i < sdk.component_count; ++i)
        good = sdk.components[i].sdk.count || add_candidate(question, &sdk.components[i], version);
    for (size_t i = 0; !status && good && i < count; ++i)
        good = add_candidate(question, &packages[i], needs_range(&packages[i].sdk, question->sdk));
    return status || good ? status : ta_problem_set(question->why, TA_E_MEMORY, NULL, "out of memory");
}

static enum ta_status ask_catalog(struct question *question) {
    g_auto(GStrv) packages = catalog_list(question->workspace->context, catalog_sdks);
    g_autofree char *prefix = g_strconcat(question->sdk, "-", NULL);
    struct ta_version version;
    enum ta_status status = TA_OK;
    list_of(question, question->sdk);
    for (char **package = packages; !status && *package; ++package) {
        const char *text = *package + strlen(prefix);
        if (g_str_has_prefix(*package, prefix) && !ta_version_parse(text, &version, NULL))
            status = add_sdk_version(question, arena_text(question->arena, text));
    }
    for (guint i = 0; i < question->lists->len; ++i) {
        GArray *list = question->lists->pdata[i];
        if (list->len)
            qsort(list->data, list->len, sizeof(struct candidate), newest_first);
    }
    return status;
}

static void add_root(struct question *question, const char *by, const char *name, const char *range, bool forbidden) {
    const struct requirement root = {by, name, range, forbidden};
    g_array_append_val(question->roots, root);
}

static void add_roots(struct question *question, const struct version_wishes *wishes) {
    const struct project *project = &question->workspace->project;
    add_root(question, project->project, question->sdk, needs_range(&project->needs.sdk, question->sdk), false);
    if (wishes->sdk_version)
        add_root(question, "--sdk", question->sdk, wishes->sdk_version, false);
    for (size_t i = 0; i < project->needs.components.count; ++i)
        add_root(question, project->project, project->needs.components.items[i].name,
                 project->needs.components.items[i].range, false);
    for (size_t i = 0; i < wishes->with.count; ++i)
        add_root(question, "--with", wishes->with.items[i].name, wishes->with.items[i].range, false);
    for (size_t i = 0; i < wishes->without.count; ++i)
        add_root(question, "--without", wishes->without.items[i], "*", true);
}

static enum ta_status answer(struct question *question, const struct requirement *roots, size_t count,
                             struct resolution *resolution) {
    g_autofree struct candidates *packages = g_new0(struct candidates, question->names->len + 1);
    for (guint i = 0; i < question->names->len; ++i) {
        const GArray *list = question->lists->pdata[i];
        packages[i] = (struct candidates){question->names->pdata[i], (struct candidate *)(void *)list->data, list->len};
    }
    return resolve(question->arena, packages, question->names->len, roots, count, resolution, question->why);
}

/* Conflicts. */

static char *versions_of(const struct question *question, const char *name) {
    g_autoptr(GString) all = g_string_new(NULL);
    for (guint i = 0; i < question->names->len; ++i) {
        const GArray *list = question->lists->pdata[i];
        for (guint v = 0; v < list->len && !strcmp(question->names->pdata[i], name); ++v) {
            const char *version = g_array_index(list, struct candidate, v).version;
            if (v && !strcmp(g_array_index(list, struct candidate, v - 1).version, version))
                continue;
            g_string_append_printf(all, "%s%s", all->len ? ", " : "", version);
        }
    }
    return g_strdup(all->str);
}

static bool same_requirement(const struct requirement *a, const struct requirement *b) {
    return !strcmp(a->by, b->by) && !strcmp(a->name, b->name) && !strcmp(a->range, b->range) &&
           a->forbidden == b->forbidden;
}

/* What the choice would be without ROOT; null when that does not help. */
static char *choice_without(struct question *question, const struct requirement *root) {
    g_autoptr(GArray) rest = g_array_new(FALSE, FALSE, sizeof(struct requirement));
    struct resolution resolution;
    for (guint i = 0; i < question->roots->len; ++i)
        if (!same_requirement(&g_array_index(question->roots, struct requirement, i), root))
            g_array_append_val(rest, g_array_index(question->roots, struct requirement, i));
    if (answer(question, (const struct requirement *)(const void *)rest->data, rest->len, &resolution) ||
        !resolution.found || resolution.chosen[0] < 0)
        return NULL;
    const GArray *sdks = question->lists->pdata[0];
    return g_strdup_printf("%s %s", question->sdk,
                           g_array_index(sdks, struct candidate, (guint)resolution.chosen[0]).version);
}

static char *describe(const struct requirement *requirement) {
    bool any = !strcmp(requirement->range, "*");
    if (requirement->forbidden)
        return g_strdup_printf("%s %s", requirement->by, requirement->name);
    return g_strdup_printf("%s %s %s%s%s", requirement->by,
                           g_str_has_prefix(requirement->by, "--") ? "asks for" : "needs", requirement->name,
                           any ? "" : " ", any ? "" : requirement->range);
}

static enum ta_status report_conflict(struct question *question, const struct resolution *resolution,
                                      struct ta_report *report) {
    g_autoptr(GString) all = g_string_new(NULL), nearest = g_string_new(NULL);
    for (size_t i = 0; i < resolution->conflict_count; ++i) {
        const struct requirement *each = &resolution->conflict[i];
        g_autofree char *line = describe(each), *there = versions_of(question, each->name);
        report_add(report, TA_LEVEL_PROBLEM, "versions", NULL, "%s (%s%s)", line,
                   *there ? "there is " : "nobody has it", there);
        g_string_append_printf(all, "%s%s", i ? ", " : "", line);
        if (resolution->conflict_count == 1)
            g_string_append_printf(all, " (%s%s)", *there ? "there is " : "nobody has it", there);
    }
    /* The user's own wishes are the first to give way. */
    for (int wishes = 1; wishes >= 0 && !nearest->len; --wishes)
        for (size_t i = 0; i < resolution->conflict_count && !nearest->len; ++i) {
            const struct requirement *each = &resolution->conflict[i];
            bool wish = g_str_has_prefix(each->by, "--");
            g_autofree char *choice = wish == (wishes == 1) ? choice_without(question, each) : NULL;
            g_autofree char *line = describe(each);
            if (choice)
                g_string_append_printf(nearest, "%s would do if it were not that %s", choice, line);
        }
    return ta_problem_set(question->why, TA_E_NO, nearest->len ? nearest->str : "tanchor catalog lists what there is",
                          resolution->conflict_count == 1 ? "this cannot be had: %s" : "these cannot hold together: %s",
                          all->str);
}

/* Answers. */

static const char *chosen_version(const struct question *question, const struct resolution *resolution, size_t index) {
    const GArray *list = question->lists->pdata[index];
    return g_array_index(list, struct candidate, (guint)resolution->chosen[index]).version;
}

static enum ta_status keep_answer(struct question *question, const struct resolution *resolution,
                                  struct versions *versions) {
    versions->sdk = question->sdk;
    versions->sdk_version = chosen_version(question, resolution, 0);
    versions->components.items =
        arena_alloc(question->arena, (question->names->len + 1) * sizeof *versions->components.items);
    if (!versions->components.items)
        return ta_problem_set(question->why, TA_E_MEMORY, NULL, "out of memory");
    for (guint i = 1; i < question->names->len; ++i)
        if (resolution->chosen[i] >= 0)
            versions->components.items[versions->components.count++] =
                (struct need){question->names->pdata[i], chosen_version(question, resolution, i)};
    return TA_OK;
}

/* The same as before, when that still does: its versions are asked for too. */
static bool answer_as_before(struct question *question, const struct setup *before, struct resolution *resolution) {
    guint asked = question->roots->len;
    if (!before || strcmp(before->sdk, question->sdk))
        return false;
    add_root(question, "before", before->sdk, before->sdk_version, false);
    enum ta_status status = answer(question, (const struct requirement *)(const void *)question->roots->data,
                                   question->roots->len, resolution);
    g_array_set_size(question->roots, asked);
    return !status && resolution->found;
}

static enum ta_status choose(struct question *question, const struct version_wishes *wishes, struct versions *versions,
                             struct ta_report *report) {
    struct resolution resolution;
    enum ta_status status = ask_catalog(question);
    if (status)
        return status;
    add_roots(question, wishes);
    versions->kept = !wishes->sdk_version && answer_as_before(question, wishes->before, &resolution);
    if (!versions->kept)
        status = answer(question, (const struct requirement *)(const void *)question->roots->data, question->roots->len,
                        &resolution);
    if (status)
        return status;
    return resolution.found ? keep_answer(question, &resolution, versions)
                            : report_conflict(question, &resolution, report);
}

static void free_list(gpointer list) {
    g_array_free(list, TRUE);
}

enum ta_status versions_choose(struct workspace *workspace, const struct version_wishes *wishes,
                               struct versions *versions, struct ta_report *report, struct ta_problem *why) {
    const struct needs *sdks = &workspace->project.needs.sdk;
    const char *sdk = wishes->sdk ? wishes->sdk : sdks->count ? sdks->items[0].name : "";
    *versions = (struct versions){0};
    if (!needs_range(sdks, sdk)) {
        g_autofree char *fix = sdks->count ? g_strdup_printf("--sdk %s", sdks->items[0].name) : NULL;
        return ta_problem_set(why, TA_E_INPUT, fix, "%s is not made for the SDK \"%s\"", workspace->project.project,
                              sdk);
    }
    struct question question = {.workspace = workspace,
                                .arena = workspace->arena,
                                .sdk = sdk,
                                .names = g_ptr_array_new(),
                                .lists = g_ptr_array_new_with_free_func(free_list),
                                .roots = g_array_new(FALSE, FALSE, sizeof(struct requirement)),
                                .why = why};
    enum ta_status status = choose(&question, wishes, versions, report);
    g_ptr_array_free(question.names, TRUE);
    g_ptr_array_free(question.lists, TRUE);
    g_array_free(question.roots, TRUE);
    return status;
}
