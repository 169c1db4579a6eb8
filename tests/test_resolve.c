/* The resolver against a search through all choices, on small catalogs made at random; conflicts that are as small as they can
   be; deep catalogs. */
#include "support.h"

#include "core/resolve.h"

#include <string.h>

enum { PACKAGES = 5, VERSIONS = 4, NEEDS = 3 };

static const char *const names[] = {"core", "lamps", "chime", "gauge", "radio"};
static const char *const version_texts[] = {"1.0.0", "1.4.0", "2.0.0", "2.1.0"};
static const char *const ranges[] = {"*", ">=1.4", "<2", ">=2.0 <2.1", "1.0.0", ">=2.1", "<=1.4 || >=2.1", "3.0.0"};

struct small_catalog {
    struct candidates packages[PACKAGES];
    struct candidate versions[PACKAGES][VERSIONS];
    struct need needs[PACKAGES][VERSIONS][NEEDS];
    struct requirement roots[3];
    size_t root_count;
};

static int pick(GRand *random, int count) {
    return g_rand_int_range(random, 0, count);
}

static void make_catalog(GRand *random, struct small_catalog *catalog) {
    memset(catalog, 0, sizeof *catalog);
    for (int p = 0; p < PACKAGES; ++p) {
        int count = pick(random, VERSIONS + 1);
        for (int v = 0; v < count; ++v) {
            struct candidate *candidate = &catalog->versions[p][v];
            candidate->version = version_texts[count - 1 - v];
            candidate->needs = (struct needs){catalog->needs[p][v], (size_t)pick(random, NEEDS + 1)};
            for (size_t n = 0; n < candidate->needs.count; ++n)
                candidate->needs.items[n] =
                    (struct need){names[pick(random, PACKAGES)], ranges[pick(random, G_N_ELEMENTS(ranges) - 2)]};
        }
        catalog->packages[p] = (struct candidates){names[p], catalog->versions[p], (size_t)count};
    }
    catalog->root_count = (size_t)pick(random, 3) + 1;
    for (size_t i = 0; i < catalog->root_count; ++i)
        catalog->roots[i] = (struct requirement){"it", names[pick(random, PACKAGES)],
                                                 ranges[pick(random, G_N_ELEMENTS(ranges))], pick(random, 6) == 0};
}

static int package_of(const char *name) {
    for (int p = 0; p < PACKAGES; ++p)
        if (!strcmp(names[p], name))
            return p;
    return -1;
}

static bool inside(const struct small_catalog *catalog, int package, int version, const char *range) {
    struct ta_version parsed;
    return version >= 0 && !ta_version_parse(catalog->versions[package][version].version, &parsed, NULL) &&
           ta_range_contains(range, &parsed);
}

/* What a search through all choices sees of the catalog: which requirements count. */
struct view {
    const struct small_catalog *catalog;
    const struct requirement *left_out; /* in the sense of a conflict: who needs what in which range; may be null */
};

static bool is_left_out(const struct view *view, const char *by, const char *name, const char *range, bool root) {
    const struct requirement *out = view->left_out;
    return out && !strcmp(out->by, by) && !strcmp(out->name, name) && !strcmp(out->range, range) &&
           root == !strcmp(out->by, "it");
}

static bool all_holds(const struct view *view, const int *chosen) {
    const struct small_catalog *catalog = view->catalog;
    for (size_t i = 0; i < catalog->root_count; ++i) {
        const struct requirement *root = &catalog->roots[i];
        int package = package_of(root->name);
        if (is_left_out(view, "it", root->name, root->range, true))
            continue;
        if (root->forbidden ? chosen[package] >= 0 : !inside(catalog, package, chosen[package], root->range))
            return false;
    }
    for (int p = 0; p < PACKAGES; ++p)
        for (size_t n = 0; chosen[p] >= 0 && n < catalog->versions[p][chosen[p]].needs.count; ++n) {
            const struct need *need = &catalog->versions[p][chosen[p]].needs.items[n];
            int package = package_of(need->name);
            if (!is_left_out(view, names[p], need->name, need->range, false) &&
                !inside(catalog, package, chosen[package], need->range))
                return false;
        }
    return true;
}

/* The order in which packages come to be needed, and then every version of each, the best first. */
static bool search(const struct view *view, int *order, bool *ordered, int length, int at, int *chosen) {
    const struct small_catalog *catalog = view->catalog;
    if (at == length)
        return all_holds(view, chosen);
    int package = order[at];
    for (size_t v = 0; v < catalog->packages[package].count; ++v) {
        int longer = length;
        bool now[PACKAGES];
        memcpy(now, ordered, sizeof now);
        chosen[package] = (int)v;
        for (size_t n = 0; n < catalog->versions[package][v].needs.count; ++n) {
            int needed = package_of(catalog->versions[package][v].needs.items[n].name);
            if (!now[needed])
                order[longer++] = needed;
            now[needed] = true;
        }
        if (search(view, order, now, longer, at + 1, chosen))
            return true;
    }
    chosen[package] = -1; /* also tried: without it, when nobody wants it after all */
    return view->left_out && search(view, order, ordered, length, at + 1, chosen);
}

static bool exhaustive(const struct view *view, int *chosen) {
    int order[PACKAGES * 2], length = 0;
    bool ordered[PACKAGES] = {false};
    for (int p = 0; p < PACKAGES; ++p)
        chosen[p] = -1;
    for (size_t i = 0; i < view->catalog->root_count; ++i) {
        int package = package_of(view->catalog->roots[i].name);
        if (!view->catalog->roots[i].forbidden && !ordered[package]) {
            order[length++] = package;
            ordered[package] = true;
        }
    }
    return search(view, order, ordered, length, 0, chosen);
}

START_TEST(ten_thousand_small_catalogs_have_the_answers_of_a_full_search) {
    enum { CATALOGS = 10000 };
    GRand *random = g_rand_new_with_seed(2026);
    unsigned found = 0, conflicts = 0;
    for (int i = 0; i < CATALOGS; ++i) {
        struct small_catalog catalog;
        struct resolution resolution;
        struct arena *arena = arena_new();
        int chosen[PACKAGES];
        make_catalog(random, &catalog);
        const struct view view = {&catalog, NULL};
        ck_assert_int_eq(
            resolve(arena, catalog.packages, PACKAGES, catalog.roots, catalog.root_count, &resolution, NULL), TA_OK);
        bool wanted = exhaustive(&view, chosen);
        ck_assert_msg(resolution.found == wanted, "catalog %d: found %d, wanted %d", i, resolution.found, wanted);
        for (int p = 0; wanted && p < PACKAGES; ++p)
            ck_assert_msg(resolution.chosen[p] == chosen[p], "catalog %d, %s: %d instead of %d", i, names[p],
                          resolution.chosen[p], chosen[p]);
        found += wanted;
        conflicts += !wanted;
        /* Without any one of the conflict's requirements it would be none. */
        for (size_t c = 0; !wanted && c < resolution.conflict_count; ++c) {
            struct small_catalog rest = catalog;
            const struct view less = {&rest, &resolution.conflict[c]};
            rest.root_count = 0;
            for (size_t k = 0; k < resolution.conflict_count; ++k)
                if (!strcmp(resolution.conflict[k].by, "it"))
                    rest.roots[rest.root_count++] = resolution.conflict[k];
            for (int p = 0; p < PACKAGES; ++p)
                for (size_t v = 0; v < rest.packages[p].count; ++v) {
                    struct needs *needs = &rest.versions[p][v].needs;
                    needs->items = rest.needs[p][v];
                    rest.packages[p].items = rest.versions[p];
                    size_t kept = 0;
                    for (size_t n = 0; n < needs->count; ++n)
                        for (size_t k = 0; k < resolution.conflict_count; ++k)
                            if (!strcmp(resolution.conflict[k].by, names[p]) &&
                                !strcmp(resolution.conflict[k].name, needs->items[n].name) &&
                                !strcmp(resolution.conflict[k].range, needs->items[n].range)) {
                                needs->items[kept++] = needs->items[n];
                                break;
                            }
                    needs->count = kept;
                }
            ck_assert_msg(exhaustive(&less, chosen), "catalog %d: requirement %zu of the conflict is not needed", i, c);
        }
        arena_free(arena);
    }
    ck_assert_uint_gt(found, CATALOGS / 5);
    ck_assert_uint_gt(conflicts, CATALOGS / 5);
    g_rand_free(random);
}
END_TEST

START_TEST(a_conflict_names_who_needs_what) {
    struct need old_core = {"core", "<2"}, new_core = {"core", ">=2"};
    struct candidate core[] = {{"2.1.0", {0}}, {"1.4.0", {0}}}, lamps[] = {{"1.0.0", {&old_core, 1}}},
                     chime[] = {{"1.0.0", {&new_core, 1}}}, idle[] = {{"1.0.0", {0}}};
    const struct candidates packages[] = {
        {"idle", idle, 1}, {"core", core, 2}, {"lamps", lamps, 1}, {"chime", chime, 1}};
    const struct requirement roots[] = {
        {"tide-lamp", "idle", "*", false}, {"tide-lamp", "lamps", "*", false}, {"tide-lamp", "chime", ">=1", false}};
    struct arena *arena = arena_new();
    struct resolution resolution;
    ck_assert_int_eq(resolve(arena, packages, 4, roots, 3, &resolution, NULL), TA_OK);
    ck_assert(!resolution.found);
    ck_assert_uint_eq(resolution.conflict_count, 4);
    ck_assert_str_eq(resolution.conflict[0].name, "lamps");
    ck_assert_str_eq(resolution.conflict[1].name, "chime");
    ck_assert_str_eq(resolution.conflict[2].by, "lamps");
    ck_assert_str_eq(resolution.conflict[3].range, ">=2");
    ck_assert_int_eq(resolve(arena, packages, 4, roots, 2, &resolution, NULL), TA_OK);
    ck_assert(resolution.found);
    ck_assert_int_eq(resolution.chosen[1], 1); /* core 1.4.0 */
    ck_assert_int_eq(resolution.chosen[3], -1);
    arena_free(arena);
}
END_TEST

START_TEST(pre_releases_are_taken_only_when_they_are_asked_for) {
    struct candidate core[] = {{"2.2.0-rc.1", {0}}, {"2.1.0", {0}}};
    const struct candidates packages[] = {{"core", core, 2}};
    struct arena *arena = arena_new();
    struct resolution resolution;
    struct requirement root = {"it", "core", ">=2.0", false};
    ck_assert_int_eq(resolve(arena, packages, 1, &root, 1, &resolution, NULL), TA_OK);
    ck_assert_int_eq(resolution.chosen[0], 1);
    root.range = ">=2.2.0-rc.1";
    ck_assert_int_eq(resolve(arena, packages, 1, &root, 1, &resolution, NULL), TA_OK);
    ck_assert_int_eq(resolution.chosen[0], 0);
    arena_free(arena);
}
END_TEST

int main(void) {
    return run_suite("resolve", (const TTest *const[]){ten_thousand_small_catalogs_have_the_answers_of_a_full_search,
                                                       a_conflict_names_who_needs_what,
                                                       pre_releases_are_taken_only_when_they_are_asked_for, NULL});
}
