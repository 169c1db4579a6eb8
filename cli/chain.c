/* The commands of the chain: each turns its options into a request, and makes one call. */
#include "cli/commands.h"
#include "cli/watching.h"

#include <string.h>

/* The project is where we are: -C has gone there already. */
static const char here[] = ".";

enum ta_status run_import(struct session *session) {
    const struct options *options = &session->options;
    const struct ta_import request = {sizeof request,
                                      .source = session->names[0],
                                      .destination = session->names[1],
                                      .ref = options->ref,
                                      .subfolder = options->subfolder,
                                      .in_place = options->in_place,
                                      .gather = options->gather,
                                      .anyway = options->anyway};
    return ta_import(session->context, &request, session->report, &session->why);
}

enum ta_status run_configure(struct session *session) {
    const struct options *options = &session->options;
    session->done = options->list || options->show || options->diff ? "" : NULL;
    if (options->list)
        return ta_configure_list(session->context, here, session->report, &session->why);
    if (options->show || options->diff || options->back)
        return ta_configure_look(session->context, here,
                                 options->back   ? TA_SETUP_BACK
                                 : options->diff ? TA_SETUP_DIFF
                                                 : TA_SETUP_SHOW,
                                 session->report, &session->why);
    const struct ta_choices choices = {sizeof choices,
                                       .sdk = options->sdk,
                                       .compiler = options->compiler,
                                       .target = options->target,
                                       .optimise = options->optimise,
                                       .launcher = options->launcher,
                                       .stack = options->stack,
                                       .heap = options->heap,
                                       .console_speed = options->console_speed,
                                       .clock = options->clock,
                                       .with = (const char *const *)options->with,
                                       .without = (const char *const *)options->without,
                                       .settings = (const char *const *)options->settings};
    return ta_configure(session->context, here, &choices, session->report, &session->why);
}

enum ta_status run_ready(struct session *session) {
    return ta_ready(session->context, here, session->options.fix, session->report, &session->why);
}

/* The forms of the image that are wanted beside ELF and raw bytes; false when there is no such form. */
static bool take_forms(char *const *forms, struct ta_build *build) {
    for (; forms && *forms; ++forms) {
        bool hex = !strcmp(*forms, "hex"), srec = !strcmp(*forms, "srec"), card = !strcmp(*forms, "card"),
             usual = !strcmp(*forms, "elf") || !strcmp(*forms, "bin");
        build->hex = build->hex || hex;
        build->srec = build->srec || srec;
        build->card = build->card || card;
        if (!hex && !srec && !card && !usual)
            return false;
    }
    return true;
}

enum ta_status run_build(struct session *session) {
    const struct options *options = &session->options;
    const char *edited = options->edited, *clean = options->clean, *jobs = options->jobs;
    struct ta_build build = {sizeof build, .keep_going = options->keep_going,
                             .without_cache = options->no_cache || options->clean};
    guint64 count = 0;
    if (edited && strcmp(edited, "keep") && strcmp(edited, "restore"))
        return usage(session, "write --edited keep or --edited restore", "--edited: there is no such choice");
    if (clean && strcmp(clean, "setup") && strcmp(clean, "all"))
        return usage(session, "write --clean setup or --clean all", "--clean: there is no such choice");
    if (jobs && !g_ascii_string_to_unsigned(jobs, 10, 1, 1024, &count, NULL))
        return usage(session, "write for example --jobs 4", "--jobs takes a number from 1 to 1024");
    if (!take_forms(options->form, &build))
        return usage(session, "write elf, hex, srec, bin or card", "--form: there is no such form");
    build.jobs = (unsigned)count;
    build.edits = !edited ? TA_EDITS_REFUSED : !strcmp(edited, "keep") ? TA_EDITS_KEPT_ASIDE : TA_EDITS_LOST;
    if (options->plan) {
        session->done = "";
        return ta_build_plan(session->context, here, &build, *options->plan ? options->plan : NULL, session->report,
                             &session->why);
    }
    if (clean)
        build.clean = strcmp(clean, "all") ? TA_CLEAN_SETUP : TA_CLEAN_ALL;
    return ta_build(session->context, here, &build, session->report, &session->why);
}

enum ta_status run_show(struct session *session) {
    const struct options *options = &session->options;
    const struct ta_show show = {sizeof show, .image = session->name_count ? session->names[0] : NULL,
                                 .target = options->target, .profile = options->profile, .bill = options->bill};
    bool outputs = options->lamps || options->screen;
    if ((options->files != 0) + (options->memory != NULL) + outputs +
            (show.image || (show.target && !outputs) || show.bill) >
        1)
        return usage(session, "ask for one at a time",
                     "--files, --memory, --lamps or --screen, and an image do not go together");
    if (show.image && show.target)
        return usage(session, "leave one out", "show takes a file or a --target");
    if (outputs)
        return ta_show_outputs(session->context, here, options->target, options->screen, session->report,
                               &session->why);
    if (options->files)
        return ta_show_files(session->context, here, session->report, &session->why);
    if (options->memory)
        return ta_show_memory(session->context, here, *options->memory ? options->memory : NULL, session->report,
                              &session->why);
    return ta_show_image(session->context, here, &show, session->report, &session->why);
}

enum ta_status run_deploy(struct session *session) {
    const struct ta_deploy deploy = {sizeof deploy, .as_is = session->options.as_is,
                                     .image = session->name_count ? session->names[0] : NULL,
                                     .target = session->options.target};
    if (deploy.image ? deploy.as_is : deploy.target != NULL)
        return usage(session, "tanchor deploy IMAGE --target NAME",
                     "--as-is goes with a project, --target with an IMAGE");
    return ta_deploy(session->context, here, &deploy, session->report, &session->why);
}

static enum ta_status verify_once(struct session *session) {
    const struct ta_verify which = {sizeof which, .only = (const char *const *)session->names,
                                    .only_count = session->name_count, .as_is = session->options.as_is};
    return ta_verify(session->context, here, &which, session->report, &session->why);
}

enum ta_status run_verify(struct session *session) {
    if (session->options.list) {
        session->done = "";
        return ta_trials_list(session->context, here, session->report, &session->why);
    }
    return session->options.watch ? watching(session, verify_once) : verify_once(session);
}

static void show_step(void *with, const char *name, const struct ta_report *report) {
    struct session *session = with;
    if (session->output.json)
        json_array_append_new(session->steps, report_to_json(name, NULL, 0, report, NULL));
    else
        print_step(&session->output, name, report);
}

enum ta_status run_demo(struct session *session) {
    const char *folder = session->name_count ? session->names[0] : NULL;
    session->steps = json_array();
    return ta_demo(session->context, folder, show_step, session, session->report, &session->why);
}

enum ta_status run_standing(struct session *session) {
    return ta_standing(session->context, here, session->report, &session->why);
}
