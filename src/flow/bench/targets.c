#include "flow/bench/bench.h"

#include "base/text.h"
#include "host/model_files.h"

char *target_path(const struct ta_context *context, const char *name, const char *file) {
    return g_build_filename(context->home, "bench", name, file, NULL);
}

char **target_names(const struct ta_context *context) {
    g_autofree char *bench = g_build_filename(context->home, "bench", NULL);
    return files_names(bench, "*/target.yaml");
}

bool target_exists(const struct ta_context *context, const char *name) {
    g_autofree char *file = target_path(context, name, "target.yaml");
    return text_is_name(name) && g_file_test(file, G_FILE_TEST_IS_REGULAR);
}

enum ta_status target_read(const struct ta_context *context, const char *name, struct bench_target *target,
                           struct ta_problem *why) {
    g_autofree char *file = target_path(context, name, "target.yaml");
    if (target_exists(context, name))
        return bench_target_read(file, file, context->arena, target, why);
    g_auto(GStrv) names = target_names(context);
    g_autofree char *all = g_strjoinv(", ", names);
    g_autofree char *fix =
        *all ? g_strdup_printf("the bench has: %s", all) : g_strdup_printf("{target %s} puts one there", name);
    return ta_problem_set(why, TA_E_INPUT, fix, "there is no target \"%s\" on the bench", name);
}

enum ta_status target_write(const struct ta_context *context, const struct bench_target *target,
                            struct ta_problem *why) {
    g_autofree char *file = target_path(context, target->target, "target.yaml");
    g_autofree char *folder = target_path(context, target->target, NULL);
    enum ta_status status = folder_make_private(folder, why); /* its flash may hold a secret */
    return status ? status : bench_target_write(file, target, why);
}

enum ta_status bench_lock(struct ta_context *context, const char *doing, struct lock *lock, struct ta_problem *why) {
    g_autofree char *folder = g_build_filename(context->home, "bench", NULL);
    return context_lock(context, folder, "the bench", doing, lock, why);
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
