/* The cards of a target, as files; and a target as it was delivered. */
#include "flow/deploy/target.h"

#include <errno.h>
#include <stdio.h>

/* The first card that the board takes, and the connector that it comes in by. */
static enum ta_status find_card(struct ta_context *context, const char *name, const struct ta_device **card,
                                const struct ta_connector **connector, struct ta_problem *why) {
    struct ta_profile *profile = arena_alloc(context->arena, sizeof *profile);
    enum ta_status status = board_of_target(context, name, NULL, profile, why);
    *card = NULL;
    for (size_t i = 0; !status && !*card && i < profile->connector_count; ++i) {
        *connector = &profile->connectors[i];
        if ((*connector)->kind == TA_CONNECTOR_CARD && (*connector)->by)
            *card = ta_profile_card(profile, (*connector)->by);
    }
    return status || *card ? status
                           : ta_problem_set(why, TA_E_INPUT, "choose another target", "%s takes no card", name);
}

enum ta_status ta_bench_card_in(struct ta_context *context, const char *name, const char *file,
                                struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    const struct ta_device *card;
    const struct ta_connector *connector;
    g_autofree char *bytes = NULL;
    size_t length = 0;
    enum ta_status status = find_card(context, name, &card, &connector, why);
    if (!status)
        status = file_read(file, ta_device_card_bytes(card), &bytes, &length, why);
    if (!status && (!length || length % TA_CARD_BLOCK))
        status =
            ta_problem_set(why, TA_E_INPUT, "a card has whole blocks of 512 bytes", "%s has %zu bytes", file, length);
    g_autofree char *kept = status ? NULL : target_store_path(context, name, card->name);
    if (!status)
        status = file_write(kept, bytes, length, why);
    if (!status) {
        report_add(report, TA_LEVEL_OK, "card", NULL, "%s is on the card of %s", file, name);
        g_autofree char *next = target_switch_fix(name, connector->by, connector->when);
        report_next(report, "%s", next);
    }
    return step_end(&step, status);
}

enum ta_status ta_bench_card_out(struct ta_context *context, const char *name, const char *file,
                                 struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    const struct ta_device *card;
    const struct ta_connector *connector;
    g_autofree char *bytes = NULL;
    size_t length = 0;
    enum ta_status status = find_card(context, name, &card, &connector, why);
    g_autofree char *kept = status ? NULL : target_store_path(context, name, card->name);
    size_t size = status ? 0 : (size_t)ta_device_card_bytes(card);
    if (!status && g_file_test(kept, G_FILE_TEST_EXISTS))
        status = file_read(kept, size, &bytes, &length, why);
    g_autofree char *all = g_malloc(size + 1);
    memset(all, 0xff, size);
    if (length)
        memcpy(all, bytes, length);
    if (!status)
        status = file_write_named(file, all, size, why);
    if (!status)
        report_add(report, TA_LEVEL_OK, "card", NULL, "the card of %s is in %s", name, file);
    return step_end(&step, status);
}

static enum ta_status forget_file(const char *file, struct ta_problem *why) {
    return remove(file) && errno != ENOENT ? file_failed(why, "remove", file) : TA_OK;
}

/* What the flash, the cards and the fabric hold goes, and the switches stand as they come. The keys that the target sets are what it is, and
   stay. */
enum ta_status ta_bench_factory(struct ta_context *context, const char *name, struct ta_report *report,
                                struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct ta_profile profile;
    struct bench_target target;
    struct lock lock;
    enum ta_status status = bench_lock(context, "bench factory", &lock, why);
    if (!status)
        status = target_read(context, name, &target, why);
    if (!status)
        status = board_of(context, &target, NULL, &profile, why);
    for (size_t i = 0; !status && i < profile.memory_count; ++i) {
        g_autofree char *file = target_flash_path(context, name, profile.memories[i].name);
        status = forget_file(file, why);
    }
    for (size_t i = 0; !status && i < profile.device_count; ++i) {
        g_autofree char *file = target_store_path(context, name, profile.devices[i].name);
        status = forget_file(file, why);
    }
    target.state = (struct pairs){0};
    if (!status)
        status = target_write(context, &target, why);
    lock_release(&lock);
    if (!status)
        report_add(report, TA_LEVEL_OK, "target", NULL, "%s is as it was delivered", name);
    if (!status)
        report_next(report, "{deploy}");
    return step_end(&step, status);
}
