#include "base/text.h"

#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static bool text_reserve(struct text *text, size_t more) {
    if (text->failed || text->room - text->length > more)
        return !text->failed;
    size_t room = (text->length + more + 1) * 2;
    char *bytes = realloc(text->bytes, room);
    if (!bytes) {
        text->failed = true;
        return false;
    }
    text->bytes = bytes;
    text->room = room;
    return true;
}

void text_add(struct text *text, const char *bytes, size_t length) {
    if (!text_reserve(text, length))
        return;
    if (length)
        memcpy(text->bytes + text->length, bytes, length);
    text->length += length;
    text->bytes[text->length] = '\0';
}

void text_printf(struct text *text, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    int length = vsnprintf(NULL, 0, format, arguments);
    va_end(arguments);
    if (length < 0 || !text_reserve(text, (size_t)length))
        return;
    va_start(arguments, format);
    vsnprintf(text->bytes + text->length, (size_t)length + 1, format, arguments);
    va_end(arguments);
    text->length += (size_t)length;
}

void text_drop(struct text *text, size_t count) {
    if (count > text->length)
        count = text->length;
    if (!count)
        return;
    memmove(text->bytes, text->bytes + count, text->length - count + 1);
    text->length -= count;
}

void text_free(struct text *text) {
    free(text->bytes);
    *text = (struct text){0};
}

/* Whatever the locale: a Turkish one would make another letter of 'I'. */
static int lower(char letter) {
    return letter >= 'A' && letter <= 'Z' ? letter + 'a' - 'A' : letter;
}

size_t text_distance(const char *a, const char *b) {
    enum { LONGEST = 64 };
    size_t rows = strlen(a), columns = strlen(b);
    size_t above[LONGEST + 1], last[LONGEST + 1], row[LONGEST + 1];
    if (rows > LONGEST || columns > LONGEST)
        return SIZE_MAX;
    for (size_t column = 0; column <= columns; ++column)
        last[column] = column;
    memcpy(above, last, sizeof above);
    for (size_t i = 1; i <= rows; ++i) {
        row[0] = i;
        for (size_t j = 1; j <= columns; ++j) {
            int from = lower(a[i - 1]), to = lower(b[j - 1]);
            size_t best = last[j - 1] + (from != to);
            if (last[j] + 1 < best)
                best = last[j] + 1;
            if (row[j - 1] + 1 < best)
                best = row[j - 1] + 1;
            bool swapped = i > 1 && j > 1 && from == lower(b[j - 2]) && lower(a[i - 2]) == to;
            if (swapped && above[j - 2] + 1 < best)
                best = above[j - 2] + 1;
            row[j] = best;
        }
        memcpy(above, last, sizeof above);
        memcpy(last, row, sizeof last);
    }
    return last[columns];
}

const char *text_nearer(const char *word, const char *candidate, const char *best) {
    size_t length = strlen(word), distance = text_distance(word, candidate);
    bool near = distance <= 1 + length / 4 || (length > 2 && strstr(candidate, word) != NULL);
    return near && (!best || distance < text_distance(word, best)) ? candidate : best;
}

/* How long a character is that begins with LEAD; 0 when none does. */
static size_t utf8_length(unsigned char lead) {
    return lead < 0x80 ? 1 : lead < 0xc2 ? 0 : lead < 0xe0 ? 2 : lead < 0xf0 ? 3 : lead < 0xf5 ? 4 : 0;
}

/* Decodes the character at BYTES; its length, or 0 when it is not well-formed (RFC 3629). */
static size_t utf8_decode(const char *bytes, size_t length, uint32_t *character) {
    static const uint32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
    size_t size = length ? utf8_length((unsigned char)bytes[0]) : 0;
    if (!size || size > length)
        return 0;
    *character = (unsigned char)bytes[0] & (size == 1 ? 0x7fu : 0xffu >> (size + 1));
    for (size_t i = 1; i < size; ++i) {
        if (((unsigned char)bytes[i] & 0xc0) != 0x80)
            return 0;
        *character = *character << 6 | ((unsigned char)bytes[i] & 0x3f);
    }
    bool good = *character >= least[size] && *character <= 0x10ffff && (*character & ~0x7ffu) != 0xd800;
    return good ? size : 0;
}

bool text_is_utf8(const char *bytes, size_t length) {
    uint32_t character;
    for (size_t at = 0, size; at < length; at += size) {
        size = utf8_decode(bytes + at, length - at, &character);
        if (!size)
            return false;
    }
    return true;
}

/* C0, DEL and C1 controls, line and paragraph separators, and what turns the direction of reading (Unicode 15, UAX 9). */
static bool is_control(uint32_t character) {
    static const struct {
        uint32_t first, last;
    } ranges[] = {{0, 0x1f},        {0x7f, 0x9f},     {0x61c, 0x61c},  {0x200e, 0x200f},
                  {0x2028, 0x202e}, {0x2066, 0x2069}, {0xfeff, 0xfeff}};
    for (size_t i = 0; i < sizeof ranges / sizeof *ranges; ++i)
        if (character >= ranges[i].first && character <= ranges[i].last)
            return true;
    return false;
}

size_t text_add_shown(struct text *out, const char *bytes, size_t length, bool lines, bool last) {
    size_t at = 0, size;
    for (uint32_t character = 0; at < length; at += size) {
        unsigned char byte = (unsigned char)bytes[at];
        size = utf8_decode(bytes + at, length - at, &character);
        bool ends_inside = (!size && utf8_length(byte) > length - at) || (lines && byte == '\r' && at + 1 == length);
        if (ends_inside && !last)
            break;
        bool stays =
            lines && (byte == '\n' || byte == '\t' || (byte == '\r' && at + 1 < length && bytes[at + 1] == '\n'));
        if (size && (stays || !is_control(character))) {
            text_add(out, bytes + at, size);
            continue;
        }
        text_printf(out, size > 1 ? "\\u%04x" : "\\x%02x", size > 1 ? (unsigned)character : byte);
        size = size ? size : 1;
    }
    return at;
}

/* Normal, bold, or a colour that no background hides. */
static bool is_plain_attribute(unsigned number) {
    return number <= 1 || (number >= 31 && number <= 36);
}

size_t text_colour(const char *text) {
    static const char erase[] = "\033[K";
    const char *at = text + 2;
    unsigned number = 0;
    if (text[0] != '\033' || text[1] != '[')
        return 0;
    for (; (*at >= '0' && *at <= '9') || *at == ';'; ++at) {
        number = *at == ';' ? 0 : number > 99 ? number : number * 10 + (unsigned)(*at - '0');
        if (at[1] < '0' || at[1] > '9') /* its last digit */
            if (!is_plain_attribute(number))
                return 0;
    }
    if (*at != 'm')
        return 0;
    ++at;
    return (size_t)(at - text) + (strncmp(at, erase, strlen(erase)) ? 0 : strlen(erase));
}

bool text_is_name(const char *text) {
    return *text && strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789-_") == strlen(text);
}
