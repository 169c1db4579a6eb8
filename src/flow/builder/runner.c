/* Carries out the actions of a plan: what is not current, as soon as what it needs is there, the longest remaining path first. */
#include "flow/builder/builder.h"
#include "host/elf_file.h"

#include <glib/gstdio.h>

enum { TRIES = 5 };
static const double unknown_s = 0.1; /* of an action that was never carried out */

static struct action *action_at(const struct builder *builder, size_t index) {
    return &builder->plan.actions[index];
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

/* Thousands come at once, and then hardly one: they are sorted when the first is taken, the longest path of the suspects last. */
static void put_unjudged(struct builder *builder, size_t index) {
    gpointer entry = GSIZE_TO_POINTER(index);
    builder->turns[index].suspect = builder_suspects(builder, index);
    g_array_append_val(builder->unjudged, entry);
    builder->unsorted = true;
}

static gint by_urgency(gconstpointer a, gconstpointer b, gpointer with) {
    const struct builder *builder = with;
    gpointer left = *(const gpointer *)a, right = *(const gpointer *)b;
    int suspects = builder->turns[GPOINTER_TO_SIZE(left)].suspect - builder->turns[GPOINTER_TO_SIZE(right)].suspect;
    return suspects ? suspects : by_weight(right, left, with);
}

/* Null when there is none. */
static const gpointer *next_unjudged(struct builder *builder) {
    if (builder->unsorted)
        g_array_sort_with_data(builder->unjudged, by_urgency, builder);
    builder->unsorted = false;
    return builder->unjudged->len ? &g_array_index(builder->unjudged, gpointer, builder->unjudged->len - 1) : NULL;
}

static void put_ready(struct builder *builder, size_t index) {
    g_sequence_insert_sorted(builder->ready, GSIZE_TO_POINTER(index), by_weight, builder);
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
    enum ta_status status = builder_make_folders(builder, action_at(builder, index));
    status = status ? status : builder_work(builder, index);
    if (status && !builder->status)
        builder->status = status;
    if (!status)
        builder_put_plain_record(builder, index, (double)(g_get_monotonic_time() - start_us) / 1e6);
    settle(builder, index, status ? TURN_FAILED : TURN_MADE);
}

/* What it needs is there: whether there is anything to do for it. */
static void judge(struct builder *builder, size_t index) {
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
    put_ready(builder, index);
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
            put_unjudged(builder, builder->dependents[i]);
    }
}

static void judge_next(struct builder *builder) {
    size_t index = GPOINTER_TO_SIZE(*next_unjudged(builder));
    g_array_set_size(builder->unjudged, builder->unjudged->len - 1);
    judge(builder, index);
}

static void judge_all(struct builder *builder) {
    while (!builder->status && builder->unjudged->len)
        judge_next(builder);
}

static void fail(struct builder *builder, size_t index) {
    const struct action *action = action_at(builder, index);
    builder_remove_parts(builder, action);
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

/* The action to carry out now: no suspect that has yet to be judged has a longer path ahead. Null for none. */
static GSequenceIter *next_ready(struct builder *builder) {
    for (;;) {
        const gpointer *unjudged = next_unjudged(builder);
        GSequenceIter *first = g_sequence_get_begin_iter(builder->ready);
        bool none = g_sequence_iter_is_end(first) || (builder->failed && !builder->request->keep_going);
        if (builder->status)
            return NULL;
        if (!unjudged || !(none || (builder->turns[GPOINTER_TO_SIZE(*unjudged)].suspect &&
                                    by_weight(g_sequence_get(first), *unjudged, builder) > 0)))
            return none ? NULL : first;
        judge_next(builder);
    }
}

static struct command *next(void *with) {
    struct builder *builder = with;
    for (GSequenceIter *first; (first = next_ready(builder));) {
        size_t index = GPOINTER_TO_SIZE(g_sequence_get(first));
        struct turn *turn = &builder->turns[index];
        const struct action *action = action_at(builder, index);
        g_sequence_remove(first);
        if (builder_take_cached(builder, index)) {
            expect(builder, index, -1);
            made(builder, index);
            builder->built->compiled -= 1;
            continue;
        }
        enum ta_status status = builder_make_folders(builder, action);
        if (status) {
            builder->status = status;
            settle(builder, index, TURN_FAILED);
            continue;
        }
        builder_remove_parts(builder, action); /* of a build that was killed */
        turn->command = builder_command(builder, action, action->dependencies != NULL);
        if (action->dependencies) /* the others read nothing that anybody saves */
            turn->begin = tracked_begin(builder->files);
        turn->state = TURN_RUNNING;
        g_array_append_val(builder->begun, index);
        ++builder->running;
        progress(builder);
        return &turn->command;
    }
    return NULL;
}

/* GNU ld passes over an object that holds a compiler's intermediate form alone, and says that all is well. */
static bool left_something_out(const struct action *action, const struct command *command) {
    return action->kind == ACTION_LINK && strstr(command->errors, "plugin needed to handle lto object");
}

static void ended(void *with, struct command *command) {
    struct builder *builder = with;
    struct turn *turn = (struct turn *)(void *)((char *)command - offsetof(struct turn, command));
    size_t index = (size_t)(turn - builder->turns);
    const struct action *action = action_at(builder, index);
    bool good = command->ran && !command->exit_code && !left_something_out(action, command);
    double command_s = command->seconds;
    --builder->running;
    turn->state = TURN_WAITING;
    turn->messages = builder_heard(builder, action, command);
    enum turn_state state = good ? builder_finish(builder, index) : TURN_FAILED;
    commands_clear(command, 1);
    if (state == TURN_WAITING && ++turn->tries < TRIES) {
        put_ready(builder, index);
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

/* Once. */
static void prepare_for_image(struct builder *builder) {
    if (builder->prepared)
        return;
    builder->prepared = true;
    elf_prepare();
    builder_forget_contents(builder);
}

/* The longest path has begun: what else there is to do is found out meanwhile, objects go into the cache, and what waits for the image
   prepares for it. */
static void meanwhile(void *with) {
    struct builder *builder = with;
    unsigned wanted = builder->wanted;
    judge_all(builder);
    if (builder->wanted != wanted)
        progress(builder);
    builder_cache_objects(builder);
    for (guint i = 0; i < builder->begun->len; ++i)
        builder_read_ahead(builder, g_array_index(builder->begun, size_t, i));
    g_array_set_size(builder->begun, 0);
    prepare_for_image(builder);
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
    const struct command_source source = {.next = next,
                                          .ended = ended,
                                          .cancelled = context_cancelled,
                                          .with = builder,
                                          .cancelled_with = builder->context,
                                          .meanwhile = meanwhile};
    builder->judges = judges;
    unsigned processors = g_get_num_processors();
    builder->jobs = builder->request->jobs ? builder->request->jobs : MAX(processors, 2);
    builder->turns = g_new0(struct turn, plan->count + 1);
    builder->unjudged = g_array_new(FALSE, FALSE, sizeof(gpointer));
    builder->ready = g_sequence_new(NULL);
    builder->uncached = g_array_new(FALSE, FALSE, sizeof(size_t));
    builder->begun = g_array_new(FALSE, FALSE, sizeof(size_t));
    builder->saved_us = g_get_monotonic_time();
    find_dependents(builder);
    remember_durations(builder);
    if (!judges)
        forget_others(builder);
    for (size_t i = 0; i < plan->count; ++i)
        builder->turns[i].left = plan->actions[i].need_count;
    for (size_t i = 0; i < plan->count; ++i)
        if (!plan->actions[i].need_count)
            put_unjudged(builder, i);
    if (judges) {
        judge_all(builder);
        return builder->status;
    }
    enum ta_status status = commands_feed(&source, builder->jobs, builder->why);
    builder_cache_objects(builder);
    for (size_t i = 0; i < plan->count; ++i) {
        if (builder->turns[i].state == TURN_RUNNING)
            builder_remove_parts(builder, &plan->actions[i]);
        commands_clear(&builder->turns[i].command, 1);
    }
    return status ? status : builder->status;
}

void builder_run_end(struct builder *builder) {
    for (size_t i = 0; builder->turns && i < builder->plan.count; ++i)
        g_free(builder->turns[i].reason);
    g_clear_pointer(&builder->turns, g_free);
    g_clear_pointer(&builder->unjudged, g_array_unref);
    g_clear_pointer(&builder->ready, g_sequence_free);
    g_clear_pointer(&builder->uncached, g_array_unref);
    g_clear_pointer(&builder->begun, g_array_unref);
    g_clear_pointer(&builder->seconds, g_free);
    g_clear_pointer(&builder->weights, g_free);
    g_clear_pointer(&builder->dependents, g_free);
    g_clear_pointer(&builder->dependents_from, g_free);
}
