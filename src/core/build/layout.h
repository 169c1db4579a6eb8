/* Where the outputs of a build lie, relative to the project: the one place that knows. */
#ifndef TA_CORE_BUILD_LAYOUT_H
#define TA_CORE_BUILD_LAYOUT_H

#include "base/arena.h"
#include "core/model/models.h"

struct layout {
    const char *folder;    /* out/<target>-<compiler> */
    const char *generated; /* the folder of generated files: those of the next two lines */
    const char *script, *header, *settings, *resources_header;
    const char *resources;
    const char *objects,
        *note_object; /* a folder for each setup, so that going back and forth compiles nothing again */
    const char *elf, *binary, *hex, *srec, *map, *app, *memory, *commands;
    const char *memory_before,
        *memory_verified; /* in .tanchor/: of the image before the one built last, of the one verified last */
    const char *state;    /* in .tanchor/: what was known of the last build of this setup */
};

/* The layout of SETUP's outputs of the project PROJECT, from ARENA; false without memory. */
bool layout_make(struct arena *arena, const struct setup *setup, const char *project, struct layout *layout);

#endif
