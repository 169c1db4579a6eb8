#include "host/commands.h"

#include <errno.h>
#include <fcntl.h>
#include <glib-unix.h>
#include <signal.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>

struct runner {
    const struct command_source *source;
    unsigned jobs;
    bool cancelled;
    GPtrArray *processes; /* of struct process: those that run */
    GMainContext *context;
    GMainLoop *loop;
    /* What was prepared for the command before: mostly the next one may do the same. */
    const struct confinement *confined;
    int rules;
};

/* What a program prints: its end of the pipe is closed when SOURCE is null. */
struct stream {
    struct process *process;
    GString *text;
    GSource *source;
    int file;
};

/* One command that runs: it has ended when it is gone, and both its streams have. */
struct process {
    struct runner *runner;
    struct command *command;
    pid_t pid;
    GSource *watch;
    struct stream streams[2];
    gint64 started_us, heard_us, gone_us; /* GONE_US 0: it still runs */
    int status;
};

static void start_more(struct runner *runner);

static void drop_source(GSource **source) {
    if (*source) {
        g_source_destroy(*source);
        g_source_unref(*source);
    }
    *source = NULL;
}

static void settle(struct process *process) {
    struct runner *runner = process->runner;
    struct command *command = process->command;
    if (process->streams[0].source || process->streams[1].source || !process->gone_us)
        return;
    command->output = g_string_free(process->streams[0].text, FALSE);
    command->errors = g_string_free(process->streams[1].text, FALSE);
    command->signalled = WIFSIGNALED(process->status);
    command->exit_code = command->signalled ? 128 + WTERMSIG(process->status) : WEXITSTATUS(process->status);
    command->seconds = (double)(process->gone_us - process->started_us) / 1e6;
    g_ptr_array_remove_fast(runner->processes, process);
    g_free(process);
    if (!command->exit_code) /* no processor waits while we look at what came out */
        start_more(runner);
    if (!runner->cancelled)
        runner->source->ended(runner->source->with, command);
    start_more(runner);
    if (!runner->processes->len)
        g_main_loop_quit(runner->loop);
    else if (runner->source->meanwhile)
        runner->source->meanwhile(runner->source->with);
}

/* Reading what it prints. */

static void close_stream(struct stream *stream) {
    drop_source(&stream->source);
    close(stream->file);
}

static gboolean take(gint file, GIOCondition condition, gpointer data) {
    enum { CHUNK = 64 << 10 };
    struct stream *stream = data;
    char bytes[CHUNK];
    ssize_t length = read(file, bytes, sizeof bytes);
    (void)condition;
    if (length < 0 && (errno == EAGAIN || errno == EINTR))
        return G_SOURCE_CONTINUE;
    if (length <= 0) {
        close_stream(stream);
        settle(stream->process);
        return G_SOURCE_REMOVE;
    }
    stream->process->heard_us = g_get_monotonic_time();
    size_t room = COMMAND_OUTPUT_BYTES > stream->text->len ? COMMAND_OUTPUT_BYTES - stream->text->len : 0;
    g_string_append_len(stream->text, bytes, (gssize)MIN((size_t)length, room));
    stream->process->command->dropped_bytes += (size_t)length - MIN((size_t)length, room);
    return G_SOURCE_CONTINUE;
}

static void open_stream(struct process *process, unsigned index, int file) {
    struct stream *stream = &process->streams[index];
    *stream =
        (struct stream){process, g_string_new(NULL), g_unix_fd_source_new(file, G_IO_IN | G_IO_HUP | G_IO_ERR), file};
    g_source_set_callback(stream->source, G_SOURCE_FUNC(take), stream, NULL);
    g_source_attach(stream->source, process->runner->context);
}

static void gone(GPid pid, gint status, gpointer data) {
    struct process *process = data;
    kill(-pid, SIGKILL); /* what it left running, in the group that it led */
    process->gone_us = g_get_monotonic_time();
    process->status = status;
    drop_source(&process->watch);
    settle(process);
}

/* Starting. */

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

/* All that the child needs, made before it is there. */
struct child {
    const char *program, *folder;
    char *const *arguments, *const *environment;
    const struct confinement *confined;
    int rules, nothing, output, errors;
};

/* The child borrows our memory until it is another program (vfork): a copy of all our pages for each of thousands of compilers would cost
   more than what they wait for. It calls the system and nothing else. It leads a session of its own, so that it has no terminal to ask on,
   and is ended with all that it started: a driver's children hold its pipes open. */
static pid_t spawn(const struct child *child, int *error) {
    volatile int failed = 0;
    sigset_t all, none, before;
    sigfillset(&all);
    sigemptyset(&none);
    pthread_sigmask(SIG_SETMASK, &all, &before); /* no handler of ours runs in the child */
    pid_t pid = vfork();
    if (pid == 0) {
        setsid();
        prctl(PR_SET_PDEATHSIG, SIGKILL);
        sigprocmask(SIG_SETMASK, &none, NULL);
        if ((child->confined && !confine_enter(child->confined, child->rules)) ||
            dup2(child->nothing, STDIN_FILENO) < 0 || dup2(child->output, STDOUT_FILENO) < 0 ||
            dup2(child->errors, STDERR_FILENO) < 0 || (child->folder && chdir(child->folder))) {
            failed = errno;
            _exit(126);
        }
        execve(child->program, child->arguments, child->environment);
        failed = errno;
        _exit(127);
    }
    *error = pid < 0 ? errno : failed;
    pthread_sigmask(SIG_SETMASK, &before, NULL);
    if (pid > 0 && failed)
        waitpid(pid, NULL, 0);
    return failed ? -1 : pid;
}

static int rules_for(struct runner *runner, const struct confinement *confined) {
    if (runner->confined != confined) {
        if (runner->rules >= 0)
            close(runner->rules);
        runner->rules = confined ? confine_prepare(confined) : -1;
        runner->confined = confined;
    }
    return runner->rules;
}

static bool not_started(struct command *command, const char *program, int error) {
    command->output = g_strdup("");
    command->errors = error ? g_strdup_printf("%s: %s", program, g_strerror(error)) : g_strdup("");
    command->exit_code = error ? 127 : 0;
    return false;
}

/* False when it is over already. */
static bool start(struct runner *runner, struct command *command) {
    int output[2] = {-1, -1}, errors[2] = {-1, -1}, error = 0;
    if (!command->arguments)
        return not_started(command, "", 0);
    g_autofree char *program = g_find_program_in_path(command->arguments[0]);
    if (!program)
        return not_started(command, command->arguments[0], ENOENT);
    g_auto(GStrv) environment = environment_of(command);
    struct child child = {.program = program,
                          .folder = command->folder,
                          .arguments = (char *const *)command->arguments,
                          .environment = environment,
                          .confined = command->confined,
                          .rules = rules_for(runner, command->confined),
                          .nothing = open("/dev/null", O_RDONLY | O_CLOEXEC)};
    gint64 started_us = g_get_monotonic_time();
    pid_t pid = -1;
    if (child.nothing < 0 || pipe2(output, O_CLOEXEC) || pipe2(errors, O_CLOEXEC)) {
        error = errno;
    } else {
        child.output = output[1];
        child.errors = errors[1];
        pid = spawn(&child, &error);
    }
    const int ours[] = {child.nothing, output[1], errors[1], pid < 0 ? output[0] : -1, pid < 0 ? errors[0] : -1};
    for (size_t i = 0; i < G_N_ELEMENTS(ours); ++i)
        if (ours[i] >= 0)
            close(ours[i]);
    if (pid < 0)
        return not_started(command, program, error);
    struct process *process = g_new0(struct process, 1);
    *process = (struct process){
        .runner = runner, .command = command, .pid = pid, .started_us = started_us, .heard_us = started_us};
    command->ran = true;
    g_ptr_array_add(runner->processes, process);
    open_stream(process, 0, output[0]);
    open_stream(process, 1, errors[0]);
    process->watch = g_child_watch_source_new(pid);
    g_source_set_callback(process->watch, G_SOURCE_FUNC(gone), process, NULL);
    g_source_attach(process->watch, runner->context);
    return true;
}

static void start_more(struct runner *runner) {
    const struct command_source *source = runner->source;
    struct command *command;
    while (runner->processes->len < runner->jobs && !runner->cancelled && (command = source->next(source->with)))
        if (!start(runner, command))
            source->ended(source->with, command);
}

/* Whether more than LIMIT_S, unless that is 0, have gone by since SINCE_US. */
static bool is_over(unsigned limit_s, gint64 since_us, gint64 now_us) {
    return limit_s && now_us - since_us > (gint64)limit_s * G_TIME_SPAN_SECOND;
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
        bool late = is_over(command->time_limit_s, process->started_us, now_us);
        bool silent = is_over(command->silence_limit_s, process->heard_us, now_us);
        if (process->gone_us ? now_us - process->gone_us < STRAY_US : !late && !silent && !runner->cancelled)
            continue;
        command->timed_out = command->timed_out || (late && !process->gone_us);
        command->silent = command->silent || (silent && !process->gone_us);
        kill(-process->pid, SIGKILL); /* it leads a group of its own: all that it started goes with it */
        if (!process->gone_us)
            continue;
        for (unsigned k = 0; k < G_N_ELEMENTS(process->streams); ++k) /* what left the group may hold them for ever */
            if (process->streams[k].source)
                close_stream(&process->streams[k]);
        settle(process);
        return G_SOURCE_CONTINUE; /* which has changed the list */
    }
    return G_SOURCE_CONTINUE;
}

/* Where somebody has SIGCHLD ignored, as a parent may, the system keeps no exit codes. What was there is the answer. */
static struct sigaction heed_ends(void) {
    struct sigaction before, usual = {.sa_handler = SIG_DFL};
    sigemptyset(&usual.sa_mask);
    sigaction(SIGCHLD, NULL, &before);
    if (before.sa_handler == SIG_IGN || before.sa_flags & SA_NOCLDWAIT)
        sigaction(SIGCHLD, &usual, NULL);
    return before;
}

enum ta_status commands_feed(const struct command_source *source, unsigned jobs, struct ta_problem *why) {
    g_autoptr(GMainContext) context = g_main_context_new();
    g_autoptr(GMainLoop) loop = g_main_loop_new(context, FALSE);
    g_autoptr(GSource) timer = g_timeout_source_new(20);
    g_autoptr(GPtrArray) processes = g_ptr_array_new();
    struct runner runner = {.source = source,
                            .jobs = jobs ? jobs : 1,
                            .processes = processes,
                            .context = context,
                            .loop = loop,
                            .rules = -1};
    const struct sigaction before = heed_ends();
    g_main_context_push_thread_default(context);
    g_source_set_callback(timer, look_around, &runner, NULL);
    g_source_attach(timer, context);
    start_more(&runner);
    if (processes->len && source->meanwhile)
        source->meanwhile(source->with);
    if (processes->len)
        g_main_loop_run(loop);
    look_around(&runner);
    g_source_destroy(timer);
    g_main_context_pop_thread_default(context);
    sigaction(SIGCHLD, &before, NULL);
    if (runner.rules >= 0)
        close(runner.rules);
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
    const struct command_source source = {.next = next_of_array,
                                          .ended = ended_of_array,
                                          .cancelled = cancelled,
                                          .with = &array,
                                          .cancelled_with = cancelled_with};
    return commands_feed(&source, jobs, why);
}

void commands_clear(struct command *commands, size_t count) {
    for (size_t i = 0; i < count; ++i) {
        g_clear_pointer(&commands[i].output, g_free);
        g_clear_pointer(&commands[i].errors, g_free);
    }
}
