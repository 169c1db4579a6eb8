#include "core/plan/layout.h"

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

/* A path to be filled in: FORMAT takes the folder and, of some, the name. */
struct place {
    size_t member;
    const char *format;
};

static bool fill(struct arena *arena, const struct place *places, size_t count, const char *folder, const char *name,
                 void *into) {
    for (size_t i = 0; i < count; ++i) {
        const char **path = (const char **)(void *)((char *)into + places[i].member);
        *path = arena_printf(arena, places[i].format, folder, name);
        if (!*path)
            return false;
    }
    return true;
}

/* The files of one image; they are named after it, or, when it is the only one, after the project. */
static bool image_make(struct arena *arena, const struct layout *layout, const char *project, const char *name,
                       struct image_layout *image) {
    static const struct place generated[] = {{offsetof(struct image_layout, script), "%s/board.ld"},
                                             {offsetof(struct image_layout, header), "%s/board.h"}};
    static const struct place objects[] = {{offsetof(struct image_layout, note_object), "%s/identity.o"}};
    static const struct place forms[] = {
        {offsetof(struct image_layout, elf), "%s/%s.elf"}, {offsetof(struct image_layout, binary), "%s/%s.bin"},
        {offsetof(struct image_layout, hex), "%s/%s.hex"}, {offsetof(struct image_layout, srec), "%s/%s.srec"},
        {offsetof(struct image_layout, map), "%s/%s.map"}, {offsetof(struct image_layout, app), "%s/%s.app"},
    };
    image->name = name;
    image->generated = name ? arena_join(arena, layout->generated, "/", name) : layout->generated;
    image->objects = name ? arena_join(arena, layout->objects, "/", name) : layout->objects;
    return image->generated && image->objects &&
           fill(arena, generated, sizeof generated / sizeof *generated, image->generated, NULL, image) &&
           fill(arena, objects, sizeof objects / sizeof *objects, image->objects, NULL, image) &&
           fill(arena, forms, sizeof forms / sizeof *forms, layout->folder, name ? name : project, image);
}

bool layout_make(struct arena *arena, const struct setup *setup, const struct project *project, struct layout *layout) {
    static const struct place outputs[] = {
        {offsetof(struct layout, generated), "%s/generated"},
        {offsetof(struct layout, settings), "%s/generated/settings.h"},
        {offsetof(struct layout, resources_header), "%s/generated/resources.h"},
        {offsetof(struct layout, resources), "%s/generated/resources.S"},
        {offsetof(struct layout, fabric_header), "%s/generated/fabric.h"},
        {offsetof(struct layout, fabric), "%s/fabric.img"},
        {offsetof(struct layout, memory), "%s/memory.json"},
        {offsetof(struct layout, card), "%s/card.img"},
        {offsetof(struct layout, commands), "%s/compile_commands.json"},
        {offsetof(struct layout, pictures), "%s/pictures"},
    };
    static const struct place kept[] = {
        {offsetof(struct layout, memory_before), "%s/memory-before.json"},
        {offsetof(struct layout, memory_verified), "%s/memory-verified.json"},
        {offsetof(struct layout, state), "%s/%s"},
        {offsetof(struct layout, state_since), "%s/%s.since"},
    };
    const char *own = setup_name(arena, setup);
    const char *board = arena_printf(arena, "%s-%s", setup->target, compiler_words[setup->compiler]);
    const char *folder = board ? arena_printf(arena, ".tanchor/build/%s", board) : NULL;
    *layout = (struct layout){.image_count = project->image_count ? project->image_count : 1};
    layout->folder = folder ? arena_printf(arena, "out/%s", board) : NULL;
    layout->objects = own && layout->folder ? arena_printf(arena, "%s/obj/%s", layout->folder, own) : NULL;
    layout->images = arena_alloc(arena, layout->image_count * sizeof *layout->images);
    bool good = layout->objects && layout->images &&
                fill(arena, outputs, sizeof outputs / sizeof *outputs, layout->folder, NULL, layout) &&
                fill(arena, kept, sizeof kept / sizeof *kept, folder, own, layout);
    for (size_t i = 0; good && i < layout->image_count; ++i)
        good = image_make(arena, layout, project->project, project->image_count ? project->images[i].name : NULL,
                          &layout->images[i]);
    return good;
}

const char **layout_generated(const struct layout *layout, struct arena *arena, size_t *count) {
    const char **files = arena_alloc(arena, (3 + 2 * layout->image_count) * sizeof *files);
    *count = 0;
    if (!files)
        return NULL;
    for (size_t i = 0; i < layout->image_count; ++i) {
        files[(*count)++] = layout->images[i].header;
        files[(*count)++] = layout->images[i].script;
    }
    files[(*count)++] = layout->settings;
    files[(*count)++] = layout->resources_header;
    files[(*count)++] = layout->resources;
    return files;
}
