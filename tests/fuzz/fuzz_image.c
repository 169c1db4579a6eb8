/* Any bytes as an image of each form: refused with a word, or one whose every part can be looked at. */
#include "board.h"
#include "host/elf_file.h"
#include "host/image_file.h"

#include <glib.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static const struct ta_memory memory = {"ram", TA_MEMORY_RAM, RAM, RAM_BYTES};
    static const struct ta_profile profile = {.struct_version = TA_PROFILE_VERSION,
                                              .name = "fuzz",
                                              .isa = "rv32imac_zicsr",
                                              .clock_hz = 10000000,
                                              .reset_address = RAM,
                                              .memories = &memory,
                                              .memory_count = 1};
    struct arena *arena = arena_new();
    struct ta_problem why = {.what = ""};
    struct ta_image image;
    char place[256];
    size_t length;
    int file = memfd_create("image", 0);
    g_autofree char *path = g_strdup_printf("/proc/self/fd/%d", file);
    if (write(file, data, size) != (ssize_t)size)
        abort();
    if (image_read(path, &profile, arena, &image, &why)) {
        if (!*why.what)
            abort();
    } else {
        ta_image_fits(&image, &profile, NULL, &why);
        for (size_t i = 0; i < image.segment_count; ++i) {
            volatile uint8_t last =
                image.segments[i].size_bytes ? image.segments[i].bytes[image.segments[i].size_bytes - 1] : 0;
            (void)last;
            ta_about_find(image.segments[i].bytes, image.segments[i].size_bytes, &length);
            elf_describe_address(&image, image.segments[i].run_address, place, sizeof place);
        }
        elf_describe_address(&image, image.entry, place, sizeof place);
        elf_number(path, "main");
    }
    arena_free(arena);
    close(file);
    return 0;
}
