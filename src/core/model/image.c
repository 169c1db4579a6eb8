#include "tameanchor/image.h"

#include "base/little.h"
#include "core/model/isa.h"

#include <stdio.h>
#include <string.h>

static enum ta_status check_lies(const struct ta_image *image, const struct ta_profile *profile, uint64_t address,
                                 uint64_t size_bytes, struct ta_problem *why) {
    if (!size_bytes || ta_profile_memory_at(profile, address, size_bytes))
        return TA_OK;
    return ta_problem_set(why, TA_E_INPUT, "link it with the linker script that {build} generates",
                          "%s: a segment at 0x%llx to 0x%llx lies outside the memory of %s", image->path,
                          (unsigned long long)address, (unsigned long long)(address + size_bytes - 1), profile->name);
}

/* The group that starts at ENTRY, else the first. */
static void find_starting(const struct ta_profile *profile, uint64_t entry, struct ta_hart_group *group) {
    for (size_t i = 0; ta_profile_hart_group(profile, i, group, NULL); ++i)
        if (group->reset_address == entry)
            return;
    ta_profile_hart_group(profile, 0, group, NULL);
}

enum ta_status ta_image_fits(const struct ta_image *image, const struct ta_profile *profile, const char *group,
                             struct ta_problem *why) {
    struct ta_hart_group harts;
    struct isa isa;
    if (!group)
        find_starting(profile, image->entry, &harts);
    else if (!ta_profile_harts_named(profile, group, &harts, NULL))
        return ta_problem_set(why, TA_E_INPUT, "the profile lists its groups below harts", "%s has no harts %s",
                              profile->name, group);
    enum ta_status status = isa_parse(harts.isa, &isa, why);
    if (!status && image->xlen != isa.xlen)
        status = ta_problem_set(why, TA_E_INPUT, "build it for this board, or choose a board of its width",
                                "%s is for RV%u, %s is %s", image->path, image->xlen, profile->name, harts.isa);
    for (size_t i = 0; !status && i < image->segment_count; ++i) {
        const struct ta_segment *segment = &image->segments[i];
        status = check_lies(image, profile, segment->address, segment->size_bytes, why);
        if (!status)
            status = check_lies(image, profile, segment->run_address, segment->memory_bytes, why);
    }
    if (!status && image->segment_count && !ta_profile_memory_at(profile, image->entry, 2))
        status = ta_problem_set(why, TA_E_INPUT, "link it with the linker script that {build} generates",
                                "%s starts at 0x%llx, where %s has no memory", image->path,
                                (unsigned long long)image->entry, profile->name);
    return status;
}

uint64_t ta_image_usage(const struct ta_image *image, const struct ta_memory *memory) {
    uint64_t used = 0;
    for (size_t i = 0; i < image->segment_count; ++i) {
        const struct ta_segment *segment = &image->segments[i];
        bool apart = segment->address != segment->run_address;
        if (segment->run_address - memory->base < memory->size_bytes)
            used += segment->memory_bytes;
        if (apart && segment->address - memory->base < memory->size_bytes)
            used += segment->size_bytes;
    }
    return used;
}

static const struct ta_segment *segment_at(const struct ta_image *image, uint64_t address) {
    for (size_t i = 0; i < image->segment_count; ++i)
        if (address - image->segments[i].run_address < image->segments[i].memory_bytes)
            return &image->segments[i];
    return NULL;
}

const struct ta_symbol *ta_image_symbol_at(const struct ta_image *image, uint64_t address) {
    const struct ta_segment *segment = segment_at(image, address);
    const struct ta_symbol *before = NULL, *holds = NULL;
    for (size_t i = 0; segment && i < image->symbol_count; ++i) {
        const struct ta_symbol *symbol = &image->symbols[i];
        if (symbol->address > address || segment_at(image, symbol->address) != segment)
            continue;
        before = symbol;
        holds = address - symbol->address < symbol->size_bytes ? symbol : holds;
    }
    return holds ? holds : before;
}

const struct ta_symbol *ta_image_symbol(const struct ta_image *image, const char *name) {
    for (size_t i = 0; i < image->symbol_count; ++i)
        if (!strcmp(image->symbols[i].name, name))
            return &image->symbols[i];
    return NULL;
}

/* A note of ours of TYPE, as it lies in memory: three little-endian words, then the name with its zero, padded to 4 bytes, then the
   description of *LENGTH bytes, which is returned. */
static const uint8_t *find_note(const uint8_t *bytes, size_t size, unsigned type, size_t *length) {
    static const uint8_t name[] = {'T', 'a', 'm', 'e', 'A', 'n', 'c', 'h', 'o', 'r', 0, 0};
    enum { NAME_BYTES = 11, HEAD_BYTES = 12 };
    for (size_t at = 0; at + HEAD_BYTES + sizeof name <= size; at += 4) {
        const uint8_t *note = bytes + at;
        if (note[0] != NAME_BYTES || note[1] || note[2] || note[3] || note[8] != type || note[9] || note[10] ||
            note[11] || memcmp(note + HEAD_BYTES, name, sizeof name))
            continue;
        *length = (size_t)little_load(note + 4, 4);
        return size - at - HEAD_BYTES - sizeof name < *length ? NULL : note + HEAD_BYTES + sizeof name;
    }
    return NULL;
}

bool ta_identity_find(const uint8_t *bytes, size_t size, struct ta_identity *identity, size_t *offset) {
    size_t length = 0;
    const uint8_t *found = find_note(bytes, size, TA_IDENTITY_NOTE, &length);
    if (!found || length != TA_IDENTITY_BYTES)
        return false;
    memcpy(identity->bytes, found, TA_IDENTITY_BYTES);
    if (offset)
        *offset = (size_t)(found - bytes);
    return true;
}

const char *ta_about_find(const uint8_t *bytes, size_t size, size_t *length) {
    return (const char *)find_note(bytes, size, TA_ABOUT_NOTE, length);
}

void ta_identity_text(const struct ta_identity *identity, char *buffer, size_t size) {
    for (size_t i = 0; i < TA_IDENTITY_BYTES && 2 * i + 2 < size; ++i)
        snprintf(buffer + 2 * i, 3, "%02x", identity->bytes[i]);
}
