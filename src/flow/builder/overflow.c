/* What is said when the image is too large: by how much, and what takes most of it. */
#include "base/units.h"
#include "core/plan/generate.h"
#include "flow/builder/builder.h"
#include "host/elf_file.h"
#include "host/memory.h"

#include <glib/gstdio.h>
#include <stdlib.h>

enum { WIDER = 16 };

/* Not a file that people see: it goes when the build ends. */
static enum ta_status write_passing(struct builder *builder, const char *path, struct text *text) {
    text_or_end(text);
    enum ta_status status =
        file_write_changed(workspace_path(builder->workspace, path), text->bytes, text->length, builder->why);
    text_free(text);
    return status;
}

static struct ta_memory widened(const struct ta_memory *memory) {
    struct ta_memory wide = *memory;
    wide.size_bytes *= WIDER;
    return wide;
}

static const struct ta_memory *overflowing(const struct ta_image *image, const struct image_place *place) {
    const struct ta_memory *memories[] = {place->store, place->code, place->data};
    for (size_t i = 0; i < G_N_ELEMENTS(memories); ++i) {
        const struct ta_memory wide = memories[i] ? widened(memories[i]) : (struct ta_memory){.name = NULL};
        if (memories[i] && ta_image_usage(image, &wide) > memories[i]->size_bytes)
            return memories[i];
    }
    return NULL;
}

static int by_size(const void *a, const void *b) {
    const struct ta_symbol *left = a, *right = b;
    return left->size_bytes != right->size_bytes ? (left->size_bytes < right->size_bytes ? 1 : -1)
                                                 : strcmp(left->name, right->name);
}

/* LINK, into room enough, so that the size of its image can be told. */
static enum ta_status link_wide(struct builder *builder, const struct action *link, struct ta_image *image) {
    const struct planned_image *planned = &builder->plan.images[link->image];
    const struct image_layout *out = planned->out;
    struct text script = {0};
    const char *wide_script = builder_temporary(builder, out->script), *wide_elf = builder_temporary(builder, out->elf);
    struct command command = builder_command(builder, link, false);
    const char **arguments = (const char **)command.arguments; /* which are ours */
    for (size_t i = 0; arguments[i]; ++i)
        if (!strcmp(arguments[i], out->script))
            arguments[i] = wide_script;
    generate_linker_script(&builder->workspace->profile, &planned->in->place, &builder->workspace->setup.options, WIDER,
                           &script);
    enum ta_status status = write_passing(builder, wide_script, &script);
    if (!status)
        status = commands_run(&command, 1, 1, true, context_cancelled, builder->context, NULL, NULL, builder->why);
    if (!status)
        status = command.exit_code ? TA_E_NO
                                   : elf_read(workspace_path(builder->workspace, wide_elf), builder->context->arena,
                                              image, builder->why);
    commands_clear(&command, 1);
    g_unlink(workspace_path(builder->workspace, wide_script));
    for (size_t i = 0; i < link->outputs.count; ++i)
        g_unlink(workspace_path(builder->workspace, builder_temporary(builder, link->outputs.items[i])));
    return status;
}

void builder_explain_overflow(struct builder *builder, const struct action *link) {
    enum { LARGEST = 4 };
    struct ta_image image;
    const struct image_place *place = &builder->plan.images[link->image].in->place;
    const struct ta_memory *memory = link_wide(builder, link, &image) ? NULL : overflowing(&image, place);
    if (!memory) {
        report_add(builder->report, TA_LEVEL_PROBLEM, "image", "make it smaller, or choose a larger board",
                   "it is too large for %s", builder->workspace->profile.name);
        return;
    }
    char used[UNIT_TEXT_BYTES], size[UNIT_TEXT_BYTES], over[UNIT_TEXT_BYTES];
    const struct ta_memory wide = widened(memory), runs = widened(memory == place->store ? place->code : memory);
    uint64_t bytes = ta_image_usage(&image, &wide);
    g_autoptr(GString) largest = g_string_new(NULL);
    g_autofree struct ta_symbol *symbols = g_memdup2(image.symbols, image.symbol_count * sizeof *symbols);
    if (symbols)
        qsort(symbols, image.symbol_count, sizeof *symbols, by_size);
    for (size_t i = 0, found = 0; symbols && i < image.symbol_count && found < LARGEST; ++i) {
        char symbol_size[UNIT_TEXT_BYTES];
        if (symbols[i].address - runs.base >= runs.size_bytes)
            continue;
        g_string_append_printf(largest, "%s%s %s", found++ ? ", " : "", symbols[i].name,
                               unit_format(symbol_size, UNIT_SIZE_BYTES, symbols[i].size_bytes));
    }
    report_add(builder->report, TA_LEVEL_PROBLEM, memory->name, "make these smaller, or choose a larger board",
               "the image takes %s, %s has %s: %s too much; largest: %s", unit_format(used, UNIT_SIZE_BYTES, bytes),
               builder->workspace->profile.name, unit_format(size, UNIT_SIZE_BYTES, memory->size_bytes),
               unit_format(over, UNIT_SIZE_BYTES, bytes - memory->size_bytes), largest->str);
}
