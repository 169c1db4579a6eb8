#include "core/plan/dependencies.h"

#include "core/plan/plan.h"

#include <string.h>

static bool is_blank(char letter) {
    return letter == ' ' || letter == '\t' || letter == '\n' || letter == '\r' || letter == '\v' || letter == '\f';
}

bool dependencies_read(const char *text, size_t length, char *buffer, void (*found)(void *with, const char *name),
                       void *with) {
    static const char head[] = PLAN_RULE ":";
    const char *at = text + strlen(head), *end = text + length;
    size_t used = 0;
    if (length < strlen(head) || memcmp(text, head, strlen(head)))
        return false;
    for (bool more = true; more;) {
        size_t slashes = 0;
        while (at + slashes < end && at[slashes] == '\\')
            ++slashes;
        char behind = at + slashes < end ? at[slashes] : '\0';
        bool quotable = behind == ' ' || behind == '\t' || behind == '#', quoted = slashes % 2 && quotable;
        size_t kept = quotable ? slashes / 2 : slashes - (slashes && behind == '\n');
        for (size_t i = 0; i < kept; ++i)
            buffer[used++] = '\\';
        at += slashes;
        more = at < end && *at;
        if (quoted || (more && !is_blank(*at))) {
            at += *at == '$' && at + 1 < end && at[1] == '$';
            buffer[used++] = *at;
        } else if (used) {
            buffer[used] = '\0';
            found(with, buffer);
            used = 0;
        }
        at += more;
    }
    return true;
}

/* The name in quotes or angles that stands at AT, into BUFFER; false when there is none on the line. */
static bool quoted_name(const char *at, const char *end, char *buffer) {
    size_t used = 0;
    while (at < end && (*at == ' ' || *at == '\t' || *at == '(' || *at == '\\')) /* \" in a string of C */
        ++at;
    char close = at == end ? '\0' : *at == '"' ? '"' : *at == '<' ? '>' : '\0';
    if (!close)
        return false;
    for (++at; at < end && *at != close && *at != '\\' && *at != '\n'; ++at)
        buffer[used++] = *at;
    buffer[used] = '\0';
    return at < end && *at != '\n' && used;
}

void dependencies_scan(const char *text, size_t length, char *buffer,
                       void (*found)(void *with, const char *name, bool looked_for), void *with) {
    static const struct {
        const char *word;
        bool looked_for;
    } words[] = {{".incbin", false}, {".include", false}, {"__has_include", true}};
    const char *end = text + length;
    for (const char *at = text; at < end; ++at) {
        if (*at != '.' && *at != '_')
            continue;
        for (size_t i = 0; i < sizeof words / sizeof *words; ++i) {
            size_t size = strlen(words[i].word);
            if ((size_t)(end - at) > size && !memcmp(at, words[i].word, size) && quoted_name(at + size, end, buffer))
                found(with, buffer, words[i].looked_for);
        }
    }
}
