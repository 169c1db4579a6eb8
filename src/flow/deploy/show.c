/* show: where an image came from, in a file or on a target, and what became of its sources since. */
#include "base/units.h"
#include "flow/builder/build.h"
#include "flow/deploy/bill.h"
#include "flow/deploy/target.h"
#include "host/elf_file.h"
#include "host/image_file.h"
#include "host/inside.h"

#include <stdio.h>

/* The section of an ELF file that build writes, and where the project keeps those of the images that it built. */
static const char contents_section[] = ".tameanchor.contents";

struct showing {
    struct ta_context *context;
    const struct ta_show *request;
    struct workspace workspace; /* of the project that we are in */
    bool in_project;
    struct ta_profile profile;
    const char *subject; /* "tide-lamp.elf", "dunlin" */
    struct origin origin;
    struct ta_report *report;
    struct ta_problem *why;
};

/* What the image says of itself: a line each, the word first. */
static void take_about(struct showing *showing, const char *text, size_t length) {
    struct origin *origin = &showing->origin;
    struct arena *arena = showing->context->arena;
    g_autofree char *about = g_strndup(text, length);
    g_auto(GStrv) lines = g_strsplit(about, "\n", -1);
    const struct {
        const char *word;
        struct pin *pin;
    } words[] = {{"project", &origin->project},
                 {"sdk", &origin->sdk},
                 {"compiler", &origin->compiler},
                 {"board", &origin->board}};
    origin->components.items = arena_alloc(arena, (g_strv_length(lines) + 1) * sizeof *origin->components.items);
    for (char **line = lines; *line; ++line) {
        g_auto(GStrv) part = g_strsplit(*line, " ", 3);
        if (g_strv_length(part) == 2 && !strcmp(part[0], "built"))
            origin->built_s = g_ascii_strtoll(part[1], NULL, 10);
        if (g_strv_length(part) != 3)
            continue;
        const struct pin pin = {arena_text(arena, part[1]), arena_text(arena, part[2])};
        for (size_t i = 0; i < G_N_ELEMENTS(words); ++i)
            if (!strcmp(part[0], words[i].word))
                *words[i].pin = pin;
        if (!strcmp(part[0], "component"))
            origin->components.items[origin->components.count++] = pin;
    }
}

static void take_image(struct showing *showing, const struct ta_image *image) {
    struct origin *origin = &showing->origin;
    origin->has_identity = image->has_identity;
    ta_identity_text(&image->identity, origin->identity, sizeof origin->identity);
    for (size_t i = 0; i < image->segment_count; ++i) {
        size_t length = 0;
        const char *about = ta_about_find(image->segments[i].bytes, image->segments[i].size_bytes, &length);
        origin->bytes += image->segments[i].size_bytes;
        if (about)
            take_about(showing, about, length);
    }
}

/* "SHA-256 name", a line each. */
static void take_contents(struct showing *showing, const char *text) {
    struct arena *arena = showing->context->arena;
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    struct pairs *contents = &showing->origin.contents;
    contents->items = arena_alloc(arena, (g_strv_length(lines) + 1) * sizeof *contents->items);
    for (char **line = lines; *line; ++line)
        if (strlen(*line) > SHA256_TEXT_BYTES && (*line)[SHA256_TEXT_BYTES - 1] == ' ')
            contents->items[contents->count++] = (struct pair){arena_text(arena, *line + SHA256_TEXT_BYTES),
                                                               arena_text_part(arena, *line, SHA256_TEXT_BYTES - 1)};
}

/* Only an ELF file carries its contents; of other forms, and of what a target holds, the project that built it knows them. */
static void find_contents(struct showing *showing, const char *elf) {
    enum { CONTENTS_BYTES = 64 << 20 };
    size_t length;
    g_autofree char *text = elf ? elf_section(elf, contents_section, &length) : NULL;
    if (!text && showing->in_project && showing->origin.has_identity) {
        const char *kept = build_contents_path(&showing->workspace, showing->origin.identity);
        if (file_read(kept, CONTENTS_BYTES, &text, &length, NULL))
            text = NULL;
    }
    if (text)
        take_contents(showing, text);
}

static enum ta_status show_file(struct showing *showing, const char *path) {
    const char *profile = showing->request->profile;
    struct ta_image image;
    enum ta_status status = TA_OK;
    bool has_profile = profile != NULL;
    if (profile)
        status = catalog_profile(showing->context, profile, showing->context->arena, &showing->profile, showing->why);
    else if (showing->in_project && showing->workspace.configured)
        has_profile = !board_of_setup(showing->context, &showing->workspace.setup, &showing->profile, NULL);
    if (!status)
        status =
            image_read(path, has_profile ? &showing->profile : NULL, showing->context->arena, &image, showing->why);
    if (status)
        return status;
    showing->origin.form = image_form_words[image_form_of(path)];
    take_image(showing, &image);
    find_contents(showing, image_form_of(path) == IMAGE_ELF ? path : NULL);
    return TA_OK;
}

static enum ta_status show_target(struct showing *showing, const char *name) {
    struct target target;
    struct ta_identity identity;
    g_autofree char *about = NULL;
    size_t length = 0;
    enum ta_status status = board_of_target(showing->context, name, NULL, &showing->profile, showing->why);
    if (!status)
        status = target_open(showing->context, name, &showing->profile, NULL, &target, showing->why);
    if (status)
        return status;
    showing->origin.form = "what a target holds";
    showing->origin.has_identity = target_identity(&target, &identity, &about, &length);
    target_close(&target);
    if (!showing->origin.has_identity)
        return ta_problem_set(showing->why, TA_E_NO, "{deploy}", "%s holds no image that {build} made", name);
    ta_identity_text(&identity, showing->origin.identity, sizeof showing->origin.identity);
    if (about)
        take_about(showing, about, length);
    find_contents(showing, NULL);
    return TA_OK;
}

static const char *pin_text(struct arena *arena, const struct pin *pin) {
    return pin->name ? arena_printf(arena, "%s %s", pin->name, pin->version) : NULL;
}

static void report_image(struct showing *showing) {
    static const struct ta_column columns[] = {
        {"form", TA_COLUMN_TEXT},  {"identity", TA_COLUMN_TEXT}, {"project", TA_COLUMN_TEXT},
        {"sdk", TA_COLUMN_TEXT},   {"compiler", TA_COLUMN_TEXT}, {"board", TA_COLUMN_TEXT},
        {"built", TA_COLUMN_TEXT}, {"size", TA_COLUMN_BYTES},    {0}};
    static const struct ta_column component_columns[] = {{"name", TA_COLUMN_TEXT}, {"version", TA_COLUMN_TEXT}, {0}};
    struct arena *arena = showing->context->arena;
    const struct origin *origin = &showing->origin;
    g_autofree char *built = origin->project.name ? origin_time(origin) : NULL;
    report_record(showing->report, "image", columns,
                  CELLS(TEXT_CELL(origin->form), TEXT_CELL(origin->has_identity ? origin->identity : NULL),
                        TEXT_CELL(pin_text(arena, &origin->project)), TEXT_CELL(pin_text(arena, &origin->sdk)),
                        TEXT_CELL(pin_text(arena, &origin->compiler)), TEXT_CELL(pin_text(arena, &origin->board)),
                        TEXT_CELL(built), {.number = origin->bytes ? (int64_t)origin->bytes : -1}));
    report_table(showing->report, "components", component_columns);
    for (size_t i = 0; i < origin->components.count; ++i)
        report_row(showing->report,
                   CELLS(TEXT_CELL(origin->components.items[i].name), TEXT_CELL(origin->components.items[i].version)));
    if (!origin->has_identity)
        report_add(showing->report, TA_LEVEL_NOTE, "identity", NULL, "%s does not tell where it came from",
                   showing->subject);
}

/* The file on this computer that an image calls NAME: of the project, or of the SDK of its setup. Null when there is none: what an
   image names is read only where a build would read it too. */
static char *file_of_name(struct showing *showing, const char *name) {
    const struct pairs *places = &showing->workspace.sdk.places;
    for (size_t i = 0; i < places->count; ++i) {
        const char *origin = places->items[i].name, *root = places->items[i].value;
        size_t length = strlen(origin);
        if (!strncmp(name, origin, length) && name[length] == '/' &&
            inside_look(root, name + length + 1) == INSIDE_FILE)
            return g_build_filename(root, name + length + 1, NULL);
    }
    struct ta_problem unheard;
    return workspace_path_check(&showing->workspace, "contents", name, false, &unheard)
               ? NULL
               : g_canonicalize_filename(name, showing->workspace.folder);
}

static void report_contents(struct showing *showing) {
    static const struct ta_column columns[] = {{"file", TA_COLUMN_TEXT}, {"sha256", TA_COLUMN_TEXT}, {0}};
    const struct pairs *contents = &showing->origin.contents;
    report_table_for_programs(showing->report, "contents", columns);
    for (size_t i = 0; i < contents->count; ++i)
        report_row(showing->report, CELLS(TEXT_CELL(contents->items[i].name), TEXT_CELL(contents->items[i].value)));
}

/* What is other in the project as it is now, than it was when the image was made of it. */
static void report_differences(struct showing *showing) {
    static const struct ta_column columns[] = {{"file", TA_COLUMN_TEXT}, {"since", TA_COLUMN_TEXT}, {0}};
    struct workspace *workspace = &showing->workspace;
    const struct origin *origin = &showing->origin;
    unsigned same = 0, other = 0;
    bool is_ours =
        showing->in_project && origin->project.name && !strcmp(origin->project.name, workspace->project.project);
    if (!is_ours || !origin->contents.count) {
        if (is_ours)
            report_add(showing->report, TA_LEVEL_NOTE, "sources", NULL,
                       "this project did not build it, or too long ago to know its sources");
        return;
    }
    if (workspace->configured)
        workspace_load(workspace, NULL);
    report_table(showing->report, "differences", columns);
    for (size_t i = 0; i < origin->contents.count; ++i) {
        const struct pair *each = &origin->contents.items[i];
        g_autofree char *path = file_of_name(showing, each->name);
        char digest[SHA256_TEXT_BYTES];
        bool there = path && !file_sha256(path, NULL, digest, NULL);
        bool is_same = there && !strcmp(digest, each->value);
        same += is_same;
        other += !is_same;
        if (!is_same)
            report_row(showing->report, CELLS(TEXT_CELL(each->name), TEXT_CELL(there ? "changed" : "is gone")));
    }
    struct texts sources = {0};
    workspace_sources(workspace, &sources, NULL);
    for (size_t i = 0; i < sources.count; ++i)
        if (!pairs_value(&origin->contents, sources.items[i])) {
            report_row(showing->report, CELLS(TEXT_CELL(sources.items[i]), TEXT_CELL("is new")));
            ++other;
        }
    if (other)
        report_add(showing->report, TA_LEVEL_NOTE, "sources", "{build}",
                   "%u of %u files are other than in the project now", other, same + other);
    else
        report_add(showing->report, TA_LEVEL_OK, "sources", NULL, "all %u files are as in the project now", same);
}

enum ta_status ta_show_image(struct ta_context *context, const char *folder, const struct ta_show *asked,
                             struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_problem found = {0};
    struct ta_show request = {0};
    struct showing showing = {.context = context, .request = &request, .report = report, .why = &found};
    enum ta_status status = asked ? request_copy(asked, &request, sizeof request, &found) : TA_OK;
    struct ta_problem no_project;
    enum ta_status opened = workspace_open(context, folder, NULL, &showing.workspace, &no_project);
    showing.in_project = !opened;
    bool own = !request.image && !request.target;
    if (!status && own && opened)
        status = (ta_problem_copy(&found, &no_project), opened);
    if (!status && own)
        status = workspace_is_configured(&showing.workspace, &found);
    const char *elf = !status && own ? showing.workspace.layout.images[0].elf : NULL;
    const char *file = elf ? workspace_path(&showing.workspace, elf) : request.image;
    if (!status && own && !g_file_test(file, G_FILE_TEST_EXISTS))
        status = ta_problem_set(&found, TA_E_NO, "{build}", "%s is not built yet", showing.workspace.project.project);
    showing.subject = request.target ? request.target : own ? elf : request.image;
    if (!status)
        status = request.target ? show_target(&showing, request.target) : show_file(&showing, file);
    if (!status) {
        report_title(report, "%s", showing.subject);
        report_image(&showing);
        report_contents(&showing);
        report_differences(&showing);
        if (request.bill)
            status = bill_write(&showing.origin, showing.in_project ? &showing.workspace : NULL, request.bill, report,
                                &found);
    }
    if (status)
        ta_problem_copy(why, &found);
    return step_end(&step, status);
}
