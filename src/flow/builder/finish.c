/* What comes of an action that was carried out: its outputs take their places, what is known of it is kept, and others may take its
   object. */
#include "flow/builder/builder.h"
#include "flow/builder/cache.h"

#include <glib/gstdio.h>

static const struct action *action_at(const struct builder *builder, size_t index) {
    return &builder->plan.actions[index];
}

enum ta_status builder_make_folders(struct builder *builder, const struct action *action) {
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < action->outputs.count; ++i) {
        g_autofree char *folder = g_path_get_dirname(builder_path(builder, action->outputs.items[i]));
        if (g_hash_table_contains(builder->folders, folder))
            continue;
        status = folder_make(folder, builder->why);
        g_hash_table_add(builder->folders, g_steal_pointer(&folder));
    }
    return status;
}

/* None takes its place before all are there. */
static enum ta_status place_outputs(struct builder *builder, const struct action *action) {
    const struct texts *outputs = &action->outputs;
    for (size_t i = 0; i < outputs->count; ++i)
        if (!g_file_test(builder_temporary(builder, builder_path(builder, outputs->items[i])), G_FILE_TEST_IS_REGULAR))
            return ta_problem_set(builder->why, TA_E_NO, "look at the compiler's messages",
                                  "%s: the compiler wrote no %s", action->name, outputs->items[i]);
    for (size_t i = 0; i < outputs->count; ++i) {
        const char *output = builder_path(builder, outputs->items[i]), *part = builder_temporary(builder, output);
        if (!file_place(part, output))
            return file_failed(builder->why, "write", output);
    }
    return TA_OK;
}

void builder_remove_parts(struct builder *builder, const struct action *action) {
    for (size_t i = 0; i <= action->outputs.count; ++i) {
        const char *output = i < action->outputs.count ? action->outputs.items[i] : action->dependencies;
        if (output)
            g_unlink(builder_temporary(builder, builder_path(builder, output)));
    }
}

/* Records. */

/* RECORD, whose inputs and key are filled, is that of the action now. */
static void keep_record(struct builder *builder, size_t index, struct record *record, double seconds) {
    const char *output = action_at(builder, index)->outputs.items[0];
    struct turn *turn = &builder->turns[index];
    memcpy(record->command, turn->command_here, CONTENT_BYTES);
    record->messages = g_strdup(turn->messages);
    record->seconds = seconds;
    stamp_of(builder_path(builder, output), &record->made);
    memcpy(turn->key, record->key, CONTENT_BYTES);
    records_put(builder->records, output, record);
    turn->record = record;
    turn->messages = record->messages;
}

static struct record *record_new(size_t inputs) {
    struct record *record = g_new0(struct record, 1);
    record->inputs = g_new0(struct input, inputs + 1);
    record->input_count = inputs;
    return record;
}

static void put_record(struct builder *builder, size_t index, const uint32_t *ids, size_t count, char **names,
                       double seconds) {
    struct record *record = record_new(count);
    for (size_t i = 0; i < count; ++i) {
        const uint8_t *content = tracked_content(builder->files, ids[i]);
        record->inputs[i].file = ids[i];
        if (content)
            memcpy(record->inputs[i].content, content, CONTENT_BYTES);
    }
    record->shadows = tracked_shadows(builder->files, ids, count, names);
    record->names = g_strdupv(names);
    builder_key(builder, builder->turns[index].command_digest, record->inputs, count, record->key);
    keep_record(builder, index, record, seconds);
}

void builder_put_plain_record(struct builder *builder, size_t index, double seconds) {
    const struct action *action = action_at(builder, index);
    struct record *record = record_new(action->inputs.count);
    builder_plain_key(builder, action, builder->turns[index].command_digest, record->inputs, &record->input_count,
                      record->key);
    keep_record(builder, index, record, seconds);
}

bool builder_take_cached(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    struct turn *turn = &builder->turns[index];
    struct cached found;
    if (!action->dependencies || !builder->cache || turn->tries || builder_make_folders(builder, action))
        return false;
    if (!cache_take(builder->cache, builder->files, action->inputs.items[0], turn->command_here,
                    builder_path(builder, action->outputs.items[0]), &found))
        return false;
    turn->messages = arena_text(builder->context->arena, found.messages);
    turn->cached = true;
    ++builder->built->cached;
    put_record(builder, index, (const uint32_t *)(void *)found.inputs->data, found.inputs->len, found.names,
               found.seconds);
    cached_clear(&found);
    return true;
}

/* Whether what went into it may have been saved while the compiler ran. */
static bool saved_meanwhile(struct builder *builder, const struct turn *turn, const uint32_t *ids, size_t count) {
    bool saved = tracked_came(builder->files, ids, count, &turn->begin);
    for (size_t i = 0; i < count; ++i) {
        bool again = tracked_again(builder->files, ids[i], &turn->begin);
        if (again)
            g_hash_table_remove(builder->plain, GUINT_TO_POINTER(ids[i] + 1));
        saved = saved || again;
    }
    return saved;
}

/* An object that a secret went into is the project's alone. */
static bool is_secret(struct builder *builder, const uint32_t *ids, size_t count) {
    uint32_t settings = tracked_id(builder->files, builder->plan.out.settings);
    for (size_t i = 0; builder->has_secrets && i < count; ++i)
        if (ids[i] == settings)
            return true;
    return false;
}

static const char *first_outside(struct builder *builder, const uint32_t *ids, size_t count) {
    for (size_t i = 1; i < count; ++i) { /* most names tell where a file lies */
        const char *path = tracked_path(builder->files, ids[i]);
        if (*path == '/' && *tracked_name(builder->files, ids[i]) != '/')
            continue;
        if (!g_hash_table_contains(builder->allowed, GUINT_TO_POINTER(ids[i] + 1)) &&
            !confine_allows(&builder->confinement, tracked_full_path(builder->files, ids[i])))
            return path;
        g_hash_table_add(builder->allowed, GUINT_TO_POINTER(ids[i] + 1));
    }
    return NULL;
}

/* What went wrong before, in something else, stays what ends the build. */
static bool put_in_place(struct builder *builder, const struct action *action) {
    enum ta_status status = place_outputs(builder, action);
    if (status)
        builder->status = status;
    return !status;
}

/* A compile that succeeded: its list of what it read decides what is known of its object. */
static enum turn_state finish_listed(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    struct turn *turn = &builder->turns[index];
    struct reading_list list;
    const char *rule = builder_temporary(builder, builder_path(builder, action->dependencies));
    enum turn_state state = TURN_MADE;
    bool known = builder_read_inputs(builder, action, rule, &list);
    const uint32_t *ids = (const uint32_t *)(void *)list.inputs->data;
    size_t count = list.inputs->len;
    const char *outside = known ? first_outside(builder, ids, count) : NULL;
    if (outside) {
        builder->status =
            ta_problem_set(builder->why, TA_E_INPUT, "copy it into the project",
                           "%s reads %s, which lies outside the project and the SDK", action->name, outside);
        state = TURN_FAILED;
    } else if (list.binary) {
        builder->status = ta_problem_set(builder->why, TA_E_INPUT, "replace it with its source; data belongs in assets",
                                         "%s includes %s, which is not text", action->name, list.binary);
        state = TURN_FAILED;
    } else if (!known) {
        builder->status = ta_problem_set(builder->why, TA_E_NO, "look at the compiler's messages",
                                         "%s: the compiler did not say what it read", action->name);
        state = TURN_FAILED;
    } else if (saved_meanwhile(builder, turn, ids, count)) {
        state = TURN_WAITING;
    } else if (!put_in_place(builder, action)) {
        state = TURN_FAILED;
    } else {
        g_ptr_array_add(list.names, NULL);
        put_record(builder, index, ids, count, list.names->len > 1 ? (char **)list.names->pdata : NULL,
                   turn->command.seconds);
        if (builder->cache && !is_secret(builder, ids, count))
            g_array_append_val(builder->uncached, index);
    }
    reading_list_clear(&list);
    g_unlink(rule);
    return state;
}

void builder_cache_objects(struct builder *builder) {
    for (guint i = 0; i < builder->uncached->len; ++i) {
        size_t index = g_array_index(builder->uncached, size_t, i);
        const char *object = action_at(builder, index)->outputs.items[0];
        cache_put(builder->cache, builder->files, builder->turns[index].record, builder_path(builder, object));
    }
    g_array_set_size(builder->uncached, 0);
}

static enum turn_state finish_plain(struct builder *builder, size_t index) {
    if (!put_in_place(builder, action_at(builder, index)))
        return TURN_FAILED;
    builder_put_plain_record(builder, index, builder->turns[index].command.seconds);
    return TURN_MADE;
}

enum turn_state builder_finish(struct builder *builder, size_t index) {
    return action_at(builder, index)->dependencies ? finish_listed(builder, index) : finish_plain(builder, index);
}
