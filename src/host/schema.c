#include "host/schema.h"

#include "base/text.h"
#include "base/units.h"
#include "core/model/models.h"
#include "host/files.h"
#include "tameanchor/profile.h"
#include "tameanchor/version.h"

#include <glib.h>
#include <string.h>
#include <yaml.h>

enum { BRACKETS = 1000 };

struct reader {
    const char *name;
    yaml_document_t document;
    struct arena *arena;
    struct ta_problem *why;
    GString *path;          /* of the key being read: "needs.sdk.strand" */
    const yaml_node_t *key; /* the key whose value is read now */
    unsigned nodes, depth;
    bool overlay; /* over a model that holds something already */
};

G_GNUC_PRINTF(4, 5)
static enum ta_status refuse(struct reader *reader, const yaml_node_t *node, const char *fix, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    g_autofree char *what = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    ta_problem_set(reader->why, TA_E_INPUT, fix, "%s%s%s", reader->path->str, reader->path->len ? ": " : "", what);
    ta_problem_at(reader->why, reader->name, (unsigned)node->start_mark.line + 1,
                  (unsigned)node->start_mark.column + 1);
    return TA_E_INPUT;
}

static const char *node_kind(const yaml_node_t *node) {
    return node->type == YAML_MAPPING_NODE ? "a mapping" : node->type == YAML_SEQUENCE_NODE ? "a list" : "a text";
}

static yaml_node_t *node_at(struct reader *reader, int index) {
    return yaml_document_get_node(&reader->document, index);
}

/* Counts nodes as they are visited, so that aliases cannot make a small file endless. */
static enum ta_status expect_node(struct reader *reader, const yaml_node_t *node, yaml_node_type_t type,
                                  const char *wanted) {
    if (++reader->nodes > SCHEMA_NODES || reader->depth > SCHEMA_DEPTH)
        return refuse(reader, node, "make it smaller", "the file is nested too deeply or has too many values");
    if (node->type != type)
        return refuse(reader, node, NULL, "it must be %s, not %s", wanted, node_kind(node));
    return TA_OK;
}

static size_t path_push(struct reader *reader, const char *key) {
    size_t before = reader->path->len;
    g_string_append_printf(reader->path, "%s%s", before ? "." : "", key);
    return before;
}

/* Scalars. */

static const char *scalar_text(const yaml_node_t *node) {
    return (const char *)node->data.scalar.value;
}

static enum ta_status read_text(struct reader *reader, const yaml_node_t *node, const char **text) {
    enum ta_status status = expect_node(reader, node, YAML_SCALAR_NODE, "a text");
    if (status)
        return status;
    if (strlen(scalar_text(node)) != node->data.scalar.length)
        return refuse(reader, node, NULL, "a text cannot hold a zero byte");
    if (!node->data.scalar.length)
        return refuse(reader, node, "write a value or leave the key out", "it is empty");
    *text = arena_text(reader->arena, scalar_text(node));
    return TA_OK;
}

static int choice_index(const char *const *choices, const char *text) {
    for (int i = 0; choices[i]; ++i)
        if (!strcmp(choices[i], text))
            return i;
    return -1;
}

static enum ta_status refuse_choice(struct reader *reader, const yaml_node_t *node, const char *const *choices) {
    g_autofree char *all = g_strjoinv(", ", (char **)choices);
    g_autofree char *fix = g_strdup_printf("write one of: %s", all);
    return refuse(reader, node, fix, "\"%s\" is not known", scalar_text(node));
}

static bool is_version(const char *text) {
    struct ta_version version;
    return !ta_version_parse(text, &version, NULL);
}

static bool is_range(const char *text) {
    return !ta_range_check(text, NULL);
}

static bool is_digest(const char *text) {
    return strlen(text) == 64 && strspn(text, "0123456789abcdef") == 64;
}

/* What a text must be. */
struct form {
    bool (*holds)(const char *text);
    const char *called, *fix;
};
static const struct form as_name = {text_is_name, "a name", "use small letters, digits and -"},
                         as_version = {is_version, "a version", "write for example 2.1.0"},
                         as_range = {is_range, "a version range", "write for example \">=2.0 <3\""},
                         as_digest = {is_digest, "a SHA-256", "write 64 hexadecimal digits"};

/* FORM may be null: any text is allowed. */
static enum ta_status read_form(struct reader *reader, const yaml_node_t *node, const struct form *form,
                                const char **text) {
    enum ta_status status = read_text(reader, node, text);
    return status || !form || form->holds(*text)
               ? status
               : refuse(reader, node, form->fix, "\"%s\" is not %s", *text, form->called);
}

static enum ta_status read_quantity(struct reader *reader, const yaml_node_t *node, enum unit_kind unit,
                                    const char *wanted, uint64_t *value) {
    enum ta_status status = expect_node(reader, node, YAML_SCALAR_NODE, wanted);
    if (status)
        return status;
    if (unit_parse(scalar_text(node), node->data.scalar.length, unit, value))
        return TA_OK;
    g_autofree char *fix = unit == UNIT_NONE ? g_strdup("write for example 8 or 0x40000000")
                                             : g_strdup_printf("write a number with %s", unit_names(unit));
    return refuse(reader, node, fix, "\"%s\" is not %s", scalar_text(node), wanted);
}

static enum ta_status read_whole(struct reader *reader, const yaml_node_t *node, const struct field *field,
                                 uint64_t *value) {
    enum ta_status status = read_quantity(reader, node, UNIT_NONE, "a whole number", value);
    if (!status && (*value < field->minimum || (field->maximum && *value > field->maximum)))
        return refuse(reader, node, NULL, "%s is out of range; it may be %" G_GUINT64_FORMAT " to %" G_GUINT64_FORMAT,
                      scalar_text(node), field->minimum, field->maximum);
    return status;
}

static enum ta_status read_format(struct reader *reader, const yaml_node_t *node, uint64_t *format) {
    enum ta_status status = read_quantity(reader, node, UNIT_NONE, "a whole number", format);
    if (!status && *format > SCHEMA_FORMAT)
        return refuse(reader, node, "get a newer tanchor",
                      "the file has format %" G_GUINT64_FORMAT ", this tanchor knows %d", *format, SCHEMA_FORMAT);
    return status;
}

static enum ta_status read_switch(struct reader *reader, const yaml_node_t *node, bool *value) {
    static const char *const words[] = {"off", "on", NULL};
    enum ta_status status = expect_node(reader, node, YAML_SCALAR_NODE, "on or off");
    int index = status ? 0 : choice_index(words, scalar_text(node));
    if (!status && index < 0)
        return refuse_choice(reader, node, words);
    *value = index == 1;
    return status;
}

/* Lists and mappings. */

static enum ta_status read_texts(struct reader *reader, const yaml_node_t *node, struct texts *texts) {
    enum ta_status status = expect_node(reader, node, YAML_SEQUENCE_NODE, "a list");
    if (status)
        return status;
    size_t count = (size_t)(node->data.sequence.items.top - node->data.sequence.items.start);
    *texts = (struct texts){arena_alloc(reader->arena, (count + 1) * sizeof *texts->items), 0};
    for (size_t i = 0; !status && i < count; ++i)
        status = read_text(reader, node_at(reader, node->data.sequence.items.start[i]), &texts->items[texts->count++]);
    return status;
}

typedef enum ta_status read_pair(struct reader *reader, const char *key, const yaml_node_t *value, const void *how,
                                 void *into);

/* Gives each pair of a mapping to READ; keys are texts, and each comes once. */
static enum ta_status read_pairs(struct reader *reader, const yaml_node_t *node, read_pair *read, const void *how,
                                 void *into) {
    enum ta_status status = expect_node(reader, node, YAML_MAPPING_NODE, "a mapping");
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);
    if (status)
        return status;
    ++reader->depth;
    for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start; !status && pair < node->data.mapping.pairs.top;
         ++pair) {
        const yaml_node_t *key = node_at(reader, pair->key);
        status = expect_node(reader, key, YAML_SCALAR_NODE, "a key");
        if (status)
            break;
        if (!g_hash_table_add(seen, (char *)scalar_text(key))) {
            status = refuse(reader, key, "keep one of them", "\"%s\" appears twice here", scalar_text(key));
            break;
        }
        size_t before = path_push(reader, scalar_text(key));
        reader->key = key;
        status = read(reader, scalar_text(key), node_at(reader, pair->value), how, into);
        g_string_truncate(reader->path, before);
    }
    --reader->depth;
    return status;
}

static size_t pair_count(const yaml_node_t *node) {
    return node->type == YAML_MAPPING_NODE ? (size_t)(node->data.mapping.pairs.top - node->data.mapping.pairs.start)
                                           : 0;
}

/* A list of structs as it lies in a model. */
struct entries {
    char *items;
    size_t count;
};

/* Needs, pins and pairs lie in a model as two texts each. */
struct two {
    const char *name, *text;
};
G_STATIC_ASSERT(sizeof(struct two) == sizeof(struct need) && sizeof(struct two) == sizeof(struct pin) &&
                sizeof(struct two) == sizeof(struct pair));

/* The place of KEY among the items, which each begin with their name: an overlay replaces what was. A new one gets the name. */
static void *item_of(struct reader *reader, struct entries *entries, size_t size, const char *key, bool *is_new) {
    for (size_t i = 0; i < entries->count; ++i) {
        const char *known;
        memcpy(&known, entries->items + size * i, sizeof known);
        if (!strcmp(known, key))
            return entries->items + size * i;
    }
    char *item = entries->items + size * entries->count++;
    const char *name = arena_text(reader->arena, key);
    memcpy(item, &name, sizeof name);
    if (is_new)
        *is_new = true;
    return item;
}

/* The key that is read now is a name: it goes into file names, generated code and commands. */
static enum ta_status expect_name(struct reader *reader) {
    const char *name;
    return read_form(reader, reader->key, &as_name, &name);
}

static enum ta_status read_two(struct reader *reader, const char *key, const yaml_node_t *value, const void *how,
                               void *into) {
    if ((how == &as_range || how == &as_version) && expect_name(reader))
        return TA_E_INPUT;
    struct two *two = item_of(reader, into, sizeof *two, key, NULL);
    return read_form(reader, value, how, &two->text);
}

static enum ta_status read_option(struct reader *reader, const char *key, const yaml_node_t *value, const void *how,
                                  void *into) {
    if (expect_name(reader))
        return TA_E_INPUT;
    struct ta_option *option = item_of(reader, into, sizeof *option, key, NULL);
    (void)how;
    return read_quantity(reader, value, UNIT_NONE, "a whole number", &option->value);
}

static enum ta_status read_group(struct reader *reader, const yaml_node_t *node, const struct field *shape,
                                 void *model);

static size_t shape_bytes(const struct field *shape) {
    while (shape->key)
        ++shape;
    return shape->offset;
}

static enum ta_status read_entry(struct reader *reader, const char *key, const yaml_node_t *value, const void *how,
                                 void *into) {
    const struct field *shape = how;
    bool overlay = reader->overlay, is_new = false;
    void *entry = item_of(reader, into, shape_bytes(shape), key, &is_new);
    reader->overlay = overlay && !is_new; /* a new one must be whole */
    enum ta_status status = read_group(reader, value, shape, entry);
    reader->overlay = overlay;
    return status;
}

static enum ta_status read_named(struct reader *reader, const char *key, const yaml_node_t *value, const void *how,
                                 void *into) {
    return expect_name(reader) ? TA_E_INPUT : read_entry(reader, key, value, how, into);
}

/* Reads a mapping whose size decides how many items of SIZE there will be. */
static enum ta_status read_list(struct reader *reader, const yaml_node_t *node, read_pair *read, const void *how,
                                size_t size, struct entries *entries) {
    size_t kept = reader->overlay ? entries->count : 0;
    char *items = arena_alloc(reader->arena, (kept + pair_count(node) + 1) * size);
    if (kept)
        memcpy(items, entries->items, kept * size);
    *entries = (struct entries){items, kept};
    return read_pairs(reader, node, read, how, entries);
}

/* A list of names, each in any version. */
static enum ta_status read_names(struct reader *reader, const yaml_node_t *node, struct needs *needs) {
    struct texts names = {0};
    enum ta_status status = read_texts(reader, node, &names);
    *needs = (struct needs){status ? NULL : arena_alloc(reader->arena, (names.count + 1) * sizeof *needs->items), 0};
    for (size_t i = 0; !status && i < names.count; ++i)
        needs->items[needs->count++] = (struct need){names.items[i], "*"};
    return status;
}

static enum ta_status read_field(struct reader *reader, const yaml_node_t *node, const struct field *field,
                                 void *model) {
    void *at = (char *)model + field->offset;
    uint64_t whole;
    enum ta_status status;
    switch (field->kind) {
    case FIELD_TEXT:
        status = read_text(reader, node, at);
        return !status && field->choices && choice_index(field->choices, scalar_text(node)) < 0
                   ? refuse_choice(reader, node, field->choices)
                   : status;
    case FIELD_NAME: return read_form(reader, node, &as_name, at);
    case FIELD_VERSION: return read_form(reader, node, &as_version, at);
    case FIELD_WHOLE: return read_whole(reader, node, field, at);
    case FIELD_COUNT:
        status = read_whole(reader, node, field, &whole);
        *(unsigned *)at = status ? 0 : (unsigned)whole;
        return status;
    case FIELD_FORMAT: return read_format(reader, node, at);
    case FIELD_SIZE: return read_quantity(reader, node, UNIT_SIZE_BYTES, "a size", at);
    case FIELD_FREQUENCY:
        status = read_quantity(reader, node, UNIT_FREQUENCY_HZ, "a frequency", at);
        return status || *(uint64_t *)at ? status : refuse(reader, node, "write for example 8 MHz", "0 Hz is no clock");
    case FIELD_SWITCH: return read_switch(reader, node, at);
    case FIELD_ENUM:
        status = expect_node(reader, node, YAML_SCALAR_NODE, "a word");
        *(int *)at = status ? 0 : choice_index(field->choices, scalar_text(node));
        return !status && *(int *)at < 0 ? refuse_choice(reader, node, field->choices) : status;
    case FIELD_TEXTS: return read_texts(reader, node, at);
    case FIELD_RANGES:
        return node->type == YAML_SEQUENCE_NODE ? read_names(reader, node, at)
                                                : read_list(reader, node, read_two, &as_range, sizeof(struct two), at);
    case FIELD_PINS: return read_list(reader, node, read_two, &as_version, sizeof(struct two), at);
    case FIELD_WORDS: return read_list(reader, node, read_two, NULL, sizeof(struct two), at);
    case FIELD_DIGESTS: return read_list(reader, node, read_two, &as_digest, sizeof(struct two), at);
    case FIELD_NUMBERS: return read_list(reader, node, read_option, NULL, sizeof(struct ta_option), at);
    case FIELD_GROUP: return read_group(reader, node, field->shape, at);
    case FIELD_NAMED: return read_list(reader, node, read_named, field->shape, shape_bytes(field->shape), at);
    case FIELD_ENTRIES: return read_list(reader, node, read_entry, field->shape, shape_bytes(field->shape), at);
    }
    return TA_OK;
}

static enum ta_status refuse_key(struct reader *reader, const yaml_node_t *key, const struct field *shape) {
    const char *near = NULL;
    g_autoptr(GString) all = g_string_new("allowed here: ");
    for (const struct field *field = shape; field->key; ++field) {
        g_string_append_printf(all, "%s%s", field == shape ? "" : ", ", field->key);
        near = text_nearer(scalar_text(key), field->key, near);
    }
    g_autofree char *fix = near ? g_strdup_printf("did you mean %s? %s", near, all->str) : g_strdup(all->str);
    return refuse(reader, key, fix, "there is no such key");
}

static enum ta_status read_key(struct reader *reader, const char *key, const yaml_node_t *value, const void *how,
                               void *into) {
    const struct field *field = how;
    while (field->key && strcmp(field->key, key))
        ++field;
    return field->key ? read_field(reader, value, field, into) : refuse_key(reader, reader->key, how);
}

static yaml_node_t *find_key(struct reader *reader, const yaml_node_t *node, const char *key, size_t length,
                             yaml_node_t **key_node) {
    if (node->type != YAML_MAPPING_NODE)
        return NULL;
    for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start; pair < node->data.mapping.pairs.top; ++pair) {
        *key_node = node_at(reader, pair->key);
        if ((*key_node)->type == YAML_SCALAR_NODE && (*key_node)->data.scalar.length == length &&
            !memcmp(scalar_text(*key_node), key, length))
            return node_at(reader, pair->value);
    }
    return NULL;
}

static enum ta_status read_group(struct reader *reader, const yaml_node_t *node, const struct field *shape,
                                 void *model) {
    enum ta_status status = read_pairs(reader, node, read_key, shape, model);
    for (const struct field *field = shape; !status && field->key; ++field) {
        yaml_node_t *key;
        if (field->required && !reader->overlay && !find_key(reader, node, field->key, strlen(field->key), &key))
            status = refuse(reader, node, "add it", "the key %s is missing", field->key);
    }
    return status;
}

/* Whole files. */

/* The place of the key whose path WHY's text starts with: as much of it as there is. */
static void locate(struct reader *reader, struct ta_problem *why) {
    yaml_node_t *node = yaml_document_get_root_node(&reader->document), *key, *found = node;
    const char *at = why->what, *end = strchr(why->what, ':');
    while (node && end && at < end) {
        size_t length = strcspn(at, ".:");
        node = find_key(reader, node, at, length, &key);
        found = node ? key : found;
        at += length + 1;
    }
    ta_problem_at(why, reader->name, (unsigned)found->start_mark.line + 1, (unsigned)found->start_mark.column + 1);
}

/* libyaml takes time by the square of this depth. Brackets in texts count too: no hand-written file has that many. */
static bool is_too_deep(const char *text, size_t length) {
    size_t depth = 0;
    for (size_t i = 0; i < length && depth <= BRACKETS; ++i) {
        depth += text[i] == '[' || text[i] == '{';
        depth -= depth && (text[i] == ']' || text[i] == '}');
    }
    return depth > BRACKETS;
}

static enum ta_status load_document(struct reader *reader, const char *text, size_t length) {
    yaml_parser_t parser;
    enum ta_status status = TA_OK;
    if (is_too_deep(text, length)) {
        status = ta_problem_set(reader->why, TA_E_INPUT, "make it smaller", "the file is nested too deeply");
        ta_problem_at(reader->why, reader->name, 1, 1);
        return status;
    }
    if (!yaml_parser_initialize(&parser))
        g_error("no memory for a YAML parser");
    yaml_parser_set_input_string(&parser, (const unsigned char *)text, length);
    if (!yaml_parser_load(&parser, &reader->document)) {
        status = ta_problem_set(reader->why, TA_E_SYNTAX, "check indentation, quotes and colons there",
                                "it is not YAML: %s", parser.problem ? parser.problem : "unreadable");
        ta_problem_at(reader->why, reader->name, (unsigned)parser.problem_mark.line + 1,
                      (unsigned)parser.problem_mark.column + 1);
    }
    yaml_parser_delete(&parser);
    return status;
}

enum ta_status schema_read(const char *path, const char *name, const struct field *shape, struct arena *arena,
                           void *model, schema_check *check, struct ta_problem *why) {
    g_autofree char *text = NULL;
    size_t length = 0;
    enum ta_status status = file_read(path, SCHEMA_FILE_BYTES, &text, &length, why);
    return status ? status : schema_read_text(text, length, name, shape, arena, model, check, why);
}

static enum ta_status read_document(const char *text, size_t length, const char *name, const struct field *shape,
                                    struct arena *arena, bool overlay, void *model, schema_check *check,
                                    struct ta_problem *why) {
    g_autoptr(GString) key_path = g_string_new(NULL);
    struct ta_problem unheard;
    struct reader reader = {
        .name = name, .arena = arena, .why = why ? why : &unheard, .path = key_path, .overlay = overlay};
    enum ta_status status = load_document(&reader, text, length);
    if (status)
        return status;
    const yaml_node_t *root = yaml_document_get_root_node(&reader.document);
    if (!root) {
        status = ta_problem_set(reader.why, TA_E_INPUT, "docs/formats.md shows what it holds", "it is empty");
        ta_problem_at(reader.why, name, 1, 1);
    } else {
        status = read_group(&reader, root, shape, model);
    }
    if (!status && check) {
        status = check(model, reader.why);
        if (status)
            locate(&reader, reader.why);
    }
    yaml_document_delete(&reader.document);
    return status;
}

enum ta_status schema_read_text(const char *text, size_t length, const char *name, const struct field *shape,
                                struct arena *arena, void *model, schema_check *check, struct ta_problem *why) {
    memset(model, 0, shape_bytes(shape));
    return read_document(text, length, name, shape, arena, false, model, check, why);
}

enum ta_status schema_overlay(const char *text, size_t length, const char *name, const struct field *shape,
                              struct arena *arena, void *model, schema_check *check, struct ta_problem *why) {
    return read_document(text, length, name, shape, arena, true, model, check, why);
}

const char *schema_key(const char *text, size_t length, const char *key, struct arena *arena) {
    struct ta_problem unheard;
    struct reader reader = {.why = &unheard};
    yaml_node_t *key_node;
    if (load_document(&reader, text, length))
        return NULL;
    yaml_node_t *root = yaml_document_get_root_node(&reader.document);
    const yaml_node_t *value = root ? find_key(&reader, root, key, strlen(key), &key_node) : NULL;
    const char *found = value && value->type == YAML_SCALAR_NODE ? arena_text(arena, scalar_text(value)) : NULL;
    yaml_document_delete(&reader.document);
    return found;
}
