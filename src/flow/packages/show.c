/* catalog show: all about one thing. */
#include "flow/packages/browse.h"

#include "base/units.h"
#include "flow/depot/depot.h"
#include "tameanchor/catalog.h"

static void show_size(struct ta_report *report, const char *folder) {
    char size[UNIT_TEXT_BYTES];
    g_auto(GStrv) files = files_below(folder, NULL);
    uint64_t bytes = 0;
    for (char **file = files; *file; ++file) {
        g_autofree char *path = g_build_filename(folder, *file, NULL);
        bytes += file_size(path);
    }
    report_add(report, TA_LEVEL_OK, "size", NULL, "%s in %u files", unit_format(size, UNIT_SIZE_BYTES, bytes),
               g_strv_length(files));
    report_add(report, TA_LEVEL_OK, "where", NULL, "%s", folder);
}

/* A line when there is something to say. TEXT is freed. */
static void show_line(struct ta_report *report, const char *subject, char *text) {
    if (text && *text)
        report_add(report, TA_LEVEL_OK, subject, NULL, "%s", text);
    g_free(text);
}

static void show_title(struct ta_report *report, const struct package *package) {
    report_title(report, "%s %s: %s", package->package, package->version, package->title ? package->title : "");
}

/* What all kinds say of themselves, in one order. */
static void show_about(struct ta_report *report, const struct package *package) {
    show_line(report, "summary", g_strdup(package->summary));
    show_line(report, "SDK", needs_text("", &package->needs.sdk));
    show_line(report, "components", needs_text("", &package->needs.components));
    show_line(report, "compilers", needs_text("", &package->needs.compilers));
    show_line(report, "board", texts_text(&package->needs.board));
}

static enum ta_status show_profile(struct ta_context *context, const struct catalog_item *item,
                                   struct ta_report *report, struct ta_problem *why) {
    struct ta_profile profile;
    char size[UNIT_TEXT_BYTES];
    enum ta_status status = catalog_profile(context, item->name, context->arena, &profile, why);
    if (status)
        return status;
    report_title(report, "%s %s: %s", profile.name, profile.version, profile.title);
    report_add(report, TA_LEVEL_OK, "hart", NULL, "%s at %s", profile.isa,
               unit_format(size, UNIT_FREQUENCY_HZ, profile.clock_hz));
    for (size_t i = 0; i < profile.memory_count; ++i)
        report_add(report, TA_LEVEL_OK, profile.memories[i].name, NULL, "%s at 0x%08llx",
                   unit_format(size, UNIT_SIZE_BYTES, profile.memories[i].size_bytes),
                   (unsigned long long)profile.memories[i].base);
    for (size_t i = 0; i < profile.connector_count; ++i)
        report_add(report, TA_LEVEL_OK, profile.connectors[i].name, NULL, "on %s, pin %u%s",
                   profile.connectors[i].device, profile.connectors[i].pin,
                   profile.connectors[i].active_low ? ", active low" : "");
    return TA_OK;
}

static enum ta_status show_item(struct ta_context *context, struct catalog_item *item, struct ta_report *report,
                                struct ta_problem *why) {
    struct package package = {0};
    struct sdk sdk = {0};
    const char *folder;
    bool fits;
    if (item->kind == PACKAGE_BOARD)
        return show_profile(context, item, report, why);
    enum ta_status status = package_describe(context, item, &package, why);
    if (!status && item->kind == PACKAGE_SDK)
        status = catalog_sdk(context, item->name, item->version, NULL, &sdk, &folder, why);
    if (status)
        return status;
    show_title(report, &package);
    if (item->kind != PACKAGE_SDK)
        show_about(report, &package);
    for (size_t i = 0; i < sdk.component_count; ++i)
        report_add(report, TA_LEVEL_OK, sdk.components[i].name, NULL, "%s",
                   sdk.components[i].summary ? sdk.components[i].summary : "");
    if (item->kind == PACKAGE_EXAMPLE) {
        struct boards boards;
        boards_read(context, &boards);
        g_autofree char *fit = boards_fit(&boards, &package.needs.board, &fits);
        report_add(report, fits ? TA_LEVEL_OK : TA_LEVEL_NOTE, "targets", NULL, "%s", fit);
        report_next(report, "{import %s}", item->name);
    }
    if (item->kind == PACKAGE_PLATFORM)
        show_line(report, "profiles", needs_text("", &item->model.platform->profiles));
    show_line(report, "licence", g_strdup(package.licence));
    if (item->kind == PACKAGE_EXAMPLE)
        show_line(report, "guide", texts_text(&item->model.project->docs));
    show_size(report, item->path);
    return TA_OK;
}

/* One that a depot offers, from its index alone. */
static enum ta_status show_offer(struct ta_context *context, const char *name, const char *range,
                                 struct ta_report *report, struct ta_problem *why) {
    const struct offer_query query = {.name = name};
    struct offers offers;
    char size[UNIT_TEXT_BYTES], unpacked[UNIT_TEXT_BYTES];
    struct ta_problem silent;
    enum ta_status status = depot_offers(context, &query, &offers, &silent, why);
    const struct offer *offer = status ? NULL : offer_newest(&offers, PACKAGE_KINDS, name, range);
    if (!offer)
        return status ? status
               : silent.status
                   ? ta_problem_copy(why, &silent)
                   : ta_problem_set(why, TA_E_INPUT, "{list} lists what there is", "the catalog has no \"%s\"", name);
    const struct package *package = &offer->package;
    show_title(report, package);
    report_add(report, TA_LEVEL_OK, "kind", NULL, "%s", package_kinds[package->kind].label);
    show_about(report, package);
    show_line(report, "provides", texts_text(&package->provides));
    show_line(report, "licence", g_strdup(package->licence));
    if (package->accept)
        report_add(report, TA_LEVEL_NOTE, "accept", NULL, "asks you to sign in and to accept the licence %s",
                   package->accept);
    report_add(report, TA_LEVEL_OK, "size", NULL, "%s to fetch, %s unpacked",
               unit_format(size, UNIT_SIZE_BYTES, offer->archive_bytes),
               unit_format(unpacked, UNIT_SIZE_BYTES, package->size_bytes));
    report_add(report, TA_LEVEL_OK, "where", NULL, "%s", offer->place);
    for (size_t i = 0; i < offers.count; ++i)
        if (&offers.items[i] != offer)
            report_add(report, TA_LEVEL_NOTE, "also", NULL, "%s from %s", offers.items[i].package.version,
                       offers.items[i].place);
    report_next(report, package->kind == PACKAGE_EXAMPLE ? "{import %s}" : "{fetch %s}", name);
    return TA_OK;
}

/* What is here comes first, then what depots offer; when neither has that version, which there are here. */
enum ta_status ta_catalog_show(struct ta_context *context, const char *asked, struct ta_report *report,
                               struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_autofree char *version = NULL;
    g_autofree char *name = catalog_split(asked, &version);
    g_autofree char *range = version ? g_strdup_printf("=%s", version) : NULL;
    struct catalog_item *item;
    struct ta_problem found = {0};
    enum ta_status here = package_find(context, asked, &item, &found);
    enum ta_status status =
        here ? show_offer(context, name, range, report, why) : show_item(context, item, report, why);
    if (here && status == TA_E_INPUT)
        ta_problem_copy(why, &found);
    return step_end(&step, status);
}
