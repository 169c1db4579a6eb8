/* The whole chain through the public header: imports the tide lamp into the folder that is named, builds it, deploys it
   to a simulated dunlin and runs its trials. */
#include <tameanchor/tameanchor.h>

#include <stdio.h>

static int complain(const struct ta_problem *why) {
    fprintf(stderr, "whole_chain: %s; %s\n", why->what, why->fix);
    return ta_status_exit_code(why->status);
}

static void show(const struct ta_report *report) {
    const char *title = ta_report_title(report);
    const struct ta_finding *finding;
    const struct ta_recording *trial;
    printf("%s\n", title ? title : "");
    for (size_t i = 0; (finding = ta_report_finding(report, i)); ++i)
        printf("  %-8s %-11s %s\n", ta_level_text(finding->level), finding->subject, finding->message);
    for (size_t i = 0; (trial = ta_report_recording(report, i)); ++i)
        printf("  %s %s\n", trial->passed ? "pass" : "FAIL", trial->trial);
}

int main(int argc, char **argv) {
    const char *project = argc > 1 ? argv[1] : "tide-lamp";
    const struct ta_import example = {sizeof example, .source = "tide-lamp", .destination = project};
    const struct ta_choices choices = {sizeof choices, .compiler = "gcc", .target = "dunlin"};
    struct ta_context *context;
    struct ta_problem why;
    enum ta_status status = ta_library_check(TA_VERSION_MAJOR, TA_VERSION_MINOR, &why);
    if (!status)
        status = ta_context_new(&context, &why);
    if (status)
        return complain(&why);
    for (int step = 0; !status && step < 5; ++step) {
        struct ta_report *report = ta_report_new();
        why.what[0] = '\0';
        switch (step) {
        case 0: status = ta_import(context, &example, report, &why); break;
        case 1: status = ta_configure(context, project, &choices, report, &why); break;
        case 2: status = ta_build(context, project, NULL, report, &why); break;
        case 3: status = ta_deploy(context, project, NULL, report, &why); break;
        case 4: status = ta_verify(context, project, NULL, report, &why); break;
        }
        show(report);
        ta_report_free(report);
    }
    ta_context_free(context);
    return status ? complain(&why) : 0;
}
