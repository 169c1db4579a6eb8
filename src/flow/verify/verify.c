/* verify: runs the project's trials on its target. */
#include "base/digest.h"
#include "flow/builder/memory.h"
#include "flow/deploy/deployed.h"
#include "flow/deploy/trapped.h"
#include "flow/setup/setup.h"
#include "flow/verify/jobs.h"
#include "flow/verify/pictures.h"
#include "flow/verify/trials.h"

struct verifier {
    struct ta_context *context;
    struct ta_verify request;
    struct deployed deployed;
    struct trial_files trials;
    GArray *jobs; /* of struct job: the trials that are wanted, in their order */
    struct verified result;
    uint64_t trace;
    bool was_reset;
    struct ta_report *report;
    struct ta_problem *why;
};

static bool is_wanted(const struct ta_verify *request, const char *name) {
    for (size_t i = 0; i < request->only_count; ++i)
        if (strstr(name, request->only[i]))
            return true;
    return request->only_count == 0;
}

/* TA_E_INPUT when none of FILES is wanted. */
static enum ta_status list_jobs(struct verifier *verifier, const struct trial_files *files) {
    size_t total = trials_count(files);
    g_array_set_size(verifier->jobs, 0);
    for (guint i = 0; i < files->files->len; ++i) {
        const struct ta_trials *trials = files->files->pdata[i];
        for (size_t k = 0; k < ta_trials_count(trials); ++k) {
            const struct job job = {.trials = trials, .index = k};
            if (is_wanted(&verifier->request, ta_trial_name(trials, k)))
                g_array_append_val(verifier->jobs, job);
        }
    }
    return verifier->jobs->len
               ? TA_OK
               : ta_problem_set(verifier->why, TA_E_INPUT,
                                total ? "leave the name out to run all" : "docs/trials.md shows how to write one",
                                total ? "no trial has a name like that" : "%s has no trials",
                                verifier->deployed.workspace.project.project);
}

/* Where the trap was, in the source's terms, and what it touched. */
static void locate_trap(const struct verifier *verifier, struct ta_recording *recording) {
    struct told_trap told;
    trap_tell(&verifier->deployed.images, &verifier->deployed.workspace.profile, recording->scene, &told);
    ta_recording_locate(recording, told.place, told.words, (const char *const *)told.calls->pdata, told.calls->len);
    told_clear(&told);
}

/* What came of a trial, which is the report's from then on. */
static enum ta_status take_verdict(struct verifier *verifier, struct job *job) {
    struct ta_recording *recording = job->recording;
    struct workspace *workspace = &verifier->deployed.workspace;
    const char *folder = workspace->layout.pictures;
    if (recording->trapped)
        locate_trap(verifier, recording);
    if (recording->picture) {
        enum ta_status status = pictures_write(recording, workspace_path(workspace, folder), folder, verifier->why);
        if (status)
            return status;
    }
    verifier->was_reset = verifier->was_reset || recording->was_reset;
    verifier->result.passed += recording->passed;
    verifier->result.failed += !recording->passed;
    verifier->trace = digest_number(verifier->trace, recording->trace);
    report_recording(verifier->report, recording);
    job->recording = NULL;
    return TA_OK;
}

static enum ta_status run_trials(struct verifier *verifier) {
    struct job *jobs = (struct job *)(void *)verifier->jobs->data;
    enum ta_status status = jobs_run(&verifier->deployed.target, jobs, verifier->jobs->len, verifier->why);
    for (guint i = 0; !status && i < verifier->jobs->len; ++i)
        status = take_verdict(verifier, &jobs[i]);
    return status;
}

/* What is wrong with the trials is told before anybody waits for a build; what needs a file that the build makes has to wait for it. */
static enum ta_status look_at_trials(struct verifier *verifier) {
    struct trial_files trials;
    bool whole;
    enum ta_status status = trials_open_early(&verifier->deployed.workspace, &trials, &whole, verifier->why);
    if (!status && whole)
        status = list_jobs(verifier, &trials);
    g_array_set_size(verifier->jobs, 0);
    trials_close(&trials);
    return status;
}

static enum ta_status open_trials(struct verifier *verifier) {
    enum ta_status status = trials_open(&verifier->deployed.workspace, &verifier->trials, verifier->why);
    return status ? status : list_jobs(verifier, &verifier->trials);
}

static void report_result(struct verifier *verifier) {
    struct ta_report *report = verifier->report;
    const struct verified *result = &verifier->result;
    g_autofree char *trace = g_strdup_printf("%016" G_GINT64_MODIFIER "x", verifier->trace);
    if (verifier->was_reset)
        report_add(report, TA_LEVEL_NOTE, "power", NULL, "the power of %s cannot be switched: trials reset it instead",
                   verifier->deployed.target.name);
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

/* A part of the trials, or what the target held, does not verify the project. */
static enum ta_status keep_verdict(struct verifier *verifier) {
    struct deployed *deployed = &verifier->deployed;
    struct verified *result = &verifier->result;
    if (verifier->request.only_count || verifier->request.as_is)
        return TA_OK;
    g_strlcpy(result->identity, deployed->identity, sizeof result->identity);
    g_strlcpy(result->trials, verifier->trials.digest, sizeof result->trials);
    return verified_write(&deployed->workspace, result, deployed->memory_map, verifier->why);
}

static void verifier_clear(struct verifier *verifier) {
    for (guint i = 0; i < verifier->jobs->len; ++i)
        ta_recording_free(g_array_index(verifier->jobs, struct job, i).recording);
    g_array_unref(verifier->jobs);
    trials_close(&verifier->trials);
    deployed_close(&verifier->deployed);
}

enum ta_status ta_verify(struct ta_context *context, const char *folder, const struct ta_verify *asked,
                         struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_problem found = {0};
    struct verifier verifier = {.context = context,
                                .jobs = g_array_new(FALSE, TRUE, sizeof(struct job)),
                                .trace = DIGEST_START,
                                .report = report,
                                .why = &found};
    struct ta_verify *request = &verifier.request;
    enum ta_status status = asked ? request_copy(asked, request, sizeof *request, &found) : TA_OK;
    if (!status)
        status = deployed_begin(context, folder, "verify", &verifier.deployed, &found);
    if (!status)
        status = look_at_trials(&verifier);
    if (!status)
        status = deployed_open(&verifier.deployed, STARTS_FLASH, request->as_is ? AS_IS : UP_TO_DATE, report, &found);
    if (!status)
        status = open_trials(&verifier);
    if (!status)
        status = run_trials(&verifier);
    if (!status) {
        report_result(&verifier);
        status = keep_verdict(&verifier);
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
