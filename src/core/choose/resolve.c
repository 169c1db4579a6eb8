#include "core/choose/resolve.h"

#include "core/choose/clauses.h"
#include "tameanchor/version.h"

#include <stdint.h>
#include <stdlib.h>
#include <string.h>

/* Each version of each package is a variable: it is taken. Clauses say that a package is taken in one version at most, that a
   version comes with one of those that it needs, and what the roots ask for. */

/* What a clause comes from, so that a conflict can be told: a root, or what a package needs of another in one range. */
struct origin {
    const struct requirement *root;
    size_t package; /* whose versions need it */
    struct need need;
};

struct resolver {
    struct arena *arena;
    const struct candidates *packages;
    size_t count;
    const struct requirement *roots;
    size_t root_count;
    int *first;                 /* each package's first variable */
    struct ta_version **parsed; /* each package's versions */
    size_t *by_name;            /* packages sorted by name */
    struct origin *origins;     /* each has a variable too, behind those of the versions: it counts */
    size_t origin_count;
    size_t returns; /* of the search, when NEXT_GUESS was the first variable that was not known */
    int next_guess;
    size_t *order; /* packages in the order in which they are decided */
    bool *ordered;
};

static const size_t nowhere = (size_t)-1;

/* Packages by name. */

static size_t find_package(const struct resolver *resolver, const char *name) {
    size_t low = 0, high = resolver->count;
    while (low < high) {
        size_t middle = (low + high) / 2;
        int order = strcmp(resolver->packages[resolver->by_name[middle]].name, name);
        if (!order)
            return resolver->by_name[middle];
        if (order < 0)
            low = middle + 1;
        else
            high = middle;
    }
    return nowhere;
}

/* Merges two sorted halves; qsort could not see the names. */
static void sort_names(const struct candidates *packages, size_t *list, size_t *spare, size_t count) {
    if (count < 2)
        return;
    size_t half = count / 2, a = 0, b = half;
    sort_names(packages, list, spare, half);
    sort_names(packages, list + half, spare, count - half);
    for (size_t i = 0; i < count; ++i) {
        bool left = b == count || (a < half && strcmp(packages[list[a]].name, packages[list[b]].name) <= 0);
        spare[i] = left ? list[a++] : list[b++];
    }
    memcpy(list, spare, count * sizeof *list);
}

static bool prepare(struct resolver *resolver, size_t *origins) {
    size_t count = resolver->count, needs = 0;
    int next = 1;
    size_t *spare = arena_alloc(resolver->arena, (count + 1) * sizeof *spare);
    resolver->by_name = arena_alloc(resolver->arena, (count + 1) * sizeof *resolver->by_name);
    resolver->first = arena_alloc(resolver->arena, (count + 1) * sizeof *resolver->first);
    resolver->order = arena_alloc(resolver->arena, (count + 1) * sizeof *resolver->order);
    resolver->ordered = arena_alloc(resolver->arena, (count + 1) * sizeof *resolver->ordered);
    resolver->parsed = arena_alloc(resolver->arena, (count + 1) * sizeof *resolver->parsed);
    if (!spare || !resolver->by_name || !resolver->first || !resolver->order || !resolver->ordered || !resolver->parsed)
        return false;
    for (size_t i = 0; i < count; ++i) {
        const struct candidates *package = &resolver->packages[i];
        resolver->by_name[i] = i;
        resolver->first[i] = next;
        next += (int)package->count;
        resolver->parsed[i] = arena_alloc(resolver->arena, (package->count + 1) * sizeof **resolver->parsed);
        if (!resolver->parsed[i])
            return false;
        for (size_t v = 0; v < package->count; ++v) {
            ta_version_parse(package->items[v].version, &resolver->parsed[i][v], NULL);
            needs += package->items[v].needs.count;
        }
    }
    resolver->first[count] = next;
    sort_names(resolver->packages, resolver->by_name, spare, count);
    *origins = resolver->root_count + needs;
    resolver->origins = arena_alloc(resolver->arena, (*origins + 1) * sizeof *resolver->origins);
    return resolver->origins != NULL;
}

/* The origin of a need of PACKAGE: equal needs of its versions share one. */
static size_t need_origin(struct resolver *resolver, size_t start, size_t package, const struct need *need) {
    for (size_t i = start; i < resolver->origin_count; ++i)
        if (!strcmp(resolver->origins[i].need.name, need->name) &&
            !strcmp(resolver->origins[i].need.range, need->range))
            return i;
    resolver->origins[resolver->origin_count] = (struct origin){.package = package, .need = *need};
    return resolver->origin_count++;
}

/* Clauses. */

static int origin_variable(const struct resolver *resolver, size_t origin) {
    return resolver->first[resolver->count] + (int)origin;
}

/* When ORIGIN counts and IF (0: always), then one of the versions of NAME inside RANGE. */
static bool add_need(struct resolver *resolver, struct clauses *clauses, int condition, const struct need *need,
                     size_t origin) {
    size_t package = find_package(resolver, need->name), count = 0;
    size_t room = package == nowhere ? 0 : resolver->packages[package].count;
    int *literals = malloc((room + 2) * sizeof *literals);
    if (!literals)
        return false;
    literals[count++] = -origin_variable(resolver, origin);
    if (condition)
        literals[count++] = -condition;
    for (size_t v = 0; v < room; ++v)
        if (ta_range_contains(need->range, &resolver->parsed[package][v]))
            literals[count++] = resolver->first[package] + (int)v;
    bool good = clauses_add(clauses, literals, count);
    free(literals);
    return good;
}

static bool add_root(struct resolver *resolver, struct clauses *clauses, const struct requirement *root,
                     size_t origin) {
    size_t package = find_package(resolver, root->name);
    bool good = root->forbidden || add_need(resolver, clauses, 0, &(struct need){root->name, root->range}, origin);
    for (size_t v = 0; root->forbidden && package != nowhere && good && v < resolver->packages[package].count; ++v)
        good = clauses_add(clauses,
                           (const int[]){-origin_variable(resolver, origin), -(resolver->first[package] + (int)v)}, 2);
    return good;
}

static bool add_package(struct resolver *resolver, struct clauses *clauses, size_t index) {
    const struct candidates *package = &resolver->packages[index];
    size_t start = resolver->origin_count;
    bool good = true;
    for (size_t v = 0; good && v < package->count; ++v) {
        int taken = resolver->first[index] + (int)v;
        for (size_t w = v + 1; good && w < package->count; ++w)
            good = clauses_add(clauses, (const int[]){-taken, -(resolver->first[index] + (int)w)}, 2);
        for (size_t n = 0; good && n < package->items[v].needs.count; ++n) {
            const struct need *need = &package->items[v].needs.items[n];
            good = add_need(resolver, clauses, taken, need, need_origin(resolver, start, index, need));
        }
    }
    return good;
}

/* ORIGINS is the most that there can be of them. */
static struct clauses *make_clauses(struct resolver *resolver, size_t origins) {
    struct clauses *clauses = clauses_new(resolver->arena, (size_t)resolver->first[resolver->count] - 1 + origins);
    bool good = clauses != NULL;
    resolver->origin_count = resolver->root_count;
    for (size_t i = 0; good && i < resolver->root_count; ++i) {
        resolver->origins[i] = (struct origin){.root = &resolver->roots[i]};
        good = add_root(resolver, clauses, &resolver->roots[i], i);
    }
    for (size_t i = 0; good && i < resolver->count; ++i)
        good = add_package(resolver, clauses, i);
    return good ? clauses : NULL;
}

/* The order of guesses. */

static int taken_version(const struct resolver *resolver, const struct clauses *clauses, size_t package) {
    for (size_t v = 0; v < resolver->packages[package].count; ++v)
        if (clauses_value(clauses, resolver->first[package] + (int)v) > 0)
            return (int)v;
    return -1;
}

static void add_to_order(struct resolver *resolver, const char *name, size_t *length) {
    size_t package = find_package(resolver, name);
    if (package == nowhere || resolver->ordered[package])
        return;
    resolver->ordered[package] = true;
    resolver->order[(*length)++] = package;
}

/* The first package of the order that has no version yet gets its best one that is still possible. A package stands in the
   order only through the roots and through what was taken before it, so that what merely follows cannot change it. */
static int guess_version(const struct clauses *clauses, void *with) {
    struct resolver *resolver = with;
    size_t length = 0;
    memset(resolver->ordered, 0, resolver->count * sizeof *resolver->ordered);
    for (size_t i = 0; i < resolver->root_count; ++i)
        if (!resolver->roots[i].forbidden)
            add_to_order(resolver, resolver->roots[i].name, &length);
    for (size_t i = 0; i < length; ++i) {
        size_t package = resolver->order[i];
        int taken = taken_version(resolver, clauses, package);
        for (size_t v = 0; taken < 0 && v < resolver->packages[package].count; ++v)
            if (!clauses_value(clauses, resolver->first[package] + (int)v))
                return resolver->first[package] + (int)v;
        if (taken < 0)
            continue;
        const struct needs *needs = &resolver->packages[package].items[taken].needs;
        for (size_t n = 0; n < needs->count; ++n)
            add_to_order(resolver, needs->items[n].name, &length);
    }
    return 0;
}

/* A solution: what the order reaches; versions that are true without being needed are not taken. */
static bool read_solution(struct resolver *resolver, const struct clauses *clauses, struct resolution *resolution) {
    resolution->chosen = arena_alloc(resolver->arena, (resolver->count + 1) * sizeof *resolution->chosen);
    if (!resolution->chosen)
        return false;
    guess_version(clauses, resolver);
    for (size_t i = 0; i < resolver->count; ++i)
        resolution->chosen[i] = resolver->ordered[i] ? taken_version(resolver, clauses, i) : -1;
    resolution->found = true;
    return true;
}

/* Conflicts. */

/* Any version that is not known yet is not taken: whether all can hold is what counts here, not how. */
static int guess_absence(const struct clauses *clauses, void *with) {
    struct resolver *resolver = with;
    int end = resolver->first[resolver->count];
    if (resolver->returns != clauses_returns(clauses)) {
        resolver->returns = clauses_returns(clauses);
        resolver->next_guess = 1;
    }
    for (; resolver->next_guess < end; ++resolver->next_guess)
        if (!clauses_value(clauses, resolver->next_guess))
            return -resolver->next_guess;
    return 0;
}

static bool describe_conflict(struct resolver *resolver, const size_t *origins, size_t count,
                              struct resolution *resolution) {
    resolution->conflict = arena_alloc(resolver->arena, (count + 1) * sizeof *resolution->conflict);
    for (size_t i = 0; resolution->conflict && i < count; ++i) {
        const struct origin *origin = &resolver->origins[origins[i]];
        resolution->conflict[resolution->conflict_count++] =
            origin->root ? *origin->root
                         : (struct requirement){.by = resolver->packages[origin->package].name,
                                                .name = origin->need.name,
                                                .range = origin->need.range};
    }
    return resolution->conflict != NULL;
}

/* What is assumed: the variables of origins, which stand in KEPT. */
struct assumptions {
    size_t *kept;
    int *literals;
    bool *failed;
    size_t count;
};

static bool make_assumptions(struct resolver *resolver, struct assumptions *assumptions) {
    size_t count = resolver->origin_count;
    assumptions->kept = arena_alloc(resolver->arena, (count + 1) * sizeof *assumptions->kept);
    assumptions->literals = arena_alloc(resolver->arena, (count + 1) * sizeof *assumptions->literals);
    assumptions->failed = arena_alloc(resolver->arena, (count + 1) * sizeof *assumptions->failed);
    if (!assumptions->kept || !assumptions->literals || !assumptions->failed)
        return false;
    for (size_t i = 0; i < count; ++i) {
        assumptions->kept[i] = i;
        assumptions->literals[i] = origin_variable(resolver, i);
    }
    assumptions->count = count;
    return true;
}

/* Only those that failed stay. */
static void keep_failed(struct assumptions *assumptions) {
    size_t kept = 0;
    for (size_t i = 0; i < assumptions->count; ++i) {
        if (!assumptions->failed[i])
            continue;
        assumptions->kept[kept] = assumptions->kept[i];
        assumptions->literals[kept++] = assumptions->literals[i];
    }
    assumptions->count = kept;
}

static int compare_origins(const void *a, const void *b) {
    size_t first = *(const size_t *)a, second = *(const size_t *)b;
    return (first > second) - (first < second);
}

/* The smallest conflict, for questions of few requirements, each a bit. Every conflict has something in common with every
   correction: a set of requirements without which the rest holds. So a smallest set that meets all corrections known so far is
   no larger than the smallest conflict; when it is a conflict itself, it is one. When it is not, it leads to a new correction. */

enum { SMALL_QUESTION = 64, CORRECTIONS = 128, MEETING_STEPS = 100000 };

struct smallest {
    struct resolver *resolver;
    struct clauses *clauses;
    struct assumptions scratch;
    uint64_t corrections[CORRECTIONS];
    size_t count, steps;
    bool no_memory;
};

static bool is_conflict(struct smallest *smallest, uint64_t set) {
    struct assumptions *scratch = &smallest->scratch;
    scratch->count = 0;
    for (size_t i = 0; i < smallest->resolver->origin_count; ++i)
        if (set >> i & 1)
            scratch->literals[scratch->count++] = origin_variable(smallest->resolver, i);
    enum clauses_answer answer = clauses_solve(smallest->clauses, scratch->literals, scratch->count, scratch->failed,
                                               guess_absence, smallest->resolver);
    smallest->no_memory = smallest->no_memory || answer == CLAUSES_NO_MEMORY;
    return answer == CLAUSES_CONFLICT;
}

/* Adds at most LEFT requirements to SET so that it meets all corrections. */
static bool meet_all(struct smallest *smallest, uint64_t *set, unsigned left) {
    uint64_t missed = 0;
    for (size_t i = 0; i < smallest->count && !missed; ++i)
        missed = smallest->corrections[i] & *set ? 0 : smallest->corrections[i];
    if (!missed || !left || ++smallest->steps > MEETING_STEPS)
        return !missed;
    for (unsigned bit = 0; bit < SMALL_QUESTION; ++bit) {
        uint64_t longer = *set | UINT64_C(1) << bit;
        if (!(missed >> bit & 1) || !meet_all(smallest, &longer, left - 1))
            continue;
        *set = longer;
        return true;
    }
    return false;
}

/* What must go so that the rest holds, when SET does. */
static uint64_t correction_of(struct smallest *smallest, uint64_t set) {
    uint64_t all = 0;
    for (size_t i = 0; i < smallest->resolver->origin_count; ++i) {
        all |= UINT64_C(1) << i;
        if (!(set >> i & 1) && !is_conflict(smallest, set | UINT64_C(1) << i))
            set |= UINT64_C(1) << i;
    }
    return all & ~set;
}

/* ASSUMPTIONS holds a conflict; false without memory. Where the search becomes too long, that one stays. */
static bool find_smallest(struct resolver *resolver, struct clauses *clauses, struct assumptions *assumptions) {
    struct smallest smallest = {.resolver = resolver, .clauses = clauses};
    unsigned size = 0;
    if (!make_assumptions(resolver, &smallest.scratch))
        return false;
    while (size < assumptions->count && smallest.count < CORRECTIONS && smallest.steps < MEETING_STEPS) {
        uint64_t set = 0;
        if (!meet_all(&smallest, &set, size)) {
            ++size; /* nothing of that size can be a conflict */
            continue;
        }
        if (!is_conflict(&smallest, set)) {
            smallest.corrections[smallest.count++] = correction_of(&smallest, set);
            continue;
        }
        assumptions->count = 0;
        for (size_t i = 0; i < resolver->origin_count; ++i)
            if (set >> i & 1)
                assumptions->kept[assumptions->count++] = i;
        break;
    }
    return !smallest.no_memory;
}

/* One after the other is left out: what there is no conflict without stays, and so does what takes too long to tell. */
static bool find_conflict(struct resolver *resolver, struct clauses *clauses, struct assumptions *assumptions,
                          struct resolution *resolution) {
    keep_failed(assumptions);
    for (size_t i = assumptions->count; i-- > 0;) {
        size_t last = assumptions->count - 1, origin = assumptions->kept[i];
        int literal = assumptions->literals[i];
        assumptions->kept[i] = assumptions->kept[last];
        assumptions->literals[i] = assumptions->literals[last];
        assumptions->count = last;
        enum clauses_answer answer = clauses_solve(clauses, assumptions->literals, assumptions->count,
                                                   assumptions->failed, guess_absence, resolver);
        if (answer == CLAUSES_NO_MEMORY)
            return false;
        if (answer == CLAUSES_CONFLICT)
            continue;
        assumptions->kept[last] = assumptions->kept[i];
        assumptions->literals[last] = assumptions->literals[i];
        assumptions->kept[i] = origin;
        assumptions->literals[i] = literal;
        assumptions->count = last + 1;
    }
    if (resolver->origin_count <= SMALL_QUESTION && !find_smallest(resolver, clauses, assumptions))
        return false;
    qsort(assumptions->kept, assumptions->count, sizeof *assumptions->kept, compare_origins); /* the roots first */
    return describe_conflict(resolver, assumptions->kept, assumptions->count, resolution);
}

enum ta_status resolve(struct arena *arena, const struct candidates *packages, size_t count,
                       const struct requirement *roots, size_t root_count, struct resolution *resolution,
                       struct ta_problem *why) {
    struct resolver resolver = {
        .arena = arena, .packages = packages, .count = count, .roots = roots, .root_count = root_count};
    struct assumptions assumptions;
    size_t origins;
    *resolution = (struct resolution){0};
    struct clauses *clauses = prepare(&resolver, &origins) ? make_clauses(&resolver, origins) : NULL;
    bool good = clauses && make_assumptions(&resolver, &assumptions);
    enum clauses_answer answer = CLAUSES_NO_MEMORY;
    if (good)
        answer = clauses_solve(clauses, assumptions.literals, assumptions.count, assumptions.failed, guess_version,
                               &resolver);
    if (answer == CLAUSES_TOO_LONG)
        return ta_problem_set(why, TA_E_INPUT, "name a version of the SDK, or narrow the ranges",
                              "the versions that the catalogs offer need one another in too many ways: no choice after "
                              "%d attempts",
                              CLAUSES_RETURNS);
    good = answer == CLAUSES_HOLD       ? read_solution(&resolver, clauses, resolution)
           : answer == CLAUSES_CONFLICT ? find_conflict(&resolver, clauses, &assumptions, resolution)
                                        : false;
    return good ? TA_OK : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
}
