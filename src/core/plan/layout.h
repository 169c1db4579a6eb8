/* Where the outputs of a build lie, relative to the project: the one place that knows. */
#ifndef TA_CORE_PLAN_LAYOUT_H
#define TA_CORE_PLAN_LAYOUT_H

#include "base/arena.h"
#include "core/model/models.h"

/* Where what one image is made of lies, and its forms. */
struct image_layout {
    const char *name;      /* null for a project's only one */
    const char *generated; /* the folder of its script and header */
    const char *script, *header;
    const char *objects, *note_object;
    const char *elf, *binary, *hex, *srec, *map, *app;
};

struct layout {
    const char *folder;    /* out/<target>-<compiler> */
    const char *generated; /* the folder of generated files: those of the next line, and those of the images */
    const char *settings, *resources_header, *resources, *fabric_header;
    const char *fabric;  /* the fabric's image */
    const char *objects; /* a folder for each setup, so that going back and forth compiles nothing again */
    struct image_layout *images;
    size_t image_count;
    const char *memory, *commands, *card;
    const char *pictures; /* the folder of what screens showed that did not look as a trial expected */
    const char *memory_before,
        *memory_verified;    /* in .tanchor/: of the image before the one built last, of the one verified last */
    const char *state;       /* in .tanchor/: what was known of the last build of this setup */
    const char *state_since; /* what of it came after that was written whole */
};

/* The layout of SETUP's outputs of PROJECT, from ARENA; false without memory. */
bool layout_make(struct arena *arena, const struct setup *setup, const struct project *project, struct layout *layout);

/* The paths of all generated files, those that a project may not have among them; *COUNT of them, from ARENA. Null without memory. */
const char **layout_generated(const struct layout *layout, struct arena *arena, size_t *count);

#endif
