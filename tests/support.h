/* What the suites share: a folder of one's own, the tool as a process, suites told as lists of functions. */
#ifndef TA_TESTS_SUPPORT_H
#define TA_TESTS_SUPPORT_H

#include "tameanchor/tameanchor.h"

#include <check.h>
#include <glib.h>
#include <stdbool.h>
#include <string.h>

/* A temporary folder that is the test's own, with TANCHOR_HOME inside; made and removed by the fixture of every suite.
 */
extern char *test_folder;

/* A path below it, formatted; freed at the test's end. */
char *test_path(const char *format, ...) G_GNUC_PRINTF(1, 2);

void write_text(const char *path, const char *text);
/* The file's text; fails the test when there is none. Freed at the test's end. */
char *read_text(const char *path);
/* Replaces the first FROM in the file by TO; fails the test when it is not there. */
void edit(const char *path, const char *from, const char *to);

/* The rows that a statement of SQL gives in the home's state.db, a line each, columns apart by a space. Freed at the test's
   end. Fails the test when the statement cannot be run. */
char *state(const char *sql);

/* What a run of a program gave. Texts are freed at the test's end. */
struct ran {
    int code;
    char *out, *err;
};

/* Runs a program in FOLDER; the arguments end with NULL. ENVIRONMENT is "NAME=VALUE" pairs, ends with NULL; may
   be null. */
struct ran run_program(const char *folder, const char *const *environment, const char *const *arguments);

/* tanchor with these arguments, in FOLDER. */
#define tanchor(folder, ...) run_program(folder, NULL, (const char *const[]){TANCHOR, __VA_ARGS__, NULL})

/* A shell's script, in test_folder; fails the test when it fails. */
void shell(const char *script);

/* The run ended well; its output holds TEXT. */
#define expect_done(ran) ck_assert_msg((ran).code == 0, "%s%s", (ran).out, (ran).err)
#define expect_shown(ran, text)                                                                                        \
    ck_assert_msg(strstr((ran).out, text) != NULL, "\"%s\" is not in: %s%s", text, (ran).out, (ran).err)

/* The run's output has a line that holds each of the texts, in this order: a row of a table. */
void check_row(struct ran ran, const char *const *texts);
#define expect_row(ran, ...) check_row(ran, (const char *const[]){__VA_ARGS__, NULL})

/* The tool answered CODE with exactly one line on stderr that holds each of the texts (ending with NULL). */
void check_refusal(const struct ran *ran, int code, const char *const *texts);
#define expect_refusal(ran, code, ...) check_refusal(&(ran), code, (const char *const[]){__VA_ARGS__, NULL})

/* A project made from the bundled tide-lamp, in test_folder/tide-lamp; configured and built when asked. Returns
   its path. */
char *tide_lamp(void);
char *tide_lamp_built(void);

/* The profile dunlin, read once a test; freed at its end. */
const struct ta_profile *dunlin(void);

/* Runs the tests, which end with NULL, each with a fixture of its own. */
int run_suite(const char *name, const TTest *const *tests);

#endif
