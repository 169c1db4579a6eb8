#include "host/commands.h"

#include <gio/gio.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <unistd.h>

struct runner {
    const struct command_source *source;
    unsigned jobs;
    bool cancelled;
    GPtrArray *processes; /* of struct process: those that run */
    GMainLoop *loop;
};

/* One command that runs: it has ended when it is gone, and both its streams have. */
struct process {
    struct runner *runner;
    struct command *command;
    GSubprocess *subprocess;
    pid_t group;
    GCancellable *reading;
    GString *output, *errors;
    gint64 started_us, gone_us; /* GONE_US 0: it still runs */
    unsigned open;
};

static void start_more(struct runner *runner);

static void settle(struct process *process) {
    struct runner *runner = process->runner;
    struct command *command = process->command;
    if (process->open || !process->gone_us)
        return;
    command->output = g_string_free(process->output, FALSE);
    command->errors = g_string_free(process->errors, FALSE);
    command->signalled = !g_subprocess_get_if_exited(process->subprocess);
    command->exit_code = command->signalled ? 128 + g_subprocess_get_term_sig(process->subprocess)
                                            : g_subprocess_get_exit_status(process->subprocess);
    command->seconds = (double)(process->gone_us - process->started_us) / 1e6;
    g_object_unref(process->subprocess);
    g_object_unref(process->reading);
    g_ptr_array_remove_fast(runner->processes, process);
    g_free(process);
    if (!runner->cancelled)
        runner->source->ended(runner->source->with, command);
    start_more(runner);
}

/* Reading what it prints. */

static void read_on(struct process *process, GInputStream *stream);

static void took(GObject *source, GAsyncResult *result, gpointer data) {
    struct process *process = data;
    GInputStream *stream = G_INPUT_STREAM(source);
    g_autoptr(GBytes) bytes = g_input_stream_read_bytes_finish(stream, result, NULL);
    gsize length = 0;
    const char *data_read = bytes ? g_bytes_get_data(bytes, &length) : NULL;
    GString *text = stream == g_subprocess_get_stdout_pipe(process->subprocess) ? process->output : process->errors;
    gsize room = COMMAND_OUTPUT_BYTES > text->len ? COMMAND_OUTPUT_BYTES - text->len : 0;
    if (length) {
        g_string_append_len(text, data_read, (gssize)MIN(length, room));
        process->command->dropped_bytes += length - MIN(length, room);
        read_on(process, stream);
        return;
    }
    --process->open;
    settle(process);
}

static void read_on(struct process *process, GInputStream *stream) {
    enum { CHUNK = 64 << 10 };
    g_input_stream_read_bytes_async(stream, CHUNK, G_PRIORITY_DEFAULT, process->reading, took, process);
}

static void gone(GObject *source, GAsyncResult *result, gpointer data) {
    struct process *process = data;
    g_subprocess_wait_finish(G_SUBPROCESS(source), result, NULL);
    process->gone_us = g_get_monotonic_time();
    settle(process);
}

/* Starting. */

/* In the child, before the program. It leads a session of its own, so that it has no terminal to ask on and is ended with all
   that it started: a driver's children hold its pipes open. */
static void set_up_child(gpointer with) {
    setsid();
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (GPOINTER_TO_INT(with) >= 0 && !confine_enter(GPOINTER_TO_INT(with)))
        _exit(126);
}

static char **environment_of(const struct command *command) {
    char **environment = command->inherits ? g_get_environ() : NULL;
    environment = g_environ_setenv(environment, "PATH", g_getenv("PATH") ? g_getenv("PATH") : "/usr/bin:/bin", TRUE);
    environment = g_environ_setenv(environment, "LC_ALL", "C.UTF-8", TRUE);
    if (command->temporary)
        environment = g_environ_setenv(environment, "TMPDIR", command->temporary, TRUE);
    for (const char *const *each = command->more; each && *each; ++each) {
        g_autofree char *name = g_strndup(*each, strcspn(*each, "="));
        environment = g_environ_setenv(environment, name, *each + strlen(name) + 1, TRUE);
    }
    return environment;
}

static void not_started(struct command *command, const char *why, int exit_code) {
    command->output = g_strdup("");
    command->errors = g_strdup(why);
    command->exit_code = exit_code;
}

/* False when it is over already. */
static bool start(struct runner *runner, struct command *command) {
    g_autoptr(GError) error = NULL;
    if (!command->arguments) {
        not_started(command, "", 0);
        return false;
    }
    g_autoptr(GSubprocessLauncher) launcher =
        g_subprocess_launcher_new(G_SUBPROCESS_FLAGS_STDOUT_PIPE | G_SUBPROCESS_FLAGS_STDERR_PIPE);
    if (command->folder)
        g_subprocess_launcher_set_cwd(launcher, command->folder);
    g_auto(GStrv) environment = environment_of(command);
    g_subprocess_launcher_set_environ(launcher, environment);
    int rules = command->confined ? confine_prepare(command->confined) : -1;
    g_subprocess_launcher_set_child_setup(launcher, set_up_child, GINT_TO_POINTER(rules), NULL);
    gint64 started_us = g_get_monotonic_time();
    GSubprocess *subprocess = g_subprocess_launcher_spawnv(launcher, command->arguments, &error);
    if (rules >= 0)
        close(rules);
    if (!subprocess) {
        not_started(command, error->message, 127);
        return false;
    }
    struct process *process = g_new0(struct process, 1);
    const char *number = g_subprocess_get_identifier(subprocess); /* null when it is gone already */
    *process = (struct process){.runner = runner,
                                .command = command,
                                .subprocess = subprocess,
                                .group = number ? (pid_t)strtol(number, NULL, 10) : 0,
                                .reading = g_cancellable_new(),
                                .output = g_string_new(NULL),
                                .errors = g_string_new(NULL),
                                .started_us = started_us,
                                .open = 2};
    command->ran = true;
    g_ptr_array_add(runner->processes, process);
    read_on(process, g_subprocess_get_stdout_pipe(subprocess));
    read_on(process, g_subprocess_get_stderr_pipe(subprocess));
    g_subprocess_wait_async(subprocess, NULL, gone, process);
    return true;
}

static void start_more(struct runner *runner) {
    const struct command_source *source = runner->source;
    struct command *command;
    while (runner->processes->len < runner->jobs && !runner->cancelled && (command = source->next(source->with)))
        if (!start(runner, command))
            source->ended(source->with, command);
    if (!runner->processes->len)
        g_main_loop_quit(runner->loop);
}

/* Now and then: ends what was cancelled, what is over its time, and what a program that is gone left behind. */
static gboolean look_around(gpointer data) {
    enum { STRAY_US = 100000 };
    struct runner *runner = data;
    const struct command_source *source = runner->source;
    gint64 now_us = g_get_monotonic_time();
    runner->cancelled = runner->cancelled || (source->cancelled && source->cancelled(source->cancelled_with));
    for (guint i = 0; i < runner->processes->len; ++i) {
        struct process *process = runner->processes->pdata[i];
        struct command *command = process->command;
        bool late =
            command->time_limit_s && now_us - process->started_us > (gint64)command->time_limit_s * G_TIME_SPAN_SECOND;
        if (process->gone_us ? now_us - process->gone_us < STRAY_US : !late && !runner->cancelled)
            continue;
        command->timed_out = command->timed_out || (late && !process->gone_us);
        if (process->group)
            kill(-process->group, SIGKILL); /* it leads a group of its own: all that it started goes with it */
        if (process->gone_us)
            g_cancellable_cancel(process->reading); /* what left the group may hold its streams for ever */
    }
    return G_SOURCE_CONTINUE;
}

enum ta_status commands_feed(const struct command_source *source, unsigned jobs, struct ta_problem *why) {
    g_autoptr(GMainContext) context = g_main_context_new();
    g_autoptr(GMainLoop) loop = g_main_loop_new(context, FALSE);
    g_autoptr(GSource) timer = g_timeout_source_new(20);
    g_autoptr(GPtrArray) processes = g_ptr_array_new();
    struct runner runner = {.source = source, .jobs = jobs ? jobs : 1, .processes = processes, .loop = loop};
    g_main_context_push_thread_default(context);
    g_source_set_callback(timer, look_around, &runner, NULL);
    g_source_attach(timer, context);
    start_more(&runner);
    if (processes->len)
        g_main_loop_run(loop);
    look_around(&runner);
    g_source_destroy(timer);
    g_main_context_pop_thread_default(context);
    return runner.cancelled ? ta_problem_set(why, TA_E_INTERRUPTED, "run it again", "interrupted") : TA_OK;
}

/* An array of commands that do not depend on one another. */

struct array {
    struct command *commands;
    size_t count, next;
    bool failed, stop_at_failure;
    void (*done)(const struct command *command, void *with);
    void *done_with;
};

static struct command *next_of_array(void *with) {
    struct array *array = with;
    return array->next < array->count && !(array->failed && array->stop_at_failure) ? &array->commands[array->next++]
                                                                                    : NULL;
}

static void ended_of_array(void *with, struct command *command) {
    struct array *array = with;
    array->failed = array->failed || command->exit_code;
    if (array->done && command->arguments)
        array->done(command, array->done_with);
}

enum ta_status commands_run(struct command *commands, size_t count, unsigned jobs, bool stop_at_failure,
                            bool (*cancelled)(void *), void *cancelled_with,
                            void (*done)(const struct command *command, void *with), void *done_with,
                            struct ta_problem *why) {
    struct array array = {commands, count, 0, false, stop_at_failure, done, done_with};
    const struct command_source source = {next_of_array, ended_of_array, cancelled, &array, cancelled_with};
    return commands_feed(&source, jobs, why);
}

void commands_clear(struct command *commands, size_t count) {
    for (size_t i = 0; i < count; ++i) {
        g_clear_pointer(&commands[i].output, g_free);
        g_clear_pointer(&commands[i].errors, g_free);
    }
}
