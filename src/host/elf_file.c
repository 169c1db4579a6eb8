#include "host/elf_file.h"

#include "core/model/image.h"
#include "host/debug_library.h"
#include "host/elf_library.h"
#include "host/files.h"

#include <dwarf.h>
#include <fcntl.h>
#include <glib.h>
#include <stdbool.h>
#include <stdio.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

enum { DEBUG_MIB = 512 };

static enum ta_status refuse(struct ta_problem *why, const char *path, const char *fix, const char *what) {
    return ta_problem_set(why, TA_E_INPUT, fix, "%s: %s", path, what);
}

static enum ta_status no_library(struct ta_problem *why) {
    return ta_problem_set(why, TA_E_SYSTEM, "sudo apt-get install libelf1",
                          "programs are read by libelf, which is not installed");
}

void elf_prepare(void) {
    elf_library_load();
}

static enum ta_status check_header(Elf *elf, const char *path, GElf_Ehdr *header, struct ta_problem *why) {
    static const char fix[] = "give it the program that a RISC-V compiler linked";
    if (!elf || elf_kind(elf) != ELF_K_ELF || !gelf_getehdr(elf, header))
        return refuse(why, path, fix, "it is not an ELF file, or its header is cut off");
    if (header->e_machine != EM_RISCV) {
        g_autofree char *what =
            g_strdup_printf("it is for another machine (ELF machine %u, RISC-V is %u)", header->e_machine, EM_RISCV);
        return refuse(why, path, fix, what);
    }
    if (header->e_type != ET_EXEC)
        return refuse(why, path, "link it to fixed addresses", "it is an object or a library, not a program");
    if (header->e_ident[EI_DATA] != ELFDATA2LSB)
        return refuse(why, path, fix, "it is big-endian");
    return TA_OK;
}

static enum ta_status read_segments(Elf *elf, const char *path, size_t file_size, struct arena *arena,
                                    struct ta_image *image, struct ta_problem *why) {
    static const char cut_fix[] = "build or copy it again";
    size_t count, raw_size = 0;
    const char *raw = elf_rawfile(elf, &raw_size);
    if (elf_getphdrnum(elf, &count) || !raw)
        return refuse(why, path, cut_fix, "its list of segments is cut off");
    struct ta_segment *segments = arena_alloc(arena, (count + 1) * sizeof *segments);
    if (!segments)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; i < count; ++i) {
        GElf_Phdr header;
        if (!gelf_getphdr(elf, (int)i, &header))
            return refuse(why, path, cut_fix, "its list of segments is cut off");
        if (header.p_type != PT_LOAD || !header.p_memsz)
            continue;
        if (header.p_offset > file_size || header.p_filesz > file_size - header.p_offset)
            return refuse(why, path, cut_fix, "it is cut off: a segment ends past the end of the file");
        if (header.p_filesz > header.p_memsz)
            return refuse(why, path, cut_fix, "a segment is larger in the file than in memory");
        char *bytes = arena_text_part(arena, raw + header.p_offset, header.p_filesz);
        if (!bytes)
            return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
        segments[image->segment_count++] = (struct ta_segment){.address = header.p_paddr,
                                                               .bytes = (const uint8_t *)bytes,
                                                               .size_bytes = header.p_filesz,
                                                               .run_address = header.p_vaddr,
                                                               .memory_bytes = header.p_memsz};
    }
    image->segments = segments;
    return image->segment_count ? TA_OK : refuse(why, path, cut_fix, "it has nothing to load");
}

static int by_address(const void *a, const void *b) {
    const struct ta_symbol *left = a, *right = b;
    if (left->address != right->address)
        return left->address < right->address ? -1 : 1;
    return strcmp(left->name, right->name);
}

/* The symbol table, *COUNT entries, and the section of their names; null when there is none that can be read. */
static Elf_Data *symbol_table(Elf *elf, size_t *count, size_t *names) {
    Elf_Scn *section = NULL;
    GElf_Shdr header;
    while ((section = elf_nextscn(elf, section)))
        if (gelf_getshdr(section, &header) && header.sh_type == SHT_SYMTAB)
            break;
    Elf_Data *data = section ? elf_getdata(section, NULL) : NULL;
    if (!data || !header.sh_entsize)
        return NULL;
    *count = data->d_size / header.sh_entsize;
    *names = header.sh_link;
    return data;
}

/* Symbols help people; a file without readable ones is still a program. */
static void read_symbols(Elf *elf, struct arena *arena, struct ta_image *image) {
    size_t count, names;
    Elf_Data *data = symbol_table(elf, &count, &names);
    if (!data)
        return;
    struct ta_symbol *symbols = arena_alloc(arena, (count + 1) * sizeof *symbols);
    for (size_t i = 0; symbols && i < count; ++i) {
        GElf_Sym symbol;
        if (!gelf_getsym(data, (int)i, &symbol))
            break;
        int type = GELF_ST_TYPE(symbol.st_info);
        const char *name = elf_strptr(elf, names, symbol.st_name);
        if ((type != STT_FUNC && type != STT_OBJECT) || !name || !*name || symbol.st_shndx == SHN_UNDEF)
            continue;
        char *copy = arena_text(arena, name);
        if (!copy)
            break;
        symbols[image->symbol_count++] = (struct ta_symbol){copy, symbol.st_value, symbol.st_size, type == STT_FUNC};
    }
    image->symbols = symbols;
    if (symbols)
        qsort(symbols, image->symbol_count, sizeof *symbols, by_address);
}

/* What compressed debug data unpack to is what they say: a small file can ask for all the memory that there is. */
static uint64_t unpacked_bytes(Elf *elf) {
    static const char old_form[] = "ZLIB"; /* and the size, of eight bytes, the highest first */
    uint64_t bytes = 0;
    for (Elf_Scn *section = NULL; (section = elf_nextscn(elf, section));) {
        GElf_Shdr header;
        GElf_Chdr compressed;
        Elf_Data *data;
        uint64_t own = 0;
        if (!gelf_getshdr(section, &header) || header.sh_flags & SHF_ALLOC || header.sh_type == SHT_NOBITS)
            continue;
        if (header.sh_flags & SHF_COMPRESSED)
            own = gelf_getchdr(section, &compressed) ? compressed.ch_size : UINT64_MAX;
        else if ((data = elf_rawdata(section, NULL)) && data->d_size > 12 && !memcmp(data->d_buf, old_form, 4))
            for (size_t i = 4; i < 12; ++i)
                own = own << 8 | ((const uint8_t *)data->d_buf)[i];
        bytes += MIN(own, UINT64_MAX - bytes);
    }
    return bytes;
}

static enum ta_status read_elf(Elf *elf, size_t size, const char *path, struct arena *arena, struct ta_image *image,
                               struct ta_problem *why) {
    GElf_Ehdr header;
    enum ta_status status = check_header(elf, path, &header, why);
    if (!status) {
        *image = (struct ta_image){.path = arena_text(arena, path),
                                   .xlen = gelf_getclass(elf) == ELFCLASS64 ? 64 : 32,
                                   .entry = header.e_entry};
        status = read_segments(elf, path, size, arena, image, why);
    }
    if (!status && unpacked_bytes(elf) > (uint64_t)DEBUG_MIB << 20)
        status = ta_problem_set(why, TA_E_INPUT, "link it with smaller debug data, or strip it",
                                "%s: its compressed debug data would unpack to more than %d MiB", path, DEBUG_MIB);
    if (!status)
        read_symbols(elf, arena, image);
    if (!status)
        image_find_identity(image);
    return status;
}

enum ta_status elf_read(const char *path, struct arena *arena, struct ta_image *image, struct ta_problem *why) {
    struct stat about = {0};
    int file;
    if (!elf_library_load())
        return no_library(why);
    if (file_open(path, &file, why))
        return TA_E_INPUT;
    fstat(file, &about);
    Elf *elf = elf_begin(file, ELF_C_READ, NULL);
    enum ta_status status = read_elf(elf, (size_t)about.st_size, path, arena, image, why);
    elf_end(elf);
    close(file);
    return status;
}

enum ta_status elf_read_bytes(const void *bytes, size_t length, const char *path, struct arena *arena,
                              struct ta_image *image, struct ta_problem *why) {
    g_autofree char *copy = g_memdup2(bytes, length); /* libelf wants to be able to write */
    if (!elf_library_load())
        return no_library(why);
    Elf *elf = elf_memory(copy, length);
    enum ta_status status = read_elf(elf, length, path, arena, image, why);
    elf_end(elf);
    return status;
}

/* A new section of ELF with BYTES, which stay the caller's. */
static bool add_section(Elf *elf, size_t name, uint32_t type, uint64_t flags, const void *bytes, size_t length) {
    Elf_Scn *section = elf_newscn(elf);
    Elf_Data *data = section ? elf_newdata(section) : NULL;
    GElf_Shdr header;
    if (!data || !gelf_getshdr(section, &header))
        return false;
    *data = (Elf_Data){.d_buf = (void *)bytes,
                       .d_type = ELF_T_BYTE,
                       .d_version = EV_CURRENT,
                       .d_size = length,
                       .d_align = type == SHT_NOTE ? 4 : 1};
    header.sh_name = (GElf_Word)name;
    header.sh_type = type;
    header.sh_flags = flags;
    header.sh_addralign = data->d_align;
    return gelf_update_shdr(section, &header) != 0;
}

/* FILE is open for writing. */
static bool write_object(int file, int class, GElf_Word flags, const struct elf_part *parts, size_t count) {
    static const char strings_name[] = ".shstrtab";
    g_autoptr(GString) names = g_string_new_len("", 1);
    g_autofree size_t *places = g_new(size_t, count + 1);
    for (size_t i = 0; i <= count; ++i) {
        const char *name = i < count ? parts[i].name : strings_name;
        places[i] = names->len;
        g_string_append_len(names, name, (gssize)strlen(name) + 1);
    }
    GElf_Ehdr header;
    Elf *elf = elf_begin(file, ELF_C_WRITE, NULL);
    bool good = elf && gelf_newehdr(elf, class) && gelf_getehdr(elf, &header);
    for (size_t i = 0; good && i < count; ++i) {
        bool note = parts[i].kind == ELF_PART_NOTE;
        good = add_section(elf, places[i], note ? SHT_NOTE : SHT_PROGBITS, note ? SHF_ALLOC : 0, parts[i].bytes,
                           parts[i].length);
    }
    good = good && add_section(elf, places[count], SHT_STRTAB, 0, names->str, names->len);
    if (good) {
        header.e_ident[EI_DATA] = ELFDATA2LSB;
        header.e_type = ET_REL;
        header.e_machine = EM_RISCV;
        header.e_version = EV_CURRENT;
        header.e_flags = flags;
        header.e_shstrndx = (GElf_Half)(count + 1);
        good = gelf_update_ehdr(elf, &header) && elf_update(elf, ELF_C_WRITE) > 0;
    }
    elf_end(elf);
    return good;
}

enum ta_status elf_object_write(const char *path, const char *like, const struct elf_part *parts, size_t count,
                                struct ta_problem *why) {
    g_autofree char *part = g_strconcat(path, ".part", NULL);
    GElf_Ehdr header;
    int file;
    enum ta_status status = elf_library_load() ? file_open(like, &file, why) : no_library(why);
    if (status)
        return status;
    Elf *elf = elf_begin(file, ELF_C_READ, NULL);
    bool good = elf && elf_kind(elf) == ELF_K_ELF && gelf_getehdr(elf, &header);
    elf_end(elf);
    close(file);
    if (!good)
        return refuse(why, like, "build it again", "it is not an object");
    file = open(part, O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
    good = file >= 0 && write_object(file, header.e_ident[EI_CLASS], header.e_flags, parts, count);
    if (file >= 0 && close(file))
        good = false;
    if (!good || !file_place(part, path)) {
        status = file_failed(why, "write", path);
        unlink(part);
    }
    return status;
}

uint64_t elf_number(const char *path, const char *wanted) {
    size_t count = 0, names;
    uint64_t value = 0;
    GElf_Sym symbol;
    int file;
    if (!path || !elf_library_load() || file_open(path, &file, NULL))
        return 0;
    Elf *elf = elf_begin(file, ELF_C_READ, NULL);
    Elf_Data *data = elf && elf_kind(elf) == ELF_K_ELF ? symbol_table(elf, &count, &names) : NULL;
    for (size_t i = 0; data && i < count && gelf_getsym(data, (int)i, &symbol); ++i) {
        const char *name = elf_strptr(elf, names, symbol.st_name);
        if (name && !strcmp(name, wanted) && symbol.st_shndx != SHN_UNDEF)
            value = symbol.st_value;
    }
    elf_end(elf);
    close(file);
    return value;
}

char *elf_section(const char *path, const char *name, size_t *length) {
    char *bytes = NULL;
    size_t names;
    int file;
    if (!elf_library_load() || file_open(path, &file, NULL))
        return NULL;
    Elf *elf = elf_begin(file, ELF_C_READ, NULL);
    bool good = elf && elf_kind(elf) == ELF_K_ELF && !elf_getshdrstrndx(elf, &names);
    for (Elf_Scn *section = NULL; good && !bytes && (section = elf_nextscn(elf, section));) {
        GElf_Shdr header;
        const char *is = gelf_getshdr(section, &header) ? elf_strptr(elf, names, header.sh_name) : NULL;
        Elf_Data *data = is && !strcmp(is, name) ? elf_rawdata(section, NULL) : NULL;
        if (!data || !data->d_buf)
            continue;
        bytes = g_strndup(data->d_buf, data->d_size);
        *length = strlen(bytes);
    }
    elf_end(elf);
    close(file);
    return bytes;
}

/* The line of ADDRESS in one compilation unit, or null. A line table's rows stand for code up to the next row; a row
   far before ADDRESS belongs to other code. */
static Dwarf_Line *unit_line(Dwarf_Die *unit, uint64_t address) {
    Dwarf_Lines *lines;
    size_t count;
    Dwarf_Addr start, end;
    if (dwarf_getsrclines(unit, &lines, &count))
        return NULL;
    for (size_t i = 0; i + 1 < count; ++i) {
        Dwarf_Line *line = dwarf_onesrcline(lines, i);
        bool ends = true;
        if (!dwarf_lineendsequence(line, &ends) && !ends && !dwarf_lineaddr(line, &start) &&
            !dwarf_lineaddr(dwarf_onesrcline(lines, i + 1), &end) && start <= address && address < end)
            return line;
    }
    return NULL;
}

/* The source line of ADDRESS, as "file:line", or null. Units are searched one by one: not every compiler writes the
   table of their addresses. */
static char *source_line(Dwarf *dwarf, uint64_t address) {
    Dwarf_Off offset = 0, next;
    size_t header_size;
    while (dwarf && !dwarf_nextcu(dwarf, offset, &next, &header_size, NULL, NULL, NULL)) {
        Dwarf_Die unit;
        Dwarf_Line *found = dwarf_offdie(dwarf, offset + header_size, &unit) ? unit_line(&unit, address) : NULL;
        const char *file = found ? dwarf_linesrc(found, NULL, NULL) : NULL;
        int line = 0;
        offset = next;
        if (!file || dwarf_lineno(found, &line) || !line)
            continue;
        Dwarf_Attribute attribute;
        const char *folder = dwarf_attr(&unit, DW_AT_comp_dir, &attribute) ? dwarf_formstring(&attribute) : NULL;
        size_t length = folder ? strlen(folder) : 0;
        if (length && !strncmp(file, folder, length) && file[length] == '/')
            file += length + 1;
        return g_strdup_printf("%s:%d", file, line);
    }
    return NULL;
}

/* Code that the linker dropped keeps its line table, at addresses near 0: only what was loaded is looked up. */
static bool is_loaded(const struct ta_image *image, uint64_t address) {
    for (size_t i = 0; i < image->segment_count; ++i)
        if (address - image->segments[i].run_address < image->segments[i].memory_bytes)
            return true;
    return false;
}

int elf_open_copy(const char *path) {
    enum { IMAGE_BYTES = 1 << 30 };
    g_autofree char *bytes = NULL;
    size_t length;
    int copy = file_read(path, IMAGE_BYTES, &bytes, &length, NULL) ? -1 : memfd_create("image", MFD_CLOEXEC);
    if (copy < 0 || file_write_all(copy, bytes, length))
        return copy;
    close(copy);
    return -1;
}

void elf_describe_address(const struct ta_image *image, uint64_t address, char *buffer, size_t size) {
    const struct ta_symbol *symbol = ta_image_symbol_at(image, address);
    int file = -1;
    if (is_loaded(image, address) && debug_library_load())
        file = elf_open_copy(image->path);
    Dwarf *dwarf = file >= 0 ? dwarf_begin(file, DWARF_C_READ) : NULL;
    g_autofree char *line = source_line(dwarf, address);
    if (dwarf)
        dwarf_end(dwarf);
    if (file >= 0)
        close(file);
    g_autofree char *name = g_strdup(symbol ? symbol->name : "");
    if (symbol && address - symbol->address >= symbol->size_bytes && address != symbol->address) {
        g_free(name);
        name = g_strdup_printf("%s+0x%" G_GINT64_MODIFIER "x", symbol->name, address - symbol->address);
    }
    snprintf(buffer, size, "%s%s%s%s", name, line ? (symbol ? " (" : "") : "", line ? line : "",
             line && symbol ? ")" : "");
}
