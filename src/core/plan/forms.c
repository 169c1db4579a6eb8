#include "core/plan/forms.h"

#include <string.h>

enum { LINE_BYTES = 16, MOST_BYTES = 255 + 5, UPPER = 16 };
enum hex_type { HEX_DATA, HEX_END, HEX_SEGMENT, HEX_SEGMENT_START, HEX_LINEAR, HEX_LINEAR_START };
static const uint64_t most_address = UINT32_MAX;

/* Writing. */

/* Segments by address, the first first. */
static const struct ta_segment *after(const struct ta_image *image, const struct ta_segment *last) {
    const struct ta_segment *next = NULL;
    for (size_t i = 0; i < image->segment_count; ++i) {
        const struct ta_segment *each = &image->segments[i];
        bool later = !last || each->address > last->address || (each->address == last->address && each > last);
        if (each->size_bytes && later && (!next || each->address < next->address))
            next = each;
    }
    return next;
}

static enum ta_status check_addresses(const struct ta_image *image, struct ta_problem *why) {
    for (size_t i = 0; i < image->segment_count; ++i)
        if (image->segments[i].size_bytes &&
            image->segments[i].address + image->segments[i].size_bytes - 1 > most_address)
            return ta_problem_set(why, TA_E_INPUT, "take the ELF file", "a segment at 0x%llx does not fit into 32 bits",
                                  (unsigned long long)image->segments[i].address);
    return TA_OK;
}

static void add_hex(struct text *text, enum hex_type type, unsigned address, const uint8_t *bytes, unsigned count) {
    unsigned sum = count + (address >> 8) + address + type;
    text_printf(text, ":%02X%04X%02X", count, address & 0xffffu, (unsigned)type);
    for (unsigned i = 0; i < count; ++i) {
        text_printf(text, "%02X", bytes[i]);
        sum += bytes[i];
    }
    text_printf(text, "%02X\n", (0x100u - (sum & 0xffu)) & 0xffu);
}

enum ta_status hex_write(const struct ta_image *image, struct text *text, struct ta_problem *why) {
    uint64_t upper = 0;
    const uint8_t start[] = {(uint8_t)(image->entry >> 24), (uint8_t)(image->entry >> 16), (uint8_t)(image->entry >> 8),
                             (uint8_t)image->entry};
    for (const struct ta_segment *each = NULL; (each = after(image, each));)
        for (size_t at = 0; at < each->size_bytes;) {
            uint64_t address = each->address + at;
            size_t left = each->size_bytes - at, line = LINE_BYTES - address % LINE_BYTES;
            unsigned count = (unsigned)(left < line ? left : line);
            if (address >> UPPER != upper) {
                upper = address >> UPPER;
                add_hex(text, HEX_LINEAR, 0, (const uint8_t[]){(uint8_t)(upper >> 8), (uint8_t)upper}, 2);
            }
            add_hex(text, HEX_DATA, (unsigned)(address & 0xffff), each->bytes + at, count);
            at += count;
        }
    if (image->entry <= most_address)
        add_hex(text, HEX_LINEAR_START, 0, start, sizeof start);
    add_hex(text, HEX_END, 0, NULL, 0);
    return check_addresses(image, why);
}

/* TYPE 3 and 7 have addresses of four bytes. */
static void add_srec(struct text *text, unsigned type, uint32_t address, const uint8_t *bytes, unsigned count) {
    unsigned width = type == 0 ? 2 : 4, total = width + count + 1, sum = total;
    text_printf(text, "S%u%02X", type, total);
    for (unsigned i = width; i-- > 0;) {
        text_printf(text, "%02X", (unsigned)(address >> 8 * i) & 0xffu);
        sum += address >> 8 * i & 0xff;
    }
    for (unsigned i = 0; i < count; ++i) {
        text_printf(text, "%02X", bytes[i]);
        sum += bytes[i];
    }
    text_printf(text, "%02X\n", ~sum & 0xffu);
}

enum ta_status srec_write(const struct ta_image *image, struct text *text, struct ta_problem *why) {
    add_srec(text, 0, 0, NULL, 0);
    for (const struct ta_segment *each = NULL; (each = after(image, each));)
        for (size_t at = 0; at < each->size_bytes; at += LINE_BYTES) {
            size_t left = each->size_bytes - at;
            add_srec(text, 3, (uint32_t)(each->address + at), each->bytes + at,
                     (unsigned)(left < LINE_BYTES ? left : LINE_BYTES));
        }
    add_srec(text, 7, (uint32_t)image->entry, NULL, 0);
    return check_addresses(image, why);
}

/* Reading. */

/* The lines that are read, and the segment that grows. */
struct lines {
    const char *at, *end, *name;
    unsigned line;
    struct arena *arena;
    struct ta_segment *segments;
    size_t count, segment_room, room;
    uint8_t *bytes;
    struct ta_problem *why;
};

static enum ta_status bad_line(struct lines *lines, const char *what) {
    ta_problem_set(lines->why, TA_E_INPUT, "make or copy it again", "%s", what);
    ta_problem_at(lines->why, lines->name, lines->line, 1);
    return TA_E_INPUT;
}

static int digit(char letter) {
    return letter >= '0' && letter <= '9'   ? letter - '0'
           : letter >= 'A' && letter <= 'F' ? letter - 'A' + 10
           : letter >= 'a' && letter <= 'f' ? letter - 'a' + 10
                                            : -1;
}

/* The pairs of digits up to the line's end; TA_E_INPUT when there are others. AT stands behind the line then. */
static enum ta_status read_bytes(struct lines *lines, uint8_t bytes[MOST_BYTES], size_t *count) {
    *count = 0;
    while (lines->end - lines->at >= 2 && digit(lines->at[0]) >= 0 && digit(lines->at[1]) >= 0 && *count < MOST_BYTES) {
        bytes[(*count)++] = (uint8_t)(digit(lines->at[0]) << 4 | digit(lines->at[1]));
        lines->at += 2;
    }
    while (lines->at < lines->end && (*lines->at == '\r' || *lines->at == ' ' || *lines->at == '\t'))
        ++lines->at;
    if (lines->at < lines->end && *lines->at != '\n')
        return bad_line(lines, "this is not a pair of hexadecimal digits");
    return TA_OK;
}

/* Adds COUNT bytes at ADDRESS: to the segment that ends there, else as a new one. */
static enum ta_status take_data(struct lines *lines, uint64_t address, const uint8_t *bytes, size_t count) {
    struct ta_segment *last = lines->count ? &lines->segments[lines->count - 1] : NULL;
    if (!count)
        return TA_OK;
    if (address + count - 1 > most_address)
        return bad_line(lines, "its data does not fit into 32 bits of address");
    if (!last || last->address + last->size_bytes != address) {
        lines->segments =
            arena_grow(lines->arena, lines->segments, lines->count, &lines->segment_room, sizeof *lines->segments);
        if (!lines->segments)
            return ta_problem_set(lines->why, TA_E_MEMORY, NULL, "out of memory");
        last = &lines->segments[lines->count++];
        *last = (struct ta_segment){.address = address, .run_address = address};
        lines->bytes = NULL;
        lines->room = 0;
    }
    if (last->size_bytes + count > lines->room) {
        size_t room = 2 * (last->size_bytes + count) + 256;
        uint8_t *grown = arena_alloc(lines->arena, room);
        if (!grown)
            return ta_problem_set(lines->why, TA_E_MEMORY, NULL, "out of memory");
        if (last->size_bytes)
            memcpy(grown, lines->bytes, last->size_bytes);
        lines->bytes = grown;
        lines->room = room;
    }
    memcpy(lines->bytes + last->size_bytes, bytes, count);
    last->bytes = lines->bytes;
    last->size_bytes += count;
    last->memory_bytes = last->size_bytes;
    return TA_OK;
}

static uint32_t number(const uint8_t *bytes, size_t count) {
    uint32_t value = 0;
    for (size_t i = 0; i < count; ++i)
        value = value << 8 | bytes[i];
    return value;
}

static bool next_line(struct lines *lines) {
    while (lines->at < lines->end && (*lines->at == '\n' || *lines->at == '\r' || *lines->at == ' ')) {
        lines->line += *lines->at == '\n';
        ++lines->at;
    }
    return lines->at < lines->end;
}

static enum ta_status finish(struct lines *lines, bool ended, struct ta_image *image) {
    if (!ended)
        return bad_line(lines, "it is cut off: its last record is missing");
    image->segments = lines->segments;
    image->segment_count = lines->count;
    return lines->count ? TA_OK : bad_line(lines, "it has no data");
}

enum ta_status hex_read(const char *text, size_t length, const char *name, struct arena *arena, struct ta_image *image,
                        bool *starts, struct ta_problem *why) {
    enum { COUNT, HIGH, LOW, TYPE, DATA };
    struct lines lines = {.at = text, .end = text + length, .name = name, .line = 1, .arena = arena, .why = why};
    uint64_t base = 0;
    bool ended = false;
    *starts = false;
    while (!ended && next_line(&lines)) {
        uint8_t bytes[MOST_BYTES], sum = 0;
        size_t count;
        enum ta_status status = *lines.at++ == ':' ? read_bytes(&lines, bytes, &count)
                                                   : bad_line(&lines, "this line does not begin with ':'");
        if (!status && (count < DATA + 1 || count != (size_t)bytes[COUNT] + DATA + 1))
            status = bad_line(&lines, "its length is not the one that it tells");
        for (size_t i = 0; !status && i < count; ++i)
            sum = (uint8_t)(sum + bytes[i]);
        if (!status && sum)
            status = bad_line(&lines, "its checksum is wrong");
        if (status)
            return status;
        const uint8_t *data = bytes + DATA;
        size_t size = bytes[COUNT];
        bool wide = bytes[TYPE] == HEX_SEGMENT_START || bytes[TYPE] == HEX_LINEAR_START;
        if ((wide && size != 4) || ((bytes[TYPE] == HEX_SEGMENT || bytes[TYPE] == HEX_LINEAR) && size != 2))
            return bad_line(&lines, "its length does not fit its type");
        switch (bytes[TYPE]) {
        case HEX_DATA: status = take_data(&lines, base + number(bytes + HIGH, 2), data, size); break;
        case HEX_END: ended = true; break;
        case HEX_SEGMENT: base = (uint64_t)number(data, 2) << 4; break;
        case HEX_LINEAR: base = (uint64_t)number(data, 2) << UPPER; break;
        case HEX_SEGMENT_START: break; /* of another processor's family */
        case HEX_LINEAR_START:
            image->entry = number(data, 4);
            *starts = true;
            break;
        default: status = bad_line(&lines, "its type is not one of Intel HEX");
        }
        if (status)
            return status;
    }
    return finish(&lines, ended, image);
}

enum ta_status srec_read(const char *text, size_t length, const char *name, struct arena *arena, struct ta_image *image,
                         bool *starts, struct ta_problem *why) {
    static const unsigned widths[] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2}; /* of addresses, by type */
    struct lines lines = {.at = text, .end = text + length, .name = name, .line = 1, .arena = arena, .why = why};
    bool ended = false;
    *starts = false;
    while (!ended && next_line(&lines)) {
        uint8_t bytes[MOST_BYTES], sum = 0;
        size_t count;
        int type = lines.end - lines.at > 2 && (*lines.at == 'S' || *lines.at == 's') ? digit(lines.at[1]) : -1;
        unsigned width = type >= 0 && type <= 9 ? widths[type] : 0;
        if (!width)
            return bad_line(&lines, "this line does not begin with S and a type");
        lines.at += 2;
        enum ta_status status = read_bytes(&lines, bytes, &count);
        bool exact = type >= 5; /* counts and ends have no data */
        if (!status && (count < width + 2 || (exact && count != width + 2) || count != (size_t)bytes[0] + 1))
            status = bad_line(&lines, "its length is not the one that it tells");
        for (size_t i = 0; !status && i < count; ++i)
            sum = (uint8_t)(sum + bytes[i]);
        if (!status && sum != 0xff)
            status = bad_line(&lines, "its checksum is wrong");
        if (!status && type >= 1 && type <= 3)
            status = take_data(&lines, number(bytes + 1, width), bytes + 1 + width, count - width - 2);
        if (status)
            return status;
        if (type >= 7) {
            image->entry = number(bytes + 1, width);
            *starts = ended = true;
        }
    }
    return finish(&lines, ended, image);
}
