#include "flow/target.h"

#include "flow/catalog.h"
#include "host/files.h"
#include "host/model_files.h"

#include <string.h>

static char *target_path(const struct ta_context *context, const char *name, const char *file) {
    return g_build_filename(context->home, "bench", name, file, NULL);
}

char **target_names(const struct ta_context *context) {
    g_autofree char *bench = g_build_filename(context->home, "bench", NULL);
    return files_names(bench, "*/target.yaml");
}

enum ta_status target_read(const struct ta_context *context, const char *name, struct arena *arena,
                           struct bench_target *target, struct ta_problem *why) {
    g_autofree char *file = target_path(context, name, "target.yaml");
    if (!strchr(name, '/') && g_file_test(file, G_FILE_TEST_IS_REGULAR))
        return bench_target_read(file, file, arena, target, why);
    g_auto(GStrv) names = target_names(context);
    g_autofree char *all = g_strjoinv(", ", names);
    g_autofree char *fix = *all ? g_strdup_printf("the bench has: %s", all)
                                : g_strdup_printf("tanchor configure --target %s puts one there", name);
    return ta_problem_set(why, TA_E_INPUT, fix, "there is no target \"%s\" on the bench", name);
}

/* "memory.ram.size" "128 KiB" as YAML: {memory: {ram: {size: 128 KiB}}}. */
static char *set_text(const struct need *set) {
    g_auto(GStrv) keys = g_strsplit(set->name, ".", -1);
    g_autoptr(GString) text = g_string_new(NULL);
    for (char **key = keys; *key; ++key)
        g_string_append_printf(text, "{\"%s\": ", *key);
    g_string_append(text, set->range);
    for (char **key = keys; *key; ++key)
        g_string_append(text, "}");
    return g_strdup(text->str);
}

enum ta_status target_profile(const struct ta_context *context, const char *name, struct arena *arena,
                              struct ta_profile *profile, struct ta_problem *why) {
    struct bench_target target;
    enum ta_status status = target_read(context, name, arena, &target, why);
    if (!status)
        status = catalog_profile(context, target.profile, arena, profile, why);
    for (size_t i = 0; !status && i < target.set.count; ++i) {
        g_autofree char *text = set_text(&target.set.items[i]);
        g_autofree char *place = g_strdup_printf("target %s, set", name);
        status = profile_overlay(text, strlen(text), place, arena, profile, why);
    }
    if (!status && target.semihosting)
        profile->semihosting = !strcmp(target.semihosting, "on");
    return status;
}

enum ta_status target_write(const struct ta_context *context, const struct bench_target *target,
                            struct ta_problem *why) {
    g_autofree char *file = target_path(context, target->target, "target.yaml");
    g_autofree char *folder = target_path(context, target->target, NULL);
    enum ta_status status = folder_make(folder, why);
    return status ? status : bench_target_write(file, target, why);
}

enum ta_status target_add(const struct ta_context *context, const char *name, const char *profile,
                          struct ta_problem *why) {
    return target_write(context, &(struct bench_target){.target = name, .profile = profile}, why);
}

const char *target_state(const struct bench_target *target, const struct ta_profile *profile, const char *name) {
    const char *set = needs_range(&target->state, name);
    if (set)
        return set;
    if (!strcmp(name, "power"))
        return "on";
    for (size_t i = 0; i < profile->switch_count; ++i)
        if (!strcmp(profile->switches[i].name, name) && profile->switches[i].position_count)
            return profile->switches[i].positions[0];
    return NULL;
}

enum ta_status target_can_be_made(struct ta_context *context, const struct ta_profile *profile,
                                  struct ta_problem *why) {
    struct target target;
    enum ta_status status = target_open(context, NULL, profile, &target, why);
    if (!status)
        target_close(&target);
    return status;
}

/* Flash on disk: a file for each flash memory. */

static char *flash_file(const struct target *target, const struct ta_memory *memory) {
    g_autofree char *name = g_strconcat(memory->name, ".bin", NULL);
    return target_path(target->context, target->name, name);
}

static enum ta_status restore_flash(struct target *target, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && target->name && i < target->profile->memory_count; ++i) {
        const struct ta_memory *memory = &target->profile->memories[i];
        g_autofree char *file = flash_file(target, memory);
        g_autofree char *bytes = NULL;
        size_t length = 0;
        if (memory->kind != TA_MEMORY_FLASH || !g_file_test(file, G_FILE_TEST_EXISTS))
            continue;
        status = file_read(file, memory->size_bytes, &bytes, &length, why);
        if (!status && length != memory->size_bytes)
            status = ta_problem_set(why, TA_E_SYSTEM, "remove the file, then tanchor deploy",
                                    "%s does not have the size of %s's %s", file, target->profile->name, memory->name);
        if (!status)
            status = target->port.program(target->port.self, memory->base, bytes, length, why);
    }
    return status;
}

enum ta_status target_keep(struct target *target, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && target->name && i < target->profile->memory_count; ++i) {
        const struct ta_memory *memory = &target->profile->memories[i];
        g_autofree char *file = flash_file(target, memory);
        g_autofree uint8_t *bytes = NULL;
        if (memory->kind != TA_MEMORY_FLASH)
            continue;
        bytes = g_malloc(memory->size_bytes);
        status = target->port.read_memory(target->port.self, memory->base, bytes, memory->size_bytes, why);
        if (!status)
            status = file_write_changed(file, bytes, memory->size_bytes, why);
    }
    return status;
}

static enum ta_status check_power(const struct ta_context *context, const char *name, const struct ta_profile *profile,
                                  struct ta_problem *why) {
    struct arena *arena = arena_new();
    struct bench_target target;
    g_autofree char *fix = g_strdup_printf("tanchor bench switch %s power=on", name);
    enum ta_status status = arena ? target_read(context, name, arena, &target, why)
                                  : ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    if (!status && !strcmp(target_state(&target, profile, "power"), "off"))
        status = ta_problem_set(why, TA_E_NO, fix, "%s has no power", name);
    arena_free(arena);
    return status;
}

enum ta_status target_open(struct ta_context *context, const char *name, const struct ta_profile *profile,
                           struct target *target, struct ta_problem *why) {
    *target = (struct target){.context = context, .name = name, .profile = profile};
    enum ta_status status = name ? check_power(context, name, profile, why) : TA_OK;
    if (!status)
        status = ta_port_simulate(profile, &target->port, why);
    if (!status)
        status = restore_flash(target, why);
    if (status)
        target_close(target);
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
            status = ta_problem_set(why, TA_E_NO, "tanchor deploy programs it again",
                                    "the flash holds 0x%02x at 0x%llx, the image 0x%02x", bytes[i],
                                    (unsigned long long)(segment->address + i), segment->bytes[i]);
    return status;
}

enum ta_status target_program(struct target *target, const struct ta_image *image, struct ta_problem *why) {
    enum ta_status status = ta_port_needs(&target->port, TA_CAN_PROGRAM | TA_CAN_MEMORY, why);
    if (!status)
        status = each_flash_segment(target, image, program_segment, why);
    return status ? status : each_flash_segment(target, image, compare_segment, why);
}

bool target_holds(struct target *target, const struct ta_image *image) {
    struct ta_problem unheard;
    return !each_flash_segment(target, image, compare_segment, &unheard);
}

bool target_identity(struct target *target, struct ta_identity *identity) {
    struct ta_problem unheard;
    bool found = false;
    for (size_t i = 0; !found && i < target->profile->memory_count; ++i) {
        const struct ta_memory *memory = &target->profile->memories[i];
        g_autofree uint8_t *bytes = g_malloc(memory->size_bytes);
        found = memory->kind == TA_MEMORY_FLASH &&
                !target->port.read_memory(target->port.self, memory->base, bytes, memory->size_bytes, &unheard) &&
                ta_identity_find(bytes, memory->size_bytes, identity);
    }
    return found;
}
