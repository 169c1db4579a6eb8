#include "flow/deploy/target.h"

enum ta_status target_connect(struct ta_context *context, const char *name, const struct ta_profile *profile,
                              struct target *target, struct ta_problem *why) {
    *target = (struct target){.context = context, .name = name, .profile = profile};
    enum ta_status status = name ? target_switches_allow(context, name, profile, STARTS_NOTHING, why) : TA_OK;
    if (!status)
        status = board_open(context, name, profile, &target->port, why);
    if (!status)
        status = ta_port_needs(&target->port, TA_CAN_PROGRAM | TA_CAN_MEMORY, why);
    if (status)
        target_close(target);
    return status;
}

enum ta_status target_restore(struct target *target, struct ta_problem *why) {
    struct contents contents;
    enum ta_status status = contents_load(target, &contents, why);
    if (!status)
        status = contents_write(&contents, target, why);
    contents_clear(&contents);
    if (status)
        target_close(target);
    return status;
}

enum ta_status target_keep(struct target *target, struct ta_problem *why) {
    struct contents contents;
    enum ta_status status = contents_read(target, &contents, why);
    if (!status)
        status = contents_save(&contents, target->context, target->name, why);
    contents_clear(&contents);
    return status;
}

enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           struct target *target, struct ta_problem *why) {
    enum ta_status status = target_connect(context, name, profile, target, why);
    return status ? status : target_restore(target, why);
}

enum ta_status target_empty_cards(struct target *target, struct ta_problem *why) {
    const struct ta_profile *profile = target->profile;
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < profile->switch_count && target->port.capabilities & TA_CAN_STORE; ++i) {
        const struct ta_device *card = ta_profile_card(profile, profile->switches[i].name);
        g_autofree char *file = card ? target_store_path(target->context, target->name, card->name) : NULL;
        size_t size = file ? file_size(file) : 0;
        g_autofree uint8_t *blank = g_malloc(size + 1);
        memset(blank, 0xff, size);
        if (size)
            status = target->port.write_store(target->port.self, card->name, 0, blank, size, why);
    }
    return status;
}

void target_close(struct target *target) {
    if (target->port.close)
        target->port.close(target->port.self);
    target->port.close = NULL;
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
    return target->port.program(target->port.self, segment->address, segment->bytes, segment->size_bytes, why);
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

enum ta_status target_program(struct target *target, const struct ta_image *image, struct ta_problem *why) {
    enum ta_status status = each_flash_segment(target, image, program_segment, why);
    return status ? status : each_flash_segment(target, image, compare_segment, why);
}

bool target_holds(struct target *target, const struct ta_image *image) {
    struct ta_problem unheard;
    return !each_flash_segment(target, image, compare_segment, &unheard);
}

/* What each flash holds, in turn, to LOOK, until that has found what it looks for. */
typedef bool flash_look(const uint8_t *bytes, size_t size, void *with);

static bool each_flash(struct target *target, flash_look *look, void *with) {
    struct ta_problem unheard;
    bool found = false;
    for (size_t i = 0; !found && i < target->profile->memory_count; ++i) {
        const struct ta_memory *memory = &target->profile->memories[i];
        if (memory->kind != TA_MEMORY_FLASH)
            continue;
        g_autofree uint8_t *bytes = g_malloc(memory->size_bytes);
        found = !target->port.read_memory(target->port.self, memory->base, bytes, memory->size_bytes, &unheard) &&
                look(bytes, memory->size_bytes, with);
    }
    return found;
}

static bool find_identity(const uint8_t *bytes, size_t size, void *with) {
    return ta_identity_find(bytes, size, with);
}

bool target_identity(struct target *target, struct ta_identity *identity) {
    return each_flash(target, find_identity, identity);
}

struct about {
    char *text;
    size_t length;
};

static bool find_about(const uint8_t *bytes, size_t size, void *with) {
    struct about *about = with;
    const char *text = ta_about_find(bytes, size, &about->length);
    about->text = text ? g_strndup(text, about->length) : NULL;
    return text != NULL;
}

char *target_about(struct target *target, size_t *length) {
    struct about about = {0};
    each_flash(target, find_about, &about);
    *length = about.length;
    return about.text;
}
