/* bench card-in and card-out: the card of a target, as a file. */
#include "tameanchor/bench.h"
#include "tameanchor/boot.h"

#include "flow/bench/bench.h"

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
    struct bench_change change;
    g_autofree char *bytes = NULL;
    size_t length = 0;
    enum ta_status status = bench_change_begin(context, name, "bench card-in", &change, why);
    if (!status)
        status = find_card(context, name, &card, &connector, why);
    if (!status)
        status = file_read(file, ta_device_card_bytes(card), &bytes, &length, why);
    if (!status && (!length || length % TA_CARD_BLOCK))
        status =
            ta_problem_set(why, TA_E_INPUT, "a card has whole blocks of 512 bytes", "%s has %zu bytes", file, length);
    g_autofree char *kept = status ? NULL : target_store_path(context, name, card->name);
    if (!status)
        status = file_write(kept, bytes, length, why);
    bench_change_end(&change);
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
