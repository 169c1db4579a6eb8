/* libelf, loaded late (late.h): when the first program is read or made, which in a build is while the compiler works. Behind this header its
   functions are called as ever. */
#ifndef TA_HOST_ELF_LIBRARY_H
#define TA_HOST_ELF_LIBRARY_H

#include <gelf.h>
#include <stdbool.h>

#define ELF_CALLS(X)                                                                                                   \
    X(elf_begin)                                                                                                       \
    X(elf_end)                                                                                                         \
    X(elf_getdata)                                                                                                     \
    X(elf_getphdrnum)                                                                                                  \
    X(elf_getshdrstrndx)                                                                                               \
    X(elf_kind)                                                                                                        \
    X(elf_memory)                                                                                                      \
    X(elf_newdata)                                                                                                     \
    X(elf_newscn)                                                                                                      \
    X(elf_nextscn)                                                                                                     \
    X(elf_rawdata)                                                                                                     \
    X(elf_rawfile)                                                                                                     \
    X(elf_strptr)                                                                                                      \
    X(elf_update)                                                                                                      \
    X(elf_version)                                                                                                     \
    X(gelf_getchdr)                                                                                                    \
    X(gelf_getclass)                                                                                                   \
    X(gelf_getehdr)                                                                                                    \
    X(gelf_getphdr)                                                                                                    \
    X(gelf_getshdr)                                                                                                    \
    X(gelf_getsym)                                                                                                     \
    X(gelf_newehdr)                                                                                                    \
    X(gelf_update_ehdr)                                                                                                \
    X(gelf_update_shdr)

struct elf_library {
#define ELF_MEMBER(name) __typeof__(name) *name;
    ELF_CALLS(ELF_MEMBER)
#undef ELF_MEMBER
};
extern struct elf_library elf_library;

/* False when there is no libelf on this computer. */
bool elf_library_load(void);

#ifndef ELF_LIBRARY_LOADS /* the file that fills the members calls them by their names */
#define elf_begin         elf_library.elf_begin
#define elf_end           elf_library.elf_end
#define elf_getdata       elf_library.elf_getdata
#define elf_getphdrnum    elf_library.elf_getphdrnum
#define elf_getshdrstrndx elf_library.elf_getshdrstrndx
#define elf_kind          elf_library.elf_kind
#define elf_memory        elf_library.elf_memory
#define elf_newdata       elf_library.elf_newdata
#define elf_newscn        elf_library.elf_newscn
#define elf_nextscn       elf_library.elf_nextscn
#define elf_rawdata       elf_library.elf_rawdata
#define elf_rawfile       elf_library.elf_rawfile
#define elf_strptr        elf_library.elf_strptr
#define elf_update        elf_library.elf_update
#define elf_version       elf_library.elf_version
#define gelf_getchdr      elf_library.gelf_getchdr
#define gelf_getclass     elf_library.gelf_getclass
#define gelf_getehdr      elf_library.gelf_getehdr
#define gelf_getphdr      elf_library.gelf_getphdr
#define gelf_getshdr      elf_library.gelf_getshdr
#define gelf_getsym       elf_library.gelf_getsym
#define gelf_newehdr      elf_library.gelf_newehdr
#define gelf_update_ehdr  elf_library.gelf_update_ehdr
#define gelf_update_shdr  elf_library.gelf_update_shdr
#endif

#endif
