#include "host/call_chain.h"

#include "host/debug_library.h"
#include "host/elf_file.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { REGISTER_RA = 1, FRAMES_AT_MOST = 512, PLACE_BYTES = 256 };

/* One walk from frame to frame. PC is where it begins. */
struct walk {
    const struct ta_image *image;
    const struct ta_scene *scene;
    uint64_t pc;
    GPtrArray *places;
    unsigned frames;
};

/* There is one thread, the hart. */
static pid_t next_thread(Dwfl *dwfl, void *with, void **thread) {
    (void)dwfl;
    bool first = !*thread;
    *thread = with;
    return first ? 1 : 0;
}

static bool get_thread(Dwfl *dwfl, pid_t id, void *with, void **thread) {
    (void)dwfl;
    *thread = with;
    return id == 1;
}

/* What the stack held, and what the image brought. */
static bool read_word(Dwfl *dwfl, Dwarf_Addr address, Dwarf_Word *word, void *with) {
    const struct ta_scene *scene = ((struct walk *)with)->scene;
    size_t size = scene->xlen / 8, at = address - scene->stack_address;
    (void)dwfl;
    *word = 0;
    if (at >= scene->stack_length || scene->stack_length - at < size)
        return false;
    for (size_t i = size; i-- > 0;)
        *word = *word << 8 | scene->stack[at + i];
    return true;
}

static bool set_registers(Dwfl_Thread *thread, void *with) {
    const struct walk *walk = with;
    Dwarf_Word registers[TA_REGISTER_PC];
    for (size_t i = 0; i < TA_REGISTER_PC; ++i)
        registers[i] = walk->scene->registers[i];
    dwfl_thread_state_register_pc(thread, walk->pc);
    return dwfl_thread_state_registers(thread, 0, TA_REGISTER_PC, registers);
}

static int no_elf(Dwfl_Module *module, void **data, const char *name, Dwarf_Addr base, char **file, Elf **elf) {
    (void)module, (void)data, (void)name, (void)base, (void)file, (void)elf;
    return -1;
}

/* What is not in the image itself is looked for nowhere else. */
static int no_debug_file(Dwfl_Module *module, void **data, const char *name, Dwarf_Addr base, const char *file,
                         const char *link, GElf_Word sum, char **found) {
    (void)module, (void)data, (void)name, (void)base, (void)file, (void)link, (void)sum, (void)found;
    return -1;
}

/* An image lies where it was linked to; only files that are not linked yet are asked about. */
static int linked_address(Dwfl_Module *module, void **data, const char *name, Dwarf_Addr base, const char *section,
                          GElf_Word index, const GElf_Shdr *header, Dwarf_Addr *address) {
    (void)module, (void)data, (void)name, (void)base, (void)section, (void)index;
    *address = header->sh_addr;
    return 0;
}

/* A function that called itself is one place, with how often. */
static void add_place(GPtrArray *places, const char *place) {
    char *last = places->len ? places->pdata[places->len - 1] : NULL;
    size_t length = strlen(place);
    if (!last || strncmp(last, place, length) || (last[length] && last[length] != ',')) {
        g_ptr_array_add(places, g_strdup(place));
        return;
    }
    unsigned times = last[length] ? (unsigned)strtoul(last + length + 1, NULL, 10) : 1;
    places->pdata[places->len - 1] = g_strdup_printf("%s, %u times", place, times + 1);
    g_free(last);
}

/* A caller is at the instruction behind its call; what called is before that. */
static int take_frame(Dwfl_Frame *frame, void *with) {
    struct walk *walk = with;
    char place[PLACE_BYTES];
    bool is_exact = true;
    Dwarf_Addr pc;
    if (!dwfl_frame_pc(frame, &pc, &is_exact) || ++walk->frames > FRAMES_AT_MOST)
        return DWARF_CB_ABORT;
    elf_describe_address(walk->image, is_exact ? pc : pc - 1, place, sizeof place);
    if (!*place)
        return DWARF_CB_ABORT;
    add_place(walk->places, place);
    return DWARF_CB_OK;
}

static void walk_frames(Dwfl *dwfl, struct walk *walk) {
    static const Dwfl_Thread_Callbacks callbacks = {.next_thread = next_thread,
                                                    .get_thread = get_thread,
                                                    .memory_read = read_word,
                                                    .set_initial_registers = set_registers};
    if (dwfl_attach_state(dwfl, NULL, 1, &callbacks, walk))
        dwfl_getthread_frames(dwfl, 1, take_frame, walk);
}

static Dwfl *open_image(const struct ta_image *image) {
    static const Dwfl_Callbacks callbacks = {
        .find_elf = no_elf, .find_debuginfo = no_debug_file, .section_address = linked_address};
    Dwfl *dwfl = dwfl_begin(&callbacks);
    if (!dwfl)
        return NULL;
    int copy = elf_open_copy(image->path);
    bool good = copy >= 0 && dwfl_report_elf(dwfl, image->path, image->path, copy, 0, false) != NULL;
    if (!good && copy >= 0)
        close(copy); /* else it is the library's */
    dwfl_report_end(dwfl, NULL, NULL);
    if (good)
        return dwfl;
    dwfl_end(dwfl);
    return NULL;
}

/* Whether the image tells how the function around PC keeps its frame. */
static bool knows_frame(Dwfl *dwfl, uint64_t pc) {
    Dwfl_Module *module = dwfl_addrmodule(dwfl, pc);
    Dwarf_Addr bias;
    Dwarf_CFI *information = module ? dwfl_module_dwarf_cfi(module, &bias) : NULL;
    Dwarf_Frame *frame = NULL;
    bool known = information && !dwarf_cfi_addrframe(information, pc - bias, &frame);
    free(frame);
    return known;
}

/* False where no function is, or one that tells nothing of its frame. */
static bool walk_from(const struct ta_image *image, const struct ta_scene *scene, uint64_t pc, GPtrArray *places) {
    struct walk walk = {.image = image, .scene = scene, .pc = pc, .places = places};
    Dwfl *dwfl = image->path && debug_library_load() ? open_image(image) : NULL;
    if (!dwfl)
        return true; /* and nobody knows more */
    bool known = knows_frame(dwfl, pc);
    walk_frames(dwfl, &walk);
    dwfl_end(dwfl);
    return known;
}

GPtrArray *call_chain(const struct ta_image *image, const struct ta_scene *scene) {
    GPtrArray *places = g_ptr_array_new_with_free_func(g_free);
    uint64_t pc = scene->registers[TA_REGISTER_PC], caller = scene->registers[REGISTER_RA];
    if (!walk_from(image, scene, pc, places) && caller && caller != pc) /* it was called from there */
        walk_from(image, scene, caller - 1, places);
    return places;
}
