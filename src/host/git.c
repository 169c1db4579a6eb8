#include "host/git.h"

#include "host/commands.h"
#include "host/files.h"

#include <fcntl.h>
#include <glib.h>
#include <limits.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static const char *const schemes[] = {"https://", "http://", "ssh://", "git://", "file://", "git@"};

bool git_is_address(const char *source) {
    for (size_t i = 0; i < G_N_ELEMENTS(schemes); ++i)
        if (g_str_has_prefix(source, schemes[i]))
            return true;
    return g_str_has_suffix(source, ".git");
}

/* The part of SOURCE from *FROM on, LENGTH bytes, that is a password; 0 when there is none. */
static size_t find_password(const char *source, const char **from) {
    const char *scheme = strstr(source, "://"), *user = scheme ? scheme + 3 : source;
    size_t host = strcspn(user, "/");
    const char *at = g_strrstr_len(user, (gssize)host, "@"), *colon = memchr(user, ':', host);
    if (!scheme || !at || !colon || colon > at)
        return 0;
    *from = colon + 1;
    return (size_t)(at - colon - 1);
}

char *git_shown(const char *source) {
    const char *password;
    size_t length = find_password(source, &password);
    return length ? g_strdup_printf("%.*s****%s", (int)(password - source), source, password + length)
                  : g_strdup(source);
}

/* What git said last, without the password of SOURCE. */
static char *last_words(const char *errors, const char *source) {
    const char *password;
    size_t length = find_password(source, &password);
    g_autofree char *secret = g_strndup(length ? password : "", length);
    g_auto(GStrv) lines = g_strsplit_set(errors, "\r\n", -1); /* progress ends in the former */
    GString *last = g_string_new("");
    for (char **line = lines; *line; ++line)
        if (*g_strstrip(*line))
            g_string_assign(last, *line);
    if (length)
        g_string_replace(last, secret, "****", 0);
    return g_string_free(last, FALSE);
}

/* The path of a repository on this computer, or null. */
static const char *local_path(const char *source) {
    if (g_str_has_prefix(source, "file://"))
        return source + strlen("file://");
    const char *colon = strchr(source, ':'), *slash = strchr(source, '/');
    return colon && (!slash || colon < slash) ? NULL : source; /* host:path is ssh's */
}

static enum ta_status failed(const struct git_clone *clone, const struct command *command, struct ta_problem *why) {
    g_autofree char *shown = git_shown(clone->source);
    g_autofree char *said = last_words(command->errors, clone->source);
    if (!command->ran)
        return ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install git", "cannot run git: %s", command->errors);
    if (command->silent)
        return ta_problem_set(why, TA_E_SYSTEM, "try again later; preferences.yaml can give it more: patience-seconds",
                              "%s said nothing for %u s", shown, clone->patience_s);
    if (command->timed_out)
        return ta_problem_set(why, TA_E_SYSTEM, "preferences.yaml can give it more: transfer-seconds",
                              "git was not done with %s in %u s", shown, clone->limit_s);
    if (clone->ref && strstr(command->errors, "Remote branch"))
        return ta_problem_set(why, TA_E_INPUT, "git ls-remote lists its branches and tags",
                              "%s has no branch or tag \"%s\"", shown, clone->ref);
    return ta_problem_set(why, TA_E_SYSTEM, "check the address", "git cannot clone %s: %s", shown, said);
}

/* All files of a commit have its time: a clone tells no other. */
static void set_times(const char *folder, int64_t time_s) {
    g_auto(GStrv) files = files_below(folder, NULL);
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(folder, *file, NULL);
        int open_file = open(path, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
        if (open_file >= 0) {
            file_set_time(open_file, time_s);
            close(open_file);
        }
    }
}

enum ta_status git_clone(const struct git_clone *clone, char **commit, struct ta_problem *why) {
    static const char *const alone[] = {"GIT_CONFIG_NOSYSTEM=1", "GIT_CONFIG_GLOBAL=/dev/null", "GIT_TERMINAL_PROMPT=0",
                                        NULL};
    static const char *const silent[] = {"GIT_TERMINAL_PROMPT=0", NULL};
    const char *local = local_path(clone->source);
    g_autofree char *time = g_strdup_printf("http.lowSpeedTime=%u", clone->patience_s);
    g_autofree char *real = local ? realpath(local, NULL) : NULL, *above = g_path_get_dirname(clone->to);
    g_autofree char *branch = clone->ref ? g_strconcat("--branch=", clone->ref, NULL) : NULL;
    const char *arguments[32] = {"git",
                                 "-c",
                                 "core.hooksPath=/dev/null",
                                 "-c",
                                 "protocol.ext.allow=never",
                                 "-c",
                                 "http.lowSpeedLimit=1",
                                 "-c",
                                 time,
                                 "-c",
                                 "safe.directory=*",
                                 "clone",
                                 "--progress", /* which tells that something goes on */
                                 "--template=",
                                 "--depth=1",
                                 "--no-local",
                                 "--no-recurse-submodules",
                                 "--single-branch"};
    size_t count = 18;
    if (branch)
        arguments[count++] = branch;
    arguments[count++] = "--";
    arguments[count++] = clone->source;
    arguments[count++] = clone->to;
    const char *const head[] = {"git", "-C", clone->to, "log", "-1", "--abbrev=12", "--format=%h %ct", NULL};
    const struct confinement confinement = {(const char *const[]){real, NULL}, (const char *const[]){above, NULL},
                                            false};
    struct command commands[] = {
        {.arguments = arguments,
         .time_limit_s = clone->limit_s,
         .silence_limit_s = local ? 0 : clone->patience_s,
         .inherits = !local,
         .more = local ? alone : silent,
         .confined = local ? &confinement : NULL},
        {.arguments = head, .time_limit_s = clone->limit_s, .more = alone, .confined = &confinement}};
    enum ta_status status =
        commands_run(commands, G_N_ELEMENTS(commands), 1, true, clone->cancelled, clone->with, NULL, NULL, why);
    if (!status && (!commands[0].ran || commands[0].exit_code))
        status = failed(clone, &commands[0], why);
    if (!status) {
        g_autofree char *history = g_build_filename(clone->to, ".git", NULL);
        folder_remove(history);
        g_auto(GStrv) words = g_strsplit(g_strchomp(commands[1].output), " ", 2);
        *commit = g_strdup(words[0] ? words[0] : "");
        if (words[0] && words[1])
            set_times(clone->to, g_ascii_strtoll(words[1], NULL, 10));
    }
    commands_clear(commands, G_N_ELEMENTS(commands));
    return status;
}

/* The folder at or above FOLDER that is a repository's, with the path of its own data in *DATA; null when there is none. */
static char *find_repository(const char *folder, char **data) {
    for (char *at = g_strdup(folder);;) {
        g_autofree char *git = g_build_filename(at, ".git", NULL), *text = NULL;
        size_t length;
        *data = NULL;
        if (g_file_test(git, G_FILE_TEST_IS_DIR))
            *data = g_strdup(git);
        else if (!file_read(git, PATH_MAX, &text, &length, NULL) && g_str_has_prefix(text, "gitdir: "))
            *data = g_canonicalize_filename(g_strchomp(text + strlen("gitdir: ")), at);
        if (*data)
            return at;
        char *above = g_path_get_dirname(at);
        bool top = !strcmp(above, at);
        g_free(at);
        at = above;
        if (top) {
            g_free(above);
            return NULL;
        }
    }
}

static bool put_file(const char *folder, const char *name, const char *text) {
    g_autofree char *path = g_build_filename(folder, name, NULL);
    return !file_write_changed(path, text, strlen(text), NULL);
}

/* In FOLDER, a repository's data of ours: no objects and no settings. HEAD says what is checked out; its references are those of THEIRS, the
   data of another repository, or, when that is null, none. */
static bool make_empty(const char *folder, const char *head, const char *theirs, const char *ignored) {
    static const char *const folders[] = {"objects", "info", "refs"};
    static const char *const references[] = {"refs", "packed-refs"};
    bool good = true;
    for (size_t i = 0; good && i < G_N_ELEMENTS(folders) - (theirs != NULL); ++i) {
        g_autofree char *path = g_build_filename(folder, folders[i], NULL);
        good = !folder_make(path, NULL);
    }
    for (size_t i = 0; good && theirs && i < G_N_ELEMENTS(references); ++i) {
        g_autofree char *to = g_build_filename(theirs, references[i], NULL);
        g_autofree char *path = g_build_filename(folder, references[i], NULL);
        good = file_link(to, path);
    }
    return good && put_file(folder, "HEAD", head) && put_file(folder, "info/exclude", ignored);
}

/* Runs git, which may read what CONFINEMENT allows; what it printed, freed with g_free, or null when it failed. */
static char *ask_git(const char *folder, const char *const *more, const struct confinement *confinement,
                     const char *const *arguments) {
    enum { LIMIT_S = 10 };
    struct command command = {
        .arguments = arguments, .folder = folder, .time_limit_s = LIMIT_S, .more = more, .confined = confinement};
    bool good = !commands_run(&command, 1, 1, true, NULL, NULL, NULL, NULL, NULL) && command.ran && !command.exit_code;
    char *output = good ? g_steal_pointer(&command.output) : NULL;
    commands_clear(&command, 1);
    return output;
}

bool git_tracks(const char *folder, const char *file, const char *empty) {
    g_autofree char *data = NULL, *top = find_repository(folder, &data);
    if (!top || !make_empty(empty, "ref: refs/heads/none\n", NULL, ""))
        return false;
    g_autofree char *index = g_build_filename(data, "index", NULL);
    g_autofree char *full = g_build_filename(folder, file, NULL);
    g_autofree char *index_is = g_strconcat("GIT_INDEX_FILE=", index, NULL);
    g_autofree char *data_is = g_strconcat("GIT_DIR=", empty, NULL),
                    *tree_is = g_strconcat("GIT_WORK_TREE=", empty, NULL);
    const char *below = full + strlen(top) + (top[1] != '\0');
    const char *const more[] = {
        data_is, tree_is, index_is, "GIT_CONFIG_NOSYSTEM=1", "GIT_CONFIG_GLOBAL=/dev/null", "GIT_LITERAL_PATHSPECS=1",
        NULL};
    const char *const arguments[] = {"git", "ls-files", "--error-unmatch", "--", below, NULL};
    const struct confinement confinement = {(const char *const[]){index, empty, NULL}, (const char *const[]){NULL},
                                            false};
    g_autofree char *listed = ask_git(empty, more, &confinement, arguments);
    return listed != NULL;
}

/* Where the objects of the repository with this DATA are: a further working tree has its own data, and others' objects. */
static char *shared_data(const char *data) {
    g_autofree char *path = g_build_filename(data, "commondir", NULL), *text = NULL;
    size_t length;
    return file_read(path, PATH_MAX, &text, &length, NULL) ? g_strdup(data)
                                                           : g_canonicalize_filename(g_strchomp(text), data);
}

/* With their settings git would do what these say even where it only asks for a commit: fetch one that is missing, by a command of theirs. */
bool git_commit_time(const char *folder, const char *const *ignored, int64_t saved_ns, const char *empty,
                     int64_t *time_s) {
    static const char *const changes[] = {
        "git", "status", "--porcelain", "--untracked-files=normal", "--ignore-submodules=all", "--", ".", NULL};
    static const char *const time[] = {"git", "log", "--no-walk", "--format=%ct", "HEAD", "--", NULL};
    g_autofree char *data = NULL, *head = NULL, *top = find_repository(folder, &data);
    g_autofree char *index_file = top ? g_build_filename(data, "index", NULL) : NULL;
    g_autofree char *head_file = top ? g_build_filename(data, "HEAD", NULL) : NULL;
    struct stat about;
    size_t length;
    if (!top || stat(index_file, &about) ||
        about.st_mtim.tv_sec * G_GINT64_CONSTANT(1000000000) + about.st_mtim.tv_nsec < saved_ns ||
        file_read(head_file, PATH_MAX, &head, &length, NULL))
        return false;
    g_autofree char *shared = shared_data(data);
    g_autofree char *data_is = g_strconcat("GIT_DIR=", empty, NULL),
                    *tree_is = g_strconcat("GIT_WORK_TREE=", top, NULL);
    g_autofree char *index_is = g_strconcat("GIT_INDEX_FILE=", index_file, NULL);
    g_autofree char *objects_are = g_strconcat("GIT_OBJECT_DIRECTORY=", shared, "/objects", NULL);
    const char *const more[] = {data_is,
                                tree_is,
                                index_is,
                                objects_are,
                                "GIT_CONFIG_NOSYSTEM=1",
                                "GIT_CONFIG_GLOBAL=/dev/null",
                                "GIT_NO_REPLACE_OBJECTS=1",
                                "GIT_OPTIONAL_LOCKS=0",
                                NULL};
    const struct confinement confinement = {(const char *const[]){top, data, shared, empty, NULL},
                                            (const char *const[]){NULL}, false};
    g_autoptr(GString) excluded = g_string_new(NULL);
    for (; *ignored; ++ignored) {
        g_autofree char *path = g_build_filename(folder, *ignored, NULL);
        g_string_append_printf(excluded, "%s\n", path + strlen(top) - (top[1] == '\0'));
    }
    if (!make_empty(empty, head, shared, excluded->str))
        return false;
    g_autofree char *changed = ask_git(folder, more, &confinement, changes);
    g_autofree char *when = changed && !*changed ? ask_git(folder, more, &confinement, time) : NULL;
    return when && g_ascii_string_to_signed(g_strchomp(when), 10, 0, G_MAXINT64, time_s, NULL);
}
