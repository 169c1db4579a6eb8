#include "core/plan/generate.h"

#include <stdbool.h>
#include <string.h>

static const struct ta_memory *first_ram(const struct ta_profile *profile) {
    for (size_t i = 0; i < profile->memory_count; ++i)
        if (profile->memories[i].kind == TA_MEMORY_RAM)
            return &profile->memories[i];
    return NULL;
}

enum ta_status image_place_find(const struct ta_profile *profile, const char *name, struct image_place *place,
                                struct ta_problem *why) {
    *place = (struct image_place){0};
    if (!ta_profile_harts_named(profile, name, &place->group, &place->first_hart))
        return ta_problem_set(why, TA_E_INPUT, "the profile lists its groups below harts", "%s has no harts %s",
                              profile->name, name);
    place->code = ta_profile_memory_at(profile, place->group.reset_address, 4);
    place->data = place->code && place->code->kind == TA_MEMORY_RAM ? place->code : first_ram(profile);
    place->store = place->group.image ? ta_profile_memory(profile, place->group.image) : NULL;
    if (!place->code || !place->data)
        return ta_problem_set(why, TA_E_INPUT, "give it both", "%s needs memory at its reset address and RAM",
                              profile->name);
    if (name && place->code->kind == TA_MEMORY_RAM && !place->store)
        return ta_problem_set(why, TA_E_INPUT, "name in its profile the flash that keeps their image, below harts",
                              "the harts %s of %s start in RAM, where no image can be kept", name, profile->name);
    return TA_OK;
}

const char *image_places_meet(const struct image_place *one, const struct image_place *other) {
    const struct ta_memory *of_one[] = {one->code, one->data, one->store};
    const struct ta_memory *of_other[] = {other->code, other->data, other->store};
    for (size_t i = 0; i < 3; ++i)
        for (size_t k = 0; k < 3; ++k)
            if (of_one[i] && of_one[i] == of_other[k])
                return of_one[i]->name;
    return NULL;
}

uint64_t image_place_start(const struct image_place *place) {
    return place->store ? place->store->base : place->group.reset_address;
}

/* Data and thread-local data are copied from flash one by one: the two linkers align load addresses differently, and a
   single copy over both would need them to agree. .bss starts where .tbss is and leaves it room, since .tbss itself
   takes none. */
static const char sections[] =
    "    .start : { KEEP(*(.text.start)) } > @code\n"
    "    .note.tameanchor : ALIGN(4) { KEEP(*(.note.tameanchor)) } > @code\n"
    "    .tameanchor.contents 0 (INFO) : { KEEP(*(.tameanchor.contents)) }\n"
    "    .text : { *(.text .text.*) } > @code\n"
    "    .rodata : ALIGN(8) { *(.rodata .rodata.* .srodata .srodata.*) } > @code\n"
    "    .init_array : ALIGN(8)\n"
    "    {\n"
    "        image_init_start = .;\n"
    "        KEEP(*(.preinit_array)) KEEP(*(SORT(.init_array.*))) KEEP(*(.init_array))\n"
    "        image_init_end = .;\n"
    "    } > @code\n"
    "\n"
    "    .data : ALIGN(8)\n"
    "    {\n"
    "        image_data_start = .;\n"
    "        *(.data .data.*)\n"
    "        . = ALIGN(8);\n"
    "        __global_pointer$ = . + 0x800;\n"
    "        *(.sdata .sdata.*)\n"
    "        . = ALIGN(8);\n"
    "        image_data_end = .;\n"
    "    } > data AT > @load\n"
    "    image_data_load = LOADADDR(.data);\n"
    "\n"
    "    .tdata : ALIGN(8) { *(.tdata .tdata.*) } > data AT > @load@tls_\n"
    "    image_tls_start = ADDR(.tdata);\n"
    "    image_tls_end = ADDR(.tdata) + SIZEOF(.tdata);\n"
    "    image_tls_load = LOADADDR(.tdata);\n"
    "    .tbss (NOLOAD) : { *(.tbss .tbss.* .tcommon) } > data\n"
    "    image_tls_bytes = (SIZEOF(.tdata) + SIZEOF(.tbss) + 23) / 16 * 16;\n"
    "    image_bss_start = image_tls_end;\n"
    "    .bss (NOLOAD) :\n"
    "    {\n"
    "        . = . + SIZEOF(.tbss);\n"
    "        *(.sbss .sbss.* .bss .bss.* COMMON)\n"
    "        . = ALIGN(8);\n"
    "        image_bss_end = .;\n"
    "    } > @data\n"
    "\n"
    "    __heap_start = image_bss_end;\n"
    "    .heap (NOLOAD) : { . = . + image_heap_size; } > data\n"
    "    .stack (NOLOAD) : { . = . + image_stack_size * image_hart_count + image_guard_bytes; } > data\n"
    "    image_stack_top = ORIGIN(data) + LENGTH(data);\n"
    "    __heap_end = image_stack_top - image_stack_size * image_hart_count - image_guard_bytes;\n"
    "\n"
    "    /DISCARD/ : { *(.eh_frame .eh_frame.*) *(.note.GNU-stack) }\n";

/* Of an image that is copied: its head, and that one copy will do. Both linkers align the addresses of loading by themselves; behind a
   head of a round size they come to the same distance everywhere. */
static const char head[] = "    .head : { QUAD(ADDR(.start)) QUAD(image_code_bytes) . = ALIGN(64); } > store :head\n";
static const char one_copy[] = "    image_code_bytes = ADDR(.init_array) + SIZEOF(.init_array) - ADDR(.start);\n"
                               "    ASSERT(LOADADDR(.init_array) - LOADADDR(.start) == ADDR(.init_array) - "
                               "ADDR(.start), \"this image cannot be copied in one piece\")\n";

/* Where code and data lie, and what all is loaded from. In an image that is copied both lie in one memory, and only its segments keep what is
   executed apart from what is written. */
static void add_sections(const struct image_place *place, struct text *script) {
    enum { WORD = 5 };
    static const struct {
        const char word[WORD + 1], *in_place, *copied;
    } words[] = {{"@code", "code", "code AT > store :code"},
                 {"@load", "code", "store :data"},
                 {"@data", "data", "data :zero"},
                 {"@tls_", "", " :tls"}};
    for (const char *at = sections, *next; *at; at = next) {
        size_t i = 0;
        next = *at == '@' ? at + WORD : at + 1 + strcspn(at + 1, "@");
        while (*at == '@' && memcmp(at, words[i].word, WORD))
            ++i;
        if (*at == '@')
            text_printf(script, "%s", place->store ? words[i].copied : words[i].in_place);
        else
            text_add(script, at, (size_t)(next - at));
    }
}

static void add_memory(struct text *script, const char *name, const char *access, uint64_t base, uint64_t size_bytes) {
    text_printf(script, "    %s (%s) : ORIGIN = 0x%llx, LENGTH = 0x%llx\n", name, access, (unsigned long long)base,
                (unsigned long long)size_bytes);
}

void generate_linker_script(const struct ta_profile *profile, const struct image_place *place,
                            const struct board_options *options, unsigned room, struct text *script) {
    const struct ta_memory *code = place->code, *data = place->data, *store = place->store;
    uint64_t skipped = place->group.reset_address - code->base;
    bool one = code == data;
    text_printf(script, "/* Generated from the profile %s %s. */\n\nENTRY(_start)\n\nMEMORY\n{\n", profile->name,
                profile->version);
    add_memory(script, "code", one ? "rwx" : "rx", place->group.reset_address, code->size_bytes * room - skipped);
    if (!one)
        add_memory(script, "data", "rwx", data->base, data->size_bytes * room);
    if (store)
        add_memory(script, "store", "r", store->base, store->size_bytes * room);
    text_printf(script, "}\n%s%s\nimage_stack_size = %llu;\nimage_heap_size = %llu;\n",
                one ? "REGION_ALIAS(\"data\", code)\n" : "",
                store ? "PHDRS { head PT_LOAD; code PT_LOAD; data PT_LOAD; tls PT_TLS; zero PT_LOAD; }\n" : "",
                (unsigned long long)(options->stack_bytes ? options->stack_bytes : STACK_BYTES),
                (unsigned long long)options->heap_bytes);
    text_printf(script, "image_hart_first = %u;\nimage_hart_count = %u;\nimage_guard_bytes = 256;\n\nSECTIONS\n{\n%s",
                place->first_hart, place->group.count, store ? head : "");
    add_sections(place, script);
    text_printf(script, "%s}\n", store ? one_copy : "");
}

/* ASCII letters alone, whatever the locale. */
void generate_identifier(struct text *text, const char *name) {
    for (; *name; ++name) {
        bool digit = *name >= '0' && *name <= '9', big = *name >= 'A' && *name <= 'Z',
             small = *name >= 'a' && *name <= 'z';
        char letter = digit || big ? *name : small ? (char)(*name - 'a' + 'A') : '_';
        text_add(text, &letter, 1);
    }
}

/* "button A" to "BOARD_BUTTON_A_PIN". */
static void define(struct text *header, const char *name, const char *what, unsigned long long value,
                   const char *form) {
    text_printf(header, "#define BOARD_");
    generate_identifier(header, name);
    text_printf(header, "_%s ", what);
    text_printf(header, !strcmp(form, "hex") ? "0x%08llxu\n" : "%lluu\n", value);
}

static void define_device(struct text *header, const struct ta_profile *profile, const char *name,
                          const struct ta_device *device) {
    if (device->on) { /* which has registers of its own */
        define(header, name, "ADDRESS", device->address, "hex");
        return;
    }
    define(header, name, "BASE", device->base, "hex");
    define(header, name, "CLOCK_HZ", device->clock_hz ? device->clock_hz : profile->clock_hz, "decimal");
    if (device->interrupt)
        define(header, name, "INTERRUPT", device->interrupt, "decimal");
    for (size_t i = 0; i < device->option_count; ++i) {
        text_printf(header, "#define BOARD_");
        generate_identifier(header, name);
        text_printf(header, "_");
        generate_identifier(header, device->options[i].name);
        text_printf(header, " %lluu\n", (unsigned long long)device->options[i].value);
    }
}

/* Of boards with several groups of harts: who is who, where their images are kept, and the memories that they may share. */
static void define_harts(struct text *header, const struct ta_profile *profile) {
    struct ta_hart_group group;
    unsigned first;
    for (size_t i = 0; profile->hart_group_count && ta_profile_hart_group(profile, i, &group, &first); ++i) {
        const struct ta_memory *store = group.image ? ta_profile_memory(profile, group.image) : NULL;
        text_printf(header, "\n");
        define(header, group.name, "HARTS_FIRST", first, "decimal");
        define(header, group.name, "HARTS", group.count, "decimal");
        if (store)
            define(header, group.name, "IMAGE_BASE", store->base, "hex");
    }
    for (size_t i = 0; profile->hart_group_count && i < profile->memory_count; ++i) {
        text_printf(header, "%s", i ? "" : "\n");
        define(header, profile->memories[i].name, "MEMORY_BASE", profile->memories[i].base, "hex");
        define(header, profile->memories[i].name, "MEMORY_SIZE", profile->memories[i].size_bytes, "hex");
    }
}

void generate_board_header(const struct ta_profile *profile, const struct ta_hart_group *group,
                           const struct board_options *options, struct text *header) {
    text_printf(header,
                "/* Generated from the profile %s %s. */\n#ifndef BOARD_H\n#define BOARD_H\n\n"
                "#define BOARD_NAME \"%s\"\n#define BOARD_CLOCK_HZ %lluu\n",
                profile->name, profile->version, profile->name, (unsigned long long)group->clock_hz);
    define_harts(header, profile);
    for (size_t i = 0; i < profile->device_count; ++i) {
        text_printf(header, "\n");
        define_device(header, profile, profile->devices[i].name, &profile->devices[i]);
    }
    for (size_t i = 0; i < profile->connector_count; ++i) {
        const struct ta_connector *connector = &profile->connectors[i];
        text_printf(header, "\n");
        const struct ta_device *device = ta_profile_device(profile, connector);
        if (device)
            define_device(header, profile, connector->name, device);
        if (connector->kind == TA_CONNECTOR_CONSOLE) {
            define(header, connector->name, "BAUD", options->console_baud ? options->console_baud : CONSOLE_BAUD,
                   "decimal");
            continue;
        }
        if (connector->kind == TA_CONNECTOR_SCREEN || connector->kind == TA_CONNECTOR_TOUCH ||
            connector->kind == TA_CONNECTOR_USB || connector->kind == TA_CONNECTOR_CARD ||
            connector->kind == TA_CONNECTOR_RADIO)
            continue; /* they have no pins, and neither has a sensor on a bus */
        if (connector->kind == TA_CONNECTOR_SENSOR) {
            if (device && !device->on)
                define(header, connector->name, "PIN", connector->pin, "decimal");
            continue;
        }
        define(header, connector->name, "PIN", connector->pin, "decimal");
        if (connector->kind == TA_CONNECTOR_LAMPS)
            define(header, connector->name, "COUNT", connector->count, "decimal");
        define(header, connector->name, "ACTIVE_LOW", connector->active_low, "decimal");
    }
    text_printf(header, "\n#endif\n");
}

/* In quotes, as the assembler and the preprocessor before it read them. */
static void add_quoted(struct text *text, const char *path) {
    text_printf(text, "\"");
    for (; *path; ++path)
        if (*path == '"' || *path == '\\')
            text_printf(text, "\\%c", *path);
        else
            text_add(text, path, 1);
    text_printf(text, "\"");
}

void generate_resources(const struct resource *resources, size_t count, struct text *header, struct text *source) {
    text_printf(header, "#ifndef RESOURCES_H\n#define RESOURCES_H\n\n"
                        "/* Use: resources[RESOURCE_...].bytes, .size. */\n"
                        "struct resource {\n    const unsigned char *bytes;\n    unsigned long size;\n};\n\nenum {\n");
    text_printf(source, "    .section .rodata.resources, \"a\"\n");
    for (size_t i = 0; i < count; ++i) {
        text_printf(header, "    RESOURCE_");
        generate_identifier(header, resources[i].name);
        text_printf(header, ",\n");
        text_printf(source, "    .balign 8 /* SHA-256 %s */\nresource_%zu:\n    .incbin ", resources[i].sha256, i);
        add_quoted(source, resources[i].path);
        text_printf(source, "\nresource_%zu_end:\n", i);
    }
    text_printf(header,
                "    RESOURCE_COUNT,\n};\n\nextern const struct resource resources[RESOURCE_COUNT];\n\n#endif\n");
    text_printf(source,
                "    .section .rodata.resources.table, \"a\"\n    .balign 8\n    .global resources\nresources:\n"
                "#if __riscv_xlen == 64\n#define WORD .dword\n#else\n#define WORD .word\n#endif\n");
    for (size_t i = 0; i < count; ++i)
        text_printf(source, "    WORD resource_%zu, resource_%zu_end - resource_%zu\n", i, i, i);
}

/* A note as it lies in memory, ELF gABI 4.1, "Note Section": three little-endian words, the name with its zero, the description; each filled
   up to 4 bytes. */
static void add_note(struct text *bytes, uint32_t type, const void *description, size_t length) {
    static const char name[12] = "TameAnchor", zeros[4];
    const uint32_t words[] = {sizeof "TameAnchor", (uint32_t)length, type};
    for (size_t i = 0; i < 3; ++i) {
        const char word[] = {(char)words[i], (char)(words[i] >> 8), (char)(words[i] >> 16), (char)(words[i] >> 24)};
        text_add(bytes, word, sizeof word);
    }
    text_add(bytes, name, sizeof name);
    text_add(bytes, description, length);
    text_add(bytes, zeros, (4 - length % 4) % 4);
}

void generate_identity_note(const struct ta_identity *identity, const char *about, struct text *bytes) {
    add_note(bytes, TA_IDENTITY_NOTE, identity->bytes, TA_IDENTITY_BYTES);
    if (about)
        add_note(bytes, TA_ABOUT_NOTE, about, strlen(about));
}
