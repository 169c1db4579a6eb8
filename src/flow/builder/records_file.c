#include "flow/builder/records_file.h"

#include "base/digest.h"

/* A file is a digest of the rest, the digest of the file that it goes on from (0: none), and a GVariant, read where it lies. Arrays stand side by side, an element for each path, version of a
   file, or output; texts with a zero behind each. FROM arrays say where the part of each begins, and where the last ends. */
static const char format[] = "(uay"         /* FORMAT; paths */
                             "auay"         /* versions: path, content */
                             "auax"         /* stamps that are trusted: version, and four numbers each */
                             "ayayayatadax" /* outputs: path, command, key, shadows, seconds, stamp */
                             "auau"         /* from, versions of inputs */
                             "auay"         /* from, names */
                             "ay)";         /* messages */
enum { FORMAT = 6, STAMP_NUMBERS = 4 };

/* Reading. The digest tells what was damaged; lengths are looked at all the same, since anybody can make a digest. */

struct reading {
    GVariant *whole;
    size_t next;
    bool good;
};

static const void *numbers(struct reading *reading, size_t size, size_t *count) {
    g_autoptr(GVariant) child = g_variant_get_child_value(reading->whole, reading->next++);
    gsize found = 0;
    const void *array = g_variant_get_fixed_array(child, &found, size);
    *count = found;
    return array; /* lies in the whole */
}

/* Texts stand one behind the other, each with its zero. */
static const char **texts_of(struct reading *reading, size_t *count) {
    size_t length;
    const char *bytes = numbers(reading, 1, &length);
    size_t room = 0;
    const char **list = NULL;
    *count = 0;
    reading->good = reading->good && (!length || !bytes[length - 1]);
    for (size_t at = 0; reading->good && at < length; at += strlen(bytes + at) + 1) {
        if (*count == room)
            list = g_renew(const char *, list, room = 2 * room + 64);
        list[(*count)++] = bytes + at;
    }
    return list;
}

static void expect(struct reading *reading, bool holds) {
    reading->good = reading->good && holds;
}

/* FROM has COUNT + 1 numbers that never fall, the last of them END. */
static bool is_division(const uint32_t *from, size_t from_count, size_t count, size_t end) {
    if (from_count != count + 1 || from[count] != end)
        return false;
    for (size_t i = 0; i < count; ++i)
        if (from[i] > from[i + 1])
            return false;
    return true;
}

static struct stamp stamp_at(const int64_t *numbers_at) {
    return (struct stamp){numbers_at[0], numbers_at[1], numbers_at[2], numbers_at[3]};
}

static bool read_all(struct records_part *part, GVariant *whole, struct tracked_files *files, GHashTable *records) {
    struct reading reading = {whole, 1, true};
    size_t paths, versions, contents, stamped, stamps, outputs, commands, keys, shadow_count, second_count, made_count;
    size_t from_count, inputs, name_from_count, names, message_count;
    g_autofree const char **path = texts_of(&reading, &paths);
    const uint32_t *version_path = numbers(&reading, sizeof *version_path, &versions);
    const uint8_t *content = numbers(&reading, 1, &contents);
    const uint32_t *stamp_version = numbers(&reading, sizeof *stamp_version, &stamped);
    const int64_t *stamp = numbers(&reading, sizeof *stamp, &stamps);
    g_autofree const char **output = texts_of(&reading, &outputs);
    const uint8_t *command = numbers(&reading, 1, &commands), *key = numbers(&reading, 1, &keys);
    const uint64_t *shadows = numbers(&reading, sizeof *shadows, &shadow_count);
    const double *seconds = numbers(&reading, sizeof *seconds, &second_count);
    const int64_t *made = numbers(&reading, sizeof *made, &made_count);
    const uint32_t *from = numbers(&reading, sizeof *from, &from_count);
    const uint32_t *input = numbers(&reading, sizeof *input, &inputs);
    const uint32_t *name_from = numbers(&reading, sizeof *name_from, &name_from_count);
    g_autofree const char **name = texts_of(&reading, &names);
    g_autofree const char **messages = texts_of(&reading, &message_count);
    expect(&reading, contents == versions * CONTENT_BYTES && stamps == stamped * STAMP_NUMBERS);
    expect(&reading, commands == outputs * CONTENT_BYTES && keys == commands && made_count == outputs * STAMP_NUMBERS);
    expect(&reading, shadow_count == outputs && second_count == outputs && message_count == outputs);
    expect(&reading, reading.good && is_division(from, from_count, outputs, inputs) &&
                         is_division(name_from, name_from_count, outputs, names));
    for (size_t i = 0; reading.good && i < versions; ++i)
        expect(&reading, version_path[i] < paths);
    for (size_t i = 0; reading.good && i < stamped; ++i)
        expect(&reading, stamp_version[i] < versions);
    for (size_t i = 0; reading.good && i < inputs; ++i)
        expect(&reading, input[i] < versions);
    if (!reading.good)
        return false;
    g_autofree uint32_t *ids = g_new(uint32_t, paths + 1);
    for (size_t i = 0; i < paths; ++i)
        ids[i] = tracked_id(files, path[i]);
    for (size_t i = 0; i < stamped; ++i) {
        const struct stamp known = stamp_at(stamp + i * STAMP_NUMBERS);
        tracked_remember(files, ids[version_path[stamp_version[i]]], &known,
                         content + (size_t)stamp_version[i] * CONTENT_BYTES);
    }
    struct record *record = part->records = g_new0(struct record, outputs + 1);
    struct input *at = part->inputs = g_new(struct input, inputs + 1);
    for (size_t i = 0; i < inputs; ++i) {
        at[i].file = ids[version_path[input[i]]];
        memcpy(at[i].content, content + (size_t)input[i] * CONTENT_BYTES, CONTENT_BYTES);
    }
    for (size_t i = 0; i < outputs; ++i, ++record) {
        memcpy(record->command, command + i * CONTENT_BYTES, CONTENT_BYTES);
        memcpy(record->key, key + i * CONTENT_BYTES, CONTENT_BYTES);
        record->borrowed = true;
        record->inputs = at + from[i];
        record->input_count = from[i + 1] - from[i];
        record->shadows = shadows[i];
        record->seconds = seconds[i];
        record->messages = (char *)messages[i];
        record->made = stamp_at(made + i * STAMP_NUMBERS);
        if (name_from[i + 1] > name_from[i]) {
            record->names = g_new0(char *, name_from[i + 1] - name_from[i] + 1);
            for (uint32_t k = name_from[i]; k < name_from[i + 1]; ++k)
                record->names[k - name_from[i]] = g_strdup(name[k]);
        }
        g_hash_table_replace(records, (char *)output[i], record);
    }
    return true;
}

/* The two numbers that a file begins with. */
struct head {
    uint64_t digest, base;
};

static uint64_t digest_of(uint64_t base, GBytes *bytes) {
    gsize length;
    const void *data = g_bytes_get_data(bytes, &length);
    return digest_much(digest_number(DIGEST_START, base), data, length);
}

bool records_part_read(struct records_part *part, const char *file, uint64_t base, struct tracked_files *files,
                       GHashTable *records) {
    enum { RECORDS_BYTES = 1 << 30 };
    struct head head;
    char *bytes;
    size_t length;
    *part = (struct records_part){0};
    if (file_read(file, RECORDS_BYTES, &bytes, &length, NULL))
        return false;
    g_autoptr(GBytes) all = g_bytes_new_take(bytes, length);
    if (length < sizeof head)
        return false;
    memcpy(&head, bytes, sizeof head);
    part->bytes = g_bytes_new_from_bytes(all, sizeof head, length - sizeof head);
    if (head.base != base || head.digest != digest_of(base, part->bytes))
        return false;
    g_autoptr(GVariant) whole =
        g_variant_ref_sink(g_variant_new_from_bytes(G_VARIANT_TYPE(format), part->bytes, FALSE));
    uint32_t number = 0;
    g_variant_get_child(whole, 0, "u", &number);
    if (number != FORMAT || !read_all(part, whole, files, records))
        return false;
    part->digest = head.digest;
    return true;
}

void records_part_free(struct records_part *part) {
    g_clear_pointer(&part->bytes, g_bytes_unref);
    g_clear_pointer(&part->records, g_free);
    g_clear_pointer(&part->inputs, g_free);
}

/* Writing. */

struct writing {
    struct tracked_files *files;
    GPtrArray *paths, *outputs, *names, *messages;
    GHashTable *path_numbers;    /* file number plus one: path number plus one */
    GArray *last_version;        /* by file number: the version that was met last, plus one: mostly there is but one */
    GHashTable *version_numbers; /* version, as text of file and content: number plus one */
    GArray *version_path, *stamp_version, *stamps, *from, *inputs, *name_from, *shadows, *seconds, *made;
    GByteArray *content, *commands, *keys;
};

static uint32_t version_number(struct writing *writing, uint32_t file, const uint8_t *content) {
    uint32_t *last = &g_array_index(writing->last_version, uint32_t, file);
    if (*last && !memcmp(writing->content->data + (size_t)(*last - 1) * CONTENT_BYTES, content, CONTENT_BYTES))
        return *last - 1;
    uint8_t key[sizeof file + CONTENT_BYTES];
    memcpy(key, &file, sizeof file);
    memcpy(key + sizeof file, content, CONTENT_BYTES);
    g_autoptr(GBytes) version = g_bytes_new(key, sizeof key);
    gpointer known = g_hash_table_lookup(writing->version_numbers, version);
    if (known) {
        *last = GPOINTER_TO_UINT(known);
        return *last - 1;
    }
    gpointer path = g_hash_table_lookup(writing->path_numbers, GUINT_TO_POINTER(file + 1));
    if (!path) {
        g_ptr_array_add(writing->paths, (char *)tracked_path(writing->files, file));
        path = GUINT_TO_POINTER(writing->paths->len);
        g_hash_table_insert(writing->path_numbers, GUINT_TO_POINTER(file + 1), path);
    }
    uint32_t path_number = GPOINTER_TO_UINT(path) - 1, number = writing->version_path->len;
    struct stamp stamp;
    const uint8_t *now = tracked_settled(writing->files, file, &stamp) ? tracked_content(writing->files, file) : NULL;
    g_array_append_val(writing->version_path, path_number);
    g_byte_array_append(writing->content, content, CONTENT_BYTES);
    if (now && !memcmp(now, content, CONTENT_BYTES)) {
        g_array_append_val(writing->stamp_version, number);
        g_array_append_vals(writing->stamps, &stamp, STAMP_NUMBERS);
    }
    g_hash_table_insert(writing->version_numbers, g_steal_pointer(&version), GUINT_TO_POINTER(number + 1));
    *last = number + 1;
    return number;
}

static void write_record(struct writing *writing, const char *output, const struct record *record) {
    g_ptr_array_add(writing->outputs, (char *)output);
    g_ptr_array_add(writing->messages, record->messages ? record->messages : "");
    g_byte_array_append(writing->commands, record->command, CONTENT_BYTES);
    g_byte_array_append(writing->keys, record->key, CONTENT_BYTES);
    g_array_append_val(writing->shadows, record->shadows);
    g_array_append_val(writing->seconds, record->seconds);
    g_array_append_vals(writing->made, &record->made, STAMP_NUMBERS);
    for (size_t i = 0; i < record->input_count; ++i) {
        uint32_t version = version_number(writing, record->inputs[i].file, record->inputs[i].content);
        g_array_append_val(writing->inputs, version);
    }
    for (char **name = record->names; name && *name; ++name)
        g_ptr_array_add(writing->names, *name);
    g_array_append_val(writing->from, writing->inputs->len);
    g_array_append_val(writing->name_from, writing->names->len);
}

static GVariant *texts_variant(GPtrArray *texts) {
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    for (guint i = 0; i < texts->len; ++i)
        g_byte_array_append(bytes, texts->pdata[i], (guint)strlen(texts->pdata[i]) + 1);
    return g_variant_new_fixed_array(G_VARIANT_TYPE_BYTE, bytes->data, bytes->len, 1);
}

static GVariant *array_variant(const char *type, const GArray *array) {
    return g_variant_new_fixed_array(G_VARIANT_TYPE(type), array->data, array->len,
                                     g_array_get_element_size((GArray *)array));
}

static GVariant *bytes_variant(const GByteArray *bytes) {
    return g_variant_new_fixed_array(G_VARIANT_TYPE_BYTE, bytes->data, bytes->len, 1);
}

enum ta_status records_part_write(const char *file, uint64_t base, struct tracked_files *files, GHashTable *records,
                                  uint64_t *digest, struct ta_problem *why) {
    static const uint32_t zero;
    struct writing writing = {.files = files};
    GPtrArray **const texts[] = {&writing.paths, &writing.outputs, &writing.names, &writing.messages};
    const struct {
        GArray **array;
        guint size;
    } arrays[] = {{&writing.version_path, sizeof(uint32_t)}, {&writing.stamp_version, sizeof(uint32_t)},
                  {&writing.stamps, sizeof(int64_t)},        {&writing.from, sizeof(uint32_t)},
                  {&writing.inputs, sizeof(uint32_t)},       {&writing.name_from, sizeof(uint32_t)},
                  {&writing.shadows, sizeof(uint64_t)},      {&writing.seconds, sizeof(double)},
                  {&writing.made, sizeof(int64_t)}};
    GByteArray **const bytes[] = {&writing.content, &writing.commands, &writing.keys};
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        *texts[i] = g_ptr_array_new();
    for (size_t i = 0; i < G_N_ELEMENTS(arrays); ++i)
        *arrays[i].array = g_array_new(FALSE, FALSE, arrays[i].size);
    for (size_t i = 0; i < G_N_ELEMENTS(bytes); ++i)
        *bytes[i] = g_byte_array_new();
    writing.last_version = g_array_new(FALSE, TRUE, sizeof(uint32_t));
    g_array_set_size(writing.last_version, tracked_count(files));
    writing.path_numbers = g_hash_table_new(NULL, NULL);
    writing.version_numbers = g_hash_table_new_full(g_bytes_hash, g_bytes_equal, (GDestroyNotify)g_bytes_unref, NULL);
    g_array_append_val(writing.from, zero);
    g_array_append_val(writing.name_from, zero);
    GHashTableIter each;
    gpointer output, record;
    g_hash_table_iter_init(&each, records);
    while (g_hash_table_iter_next(&each, &output, &record))
        write_record(&writing, output, record);
    GVariant *children[] = {g_variant_new_uint32(FORMAT),
                            texts_variant(writing.paths),
                            array_variant("u", writing.version_path),
                            bytes_variant(writing.content),
                            array_variant("u", writing.stamp_version),
                            array_variant("x", writing.stamps),
                            texts_variant(writing.outputs),
                            bytes_variant(writing.commands),
                            bytes_variant(writing.keys),
                            array_variant("t", writing.shadows),
                            array_variant("d", writing.seconds),
                            array_variant("x", writing.made),
                            array_variant("u", writing.from),
                            array_variant("u", writing.inputs),
                            array_variant("u", writing.name_from),
                            texts_variant(writing.names),
                            texts_variant(writing.messages)};
    g_autoptr(GVariant) whole = g_variant_ref_sink(g_variant_new_tuple(children, G_N_ELEMENTS(children)));
    g_autoptr(GBytes) data = g_variant_get_data_as_bytes(whole);
    g_autoptr(GByteArray) text = g_byte_array_new();
    const struct head head = {digest_of(base, data), base};
    g_byte_array_append(text, (const uint8_t *)&head, sizeof head);
    g_byte_array_append(text, g_bytes_get_data(data, NULL), (guint)g_bytes_get_size(data));
    enum ta_status status = file_write_output(file, (const char *)text->data, text->len, why);
    *digest = head.digest;
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        g_ptr_array_unref(*texts[i]);
    for (size_t i = 0; i < G_N_ELEMENTS(arrays); ++i)
        g_array_unref(*arrays[i].array);
    for (size_t i = 0; i < G_N_ELEMENTS(bytes); ++i)
        g_byte_array_unref(*bytes[i]);
    g_array_unref(writing.last_version);
    g_hash_table_unref(writing.path_numbers);
    g_hash_table_unref(writing.version_numbers);
    return status;
}
