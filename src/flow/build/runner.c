/* Carries out the actions of a plan: what is not current, as soon as what it needs is there, the longest remaining path first. */
#include "flow/build/builder.h"
#include "flow/build/cache.h"

#include <glib/gstdio.h>

enum { TRIES = 5 };
static const double unknown_s = 0.1; /* of an action that was never carried out */

static struct action *action_at(const struct builder *builder, size_t index) {
    return &builder->plan.actions[index];
}

/* A folder for each output, made once. */
static enum ta_status make_folders(struct builder *builder, const struct action *action) {
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
        if (g_rename(part, output))
            return file_failed(builder->why, "rename", part);
    }
    return TA_OK;
}

static void remove_parts(struct builder *builder, const struct action *action) {
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

static void put_plain_record(struct builder *builder, size_t index, double seconds) {
    const struct action *action = action_at(builder, index);
    struct record *record = record_new(action->inputs.count);
    builder_plain_key(builder, action, builder->turns[index].command_digest, record->inputs, &record->input_count,
                      record->key);
    keep_record(builder, index, record, seconds);
}

/* Now and then, so that a build that is killed has not worked for nothing. */
static void save_sometimes(struct builder *builder) {
    enum { EVERY_US = 3000000 };
    if (g_get_monotonic_time() - builder->saved_us < EVERY_US || !g_sequence_get_length(builder->ready))
        return; /* at the end it is saved anyway */
    builder->saved_us = g_get_monotonic_time();
    records_save(builder->records, NULL);
}

/* The graph. */

static gint by_weight(gconstpointer a, gconstpointer b, gpointer with) {
    const struct builder *builder = with;
    size_t left = GPOINTER_TO_SIZE(a), right = GPOINTER_TO_SIZE(b);
    double difference = builder->weights[right] - builder->weights[left];
    return difference > 0 ? 1 : difference < 0 ? -1 : (left > right) - (left < right);
}

static void settle(struct builder *builder, size_t index, enum turn_state state);

/* One action more, or one less, is ahead: it takes as long as the last time, or as the others do. */
static void expect(struct builder *builder, size_t index, int sign) {
    struct turn *turn = &builder->turns[index];
    if (sign > 0)
        turn->guessed = !turn->record;
    if (turn->guessed)
        builder->guessed += sign;
    else
        builder->left_s += sign * builder->seconds[index];
}

static void progress(struct builder *builder) {
    static const double soon_s = 0.05;
    unsigned jobs = MAX(builder->jobs, 1);
    double average_s = builder->timed ? builder->took_s / builder->timed : unknown_s;
    double left_s = builder->left_s + builder->guessed * average_s;
    struct ta_progress progress = {.what = "building", .done = builder->done, .total = builder->wanted, .left_s = -1};
    g_autofree char *what = NULL;
    if (builder->running)
        progress.what = what = g_strdup_printf("building, %u running", builder->running);
    if (left_s > soon_s)
        progress.left_s = left_s / jobs;
    context_progress(builder->context, progress);
}

/* What is generated is compared with what is there, and written when that is other. */
static void begin_generating(struct builder *builder, size_t index) {
    bool written = false;
    enum ta_status status = builder_generate(builder, index, &written);
    if (status && !builder->status)
        builder->status = status;
    builder->built->generated += written;
    if (written && builder->judges)
        return; /* and so nothing that needs it is judged */
    settle(builder, index, status ? TURN_FAILED : written ? TURN_MADE : TURN_CURRENT);
}

/* What the builder does by itself with the image. */
static void begin_work(struct builder *builder, size_t index) {
    gint64 start_us = g_get_monotonic_time();
    if (builder->judges)
        return;
    enum ta_status status = make_folders(builder, action_at(builder, index));
    status = status ? status : builder_work(builder, index);
    if (status && !builder->status)
        builder->status = status;
    if (!status)
        put_plain_record(builder, index, (double)(g_get_monotonic_time() - start_us) / 1e6);
    settle(builder, index, status ? TURN_FAILED : TURN_MADE);
}

/* All that it needs is there. */
static void begin(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    bool is_command = action->work == WORK_COMMAND, is_identity = action->work == WORK_IDENTITY;
    enum ta_status status = is_identity ? builder_identify(builder) : TA_OK;
    if (status) {
        builder->status = status;
        settle(builder, index, TURN_FAILED);
        return;
    }
    if (action->kind == ACTION_GENERATE && action->work != WORK_DATABASE && !is_identity) {
        begin_generating(builder, index);
        return;
    }
    if (builder_is_current(builder, index)) {
        settle(builder, index, TURN_CURRENT);
        return;
    }
    if (!is_command) {
        begin_work(builder, index);
        return;
    }
    ++builder->wanted;
    expect(builder, index, 1);
    g_sequence_insert_sorted(builder->ready, GSIZE_TO_POINTER(index), by_weight, builder);
}

/* What waits for it goes on, or is skipped. */
static void settle(struct builder *builder, size_t index, enum turn_state state) {
    bool good = state == TURN_CURRENT || state == TURN_MADE;
    builder->turns[index].state = state;
    builder->failed = builder->failed || state == TURN_FAILED;
    for (size_t i = builder->dependents_from[index]; i < builder->dependents_from[index + 1]; ++i) {
        struct turn *turn = &builder->turns[builder->dependents[i]];
        if (turn->state != TURN_WAITING)
            continue;
        if (!good)
            settle(builder, builder->dependents[i], TURN_SKIPPED);
        else if (!--turn->left)
            begin(builder, builder->dependents[i]);
    }
}

static void fail(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    remove_parts(builder, action);
    records_drop(builder->records, action->outputs.items[0]);
    builder->turns[index].record = NULL;
    settle(builder, index, TURN_FAILED);
}

static void made(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    builder->built->compiled += action->dependencies != NULL;
    builder->built->linked = builder->built->linked || action->kind == ACTION_LINK;
    ++builder->done;
    save_sometimes(builder);
    settle(builder, index, TURN_MADE);
}

/* Objects that were made elsewhere before. */
static bool take_cached(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    struct turn *turn = &builder->turns[index];
    struct cached found;
    if (!action->dependencies || !builder->cache || turn->tries || make_folders(builder, action))
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

static struct command *next(void *with) {
    struct builder *builder = with;
    while (!builder->status && (!builder->failed || builder->request->keep_going)) {
        GSequenceIter *first = g_sequence_get_begin_iter(builder->ready);
        if (g_sequence_iter_is_end(first))
            return NULL;
        size_t index = GPOINTER_TO_SIZE(g_sequence_get(first));
        struct turn *turn = &builder->turns[index];
        const struct action *action = action_at(builder, index);
        g_sequence_remove(first);
        if (take_cached(builder, index)) {
            expect(builder, index, -1);
            made(builder, index);
            builder->built->compiled -= 1;
            continue;
        }
        enum ta_status status = make_folders(builder, action);
        if (status) {
            builder->status = status;
            settle(builder, index, TURN_FAILED);
            continue;
        }
        turn->command = builder_command(builder, action, action->dependencies != NULL);
        if (action->dependencies) /* the others read nothing that anybody saves */
            turn->begin = tracked_begin(builder->files);
        turn->state = TURN_RUNNING;
        ++builder->running;
        progress(builder);
        return &turn->command;
    }
    return NULL;
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
    } else if (!known) {
        builder->status = ta_problem_set(builder->why, TA_E_NO, "look at the compiler's messages",
                                         "%s: the compiler did not say what it read", action->name);
        state = TURN_FAILED;
    } else if (saved_meanwhile(builder, turn, ids, count)) {
        state = TURN_WAITING;
    } else if ((builder->status = place_outputs(builder, action))) {
        state = TURN_FAILED;
    } else {
        g_ptr_array_add(list.names, NULL);
        put_record(builder, index, ids, count, list.names->len > 1 ? (char **)list.names->pdata : NULL,
                   turn->command.seconds);
        if (!is_secret(builder, ids, count))
            cache_put(builder->cache, builder->files, turn->record, builder_path(builder, action->outputs.items[0]));
    }
    reading_list_clear(&list);
    g_unlink(rule);
    return state;
}

static enum turn_state finish_plain(struct builder *builder, size_t index) {
    builder->status = place_outputs(builder, action_at(builder, index));
    if (!builder->status)
        put_plain_record(builder, index, builder->turns[index].command.seconds);
    return builder->status ? TURN_FAILED : TURN_MADE;
}

static void ended(void *with, struct command *command) {
    struct builder *builder = with;
    struct turn *turn = (struct turn *)(void *)((char *)command - offsetof(struct turn, command));
    size_t index = (size_t)(turn - builder->turns);
    const struct action *action = action_at(builder, index);
    bool good = command->ran && !command->exit_code;
    double command_s = command->seconds;
    --builder->running;
    turn->state = TURN_WAITING;
    turn->messages = builder_heard(builder, action, command);
    enum turn_state state = !good                  ? TURN_FAILED
                            : action->dependencies ? finish_listed(builder, index)
                                                   : finish_plain(builder, index);
    commands_clear(command, 1);
    if (state == TURN_WAITING && ++turn->tries < TRIES) {
        g_sequence_insert_sorted(builder->ready, GSIZE_TO_POINTER(index), by_weight, builder);
        return;
    }
    expect(builder, index, -1);
    builder->took_s += command_s;
    ++builder->timed;
    if (state == TURN_WAITING) {
        builder->status =
            ta_problem_set(builder->why, TA_E_NO, "{build} when no other program writes there",
                           "%s: the sources changed again and again while they were compiled", action->name);
        state = TURN_FAILED;
    }
    if (state == TURN_MADE)
        made(builder, index);
    else
        fail(builder, index);
    if (!builder->running) /* else the next one to begin tells it */
        progress(builder);
}

/* The other direction of NEEDS. */
static void find_dependents(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    builder->dependents_from = g_new0(size_t, plan->count + 2);
    for (size_t i = 0; i < plan->count; ++i)
        for (size_t k = 0; k < plan->actions[i].need_count; ++k)
            ++builder->dependents_from[plan->actions[i].needs[k] + 2];
    for (size_t i = 2; i < plan->count + 2; ++i)
        builder->dependents_from[i] += builder->dependents_from[i - 1];
    builder->dependents = g_new0(size_t, builder->dependents_from[plan->count + 1] + 1);
    for (size_t i = 0; i < plan->count; ++i)
        for (size_t k = 0; k < plan->actions[i].need_count; ++k)
            builder->dependents[builder->dependents_from[plan->actions[i].needs[k] + 1]++] = i;
}

/* What was never carried out takes as long as the others of its kind, on average. */
static void remember_durations(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    double sums[ACTION_KINDS] = {0};
    unsigned counts[ACTION_KINDS] = {0};
    builder->seconds = g_new0(double, plan->count + 1);
    builder->weights = g_new0(double, plan->count + 1);
    for (size_t i = 0; i < plan->count; ++i) {
        const struct record *record = records_of(builder->records, plan->actions[i].outputs.items[0]);
        builder->turns[i].record = record;
        builder->known += record != NULL;
        builder->seconds[i] = record ? record->seconds : -1;
        if (record) {
            sums[plan->actions[i].kind] += record->seconds;
            ++counts[plan->actions[i].kind];
        }
    }
    for (size_t i = 0; i < plan->count; ++i) {
        enum action_kind kind = plan->actions[i].kind;
        if (builder->seconds[i] < 0)
            builder->seconds[i] = counts[kind]                            ? sums[kind] / counts[kind]
                                  : plan->actions[i].work == WORK_COMMAND ? unknown_s
                                                                          : 0;
    }
    plan_weigh(plan, builder->seconds, builder->weights);
}

static void object_gone(void *with, const char *output) {
    struct builder *builder = with;
    if (g_str_has_prefix(output, "out/") && !strstr(output, "..")) /* whatever a state from elsewhere says */
        g_unlink(builder_path(builder, output));
}

/* Objects of sources that are no longer there go. */
static void forget_others(struct builder *builder) {
    if (builder->known == records_count(builder->records))
        return;
    g_autoptr(GHashTable) kept = g_hash_table_new(g_str_hash, g_str_equal);
    for (size_t i = 0; i < builder->plan.count; ++i)
        for (size_t k = 0; k < builder->plan.actions[i].outputs.count; ++k)
            g_hash_table_add(kept, (gpointer)builder->plan.actions[i].outputs.items[k]);
    records_keep(builder->records, kept, object_gone, builder);
}

enum ta_status builder_run(struct builder *builder, bool judges) {
    const struct plan *plan = &builder->plan;
    const struct command_source source = {next, ended, context_cancelled, builder, builder->context};
    builder->judges = judges;
    builder->jobs = builder->request->jobs       ? builder->request->jobs
                    : g_get_num_processors() > 2 ? g_get_num_processors()
                                                 : 2;
    builder->turns = g_new0(struct turn, plan->count + 1);
    builder->ready = g_sequence_new(NULL);
    builder->saved_us = g_get_monotonic_time();
    find_dependents(builder);
    remember_durations(builder);
    if (!judges)
        forget_others(builder);
    for (size_t i = 0; i < plan->count; ++i)
        builder->turns[i].left = plan->actions[i].need_count;
    for (size_t i = 0; i < plan->count && !builder->status; ++i)
        if (!plan->actions[i].need_count)
            begin(builder, i);
    if (judges)
        return builder->status;
    enum ta_status status = commands_feed(&source, builder->jobs, builder->why);
    for (size_t i = 0; i < plan->count; ++i) {
        if (builder->turns[i].state == TURN_RUNNING)
            remove_parts(builder, &plan->actions[i]);
        commands_clear(&builder->turns[i].command, 1);
    }
    return status ? status : builder->status;
}

void builder_run_end(struct builder *builder) {
    for (size_t i = 0; builder->turns && i < builder->plan.count; ++i)
        g_free(builder->turns[i].reason);
    g_clear_pointer(&builder->turns, g_free);
    g_clear_pointer(&builder->ready, g_sequence_free);
    g_clear_pointer(&builder->seconds, g_free);
    g_clear_pointer(&builder->weights, g_free);
    g_clear_pointer(&builder->dependents, g_free);
    g_clear_pointer(&builder->dependents_from, g_free);
}
