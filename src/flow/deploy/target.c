#include "flow/deploy/target.h"

static enum ta_status reach(struct target *target, struct ta_problem *why) {
    struct ta_context *context = target->context;
    struct bench_target bench;
    enum ta_status status = target->name ? target_read(context, target->name, &bench, why) : TA_OK;
    if (!status && target->name)
        status = target_switches_allow(context, target->name, target->profile, STARTS_NOTHING, why);
    if (!status)
        status = board_open(context, target->name ? &bench : NULL, target->profile, &target->port, why);
    target->simulated = !status && (!target->name || target_is_simulated(&bench));
    return status ? status : ta_port_needs(&target->port, TA_CAN_PROGRAM | TA_CAN_MEMORY, why);
}

enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           const char *doing, struct target *target, struct ta_problem *why) {
    *target = (struct target){.context = context, .name = name, .profile = profile};
    enum ta_status status =
        name && doing ? target_hold(context, name, doing, context_seconds(context, PATIENCE_S), &target->hold, why)
                      : TA_OK;
    target->held = !status && name && doing;
    if (!status)
        status = reach(target, why);
    if (!status)
        status = contents_load(target, &target->contents, why);
    if (!status)
        status = contents_put(&target->contents, target, why);
    if (status)
        target_close(target);
    return status;
}

void target_close(struct target *target) {
    if (target->port.close)
        target->port.close(target->port.self);
    target->port.close = NULL;
    contents_clear(&target->contents);
    lock_release(&target->hold);
}

enum ta_status target_copy(const struct target *like, struct target *target, struct ta_problem *why) {
    struct bench_target bench;
    *target = (struct target){
        .context = like->context, .name = like->name, .profile = like->profile, .simulated = like->simulated};
    enum ta_status status = target_read(like->context, like->name, &bench, why);
    if (!status)
        status = board_open(like->context, &bench, like->profile, &target->port, why);
    if (!status)
        status = contents_put(&like->contents, target, why);
    if (status)
        target_close(target);
    return status;
}

enum ta_status target_keep_known(struct target *target, struct ta_problem *why) {
    return contents_save(&target->contents, target, why);
}

enum ta_status target_keep(struct target *target, struct ta_problem *why) {
    enum ta_status status = contents_take(&target->contents, target, why);
    return status ? status : contents_save(&target->contents, target, why);
}

enum ta_status target_store(struct target *target, const char *device, const void *bytes, size_t length,
                            struct ta_problem *why) {
    enum ta_status status = target->port.write_store(target->port.self, device, 0, bytes, length, why);
    if (!status)
        contents_stored(&target->contents, device, bytes, length);
    return status;
}

enum ta_status target_empty_cards(struct target *target, struct ta_problem *why) {
    const struct ta_profile *profile = target->profile;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < profile->switch_count && target->port.capabilities & TA_CAN_STORE; ++i) {
        const struct ta_device *card = ta_profile_card(profile, profile->switches[i].name);
        size_t size = card ? contents_stored_bytes(&target->contents, card->name) : 0;
        g_autofree uint8_t *blank = g_malloc(size + 1);
        memset(blank, 0xff, size);
        if (size)
            status = target->port.write_store(target->port.self, card->name, 0, blank, size, why);
    }
    return status;
}

/* Calls STEP for each piece of IMAGE that lies in flash, until one does not give TA_OK. */
typedef enum ta_status flash_step(struct target *target, const struct ta_segment *segment, struct ta_problem *why);

static enum ta_status each_flash_segment(struct target *target, const struct ta_image *image, flash_step *step,
                                         struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < image->segment_count; ++i) {
        const struct ta_segment *segment = &image->segments[i];
        const struct ta_memory *memory = ta_profile_memory_at(target->profile, segment->address, segment->size_bytes);
        if (segment->size_bytes && memory && memory->kind == TA_MEMORY_FLASH)
            status = step(target, segment, why);
    }
    return status;
}

static enum ta_status program_segment(struct target *target, const struct ta_segment *segment, struct ta_problem *why) {
    enum ta_status status =
        target->port.program(target->port.self, segment->address, segment->bytes, segment->size_bytes, why);
    if (!status)
        contents_programmed(&target->contents, segment->address, segment->bytes, segment->size_bytes);
    return status;
}

static enum ta_status compare_segment(struct target *target, const struct ta_segment *segment, struct ta_problem *why) {
    g_autofree uint8_t *bytes = g_malloc(segment->size_bytes);
    enum ta_status status =
        target->port.read_memory(target->port.self, segment->address, bytes, segment->size_bytes, why);
    for (size_t i = 0; !status && i < segment->size_bytes; ++i)
        if (bytes[i] != segment->bytes[i])
            status = ta_problem_set(why, TA_E_NO, "{deploy} programs it again",
                                    "the flash holds 0x%02x at 0x%llx, the image 0x%02x", bytes[i],
                                    (unsigned long long)(segment->address + i), segment->bytes[i]);
    return status;
}

static enum ta_status find_segment(struct target *target, const struct ta_segment *segment, struct ta_problem *why) {
    (void)target, (void)segment, (void)why;
    return TA_E_NO;
}

enum ta_status target_program(struct target *target, const struct ta_image *image, struct ta_problem *why) {
    enum ta_status status = each_flash_segment(target, image, program_segment, why);
    return status ? status : each_flash_segment(target, image, compare_segment, why);
}

bool target_holds(struct target *target, const struct ta_image *image) {
    struct ta_problem unheard;
    return !each_flash_segment(target, image, compare_segment, &unheard);
}

bool target_has_flash_for(const struct target *target, const struct ta_image *image) {
    struct target unchanged = *target;
    return each_flash_segment(&unchanged, image, find_segment, NULL) == TA_E_NO;
}

static bool takes(const struct ta_image *image, const struct ta_memory *memory) {
    for (size_t i = 0; i < image->segment_count; ++i)
        if (image->segments[i].size_bytes && image->segments[i].address - memory->base < memory->size_bytes)
            return true;
    return false;
}

/* Piece by piece, each of which reaches into the next one, so that no note is cut in two. */
static bool find_in(struct target *target, const struct ta_memory *flash, struct ta_identity *identity, char **about,
                    size_t *length) {
    enum { PIECE_BYTES = 128 << 10, NOTE_BYTES = 16 << 10 };
    struct ta_problem unheard;
    g_autofree uint8_t *piece = g_malloc(PIECE_BYTES);
    bool found = false;
    for (uint64_t at = 0; !found && at < flash->size_bytes; at += PIECE_BYTES - NOTE_BYTES) {
        size_t size = (size_t)MIN(flash->size_bytes - at, PIECE_BYTES), offset;
        if (target->port.read_memory(target->port.self, flash->base + at, piece, size, &unheard))
            return false;
        found = ta_identity_find(piece, size, identity, &offset);
        const char *text = found && about ? ta_about_find(piece + offset, size - offset, length) : NULL;
        if (text)
            *about = g_strndup(text, *length);
    }
    return found;
}

bool target_identity(struct target *target, struct ta_identity *identity, char **about, size_t *length) {
    const struct ta_profile *profile = target->profile;
    const struct ta_memory *first = ta_profile_memory_at(profile, profile->reset_address, 1);
    bool found = first && first->kind == TA_MEMORY_FLASH && find_in(target, first, identity, about, length);
    for (size_t i = 0; !found && i < profile->memory_count; ++i)
        found = profile->memories[i].kind == TA_MEMORY_FLASH && &profile->memories[i] != first &&
                find_in(target, &profile->memories[i], identity, about, length);
    return found;
}

bool target_holds_others(struct target *target, const struct images *images) {
    const struct ta_profile *profile = target->profile;
    struct ta_identity identity;
    bool others = false;
    for (size_t i = 0; !others && i < profile->memory_count; ++i) {
        const struct ta_memory *memory = &profile->memories[i];
        bool ours = memory->kind != TA_MEMORY_FLASH;
        for (size_t k = 0; !ours && k < images->count; ++k)
            ours = takes(&images->items[k], memory);
        others = !ours && find_in(target, memory, &identity, NULL, NULL);
    }
    return others;
}
