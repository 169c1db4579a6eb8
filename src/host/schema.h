/* YAML files read by schema: tables say which keys there are, what each may hold and where it goes in a struct. Every
   problem names file, line, column, key, what was found and what is allowed. */
#ifndef TA_HOST_SCHEMA_H
#define TA_HOST_SCHEMA_H

#include "base/arena.h"
#include "tameanchor/status.h"

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* What a key holds, and the type of the member at OFFSET. */
enum field_kind {
    FIELD_TEXT,      /* const char *; one of CHOICES when given */
    FIELD_NAME,      /* const char *: small letters, digits, '-' and '_' */
    FIELD_VERSION,   /* const char *: semver.org */
    FIELD_WHOLE,     /* uint64_t, MINIMUM to MAXIMUM, decimal or 0x */
    FIELD_COUNT,     /* unsigned, the same */
    FIELD_FORMAT,    /* uint64_t: the file format's number; one that this tool does not know is told so */
    FIELD_SIZE,      /* uint64_t, bytes: "256 KiB" */
    FIELD_FREQUENCY, /* uint64_t, hertz: "32 MHz" */
    FIELD_SWITCH,    /* bool: on, off */
    FIELD_ENUM,      /* int: place of the word in CHOICES */
    FIELD_TEXTS,     /* struct texts: a list */
    FIELD_RANGES,    /* struct needs: a mapping of names to version ranges, or a list of names (any version) */
    FIELD_PINS,      /* struct pins: a mapping of names to exact versions */
    FIELD_WORDS,     /* struct pairs: a mapping of names to texts */
    FIELD_DIGESTS,   /* struct pairs: a mapping of paths to SHA-256 digests, 64 hexadecimal digits */
    FIELD_NUMBERS,   /* struct ta_option list: a mapping of names to numbers */
    FIELD_GROUP,     /* a nested struct of SHAPE */
    FIELD_NAMED,     /* as FIELD_ENTRIES, and each key is a name */
    FIELD_ENTRIES,   /* a mapping of names to structs of SHAPE, each with the name as its first member:
                        a pointer to the first, and the count behind the pointer */
};

/* A shape is a table of these, which ends with a null key whose offset is the struct's size. */
struct field {
    const char *key;
    enum field_kind kind;
    size_t offset;
    bool required;
    const struct field *shape;
    const char *const *choices;
    uint64_t minimum, maximum;
};

/* Checks a whole model after it was read; a problem whose text starts with a key's path gets that key's place. */
typedef enum ta_status schema_check(void *model, struct ta_problem *why);

enum {
    SCHEMA_FILE_BYTES = 4 << 20,
    SCHEMA_DEPTH = 16,
    SCHEMA_NODES = 100000,
    SCHEMA_FORMAT = 1,
};

/* Reads PATH into MODEL (zeroed before), all memory from ARENA. NAME stands for the file in problems. CHECK may
   be null. */
enum ta_status schema_read(const char *path, const char *name, const struct field *shape, struct arena *arena,
                           void *model, schema_check *check, struct ta_problem *why);

/* Reads TEXT over what MODEL holds already: keys that are there replace what was, entries of mappings join those that there
   are by name, nothing is missing. */
enum ta_status schema_overlay(const char *text, size_t length, const char *name, const struct field *shape,
                              struct arena *arena, void *model, schema_check *check, struct ta_problem *why);

/* The same for TEXT, LENGTH bytes that came from elsewhere. */
enum ta_status schema_read_text(const char *text, size_t length, const char *name, const struct field *shape,
                                struct arena *arena, void *model, schema_check *check, struct ta_problem *why);

/* The text of the top KEY of TEXT alone; null when it has none, or is no YAML. */
const char *schema_key(const char *text, size_t length, const char *key, struct arena *arena);

#endif
