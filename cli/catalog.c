/* tanchor catalog: what there is, and where it comes from. */
#include "cli/session.h"

#include <string.h>

static enum ta_status show(struct session *session, char **names) {
    return ta_catalog_show(session->context, names[0], session->report, &session->why);
}

static enum ta_status add(struct session *session, char **names) {
    return ta_package_add(session->context, names[0], session->report, &session->why);
}

static enum ta_status take_away(struct session *session, char **names) {
    return ta_package_remove(session->context, names[0], session->options.anyway, session->report, &session->why);
}

static struct ta_packing packing(const struct session *session, char **names) {
    return (struct ta_packing){names[0], names[1], session->options.key, session->options.accept};
}

static enum ta_status pack(struct session *session, char **names) {
    const struct ta_packing what = packing(session, names);
    return ta_package_pack(session->context, &what, session->report, &session->why);
}

static enum ta_status bundle(struct session *session, char **names) {
    const struct ta_packing what = packing(session, names);
    return ta_package_bundle(session->context, &what, session->report, &session->why);
}

static enum ta_status places(struct session *session, char **names) {
    (void)names;
    return ta_catalog_places(session->context, session->report, &session->why);
}

static enum ta_status use(struct session *session, char **names) {
    return ta_catalog_place(session->context, names[0], session->options.first ? TA_PLACE_FIRST : TA_PLACE_LAST,
                            session->report, &session->why);
}

static enum ta_status forget(struct session *session, char **names) {
    return ta_catalog_place(session->context, names[0], TA_PLACE_FORGET, session->report, &session->why);
}

static enum ta_status sign_in(struct session *session, char **names) {
    g_autofree char *prompt = g_strdup_printf("password of %s at %s: ", session->options.account, names[0]);
    if (!session->options.account)
        return usage(session, "tanchor catalog sign-in PLACE --account NAME", "say who signs in");
    char *password = ask_password(prompt);
    if (!password)
        return usage(session, "type it, or give it as the first line of the input", "there is no password");
    enum ta_status status =
        ta_sign_in(session->context, names[0], session->options.account, password, session->report, &session->why);
    memset(password, 0, strlen(password));
    g_free(password);
    return status;
}

static enum ta_status sign_out(struct session *session, char **names) {
    return ta_sign_out(session->context, names[0], session->report, &session->why);
}

static enum ta_status accept(struct session *session, char **names) {
    session->asks_input = true;
    return ta_licence_accept(session->context, names[0], session->report, &session->why);
}

static enum ta_status add_licence(struct session *session, char **names) {
    return ta_licence_add(session->context, names[0], session->report, &session->why);
}

static enum ta_status evaluate(struct session *session, char **names) {
    return ta_licence_evaluate(session->context, names[0], session->report, &session->why);
}

static enum ta_status trust(struct session *session, char **names) {
    return ta_publisher_trust(session->context, names[0], session->report, &session->why);
}

static const struct action {
    const char *name, *arguments;
    size_t least, most;
    enum ta_status (*run)(struct session *session, char **names);
} actions[] = {
    {"show", "NAME", 1, 1, show},
    {"add", "FILE or NAME", 1, 1, add},
    {"remove", "NAME@VERSION", 1, 1, take_away},
    {"pack", "NAME [FILE]", 1, 2, pack},
    {"bundle", "EXAMPLE [FILE]", 1, 2, bundle},
    {"places", "", 0, 0, places},
    {"use", "FOLDER, ARCHIVE or http://DEPOT", 1, 1, use},
    {"forget", "PLACE", 1, 1, forget},
    {"sign-in", "http://DEPOT --account NAME", 1, 1, sign_in},
    {"sign-out", "http://DEPOT", 1, 1, sign_out},
    {"accept", "NAME", 1, 1, accept},
    {"licence", "FILE", 1, 1, add_licence},
    {"evaluate", "COMPONENT", 1, 1, evaluate},
    {"trust", "PUBLISHER.pem", 1, 1, trust},
};

static const struct action *find_action(const char *name) {
    for (size_t i = 0; i < G_N_ELEMENTS(actions); ++i)
        if (!strcmp(actions[i].name, name))
            return &actions[i];
    return NULL;
}

static enum ta_status search(struct session *session) {
    static const char *const kinds[] = {"example", "sdk", "component", "board", "emulator", "platform", NULL};
    const struct options *options = &session->options;
    const struct ta_catalog_query query = {.words = (const char *const *)options->rest,
                                           .word_count = rest_count(session),
                                           .kind = options->kind,
                                           .board = options->board,
                                           .component = options->component};
    if (options->kind && !g_strv_contains(kinds, options->kind))
        return usage(session, "write one of: example, sdk, component, board, emulator, platform",
                     "--kind: that is not known");
    return ta_catalog(session->context, &query, session->report, &session->why);
}

enum ta_status command_catalog(struct session *session) {
    size_t count = rest_count(session);
    const struct action *action = count ? find_action(session->options.rest[0]) : NULL;
    if (!action)
        return search(session);
    g_autofree char *fix = g_strdup_printf("tanchor catalog %s %s", action->name, action->arguments);
    if (count - 1 < action->least || count - 1 > action->most)
        return usage(session, fix, action->most ? "name what is meant, and nothing else" : "it takes nothing more");
    return action->run(session, session->options.rest + 1);
}
