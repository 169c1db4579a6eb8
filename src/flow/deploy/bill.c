#include "flow/deploy/bill.h"

#include "tameanchor/library.h"

#include <jansson.h>
#include <stdlib.h>

char *origin_time(const struct origin *origin) {
    g_autoptr(GDateTime) time = g_date_time_new_from_unix_utc(origin->built_s);
    return time ? g_date_time_format(time, "%Y-%m-%dT%H:%M:%SZ") : NULL;
}

static const char unsaid[] = "NOASSERTION";

/* An SPDX identifier is made of letters, digits, '.' and '-'. */
static char *identifier(const char *kind, const char *name) {
    g_autofree char *copy = g_strdup(name);
    for (char *at = copy; *at; ++at)
        if (!g_ascii_isalnum(*at) && *at != '.')
            *at = '-';
    return g_strdup_printf("SPDXRef-%s-%s", kind, copy);
}

static void add_package(json_t *packages, const char *kind, const struct pin *pin, const char *licence,
                        const char *purpose) {
    g_autofree char *id = identifier(kind, pin->name);
    json_array_append_new(packages,
                          json_pack("{s:s, s:s, s:s, s:s, s:b, s:s, s:s, s:s, s:s}", "SPDXID", id, "name", pin->name,
                                    "versionInfo", pin->version, "downloadLocation", unsaid, "filesAnalyzed", 0,
                                    "licenseConcluded", unsaid, "licenseDeclared", licence ? licence : unsaid,
                                    "copyrightText", unsaid, "primaryPackagePurpose", purpose));
}

static void relate(json_t *relations, const char *from, const char *type, const char *to) {
    json_array_append_new(relations, json_pack("{s:s, s:s, s:s}", "spdxElementId", from, "relationshipType", type,
                                               "relatedSpdxElement", to));
}

/* SPDX wants the SHA-1 of what it calls a file, which nobody knows any more: a source is a package of purpose SOURCE, with its SHA-256. */
static void add_contents(json_t *packages, json_t *relations, const struct origin *origin, const char *image) {
    for (size_t i = 0; i < origin->contents.count; ++i) {
        const struct pair *file = &origin->contents.items[i];
        g_autofree char *id = g_strdup_printf("SPDXRef-source-%zu", i + 1);
        json_array_append_new(packages, json_pack("{s:s, s:s, s:s, s:b, s:s, s:s, s:s, s:s, s:[{s:s, s:s}]}", "SPDXID",
                                                  id, "name", file->name, "downloadLocation", unsaid, "filesAnalyzed",
                                                  0, "licenseConcluded", unsaid, "licenseDeclared", unsaid,
                                                  "copyrightText", unsaid, "primaryPackagePurpose", "SOURCE",
                                                  "checksums", "algorithm", "SHA256", "checksumValue", file->value));
        relate(relations, image, "GENERATED_FROM", id);
    }
}

enum ta_status bill_write(const struct origin *origin, struct workspace *workspace, const char *path,
                          struct ta_report *report, struct ta_problem *why) {
    if (!origin->has_identity || !origin->project.name || !origin->sdk.name || !origin->compiler.name)
        return ta_problem_set(why, TA_E_NO, "{build} makes images that do",
                              "the image does not tell what it was made of");
    bool is_ours = workspace && !strcmp(workspace->project.project, origin->project.name);
    const char *licence = is_ours ? workspace->project.licence : NULL;
    const char *sdk_licence =
        is_ours && workspace->configured && workspace->sdk.licence ? workspace->sdk.licence : NULL;
    json_t *packages = json_array(), *relations = json_array();
    g_autofree char *image = identifier("image", origin->project.name), *sdk = identifier("sdk", origin->sdk.name),
                    *compiler = identifier("compiler", origin->compiler.name), *time = origin_time(origin);
    g_autofree char *space = g_strdup_printf("https://spdx.org/spdxdocs/%s-%s", origin->project.name, origin->identity);
    g_autofree char *name = g_strdup_printf("%s-%s", origin->project.name, origin->project.version);
    add_package(packages, "image", &origin->project, licence, "FIRMWARE");
    add_package(packages, "sdk", &origin->sdk, sdk_licence, "LIBRARY");
    add_package(packages, "compiler", &origin->compiler, NULL, "APPLICATION");
    relate(relations, "SPDXRef-DOCUMENT", "DESCRIBES", image);
    relate(relations, image, "DEPENDS_ON", sdk);
    relate(relations, compiler, "BUILD_TOOL_OF", image);
    for (size_t i = 0; i < origin->components.count; ++i) {
        g_autofree char *component = identifier("component", origin->components.items[i].name);
        add_package(packages, "component", &origin->components.items[i], sdk_licence, "LIBRARY");
        relate(relations, image, "STATIC_LINK", component);
    }
    add_contents(packages, relations, origin, image);
    json_t *bill = json_pack("{s:s, s:s, s:s, s:s, s:s, s:{s:s, s:[s]}, s:o, s:o}", "spdxVersion", "SPDX-2.3",
                             "dataLicense", "CC0-1.0", "SPDXID", "SPDXRef-DOCUMENT", "name", name, "documentNamespace",
                             space, "creationInfo", "created", time ? time : "1970-01-01T00:00:00Z", "creators",
                             "Tool: tanchor-" TA_VERSION_TEXT, "packages", packages, "relationships", relations);
    char *text = json_dumps(bill, JSON_INDENT(2));
    json_decref(bill);
    enum ta_status status = text ? file_write_named(path, text, strlen(text), why)
                                 : ta_problem_set(why, TA_E_INPUT, "rename it", "a source's name is not UTF-8");
    free(text);
    if (!status)
        report_add(report, TA_LEVEL_OK, "bill", NULL, "%s: %zu components, %zu sources", path, origin->components.count,
                   origin->contents.count);
    return status;
}
