#include "host/dotenv.h"

#include "host/files.h"

#include <glib.h>
#include <string.h>

enum { FILE_BYTES = 1 << 20 };

static bool is_name(const char *text, size_t length) {
    for (size_t i = 0; i < length; ++i)
        if (!g_ascii_isalnum(text[i]) && text[i] != '_' && text[i] != '-')
            return false;
    return length > 0;
}

static struct dotenv_line read_line(const char *text) {
    struct dotenv_line line = {.text = g_strdup(text)};
    const char *at = text + strspn(text, " \t");
    if (g_str_has_prefix(at, "export "))
        at += strlen("export ");
    const char *equals = strchr(at, '=');
    size_t length = equals ? (size_t)(equals - at) : 0;
    while (length && g_ascii_isspace(at[length - 1]))
        --length;
    if (*at == '#' || !equals || !is_name(at, length))
        return line;
    line.name = g_strndup(at, length);
    const char *value = equals + 1;
    size_t size = strlen(value);
    bool quoted = size >= 2 && (*value == '"' || *value == '\'') && value[size - 1] == *value;
    line.value = quoted ? g_strndup(value + 1, size - 2) : g_strdup(value);
    return line;
}

enum ta_status dotenv_read(const char *path, struct dotenv *dotenv, struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length = 0;
    *dotenv = (struct dotenv){0};
    if (!g_file_test(path, G_FILE_TEST_EXISTS))
        return TA_OK;
    enum ta_status status = file_read(path, FILE_BYTES, &text, &length, why);
    if (!status && strlen(text) != length)
        status = ta_problem_set(why, TA_E_INPUT, "write it anew", "%s is not text", path);
    g_auto(GStrv) lines = status ? NULL : g_strsplit(text, "\n", -1);
    size_t count = status ? 0 : g_strv_length(lines);
    count -= count && !*lines[count - 1]; /* behind the last line's end */
    dotenv->lines = g_new0(struct dotenv_line, count + 1);
    for (; dotenv->count < count; ++dotenv->count) {
        char *line = lines[dotenv->count];
        if (g_str_has_suffix(line, "\r"))
            line[strlen(line) - 1] = '\0';
        dotenv->lines[dotenv->count] = read_line(line);
    }
    return status;
}

static void clear_line(struct dotenv_line *line) {
    g_free(line->text);
    g_free(line->name);
    g_free(line->value);
}

void dotenv_clear(struct dotenv *dotenv) {
    for (size_t i = 0; i < dotenv->count; ++i)
        clear_line(&dotenv->lines[i]);
    g_free(dotenv->lines);
    *dotenv = (struct dotenv){0};
}

const struct dotenv_line *dotenv_find(const struct dotenv *dotenv, const char *name, unsigned *number) {
    for (size_t i = dotenv->count; i-- > 0;) {
        if (!dotenv->lines[i].name || strcmp(dotenv->lines[i].name, name))
            continue;
        if (number)
            *number = (unsigned)i + 1;
        return &dotenv->lines[i];
    }
    return NULL;
}

void dotenv_set(struct dotenv *dotenv, const char *name, const char *value) {
    unsigned number;
    bool plain = !strpbrk(value, "'\"# ");
    g_autofree char *text = plain ? g_strdup_printf("%s=%s", name, value)
                                  : g_strdup_printf(strchr(value, '"') ? "%s='%s'" : "%s=\"%s\"", name, value);
    if (!dotenv_find(dotenv, name, &number)) {
        dotenv->lines = g_renew(struct dotenv_line, dotenv->lines, dotenv->count + 2);
        number = (unsigned)++dotenv->count;
    } else {
        clear_line(&dotenv->lines[number - 1]);
    }
    dotenv->lines[number - 1] = read_line(text);
}

enum ta_status dotenv_write(const char *path, const struct dotenv *dotenv, struct ta_problem *why) {
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; i < dotenv->count; ++i)
        g_string_append_printf(text, "%s\n", dotenv->lines[i].text);
    return file_write_private(path, text->str, text->len, why);
}
