#include "host/store.h"

#include "host/files.h"

#include <fcntl.h>
#include <glib.h>
#include <sqlite3.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* What brings the file from one version to the next; its own version is SQLite's user_version. */
static const char *const versions[] = {
    "CREATE TABLE project (folder TEXT PRIMARY KEY, configured_us INTEGER NOT NULL);"
    "CREATE TABLE place (position INTEGER PRIMARY KEY, place TEXT NOT NULL UNIQUE);"
    "CREATE TABLE sign_in (place TEXT PRIMARY KEY, account TEXT NOT NULL, token TEXT NOT NULL,"
    " expires_s INTEGER NOT NULL);"
    "CREATE TABLE acceptance (sha256 TEXT, place TEXT, account TEXT, licence TEXT NOT NULL, accepted TEXT NOT NULL,"
    " PRIMARY KEY (sha256, place, account));"
    "CREATE TABLE compiler (stamp TEXT PRIMARY KEY, answers TEXT NOT NULL, compiled INTEGER NOT NULL,"
    " asked_s INTEGER NOT NULL);"
    "CREATE TABLE duration (what TEXT PRIMARY KEY, amount INTEGER NOT NULL, seconds REAL NOT NULL,"
    " noted_s INTEGER NOT NULL);"
    "CREATE TABLE depot (place TEXT PRIMARY KEY, etag TEXT NOT NULL, asked_s INTEGER NOT NULL);"
    "CREATE TABLE offer_words (place TEXT PRIMARY KEY, words TEXT NOT NULL);"
    "CREATE TABLE offer (place TEXT, position INTEGER, entry TEXT NOT NULL, PRIMARY KEY (place, position));",
    "CREATE TABLE in_place (folder TEXT PRIMARY KEY);",
    "CREATE TABLE compiler_folder (folder TEXT PRIMARY KEY, stamp TEXT NOT NULL, names TEXT NOT NULL);"};

enum { VERSION = sizeof versions / sizeof *versions, PATIENCE_MS = 20000 };

struct store {
    sqlite3 *database;
    char *path;
};

static enum ta_status failed(const struct store *store, struct ta_problem *why) {
    const char *path = store->path;
    switch (sqlite3_errcode(store->database) & 0xff) {
    case SQLITE_NOTADB:
    case SQLITE_CORRUPT:
        return ta_problem_set(why, TA_E_SYSTEM,
                              "move the file away: the tool makes a new one, and asks again for what it held",
                              "%s is damaged", path);
    case SQLITE_FULL:
    case SQLITE_IOERR:
        return ta_problem_set(why, TA_E_SYSTEM, "free some space, then run it again", "cannot write %s: %s", path,
                              sqlite3_errmsg(store->database));
    case SQLITE_READONLY:
    case SQLITE_PERM:
    case SQLITE_CANTOPEN:
        return ta_problem_set(why, TA_E_SYSTEM, "choose another home, or change its permissions",
                              "%s cannot be written: %s", path, sqlite3_errmsg(store->database));
    case SQLITE_BUSY:
        return ta_problem_set(why, TA_E_SYSTEM, "wait for it, then run this again",
                              "another process has held %s for %d s", path, PATIENCE_MS / 1000);
    default: return ta_problem_set(why, TA_E_SYSTEM, NULL, "%s: %s", path, sqlite3_errmsg(store->database));
    }
}

static enum ta_status run_script(struct store *store, const char *script, struct ta_problem *why) {
    return sqlite3_exec(store->database, script, NULL, NULL, NULL) ? failed(store, why) : TA_OK;
}

static bool take_number(void *with, const struct store_row *row) {
    *(int64_t *)with = store_number(row, 0);
    return false;
}

static enum ta_status read_version(struct store *store, int64_t *version, struct ta_problem *why) {
    enum ta_status status = store_each(store, take_number, version, why, "PRAGMA user_version", "");
    if (!status && *version < 0)
        status = ta_problem_set(why, TA_E_SYSTEM, "move it away", "%s is not a state file of Tame Anchor", store->path);
    if (!status && *version > VERSION)
        status = ta_problem_set(why, TA_E_SYSTEM, "use the newer one, or choose another home",
                                "%s was written by a newer Tame Anchor (version %lld, this one knows %d)", store->path,
                                (long long)*version, VERSION);
    return status;
}

/* Two processes that come at once: the second finds it done. */
static enum ta_status bring_up_to_date(struct store *store, struct ta_problem *why) {
    int64_t version = 0;
    enum ta_status status = read_version(store, &version, why);
    if (status || version == VERSION)
        return status;
    status = store_begin(store, why);
    if (status)
        return status;
    status = read_version(store, &version, why);
    for (; !status && version < VERSION; ++version)
        status = run_script(store, versions[version], why);
    g_autofree char *mark = g_strdup_printf("PRAGMA user_version = %d", VERSION);
    if (!status)
        status = run_script(store, mark, why);
    return store_end(store, status, why);
}

/* It holds tokens: a file that others may read, from before or from elsewhere, is its owner's alone from now on. */
static void keep_private(const char *path) {
    struct stat about;
    if (!stat(path, &about) && S_ISREG(about.st_mode) && about.st_mode & 077 && about.st_uid == geteuid())
        chmod(path, about.st_mode & 0700);
}

enum ta_status store_open(const char *path, bool writing, struct store **store, struct ta_problem *why) {
    g_autofree char *folder = g_path_get_dirname(path);
    *store = NULL;
    if (!g_file_test(path, G_FILE_TEST_EXISTS)) {
        if (!writing)
            return TA_OK;
        enum ta_status status = folder_make(folder, why);
        if (status)
            return status;
        int file = open(path, O_WRONLY | O_CREAT | O_CLOEXEC, 0600); /* SQLite would take the umask's permissions */
        if (file >= 0)
            close(file);
    }
    keep_private(path);
    struct store *opened = g_new0(struct store, 1);
    opened->path = g_strdup(path);
    enum ta_status status = TA_OK;
    if (sqlite3_open_v2(path, &opened->database, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, NULL))
        status = failed(opened, why);
    if (!status) {
        sqlite3_busy_timeout(opened->database, PATIENCE_MS);
        status = run_script(opened, "PRAGMA synchronous = NORMAL", why);
    }
    if (!status)
        status = bring_up_to_date(opened, why);
    if (status)
        store_close(opened);
    else
        *store = opened;
    return status;
}

void store_close(struct store *store) {
    if (!store)
        return;
    sqlite3_close(store->database);
    g_free(store->path);
    g_free(store);
}

/* A prepared statement with its values; null after a problem. */
static sqlite3_stmt *prepare(struct store *store, const char *sql, const char *values, va_list arguments,
                             struct ta_problem *why) {
    sqlite3_stmt *statement = NULL;
    bool good = !sqlite3_prepare_v2(store->database, sql, -1, &statement, NULL);
    for (int i = 1; good && *values; ++i, ++values) {
        if (*values == 's') {
            const char *text = va_arg(arguments, const char *);
            good =
                !(text ? sqlite3_bind_text(statement, i, text, -1, SQLITE_TRANSIENT) : sqlite3_bind_null(statement, i));
        } else if (*values == 'd') {
            good = !sqlite3_bind_double(statement, i, va_arg(arguments, double));
        } else {
            good = !sqlite3_bind_int64(statement, i, va_arg(arguments, int64_t));
        }
    }
    if (good)
        return statement;
    failed(store, why);
    sqlite3_finalize(statement);
    return NULL;
}

/* Steps through the rows; ROW may be null. */
static enum ta_status perform(struct store *store, sqlite3_stmt *statement, store_each_row *row, void *with,
                              struct ta_problem *why) {
    int code = statement ? SQLITE_ROW : SQLITE_ERROR;
    while (code == SQLITE_ROW && (code = sqlite3_step(statement)) == SQLITE_ROW)
        if (!row || !row(with, (const struct store_row *)statement))
            break;
    enum ta_status status = !statement                                  ? TA_E_SYSTEM
                            : code == SQLITE_DONE || code == SQLITE_ROW ? TA_OK
                                                                        : failed(store, why);
    sqlite3_finalize(statement);
    return status;
}

enum ta_status store_run(struct store *store, struct ta_problem *why, const char *sql, const char *values, ...) {
    va_list arguments;
    va_start(arguments, values);
    sqlite3_stmt *statement = prepare(store, sql, values, arguments, why);
    va_end(arguments);
    return perform(store, statement, NULL, NULL, why);
}

enum ta_status store_each(struct store *store, store_each_row *row, void *with, struct ta_problem *why, const char *sql,
                          const char *values, ...) {
    va_list arguments;
    va_start(arguments, values);
    sqlite3_stmt *statement = store ? prepare(store, sql, values, arguments, why) : NULL;
    va_end(arguments);
    return store ? perform(store, statement, row, with, why) : TA_OK;
}

const char *store_text(const struct store_row *row, int column) {
    const unsigned char *text = sqlite3_column_text((sqlite3_stmt *)row, column);
    return text ? (const char *)text : "";
}

int64_t store_number(const struct store_row *row, int column) {
    return sqlite3_column_int64((sqlite3_stmt *)row, column);
}

double store_real(const struct store_row *row, int column) {
    return sqlite3_column_double((sqlite3_stmt *)row, column);
}

enum ta_status store_begin(struct store *store, struct ta_problem *why) {
    return run_script(store, "BEGIN IMMEDIATE", why);
}

enum ta_status store_end(struct store *store, enum ta_status status, struct ta_problem *why) {
    enum ta_status ended = status ? status : run_script(store, "COMMIT", why);
    if (ended && !sqlite3_get_autocommit(store->database))
        sqlite3_exec(store->database, "ROLLBACK", NULL, NULL, NULL);
    return ended;
}
