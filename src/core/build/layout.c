#include "core/build/layout.h"

#include "base/digest.h"

#include <stddef.h>
#include <string.h>

/* "strand-2.1.0-gcc-12.2.0-size": what objects are compiled for, so that setups which differ keep their own. Board options and
   components that were wished for add a short digest. */
static const char *setup_name(struct arena *arena, const struct setup *setup) {
    const struct board_options *options = &setup->options;
    const uint64_t numbers[] = {options->stack_bytes, options->heap_bytes, options->clock_hz, options->console_baud};
    uint64_t digest = DIGEST_START;
    bool plain = !setup->with.count && !setup->without.count;
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; ++i) {
        digest = digest_number(digest, numbers[i]);
        plain = plain && !numbers[i];
    }
    for (size_t i = 0; i < setup->components.count; ++i) {
        digest = digest_bytes(digest, setup->components.items[i].name, strlen(setup->components.items[i].name) + 1);
        digest =
            digest_bytes(digest, setup->components.items[i].version, strlen(setup->components.items[i].version) + 1);
    }
    const char *name =
        arena_printf(arena, "%s-%s-%s-%s-%s", setup->sdk, setup->sdk_version, compiler_words[setup->compiler],
                     setup->compiler_version, optimisation_words[setup->optimise]);
    return plain || !name ? name : arena_printf(arena, "%s-%04x", name, (unsigned)(digest & 0xffff));
}

bool layout_make(struct arena *arena, const struct setup *setup, const char *project, struct layout *layout) {
    static const struct {
        size_t member;
        const char *format; /* of the folder, and, of an output, the project's name */
    } files[] = {
        {offsetof(struct layout, generated), "%s/generated"},
        {offsetof(struct layout, script), "%s/generated/board.ld"},
        {offsetof(struct layout, header), "%s/generated/board.h"},
        {offsetof(struct layout, settings), "%s/generated/settings.h"},
        {offsetof(struct layout, resources_header), "%s/generated/resources.h"},
        {offsetof(struct layout, resources), "%s/generated/resources.S"},
        {offsetof(struct layout, elf), "%s/%s.elf"},
        {offsetof(struct layout, binary), "%s/%s.bin"},
        {offsetof(struct layout, hex), "%s/%s.hex"},
        {offsetof(struct layout, srec), "%s/%s.srec"},
        {offsetof(struct layout, map), "%s/%s.map"},
        {offsetof(struct layout, app), "%s/%s.app"},
        {offsetof(struct layout, memory), "%s/memory.json"},
        {offsetof(struct layout, commands), "%s/compile_commands.json"},
    };
    const char *own = setup_name(arena, setup);
    const char *board = arena_printf(arena, "%s-%s", setup->target, compiler_words[setup->compiler]);
    const char *kept = board ? arena_printf(arena, ".tanchor/build/%s", board) : NULL;
    layout->folder = kept ? arena_printf(arena, "out/%s", board) : NULL;
    layout->objects = own && layout->folder ? arena_printf(arena, "%s/obj/%s", layout->folder, own) : NULL;
    layout->note_object = layout->objects ? arena_printf(arena, "%s/identity.o", layout->objects) : NULL;
    layout->state = own && kept ? arena_printf(arena, "%s/%s", kept, own) : NULL;
    layout->memory_before = kept ? arena_printf(arena, "%s/memory-before.json", kept) : NULL;
    layout->memory_verified = kept ? arena_printf(arena, "%s/memory-verified.json", kept) : NULL;
    bool good = layout->note_object && layout->state && layout->memory_before && layout->memory_verified;
    for (size_t i = 0; good && i < sizeof files / sizeof *files; ++i) {
        const char **path = (const char **)(void *)((char *)layout + files[i].member);
        *path = arena_printf(arena, files[i].format, layout->folder, project);
        good = *path != NULL;
    }
    return good;
}
