/* The resolver against a search through all choices, on small catalogs made at random; conflicts that are as small as they can
   be; deep catalogs. */
#include "support.h"

#include "core/choose/resolve.h"

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

static bool all_holds(const struct small_catalog *catalog, const int *chosen) {
    for (size_t i = 0; i < catalog->root_count; ++i) {
        const struct requirement *root = &catalog->roots[i];
        int package = package_of(root->name);
        if (root->forbidden ? chosen[package] >= 0 : !inside(catalog, package, chosen[package], root->range))
            return false;
    }
    for (int p = 0; p < PACKAGES; ++p)
        for (size_t n = 0; chosen[p] >= 0 && n < catalog->versions[p][chosen[p]].needs.count; ++n) {
            const struct need *need = &catalog->versions[p][chosen[p]].needs.items[n];
            int package = package_of(need->name);
            if (!inside(catalog, package, chosen[package], need->range))
                return false;
        }
    return true;
}

/* The order in which packages come to be needed, and then every version of each, the best first. */
static bool search(const struct small_catalog *catalog, int *order, const bool *ordered, int length, int at,
                   int *chosen) {
    if (at == length)
        return all_holds(catalog, chosen);
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
        if (search(catalog, order, now, longer, at + 1, chosen))
            return true;
    }
    chosen[package] = -1;
    return false;
}

static bool exhaustive(const struct small_catalog *catalog, int *chosen) {
    int order[PACKAGES * 2], length = 0;
    bool ordered[PACKAGES] = {false};
    for (int p = 0; p < PACKAGES; ++p)
        chosen[p] = -1;
    for (size_t i = 0; i < catalog->root_count; ++i) {
        int package = package_of(catalog->roots[i].name);
        if (!catalog->roots[i].forbidden && !ordered[package]) {
            order[length++] = package;
            ordered[package] = true;
        }
    }
    return search(catalog, order, ordered, length, 0, chosen);
}

/* The catalog with nothing asked for but what is KEPT. */
static void keep_only(const struct small_catalog *from, const struct requirement *kept, size_t count,
                      struct small_catalog *rest) {
    *rest = *from;
    rest->root_count = 0;
    for (size_t k = 0; k < count; ++k)
        if (!strcmp(kept[k].by, "it"))
            rest->roots[rest->root_count++] = kept[k];
    for (int p = 0; p < PACKAGES; ++p) {
        rest->packages[p].items = rest->versions[p];
        for (size_t v = 0; v < rest->packages[p].count; ++v) {
            struct needs *needs = &rest->versions[p][v].needs;
            size_t left = 0;
            needs->items = rest->needs[p][v];
            for (size_t n = 0; n < needs->count; ++n)
                for (size_t k = 0; k < count; ++k)
                    if (!strcmp(kept[k].by, names[p]) && !strcmp(kept[k].name, needs->items[n].name) &&
                        !strcmp(kept[k].range, needs->items[n].range)) {
                        needs->items[left++] = needs->items[n];
                        break;
                    }
            needs->count = left;
        }
    }
}

static bool can_hold(const struct small_catalog *catalog, const struct requirement *kept, size_t count) {
    struct small_catalog rest;
    int chosen[PACKAGES];
    keep_only(catalog, kept, count, &rest);
    return exhaustive(&rest, chosen);
}

enum { ALL_AT_MOST = 3 + PACKAGES * VERSIONS * NEEDS };

/* Each requirement of the catalog once. */
static size_t list_requirements(const struct small_catalog *catalog, struct requirement all[ALL_AT_MOST]) {
    size_t count = 0;
    for (size_t i = 0; i < catalog->root_count; ++i)
        all[count++] = catalog->roots[i];
    for (int p = 0; p < PACKAGES; ++p)
        for (size_t v = 0; v < catalog->packages[p].count; ++v)
            for (size_t n = 0; n < catalog->versions[p][v].needs.count; ++n) {
                const struct need *need = &catalog->needs[p][v][n];
                const struct requirement each = {names[p], need->name, need->range, false};
                bool known = false;
                for (size_t k = 0; k < count; ++k)
                    known = known || (!strcmp(all[k].by, each.by) && !strcmp(all[k].name, each.name) &&
                                      !strcmp(all[k].range, each.range));
                if (!known)
                    all[count++] = each;
            }
    return count;
}

/* Whether some SIZE of the requirements from FIRST on conflict with the COUNT that are KEPT. */
static bool smaller_conflict(const struct small_catalog *catalog, const struct requirement *all, size_t total,
                             size_t first, struct requirement *kept, size_t count, size_t size) {
    if (!size)
        return !can_hold(catalog, kept, count);
    for (size_t i = first; i < total; ++i) {
        kept[count] = all[i];
        if (smaller_conflict(catalog, all, total, i + 1, kept, count + 1, size - 1))
            return true;
    }
    return false;
}

START_TEST(ten_thousand_small_catalogs_have_the_answers_of_a_full_search) {
    enum { CATALOGS = 10000, LOOKED_INTO = 300, SIZE_AT_MOST = 3 };
    GRand *random = g_rand_new_with_seed(2026);
    unsigned found = 0, conflicts = 0, looked_into = 0;
    for (int i = 0; i < CATALOGS; ++i) {
        struct small_catalog catalog;
        struct resolution resolution;
        struct arena *arena = arena_new();
        int chosen[PACKAGES];
        make_catalog(random, &catalog);
        ck_assert_int_eq(
            resolve(arena, catalog.packages, PACKAGES, catalog.roots, catalog.root_count, &resolution, NULL), TA_OK);
        bool wanted = exhaustive(&catalog, chosen);
        ck_assert_msg(resolution.found == wanted, "catalog %d: found %d, wanted %d", i, resolution.found, wanted);
        for (int p = 0; wanted && p < PACKAGES; ++p)
            ck_assert_msg(resolution.chosen[p] == chosen[p], "catalog %d, %s: %d instead of %d", i, names[p],
                          resolution.chosen[p], chosen[p]);
        found += wanted;
        conflicts += !wanted;
        /* A conflict is one; without any one of its requirements it would be none; and there is none smaller. */
        struct requirement all[ALL_AT_MOST], kept[ALL_AT_MOST];
        ck_assert(wanted || !can_hold(&catalog, resolution.conflict, resolution.conflict_count));
        for (size_t c = 0; !wanted && c < resolution.conflict_count; ++c) {
            size_t count = 0;
            for (size_t k = 0; k < resolution.conflict_count; ++k)
                if (k != c)
                    kept[count++] = resolution.conflict[k];
            ck_assert_msg(can_hold(&catalog, kept, count), "catalog %d: requirement %zu of the conflict is not needed",
                          i, c);
        }
        if (!wanted && resolution.conflict_count > 1 && resolution.conflict_count <= SIZE_AT_MOST + 1 &&
            looked_into < LOOKED_INTO) {
            size_t total = list_requirements(&catalog, all);
            ck_assert_msg(!smaller_conflict(&catalog, all, total, 0, kept, 0, resolution.conflict_count - 1),
                          "catalog %d has a conflict of less than %zu requirements", i, resolution.conflict_count);
            ++looked_into;
        }
        arena_free(arena);
    }
    ck_assert_uint_gt(found, CATALOGS / 5);
    ck_assert_uint_gt(conflicts, CATALOGS / 5);
    ck_assert_uint_eq(looked_into, LOOKED_INTO);
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

/* Thirteen packages want a berth of twelve each: no search by cases comes to an end, and this one says so. */
START_TEST(what_would_take_for_ever_is_told) {
    enum { BERTHS = 12, BOATS = BERTHS + 1 };
    static struct candidate boats[BOATS][BERTHS], berths[BERTHS][BOATS];
    static struct need needs[BOATS][BERTHS];
    static char names_of[BOATS + BERTHS][16], versions_of[BOATS][16];
    struct candidates packages[BOATS + BERTHS];
    struct requirement roots[BOATS];
    struct resolution resolution;
    struct ta_problem why;
    for (size_t boat = 0; boat < BOATS; ++boat) {
        g_snprintf(names_of[boat], sizeof names_of[boat], "boat-%zu", boat);
        g_snprintf(versions_of[boat], sizeof versions_of[boat], "%zu.0.0", boat + 1);
    }
    for (size_t berth = 0; berth < BERTHS; ++berth)
        g_snprintf(names_of[BOATS + berth], sizeof names_of[berth], "berth-%zu", berth);
    for (size_t boat = 0; boat < BOATS; ++boat) {
        for (size_t berth = 0; berth < BERTHS; ++berth) {
            needs[boat][berth] = (struct need){names_of[BOATS + berth], versions_of[boat]};
            boats[boat][berth] = (struct candidate){versions_of[berth], {&needs[boat][berth], 1}};
            berths[berth][boat] = (struct candidate){versions_of[boat], {0}};
        }
        packages[boat] = (struct candidates){names_of[boat], boats[boat], BERTHS};
        roots[boat] = (struct requirement){"the harbour", names_of[boat], "*", false};
    }
    for (size_t berth = 0; berth < BERTHS; ++berth)
        packages[BOATS + berth] = (struct candidates){names_of[BOATS + berth], berths[berth], BOATS};
    struct arena *arena = arena_new();
    ck_assert_int_eq(resolve(arena, packages, BOATS + BERTHS, roots, BOATS, &resolution, &why), TA_E_INPUT);
    ck_assert_msg(strstr(why.what, "no choice after 10000 attempts") != NULL, "%s", why.what);
    ck_assert_int_eq(resolve(arena, packages, BOATS + BERTHS, roots, BERTHS, &resolution, &why), TA_OK);
    ck_assert(resolution.found);
    arena_free(arena);
}
END_TEST

int main(void) {
    return run_suite("resolve", (const TTest *const[]){ten_thousand_small_catalogs_have_the_answers_of_a_full_search,
                                                       a_conflict_names_who_needs_what,
                                                       pre_releases_are_taken_only_when_they_are_asked_for,
                                                       what_would_take_for_ever_is_told, NULL});
}
