#include "host/package_index.h"

#include "base/text.h"
#include "tameanchor/version.h"

#include <glib.h>
#include <jansson.h>
#include <stdlib.h>
#include <string.h>

enum { NAME_BYTES = 64, TEXT_BYTES = 4096, LIST_ITEMS = 256 };

/* An entry being read: where problems are told to be. */
struct entry_reader {
    struct arena *arena;
    size_t number; /* of the entry, from 1 */
    struct ta_problem *why;
};

static enum ta_status refuse(const struct entry_reader *reader, const char *key, const char *what) {
    return ta_problem_set(reader->why, TA_E_INPUT, "tell the depot's keeper", "package %zu of the index: %s %s",
                          reader->number, key, what);
}

/* The texts of an entry, and what each must be. */
enum text_kind { PLAIN, NAME, VERSION, DIGEST };
static const struct {
    const char *key;
    size_t offset;
    enum text_kind kind;
    bool required;
} text_keys[] = {
    {"name", offsetof(struct offer, package.package), NAME, true},
    {"version", offsetof(struct offer, package.version), VERSION, true},
    {"title", offsetof(struct offer, package.title), PLAIN, false},
    {"summary", offsetof(struct offer, package.summary), PLAIN, false},
    {"licence", offsetof(struct offer, package.licence), PLAIN, false},
    {"sha256", offsetof(struct offer, sha256), DIGEST, true},
    {"accept", offsetof(struct offer, package.accept), NAME, false},
    {"accept_sha256", offsetof(struct offer, accept_sha256), DIGEST, false},
};
static const struct {
    const char *key;
    size_t offset;
} number_keys[] = {{"size", offsetof(struct offer, archive_bytes)},
                   {"unpacked", offsetof(struct offer, package.size_bytes)}},
  need_keys[] = {{"sdk", offsetof(struct offer, package.needs.sdk)},
                 {"components", offsetof(struct offer, package.needs.components)},
                 {"compilers", offsetof(struct offer, package.needs.compilers)},
                 {"platform", offsetof(struct offer, package.needs.platform)}};

#define MEMBER(type, offer, offset)       ((type *)(void *)((char *)(offer) + (offset)))
#define CONST_MEMBER(type, offer, offset) ((const type *)(const void *)((const char *)(offer) + (offset)))

/* Reading. */

static bool is_name(const char *text) {
    return strlen(text) <= NAME_BYTES && text_is_name(text);
}

/* What is wrong with TEXT as a KIND, or null. Texts for people hold no control characters: they go to a terminal. */
static const char *text_fault(enum text_kind kind, const char *text) {
    struct ta_version version;
    switch (kind) {
    case NAME: return is_name(text) ? NULL : "is not a name";
    case VERSION: return ta_version_parse(text, &version, NULL) ? "is not a version" : NULL;
    case DIGEST: return strlen(text) == 64 && strspn(text, "0123456789abcdef") == 64 ? NULL : "is not a SHA-256";
    case PLAIN: break;
    }
    if (strlen(text) > TEXT_BYTES)
        return "is too long";
    for (; *text; ++text)
        if ((unsigned char)*text < ' ' || *text == 0x7f)
            return "holds a control character";
    return NULL;
}

static enum ta_status read_texts(const struct entry_reader *reader, const json_t *entry, struct offer *offer) {
    for (size_t i = 0; i < G_N_ELEMENTS(text_keys); ++i) {
        const json_t *value = json_object_get(entry, text_keys[i].key);
        const char *text = json_string_value(value), *fault = text ? text_fault(text_keys[i].kind, text) : NULL;
        if (!value && text_keys[i].required)
            return refuse(reader, text_keys[i].key, "is missing");
        if (value && !text)
            return refuse(reader, text_keys[i].key, "is not text");
        if (fault)
            return refuse(reader, text_keys[i].key, fault);
        if (text)
            *MEMBER(const char *, offer, text_keys[i].offset) = arena_text(reader->arena, text);
    }
    const char *kind = json_string_value(json_object_get(entry, "kind"));
    offer->package.kind = kind ? package_kind_of(kind) : PACKAGE_KINDS;
    return offer->package.kind == PACKAGE_KINDS ? refuse(reader, "kind", kind ? "is not known" : "is missing") : TA_OK;
}

static enum ta_status read_numbers(const struct entry_reader *reader, const json_t *entry, struct offer *offer) {
    for (size_t i = 0; i < G_N_ELEMENTS(number_keys); ++i) {
        const json_t *value = json_object_get(entry, number_keys[i].key);
        if (!value)
            continue;
        if (!json_is_integer(value) || json_integer_value(value) < 0)
            return refuse(reader, number_keys[i].key, "is not a size in bytes");
        *MEMBER(uint64_t, offer, number_keys[i].offset) = (uint64_t)json_integer_value(value);
    }
    return TA_OK;
}

static enum ta_status read_list(const struct entry_reader *reader, const char *key, const json_t *list,
                                struct texts *texts) {
    if (!list)
        return TA_OK;
    size_t count = json_array_size(list);
    if (!json_is_array(list) || count > LIST_ITEMS)
        return refuse(reader, key, "is not a list, or is too long");
    texts->items = arena_alloc(reader->arena, (count + 1) * sizeof *texts->items);
    for (size_t i = 0; i < count; ++i) {
        const char *text = json_string_value(json_array_get(list, i));
        if (!text || text_fault(PLAIN, text))
            return refuse(reader, key, "contains something that is not text");
        texts->items[texts->count++] = arena_text(reader->arena, text);
    }
    return TA_OK;
}

static enum ta_status read_ranges(const struct entry_reader *reader, const char *key, json_t *mapping,
                                  struct needs *needs) {
    const char *name;
    json_t *value;
    if (!mapping)
        return TA_OK;
    if (!json_is_object(mapping) || json_object_size(mapping) > LIST_ITEMS)
        return refuse(reader, key, "is not a mapping, or is too long");
    needs->items = arena_alloc(reader->arena, (json_object_size(mapping) + 1) * sizeof *needs->items);
    json_object_foreach(mapping, name, value) {
        const char *range = json_string_value(value);
        if (!is_name(name) || !range || text_fault(PLAIN, range) || ta_range_check(range, NULL))
            return refuse(reader, key, "contains something that is not a version range");
        needs->items[needs->count++] = (struct need){arena_text(reader->arena, name), arena_text(reader->arena, range)};
    }
    return TA_OK;
}

static enum ta_status read_entry(const struct entry_reader *reader, const json_t *entry, const char *place,
                                 struct offer *offer) {
    *offer = (struct offer){.place = place};
    if (!json_is_object(entry))
        return refuse(reader, "it", "is not a mapping");
    const json_t *needs = json_object_get(entry, "needs");
    enum ta_status status = read_texts(reader, entry, offer);
    if (!status && !json_object_get(entry, "size"))
        return refuse(reader, "size", "is missing");
    if (!status)
        status = read_numbers(reader, entry, offer);
    if (!status && needs && !json_is_object(needs))
        return refuse(reader, "needs", "is not a mapping");
    for (size_t i = 0; !status && i < G_N_ELEMENTS(need_keys); ++i)
        status = read_ranges(reader, need_keys[i].key, json_object_get(needs, need_keys[i].key),
                             MEMBER(struct needs, offer, need_keys[i].offset));
    if (!status)
        status = read_list(reader, "board", json_object_get(needs, "board"), &offer->package.needs.board);
    if (!status)
        status = read_list(reader, "provides", json_object_get(entry, "provides"), &offer->package.provides);
    if (!status && offer->package.accept && !offer->accept_sha256)
        return refuse(reader, "accept_sha256", "is missing");
    return status;
}

static json_t *load(const char *text, size_t length, struct ta_problem *why) {
    json_error_t error;
    json_t *json = length > PACKAGE_INDEX_BYTES ? NULL : json_loadb(text, length, JSON_REJECT_DUPLICATES, &error);
    if (length > PACKAGE_INDEX_BYTES)
        ta_problem_set(why, TA_E_INPUT, "tell the depot's keeper", "the index is larger than %d MiB",
                       PACKAGE_INDEX_BYTES >> 20);
    else if (!json)
        ta_problem_set(why, TA_E_INPUT, "tell the depot's keeper", "the index is not JSON: %s (line %d)", error.text,
                       error.line);
    return json;
}

enum ta_status package_index_read(const char *text, size_t length, const char *place, struct arena *arena,
                                  struct offers *offers, struct ta_problem *why) {
    json_t *index = load(text, length, why);
    const json_t *packages = json_object_get(index, "packages"), *format = json_object_get(index, "format");
    struct entry_reader reader = {.arena = arena, .why = why};
    enum ta_status status = index ? TA_OK : TA_E_INPUT;
    *offers = (struct offers){0};
    if (!status && json_integer_value(format) != 1)
        status = ta_problem_set(why, TA_E_INPUT, "get a newer tanchor",
                                "the index has another format than 1, which this tanchor knows");
    if (!status && (!json_is_array(packages) || json_array_size(packages) > PACKAGE_INDEX_OFFERS))
        status = ta_problem_set(why, TA_E_INPUT, "tell the depot's keeper",
                                "the index has no list of packages, or one of more than %d", PACKAGE_INDEX_OFFERS);
    if (!status)
        offers->items = arena_alloc(arena, (json_array_size(packages) + 1) * sizeof *offers->items);
    for (size_t i = 0; !status && i < json_array_size(packages); ++i) {
        reader.number = i + 1;
        status = read_entry(&reader, json_array_get(packages, i), place, &offers->items[i]);
        offers->count += !status;
    }
    json_decref(index);
    return status;
}

enum ta_status package_entry_read(const char *text, size_t length, const char *place, struct arena *arena,
                                  struct offer *offer, struct ta_problem *why) {
    const struct entry_reader reader = {.arena = arena, .number = 1, .why = why};
    json_t *entry = load(text, length, why);
    enum ta_status status = entry ? read_entry(&reader, entry, place, offer) : TA_E_INPUT;
    json_decref(entry);
    return status;
}

/* Writing. */

static void set_list(json_t *into, const char *key, const struct texts *texts) {
    json_t *list = texts->count ? json_array() : NULL;
    for (size_t i = 0; i < texts->count; ++i)
        json_array_append_new(list, json_string(texts->items[i]));
    if (list)
        json_object_set_new(into, key, list);
}

static json_t *entry_json(const struct offer *offer) {
    json_t *entry = json_object(), *needs = json_object();
    for (size_t i = 0; i < G_N_ELEMENTS(text_keys); ++i) {
        const char *text = *CONST_MEMBER(char *, offer, text_keys[i].offset);
        if (text)
            json_object_set_new(entry, text_keys[i].key, json_string(text));
    }
    json_object_set_new(entry, "kind", json_string(package_kinds[offer->package.kind].word));
    for (size_t i = 0; i < G_N_ELEMENTS(number_keys); ++i)
        json_object_set_new(entry, number_keys[i].key,
                            json_integer((json_int_t)*CONST_MEMBER(uint64_t, offer, number_keys[i].offset)));
    for (size_t i = 0; i < G_N_ELEMENTS(need_keys); ++i) {
        const struct needs *ranges = CONST_MEMBER(struct needs, offer, need_keys[i].offset);
        json_t *mapping = ranges->count ? json_object() : NULL;
        for (size_t k = 0; k < ranges->count; ++k)
            json_object_set_new(mapping, ranges->items[k].name, json_string(ranges->items[k].range));
        if (mapping)
            json_object_set_new(needs, need_keys[i].key, mapping);
    }
    set_list(needs, "board", &offer->package.needs.board);
    if (json_object_size(needs))
        json_object_set(entry, "needs", needs);
    json_decref(needs);
    set_list(entry, "provides", &offer->package.provides);
    return entry;
}

char *package_entry_write(const struct offer *offer) {
    json_t *entry = entry_json(offer);
    char *text = json_dumps(entry, JSON_COMPACT);
    json_decref(entry);
    return text;
}

char *package_index_write(const struct offers *offers) {
    json_t *packages = json_array(), *index = json_pack("{s:i, s:o}", "format", 1, "packages", packages);
    for (size_t i = 0; i < offers->count; ++i)
        json_array_append_new(packages, entry_json(&offers->items[i]));
    char *text = json_dumps(index, JSON_COMPACT);
    json_decref(index);
    return text;
}
