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

/* Runs a program in a terminal of 40 lines and COLUMNS columns. Each of TYPED, which end with a null AWAIT, waits until that text is
   shown (behind what the one before awaited; empty: no wait) and types KEYS. OUT is all that the terminal was given, without carriage
   returns, ERR empty. A program that does not end within 30 s fails the test. */
struct typed {
    const char *await, *keys;
};
struct ran in_terminal(const char *folder, int columns, const struct typed *typed, const char *const *arguments);

/* A program that goes on beside the test, its output in test_folder/NAME. Waits until that holds TEXT behind what was awaited before;
   gives what stands between. Sends SIGNAL and waits for the end; gives the exit code. */
struct beside {
    GPid pid;
    char *file;
    size_t seen;
};
struct beside run_beside(const char *folder, const char *name, const char *const *arguments);
char *await_text(struct beside *beside, const char *text);
int end_beside(struct beside *beside, int signal);

/* A shell's script, in test_folder; fails the test when it fails. */
void shell(const char *script);

/* The run ended well; its output holds TEXT. */
void expect_done(struct ran ran);
void expect_shown(struct ran ran, const char *text);

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

/* A project in test_folder/NAME with one source, the SDK's core and lamps, and two folders of headers, of which the second has the one that is
   included; configured for COMPILER. Returns its path. PATH in a project of that folder. */
char *gauge(const char *name, const char *compiler);
char *below(const char *project, const char *path);

/* When a file was modified, in nanoseconds since 1970. */
int64_t time_of(const char *path);
void set_time(const char *path, int64_t ns);

/* The profile dunlin, read once a test; freed at its end. */
const struct ta_profile *dunlin(void);

/* Runs the tests, which end with NULL, each with a fixture of its own. */
int run_suite(const char *name, const TTest *const *tests);

/* As ck_assert_msg, for what is asked a million times: that one keeps a record of each. */
#define HOLDS(condition, ...)                                                                                          \
    do {                                                                                                               \
        if (!(condition))                                                                                              \
            ck_abort_msg(__VA_ARGS__);                                                                                 \
    } while (0)

#endif
