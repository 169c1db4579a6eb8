#include "host/image_file.h"

#include "core/model/image.h"
#include "core/model/isa.h"
#include "core/plan/forms.h"
#include "host/archive.h"
#include "host/elf_file.h"
#include "host/files.h"

#include <glib.h>

enum { HEAD_BYTES = 4, FILE_BYTES = 512 << 20 };

/* Raw bytes lie where the board starts. */
static enum ta_status read_raw(const char *bytes, size_t length, const struct ta_profile *profile, struct arena *arena,
                               struct ta_image *image, struct ta_problem *why) {
    struct ta_segment *segment = arena_alloc(arena, sizeof *segment);
    if (!length)
        return ta_problem_set(why, TA_E_INPUT, "make or copy it again", "%s is empty", image->path);
    *segment = (struct ta_segment){.address = profile->reset_address,
                                   .bytes = (const uint8_t *)arena_text_part(arena, bytes, length),
                                   .size_bytes = length,
                                   .run_address = profile->reset_address,
                                   .memory_bytes = length};
    image->segments = segment;
    image->segment_count = 1;
    return TA_OK;
}

const char *const image_form_words[] = {"ELF", "Intel HEX", "S-records", "raw bytes", "app package"};

enum image_form image_form_of(const char *path) {
    char head[HEAD_BYTES];
    size_t length = file_head(path, head, sizeof head);
    bool is_elf = length == HEAD_BYTES && !memcmp(head, "\177ELF", HEAD_BYTES);
    return length && head[0] == ':'                                   ? IMAGE_HEX
           : length > 1 && head[0] == 'S' && g_ascii_isdigit(head[1]) ? IMAGE_SREC
           : length > 1 && !memcmp(head, "PK", 2)                     ? IMAGE_APP
           : !is_elf && g_str_has_suffix(path, ".bin")                ? IMAGE_RAW
                                                                      : IMAGE_ELF;
}

static enum ta_status read_app(const char *path, struct arena *arena, struct ta_image *image, struct ta_problem *why) {
    size_t length = 0;
    g_autofree char *bytes = archive_read_entry(path, "program.elf", FILE_BYTES, &length);
    return bytes ? elf_read_bytes(bytes, length, path, arena, image, why)
                 : ta_problem_set(why, TA_E_INPUT, "give it the .app file that {build} made", "%s has no program.elf",
                                  path);
}

enum ta_status image_read(const char *path, const struct ta_profile *profile, struct arena *arena,
                          struct ta_image *image, struct ta_problem *why) {
    enum image_form form = image_form_of(path);
    g_autofree char *bytes = NULL;
    bool starts = false;
    size_t length;
    struct isa isa;
    if (form == IMAGE_ELF)
        return elf_read(path, arena, image, why);
    if (form == IMAGE_APP)
        return read_app(path, arena, image, why);
    if (!profile)
        return ta_problem_set(why, TA_E_INPUT, "name a target or a profile", "%s does not tell for which board it is",
                              path);
    enum ta_status status = file_read(path, FILE_BYTES, &bytes, &length, why);
    status = status ? status : isa_parse(profile->isa, &isa, why);
    if (status)
        return status;
    *image = (struct ta_image){.path = arena_text(arena, path), .xlen = isa.xlen, .entry = profile->reset_address};
    status = form == IMAGE_HEX    ? hex_read(bytes, length, path, arena, image, &starts, why)
             : form == IMAGE_SREC ? srec_read(bytes, length, path, arena, image, &starts, why)
                                  : read_raw(bytes, length, profile, arena, image, why);
    if (!status)
        image_find_identity(image);
    return status;
}
