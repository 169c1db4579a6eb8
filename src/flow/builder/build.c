/* build: generates what the board needs, compiles what changed, and links. What changed is decided by content. */
#include "base/units.h"
#include "flow/builder/builder.h"
#include "flow/builder/cache.h"
#include "flow/builder/memory.h"
#include "flow/depot/depot.h"
#include "flow/setup/setup.h"

/* A component that takes a licence is not compiled without one. */
static enum ta_status check_licences(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    const struct pins *chosen = &workspace->setup.components;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < chosen->count; ++i) {
        const struct component *component = sdk_component(&workspace->sdk, chosen->items[i].name);
        g_autofree char *until = NULL;
        bool soon;
        if (component && component->licensed_by)
            status = licence_check(workspace->context, component, &until, &soon, builder->why);
    }
    return status;
}

/* Reports. */

static void report_change(GString *text, const struct memory_map *before, const struct memory_size *now,
                          const char *since) {
    const struct memory_size *old = before ? memory_map_size(before, now->name) : NULL;
    char change[UNIT_TEXT_BYTES];
    if (!old || old->used_bytes == now->used_bytes)
        return;
    bool more = now->used_bytes > old->used_bytes;
    g_string_append_printf(text, ", %s %s than %s",
                           unit_format(change, UNIT_SIZE_BYTES,
                                       more ? now->used_bytes - old->used_bytes : old->used_bytes - now->used_bytes),
                           more ? "more" : "less", since);
}

/* What each memory holds, and what that has become more or less. */
static void report_memory(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    struct arena *arena = builder->context->arena;
    const struct layout *out = &builder->plan.out;
    struct memory_map map, before, verified;
    if (!memory_map_read(workspace_path(workspace, out->memory), arena, &map))
        return;
    bool has_before =
        builder->built->linked && memory_map_read(workspace_path(workspace, out->memory_before), arena, &before);
    bool has_verified = memory_map_read(workspace_path(workspace, out->memory_verified), arena, &verified);
    for (size_t i = 0; i < map.size_count; ++i) {
        const struct memory_size *size = &map.sizes[i];
        char used[UNIT_TEXT_BYTES], whole[UNIT_TEXT_BYTES];
        uint64_t permille = (size->used_bytes * 1000 + size->size_bytes / 2) / size->size_bytes;
        g_autofree char *used_name = g_strdup_printf("%s_used", size->name);
        g_autofree char *size_name = g_strdup_printf("%s_size", size->name);
        g_autoptr(GString) changes = g_string_new(NULL);
        report_change(changes, has_before ? &before : NULL, size, "before");
        report_change(changes, has_verified ? &verified : NULL, size, "when it was verified");
        report_add(builder->report, TA_LEVEL_OK, size->name, NULL, "%s of %s (%llu.%llu %%)%s",
                   unit_format(used, UNIT_SIZE_BYTES, size->used_bytes),
                   unit_format(whole, UNIT_SIZE_BYTES, size->size_bytes), (unsigned long long)permille / 10,
                   (unsigned long long)permille % 10, changes->str);
        report_number(builder->report, used_name, (int64_t)size->used_bytes);
        report_number(builder->report, size_name, (int64_t)size->size_bytes);
    }
}

static void report_image(struct builder *builder) {
    const struct layout *out = &builder->plan.out;
    char identity[TA_IDENTITY_TEXT];
    report_memory(builder);
    ta_identity_text(&builder->identity, identity, sizeof identity);
    for (size_t i = 0; i < out->image_count; ++i)
        report_add(builder->report, TA_LEVEL_OK, "image", NULL, "%s, identity %.8s", out->images[i].elf, identity);
    if (plan_action(&builder->plan, WORK_FABRIC))
        report_add(builder->report, TA_LEVEL_OK, "fabric", NULL, "%s", out->fabric);
    if (plan_action(&builder->plan, WORK_CARD))
        report_add(builder->report, TA_LEVEL_OK, "card", NULL, "%s", out->card);
    if (plan_action(&builder->plan, WORK_APP))
        report_add(builder->report, TA_LEVEL_OK, "app", NULL, "%s", out->images[0].app);
    report_text(builder->report, "elf", workspace_path(builder->workspace, out->images[0].elf));
    report_text(builder->report, "identity", identity);
    report_next(builder->report, "{deploy}");
}

static bool is_made(const struct builder *builder) {
    for (size_t i = 0; i < builder->plan.count; ++i)
        if (builder->turns[i].state != TURN_MADE && builder->turns[i].state != TURN_CURRENT)
            return false;
    return true;
}

/* Editors look in the project's folder: a link there leads to the database of the setup as it is. A file of the user's own stays. */
static void link_database(struct builder *builder) {
    const char *link = workspace_path(builder->workspace, "compile_commands.json");
    const char *to = builder->plan.out.commands;
    g_autofree char *is = g_file_read_link(link, NULL);
    if ((is && !strcmp(is, to)) || (!is && g_file_test(link, G_FILE_TEST_EXISTS)) ||
        (is && !g_str_has_prefix(is, "out/")))
        return;
    file_link(to, link);
}

static enum ta_status build_all(struct builder *builder) {
    enum ta_status status = check_licences(builder);
    struct preferences preferences = {0};
    if (!status)
        status = builder_prepare(builder);
    if (!status)
        status = context_preferences(builder->context, &preferences, builder->why);
    if (status)
        return status;
    bool launched = builder->launcher != NULL; /* which keeps objects by itself, or makes ones with other debug data */
    if (!builder->request->without_cache && !launched)
        builder->cache = cache_open(builder->context, preferences.cache_bytes ? preferences.cache_bytes : CACHE_BYTES,
                                    builder->report);
    status = builder_run(builder, false);
    if (status == TA_E_INTERRUPTED)
        return status;
    link_database(builder);
    builder_report_messages(builder);
    if (status)
        return status;
    if (is_made(builder)) {
        if (builder->built->linked)
            builder_keep_contents(builder);
        if (builder->shows_all)
            report_image(builder);
        return TA_OK;
    }
    report_next(builder->report, "correct it, then {build}");
    return TA_E_NO;
}

static enum ta_status build_with(bool shows_all, struct workspace *workspace, const struct ta_build *build,
                                 struct built *built, struct ta_report *report, struct ta_problem *why) {
    struct builder builder = {.report = NULL};
    const struct setup *setup = &workspace->setup;
    *built = (struct built){0};
    enum ta_status status = setup_still_fits(workspace, why);
    if (!status)
        status = builder_open(&builder, workspace, build, built, report, why);
    if (!status) {
        report_title(report, "%s on %s, %s %s", workspace->project.project, setup->target,
                     compiler_words[setup->compiler], setup->compiler_version);
        builder.shows_all = shows_all;
        status = build_all(&builder);
    }
    builder_unconfine(&builder);
    return builder_close(&builder, status);
}

enum ta_status build_image(struct workspace *workspace, const struct ta_build *build, struct built *built,
                           struct ta_report *report, struct ta_problem *why) {
    return build_with(true, workspace, build, built, report, why);
}

enum ta_status build_image_for_use(struct workspace *workspace, struct built *built, struct ta_report *report,
                                   struct ta_problem *why) {
    return build_with(false, workspace, NULL, built, report, why);
}

/* What others ask. */

const char *build_first_change(struct workspace *workspace) {
    struct builder builder = {.report = NULL};
    struct built built;
    struct ta_problem unheard;
    const char *changed = NULL;
    enum ta_status status = builder_open(&builder, workspace, NULL, &built, NULL, &unheard);
    if (!status)
        status = builder_run(&builder, true);
    if (status)
        changed = arena_text(workspace->context->arena, unheard.what);
    for (size_t i = 0; builder.turns && i < builder.plan.count && !changed; ++i)
        if (builder.turns[i].reason)
            changed = arena_text(workspace->context->arena, builder.turns[i].reason);
    builder_close(&builder, TA_E_NO);
    return changed;
}

void build_inputs(struct workspace *workspace, GPtrArray *paths) {
    struct builder builder = {.report = NULL};
    struct built built;
    struct ta_problem unheard;
    if (builder_open(&builder, workspace, NULL, &built, NULL, &unheard)) {
        builder_close(&builder, TA_E_NO);
        return;
    }
    g_autofree bool *told = NULL;
    size_t room = 0;
    for (size_t i = 0; i < builder.plan.count; ++i) {
        const struct action *action = &builder.plan.actions[i];
        const struct record *record =
            action->dependencies ? records_of(builder.records, action->outputs.items[0]) : NULL;
        if (action->dependencies && !record) /* not compiled yet */
            g_ptr_array_add(paths, g_canonicalize_filename(action->inputs.items[0], workspace->folder));
        for (size_t k = 0; record && k < record->input_count; ++k) {
            uint32_t file = record->inputs[k].file;
            if (file >= room) {
                told = g_renew(bool, told, tracked_count(builder.files));
                memset(told + room, 0, (tracked_count(builder.files) - room) * sizeof *told);
                room = tracked_count(builder.files);
            }
            if (!told[file] && !g_str_has_prefix(tracked_path(builder.files, file), builder.plan.out.folder))
                g_ptr_array_add(paths, g_strdup(tracked_full_path(builder.files, file)));
            told[file] = true;
        }
    }
    builder_close(&builder, TA_E_NO);
}

enum ta_status ta_build(struct ta_context *context, const char *folder, const struct ta_build *asked,
                        struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_build build = {0};
    struct workspace workspace;
    struct built built;
    enum ta_status status = asked ? request_copy(asked, &build, sizeof build, why) : TA_OK;
    if (status)
        return step_end(&step, status);
    status = workspace_open(context, folder, "build", &workspace, why);
    if (!status && build.clean)
        status = build_clean(&workspace, build.clean, report, why);
    if (!status)
        status = workspace_load(&workspace, why);
    if (!status)
        status = build_image(&workspace, &build, &built, report, why);
    workspace_leave(&workspace);
    return step_end(&step, status);
}
