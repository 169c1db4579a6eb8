#include "cli/session.h"

enum ta_status usage(struct session *session, const char *fix, const char *what) {
    return ta_problem_set(&session->why, TA_E_USAGE, fix, "%s", what);
}

size_t rest_count(const struct session *session) {
    return session->options.rest ? g_strv_length(session->options.rest) : 0;
}

void free_options(struct options *options) {
    char *const texts[] = {options->folder,    options->sdk,       options->compiler,      options->target,
                           options->profile,   options->optimise,  options->for_text,      options->pace,
                           options->ref,       options->subfolder, options->kind,          options->board,
                           options->component, options->key,       options->accept,        options->account,
                           options->stack,     options->heap,      options->console_speed, options->clock,
                           options->edited};
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        g_free(texts[i]);
    g_strfreev(options->rest);
    g_strfreev(options->with);
    g_strfreev(options->without);
    g_strfreev(options->settings);
    g_strfreev(options->set);
}
