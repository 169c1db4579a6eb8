/* demo: the whole chain on the bundled example, with a bench of its own. */
#include "tameanchor/chain.h"

#include "flow/context.h"

static const char example[] = "tide-lamp";

struct demo {
    struct ta_context *context; /* like the caller's, with a home of its own */
    const char *project;
    GString *console;
};

static enum ta_status keep_console(void *with, const struct ta_event *event) {
    if (event->kind == TA_EVENT_CONSOLE)
        g_string_append_len(with, (const char *)event->bytes, (gssize)event->length);
    return TA_OK;
}

static enum ta_status listen(void *with, struct ta_live *live, const struct ta_report *report, struct ta_problem *why) {
    const struct ta_listener listener = {sizeof listener, with, NULL, keep_console};
    (void)report;
    return ta_live_listen(live, &listener, why);
}

static enum ta_status step_import(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    return ta_import(demo->context,
                     &(struct ta_import){sizeof(struct ta_import), .source = example, .destination = demo->project},
                     report, why);
}

static enum ta_status step_configure(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    return ta_configure(demo->context, demo->project, &(struct ta_choices){.size_bytes = sizeof(struct ta_choices)},
                        report, why);
}

static enum ta_status step_ready(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    return ta_ready(demo->context, demo->project, NULL, report, why);
}

static enum ta_status step_build(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    return ta_build(demo->context, demo->project, NULL, report, why);
}

static enum ta_status step_deploy(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    return ta_deploy(demo->context, demo->project, NULL, report, why);
}

static enum ta_status step_run(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    struct ta_run run = {sizeof run, .for_ns = UINT64_C(2000000000), .begins = listen, .with = demo->console};
    enum ta_status status = ta_run(demo->context, demo->project, &run, report, why);
    g_auto(GStrv) lines = g_strsplit(demo->console->str, "\n", -1);
    for (char **line = lines; *line; ++line)
        if (**line)
            report_add(report, TA_LEVEL_NOTE, "console", NULL, "%s", g_strchomp(*line));
    return status;
}

static enum ta_status step_verify(struct demo *demo, struct ta_report *report, struct ta_problem *why) {
    return ta_verify(demo->context, demo->project, NULL, report, why);
}

static const struct {
    const char *name;
    enum ta_status (*run)(struct demo *demo, struct ta_report *report, struct ta_problem *why);
} steps[] = {
    {"import", step_import}, {"configure", step_configure}, {"ready", step_ready},
    {"build", step_build},   {"deploy", step_deploy},       {"run", step_run},
    {"verify", step_verify},
};

enum ta_status ta_demo(struct ta_context *context, const char *folder,
                       void (*told)(void *with, const char *name, const struct ta_report *report), void *with,
                       struct ta_report *whole, struct ta_problem *why) {
    struct step step = step_begin(context, whole);
    g_autofree char *temporary = folder ? NULL : g_dir_make_tmp("tanchor-demo-XXXXXX", NULL);
    g_autoptr(GString) console = g_string_new(NULL);
    if (!folder && !temporary)
        return step_end(&step, ta_problem_set(why, TA_E_SYSTEM, "check TMPDIR", "cannot make a temporary folder"));
    g_autofree char *project = g_build_filename(folder ? folder : temporary, example, NULL);
    g_autofree char *home = g_build_filename(folder ? folder : temporary, "home", NULL);
    struct demo demo = {.context = context_with_home(context, home), .project = project, .console = console};
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < G_N_ELEMENTS(steps); ++i) {
        struct ta_report *report = ta_report_new();
        status = steps[i].run(&demo, report, why);
        told(with, steps[i].name, report);
        ta_report_free(report);
    }
    ta_context_free(demo.context);
    if (temporary)
        folder_remove(temporary);
    report_next(whole, folder ? "change a line there" : "{import %s}, and make it yours", example);
    return step_end(&step, status);
}
