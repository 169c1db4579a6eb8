#include "flow/deploy/contents.h"

#include "flow/deploy/target.h"

/* One flash, or what one device stores. */
struct part {
    const char *name;
    bool is_flash;
    uint64_t address; /* of flash */
    size_t size;
    uint8_t *bytes; /* null when the bench keeps nothing of it */
    size_t length;  /* up to the last one that is not blank */
};

char *target_flash_path(const struct ta_context *context, const char *name, const char *memory) {
    g_autofree char *file = g_strconcat(memory, ".bin", NULL);
    return target_path(context, name, file);
}

char *target_store_path(const struct ta_context *context, const char *name, const char *device) {
    g_autofree char *file = g_strconcat(device, ".store", NULL);
    return target_path(context, name, file);
}

static char *part_path(const struct ta_context *context, const char *name, const struct part *part) {
    return part->is_flash ? target_flash_path(context, name, part->name) : target_store_path(context, name, part->name);
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

static void part_free(gpointer data) {
    struct part *part = data;
    g_free(part->bytes);
    g_free(part);
}

static void add_part(struct contents *contents, struct part part) {
    g_ptr_array_add(contents->parts, g_memdup2(&part, sizeof part));
}

/* What there is to keep of TARGET, without its bytes. */
static enum ta_status list_parts(struct target *target, struct contents *contents, struct ta_problem *why) {
    const struct ta_profile *profile = target->profile;
    bool keeps_flash = target->name && !(target->port.capabilities & TA_CAN_KEEP),
         keeps_stores = target->name && target->port.capabilities & TA_CAN_STORE;
    enum ta_status status = TA_OK;
    contents->parts = g_ptr_array_new_with_free_func(part_free);
    for (size_t i = 0; keeps_flash && i < profile->memory_count; ++i) {
        const struct ta_memory *memory = &profile->memories[i];
        if (memory->kind == TA_MEMORY_FLASH)
            add_part(contents, (struct part){memory->name, true, memory->base, memory->size_bytes, NULL, 0});
    }
    for (size_t i = 0; !status && keeps_stores && i < profile->device_count; ++i) {
        const char *device = profile->devices[i].name;
        uint64_t size = 0;
        status = target->port.store_size(target->port.self, device, &size, why);
        if (!status && size)
            add_part(contents, (struct part){device, false, 0, size, NULL, 0});
    }
    return status;
}

enum ta_status contents_read(struct target *target, struct contents *contents, struct ta_problem *why) {
    const struct ta_port *port = &target->port;
    enum ta_status status = list_parts(target, contents, why);
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        part->bytes = g_malloc(part->size);
        status = part->is_flash ? port->read_memory(port->self, part->address, part->bytes, part->size, why)
                                : port->read_store(port->self, part->name, 0, part->bytes, part->size, why);
        part->length = status ? 0 : written_bytes(part->bytes, part->size);
    }
    return status;
}

enum ta_status contents_load(struct target *target, struct contents *contents, struct ta_problem *why) {
    enum ta_status status = list_parts(target, contents, why);
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        g_autofree char *file = part_path(target->context, target->name, part), *bytes = NULL;
        if (!g_file_test(file, G_FILE_TEST_EXISTS))
            continue;
        status = file_size(file) > part->size
                     ? ta_problem_set(why, TA_E_SYSTEM, "remove the file, then {deploy}", "%s is larger than %s's %s",
                                      file, target->profile->name, part->name)
                     : file_read(file, part->size, &bytes, &part->length, why);
        part->bytes = (uint8_t *)g_steal_pointer(&bytes);
        part->length = part->bytes ? written_bytes(part->bytes, part->length) : 0;
    }
    return status;
}

void contents_clear(struct contents *contents) {
    g_clear_pointer(&contents->parts, g_ptr_array_unref);
}

enum ta_status contents_write(const struct contents *contents, struct target *target, struct ta_problem *why) {
    const struct ta_port *port = &target->port;
    enum ta_status status = TA_OK;
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        const struct part *part = contents->parts->pdata[i];
        if (part->length)
            status = part->is_flash ? port->program(port->self, part->address, part->bytes, part->length, why)
                                    : port->write_store(port->self, part->name, 0, part->bytes, part->length, why);
    }
    return status;
}

enum ta_status contents_save(const struct contents *contents, const struct ta_context *context, const char *name,
                             struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        const struct part *part = contents->parts->pdata[i];
        g_autofree char *file = part_path(context, name, part);
        if (part->is_flash || part->length || g_file_test(file, G_FILE_TEST_EXISTS)) /* no file for a blank card */
            status = file_write_changed(file, part->bytes, part->length, why);
    }
    return status;
}

bool contents_identity(const struct contents *contents, struct ta_identity *identity) {
    for (guint i = 0; i < contents->parts->len; ++i) {
        const struct part *part = contents->parts->pdata[i];
        if (part->is_flash && ta_identity_find(part->bytes, part->length, identity))
            return true;
    }
    return false;
}
