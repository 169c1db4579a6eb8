/* tanchor catalog: what there is, and where it comes from. */
#include "cli/commands.h"

#include <string.h>

enum ta_status catalog_show(struct session *session) {
    return ta_catalog_show(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_add(struct session *session) {
    return ta_package_add(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_remove(struct session *session) {
    return ta_package_remove(session->context, session->names[0], session->options.anyway, session->report,
                             &session->why);
}

static struct ta_packing packing(const struct session *session) {
    return (struct ta_packing){sizeof(struct ta_packing), session->names[0], session->names[1], session->options.key,
                               session->options.accept};
}

enum ta_status catalog_pack(struct session *session) {
    const struct ta_packing what = packing(session);
    return ta_package_pack(session->context, &what, session->report, &session->why);
}

enum ta_status catalog_bundle(struct session *session) {
    const struct ta_packing what = packing(session);
    return ta_package_bundle(session->context, &what, session->report, &session->why);
}

enum ta_status catalog_places(struct session *session) {
    return ta_catalog_places(session->context, session->report, &session->why);
}

enum ta_status catalog_use(struct session *session) {
    return ta_catalog_place(session->context, session->names[0],
                            session->options.first ? TA_PLACE_FIRST : TA_PLACE_LAST, session->report, &session->why);
}

enum ta_status catalog_forget(struct session *session) {
    return ta_catalog_place(session->context, session->names[0], TA_PLACE_FORGET, session->report, &session->why);
}

enum ta_status catalog_sign_in(struct session *session) {
    g_autofree char *prompt = g_strdup_printf("password of %s at %s: ", session->options.account, session->names[0]);
    if (!session->options.account)
        return usage(session, "tanchor catalog sign-in PLACE --account NAME", "say who signs in");
    char *password = ask_password(prompt);
    if (!password)
        return usage(session, "type it, or give it as the first line of the input", "there is no password");
    enum ta_status status = ta_sign_in(session->context, session->names[0], session->options.account, password,
                                       session->report, &session->why);
    memset(password, 0, strlen(password));
    g_free(password);
    return status;
}

enum ta_status catalog_sign_out(struct session *session) {
    return ta_sign_out(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_accept(struct session *session) {
    session->asks_input = true;
    return ta_licence_accept(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_licence(struct session *session) {
    return ta_licence_add(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_evaluate(struct session *session) {
    return ta_licence_evaluate(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_trust(struct session *session) {
    return ta_publisher_trust(session->context, session->names[0], session->report, &session->why);
}

enum ta_status catalog_search(struct session *session) {
    const struct options *options = &session->options;
    const struct ta_catalog_query query = {sizeof query,
                                           .words = (const char *const *)session->names,
                                           .word_count = session->name_count,
                                           .kind = options->kind,
                                           .board = options->board,
                                           .component = options->component};
    const struct option *kind = option_find("kind");
    const char *near = session->name_count ? action_near(session->command, session->names[0]) : NULL;
    if (options->kind && !words_hold(kind->words, options->kind))
        return usage(session, "write example, sdk, component, board, emulator or platform",
                     "--kind: there is no such kind");
    enum ta_status status = ta_catalog(session->context, &query, session->report, &session->why);
    if (status == TA_E_NO && near)
        g_snprintf(session->why.fix, sizeof session->why.fix, "did you mean tanchor catalog %s?", near);
    return status;
}
