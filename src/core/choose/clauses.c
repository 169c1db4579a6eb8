#include "core/choose/clauses.h"

#include <string.h>

/* One clause. The first two literals are watched: as long as neither is false, nothing follows from the clause. */
struct clause {
    int *literals;
    size_t count;
};

struct clause_list {
    struct clause **items;
    size_t count, room;
};

struct variable {
    signed char value;           /* 1, -1, 0 */
    bool seen;                   /* while a conflict is looked into */
    unsigned level;              /* how many guesses had been made */
    struct clause *reason;       /* what made it follow; null for a guess */
    struct clause_list watch[2]; /* of its negative, of itself */
};

struct clauses {
    struct arena *arena;
    struct variable *variables; /* from 1 */
    size_t variable_count;
    int *trail; /* literals that hold, in the order in which they came to */
    size_t trail_count, propagated;
    size_t *level_starts;
    int *learned; /* literals, while a clause is learned */
    unsigned level;
    size_t returns;
    struct clause_list units;
};

static size_t index_of(int literal) {
    return (size_t)(literal < 0 ? -literal : literal);
}

static struct clause_list *watchers(struct clauses *clauses, int literal) {
    return &clauses->variables[index_of(literal)].watch[literal > 0];
}

int clauses_value(const struct clauses *clauses, int variable) {
    return clauses->variables[variable].value;
}

static int value(const struct clauses *clauses, int literal) {
    int known = clauses->variables[index_of(literal)].value;
    return literal < 0 ? -known : known;
}

/* Lists grow by doubling; what they leave behind stays in the arena. */
static bool push(struct clauses *clauses, struct clause_list *list, struct clause *clause) {
    if (list->count == list->room) {
        size_t room = list->room ? 2 * list->room : 4;
        struct clause **items = arena_alloc(clauses->arena, room * sizeof(struct clause *));
        if (!items)
            return false;
        if (list->count)
            memcpy(items, list->items, list->count * sizeof(struct clause *));
        list->items = items;
        list->room = room;
    }
    list->items[list->count++] = clause;
    return true;
}

struct clauses *clauses_new(struct arena *arena, size_t variables) {
    struct clauses *clauses = arena_alloc(arena, sizeof *clauses);
    if (!clauses)
        return NULL;
    *clauses = (struct clauses){.arena = arena, .variable_count = variables};
    clauses->variables = arena_alloc(arena, (variables + 1) * sizeof *clauses->variables);
    clauses->trail = arena_alloc(arena, (variables + 1) * sizeof *clauses->trail);
    clauses->level_starts = arena_alloc(arena, 2 * (variables + 1) * sizeof *clauses->level_starts);
    clauses->learned = arena_alloc(arena, (variables + 1) * sizeof *clauses->learned);
    return clauses->variables && clauses->trail && clauses->level_starts && clauses->learned ? clauses : NULL;
}

static struct clause *make_clause(struct clauses *clauses, const int *literals, size_t count) {
    struct clause *clause = arena_alloc(clauses->arena, sizeof *clause);
    int *kept = arena_alloc(clauses->arena, (count + 1) * sizeof *kept);
    if (!clause || !kept)
        return NULL;
    if (count)
        memcpy(kept, literals, count * sizeof *kept);
    *clause = (struct clause){kept, count};
    if (count < 2)
        return push(clauses, &clauses->units, clause) ? clause : NULL;
    bool good = push(clauses, watchers(clauses, kept[0]), clause) && push(clauses, watchers(clauses, kept[1]), clause);
    return good ? clause : NULL;
}

bool clauses_add(struct clauses *clauses, const int *literals, size_t count) {
    return make_clause(clauses, literals, count) != NULL;
}

/* LITERAL holds from now on, because of REASON. */
static void assign(struct clauses *clauses, int literal, struct clause *reason) {
    struct variable *variable = &clauses->variables[index_of(literal)];
    variable->value = literal < 0 ? -1 : 1;
    variable->level = clauses->level;
    variable->reason = reason;
    clauses->trail[clauses->trail_count++] = literal;
}

/* A literal of the clause that is not false takes the place of the watched one at AT; false when there is none. */
static bool move_watch(struct clauses *clauses, struct clause *clause, size_t at, bool *no_memory) {
    for (size_t i = 2; i < clause->count; ++i) {
        int literal = clause->literals[i];
        if (value(clauses, literal) < 0)
            continue;
        clause->literals[i] = clause->literals[at];
        clause->literals[at] = literal;
        *no_memory = *no_memory || !push(clauses, watchers(clauses, literal), clause);
        return true;
    }
    return false;
}

/* All that follows from what holds. The clause that can hold no more, or null. */
static struct clause *propagate(struct clauses *clauses, bool *no_memory) {
    while (clauses->propagated < clauses->trail_count) {
        int lost = -clauses->trail[clauses->propagated++];
        struct clause_list *list = watchers(clauses, lost);
        size_t kept = 0;
        struct clause *conflict = NULL;
        for (size_t i = 0; i < list->count; ++i) {
            struct clause *clause = list->items[i];
            size_t at = clause->literals[0] == lost ? 0 : 1;
            int other = clause->literals[1 - at];
            if (!conflict && value(clauses, other) <= 0 && move_watch(clauses, clause, at, no_memory))
                continue;
            list->items[kept++] = clause;
            if (conflict || value(clauses, other) > 0)
                continue;
            if (value(clauses, other) < 0)
                conflict = clause;
            else
                assign(clauses, other, clause);
        }
        list->count = kept;
        if (conflict)
            return conflict;
    }
    return NULL;
}

/* Only LEVEL and what came before it stays. */
static void forget_to(struct clauses *clauses, unsigned level) {
    size_t start = clauses->level_starts[level + 1];
    while (clauses->trail_count > start)
        clauses->variables[index_of(clauses->trail[--clauses->trail_count])].value = 0;
    clauses->propagated = start;
    clauses->level = level;
    ++clauses->returns;
}

size_t clauses_returns(const struct clauses *clauses) {
    return clauses->returns;
}

/* What the conflict teaches: literals of which one must hold, the first being the one that follows at level *BACK. Null
   without memory. */
static struct clause *learn(struct clauses *clauses, const struct clause *conflict, unsigned *back) {
    int *literals = clauses->learned, pivot = 0;
    size_t count = 1, open = 0, at = clauses->trail_count;
    *back = 0;
    for (const struct clause *clause = conflict;; clause = clauses->variables[index_of(pivot)].reason) {
        for (size_t i = 0; i < clause->count; ++i) {
            struct variable *variable = &clauses->variables[index_of(clause->literals[i])];
            if (variable->seen || clause->literals[i] == pivot || !variable->level)
                continue;
            variable->seen = true;
            if (variable->level == clauses->level)
                ++open;
            else
                literals[count++] = clause->literals[i];
        }
        do
            pivot = clauses->trail[--at];
        while (!clauses->variables[index_of(pivot)].seen);
        clauses->variables[index_of(pivot)].seen = false;
        if (--open == 0)
            break;
    }
    literals[0] = -pivot;
    for (size_t i = 1; i < count; ++i) {
        struct variable *variable = &clauses->variables[index_of(literals[i])];
        variable->seen = false;
        if (variable->level <= *back)
            continue;
        *back = variable->level; /* watched, so that going back wakes the clause */
        int highest = literals[i];
        literals[i] = literals[1];
        literals[1] = highest;
    }
    return make_clause(clauses, literals, count);
}

/* What holds whatever is guessed. */
static struct clause *assign_units(struct clauses *clauses, bool *no_memory) {
    for (size_t i = 0; i < clauses->units.count; ++i) {
        struct clause *clause = clauses->units.items[i];
        if (!clause->count || value(clauses, clause->literals[0]) < 0)
            return clause;
        if (!value(clauses, clause->literals[0]))
            assign(clauses, clause->literals[0], clause);
    }
    return propagate(clauses, no_memory);
}

/* LITERAL was to be assumed, and its opposite holds already: which assumptions made it? */
static void blame(struct clauses *clauses, int literal, const int *assumed, size_t count, bool *failed) {
    size_t start = clauses->level ? clauses->level_starts[1] : clauses->trail_count;
    clauses->variables[index_of(literal)].seen = clauses->variables[index_of(literal)].level > 0;
    for (size_t at = clauses->trail_count; at-- > start;) {
        struct variable *variable = &clauses->variables[index_of(clauses->trail[at])];
        if (!variable->seen)
            continue;
        variable->seen = false;
        for (size_t i = 0; variable->reason && i < variable->reason->count; ++i) {
            struct variable *cause = &clauses->variables[index_of(variable->reason->literals[i])];
            cause->seen = cause != variable && cause->level > 0;
        }
        for (size_t i = 0; !variable->reason && i < count; ++i)
            failed[i] = failed[i] || assumed[i] == clauses->trail[at];
    }
    for (size_t i = 0; i < count; ++i)
        failed[i] = failed[i] || assumed[i] == literal;
}

static void start_level(struct clauses *clauses) {
    clauses->level_starts[++clauses->level] = clauses->trail_count;
}

/* One step of the search: from a conflict back to where something can be learned from it, else on with an assumption or a
   guess. *DONE when it is over. */
static enum clauses_answer step(struct clauses *clauses, const struct clause *conflict, const int *assumed,
                                size_t count, bool *failed, clauses_guess *guess, void *with, bool *done) {
    *done = true;
    if (clauses->returns > CLAUSES_RETURNS)
        return CLAUSES_TOO_LONG;
    if (conflict) {
        unsigned back;
        struct clause *learned = clauses->level ? learn(clauses, conflict, &back) : NULL;
        if (!learned)
            return clauses->level ? CLAUSES_NO_MEMORY : CLAUSES_CONFLICT;
        forget_to(clauses, back);
        assign(clauses, learned->literals[0], learned);
    } else if (clauses->level < count) {
        int literal = assumed[clauses->level], known = value(clauses, literal);
        if (known < 0) {
            blame(clauses, literal, assumed, count, failed);
            return CLAUSES_CONFLICT;
        }
        start_level(clauses);
        if (!known)
            assign(clauses, literal, NULL);
    } else {
        int literal = guess(clauses, with);
        if (!literal)
            return CLAUSES_HOLD;
        start_level(clauses);
        assign(clauses, literal, NULL);
    }
    *done = false;
    return CLAUSES_HOLD;
}

enum clauses_answer clauses_solve(struct clauses *clauses, const int *assumed, size_t count, bool *failed,
                                  clauses_guess *guess, void *with) {
    bool no_memory = false, done = false;
    enum clauses_answer answer = CLAUSES_HOLD;
    if (count)
        memset(failed, 0, count * sizeof *failed);
    if (clauses->level)
        forget_to(clauses, 0);
    const struct clause *conflict = assign_units(clauses, &no_memory);
    while (!no_memory && !done) {
        answer = step(clauses, conflict, assumed, count, failed, guess, with, &done);
        conflict = done ? NULL : propagate(clauses, &no_memory);
    }
    return no_memory ? CLAUSES_NO_MEMORY : answer;
}
