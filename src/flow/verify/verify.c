/* verify: runs the project's trials on its target. */
#include "base/digest.h"
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
        total ? "no trial has that name" : "%s has no trials", verifier->deployed.workspace.project.project);
}

static void report_result(struct verifier *verifier) {
    struct ta_report *report = verifier->report;
    const struct verified *result = &verifier->result;
    g_autofree char *trace = g_strdup_printf("%016" G_GINT64_MODIFIER "x", verifier->trace);
    report_title(report, "%s on %s, identity %.8s", verifier->deployed.workspace.project.project,
                 verifier->deployed.workspace.setup.target, verifier->deployed.identity);
    report_text(report, "identity", verifier->deployed.identity);
    report_number(report, "passed", result->passed);
    report_number(report, "failed", result->failed);
    report_text(report, "trace", trace);
    report_next(report, "change a line, then {build} and {verify}");
    for (size_t i = 0; i < ta_report_recordings(report); ++i) {
        const struct ta_recording *each = ta_report_recording(report, i);
        if (each->passed)
            continue;
        report_next(report, "look at %s:%u, or watch it with {run}", each->file, each->failed->line);
        break;
    }
}

enum ta_status ta_verify(struct ta_context *context, const char *folder, const char *const *only, size_t count,
                         struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_problem found = {0};
    struct verifier verifier = {.context = context,
                                .only = only,
                                .only_count = count,
                                .report = report,
                                .why = &found,
                                .trace = DIGEST_START,
                                .limit_s = context_seconds(context, TRIAL_S)};
    struct workspace *workspace = &verifier.deployed.workspace;
    enum ta_status status = deployed_open(context, folder, "verify", &verifier.deployed, &found);
    if (!status) {
        status = trials_open(workspace, &verifier.trials, &found);
        if (!status)
            status = run_trials(&verifier);
        trials_close(&verifier.trials);
        deployed_warn_stale(&verifier.deployed, report);
    }
    if (!status) {
        report_result(&verifier);
        g_strlcpy(verifier.result.identity, verifier.deployed.identity, sizeof verifier.result.identity);
        if (!count) /* a part of the trials does not verify the project */
            status = verified_write(workspace, &verifier.result, &found);
    }
    if (status)
        ta_problem_copy(why, &found);
    else if (verifier.result.failed)
        status = TA_E_NO;
    deployed_close(&verifier.deployed);
    return step_end(&step, status);
}
