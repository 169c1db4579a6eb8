/* What an SDK offers to call: its components, with the functions that their headers declare. */
#include "flow/packages/browse.h"

#include "core/plan/declarations.h"

enum { HEADER_BYTES = 1 << 20 };

static const struct ta_column component_columns[] = {{"component", TA_COLUMN_TEXT},
                                                     {"version", TA_COLUMN_TEXT},
                                                     {"headers", TA_COLUMN_TEXT},
                                                     {"summary", TA_COLUMN_TEXT},
                                                     {0}};
static const struct ta_column brief_columns[] = {{"component", TA_COLUMN_TEXT},
                                                 {"function", TA_COLUMN_TEXT},
                                                 {"header", TA_COLUMN_TEXT},
                                                 {"summary", TA_COLUMN_TEXT},
                                                 {0}};
static const struct ta_column whole_columns[] = {{"function", TA_COLUMN_TEXT},
                                                 {"header", TA_COLUMN_TEXT},
                                                 {"declaration", TA_COLUMN_TEXT},
                                                 {"comment", TA_COLUMN_TEXT},
                                                 {0}};

struct telling {
    struct ta_context *context;
    struct ta_report *report;
    const char *component;
    GString *headers;
    bool briefly;
};

static void add_header_name(void *with, const char *name, const char *path) {
    GString *headers = ((struct telling *)with)->headers;
    (void)path;
    g_string_append_printf(headers, "%s%s", headers->len ? ", " : "", name);
}

static void tell_functions(void *with, const char *name, const char *path) {
    const struct telling *telling = with;
    struct arena *arena = telling->context->arena;
    g_autofree char *text = NULL;
    size_t length;
    struct header header;
    if (file_read(path, HEADER_BYTES, &text, &length, NULL))
        return;
    header_read(text, length, arena, &header);
    for (size_t i = 0; i < header.function_count; ++i) {
        const struct declaration *function = &header.functions[i];
        if (telling->briefly)
            report_row(telling->report, CELLS(TEXT_CELL(telling->component), TEXT_CELL(function->name), TEXT_CELL(name),
                                              TEXT_CELL(comment_brief(function->comment, arena))));
        else
            report_row(telling->report, CELLS(TEXT_CELL(function->name), TEXT_CELL(name),
                                              TEXT_CELL(function->declaration), TEXT_CELL(function->comment)));
    }
}

enum ta_status sdk_describe(struct ta_context *context, struct catalog_item *item, struct ta_report *report,
                            struct ta_problem *why) {
    struct sdk sdk = {0};
    const char *folder;
    enum ta_status status = catalog_sdk(context, item->name, item->version, NULL, &sdk, &folder, why);
    if (status)
        return status;
    report_table(report, "components", component_columns);
    for (size_t i = 0; i < sdk.component_count; ++i) {
        const struct component *component = &sdk.components[i];
        g_autoptr(GString) headers = g_string_new(NULL);
        component_headers(component, add_header_name, &(struct telling){.headers = headers});
        report_row(report,
                   CELLS(TEXT_CELL(component->name), TEXT_CELL(component->version ? component->version : sdk.version),
                         TEXT_CELL(headers->str), TEXT_CELL(component->summary)));
    }
    report_table(report, "functions", brief_columns);
    for (size_t i = 0; i < sdk.component_count; ++i)
        component_headers(&sdk.components[i], tell_functions,
                          &(struct telling){context, report, sdk.components[i].name, NULL, true});
    report_next(report, "{show %s/COMPONENT} tells all about one", item->name);
    return TA_OK;
}

static void describe_wholly(struct ta_context *context, const struct component *component, struct ta_report *report) {
    report_table(report, "functions", whole_columns);
    component_headers(component, tell_functions, &(struct telling){context, report, component->name, NULL, false});
}

enum ta_status component_describe(struct ta_context *context, const char *asked, struct ta_report *report,
                                  struct ta_problem *why) {
    static const struct ta_column columns[] = {{"component", TA_COLUMN_TEXT}, {"sdk", TA_COLUMN_TEXT},
                                               {"summary", TA_COLUMN_TEXT},   {"needs", TA_COLUMN_TEXT},
                                               {"sources", TA_COLUMN_TEXT},   {0}};
    const char *slash = strchr(asked, '/');
    g_autofree char *of = g_strndup(asked, (gsize)(slash - asked)), *version = NULL;
    g_autofree char *name = catalog_split(of, &version);
    struct catalog_item *item;
    struct sdk sdk = {0};
    const char *folder;
    enum ta_status status = catalog_need(context, PACKAGE_SDK, name, version, &item, why);
    if (!status)
        status = catalog_sdk(context, item->name, item->version, NULL, &sdk, &folder, why);
    if (status)
        return status;
    g_autoptr(GString) names = g_string_new(NULL);
    for (size_t i = 0; i < sdk.component_count; ++i) {
        const struct component *component = &sdk.components[i];
        g_string_append_printf(names, "%s%s", i ? ", " : "", component->name);
        if (strcmp(component->name, slash + 1))
            continue;
        g_autofree char *needs = needs_text("", &component->needs), *sources = texts_text(&component->sources);
        g_autofree char *sdk_name = g_strdup_printf("%s %s", sdk.sdk, sdk.version);
        report_title(report, "%s of %s", component->name, sdk_name);
        report_record(report, "about", columns,
                      CELLS(TEXT_CELL(component->name), TEXT_CELL(sdk_name), TEXT_CELL(component->summary),
                            TEXT_CELL(needs), TEXT_CELL(sources)));
        describe_wholly(context, component, report);
        report_next(report, "{with %s} uses it in a project", component->name);
        return TA_OK;
    }
    g_string_prepend(names, "it has: ");
    return ta_problem_set(why, TA_E_INPUT, names->str, "%s %s has no component \"%s\"", sdk.sdk, sdk.version,
                          slash + 1);
}

enum ta_status component_package_describe(struct ta_context *context, struct catalog_item *item,
                                          struct ta_report *report, struct ta_problem *why) {
    const struct needs *sdks = &item->model.component->sdk;
    for (size_t i = 0; i < sdks->count; ++i) {
        const struct catalog_item *newest =
            catalog_newest(context, PACKAGE_SDK, sdks->items[i].name, sdks->items[i].range);
        struct pin pin = {item->name, item->version};
        struct sdk sdk = {0};
        const char *folder;
        if (!newest)
            continue;
        enum ta_status status =
            catalog_sdk(context, newest->name, newest->version, &(struct pins){&pin, 1}, &sdk, &folder, why);
        const struct component *component = status ? NULL : sdk_component(&sdk, item->name);
        if (component)
            describe_wholly(context, component, report);
        return status;
    }
    return TA_OK;
}
