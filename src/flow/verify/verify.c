/* verify: runs the project's trials on its target. */
#include "base/digest.h"
#include "flow/build/memory.h"
#include "flow/setup/setup.h"
#include "flow/target/target.h"
#include "flow/verify/trials.h"
#include "host/elf_file.h"

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
    gint64 trial_start_us;
    bool late;
};

static bool is_wanted(const struct verifier *verifier, const char *name) {
    for (size_t i = 0; i < verifier->only_count; ++i)
        if (strstr(name, verifier->only[i]))
            return true;
    return verifier->only_count == 0;
}

/* Where the trap was, in the source's terms. */
static void locate_trap(const struct verifier *verifier, struct ta_recording *recording) {
    char place[160];
    elf_describe_address(&verifier->deployed.image, recording->trap_pc, place, sizeof place);
    if (*place)
        ta_recording_locate(recording, place);
}

/* Verdicts know device time alone; a trial that would keep the user waiting for ever gets none. */
static bool is_over(void *with) {
    struct verifier *verifier = with;
    gint64 limit_us = (gint64)verifier->limit_s * G_TIME_SPAN_SECOND;
    verifier->late = g_get_monotonic_time() - verifier->trial_start_us > limit_us;
    return verifier->late || context_cancelled(verifier->context);
}

static enum ta_status run_trial(struct verifier *verifier, const struct ta_trials *trials, size_t index) {
    struct ta_recording *recording;
    verifier->trial_start_us = g_get_monotonic_time();
    enum ta_status status =
        ta_trial_run(trials, index, &verifier->deployed.target.port, is_over, verifier, &recording, verifier->why);
    if (status == TA_E_INTERRUPTED && verifier->late)
        return ta_problem_set(verifier->why, TA_E_NO, "shorten it; trial-seconds in preferences.yaml can give it more",
                              "the trial \"%s\" took more than %u s on this computer", ta_trial_name(trials, index),
                              verifier->limit_s);
    if (status)
        return status;
    if (recording->trapped)
        locate_trap(verifier, recording);
    verifier->result.passed += recording->passed;
    verifier->result.failed += !recording->passed;
    verifier->trace = digest_number(verifier->trace, recording->trace);
    report_recording(verifier->report, recording);
    return TA_OK;
}

static enum ta_status run_trials(struct verifier *verifier) {
    enum ta_status status = TA_OK;
    unsigned done = 0, total = (unsigned)trials_count(&verifier->trials);
    for (guint i = 0; !status && i < verifier->trials.files->len; ++i) {
        const struct ta_trials *trials = verifier->trials.files->pdata[i];
        for (size_t k = 0; !status && k < ta_trials_count(trials); ++k) {
            context_doing(verifier->context, ta_trial_name(trials, k), done++, total);
            if (is_wanted(verifier, ta_trial_name(trials, k)))
                status = run_trial(verifier, trials, k);
        }
    }
    if (status || ta_report_recordings(verifier->report))
        return status;
    return ta_problem_set(
        verifier->why, TA_E_INPUT, total ? "leave the name out to run all" : "docs/trials.md shows how to write one",
        total ? "no trial has a name like that" : "%s has no trials", verifier->deployed.workspace.project.project);
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
    if (!status)
        status = deployed_open(context, folder, "verify", request.as_is ? AS_IS : UP_TO_DATE, &verifier.deployed,
                               report, &found);
    if (!status) {
        status = trials_open(workspace, &verifier.trials, &found);
        if (!status)
            status = run_trials(&verifier);
        trials_close(&verifier.trials);
    }
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
    deployed_close(&verifier.deployed);
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
