#include "flow/bench/bench.h"

#include "base/text.h"
#include "host/model_files.h"

/* "memory.ram.size" "128 KiB" as YAML: {"memory": {"ram": {"size": "128 KiB"}}}. */
static char *set_text(const struct pair *set) {
    g_auto(GStrv) keys = g_strsplit(set->name, ".", -1);
    g_autoptr(GString) text = g_string_new(NULL);
    for (char **key = keys; *key; ++key)
        g_string_append_printf(text, "{\"%s\": ", *key);
    g_string_append_printf(text, "\"%s\"", set->value);
    for (char **key = keys; *key; ++key)
        g_string_append(text, "}");
    return g_strdup(text->str);
}

/* The first COUNT keys over the profile that the target is made from; the last one is checked together with all before it, so
   that keys which belong together may be set together. MADE: a board of it must not contradict itself either. */
static enum ta_status set_keys(struct ta_context *context, const struct bench_target *target, size_t count, bool made,
                               struct ta_profile *profile, struct ta_problem *why) {
    struct ta_problem found = {0};
    g_autofree char *own = target_path(context, target->target, TARGET_PROFILE);
    bool has_own = text_is_name(target->target) && g_file_test(own, G_FILE_TEST_IS_REGULAR);
    enum ta_status status = catalog_profile(context, has_own ? own : target->profile, context->arena, profile, why);
    g_autofree char *place = g_strdup_printf("target %s, set", target->target);
    for (size_t i = 0; !status && i < count; ++i) {
        g_autofree char *text = set_text(&target->set.items[i]);
        status = profile_overlay(text, strlen(text), place, i + 1 == count, context->arena, profile, why);
        profile->file = NULL; /* it does not say these */
    }
    if (!status && made && board_can_be_made(context, profile, &found) == TA_E_INPUT)
        status = ta_problem_copy(why, &found);
    return status;
}

/* With all its keys; when that cannot be, says which of them it is. */
static enum ta_status set_all_keys(struct ta_context *context, const struct bench_target *target, bool made,
                                   struct ta_profile *profile, struct ta_problem *why) {
    enum ta_status status = set_keys(context, target, target->set.count, made, profile, why);
    struct ta_problem found = {0};
    size_t count = 1;
    if (status != TA_E_INPUT || !target->set.count)
        return status;
    while (count < target->set.count && !set_keys(context, target, count, made, profile, NULL))
        ++count;
    set_keys(context, target, count, made, profile, &found);
    const struct pair *key = &target->set.items[count - 1];
    return ta_problem_set(why, status, found.fix, "%s=%s cannot be: %s", key->name, key->value, found.what);
}

enum ta_status board_of(struct ta_context *context, const struct bench_target *target,
                        const struct board_options *options, struct ta_profile *profile, struct ta_problem *why) {
    enum ta_status status = set_all_keys(context, target, false, profile, why);
    if (status)
        return status;
    if (target->semihosting)
        profile->semihosting = !strcmp(target->semihosting, "on");
    if (options && options->clock_hz)
        profile->clock_hz = options->clock_hz;
    return TA_OK;
}

enum ta_status board_check(struct ta_context *context, const struct bench_target *target, struct ta_problem *why) {
    struct ta_profile profile;
    return set_all_keys(context, target, true, &profile, why);
}

enum ta_status board_of_target(struct ta_context *context, const char *name, const struct board_options *options,
                               struct ta_profile *profile, struct ta_problem *why) {
    struct bench_target target = {0};
    enum ta_status status = target_read(context, name, &target, why);
    return status ? status : board_of(context, &target, options, profile, why);
}

enum ta_status board_of_setup(struct ta_context *context, const struct setup *setup, struct ta_profile *profile,
                              struct ta_problem *why) {
    struct bench_target target = {.target = setup->target, .profile = setup->profile};
    enum ta_status status = TA_OK;
    if (target_exists(context, setup->target))
        status = target_read(context, setup->target, &target, why);
    if (!status && strcmp(target.profile, setup->profile))
        status = ta_problem_set(why, TA_E_NO, "{configure}", "%s on the bench is a %s, setup.yaml says %s",
                                setup->target, target.profile, setup->profile);
    return status ? status : board_of(context, &target, &setup->options, profile, why);
}

enum ta_status bench_entry_read(struct ta_context *context, const char *name, struct bench_entry *entry,
                                struct ta_problem *why) {
    *entry = (struct bench_entry){0};
    enum ta_status status = target_read(context, name, &entry->target, why);
    return status ? status : board_of(context, &entry->target, NULL, &entry->profile, why);
}
