/* What changes a target: bench add, switch, factory, remove. None of it while somebody uses the target. */
#include "tameanchor/bench.h"

#include "base/text.h"
#include "flow/bench/bench.h"
#include "flow/projects.h"

#include <errno.h>
#include <stdio.h>

/* "KEY=VALUE" texts as pairs behind those that ARE there already; a later one replaces an earlier one. Keys and values hold
   nothing that YAML would read as more than one text. */
static enum ta_status add_pairs(struct arena *arena, const char *const *texts, const char *fix, struct pairs *are,
                                struct ta_problem *why) {
    for (; texts && *texts; ++texts) {
        const char *equals = strchr(*texts, '=');
        if (!equals || equals == *texts || !equals[1] || strpbrk(*texts, "\"\\\n{}[]#"))
            return ta_problem_set(why, TA_E_USAGE, fix, "\"%s\" is not NAME=VALUE", *texts);
        pairs_set(arena, are, arena_text_part(arena, *texts, (size_t)(equals - *texts)), arena_text(arena, equals + 1));
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

enum ta_status target_make(struct ta_context *context, struct bench_target *target, struct ta_problem *why) {
    g_autofree char *folder = target_path(context, target->target, NULL);
    struct ta_profile profile;
    if (!text_is_name(target->target))
        return ta_problem_set(why, TA_E_USAGE, "use small letters, digits, '-' and '_'",
                              "\"%s\" cannot be the name of a target", target->target);
    if (target_exists(context, target->target))
        return ta_problem_set(why, TA_E_INPUT, "choose another name, or remove that one first",
                              "the bench already has a target %s", target->target);
    folder_remove(folder); /* what was left of an earlier one */
    enum ta_status status = text_is_name(target->profile) ? TA_OK : keep_profile(context, target, why);
    if (!status)
        status = board_check(context, target, why);
    if (!status)
        status = board_of(context, target, NULL, &profile, why);
    if (status) {
        folder_remove(folder);
        return status;
    }
    target->platform_version = target_platform(context, &profile);
    return target_write(context, target, why);
}

/* SET, "KEY=VALUE" texts, of which those that begin with "port." say how the target is reached. */
static enum ta_status read_keys(struct arena *arena, const char *const *set, struct bench_target *target,
                                struct ta_problem *why) {
    static const char port[] = "port.";
    struct pairs all = {0};
    enum ta_status status = add_pairs(arena, set, "write for example memory.ram.size=128KiB", &all, why);
    target->set.items = arena_alloc(arena, (all.count + 1) * sizeof *all.items);
    target->port.items = arena_alloc(arena, (all.count + 1) * sizeof *all.items);
    for (size_t i = 0; !status && i < all.count; ++i) {
        const struct pair *each = &all.items[i];
        if (g_str_has_prefix(each->name, port))
            target->port.items[target->port.count++] = (struct pair){each->name + strlen(port), each->value};
        else
            target->set.items[target->set.count++] = *each;
    }
    return status;
}

enum ta_status ta_bench_add(struct ta_context *context, const char *name, const char *profile, const char *const *set,
                            struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct bench_target target = {.target = name, .profile = profile};
    struct bench_change change;
    enum ta_status status = bench_change_begin(context, name, "bench add", &change, why);
    if (!status)
        status = read_keys(context->arena, set, &target, why);
    if (!status)
        status = target_make(context, &target, why);
    bench_change_end(&change);
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
                                   struct bench_entry *entry, struct ta_problem *why) {
    enum ta_status status = bench_entry_read(context, name, entry, why);
    if (!status)
        status = add_pairs(context->arena, state, "write for example power=off", &entry->target.state, why);
    for (size_t i = 0; !status && i < entry->target.state.count; ++i)
        status = check_state(&entry->profile, &entry->target.state.items[i], why);
    return status ? status : target_write(context, &entry->target, why);
}

enum ta_status ta_bench_switch(struct ta_context *context, const char *name, const char *const *state,
                               struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct bench_entry entry;
    struct bench_change change;
    enum ta_status status = bench_change_begin(context, name, "bench switch", &change, why);
    if (!status)
        status = set_switches(context, name, state, &entry, why);
    bench_change_end(&change);
    if (!status)
        bench_report_entry(report, &entry);
    return step_end(&step, status);
}

/* All but what the target is: target.yaml, and the profile that it was made from where no catalog has that. */
static enum ta_status forget_contents(const struct ta_context *context, const char *name, struct ta_problem *why) {
    g_autofree char *folder = target_path(context, name, NULL);
    g_auto(GStrv) files = files_match(folder, "*");
    enum ta_status status = TA_OK;
    for (char **file = files; !status && *file; ++file) {
        g_autofree char *path = g_build_filename(folder, *file, NULL);
        bool stays = !strcmp(*file, TARGET_FILE) || !strcmp(*file, TARGET_PROFILE);
        if (!stays && remove(path) && errno != ENOENT)
            status = file_failed(why, "remove", path);
    }
    return status;
}

/* The keys that the target sets are what it is, and stay. */
enum ta_status ta_bench_factory(struct ta_context *context, const char *name, struct ta_report *report,
                                struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct bench_target target;
    struct bench_change change;
    enum ta_status status = bench_change_begin(context, name, "bench factory", &change, why);
    if (!status)
        status = target_read(context, name, &target, why);
    if (!status)
        status = forget_contents(context, name, why);
    target.state = (struct pairs){0};
    if (!status)
        status = target_write(context, &target, why);
    bench_change_end(&change);
    if (!status)
        report_add(report, TA_LEVEL_OK, "target", NULL, "%s is as it was delivered", name);
    if (!status)
        report_next(report, "{deploy}");
    return step_end(&step, status);
}

/* A target knows nothing of the projects that are set up for it; taking it away does. */
static void report_users(struct ta_context *context, const char *target, struct ta_report *report) {
    g_autoptr(GPtrArray) all = projects_on(context, target);
    for (guint i = 0; i < all->len; ++i)
        report_add(report, TA_LEVEL_WARNING, "in use", "{configure} there, for another one", "%s was set up for it",
                   (const char *)all->pdata[i]);
}

enum ta_status ta_bench_remove(struct ta_context *context, const char *name, struct ta_report *report,
                               struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct bench_target target;
    struct bench_change change;
    g_autofree char *folder = target_path(context, name, NULL);
    enum ta_status status = bench_change_begin(context, name, "bench remove", &change, why);
    if (!status && !(text_is_name(name) && g_file_test(folder, G_FILE_TEST_IS_DIR)))
        status = target_read(context, name, &target, why); /* which says what there is */
    if (!status) {
        folder_remove(folder); /* also one whose file cannot be read any more */
        report_add(report, TA_LEVEL_OK, "removed", NULL, "%s", name);
        report_users(context, name, report);
    }
    bench_change_end(&change);
    return step_end(&step, status);
}
