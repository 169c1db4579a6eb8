/* tanchor catalog: what there is, and where it comes from. */
#include "cli/commands.h"

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
    return (struct ta_packing){sizeof(struct ta_packing), names[0], names[1], session->options.key,
                               session->options.accept};
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

const struct action catalog_actions[] = {
    {"show", "NAME", "all about one", 1, 1, show},
    {"add", "FILE or NAME", "install a package, from a file or a depot", 1, 1, add},
    {"remove", "NAME@VERSION", "take an installed one away", 1, 1, take_away},
    {"pack", "NAME [FILE]", "make a package of one, signed with --key", 1, 2, pack},
    {"bundle", "EXAMPLE [FILE]", "an example with all that it needs, in one file", 1, 2, bundle},
    {"places", "", "where packages come from, in order", 0, 0, places},
    {"use", "PLACE", "ask a folder, an archive or an http:// depot too", 1, 1, use},
    {"forget", "PLACE", "ask it no more", 1, 1, forget},
    {"sign-in", "DEPOT", "sign in there as --account", 1, 1, sign_in},
    {"sign-out", "DEPOT", "forget the token", 1, 1, sign_out},
    {"accept", "NAME", "read and accept the licence that a package asks for", 1, 1, accept},
    {"trust", "PUBLISHER.pem", "install what this publisher signed", 1, 1, trust},
    {"licence", "FILE", "keep a component's licence", 1, 1, add_licence},
    {"evaluate", "COMPONENT", "get a licence for thirty days from a depot", 1, 1, evaluate},
    {NULL, NULL, NULL, 0, 0, NULL},
};

static enum ta_status search(struct session *session) {
    static const char *const kinds[] = {"example", "sdk", "component", "board", "emulator", "platform", NULL};
    const struct options *options = &session->options;
    const struct ta_catalog_query query = {sizeof query,
                                           .words = (const char *const *)options->rest,
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
    const struct action *action = rest_count(session) ? action_find(catalog_actions, session->options.rest[0]) : NULL;
    return action ? action_run(session, "catalog", action) : search(session);
}
