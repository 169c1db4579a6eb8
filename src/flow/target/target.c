#include "flow/target/target.h"

/* Flash on disk: a file for each flash memory, up to its last byte that is not blank. */

char *target_flash_path(const struct ta_context *context, const char *name, const char *memory) {
    g_autofree char *file = g_strconcat(memory, ".bin", NULL);
    return target_path(context, name, file);
}

char *target_store_path(const struct ta_context *context, const char *name, const char *device) {
    g_autofree char *file = g_strconcat(device, ".store", NULL);
    return target_path(context, name, file);
}

/* Hardware keeps its flash by itself; a simulated one's is kept on the bench. */
static bool is_kept_here(const struct target *target) {
    return target->name && !(target->port.capabilities & TA_CAN_KEEP);
}

/* Up to the last one that is not blank. */
static size_t written_bytes(const uint8_t *bytes, size_t size) {
    uint64_t blank = UINT64_MAX; /* eight of them */
    while (size >= sizeof blank && !memcmp(bytes + size - sizeof blank, &blank, sizeof blank))
        size -= sizeof blank;
    while (size && bytes[size - 1] == 0xff)
        --size;
    return size;
}

static enum ta_status restore_flash(struct target *target, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && is_kept_here(target) && i < target->profile->memory_count; ++i) {
        const struct ta_memory *memory = &target->profile->memories[i];
        g_autofree char *file = target_flash_path(target->context, target->name, memory->name);
        g_autofree char *bytes = NULL;
        size_t length = 0;
        if (memory->kind != TA_MEMORY_FLASH || !g_file_test(file, G_FILE_TEST_EXISTS))
            continue;
        status = file_size(file) > memory->size_bytes
                     ? ta_problem_set(why, TA_E_SYSTEM, "remove the file, then {deploy}", "%s is larger than %s's %s",
                                      file, target->profile->name, memory->name)
                     : file_read(file, memory->size_bytes, &bytes, &length, why);
        length = status ? 0 : written_bytes((const uint8_t *)bytes, length);
        if (length)
            status = target->port.program(target->port.self, memory->base, bytes, length, why);
    }
    return status;
}

/* Calls STEP for each device that keeps something: its name, and how many bytes. */
typedef enum ta_status store_step(struct target *target, const char *device, uint64_t size, struct ta_problem *why);

static enum ta_status each_store(struct target *target, store_step *step, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    bool can = target->name && target->port.capabilities & TA_CAN_STORE;
    for (size_t i = 0; !status && can && i < target->profile->device_count; ++i) {
        const char *device = target->profile->devices[i].name;
        uint64_t size = 0;
        status = target->port.store_size(target->port.self, device, &size, why);
        if (!status && size)
            status = step(target, device, size, why);
    }
    return status;
}

static enum ta_status restore_store(struct target *target, const char *device, uint64_t size, struct ta_problem *why) {
    g_autofree char *file = target_store_path(target->context, target->name, device), *bytes = NULL;
    size_t length = 0;
    if (!g_file_test(file, G_FILE_TEST_EXISTS))
        return TA_OK;
    enum ta_status status = file_read(file, size, &bytes, &length, why);
    return status ? status : target->port.write_store(target->port.self, device, 0, bytes, length, why);
}

static enum ta_status keep_store(struct target *target, const char *device, uint64_t size, struct ta_problem *why) {
    g_autofree char *file = target_store_path(target->context, target->name, device);
    g_autofree uint8_t *bytes = g_malloc(size);
    enum ta_status status = target->port.read_store(target->port.self, device, 0, bytes, size, why);
    size = written_bytes(bytes, size);
    bool was = g_file_test(file, G_FILE_TEST_EXISTS);
    return status || (!size && !was) ? status : file_write_changed(file, bytes, size, why);
}

enum ta_status target_keep(struct target *target, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && is_kept_here(target) && i < target->profile->memory_count; ++i) {
        const struct ta_memory *memory = &target->profile->memories[i];
        g_autofree char *file = target_flash_path(target->context, target->name, memory->name);
        g_autofree uint8_t *bytes = NULL;
        if (memory->kind != TA_MEMORY_FLASH)
            continue;
        bytes = g_malloc(memory->size_bytes);
        status = target->port.read_memory(target->port.self, memory->base, bytes, memory->size_bytes, why);
        if (!status)
            status = file_write_changed(file, bytes, written_bytes(bytes, memory->size_bytes), why);
    }
    return status ? status : each_store(target, keep_store, why);
}

enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           struct target *target, struct ta_problem *why) {
    *target = (struct target){.context = context, .name = name, .profile = profile};
    enum ta_status status = name ? target_switches_allow(context, name, profile, STARTS_NOTHING, why) : TA_OK;
    if (!status)
        status = board_open(context, name, profile, &target->port, why);
    if (!status)
        status = ta_port_needs(&target->port, TA_CAN_PROGRAM | TA_CAN_MEMORY, why);
    if (!status)
        status = restore_flash(target, why);
    if (!status)
        status = each_store(target, restore_store, why);
    if (status)
        target_close(target);
    return status;
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
