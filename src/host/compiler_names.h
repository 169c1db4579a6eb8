/* Which programs of a folder look like cross compilers. A folder of thousands of programs is read once, and again when something came
   or went in it. */
#ifndef TA_HOST_COMPILER_NAMES_H
#define TA_HOST_COMPILER_NAMES_H

#include "core/plan/plan.h"
#include "host/store.h"

#include <sys/stat.h>

/* The family of a name like riscv64-unknown-elf-gcc, riscv32-none-elf-gcc-13, clang, clang-14; else COMPILER_FAMILIES. */
enum compiler_family compiler_family_of(const char *name);

/* What STORE (may be null) knows of folders. Freed with compiler_names_free. */
struct compiler_names;
struct compiler_names *compiler_names_recall(struct store *store);
void compiler_names_free(struct compiler_names *names);

/* The names in FOLDER, which is as ABOUT says; freed with g_strfreev. */
char **compiler_names_in(struct compiler_names *names, const char *folder, const struct stat *about);

/* Whether a folder had to be read that STORE may be told of; tells it. */
bool compiler_names_are_new(const struct compiler_names *names);
void compiler_names_remember(const struct compiler_names *names, struct store *store);

#endif
