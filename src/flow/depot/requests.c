#include "flow/depot/depot.h"

#include <jansson.h>

enum ta_status depot_ask(struct ta_context *context, const char *place, const char *path, struct http_request request,
                         struct http_answer *answer, struct ta_problem *why) {
    g_autofree char *url = g_strconcat(place, path, NULL);
    request.url = url;
    request.file = -1;
    request.patience_s = context_seconds(context, PATIENCE_S);
    request.limit_s = context_seconds(context, TRANSFER_S);
    request.cancelled = context_cancelled;
    request.with = context;
    return http_ask(&request, answer, why);
}

enum ta_status depot_refused(const char *place, const struct http_answer *answer, struct ta_problem *why) {
    json_t *json = json_loadb(answer->text ? answer->text : "", answer->length, 0, NULL);
    const char *said = json_string_value(json_object_get(json, "detail")); /* RFC 9457 */
    g_autofree char *detail = g_strdelimit(g_strdup(said ? said : ""), "\n\t", ' ');
    enum ta_status status;
    json_decref(json);
    if (answer->code == 401) {
        g_autofree char *fix = g_strdup_printf("{sign-in %s}", place);
        status = ta_problem_set(why, TA_E_NO, fix, "%s requires you to sign in: %.200s", place,
                                *detail ? detail : "nobody is signed in");
    } else if (answer->code == 403 || answer->code == 404) {
        status = ta_problem_set(why, TA_E_NO, "{list}", "%s refuses: %.200s", place, *detail ? detail : "it has none");
    } else {
        status = ta_problem_set(why, TA_E_SYSTEM, "try again later, or tell the depot's keeper",
                                "%s answers with %d%s%.200s", place, answer->code, *detail ? ": " : "", detail);
    }
    return status;
}
