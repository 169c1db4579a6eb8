#include "flow/verify/jobs.h"

enum { WORKERS_MOST = 8 };

/* One thread with a target of its own, which takes one job after the other. */
struct worker {
    struct crew *crew;
    struct target *target;
    GThread *thread;
};

struct crew {
    struct ta_context *context;
    struct running_job *jobs;
    size_t count;
    unsigned limit_s;
    gint next;    /* the first that nobody has begun */
    gint stop;    /* no further one is begun, and those that run end */
    GMutex mutex; /* for ENDED, which tells of each job that is over */
    GCond ended;
};

struct running_job {
    struct job *job;
    struct crew *crew;
    gint64 start_us;
    bool late, done;
};

/* Verdicts know device time alone; a trial that would keep the user waiting for ever gets none. */
static bool is_over(void *with) {
    struct running_job *running = with;
    gint64 limit_us = (gint64)running->crew->limit_s * G_TIME_SPAN_SECOND;
    running->late = g_get_monotonic_time() - running->start_us > limit_us;
    return running->late || g_atomic_int_get(&running->crew->stop);
}

/* Machines share nothing, and a trial powers its own on and off: which of them runs it, and beside which others, changes no verdict. */
static void run_job(struct running_job *running, struct ta_port *port) {
    struct job *job = running->job;
    struct crew *crew = running->crew;
    running->start_us = g_get_monotonic_time();
    job->status = ta_trial_run(job->trials, job->index, port, is_over, running, &job->recording, &job->why);
    if (job->status == TA_E_INTERRUPTED && running->late)
        job->status =
            ta_problem_set(&job->why, TA_E_NO, "shorten it; trial-seconds in preferences.yaml can give it more",
                           "the trial \"%s\" took more than %u s on this computer",
                           ta_trial_name(job->trials, job->index), crew->limit_s);
    if (job->status)
        g_atomic_int_set(&crew->stop, 1);
    g_mutex_lock(&crew->mutex);
    running->done = true;
    g_cond_signal(&crew->ended);
    g_mutex_unlock(&crew->mutex);
}

static gpointer work(gpointer data) {
    struct worker *worker = data;
    struct crew *crew = worker->crew;
    for (;;) {
        gint index = g_atomic_int_add(&crew->next, 1);
        if (index >= (gint)crew->count || g_atomic_int_get(&crew->stop))
            return NULL;
        run_job(&crew->jobs[index], &worker->target->port);
    }
}

/* Tells how far the trials are and asks whether to stop: the caller's functions are called from the caller's thread alone. */
static void watch_over(struct crew *crew) {
    enum { LOOK_US = 20000 };
    g_mutex_lock(&crew->mutex);
    for (size_t i = 0; i < crew->count; ++i) {
        struct running_job *running = &crew->jobs[i];
        context_doing(crew->context, ta_trial_name(running->job->trials, running->job->index), i, crew->count);
        while (!running->done && !g_atomic_int_get(&crew->stop)) {
            g_cond_wait_until(&crew->ended, &crew->mutex, g_get_monotonic_time() + LOOK_US);
            if (context_cancelled(crew->context))
                g_atomic_int_set(&crew->stop, 1);
        }
    }
    g_mutex_unlock(&crew->mutex);
}

/* Hardware is there once. */
static unsigned workers_wanted(const struct target *target, size_t count) {
    static const uint64_t room_bytes = UINT64_C(256) << 20;
    uint64_t each_bytes = 1;
    for (size_t i = 0; i < target->profile->memory_count; ++i)
        each_bytes += target->profile->memories[i].size_bytes;
    uint64_t most = target->simulated ? MAX(room_bytes / each_bytes, 1) : 1;
    return (unsigned)MIN(MIN(g_get_num_processors(), most), MIN(count, WORKERS_MOST));
}

static void start(struct worker *worker, struct crew *crew, struct target *target) {
    *worker = (struct worker){crew, target, NULL};
    worker->thread = g_thread_new("trials", work, worker);
}

/* The first is at work while the others get their targets; fewer of them are slower, and no fault. */
static enum ta_status run_all(struct crew *crew, struct target *target, struct ta_problem *why) {
    struct target copies[WORKERS_MOST];
    struct worker workers[WORKERS_MOST];
    struct ta_problem unheard;
    unsigned wanted = workers_wanted(target, crew->count), count = 0;
    enum ta_status status = target_empty_cards(target, why);
    if (status)
        return status;
    start(&workers[count++], crew, target);
    while (count < wanted && !target_copy(target, &copies[count], &unheard)) {
        if (target_empty_cards(&copies[count], &unheard)) {
            target_close(&copies[count]);
            break;
        }
        start(&workers[count], crew, &copies[count]);
        ++count;
    }
    watch_over(crew);
    for (unsigned i = 0; i < count; ++i) {
        g_thread_join(workers[i].thread);
        if (i)
            target_close(&copies[i]);
    }
    return TA_OK;
}

enum ta_status jobs_run(struct target *target, struct job *jobs, size_t count, struct ta_problem *why) {
    g_autofree struct running_job *running = g_new0(struct running_job, count + 1);
    struct crew crew = {.context = target->context,
                        .jobs = running,
                        .count = count,
                        .limit_s = context_seconds(target->context, TRIAL_S)};
    for (size_t i = 0; i < count; ++i)
        running[i] = (struct running_job){.job = &jobs[i], .crew = &crew};
    g_mutex_init(&crew.mutex);
    g_cond_init(&crew.ended);
    enum ta_status status = run_all(&crew, target, why);
    g_cond_clear(&crew.ended);
    g_mutex_clear(&crew.mutex);
    for (size_t i = 0; !status && i < count; ++i) /* what stopped the others goes before them */
        if (jobs[i].status && jobs[i].status != TA_E_INTERRUPTED)
            status = (ta_problem_copy(why, &jobs[i].why), jobs[i].status);
    if (!status && crew.stop)
        status = ta_problem_set(why, TA_E_INTERRUPTED, "run it again", "interrupted");
    return status;
}
