/* ELF files, through libelf and libdw. */
#ifndef TA_HOST_ELF_FILE_H
#define TA_HOST_ELF_FILE_H

#include "base/arena.h"
#include "tameanchor/image.h"

/* Loads libelf, so that the first program that is read or made need not wait for it. */
void elf_prepare(void);

/* Reads PATH as a RISC-V executable into IMAGE; memory from ARENA. Refuses other machines, other kinds of ELF and files
   that are cut off. */
enum ta_status elf_read(const char *path, struct arena *arena, struct ta_image *image, struct ta_problem *why);

/* The same for LENGTH bytes in memory, which problems call PATH. */
enum ta_status elf_read_bytes(const void *bytes, size_t length, const char *path, struct arena *arena,
                              struct ta_image *image, struct ta_problem *why);

/* Writes the object PATH with the COUNT sections of PARTS; of the class, and with the flags, of the object LIKE, so that it is linked with
   that. */
enum elf_part_kind { ELF_PART_NOTE, ELF_PART_UNLOADED };
struct elf_part {
    const char *name;
    enum elf_part_kind kind;
    const void *bytes;
    size_t length;
};
enum ta_status elf_object_write(const char *path, const char *like, const struct elf_part *parts, size_t count,
                                struct ta_problem *why);

/* The content of the section NAME of the file at PATH; null when it has none. Freed with g_free; a zero follows its *LENGTH bytes. */
char *elf_section(const char *path, const char *name, size_t *length);

/* The value of the symbol NAME of the file at PATH, of any kind, such as a number that a linker script gives; 0 when it has none. */
uint64_t elf_number(const char *path, const char *name);

/* A copy of the file at PATH in memory, opened; -1 when there is none. libdw maps what it reads, and who cuts a mapped file short ends the
   process that looks at it. */
int elf_open_copy(const char *path);

/* "tide_level (src/tide.c:42)": where ADDRESS is, as far as symbols and DWARF of IMAGE's file tell. BUFFER gets at most
   SIZE bytes; empty when nothing is known. */
void elf_describe_address(const struct ta_image *image, uint64_t address, char *buffer, size_t size);

#endif
