#include "flow/bench/bench.h"

#include "base/text.h"
#include "host/model_files.h"

char *target_path(const struct ta_context *context, const char *name, const char *file) {
    return g_build_filename(context->home, "bench", name, file, NULL);
}

char *target_flash_path(const struct ta_context *context, const char *name, const char *memory) {
    g_autofree char *file = g_strconcat(memory, ".bin", NULL);
    return target_path(context, name, file);
}

char *target_store_path(const struct ta_context *context, const char *name, const char *device) {
    g_autofree char *file = g_strconcat(device, ".store", NULL);
    return target_path(context, name, file);
}

char **target_names(const struct ta_context *context) {
    g_autofree char *bench = g_build_filename(context->home, "bench", NULL);
    return files_names(bench, "*/" TARGET_FILE);
}

bool target_exists(const struct ta_context *context, const char *name) {
    g_autofree char *file = target_path(context, name, TARGET_FILE);
    return text_is_name(name) && g_file_test(file, G_FILE_TEST_IS_REGULAR);
}

enum ta_status target_read(const struct ta_context *context, const char *name, struct bench_target *target,
                           struct ta_problem *why) {
    g_autofree char *file = target_path(context, name, TARGET_FILE);
    if (target_exists(context, name)) {
        enum ta_status status = bench_target_read(file, file, context->arena, target, why);
        target->target = arena_text(context->arena, name); /* its folder's name is its own, whatever the file says */
        return status;
    }
    g_auto(GStrv) names = target_names(context);
    g_autofree char *all = g_strjoinv(", ", names);
    g_autofree char *fix =
        *all ? g_strdup_printf("the bench has: %s", all) : g_strdup_printf("{target %s} puts one there", name);
    return ta_problem_set(why, TA_E_INPUT, fix, "there is no target \"%s\" on the bench", name);
}

enum ta_status target_write(const struct ta_context *context, const struct bench_target *target,
                            struct ta_problem *why) {
    g_autofree char *file = target_path(context, target->target, TARGET_FILE);
    g_autofree char *folder = target_path(context, target->target, NULL);
    enum ta_status status = folder_make_private(folder, why); /* its flash may hold a secret */
    return status ? status : bench_target_write(file, target, why);
}

static void add_made_of(GString *text, const char *key, const struct pairs *pairs) {
    for (size_t i = 0; i < pairs->count; ++i)
        g_string_append_printf(text, "%s %s=%s\n", key, pairs->items[i].name, pairs->items[i].value);
}

const char *target_made_of(struct ta_context *context, const char *name) {
    g_autofree char *file = target_path(context, name, TARGET_PROFILE), *profile = NULL;
    g_autoptr(GString) text = g_string_new(NULL);
    struct bench_target target;
    if (!target_exists(context, name) || target_read(context, name, &target, NULL))
        return "";
    g_string_append_printf(text, "%s %s %s\n", target.profile, target.semihosting ? target.semihosting : "",
                           target.platform_version ? target.platform_version : "");
    add_made_of(text, "set", &target.set);
    add_made_of(text, "port", &target.port);
    if (g_file_get_contents(file, &profile, NULL, NULL))
        g_string_append(text, profile);
    return arena_text(context->arena, text->str);
}

/* Beside the target's folder, which comes and goes. */
enum ta_status target_hold(struct ta_context *context, const char *name, const char *doing, unsigned patience_s,
                           struct lock *hold, struct ta_problem *why) {
    g_autofree char *path = g_strdup_printf("%s/bench/.%s.lock", context->home, name);
    *hold = (struct lock){0};
    return text_is_name(name) ? context_lock(context, path, name, doing, patience_s, hold, why) : TA_OK;
}

enum ta_status bench_change_begin(struct ta_context *context, const char *name, const char *doing,
                                  struct bench_change *change, struct ta_problem *why) {
    g_autofree char *path = g_build_filename(context->home, "bench", ".lock", NULL);
    *change = (struct bench_change){0};
    enum ta_status status =
        context_lock(context, path, "the bench", doing, context_seconds(context, PATIENCE_S), &change->bench, why);
    return status ? status : target_hold(context, name, doing, 0, &change->target, why);
}

void bench_change_end(struct bench_change *change) {
    lock_release(&change->target);
    lock_release(&change->bench);
}

const char *target_platform(struct ta_context *context, const struct ta_profile *profile) {
    const struct catalog_item *platform =
        profile->platform ? catalog_newest(context, PACKAGE_PLATFORM, profile->platform, profile->platform_range)
                          : NULL;
    return platform ? platform->version : NULL;
}

char *target_renew_fix(const struct bench_target *target, const char *platform) {
    return g_strdup_printf("{fetch %s}, then {remove-target %s} and {add-target %s}", platform, target->target,
                           target->profile);
}

const char *target_state(const struct bench_target *target, const struct ta_profile *profile, const char *name) {
    const char *set = pairs_value(&target->state, name);
    if (set)
        return set;
    if (!strcmp(name, "power"))
        return "on";
    for (size_t i = 0; i < profile->switch_count; ++i)
        if (!strcmp(profile->switches[i].name, name) && profile->switches[i].position_count)
            return profile->switches[i].positions[0];
    return NULL;
}

char *target_switch_fix(const char *name, const char *each, const char *position) {
    return g_strdup_printf("{switch %s %s=%s}", name, each, position);
}

enum ta_status target_switches_allow(struct ta_context *context, const char *name, const struct ta_profile *profile,
                                     enum starts starts, struct ta_problem *why) {
    struct bench_target target;
    enum ta_status status = target_read(context, name, &target, why);
    g_autofree char *power = target_switch_fix(name, "power", "on");
    if (!status && !strcmp(target_state(&target, profile, "power"), "off"))
        return ta_problem_set(why, TA_E_NO, power, "%s has no power", name);
    for (size_t i = 0; !status && i < profile->switch_count; ++i) {
        const struct ta_switch *each = &profile->switches[i];
        const char *is = target_state(&target, profile, each->name);
        bool from_card = each->card && !strcmp(is, each->card) && starts == STARTS_ANY;
        bool unreached = each->reach && strcmp(is, each->reach);
        bool dark = starts && each->run && strcmp(is, each->run) && !from_card;
        const char *wanted = unreached ? each->reach : each->run;
        g_autofree char *fix = unreached || dark ? target_switch_fix(name, each->name, wanted) : NULL;
        if (fix)
            status = ta_problem_set(why, TA_E_NO, fix, "%s of %s is %s: %s", each->name, name, is,
                                    unreached                               ? "nothing reaches it"
                                    : each->card && !strcmp(is, each->card) ? "trials begin with an empty card"
                                                                            : "it runs no program");
    }
    return status;
}
