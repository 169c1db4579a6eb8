/* What a compiler read: from the make rule that it writes, and from the text of sources, where no compiler tells. */
#ifndef TA_CORE_PLAN_DEPENDENCIES_H
#define TA_CORE_PLAN_DEPENDENCIES_H

#include <stdbool.h>
#include <stddef.h>

/* Reads the rule "object: source header ..." of LENGTH bytes as compilers write it: blanks between, lines joined by a backslash at their
   end, "$$" for '$', and before a blank or a '#' that belongs to a name a backslash, with those that stand before it doubled. FOUND is told
   of each name, which lasts no longer than the call. False when TEXT is no such rule. BUFFER has room for LENGTH + 1 bytes. */
bool dependencies_read(const char *text, size_t length, char *buffer, void (*found)(void *with, const char *name),
                       void *with);

/* The names in TEXT that no rule tells: what .incbin and .include of the assembler read, and, with LOOKED_FOR, what __has_include looks
   for. */
void dependencies_scan(const char *text, size_t length, char *buffer,
                       void (*found)(void *with, const char *name, bool looked_for), void *with);

#endif
