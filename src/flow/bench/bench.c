/* bench: the targets that a user has. */
#include "tameanchor/bench.h"

#include "base/text.h"
#include "base/units.h"
#include "flow/bench/bench.h"

/* One target with its board. */
struct bench_entry {
    struct bench_target target;
    struct ta_profile profile;
};

static enum ta_status read_entry(struct ta_context *context, const char *name, struct bench_entry *entry,
                                 struct ta_problem *why) {
    *entry = (struct bench_entry){0};
    enum ta_status status = target_read(context, name, &entry->target, why);
    return status ? status : board_of(context, &entry->target, NULL, &entry->profile, why);
}

static const struct ta_column target_columns[] = {{"target", TA_COLUMN_TEXT},   {"profile", TA_COLUMN_TEXT},
                                                  {"title", TA_COLUMN_TEXT},    {"power", TA_COLUMN_TEXT},
                                                  {"switches", TA_COLUMN_TEXT}, {0}};

/* "boot flash, usb cable plugged". */
static char *switches_text(const struct bench_entry *entry) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < entry->profile.switch_count; ++i) {
        const char *name = entry->profile.switches[i].name;
        g_string_append_printf(text, "%s%s %s", i ? ", " : "", name,
                               target_state(&entry->target, &entry->profile, name));
    }
    return g_string_free(g_steal_pointer(&text), FALSE);
}

static void add_entry(struct ta_report *report, const struct bench_entry *entry) {
    g_autofree char *switches = switches_text(entry);
    report_row(report,
               CELLS(TEXT_CELL(entry->target.target), TEXT_CELL(entry->profile.name), TEXT_CELL(entry->profile.title),
                     TEXT_CELL(target_state(&entry->target, &entry->profile, "power")), TEXT_CELL(switches)));
}

enum ta_status ta_bench_list(struct ta_context *context, struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    g_auto(GStrv) names = target_names(context);
    report_table(report, "targets", target_columns);
    for (char **name = names; *name; ++name) {
        struct bench_entry entry;
        struct ta_problem found = {0};
        if (read_entry(context, *name, &entry, &found))
            report_problem(report, *name, &found);
        else
            add_entry(report, &entry);
    }
    report_number(report, "targets", g_strv_length(names));
    report_next(report, *names ? "{show-target NAME}" : "{add-target PROFILE}");
    return step_end(&step, *names ? TA_OK : ta_problem_set(why, TA_E_NO, "{add-target PROFILE}", "the bench is empty"));
}

/* The platform image of an emulator, with its size; null with a warning when it is not here. */
static const char *describe_platform(struct ta_context *context, const struct bench_entry *entry,
                                     struct ta_report *report) {
    const char *name = entry->profile.platform, *version = entry->target.platform_version;
    char size[UNIT_TEXT_BYTES];
    struct catalog_item *item = NULL;
    if (!name)
        return NULL;
    if (!version || catalog_need(context, PACKAGE_PLATFORM, name, version, &item, NULL) ||
        catalog_read(context, item, NULL)) {
        g_autofree char *fix = target_renew_fix(&entry->target, name);
        report_add(report, TA_LEVEL_WARNING, "platform", fix, "%s is not installed", name);
        return NULL;
    }
    const char *file = item->model.platform->image;
    g_autofree char *image = g_build_filename(item->path, file, NULL);
    return arena_printf(context->arena, "%s %s, %s, %s", name, version, file,
                        unit_format(size, UNIT_SIZE_BYTES, file_size(image)));
}

static const struct ta_column about_columns[] = {
    {"target", TA_COLUMN_TEXT}, {"profile", TA_COLUMN_TEXT},  {"version", TA_COLUMN_TEXT},
    {"like", TA_COLUMN_TEXT},   {"title", TA_COLUMN_TEXT},    {"isa", TA_COLUMN_TEXT},
    {"clock", TA_COLUMN_HERTZ}, {"platform", TA_COLUMN_TEXT}, {0}};
static const struct ta_column set_columns[] = {{"key", TA_COLUMN_TEXT}, {"value", TA_COLUMN_TEXT}, {0}};
static const struct ta_column switch_columns[] = {
    {"switch", TA_COLUMN_TEXT}, {"position", TA_COLUMN_TEXT}, {"positions", TA_COLUMN_TEXT}, {0}};

static void describe_switches(const struct bench_entry *entry, struct ta_report *report) {
    report_table(report, "switches", switch_columns);
    report_row(report, CELLS(TEXT_CELL("power"), TEXT_CELL(target_state(&entry->target, &entry->profile, "power")),
                             TEXT_CELL("on, off")));
    for (size_t i = 0; i < entry->profile.switch_count; ++i) {
        const struct ta_switch *each = &entry->profile.switches[i];
        g_autoptr(GString) positions = g_string_new(NULL);
        for (size_t k = 0; k < each->position_count; ++k)
            g_string_append_printf(positions, "%s%s", k ? ", " : "", each->positions[k]);
        report_row(report,
                   CELLS(TEXT_CELL(each->name), TEXT_CELL(target_state(&entry->target, &entry->profile, each->name)),
                         TEXT_CELL(positions->str)));
    }
}

enum ta_status ta_bench_show(struct ta_context *context, const char *name, struct ta_report *report,
                             struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct bench_entry entry;
    enum ta_status status = read_entry(context, name, &entry, why);
    if (!status) {
        const struct ta_profile *profile = &entry.profile;
        struct ta_problem found = {0};
        const char *platform = describe_platform(context, &entry, report);
        report_title(report, "%s: %s", name, profile->title);
        report_record(report, "about", about_columns,
                      CELLS(TEXT_CELL(name), TEXT_CELL(profile->name), TEXT_CELL(profile->version),
                            TEXT_CELL(profile->like), TEXT_CELL(profile->title), TEXT_CELL(profile->isa),
                            COUNT_CELL(profile->clock_hz), TEXT_CELL(platform)));
        report_table(report, "set", set_columns);
        for (size_t i = 0; i < entry.target.set.count; ++i)
            report_row(report,
                       CELLS(TEXT_CELL(entry.target.set.items[i].name), TEXT_CELL(entry.target.set.items[i].value)));
        describe_switches(&entry, report);
        board_describe(context->arena, profile, report);
        if (board_can_be_made(context, profile, &found))
            report_problem(report, "machine", &found);
        report_next(report, "{target %s}", name);
    }
    return step_end(&step, status);
}

/* Adding and changing. */

/* "KEY=VALUE" texts as pairs behind those that ARE there already; a later one replaces an earlier one. Keys and values hold
   nothing that YAML would read as more than one text. */
static enum ta_status add_pairs(struct arena *arena, const char *const *texts, const char *fix, struct pairs *are,
                                struct ta_problem *why) {
    size_t count = texts ? g_strv_length((char **)texts) : 0;
    struct pair *items = arena_alloc(arena, (are->count + count + 1) * sizeof *items);
    if (are->count)
        memcpy(items, are->items, are->count * sizeof *items);
    are->items = items;
    for (size_t i = 0; i < count; ++i) {
        const char *equals = strchr(texts[i], '=');
        if (!equals || equals == texts[i] || !equals[1] || strpbrk(texts[i], "\"\\\n{}[]#"))
            return ta_problem_set(why, TA_E_USAGE, fix, "\"%s\" is not NAME=VALUE", texts[i]);
        const struct pair pair = {arena_text_part(arena, texts[i], (size_t)(equals - texts[i])),
                                  arena_text(arena, equals + 1)};
        size_t at = 0;
        while (at < are->count && strcmp(are->items[at].name, pair.name))
            ++at;
        are->items[at] = pair;
        are->count += at == are->count;
    }
    return TA_OK;
}

/* A profile in a file of the user's own stays with the target that is made from it. */
static enum ta_status keep_profile(struct ta_context *context, struct bench_target *target, struct ta_problem *why) {
    enum { PROFILE_BYTES = 1 << 20 };
    struct ta_problem found = {0};
    g_autofree char *text = NULL, *folder = target_path(context, target->target, NULL);
    g_autofree char *file = target_path(context, target->target, TARGET_PROFILE);
    struct ta_profile profile;
    size_t length;
    enum ta_status status = catalog_profile(context, target->profile, context->arena, &profile, why);
    if (!status && board_can_be_made(context, &profile, &found) == TA_E_INPUT && !target->set.count)
        return ta_problem_copy(why, &found); /* with the place in the file that the user has */
    if (!status)
        status = file_read(target->profile, PROFILE_BYTES, &text, &length, why);
    if (!status)
        status = folder_make_private(folder, why);
    if (!status)
        status = file_write(file, text, length, why);
    if (!status)
        target->profile = profile.name;
    return status;
}

static enum ta_status add_target(struct ta_context *context, const char *name, const char *profile,
                                 const char *const *set, struct ta_problem *why) {
    struct bench_entry entry = {.target = {.target = name, .profile = profile}};
    g_autofree char *folder = target_path(context, name, NULL);
    if (!text_is_name(name))
        return ta_problem_set(why, TA_E_USAGE, "use small letters, digits, '-' and '_'",
                              "\"%s\" cannot be the name of a target", name);
    if (target_exists(context, name))
        return ta_problem_set(why, TA_E_INPUT, "choose another name, or remove that one first",
                              "the bench already has a target %s", name);
    enum ta_status status =
        add_pairs(context->arena, set, "write for example memory.ram.size=128KiB", &entry.target.set, why);
    if (!status)
        folder_remove(folder); /* what was left of an earlier one */
    if (!status && !text_is_name(profile))
        status = keep_profile(context, &entry.target, why);
    if (!status)
        status = board_check(context, &entry.target, why);
    if (!status)
        status = board_of(context, &entry.target, NULL, &entry.profile, why);
    if (status) {
        folder_remove(folder);
        return status;
    }
    const struct catalog_item *platform =
        entry.profile.platform
            ? catalog_newest(context, PACKAGE_PLATFORM, entry.profile.platform, entry.profile.platform_range)
            : NULL;
    entry.target.platform_version = platform ? platform->version : NULL;
    return target_write(context, &entry.target, why);
}

enum ta_status ta_bench_add(struct ta_context *context, const char *name, const char *profile, const char *const *set,
                            struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct lock lock;
    enum ta_status status = bench_lock(context, "bench add", &lock, why);
    if (!status)
        status = add_target(context, name, profile, set, why);
    lock_release(&lock);
    if (!status)
        status = ta_bench_show(context, name, report, why);
    return step_end(&step, status);
}

static enum ta_status check_state(const struct ta_profile *profile, const struct pair *state, struct ta_problem *why) {
    static const char *power_positions[] = {"on", "off"};
    static const struct ta_switch power = {.name = "power", .positions = power_positions, .position_count = 2};
    const struct ta_switch *found = strcmp(state->name, "power") ? NULL : &power;
    g_autoptr(GString) all = g_string_new("it has: power");
    for (size_t i = 0; i < profile->switch_count; ++i) {
        g_string_append_printf(all, ", %s", profile->switches[i].name);
        if (!strcmp(profile->switches[i].name, state->name))
            found = &profile->switches[i];
    }
    if (!found)
        return ta_problem_set(why, TA_E_INPUT, all->str, "%s has no switch \"%s\"", profile->name, state->name);
    g_string_assign(all, "its positions: ");
    for (size_t i = 0; i < found->position_count; ++i) {
        if (!strcmp(found->positions[i], state->value))
            return TA_OK;
        g_string_append_printf(all, "%s%s", i ? ", " : "", found->positions[i]);
    }
    return ta_problem_set(why, TA_E_INPUT, all->str, "%s has no position \"%s\"", state->name, state->value);
}

static enum ta_status set_switches(struct ta_context *context, const char *name, const char *const *state,
                                   struct ta_report *report, struct ta_problem *why) {
    struct bench_entry entry;
    enum ta_status status = read_entry(context, name, &entry, why);
    if (!status)
        status = add_pairs(context->arena, state, "write for example power=off", &entry.target.state, why);
    for (size_t i = 0; !status && i < entry.target.state.count; ++i)
        status = check_state(&entry.profile, &entry.target.state.items[i], why);
    if (!status)
        status = target_write(context, &entry.target, why);
    if (status)
        return status;
    report_table(report, "targets", target_columns);
    add_entry(report, &entry);
    return TA_OK;
}

enum ta_status ta_bench_switch(struct ta_context *context, const char *name, const char *const *state,
                               struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct lock lock;
    enum ta_status status = bench_lock(context, "bench switch", &lock, why);
    if (!status)
        status = set_switches(context, name, state, report, why);
    lock_release(&lock);
    return step_end(&step, status);
}
