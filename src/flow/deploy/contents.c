#include "flow/deploy/contents.h"

#include "flow/deploy/target.h"

/* One flash, or what one device stores. Behind its LENGTH bytes all are blank. */
struct part {
    const char *name;
    bool is_flash;
    uint64_t address; /* of flash */
    size_t size;
    uint8_t *bytes;
    size_t length;
    bool changed; /* since its file was read or written */
};

enum { BLANK = 0xff };

static char *part_path(const struct target *target, const struct part *part) {
    return part->is_flash ? target_flash_path(target->context, target->name, part->name)
                          : target_store_path(target->context, target->name, part->name);
}

/* Up to the last one that is not blank. */
static size_t written_bytes(const uint8_t *bytes, size_t size) {
    uint64_t blank = UINT64_MAX; /* eight of them */
    while (size >= sizeof blank && !memcmp(bytes + size - sizeof blank, &blank, sizeof blank))
        size -= sizeof blank;
    while (size && bytes[size - 1] == BLANK)
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
            add_part(contents,
                     (struct part){
                         .name = memory->name, .is_flash = true, .address = memory->base, .size = memory->size_bytes});
    }
    for (size_t i = 0; !status && keeps_stores && i < profile->device_count; ++i) {
        const char *device = profile->devices[i].name;
        uint64_t size = 0;
        status = target->port.store_size(target->port.self, device, &size, why);
        if (!status && size)
            add_part(contents, (struct part){.name = device, .size = size});
    }
    return status;
}

enum ta_status contents_load(struct target *target, struct contents *contents, struct ta_problem *why) {
    enum ta_status status = list_parts(target, contents, why);
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        g_autofree char *file = part_path(target, part), *bytes = NULL;
        size_t length = 0;
        if (!g_file_test(file, G_FILE_TEST_EXISTS))
            continue;
        status = file_size(file) > part->size
                     ? ta_problem_set(why, TA_E_SYSTEM, "remove the file, then {deploy}", "%s is larger than %s's %s",
                                      file, target->profile->name, part->name)
                     : file_read(file, part->size, &bytes, &length, why);
        part->bytes = (uint8_t *)g_steal_pointer(&bytes);
        part->length = part->bytes ? written_bytes(part->bytes, length) : 0;
    }
    return status;
}

void contents_clear(struct contents *contents) {
    g_clear_pointer(&contents->parts, g_ptr_array_unref);
}

enum ta_status contents_put(const struct contents *contents, struct target *target, struct ta_problem *why) {
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

/* SIZE bytes from OFFSET on are other ones now. */
static void change(struct part *part, size_t offset, const void *bytes, size_t size) {
    if (offset + size > part->length) {
        part->bytes = g_realloc(part->bytes, offset + size);
        memset(part->bytes + part->length, BLANK, offset + size - part->length);
        part->length = offset + size;
    }
    memcpy(part->bytes + offset, bytes, size);
    part->length = written_bytes(part->bytes, part->length);
    part->changed = true;
}

void contents_programmed(struct contents *contents, uint64_t address, const void *bytes, size_t size) {
    for (guint i = 0; contents->parts && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        if (part->is_flash && address - part->address < part->size)
            change(part, (size_t)(address - part->address), bytes, size);
    }
}

static struct part *store_of(const struct contents *contents, const char *device) {
    for (guint i = 0; contents->parts && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        if (!part->is_flash && !strcmp(part->name, device))
            return part;
    }
    return NULL;
}

void contents_stored(struct contents *contents, const char *device, const void *bytes, size_t size) {
    struct part *part = store_of(contents, device);
    if (part)
        change(part, 0, bytes, size);
}

size_t contents_stored_bytes(const struct contents *contents, const char *device) {
    const struct part *part = store_of(contents, device);
    return part ? part->length : 0;
}

/* Whether SIZE bytes at OFFSET are those that PART has. */
static bool is_same(const struct part *part, size_t offset, const uint8_t *bytes, size_t size) {
    size_t known = offset < part->length ? MIN(part->length - offset, size) : 0;
    return (!known || !memcmp(bytes, part->bytes + offset, known)) && !written_bytes(bytes + known, size - known);
}

/* A piece after the other: most of a flash never changes. */
enum ta_status contents_take(struct contents *contents, struct target *target, struct ta_problem *why) {
    enum { PIECE_BYTES = 64 << 10 };
    const struct ta_port *port = &target->port;
    g_autofree uint8_t *piece = g_malloc(PIECE_BYTES);
    enum ta_status status = TA_OK;
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        for (size_t at = 0, size; !status && at < part->size; at += size) {
            size = MIN(part->size - at, PIECE_BYTES);
            status = part->is_flash ? port->read_memory(port->self, part->address + at, piece, size, why)
                                    : port->read_store(port->self, part->name, at, piece, size, why);
            if (!status && !is_same(part, at, piece, size))
                change(part, at, piece, size);
        }
    }
    return status;
}

enum ta_status contents_save(struct contents *contents, const struct target *target, struct ta_problem *why) {
    enum ta_status status = TA_OK;
    for (guint i = 0; !status && i < contents->parts->len; ++i) {
        struct part *part = contents->parts->pdata[i];
        g_autofree char *file = part->changed ? part_path(target, part) : NULL;
        status = file ? file_write(file, part->length ? (const void *)part->bytes : "", part->length, why) : TA_OK;
        part->changed = part->changed && status;
    }
    return status;
}
