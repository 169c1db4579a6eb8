/* A set of clauses over true-or-false variables, and whether all of them can hold: conflict-driven search with learned
   clauses. The caller decides in which order the search guesses; of all solutions it finds the one that those guesses, taken
   one after the other, come to first. */
#ifndef TA_CORE_CHOOSE_CLAUSES_H
#define TA_CORE_CHOOSE_CLAUSES_H

#include "base/arena.h"

#include <stdbool.h>
#include <stddef.h>

/* Variables count from 1; a literal is a variable, or its negative for "not". */
struct clauses;

/* Null without memory. All memory is ARENA's. */
struct clauses *clauses_new(struct arena *arena, size_t variables);

/* Adds one: at least one of the literals holds. False without memory. */
bool clauses_add(struct clauses *clauses, const int *literals, size_t count);

/* 1 true, -1 false, 0 not known. During a search also what follows from the guesses so far. */
int clauses_value(const struct clauses *clauses, int variable);

/* Asked for the next guess: a literal that is not known yet; 0 ends the search, all is decided that matters. */
typedef int clauses_guess(const struct clauses *clauses, void *with);

/* How often the search went back: as long as it stays the same, what is known stays known. */
size_t clauses_returns(const struct clauses *clauses);

/* Some questions have no quick answer: after so many returns, of all searches together, each is TOO_LONG. */
enum { CLAUSES_RETURNS = 10000 };
enum clauses_answer { CLAUSES_HOLD, CLAUSES_CONFLICT, CLAUSES_TOO_LONG, CLAUSES_NO_MEMORY };

/* Whether all clauses can hold together with the COUNT literals ASSUMED. Can be asked again with other ones: what was learned
   stays. After CLAUSES_CONFLICT, FAILED[i] tells whether assumption i had a part in it. */
enum clauses_answer clauses_solve(struct clauses *clauses, const int *assumed, size_t count, bool *failed,
                                  clauses_guess *guess, void *with);

#endif
