/* Whether the output of an action is what the action would make now. Contents decide, never times. */
#include "flow/builder/builder.h"

#include "core/plan/dependencies.h"

#include <stdlib.h>

/* Goes into all digests: raise it when commands or digests get another meaning. */
static const char meaning[] = "actions 1";

enum { TEXT_BYTES = 16 << 20 };

/* TEXT without what differs between computers and targets of one profile: where the SDK, the compiler, its C library
   and the outputs are. */
static void add_portable(struct sha256 *sum, const struct builder *builder, const char *text) {
    const struct {
        const char *path, *name;
    } places[] = {
        {builder->toolchain.c_library, "(c-library)"}, {builder->toolchain.path, "(compiler)"},
        {builder->workspace->folder, "(project)"},     {builder->plan.out.objects, "(out)/obj"},
        {builder->plan.out.folder, "(out)"},
    };
    const struct pairs *sdk = &builder->workspace->sdk.places;
    g_autoptr(GString) line = g_string_new(text);
    for (size_t i = 0; i < sdk->count; ++i)
        g_string_replace(line, sdk->items[i].value, sdk->items[i].name, 0);
    for (size_t i = 0; i < G_N_ELEMENTS(places); ++i)
        if (*places[i].path)
            g_string_replace(line, places[i].path, places[i].name, 0);
    sha256_add_line(sum, line->str);
}

/* Heads are shared by many: each is digested once. */
static const uint8_t *head_digest(struct builder *builder, const struct texts *head) {
    uint8_t *digest = g_hash_table_lookup(builder->head_digests, head);
    if (digest)
        return digest;
    struct sha256 *sum = builder->sum;
    sha256_add_line(sum, meaning);
    sha256_add_line(sum, compiler_words[builder->toolchain.family]);
    sha256_add_line(sum, builder->toolchain.version);
    for (size_t i = 0; i < head->count; ++i)
        add_portable(sum, builder, head->items[i]);
    digest = g_malloc(CONTENT_BYTES);
    sha256_end(sum, digest);
    g_hash_table_insert(builder->head_digests, (gpointer)head, digest);
    return digest;
}

/* The database tells all commands, with the folders of this computer. */
static void add_database(struct sha256 *sum, const struct builder *builder) {
    const struct texts *head = NULL;
    sha256_add_line(sum, builder->workspace->folder);
    for (size_t i = 0; i < builder->plan.count; ++i) {
        const struct action *action = &builder->plan.actions[i];
        for (size_t k = 0; action->dependencies && action->head != head && k < action->head->count; ++k)
            sha256_add_line(sum, action->head->items[k]);
        if (action->dependencies)
            sha256_add_line(sum, action->inputs.items[0]);
        head = action->dependencies ? action->head : head;
    }
}

/* What goes into the builder's own works beside their inputs. */
static void add_work(struct sha256 *sum, struct builder *builder, const struct action *action) {
    const struct project *project = &builder->workspace->project;
    if (action->work == WORK_DATABASE) {
        add_database(sum, builder);
    } else if (action->work == WORK_IDENTITY) {
        sha256_add_line(sum, builder->about);
        sha256_add(sum, builder->identity.bytes, TA_IDENTITY_BYTES);
    } else if (action->work == WORK_FABRIC) {
        g_autofree char *time =
            g_strdup_printf("%" G_GINT64_FORMAT, builder_fabric_time_s(builder, action->inputs.items[0]));
        sha256_add_line(sum, time);
    } else if (action->work == WORK_APP) {
        sha256_add_line(sum, project->version);
        sha256_add_line(sum, project->title ? project->title : "");
    }
}

/* The tail of a command says only where its inputs and outputs are. What compiles goes by the name of its source, which is part of its key. */
void builder_command_digest(struct builder *builder, const struct action *action, uint8_t digest[CONTENT_BYTES]) {
    const uint8_t *head = action->head ? head_digest(builder, action->head) : NULL;
    struct sha256 *sum = builder->sum;
    if (action->dependencies) {
        memcpy(digest, head, CONTENT_BYTES);
        return;
    }
    if (head)
        sha256_add(sum, head, CONTENT_BYTES);
    else
        add_work(sum, builder, action);
    sha256_add_line(sum, action_kind_words[action->kind]);
    if (action->kind != ACTION_LINK)
        sha256_add_line(sum, action->name);
    sha256_end(sum, digest);
}

void builder_key(struct builder *builder, const uint8_t *command, const struct input *inputs, size_t count,
                 uint8_t key[CONTENT_BYTES]) {
    struct sha256 *sum = builder->sum;
    sha256_add(sum, command, CONTENT_BYTES);
    for (size_t i = 0; i < count; ++i) {
        sha256_add_line(sum, tracked_name(builder->files, inputs[i].file));
        sha256_add(sum, inputs[i].content, CONTENT_BYTES);
    }
    sha256_end(sum, key);
}

static void set_reason(struct turn *turn, const char *format, ...) G_GNUC_PRINTF(2, 3);
static void set_reason(struct turn *turn, const char *format, ...) {
    va_list list;
    va_start(list, format);
    g_free(turn->reason);
    turn->reason = g_strdup_vprintf(format, list);
    va_end(list);
}

const char *builder_plain_key(struct builder *builder, const struct action *action, const uint8_t *command,
                              struct input *others, size_t *count, uint8_t key[CONTENT_BYTES]) {
    struct sha256 *sum = builder->sum;
    const char *missing = NULL;
    size_t next = 0; /* the needs come in the order of the inputs */
    *count = 0;
    sha256_add(sum, command, CONTENT_BYTES);
    for (size_t i = 0; i < action->inputs.count && !missing; ++i) {
        const char *path = action->inputs.items[i];
        size_t index = next < action->need_count ? action->needs[next] : 0;
        const struct action *need = next < action->need_count ? &builder->plan.actions[index] : NULL;
        bool is_next = need && (need->outputs.items[0] == path || !strcmp(need->outputs.items[0], path));
        next += is_next;
        if (is_next && (need->work == WORK_COMMAND || need->work == WORK_IDENTITY)) {
            sha256_add(sum, builder->turns[index].key, CONTENT_BYTES);
            continue;
        }
        struct input *other = &others[(*count)++];
        other->file = tracked_id(builder->files, path);
        const uint8_t *content = tracked_content(builder->files, other->file);
        if (content) {
            memcpy(other->content, content, CONTENT_BYTES);
            sha256_add(sum, content, CONTENT_BYTES);
        } else {
            missing = path;
        }
    }
    sha256_end(sum, key);
    return missing;
}

/* The first of the inputs that is other than RECORD says; null when it is among those that commands make. */
static const char *changed_other(struct builder *builder, const struct record *record, const struct input *others,
                                 size_t count) {
    for (size_t i = 0; i < count && i < record->input_count; ++i)
        if (record->inputs[i].file == others[i].file &&
            memcmp(record->inputs[i].content, others[i].content, CONTENT_BYTES) != 0)
            return tracked_path(builder->files, others[i].file);
    return NULL;
}

/* Those without a list of what else they read: a link, and what the builder makes of its image. */
static bool plain_is_current(struct builder *builder, const struct action *action, struct turn *turn,
                             const struct record *record) {
    g_autofree struct input *others = g_new0(struct input, action->inputs.count + 1);
    size_t count;
    const char *missing = builder_plain_key(builder, action, turn->command_digest, others, &count, turn->key);
    bool same = record && !memcmp(record->key, turn->key, CONTENT_BYTES);
    const char *changed = record && !same ? changed_other(builder, record, others, count) : NULL;
    if (missing)
        set_reason(turn, "%s is missing", missing);
    else if (changed)
        set_reason(turn, "%s changed", changed);
    else if (record && !same)
        set_reason(turn, "what %s is made of changed", action->name);
    return same && !missing;
}

/* Those whose compiler lists what it read: that list, as it was the last time, decides. */
static bool listed_is_current(struct builder *builder, struct turn *turn, const struct record *record) {
    g_autofree uint32_t *ids = g_new(uint32_t, (record ? record->input_count : 0) + 1);
    for (size_t i = 0; record && i < record->input_count; ++i) {
        const struct input *input = &record->inputs[i];
        const uint8_t *content = tracked_content(builder->files, input->file);
        ids[i] = input->file;
        if (!content || memcmp(content, input->content, CONTENT_BYTES)) {
            set_reason(turn, "%s %s", tracked_path(builder->files, input->file), content ? "changed" : "is gone");
            return false;
        }
    }
    if (record && tracked_shadows(builder->files, ids, record->input_count, record->names) != record->shadows) {
        set_reason(turn, "a header came or went that hides another");
        return false;
    }
    if (record)
        memcpy(turn->key, record->key, CONTENT_BYTES);
    return record != NULL;
}

/* Whether the output of ACTION is what RECORD made, untouched since; else the reason. */
static bool is_untouched(struct builder *builder, const struct action *action, struct turn *turn,
                         const struct record *record) {
    struct stamp there = record->there;
    if (!record->looked || !action->dependencies) /* what is made of objects may have its turn much later */
        stamp_of(workspace_path(builder->workspace, action->outputs.items[0]), &there);
    if (there.inode && stamps_equal(&there, &record->made))
        return true;
    set_reason(turn, "%s %s", action->outputs.items[0], there.inode ? "is another file" : "is not there");
    return false;
}

bool builder_suspects(const struct builder *builder, size_t index) {
    const struct record *record = builder->turns[index].record;
    if (!record || !builder->plan.actions[index].dependencies)
        return true;
    for (size_t i = 0; i < record->input_count; ++i)
        if (tracked_has_other_stamp(builder->files, record->inputs[i].file))
            return true;
    return false;
}

bool builder_is_current(struct builder *builder, size_t index) {
    const struct action *action = &builder->plan.actions[index];
    struct turn *turn = &builder->turns[index];
    const struct record *record = turn->record;
    g_clear_pointer(&turn->reason, g_free);
    builder_command_digest(builder, action, turn->command_digest);
    for (size_t i = 0; i < CONTENT_BYTES; ++i)
        turn->command_here[i] = (uint8_t)(turn->command_digest[i] ^ (action->head ? builder->compiler[i] : 0));
    bool same_command = record && !memcmp(record->command, turn->command_here, CONTENT_BYTES);
    if (!record)
        set_reason(turn, "%s is new", action->name);
    else if (!same_command)
        set_reason(turn, "the options or the compiler changed");
    bool current = action->dependencies ? same_command && listed_is_current(builder, turn, record)
                                        : plain_is_current(builder, action, turn, same_command ? record : NULL);
    current = current && is_untouched(builder, action, turn, record);
    turn->messages = record && same_command ? record->messages : NULL;
    return current;
}

/* Reading. */

void reading_list_clear(struct reading_list *list) {
    g_clear_pointer(&list->inputs, g_array_unref);
    g_clear_pointer(&list->names, g_ptr_array_unref);
}

struct listing {
    struct builder *builder;
    struct reading_list *list;
    GHashTable *known;
    const char *source;
    guint rule; /* how many of them the compiler's own list tells: those that it took for text */
};

static void add_file(struct listing *listing, const char *path) {
    uint32_t id = tracked_id(listing->builder->files, path);
    if (g_hash_table_add(listing->known, GUINT_TO_POINTER(id + 1)))
        g_array_append_val(listing->list->inputs, id);
}

/* clang 14 writes '\\' in the first one, the source, as '/': we know its name. */
static void take_name(void *with, const char *name) {
    struct listing *listing = with;
    if (strcmp(name, PLAN_NOTHING))
        add_file(listing, listing->list->inputs->len ? name : listing->source);
}

static void take_hidden(void *with, const char *name, bool looked_for) {
    struct listing *listing = with;
    struct builder *builder = listing->builder;
    if (looked_for) {
        g_ptr_array_add(listing->list->names, g_strdup(name));
        return;
    }
    g_autoptr(GPtrArray) folders = g_ptr_array_new();
    g_ptr_array_add(folders, (char *)builder->workspace->folder);
    for (size_t i = 0; i < builder->plan.folders.count; ++i)
        g_ptr_array_add(folders, (char *)builder->plan.folders.items[i]);
    for (guint i = 0; i < folders->len; ++i) {
        g_autofree char *folder = g_canonicalize_filename(folders->pdata[i], builder->workspace->folder);
        g_autofree char *path = g_canonicalize_filename(name, folder);
        if (!g_file_test(path, G_FILE_TEST_IS_REGULAR))
            continue;
        add_file(listing, path);
        return;
    }
}

/* What the author or the SDK wrote may hold names that no list tells; what the compiler brings does not. */
static void scan(struct listing *listing) {
    struct builder *builder = listing->builder;
    for (guint i = 0; i < listing->list->inputs->len; ++i) { /* which grows meanwhile */
        uint32_t id = g_array_index(listing->list->inputs, uint32_t, i);
        g_autofree char *text = NULL;
        size_t length;
        const char *name = tracked_name(builder->files, id);
        guint before = listing->list->inputs->len + listing->list->names->len;
        if ((*name == '(' && !g_str_has_prefix(name, "(out)")) ||
            g_hash_table_contains(builder->plain, GUINT_TO_POINTER(id + 1)))
            continue;
        if (file_read(tracked_full_path(builder->files, id), TEXT_BYTES, &text, &length, NULL))
            continue;
        bool binary = memchr(text, '\0', length) != NULL;
        if (binary && i < listing->rule) {
            listing->list->binary = tracked_path(builder->files, id);
            return;
        }
        g_autofree char *buffer = g_malloc(length + 1);
        dependencies_scan(text, length, buffer, take_hidden, listing);
        if (!binary && before == listing->list->inputs->len + listing->list->names->len)
            g_hash_table_add(builder->plain, GUINT_TO_POINTER(id + 1));
    }
}

void builder_read_ahead(struct builder *builder, size_t index) {
    const struct record *record = builder->turns[index].record;
    struct reading_list list = {g_array_new(FALSE, FALSE, sizeof(uint32_t)), g_ptr_array_new_with_free_func(g_free),
                                NULL};
    struct listing listing = {builder, &list, g_hash_table_new(NULL, NULL), NULL, 0};
    for (size_t i = 0; record && i < record->input_count; ++i)
        g_array_append_val(list.inputs, record->inputs[i].file);
    scan(&listing);
    if (record)
        tracked_shadows(builder->files, (const uint32_t *)(void *)list.inputs->data, record->input_count, NULL);
    g_hash_table_unref(listing.known);
    reading_list_clear(&list);
}

bool builder_read_inputs(struct builder *builder, const struct action *action, const char *dependencies,
                         struct reading_list *list) {
    g_autofree char *text = NULL;
    size_t length;
    *list = (struct reading_list){g_array_new(FALSE, FALSE, sizeof(uint32_t)), g_ptr_array_new_with_free_func(g_free),
                                  NULL};
    if (file_read(dependencies, TEXT_BYTES, &text, &length, NULL))
        return false;
    g_autofree char *buffer = g_malloc(length + 1);
    struct listing listing = {builder, list, g_hash_table_new(NULL, NULL), action->inputs.items[0], 0};
    bool good = dependencies_read(text, length, buffer, take_name, &listing) && list->inputs->len;
    listing.rule = list->inputs->len; /* what assembler sources take in besides is no text */
    if (good)
        scan(&listing);
    g_hash_table_unref(listing.known);
    return good;
}
