/* verify: runs the project's trials on its target. */
#include "base/digest.h"
#include "flow/builder/memory.h"
#include "flow/setup/setup.h"
#include "flow/deploy/shown.h"
#include "flow/deploy/target.h"
#include "flow/deploy/trapped.h"
#include "flow/verify/trials.h"

enum { HANDS_AT_MOST = 8 };

/* A target that takes one trial after the other. */
struct hand {
    struct verifier *verifier;
    struct target *target;
    GThread *thread;
};

struct verifier {
    struct ta_context *context;
    struct deployed deployed;
    struct trial_files trials;
    const char *const *only;
    size_t only_count;
    struct ta_report *report;
    struct ta_problem *why;
    struct verified result;
    uint64_t trace;
    unsigned limit_s;
    GArray *jobs; /* of struct job: the trials that are wanted, in their order; null before the trials are open */
    gint next;    /* the first that nobody has begun */
    gint stop;    /* no further one is begun, and those that run end */
    GMutex mutex; /* for ENDED, which tells of each trial that is over */
    GCond ended;
    struct target others[HANDS_AT_MOST - 1]; /* on which trials run beside those on the one that was deployed to */
    unsigned other_count;
    struct hand hands[HANDS_AT_MOST];
    unsigned hand_count; /* of those that are at work */
};

/* One trial that is wanted, and what came of it. */
struct job {
    struct verifier *verifier;
    const struct ta_trials *trials;
    size_t index;
    struct ta_recording *recording;
    enum ta_status status;
    struct ta_problem why;
    gint64 start_us;
    bool late, done;
};

static bool is_wanted(const struct verifier *verifier, const char *name) {
    for (size_t i = 0; i < verifier->only_count; ++i)
        if (strstr(name, verifier->only[i]))
            return true;
    return verifier->only_count == 0;
}

/* Where the trap was, in the source's terms, and what it touched. */
static void locate_trap(const struct verifier *verifier, struct ta_recording *recording) {
    struct told_trap told;
    trap_tell(&verifier->deployed.images, &verifier->deployed.workspace.profile, recording->scene, &told);
    ta_recording_locate(recording, told.place, told.words, (const char *const *)told.calls->pdata, told.calls->len);
    told_clear(&told);
}

/* Verdicts know device time alone; a trial that would keep the user waiting for ever gets none. */
static bool is_over(void *with) {
    struct job *job = with;
    gint64 limit_us = (gint64)job->verifier->limit_s * G_TIME_SPAN_SECOND;
    job->late = g_get_monotonic_time() - job->start_us > limit_us;
    return job->late || g_atomic_int_get(&job->verifier->stop);
}

/* Machines share nothing, and a trial powers its own on and off: which of them runs it, and beside which others, changes no verdict. */
static void run_job(struct job *job, struct ta_port *port) {
    job->start_us = g_get_monotonic_time();
    job->status = ta_trial_run(job->trials, job->index, port, is_over, job, &job->recording, &job->why);
    if (job->status == TA_E_INTERRUPTED && job->late)
        job->status =
            ta_problem_set(&job->why, TA_E_NO, "shorten it; trial-seconds in preferences.yaml can give it more",
                           "the trial \"%s\" took more than %u s on this computer",
                           ta_trial_name(job->trials, job->index), job->verifier->limit_s);
    struct verifier *verifier = job->verifier;
    if (job->status)
        g_atomic_int_set(&verifier->stop, 1);
    g_mutex_lock(&verifier->mutex);
    job->done = true;
    g_cond_signal(&verifier->ended);
    g_mutex_unlock(&verifier->mutex);
}

static gpointer work(gpointer data) {
    struct hand *hand = data;
    struct verifier *verifier = hand->verifier;
    for (;;) {
        gint index = g_atomic_int_add(&verifier->next, 1);
        if (index >= (gint)verifier->jobs->len || g_atomic_int_get(&verifier->stop))
            return NULL;
        run_job(&g_array_index(verifier->jobs, struct job, index), &hand->target->port);
    }
}

/* Tells how far the trials are and asks whether to stop: the caller's functions are called from the caller's thread alone. */
static void watch_over(struct verifier *verifier) {
    enum { LOOK_US = 20000 };
    g_mutex_lock(&verifier->mutex);
    for (guint i = 0; i < verifier->jobs->len; ++i) {
        struct job *job = &g_array_index(verifier->jobs, struct job, i);
        context_doing(verifier->context, ta_trial_name(job->trials, job->index), i, verifier->jobs->len);
        while (!job->done && !g_atomic_int_get(&verifier->stop)) {
            g_cond_wait_until(&verifier->ended, &verifier->mutex, g_get_monotonic_time() + LOOK_US);
            if (context_cancelled(verifier->context))
                g_atomic_int_set(&verifier->stop, 1);
        }
    }
    g_mutex_unlock(&verifier->mutex);
}

/* How many targets may run trials side by side: as many as there are processors, as far as their memory goes. Hardware is there once. */
static unsigned hands_wanted(const struct verifier *verifier) {
    static const uint64_t room_bytes = UINT64_C(256) << 20;
    const struct ta_profile *profile = &verifier->deployed.workspace.profile;
    uint64_t each_bytes = 1;
    for (size_t i = 0; i < profile->memory_count; ++i)
        each_bytes += profile->memories[i].size_bytes;
    unsigned processors = g_get_num_processors(), wanted = MIN(MIN(processors, verifier->jobs->len), HANDS_AT_MOST);
    bool is_hardware = verifier->context->call.open_target != NULL;
    return is_hardware || room_bytes / each_bytes < 2 ? 1 : (unsigned)MIN(wanted, room_bytes / each_bytes);
}

static void connect_others(struct verifier *verifier) {
    struct workspace *workspace = &verifier->deployed.workspace;
    unsigned wanted = hands_wanted(verifier) - 1;
    struct ta_problem unheard;
    while (verifier->other_count < wanted &&
           !target_connect(verifier->context, workspace->setup.target, &workspace->profile,
                           &verifier->others[verifier->other_count], &unheard))
        ++verifier->other_count;
}

/* It holds what the first one does. */
static bool fill(struct verifier *verifier, struct target *other) {
    const struct contents *contents = &verifier->deployed.contents;
    struct ta_problem unheard;
    enum ta_status status =
        contents->parts ? contents_write(contents, other, &unheard) : target_restore(other, &unheard);
    return !status && !target_empty_cards(other, &unheard);
}

static void start_hand(struct verifier *verifier, struct target *target) {
    struct hand *hand = &verifier->hands[verifier->hand_count++];
    *hand = (struct hand){verifier, target, NULL};
    hand->thread = g_thread_new("trials", work, hand);
}

/* The first is at work while the others get their targets. */
static enum ta_status start_hands(struct verifier *verifier, struct ta_problem *why) {
    enum ta_status status = target_empty_cards(&verifier->deployed.target, why);
    if (status)
        return status;
    g_mutex_init(&verifier->mutex);
    g_cond_init(&verifier->ended);
    start_hand(verifier, &verifier->deployed.target);
    connect_others(verifier);
    for (unsigned i = 0; i < verifier->other_count; ++i)
        if (fill(verifier, &verifier->others[i]))
            start_hand(verifier, &verifier->others[i]);
    return TA_OK;
}

static void await_hands(struct verifier *verifier) {
    if (!verifier->hand_count)
        return;
    for (unsigned i = 0; i < verifier->hand_count; ++i)
        g_thread_join(verifier->hands[i].thread);
    verifier->hand_count = 0;
    g_cond_clear(&verifier->ended);
    g_mutex_clear(&verifier->mutex);
}

/* All are at work while the bench is told what was programmed. */
static enum ta_status run_jobs(struct verifier *verifier) {
    enum ta_status status = verifier->hand_count ? TA_OK : start_hands(verifier, verifier->why);
    if (!status)
        status = deployed_keep(&verifier->deployed, verifier->why);
    if (status)
        g_atomic_int_set(&verifier->stop, 1);
    else
        watch_over(verifier);
    await_hands(verifier);
    return status;
}

/* What came of a trial, in the order of the trials. */
static enum ta_status take_verdict(struct verifier *verifier, struct job *job) {
    struct ta_recording *recording = job->recording;
    if (job->status)
        ta_problem_copy(verifier->why, &job->why);
    if (job->status || !recording)
        return job->status;
    if (recording->trapped)
        locate_trap(verifier, recording);
    if (recording->picture) {
        struct workspace *workspace = &verifier->deployed.workspace;
        const char *folder = workspace->layout.pictures;
        enum ta_status status = shown_write(recording, workspace_path(workspace, folder), folder, verifier->why);
        if (status)
            return status;
    }
    verifier->result.passed += recording->passed;
    verifier->result.failed += !recording->passed;
    verifier->trace = digest_number(verifier->trace, recording->trace);
    report_recording(verifier->report, recording);
    job->recording = NULL;
    return TA_OK;
}

static void list_jobs(struct verifier *verifier) {
    verifier->jobs = g_array_new(FALSE, TRUE, sizeof(struct job));
    for (guint i = 0; i < verifier->trials.files->len; ++i) {
        const struct ta_trials *trials = verifier->trials.files->pdata[i];
        for (size_t k = 0; k < ta_trials_count(trials); ++k) {
            const struct job job = {.verifier = verifier, .trials = trials, .index = k};
            if (is_wanted(verifier, ta_trial_name(trials, k)))
                g_array_append_val(verifier->jobs, job);
        }
    }
}

static enum ta_status check_jobs(const struct verifier *verifier, struct ta_problem *why) {
    size_t total = trials_count(&verifier->trials);
    return verifier->jobs->len
               ? TA_OK
               : ta_problem_set(why, TA_E_INPUT,
                                total ? "leave the name out to run all" : "docs/trials.md shows how to write one",
                                total ? "no trial has a name like that" : "%s has no trials",
                                verifier->deployed.workspace.project.project);
}

static enum ta_status run_trials(struct verifier *verifier) {
    enum ta_status status = run_jobs(verifier);
    for (guint i = 0; !status && i < verifier->jobs->len; ++i) { /* what stopped the others goes before them */
        const struct job *job = &g_array_index(verifier->jobs, struct job, i);
        if (job->status && job->status != TA_E_INTERRUPTED)
            status = (ta_problem_copy(verifier->why, &job->why), job->status);
    }
    for (guint i = 0; !status && i < verifier->jobs->len; ++i)
        status = take_verdict(verifier, &g_array_index(verifier->jobs, struct job, i));
    if (!status && verifier->stop)
        status = ta_problem_set(verifier->why, TA_E_INTERRUPTED, "run it again", "interrupted");
    return status;
}

static void report_result(struct verifier *verifier) {
    struct ta_report *report = verifier->report;
    const struct verified *result = &verifier->result;
    g_autofree char *trace = g_strdup_printf("%016" G_GINT64_MODIFIER "x", verifier->trace);
    report_number(report, "passed", result->passed);
    report_number(report, "failed", result->failed);
    report_text(report, "trace", trace);
    report_next(report, "change a line, then {verify}");
    for (size_t i = 0; i < ta_report_recordings(report); ++i) {
        const struct ta_recording *each = ta_report_recording(report, i);
        if (each->passed)
            continue;
        if (each->place)
            report_next(report, "look at %s, or watch it with {run}", each->place);
        else
            report_next(report, "look at %s:%u, or watch it with {run}", each->file, each->failed->line);
        break;
    }
}

/* While compilers work. */
static enum ta_status prepare(void *with, struct ta_problem *why) {
    struct verifier *verifier = with;
    enum ta_status status = trials_open_early(&verifier->deployed.workspace, &verifier->trials, why);
    if (status || !verifier->trials.files)
        return status;
    list_jobs(verifier);
    status = check_jobs(verifier, why);
    if (!status)
        connect_others(verifier);
    return status;
}

/* The images are linked. */
static enum ta_status take(void *with, struct ta_problem *why) {
    struct verifier *verifier = with;
    return verifier->jobs ? start_hands(verifier, why) : TA_OK;
}

static void verifier_clear(struct verifier *verifier) {
    g_atomic_int_set(&verifier->stop, 1); /* the trials of an image of which nothing came in the end */
    await_hands(verifier);
    for (guint i = 0; verifier->jobs && i < verifier->jobs->len; ++i)
        ta_recording_free(g_array_index(verifier->jobs, struct job, i).recording);
    g_clear_pointer(&verifier->jobs, g_array_unref);
    for (unsigned i = 0; i < verifier->other_count; ++i)
        target_close(&verifier->others[i]);
    trials_close(&verifier->trials);
    deployed_close(&verifier->deployed);
}

enum ta_status ta_verify(struct ta_context *context, const char *folder, const struct ta_verify *asked,
                         struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_problem found = {0};
    struct ta_verify request = {0};
    struct verifier verifier = {.context = context,
                                .report = report,
                                .why = &found,
                                .trace = DIGEST_START,
                                .limit_s = context_seconds(context, TRIAL_S)};
    struct workspace *workspace = &verifier.deployed.workspace;
    enum ta_status status = asked ? request_copy(asked, &request, sizeof request, &found) : TA_OK;
    verifier.only = request.only;
    verifier.only_count = request.only_count;
    const struct deploying deploying = {.doing = "verify",
                                        .starts = STARTS_FLASH,
                                        .freshness = request.as_is ? AS_IS : UP_TO_DATE,
                                        .keeps_later = true,
                                        .taker = {prepare, take, &verifier}};
    if (!status)
        status = deployed_open(context, folder, &deploying, &verifier.deployed, report, &found);
    if (!status && !verifier.jobs) {
        status = trials_open(workspace, &verifier.trials, &found);
        if (!status)
            list_jobs(&verifier);
        if (!status)
            status = check_jobs(&verifier, &found);
    }
    if (!status)
        status = run_trials(&verifier);
    if (!status) {
        report_result(&verifier);
        g_strlcpy(verifier.result.identity, verifier.deployed.identity, sizeof verifier.result.identity);
        if (!request.only_count &&
            !request.as_is) /* a part of the trials, or another image, does not verify the project */
            status = verified_write(workspace, &verifier.result, &found);
        if (!request.only_count && !request.as_is && !verifier.result.failed)
            memory_map_verified(workspace);
    }
    if (status)
        ta_problem_copy(why, &found);
    else if (verifier.result.failed)
        status = TA_E_NO;
    verifier_clear(&verifier);
    return step_end(&step, status);
}

enum ta_status ta_trials_list(struct ta_context *context, const char *folder, struct ta_report *report,
                              struct ta_problem *why) {
    static const struct ta_column columns[] = {{"trial", TA_COLUMN_TEXT},
                                               {"file", TA_COLUMN_TEXT},
                                               {"line", TA_COLUMN_NUMBER},
                                               {"expectations", TA_COLUMN_NUMBER},
                                               {0}};
    struct step step = step_begin(context, report);
    struct workspace workspace;
    struct trial_files trials;
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (status)
        return step_end(&step, status);
    status = trials_open(&workspace, &trials, why);
    report_title(report, "the trials of %s", workspace.project.project);
    report_table(report, "trials", columns);
    for (guint i = 0; !status && i < trials.files->len; ++i) {
        const struct ta_trials *file = trials.files->pdata[i];
        for (size_t k = 0; k < ta_trials_count(file); ++k)
            report_row(report, CELLS(TEXT_CELL(ta_trial_name(file, k)), TEXT_CELL(trials.names.items[i]),
                                     COUNT_CELL(ta_trial_line(file, k)), COUNT_CELL(ta_trial_expectations(file, k))));
    }
    trials_close(&trials);
    if (!status)
        report_next(report, "{verify}");
    return step_end(&step, status);
}
