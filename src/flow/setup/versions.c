#include "flow/setup/setup.h"

#include "flow/depot/depot.h"

/* One SDK's question: what there is, and what is asked of it. */
struct asked {
    struct ta_context *context;
    const char *sdk;
    struct choice choice;
    GArray *roots; /* of struct requirement */
    struct ta_problem *why;
};

/* Who asks, where it is not the project. */
static const char by_sdk[] = "{option sdk}", by_with[] = "{option with}", by_without[] = "{option without}",
                  by_setup[] = "setup.yaml";

static void add_root(struct asked *asked, const char *by, const char *name, const char *range, bool forbidden) {
    const struct requirement root = {by, name, range, forbidden};
    g_array_append_val(asked->roots, root);
}

static void add_roots(struct asked *asked, const struct version_question *question) {
    const struct needs *components = &question->needs->components;
    add_root(asked, question->by, asked->sdk, needs_range(&question->needs->sdk, asked->sdk), false);
    if (question->sdk_version)
        add_root(asked, by_sdk, asked->sdk, question->sdk_version, false);
    for (size_t i = 0; i < components->count; ++i)
        add_root(asked, question->by, components->items[i].name, components->items[i].range, false);
    for (size_t i = 0; i < question->with.count; ++i)
        add_root(asked, by_with, question->with.items[i].name, question->with.items[i].range, false);
    for (size_t i = 0; i < question->without.count; ++i)
        add_root(asked, by_without, question->without.items[i], "*", true);
}

static enum ta_status answer(struct asked *asked, const GArray *roots, struct resolution *resolution) {
    return resolve(asked->context->arena, asked->choice.packages, asked->choice.count,
                   (const struct requirement *)(const void *)roots->data, roots->len, resolution, asked->why);
}

/* Conflicts. */

static bool is_wish(const struct requirement *requirement) {
    return requirement->by == by_sdk || requirement->by == by_with || requirement->by == by_without;
}

static bool same_requirement(const struct requirement *a, const struct requirement *b) {
    return !strcmp(a->by, b->by) && !strcmp(a->name, b->name) && !strcmp(a->range, b->range) &&
           a->forbidden == b->forbidden;
}

/* What the choice would be without ROOT; null when that does not help. */
static char *choice_without(struct asked *asked, const struct requirement *root) {
    g_autoptr(GArray) rest = g_array_new(FALSE, FALSE, sizeof(struct requirement));
    struct resolution resolution;
    for (guint i = 0; i < asked->roots->len; ++i)
        if (!same_requirement(&g_array_index(asked->roots, struct requirement, i), root))
            g_array_append_val(rest, g_array_index(asked->roots, struct requirement, i));
    if (answer(asked, rest, &resolution) || !resolution.found || resolution.chosen[0] < 0)
        return NULL;
    return g_strdup_printf("%s %s", asked->sdk, asked->choice.packages[0].items[resolution.chosen[0]].version);
}

static char *describe(const struct requirement *requirement) {
    bool any = !strcmp(requirement->range, "*");
    if (requirement->by == by_setup)
        return requirement->forbidden ? g_strdup_printf("setup.yaml leaves out %s", requirement->name)
                                      : g_strdup_printf("setup.yaml has %s %s", requirement->name, requirement->range);
    if (requirement->forbidden)
        return g_strdup_printf("%s %s", requirement->by, requirement->name);
    return g_strdup_printf("%s %s %s%s%s", requirement->by, is_wish(requirement) ? "asks for" : "needs",
                           requirement->name, any ? "" : " ", any ? "" : requirement->range);
}

/* "(there is 1.0.0, 1.1.0)", "(no catalog has it)". */
static char *supply_of(const struct asked *asked, const struct requirement *requirement) {
    g_autofree char *there = candidates_versions(&asked->choice, requirement->name);
    return g_strdup_printf("%s%s%s%s", *there ? "there is " : "no catalog has it", there,
                           asked->choice.silent.status ? "; " : "", asked->choice.silent.what);
}

/* The nearest choice that would do; the user's own wishes are the first to give way. Null when there is none. */
static char *nearest_choice(struct asked *asked, const struct resolution *resolution) {
    for (int wishes = 1; wishes >= 0; --wishes)
        for (size_t i = 0; i < resolution->conflict_count; ++i) {
            const struct requirement *each = &resolution->conflict[i];
            g_autofree char *choice = is_wish(each) == (wishes == 1) ? choice_without(asked, each) : NULL;
            g_autofree char *line = describe(each);
            if (choice)
                return g_strdup_printf("%s would fit, but %s", choice, line);
        }
    return NULL;
}

static enum ta_status refuse(struct asked *asked, const struct resolution *resolution, struct ta_report *report) {
    g_autoptr(GString) all = g_string_new(NULL);
    for (size_t i = 0; i < resolution->conflict_count; ++i) {
        const struct requirement *each = &resolution->conflict[i];
        g_autofree char *line = describe(each), *supply = supply_of(asked, each);
        if (report && resolution->conflict_count > 1) /* a single one stands in the problem */
            report_add(report, TA_LEVEL_PROBLEM, "versions", NULL, "%s (%s)", line, supply);
        g_string_append_printf(all, "%s%s", i ? ", " : "", line);
        if (resolution->conflict_count == 1)
            g_string_append_printf(all, " (%s)", supply);
    }
    if (resolution->conflict_count == 1)
        return ta_problem_set(asked->why, TA_E_NO,
                              is_wish(&resolution->conflict[0])
                                  ? "leave it out, or {use PLACE} that has it"
                                  : "change the range in anchor.yaml, or {use PLACE} that has it",
                              "this cannot be had: %s", all->str);
    g_autofree char *nearest = nearest_choice(asked, resolution);
    return ta_problem_set(asked->why, TA_E_NO, nearest ? nearest : "{list} lists what there is",
                          "these cannot hold together: %s", all->str);
}

/* Answers. */

/* An SDK that is like another version is not whole without that; its offer says which. */
static enum ta_status add_missing(struct asked *asked, const struct offer *offer, struct versions *versions) {
    for (size_t i = 0; i < versions->missing_count; ++i)
        if (versions->missing[i] == offer)
            return TA_OK;
    const struct needs *like = &offer->package.needs.sdk;
    for (size_t i = 0; offer->package.kind == PACKAGE_SDK && i < like->count; ++i) {
        bool here = false;
        for (size_t v = 0; v < asked->choice.packages[0].count; ++v)
            here = here || (!asked->choice.offers[0][v] &&
                            !strcmp(asked->choice.packages[0].items[v].version, like->items[i].range));
        const struct offer *other =
            here ? NULL : offer_newest(&asked->choice.sdks, PACKAGE_SDK, like->items[i].name, like->items[i].range);
        if (!here && !other)
            return ta_problem_set(asked->why, TA_E_NO, "{use PLACE}", "%s %s is based on %s, which no catalog has",
                                  offer->package.package, offer->package.version, like->items[i].range);
        enum ta_status status = other && other != offer ? add_missing(asked, other, versions) : TA_OK;
        if (status)
            return status;
    }
    versions->missing[versions->missing_count++] = offer;
    return TA_OK;
}

static enum ta_status keep_answer(struct asked *asked, const struct resolution *resolution, struct versions *versions) {
    const struct choice *choice = &asked->choice;
    struct arena *arena = asked->context->arena;
    enum ta_status status = TA_OK;
    versions->sdk = asked->sdk;
    versions->sdk_version = choice->packages[0].items[resolution->chosen[0]].version;
    versions->components.items = arena_alloc(arena, (choice->count + 1) * sizeof *versions->components.items);
    versions->missing = arena_alloc(arena, (choice->count + choice->sdks.count + 1) * sizeof *versions->missing);
    for (size_t i = 0; !status && i < choice->count; ++i) {
        int chosen = resolution->chosen[i];
        if (chosen < 0)
            continue;
        if (i)
            versions->components.items[versions->components.count++] =
                (struct pin){choice->packages[i].name, choice->packages[i].items[chosen].version};
        if (choice->offers[i][chosen])
            status = add_missing(asked, choice->offers[i][chosen], versions);
    }
    return status;
}

/* The same as before, when that still does: its version is asked for too. */
static bool answer_as_before(struct asked *asked, const struct setup *before, struct resolution *resolution) {
    if (!before || strcmp(before->sdk, asked->sdk))
        return false;
    guint count = asked->roots->len;
    add_root(asked, "before", before->sdk, before->sdk_version, false);
    enum ta_status status = answer(asked, asked->roots, resolution);
    g_array_set_size(asked->roots, count);
    return !status && resolution->found;
}

/* With the SDK of that name. */
static enum ta_status choose(struct ta_context *context, const struct version_question *question, const char *sdk,
                             bool offered, struct versions *versions, struct ta_report *report,
                             struct ta_problem *why) {
    struct asked asked = {.context = context, .sdk = sdk, .why = why};
    struct resolution resolution = {0};
    *versions = (struct versions){0};
    enum ta_status status = candidates_read(context, sdk, NULL, offered, &asked.choice, why);
    if (status)
        return status;
    asked.roots = g_array_new(FALSE, FALSE, sizeof(struct requirement));
    add_roots(&asked, question);
    versions->kept = !question->sdk_version && answer_as_before(&asked, question->before, &resolution);
    if (!versions->kept)
        status = answer(&asked, asked.roots, &resolution);
    if (!status)
        status = resolution.found ? keep_answer(&asked, &resolution, versions) : refuse(&asked, &resolution, report);
    g_array_free(asked.roots, TRUE);
    return status;
}

/* What is here is asked first: nothing is fetched that need not be. Then the depots are. */
enum ta_status versions_choose(struct ta_context *context, const struct version_question *question,
                               struct versions *versions, struct ta_report *report, struct ta_problem *why) {
    const struct needs *sdks = &question->needs->sdk;
    const char *first = question->sdk ? question->sdk : sdks->count ? sdks->items[0].name : "";
    *versions = (struct versions){0};
    if (!needs_range(sdks, first)) {
        g_autofree char *fix = sdks->count ? g_strdup_printf("it is made for %s", sdks->items[0].name) : NULL;
        return ta_problem_set(why, TA_E_INPUT, fix, "%s does not support the SDK \"%s\"", question->by, first);
    }
    for (int offered = 0; offered <= question->offered; ++offered)
        for (size_t i = 0; i < sdks->count; ++i) {
            if (question->sdk && strcmp(sdks->items[i].name, question->sdk))
                continue;
            enum ta_status status = choose(context, question, sdks->items[i].name, offered, versions, NULL, NULL);
            if (!status || status == TA_E_INTERRUPTED || status == TA_E_MEMORY)
                return status;
        }
    return choose(context, question, first, question->offered, versions, report, why); /* and says why not */
}

/* A conflict between what is needed and what the setup has, of two, has plainer words. */
static enum ta_status refuse_setup(struct asked *asked, const struct resolution *resolution) {
    if (resolution->conflict_count != 2)
        return refuse(asked, resolution, NULL);
    const struct requirement *needed = &resolution->conflict[0], *has = &resolution->conflict[1];
    if (has->by != by_setup || strcmp(needed->name, has->name))
        return refuse(asked, resolution, NULL);
    if (has->forbidden)
        return ta_problem_set(asked->why, TA_E_NO, "{configure}", "the project needs %s, setup.yaml leaves it out",
                              has->name);
    return ta_problem_set(asked->why, TA_E_NO, "{configure}", "%s %s is outside %s, which the project needs", has->name,
                          has->range, needed->range);
}

/* Among all versions that are here, or only those of the setup. */
static enum ta_status check_among(struct ta_context *context, bool all, const char *by,
                                  const struct project_needs *needs, const struct setup *setup,
                                  struct ta_problem *why) {
    struct asked asked = {.context = context, .sdk = setup->sdk, .why = why};
    struct resolution resolution = {0};
    enum ta_status status = candidates_read(context, setup->sdk, all ? NULL : setup, false, &asked.choice, why);
    if (status)
        return status;
    asked.roots = g_array_new(FALSE, FALSE, sizeof(struct requirement));
    add_roots(&asked, &(struct version_question){.by = by, .needs = needs});
    add_root(&asked, by_setup, setup->sdk, setup->sdk_version, false);
    for (size_t i = 1; i < asked.choice.count; ++i) {
        const char *name = asked.choice.packages[i].name, *version = pins_version(&setup->components, name);
        add_root(&asked, by_setup, name, version ? version : "*", !version);
    }
    for (size_t i = 0; i < setup->components.count; ++i) { /* also those that no catalog has */
        const struct pin *pin = &setup->components.items[i];
        g_autofree char *there = candidates_versions(&asked.choice, pin->name);
        if (!*there)
            add_root(&asked, by_setup, pin->name, pin->version, false);
    }
    status = answer(&asked, asked.roots, &resolution);
    if (!status && !resolution.found)
        status = refuse_setup(&asked, &resolution);
    g_array_free(asked.roots, TRUE);
    return status;
}

/* The others are read only to tell what there is, where the setup does not do. */
enum ta_status versions_check(struct ta_context *context, const char *by, const struct project_needs *needs,
                              const struct setup *setup, struct ta_problem *why) {
    if (!needs_range(&needs->sdk, setup->sdk))
        return ta_problem_set(why, TA_E_NO, "{configure}", "the project does not support %s", setup->sdk);
    return check_among(context, false, by, needs, setup, NULL) ? check_among(context, true, by, needs, setup, why)
                                                               : TA_OK;
}
