#include "flow/depot/depot.h"

#include "flow/catalog/catalog.h"
#include "tameanchor/catalog.h"

#include <glib/gstdio.h>

enum ta_status fetch_offer(struct ta_context *context, const struct offer *offer, struct ta_report *report,
                           struct ta_problem *why) {
    g_autofree char *folder = g_build_filename(context->cache, "downloads", NULL);
    g_autofree char *path =
        g_strdup_printf("%s/%s-%s.%.16s", folder, offer->package.package, offer->package.version, offer->sha256);
    g_autofree char *from =
        g_strdup_printf("%s %s from %s", offer->package.package, offer->package.version, offer->place);
    enum ta_status status = folder_make(folder, why);
    if (!status)
        status = depot_accept(context, offer, report, why);
    if (!status)
        status = depot_download(context, offer, path, why);
    if (!status) {
        status = package_install(context, path, from, &offer->package, report, why);
        g_unlink(path); /* installed, or never to be */
    }
    return status;
}

/* All that the depots offer as the NAME or NAME@VERSION that was ASKED, and the newest of it in *OFFER. */
static enum ta_status find_named(struct ta_context *context, const char *asked, const struct offer **offer,
                                 struct ta_problem *why) {
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    const struct offer_query query = {.name = name};
    struct ta_problem silent;
    struct offers offers;
    enum ta_status status = depot_offers(context, &query, &offers, &silent, why);
    if (status)
        return status;
    *offer = offer_newest(&offers, PACKAGE_KINDS, name, range);
    if (*offer)
        return TA_OK;
    if (silent.status)
        return ta_problem_copy(why, &silent);
    g_autoptr(GString) all = g_string_new(NULL);
    for (size_t i = 0; i < offers.count; ++i)
        g_string_append_printf(all, "%s%s", all->len ? ", " : "there is ", offers.items[i].package.version);
    return ta_problem_set(why, TA_E_INPUT, all->len ? all->str : "{list} lists what there is",
                          "%s is not a file, and no depot offers a package of that name", asked);
}

enum ta_status fetch_named(struct ta_context *context, const char *name, struct ta_report *report,
                           struct ta_problem *why) {
    const struct offer *offer = NULL;
    enum ta_status status = find_named(context, name, &offer, why);
    return status ? status : fetch_offer(context, offer, report, why);
}

enum ta_status ta_licence_accept(struct ta_context *context, const char *package, struct ta_report *report,
                                 struct ta_problem *why) {
    struct step step = step_begin(context, report);
    const struct offer *offer = NULL;
    enum ta_status status = find_named(context, package, &offer, why);
    if (!status && !offer->package.accept)
        report_add(report, TA_LEVEL_OK, "licence", NULL, "%s asks for no acceptance", package);
    else if (!status)
        status = depot_accept(context, offer, report, why);
    if (!status && !ta_report_findings(report))
        report_add(report, TA_LEVEL_OK, "accepted", NULL, "%s, before already", offer->package.accept);
    if (!status)
        report_next(report, "{fetch %s}", package);
    return step_end(&step, status);
}
