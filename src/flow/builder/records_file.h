/* The files that records are kept in. */
#ifndef TA_FLOW_BUILDER_RECORDS_FILE_H
#define TA_FLOW_BUILDER_RECORDS_FILE_H

#include "flow/builder/records.h"

/* What was read of one file: its records point into it. */
struct records_part {
    GBytes *bytes;
    struct record *records;
    struct input *inputs;
    uint64_t digest;
};

/* Reads FILE, which goes on from the file of digest BASE (0: from none), into RECORDS (output: struct record), and what it tells of files
   into FILES. False, and nothing is read, when it is missing or damaged, or goes on from another. PART is freed in each case. */
bool records_part_read(struct records_part *part, const char *file, uint64_t base, struct tracked_files *files,
                       GHashTable *records);
void records_part_free(struct records_part *part);

/* Writes RECORDS and what is known of their inputs. */
enum ta_status records_part_write(const char *file, uint64_t base, struct tracked_files *files, GHashTable *records,
                                  uint64_t *digest, struct ta_problem *why);

#endif
