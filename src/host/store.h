/* What lasts for a user and is written by the tool: one SQLite file with transactions, state.db in the home, readable by its
   owner alone. Several processes may use it at a time; each waits its turn. What people edit is YAML and stands elsewhere. */
#ifndef TA_HOST_STORE_H
#define TA_HOST_STORE_H

#include "tameanchor/status.h"

#include <stdbool.h>
#include <stdint.h>

struct store;

/* Opens the file at PATH. With WRITING it is made when it is not there; else *STORE is null then, which holds nothing. One that
   is damaged, of a newer version, on a full or read-only disk is TA_E_SYSTEM; it stays as it is. */
enum ta_status store_open(const char *path, bool writing, struct store **store, struct ta_problem *why);
void store_close(struct store *store); /* may be null */

/* Runs one statement of SQL. VALUES has a letter for each '?', whose value follows: s a text (may be null), i an int64_t, d a
   double. */
enum ta_status store_run(struct store *store, struct ta_problem *why, const char *sql, const char *values, ...);

/* The same for what gives rows: each calls ROW, until that is false. STORE may be null: no rows. */
struct store_row;
typedef bool store_each_row(void *with, const struct store_row *row);
enum ta_status store_each(struct store *store, store_each_row *row, void *with, struct ta_problem *why, const char *sql,
                          const char *values, ...);

/* A column of a row, from 0; a text is borrowed until the row is left, and never null. */
const char *store_text(const struct store_row *row, int column);
int64_t store_number(const struct store_row *row, int column);
double store_real(const struct store_row *row, int column);

/* All between these happens, or nothing: END commits when STATUS is TA_OK, else takes everything back. Gives STATUS, or what
   went wrong. */
enum ta_status store_begin(struct store *store, struct ta_problem *why);
enum ta_status store_end(struct store *store, enum ta_status status, struct ta_problem *why);

#endif
