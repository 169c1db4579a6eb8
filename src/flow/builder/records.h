/* What was known when each output of a setup was made. One file a setup, in .tanchor/build/, and a second one with what was made since that
   was written: a change of one line among thousands of sources writes little. A missing or damaged one knows nothing, and what it would
   tell of is built again. */
#ifndef TA_FLOW_BUILDER_RECORDS_H
#define TA_FLOW_BUILDER_RECORDS_H

#include "flow/builder/tracked.h"

/* An input and what it held. */
struct input {
    uint32_t file; /* of the tracked files */
    uint8_t content[CONTENT_BYTES];
};

/* One action that was done: its COMMAND, INPUTS in the order in which they were found, and the KEY over both, which is the digest of all
   that went into the output. NAMES, which may be null, were looked for and may be absent. MESSAGES is what the compiler said. */
struct record {
    uint8_t command[CONTENT_BYTES], key[CONTENT_BYTES];
    struct input *inputs;
    size_t input_count;
    uint64_t shadows;
    char **names;
    char *messages;
    double seconds;
    struct stamp made;     /* of the output */
    struct stamp there;    /* of what is there now, where LOOKED is set; zeros for nothing */
    bool looked, borrowed; /* BORROWED of the file that was read: nothing of it is freed by itself */
};

struct records;

/* Reads FILE and SINCE_FILE, absolute paths; what they tell of files goes to FILES, which is borrowed. */
struct records *records_open(const char *file, const char *since_file, struct tracked_files *files);

/* Looks at all outputs at once, below FOLDER. */
void records_look(struct records *records, const char *folder);

/* The record of OUTPUT, a path below the project; null when there is none. Valid until it is put or dropped. */
const struct record *records_of(const struct records *records, const char *output);

size_t records_count(const struct records *records);

/* Takes RECORD, with all that it points to (GLib's memory), for OUTPUT. */
void records_put(struct records *records, const char *output, struct record *record);
void records_drop(struct records *records, const char *output);

/* Drops what is known of outputs that KEPT (a set of texts) does not hold, and tells GONE of each. */
void records_keep(struct records *records, GHashTable *kept, void (*gone)(void *with, const char *output), void *with);

/* Writes them when something is new. */
enum ta_status records_save(struct records *records, struct ta_problem *why);
void records_free(struct records *records);

#endif
