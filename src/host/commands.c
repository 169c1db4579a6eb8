#include "host/commands.h"

#include <gio/gio.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <unistd.h>

struct runner {
    struct command *commands;
    size_t count, next, running;
    bool failed, stop_at_failure, cancelled;
    GSubprocess **processes; /* those that run, else null */
    gint64 *started_us;
    GMainLoop *loop;
    void (*done)(const struct command *command, void *with);
    void *done_with;
    bool (*is_cancelled)(void *);
    void *cancelled_with;
    unsigned jobs;
};

/* What a callback about one command needs. */
struct turn {
    struct runner *runner;
    size_t index;
};

static void start_more(struct runner *runner);

static char *bytes_text(GBytes *bytes) {
    gsize length = 0;
    const char *data = bytes ? g_bytes_get_data(bytes, &length) : NULL;
    return g_strndup(data ? data : "", length);
}

static void finished(GObject *source, GAsyncResult *result, gpointer data) {
    g_autofree struct turn *turn = data;
    struct runner *runner = turn->runner;
    struct command *command = &runner->commands[turn->index];
    GSubprocess *process = G_SUBPROCESS(source);
    g_autoptr(GBytes) output = NULL;
    g_autoptr(GBytes) errors = NULL;
    g_subprocess_communicate_finish(process, result, &output, &errors, NULL);
    command->output = bytes_text(output);
    command->errors = bytes_text(errors);
    command->exit_code = g_subprocess_get_if_exited(process) ? g_subprocess_get_exit_status(process)
                                                             : 128 + g_subprocess_get_term_sig(process);
    command->seconds = (double)(g_get_monotonic_time() - runner->started_us[turn->index]) / 1e6;
    runner->failed = runner->failed || command->exit_code;
    g_clear_object(&runner->processes[turn->index]);
    --runner->running;
    if (runner->done && !runner->cancelled)
        runner->done(command, runner->done_with);
    start_more(runner);
}

/* In the child, before the program. It leads a session of its own, so that it has no terminal to ask on and is ended with all
   that it started: a driver's children hold its pipes open. */
static void set_up_child(gpointer with) {
    setsid();
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (GPOINTER_TO_INT(with) >= 0 && !confine_enter(GPOINTER_TO_INT(with)))
        _exit(126);
}

static void end(GSubprocess *process) {
    const char *number = g_subprocess_get_identifier(process);
    if (number)
        kill(-(pid_t)strtol(number, NULL, 10), SIGKILL);
    g_subprocess_force_exit(process);
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

static void start(struct runner *runner, size_t index) {
    struct command *command = &runner->commands[index];
    g_autoptr(GError) error = NULL;
    if (!command->arguments) {
        command->output = g_strdup("");
        command->errors = g_strdup("");
        return;
    }
    g_autoptr(GSubprocessLauncher) launcher =
        g_subprocess_launcher_new(G_SUBPROCESS_FLAGS_STDOUT_PIPE | G_SUBPROCESS_FLAGS_STDERR_PIPE);
    if (command->folder)
        g_subprocess_launcher_set_cwd(launcher, command->folder);
    g_auto(GStrv) environment = environment_of(command);
    g_subprocess_launcher_set_environ(launcher, environment);
    int rules = command->confined ? confine_prepare(command->confined) : -1;
    g_subprocess_launcher_set_child_setup(launcher, set_up_child, GINT_TO_POINTER(rules), NULL);
    runner->started_us[index] = g_get_monotonic_time();
    GSubprocess *process = g_subprocess_launcher_spawnv(launcher, command->arguments, &error);
    if (rules >= 0)
        close(rules);
    if (!process) {
        command->errors = g_strdup(error->message);
        command->output = g_strdup("");
        command->exit_code = 127;
        runner->failed = true;
        return;
    }
    command->ran = true;
    runner->processes[index] = process;
    ++runner->running;
    struct turn *turn = g_new(struct turn, 1);
    *turn = (struct turn){runner, index};
    g_subprocess_communicate_async(process, NULL, NULL, finished, turn);
}

static void start_more(struct runner *runner) {
    while (runner->next < runner->count && runner->running < runner->jobs && !runner->cancelled &&
           !(runner->failed && runner->stop_at_failure))
        start(runner, runner->next++);
    if (!runner->running)
        g_main_loop_quit(runner->loop);
}

/* Now and then: ends what was cancelled and what is over its time. */
static gboolean look_around(gpointer data) {
    struct runner *runner = data;
    gint64 now_us = g_get_monotonic_time();
    runner->cancelled = runner->cancelled || (runner->is_cancelled && runner->is_cancelled(runner->cancelled_with));
    for (size_t i = 0; i < runner->next; ++i) {
        struct command *command = &runner->commands[i];
        bool late = command->time_limit_s &&
                    now_us - runner->started_us[i] > (gint64)command->time_limit_s * G_TIME_SPAN_SECOND;
        if (!runner->processes[i] || !(late || runner->cancelled))
            continue;
        command->timed_out = late;
        end(runner->processes[i]);
    }
    return G_SOURCE_CONTINUE;
}

enum ta_status commands_run(struct command *commands, size_t count, unsigned jobs, bool stop_at_failure,
                            bool (*cancelled)(void *), void *cancelled_with,
                            void (*done)(const struct command *command, void *with), void *done_with,
                            struct ta_problem *why) {
    g_autofree GSubprocess **processes = g_new0(GSubprocess *, count + 1);
    g_autofree gint64 *started_us = g_new0(gint64, count + 1);
    g_autoptr(GMainContext) context = g_main_context_new();
    g_autoptr(GMainLoop) loop = g_main_loop_new(context, FALSE);
    g_autoptr(GSource) timer = g_timeout_source_new(20);
    struct runner runner = {.commands = commands,
                            .count = count,
                            .stop_at_failure = stop_at_failure,
                            .processes = processes,
                            .started_us = started_us,
                            .loop = loop,
                            .done = done,
                            .done_with = done_with,
                            .is_cancelled = cancelled,
                            .cancelled_with = cancelled_with,
                            .jobs = jobs ? jobs : 1};
    g_main_context_push_thread_default(context);
    g_source_set_callback(timer, look_around, &runner, NULL);
    g_source_attach(timer, context);
    start_more(&runner);
    if (runner.running)
        g_main_loop_run(loop);
    look_around(&runner);
    g_source_destroy(timer);
    g_main_context_pop_thread_default(context);
    return runner.cancelled ? ta_problem_set(why, TA_E_INTERRUPTED, "run it again", "interrupted") : TA_OK;
}

void commands_clear(struct command *commands, size_t count) {
    for (size_t i = 0; i < count; ++i) {
        g_clear_pointer(&commands[i].output, g_free);
        g_clear_pointer(&commands[i].errors, g_free);
    }
}
