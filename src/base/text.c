#include "base/text.h"

#include <ctype.h>
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
            int from = tolower((unsigned char)a[i - 1]), to = tolower((unsigned char)b[j - 1]);
            size_t best = last[j - 1] + (from != to);
            if (last[j] + 1 < best)
                best = last[j] + 1;
            if (row[j - 1] + 1 < best)
                best = row[j - 1] + 1;
            bool swapped =
                i > 1 && j > 1 && from == tolower((unsigned char)b[j - 2]) && tolower((unsigned char)a[i - 2]) == to;
            if (swapped && above[j - 2] + 1 < best)
                best = above[j - 2] + 1;
            row[j] = best;
        }
        memcpy(above, last, sizeof above);
        memcpy(last, row, sizeof last);
    }
    return last[columns];
}

bool text_is_near(const char *word, const char *candidate) {
    size_t length = strlen(word);
    return text_distance(word, candidate) <= 1 + length / 4 || (length > 2 && strstr(candidate, word) != NULL);
}

bool text_is_utf8(const char *bytes, size_t length) {
    for (size_t i = 0; i < length;) {
        unsigned char lead = (unsigned char)bytes[i++];
        unsigned more = lead < 0x80 ? 0 : lead >= 0xc2 && lead < 0xe0 ? 1 : lead >= 0xe0 && lead < 0xf0 ? 2 : 3;
        if (lead >= 0x80 && (lead < 0xc2 || lead > 0xf4 || length - i < more))
            return false;
        for (unsigned k = 0; k < more; ++k, ++i) {
            unsigned char next = (unsigned char)bytes[i];
            bool bad = (next & 0xc0) != 0x80;
            if (k == 0)
                bad = bad || (lead == 0xe0 && next < 0xa0) || (lead == 0xed && next > 0x9f) ||
                      (lead == 0xf0 && next < 0x90) || (lead == 0xf4 && next > 0x8f);
            if (bad)
                return false;
        }
    }
    return true;
}

bool text_is_name(const char *text) {
    return *text && strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789-_") == strlen(text);
}
