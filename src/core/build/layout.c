#include "core/build/layout.h"

#include <stddef.h>

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
        {offsetof(struct layout, note_source), "%s/generated/identity.s"},
        {offsetof(struct layout, objects), "%s/obj"},
        {offsetof(struct layout, note_object), "%s/obj/identity.o"},
        {offsetof(struct layout, elf), "%s/%s.elf"},
        {offsetof(struct layout, binary), "%s/%s.bin"},
        {offsetof(struct layout, map), "%s/%s.map"},
        {offsetof(struct layout, commands), "%s/compile_commands.json"},
    };
    layout->folder = arena_printf(arena, "out/%s-%s", setup->target, compiler_words[setup->compiler]);
    bool good = layout->folder != NULL;
    for (size_t i = 0; good && i < sizeof files / sizeof *files; ++i) {
        const char **path = (const char **)(void *)((char *)layout + files[i].member);
        *path = arena_printf(arena, files[i].format, layout->folder, project);
        good = *path != NULL;
    }
    return good;
}
