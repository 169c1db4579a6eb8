#include "flow/fetch.h"

#include "base/units.h"
#include "flow/account.h"
#include "flow/catalog.h"
#include "flow/depot.h"
#include "flow/packages.h"
#include "flow/report.h"
#include "host/files.h"
#include "tameanchor/version.h"

#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

const struct offer *offer_newest(const struct offers *offers, const char *kind, const char *name, const char *range) {
    const struct offer *best = NULL;
    struct ta_version version, highest = {0};
    for (size_t i = 0; i < offers->count; ++i) {
        const struct package *package = &offers->items[i].package;
        if (strcmp(package->package, name) || (kind && strcmp(package->kind, kind)) ||
            ta_version_parse(package->version, &version, NULL) || (range && !ta_range_contains(range, &version)))
            continue;
        if (best && ta_version_compare(&version, &highest) <= 0)
            continue;
        best = &offers->items[i];
        highest = version;
    }
    return best;
}

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
        status = package_install(context, path, from, report, why);
        g_unlink(path); /* installed, or never to be */
    }
    return status;
}

/* All that the depots offer as the NAME or NAME@VERSION that was ASKED, and the newest of it in *OFFER. */
static enum ta_status find_named(struct ta_context *context, const char *asked, struct arena *arena,
                                 const struct offer **offer, struct ta_problem *why) {
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    const struct offer_query query = {.name = name};
    struct ta_problem silent;
    struct offers offers;
    enum ta_status status = depot_offers(context, &query, arena, &offers, &silent, why);
    if (status)
        return status;
    *offer = offer_newest(&offers, NULL, name, range);
    if (*offer)
        return TA_OK;
    if (silent.status) {
        *why = silent;
        return silent.status;
    }
    g_autoptr(GString) all = g_string_new(NULL);
    for (size_t i = 0; i < offers.count; ++i)
        g_string_append_printf(all, "%s%s", all->len ? ", " : "there is ", offers.items[i].package.version);
    return ta_problem_set(why, TA_E_INPUT, all->len ? all->str : "tanchor catalog lists what there is",
                          "%s is no file, and no depot offers a package of that name", asked);
}

enum ta_status fetch_named(struct ta_context *context, const char *name, struct ta_report *report,
                           struct ta_problem *why) {
    struct arena *arena = arena_new();
    const struct offer *offer = NULL;
    enum ta_status status =
        arena ? find_named(context, name, arena, &offer, why) : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status)
        status = fetch_offer(context, offer, report, why);
    arena_free(arena);
    return status;
}

enum ta_status ta_licence_accept(struct ta_context *context, const char *package, struct ta_report *report,
                                 struct ta_problem *why) {
    struct arena *arena = arena_new();
    const struct offer *offer = NULL;
    enum ta_status status = arena ? find_named(context, package, arena, &offer, why)
                                  : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status && !offer->package.accept)
        report_add(report, TA_LEVEL_OK, "licence", NULL, "%s asks for no acceptance", package);
    else if (!status)
        status = depot_accept(context, offer, report, why);
    if (!status && !report->finding_count)
        report_add(report, TA_LEVEL_OK, "accepted", NULL, "%s, before already", offer->package.accept);
    if (!status)
        report_next(report, "tanchor catalog add %s", package);
    arena_free(arena);
    return status;
}
