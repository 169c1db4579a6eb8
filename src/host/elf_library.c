#define ELF_LIBRARY_LOADS
#include "host/elf_library.h"

#include "host/late.h"

struct elf_library elf_library;

bool elf_library_load(void) {
    static const struct late_function functions[] = {
#define ELF_FUNCTION(name) {#name, (void **)&elf_library.name},
        ELF_CALLS(ELF_FUNCTION)
#undef ELF_FUNCTION
    };
    return late_load("libelf.so.1", functions, sizeof functions / sizeof *functions) &&
           elf_library.elf_version(EV_CURRENT) != EV_NONE;
}
