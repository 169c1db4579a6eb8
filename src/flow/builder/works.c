/* What the builder makes by itself of what was compiled and linked: other forms of the image, its memory map, an app package; and the
   compilation database. */
#include "tameanchor/boot.h"

#include "core/plan/fabric.h"
#include "core/plan/forms.h"
#include "core/plan/generate.h"
#include "flow/builder/builder.h"
#include "flow/builder/memory.h"
#include "host/archive.h"
#include "host/elf_file.h"
#include "host/memory.h"

#include <glib/gstdio.h>
#include <jansson.h>
#include <stdlib.h>

typedef enum ta_status worker(struct builder *builder, const struct action *action, const char *output);

static enum ta_status read_image(struct builder *builder, const struct action *action, struct ta_image *image) {
    return workspace_image(builder->workspace, action->image, image, builder->why);
}

/* The JSON compilation database, for editors. What it tells is what is run. */
static enum ta_status write_database(struct builder *builder, const struct action *action, const char *output) {
    json_t *all = json_array();
    (void)action;
    for (size_t i = 0; i < builder->plan.count; ++i) {
        const struct action *each = &builder->plan.actions[i];
        if (!each->dependencies)
            continue;
        json_t *arguments = json_array();
        for (size_t k = 0; k < each->head->count; ++k)
            json_array_append_new(arguments, json_string(each->head->items[k]));
        for (size_t k = 0; k < each->tail.count; ++k)
            json_array_append_new(arguments, json_string(each->tail.items[k]));
        json_array_append_new(all, json_pack("{s:s, s:s, s:s, s:o}", "directory", builder->workspace->folder, "file",
                                             each->inputs.items[0], "output", each->outputs.items[0], "arguments",
                                             arguments));
    }
    char *text = json_dumps(all, JSON_INDENT(1));
    enum ta_status status = text ? file_write_changed(output, text, strlen(text), builder->why) : TA_OK;
    free(text);
    json_decref(all);
    return status;
}

/* What the flash will hold of the image at INDEX, as raw bytes from where it begins. */
static enum ta_status raw_bytes(struct builder *builder, size_t index, GByteArray *bytes) {
    const struct image_place *place = &builder->plan.images[index].in->place;
    const struct ta_memory *flash = place->store ? place->store : place->code;
    uint64_t start = image_place_start(place);
    struct ta_image image;
    enum ta_status status = workspace_image(builder->workspace, index, &image, builder->why);
    for (size_t i = 0; !status && i < image.segment_count; ++i) {
        const struct ta_segment *segment = &image.segments[i];
        uint64_t at = segment->address - start;
        if (!segment->size_bytes || segment->address < start || at >= flash->size_bytes)
            continue;
        guint old = bytes->len, end = (guint)(at + segment->size_bytes);
        if (end > old) {
            g_byte_array_set_size(bytes, end);
            memset(bytes->data + old, 0xff, end - old);
        }
        memcpy(bytes->data + at, segment->bytes, segment->size_bytes);
    }
    return status;
}

static enum ta_status write_binary(struct builder *builder, const struct action *action, const char *output) {
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    enum ta_status status = raw_bytes(builder, action->image, bytes);
    return status ? status : file_write_output(output, bytes->data, bytes->len, builder->why);
}

/* All images, each from a block of its own on. */
static enum ta_status write_card(struct builder *builder, const struct action *action, const char *output) {
    g_autoptr(GByteArray) card = g_byte_array_new();
    struct ta_boot boot = {.count = builder->plan.image_count};
    enum ta_status status = TA_OK;
    (void)action;
    g_byte_array_set_size(card, TA_BOOT_BLOCK);
    for (size_t i = 0; !status && i < boot.count; ++i) {
        g_autoptr(GByteArray) bytes = g_byte_array_new();
        status = raw_bytes(builder, i, bytes);
        boot.parts[i] = (struct ta_boot_part){.address = image_place_start(&builder->plan.images[i].in->place),
                                              .size_bytes = bytes->len};
        g_byte_array_append(card, bytes->data, bytes->len);
        guint end = card->len, whole = (end + TA_BOOT_BLOCK - 1) / TA_BOOT_BLOCK * TA_BOOT_BLOCK;
        g_byte_array_set_size(card, whole);
        memset(card->data + end, 0, whole - end);
    }
    ta_boot_place(&boot); /* a board has eight images of a GiB at the most */
    ta_boot_write(&boot, card->data);
    boot.check = ta_boot_check(card->data, card->len);
    ta_boot_write(&boot, card->data);
    return status ? status : file_write_output(output, card->data, card->len, builder->why);
}

static enum ta_status write_text_form(struct builder *builder, const struct action *action, const char *output) {
    struct text text = {0};
    struct ta_image image;
    enum ta_status status = read_image(builder, action, &image);
    if (!status)
        status =
            action->work == WORK_HEX ? hex_write(&image, &text, builder->why) : srec_write(&image, &text, builder->why);
    text_or_end(&text);
    if (!status)
        status = file_write_output(output, text.bytes, text.length, builder->why);
    text_free(&text);
    return status;
}

/* The map before goes aside, to be compared with. */
static enum ta_status write_memory(struct builder *builder, const struct action *action, const char *output) {
    struct images images;
    struct memory_map map;
    enum ta_status status = workspace_images(builder->workspace, &images, builder->why);
    (void)action;
    if (status)
        return status;
    memory_map_make(builder->workspace, &images, &map);
    file_place(output, workspace_path(builder->workspace, builder->plan.out.memory_before));
    return memory_map_write(output, &map, builder->why);
}

/* The notes of the identity as an object, and what was compiled in a section that is not loaded. */
static enum ta_status write_identity(struct builder *builder, const struct action *action, const char *output) {
    struct text notes = {0};
    const char *contents = builder_contents(builder);
    const char *like = builder->plan.images[action->image].link->inputs.items[0];
    generate_identity_note(&builder->identity, builder->about, &notes);
    text_or_end(&notes);
    const struct elf_part parts[] = {{".note.tameanchor", ELF_PART_NOTE, notes.bytes, notes.length},
                                     {".tameanchor.contents", ELF_PART_UNLOADED, contents, strlen(contents)}};
    enum ta_status status =
        elf_object_write(output, builder_path(builder, like), parts, G_N_ELEMENTS(parts), builder->why);
    text_free(&notes);
    return status;
}

/* An app package is a zip: what it is, its program, its assets. */
static enum ta_status write_app(struct builder *builder, const struct action *action, const char *output) {
    enum { ELF_BYTES = 1 << 30 };
    const struct workspace *workspace = builder->workspace;
    char identity[TA_IDENTITY_TEXT];
    struct texts assets = {0};
    g_autofree char *elf = NULL;
    size_t length;
    enum ta_status status =
        file_read(builder_path(builder, action->inputs.items[0]), ELF_BYTES, &elf, &length, builder->why);
    if (!status && workspace->project.assets.count)
        status = workspace_files(builder->workspace, "assets", &workspace->project.assets, &assets, builder->why);
    if (status)
        return status;
    ta_identity_text(&builder->identity, identity, sizeof identity);
    json_t *manifest = json_pack("{s:i, s:s, s:s, s:s*, s:s, s:s, s:s, s:I}", "format", 1, "app",
                                 workspace->project.project, "version", workspace->project.version, "title",
                                 workspace->project.title, "profile", workspace->profile.name, "program", "program.elf",
                                 "identity", identity, "built", (json_int_t)builder->time_s);
    char *text = json_dumps(manifest, JSON_INDENT(1));
    const struct packed_text texts[] = {{"app.json", text, strlen(text)}, {"program.elf", elf, length}};
    const char **files = arena_alloc(builder->context->arena, (assets.count + 1) * sizeof *files);
    for (size_t i = 0; i < assets.count; ++i)
        files[i] = assets.items[i];
    status = archive_pack(output, ARCHIVE_ZIP, workspace->folder, files, texts, G_N_ELEMENTS(texts), builder->why);
    free(text);
    json_decref(manifest);
    return status;
}

static enum ta_status write_fabric(struct builder *builder, const struct action *action, const char *output) {
    struct fabric_description description;
    struct ta_fabric_image image;
    uint8_t bytes[TA_FABRIC_IMAGE_BYTES];
    enum ta_status status = builder_fabric(builder, action->inputs.items[0], &description, &image);
    return status ? status : file_write_output(output, bytes, ta_fabric_write(&image, bytes), builder->why);
}

static worker *const workers[] = {
    [WORK_DATABASE] = write_database, [WORK_BINARY] = write_binary,     [WORK_HEX] = write_text_form,
    [WORK_SREC] = write_text_form,    [WORK_CARD] = write_card,         [WORK_MEMORY] = write_memory,
    [WORK_APP] = write_app,           [WORK_IDENTITY] = write_identity, [WORK_FABRIC] = write_fabric,
};

enum ta_status builder_work(struct builder *builder, size_t index) {
    const struct action *action = &builder->plan.actions[index];
    return workers[action->work](builder, action, builder_path(builder, action->outputs.items[0]));
}
