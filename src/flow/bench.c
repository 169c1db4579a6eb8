/* bench: the targets that a user has. */
#include "tameanchor/chain.h"

#include "base/text.h"
#include "base/units.h"
#include "flow/catalog.h"
#include "flow/report.h"
#include "flow/target.h"
#include "host/files.h"
#include "host/model_files.h"

#include <string.h>

/* One target with its profile; both in ARENA. */
struct bench_entry {
    struct arena *arena;
    struct bench_target target;
    struct ta_profile profile;
};

static enum ta_status entry_open(const struct ta_context *context, const char *name, struct bench_entry *entry,
                                 struct ta_problem *why) {
    *entry = (struct bench_entry){.arena = arena_new()};
    enum ta_status status = entry->arena ? target_read(context, name, entry->arena, &entry->target, why)
                                         : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    return status ? status : target_profile(context, name, entry->arena, &entry->profile, why);
}

static void entry_close(struct bench_entry *entry) {
    arena_free(entry->arena);
}

/* "power on, boot flash". */
static char *state_text(const struct bench_entry *entry) {
    g_autoptr(GString) text = g_string_new(NULL);
    g_string_append_printf(text, "power %s", target_state(&entry->target, &entry->profile, "power"));
    for (size_t i = 0; i < entry->profile.switch_count; ++i) {
        const char *name = entry->profile.switches[i].name;
        g_string_append_printf(text, ", %s %s", name, target_state(&entry->target, &entry->profile, name));
    }
    return g_strdup(text->str);
}

enum ta_status ta_bench_list(struct ta_context *context, struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_auto(GStrv) names = target_names(context);
    for (char **name = names; *name; ++name) {
        struct bench_entry entry;
        struct ta_problem found = {0};
        if (entry_open(context, *name, &entry, &found)) {
            report_problem(report, *name, &found);
        } else {
            g_autofree char *state = state_text(&entry);
            report_add(report, TA_LEVEL_OK, *name, NULL, "%s, %s; %s", entry.profile.name, entry.profile.title, state);
        }
        entry_close(&entry);
    }
    report_number(report, "targets", g_strv_length(names));
    report_next(report, *names ? "tanchor bench show NAME" : "tanchor bench add NAME --profile PROFILE");
    report_took(report, start);
    return *names ? TA_OK
                  : ta_problem_set(why, TA_E_NO, "tanchor bench add NAME --profile PROFILE", "the bench is empty");
}

/* The platform image of an emulator, with its size. */
static void show_platform(const struct ta_context *context, const struct bench_entry *entry, struct ta_report *report) {
    const char *name = entry->profile.platform, *version = entry->target.platform_version;
    char size[UNIT_TEXT_BYTES];
    struct platform platform = {0};
    if (!name)
        return;
    g_autofree char *below = g_strdup_printf("platforms/%s-%s", name, version ? version : "");
    g_autofree char *folder = version ? catalog_find(context, below) : NULL;
    g_autofree char *file = folder ? g_build_filename(folder, "platform.yaml", NULL) : NULL;
    if (!folder || platform_read(file, file, entry->arena, &platform, NULL)) {
        report_add(report, TA_LEVEL_WARNING, "platform",
                   "tanchor catalog add the image, then tanchor bench remove and add the target", "%s is not here",
                   name);
        return;
    }
    g_autofree char *image = g_build_filename(folder, platform.image, NULL);
    report_add(report, TA_LEVEL_OK, "platform", NULL, "%s %s, image %s of %s", name, version, platform.image,
               unit_format(size, UNIT_SIZE_BYTES, file_size(image)));
}

enum ta_status ta_bench_show(struct ta_context *context, const char *name, struct ta_report *report,
                             struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    struct bench_entry entry;
    char size[UNIT_TEXT_BYTES];
    enum ta_status status = entry_open(context, name, &entry, why);
    if (!status) {
        const struct ta_profile *profile = &entry.profile;
        struct ta_problem found = {0};
        report_title(report, "%s: %s", name, profile->title);
        report_add(report, TA_LEVEL_OK, "profile", NULL, "%s %s%s%s, %s at %s", profile->name, profile->version,
                   profile->like ? ", like " : "", profile->like ? profile->like : "", profile->isa,
                   unit_format(size, UNIT_FREQUENCY_HZ, profile->clock_hz));
        for (size_t i = 0; i < entry.target.set.count; ++i)
            report_add(report, TA_LEVEL_NOTE, "set", NULL, "%s is %s", entry.target.set.items[i].name,
                       entry.target.set.items[i].range);
        for (size_t i = 0; i < profile->memory_count; ++i)
            report_add(report, TA_LEVEL_OK, profile->memories[i].name, NULL, "%s",
                       unit_format(size, UNIT_SIZE_BYTES, profile->memories[i].size_bytes));
        report_add(report, TA_LEVEL_OK, "power", NULL, "%s", target_state(&entry.target, profile, "power"));
        for (size_t i = 0; i < profile->switch_count; ++i) {
            const struct ta_switch *each = &profile->switches[i];
            g_autoptr(GString) positions = g_string_new(NULL);
            for (size_t k = 0; k < each->position_count; ++k)
                g_string_append_printf(positions, "%s%s", k ? ", " : "", each->positions[k]);
            report_add(report, TA_LEVEL_OK, each->name, NULL, "%s (of %s)",
                       target_state(&entry.target, profile, each->name), positions->str);
        }
        show_platform(context, &entry, report);
        if (target_can_be_made(context, profile, &found))
            report_problem(report, "machine", &found);
        report_next(report, "tanchor configure --target %s", name);
    }
    entry_close(&entry);
    report_took(report, start);
    return status;
}

/* Adding and changing. */

/* "KEY=VALUE" texts as pairs behind those that ARE there already; a later one replaces an earlier one. Keys and values hold
   nothing that YAML would read as more than one text. */
static enum ta_status add_pairs(struct arena *arena, const char *const *texts, const char *fix, struct needs *are,
                                struct ta_problem *why) {
    size_t count = texts ? g_strv_length((char **)texts) : 0;
    struct need *items = arena_alloc(arena, (are->count + count + 1) * sizeof *items);
    if (!items)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (are->count)
        memcpy(items, are->items, are->count * sizeof *items);
    are->items = items;
    for (size_t i = 0; i < count; ++i) {
        const char *equals = strchr(texts[i], '=');
        if (!equals || equals == texts[i] || !equals[1] || strpbrk(texts[i], "\"\\\n{}[]#"))
            return ta_problem_set(why, TA_E_USAGE, fix, "\"%s\" is no pair of a name and a value", texts[i]);
        const struct need pair = {arena_text_part(arena, texts[i], (size_t)(equals - texts[i])),
                                  arena_text(arena, equals + 1)};
        if (!pair.name || !pair.range)
            return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
        size_t at = 0;
        while (at < are->count && strcmp(are->items[at].name, pair.name))
            ++at;
        are->items[at] = pair;
        are->count += at == are->count;
    }
    return TA_OK;
}

/* The newest platform image that is here and that the profile takes. */
static const char *newest_platform(const struct ta_context *context, const struct ta_profile *profile,
                                   struct arena *arena) {
    g_autofree char *version =
        profile->platform ? catalog_newest(context, catalog_platforms, profile->platform, profile->platform_range, NULL)
                          : NULL;
    return version ? arena_text(arena, version) : NULL;
}

enum ta_status ta_bench_add(struct ta_context *context, const char *name, const char *profile, const char *const *set,
                            struct ta_report *report, struct ta_problem *why) {
    gint64 start = g_get_monotonic_time();
    g_auto(GStrv) names = target_names(context);
    struct bench_entry entry = {.arena = arena_new()};
    entry.target = (struct bench_target){.target = name, .profile = profile};
    if (!entry.arena)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    enum ta_status status = TA_OK;
    if (!text_is_name(name))
        status = ta_problem_set(why, TA_E_USAGE, "use small letters, digits, '-' and '_'",
                                "\"%s\" is no name for a target", name);
    else if (g_strv_contains((const char *const *)names, name))
        status = ta_problem_set(why, TA_E_INPUT, "choose another name, or remove that one first",
                                "the bench has a target %s already", name);
    if (!status)
        status =
            add_pairs(entry.arena, set, "write for example --set \"memory.ram.size=128 KiB\"", &entry.target.set, why);
    if (!status)
        status = catalog_profile(context, profile, entry.arena, &entry.profile, why);
    if (!status) {
        entry.target.platform_version = newest_platform(context, &entry.profile, entry.arena);
        status = target_write(context, &entry.target, why);
    }
    if (!status) { /* what was set is checked as the target is read */
        status = target_profile(context, name, entry.arena, &entry.profile, why);
        if (status) {
            g_autofree char *folder = g_build_filename(context->home, "bench", name, NULL);
            folder_remove(folder);
        }
    }
    if (!status)
        status = ta_bench_show(context, name, report, why);
    entry_close(&entry);
    report_took(report, start);
    return status;
}

static enum ta_status check_state(const struct ta_profile *profile, const struct need *state, struct ta_problem *why) {
    static const char *power_positions[] = {"on", "off"};
    static const struct ta_switch power = {"power", power_positions, 2};
    const struct ta_switch *found = strcmp(state->name, "power") ? NULL : &power;
    g_autoptr(GString) all = g_string_new("power");
    for (size_t i = 0; i < profile->switch_count; ++i) {
        g_string_append_printf(all, ", %s", profile->switches[i].name);
        if (!strcmp(profile->switches[i].name, state->name))
            found = &profile->switches[i];
    }
    if (!found)
        return ta_problem_set(why, TA_E_INPUT, all->str, "%s has no switch \"%s\"", profile->name, state->name);
    g_string_assign(all, "");
    for (size_t i = 0; i < found->position_count; ++i) {
        if (!strcmp(found->positions[i], state->range))
            return TA_OK;
        g_string_append_printf(all, "%s%s", i ? ", " : "", found->positions[i]);
    }
    return ta_problem_set(why, TA_E_INPUT, all->str, "%s cannot stand at \"%s\"", state->name, state->range);
}

enum ta_status ta_bench_switch(struct ta_context *context, const char *name, const char *const *state,
                               struct ta_report *report, struct ta_problem *why) {
    struct bench_entry entry;
    enum ta_status status = entry_open(context, name, &entry, why);
    if (!status)
        status = add_pairs(entry.arena, state, "write for example power=off", &entry.target.state, why);
    for (size_t i = 0; !status && i < entry.target.state.count; ++i)
        status = check_state(&entry.profile, &entry.target.state.items[i], why);
    if (!status)
        status = target_write(context, &entry.target, why);
    if (!status) {
        g_autofree char *text = state_text(&entry);
        report_add(report, TA_LEVEL_OK, name, NULL, "%s", text);
    }
    entry_close(&entry);
    return status;
}

enum ta_status ta_bench_remove(struct ta_context *context, const char *name, struct ta_report *report,
                               struct ta_problem *why) {
    struct bench_entry entry;
    g_autofree char *folder = g_build_filename(context->home, "bench", name, NULL);
    enum ta_status status = entry_open(context, name, &entry, why);
    bool there = !strchr(name, '/') && g_file_test(folder, G_FILE_TEST_IS_DIR);
    entry_close(&entry);
    if (!there)
        return status;
    folder_remove(folder); /* also one whose file cannot be read any more */
    report_add(report, TA_LEVEL_OK, "removed", NULL, "%s", name);
    return TA_OK;
}
