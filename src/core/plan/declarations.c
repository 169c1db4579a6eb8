#include "core/plan/declarations.h"

#include "base/text.h"

#include <ctype.h>
#include <stdbool.h>
#include <string.h>

struct reader {
    const char *at;
    struct arena *arena;
    struct header *header;
    const char *comment;  /* the last one, until an empty line or something else follows */
    struct text declared; /* since the last ';' */
    bool begun;           /* something was declared or included already: a comment is no longer the header's own */
};

static bool is_word(char letter) {
    return isalnum((unsigned char)letter) || letter == '_';
}

/* Blanks and line ends become one blank each; none at the ends. */
static const char *one_line(const char *text, size_t length, struct arena *arena) {
    char *line = arena_text_part(arena, text, length);
    size_t kept = 0;
    for (size_t i = 0; i < length; ++i) {
        bool blank = isspace((unsigned char)text[i]);
        if (!blank || (kept && line[kept - 1] != ' '))
            line[kept++] = blank ? ' ' : text[i];
    }
    kept -= kept && line[kept - 1] == ' ';
    line[kept] = '\0';
    return line;
}

/* A comment's words: without the stars and slashes that frame its lines. */
static void take_comment(struct reader *reader, size_t length, bool block) {
    struct text words = {0};
    const char *at = reader->at + 2, *end = reader->at + length - (block ? 2 : 0);
    for (bool line_start = true; at < end; ++at) {
        if (line_start && (*at == '*' || *at == '/' || *at == '!' || isspace((unsigned char)*at)) && *at != '\n')
            continue;
        line_start = *at == '\n';
        text_add(&words, at, 1);
    }
    const char *line = words.failed || !words.bytes ? "" : one_line(words.bytes, words.length, reader->arena);
    text_free(&words);
    if (!block && reader->comment) /* lines of // belong together */
        line = arena_printf(reader->arena, "%s %s", reader->comment, line);
    reader->comment = line;
    reader->at += length;
}

/* Leaves out __attribute__((...)). */
static const char *without_attributes(const char *line, struct arena *arena) {
    static const char word[] = "__attribute__";
    struct text text = {0};
    for (const char *at = line; *at; ++at) {
        if (strncmp(at, word, strlen(word))) {
            text_add(&text, at, 1);
            continue;
        }
        int depth = 0;
        for (at += strlen(word); *at && (depth || *at != ')'); ++at) {
            depth += *at == '(';
            depth -= *at == ')';
            if (!depth && *at == ')')
                break;
        }
        if (!*at)
            break;
    }
    const char *kept = text.bytes && !text.failed ? one_line(text.bytes, text.length, arena) : line;
    text_free(&text);
    return kept;
}

static bool begins_with(const char *line, const char *word) {
    return !strncmp(line, word, strlen(word)) && !is_word(line[strlen(word)]);
}

/* A function: "TYPE NAME(...)". What defines types, or declares a pointer to a function, is none. */
static void end_declaration(struct reader *reader) {
    struct header *header = reader->header;
    struct text *declared = &reader->declared;
    if (declared->bytes && !declared->failed) {
        const char *line =
            without_attributes(one_line(declared->bytes, declared->length, reader->arena), reader->arena);
        const char *open = strchr(line, '(');
        const char *end = open;
        while (end && end > line && end[-1] == ' ')
            --end;
        const char *name = end;
        while (name && name > line && is_word(name[-1]))
            --name;
        if (open && name > line && end > name && open[1] != '*' && !begins_with(line, "typedef")) {
            header->functions[header->function_count++] =
                (struct declaration){arena_text_part(reader->arena, name, (size_t)(end - name)), line,
                                     reader->comment ? reader->comment : ""};
        }
    }
    text_free(declared);
    *declared = (struct text){0};
}

/* From '{' to behind its '}'. */
static void skip_body(struct reader *reader) {
    int depth = 0;
    for (; *reader->at; ++reader->at) {
        depth += *reader->at == '{';
        depth -= *reader->at == '}';
        if (!depth && *reader->at == '}')
            break;
    }
    reader->at += *reader->at != '\0';
}

static void skip_directive(struct reader *reader) {
    while (*reader->at && (*reader->at != '\n' || reader->at[-1] == '\\'))
        ++reader->at;
}

static size_t comment_length(const char *at) {
    if (at[0] == '/' && at[1] == '/')
        return strcspn(at, "\n");
    const char *end = at[0] == '/' && at[1] == '*' ? strstr(at + 2, "*/") : NULL;
    return end ? (size_t)(end - at) + 2 : 0;
}

static bool opens_linkage(const struct text *declared) {
    return declared->bytes && strstr(declared->bytes, "extern") && strchr(declared->bytes, '"');
}

void header_read(const char *text, size_t length, struct arena *arena, struct header *header) {
    struct reader reader = {.at = text, .arena = arena, .header = header};
    size_t most = 1;
    for (size_t i = 0; i < length; ++i)
        most += text[i] == ';' || text[i] == '{';
    *header = (struct header){.about = "", .functions = arena_alloc(arena, most * sizeof *header->functions)};
    if (!header->functions)
        return;
    while (*reader.at) {
        size_t comment = comment_length(reader.at);
        if (comment) {
            take_comment(&reader, comment, reader.at[1] == '*');
            header->about = reader.begun ? header->about : reader.comment;
        } else if (reader.at[0] == '\n' && reader.at[1] == '\n') {
            reader.comment = reader.declared.length ? reader.comment : NULL;
            ++reader.at;
        } else if (*reader.at == '#' && !reader.declared.length) {
            skip_directive(&reader);
            reader.begun = true;
            reader.comment = NULL;
        } else if (*reader.at == ';') {
            reader.begun = true;
            end_declaration(&reader);
            ++reader.at;
        } else if (*reader.at == '{' && opens_linkage(&reader.declared)) {
            text_free(&reader.declared);
            reader.declared = (struct text){0};
            ++reader.at;
        } else if (*reader.at == '{') {
            skip_body(&reader);
            if (reader.declared.bytes && strchr(reader.declared.bytes, '('))
                end_declaration(&reader); /* an inline function */
        } else if (*reader.at == '}') {
            ++reader.at;
        } else {
            if (reader.declared.length || !isspace((unsigned char)*reader.at))
                text_add(&reader.declared, reader.at, 1);
            ++reader.at;
        }
    }
    text_free(&reader.declared);
}

const char *comment_brief(const char *comment, struct arena *arena) {
    const char *end = comment;
    while (*end && !(*end == ';' && end[1] == ' ') &&
           !(*end == '.' && (!end[1] || (end[1] == ' ' && !islower((unsigned char)end[2]))))) /* "e.g. this" goes on */
        ++end;
    return arena_text_part(arena, comment, (size_t)(end - comment));
}
