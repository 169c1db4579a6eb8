/* The commands of a build, and what comes before and behind them. */
#include "core/build/graph.h"

#include "core/model/isa.h"

#include <string.h>

/* The plan under construction; an allocation that failed leaves FAILED set, which is asked once at the end. */
struct planner {
    struct arena *arena;
    const struct plan_inputs *in;
    bool failed;
};

enum { ARGUMENTS_AT_MOST = 16 };

static const char *keep(struct planner *planner, const char *text) {
    planner->failed = planner->failed || !text;
    return text ? text : "";
}

/* Room for COUNT more arguments behind the ones that are there. */
static void reserve(struct planner *planner, struct texts *list, size_t count) {
    const char **items = arena_alloc(planner->arena, (list->count + count) * sizeof *items);
    if (!items) {
        planner->failed = true;
        return;
    }
    if (list->count)
        memcpy(items, list->items, list->count * sizeof *items);
    list->items = items;
}

static void add(struct planner *planner, struct texts *list, const char *text) {
    if (!planner->failed)
        list->items[list->count++] = keep(planner, text);
}

#define ADD_PRINTF(planner, list, ...) add(planner, list, arena_printf((planner)->arena, __VA_ARGS__))

static bool is_gcc(const struct toolchain *toolchain) {
    return toolchain->family == COMPILER_GCC;
}

static void add_target_arguments(struct planner *planner, const struct toolchain *toolchain, const struct isa *isa,
                                 struct texts *list) {
    char march[ISA_TEXT_BYTES];
    isa_march(isa, march);
    add(planner, list, toolchain->path);
    if (is_gcc(toolchain)) {
        add(planner, list, "--specs=picolibc.specs");
    } else {
        ADD_PRINTF(planner, list, "--target=riscv%u-unknown-elf", isa->xlen);
        add(planner, list, "-mno-relax"); /* which lld 14 does not do */
    }
    ADD_PRINTF(planner, list, "-march=%s", march);
    ADD_PRINTF(planner, list, "-mabi=%s", isa_mabi(isa));
}

static bool ends_with(const char *text, const char *end) {
    size_t length = strlen(text), tail = strlen(end);
    return length >= tail && !strcmp(text + length - tail, end);
}

static const char *optimise_flag(const struct setup *setup) {
    static const char *const flags[OPTIMISATIONS] = {
        [OPTIMISE_SIZE] = "-Os", [OPTIMISE_SPEED] = "-O2", [OPTIMISE_DEBUG] = "-Og"};
    return flags[setup->optimise];
}

static bool is_assembler(const char *source) {
    return ends_with(source, ".S") || ends_with(source, ".s");
}

/* GCC's assembler wants the CSR and fence.i instructions asked for; clang's takes them always. They are asked of the
   assembler alone, since multilibs are named without them. */
static void add_language_arguments(struct planner *planner, const char *source, struct texts *list) {
    const struct plan_inputs *in = planner->in;
    struct isa isa;
    char march[ISA_TEXT_BYTES];
    if (!is_assembler(source)) {
        add(planner, list, "-std=gnu11");
        return;
    }
    if (isa_parse(in->profile->isa, &isa, NULL) || !is_gcc(in->toolchain))
        return;
    isa_march(&isa, march);
    ADD_PRINTF(planner, list, "-Wa,-march=%s_zicsr_zifencei", march);
}

/* PATH as a compiler takes it for a path, not for an option or a file of options. */
static const char *as_path(struct planner *planner, const char *path) {
    static const char plain[] = "/._abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789";
    return strchr(plain, *path) ? path : keep(planner, arena_printf(planner->arena, "./%s", path));
}

/* Where the object of NAME lies below the folder of objects: always below it, also that of a source outside. */
static const char *object_name(struct planner *planner, const char *name) {
    char *below = arena_text(planner->arena, name);
    for (char *at = below; at && (at = strstr(at, "..")); at += 2)
        if ((at == below || at[-1] == '/') && (!at[2] || at[2] == '/'))
            at[0] = at[1] = '_';
    return keep(planner, below);
}

static const char *base_name(const char *path) {
    const char *slash = strrchr(path, '/');
    return slash ? slash + 1 : path;
}

static const struct texts *text_list(struct planner *planner, const char *const *items, size_t count) {
    struct texts *list = arena_alloc(planner->arena, sizeof *list);
    planner->failed = planner->failed || !list;
    if (planner->failed)
        return NULL;
    reserve(planner, list, count ? count : 1);
    for (size_t i = 0; i < count; ++i)
        add(planner, list, items[i]);
    return list;
}

/* An action that the builder carries out by itself. */
static struct action *plan_work(struct planner *planner, struct plan *plan, enum action_kind kind, enum work work,
                                const char *const *inputs, size_t input_count, const char *const *outputs,
                                size_t output_count) {
    struct action *action = &plan->actions[plan->count++];
    const struct texts *read = text_list(planner, inputs, input_count);
    const struct texts *made = text_list(planner, outputs, output_count);
    action->kind = kind;
    action->work = work;
    action->name = output_count ? base_name(outputs[0]) : action_kind_words[kind];
    if (read && made) {
        action->inputs = *read;
        action->outputs = *made;
    }
    return action;
}

/* What all compile actions of one language share. */
struct heads {
    struct texts c, assembler;
    const struct texts *ready;
};

static void plan_compile(struct planner *planner, struct plan *plan, const struct heads *heads, const char *name,
                         const char *source) {
    const char *below = object_name(planner, name), *path = as_path(planner, keep(planner, source));
    const char *base = keep(planner, arena_join(planner->arena, plan->out.objects, "/", below));
    const char *object = keep(planner, arena_join(planner->arena, base, ".o", ""));
    struct action *action = plan_work(planner, plan, ACTION_COMPILE, WORK_COMMAND, &path, 1, &object, 1);
    action->name = keep(planner, name);
    action->dependencies = keep(planner, arena_join(planner->arena, base, ".d", ""));
    action->head = is_assembler(source) ? &heads->assembler : &heads->c;
    action->ready = heads->ready;
    const char *const tail[] = {"-MF", action->dependencies, "-c", path, "-o", object};
    const struct texts *arguments = text_list(planner, tail, sizeof tail / sizeof *tail);
    if (arguments)
        action->tail = *arguments;
}

/* GCC hands its assembler the second alone. */
static void map_path(struct planner *planner, struct texts *list, const char *from, const char *to) {
    ADD_PRINTF(planner, list, "-ffile-prefix-map=%s=%s", from, to);
    ADD_PRINTF(planner, list, "-fdebug-prefix-map=%s=%s", from, to);
}

/* What every source is compiled with. Paths that differ from computer to computer are mapped away, so that the same
   inputs give the same image everywhere. */
static void plan_common(struct planner *planner, struct plan *plan, struct texts *common) {
    const struct plan_inputs *in = planner->in;
    size_t folders = in->include.count + 1;
    for (size_t i = 0; i < in->component_count; ++i)
        folders += in->components[i]->include_paths.count + 2 * in->components[i]->roots.count;
    reserve(planner, common, folders + in->project->defines.count + 28);
    reserve(planner, &plan->folders, folders);
    const char *const flags[] = {
        optimise_flag(in->setup), "-g", "-ffunction-sections", "-fdata-sections", "-fno-common", "-Wall", "-Wextra"};
    for (size_t i = 0; i < sizeof flags / sizeof *flags; ++i)
        add(planner, common, flags[i]);
    add(planner, common, "-Wno-builtin-macro-redefined");
    ADD_PRINTF(planner, common, "-D__DATE__=\"%s\"", in->date);
    ADD_PRINTF(planner, common, "-D__TIME__=\"%s\"", in->time);
    ADD_PRINTF(planner, common, "-D__TIMESTAMP__=\"%s %s\"", in->date, in->time);
    map_path(planner, common, in->folder, ".");
    map_path(planner, common, "./", "");
    for (size_t i = 0; i < in->component_count; ++i)
        for (size_t k = 0; k < in->components[i]->roots.count; ++k)
            map_path(planner, common, in->components[i]->roots.items[k], component_origin(in->sdk, in->components[i]));
    for (size_t i = 0; i < in->project->defines.count; ++i)
        ADD_PRINTF(planner, common, "-D%s", in->project->defines.items[i]);
    if (!is_gcc(in->toolchain)) {
        add(planner, common, "-isystem");
        ADD_PRINTF(planner, common, "%s/include", in->toolchain->c_library);
    }
    add(planner, &plan->folders, plan->out.generated);
    for (size_t i = 0; i < in->include.count; ++i)
        add(planner, &plan->folders, as_path(planner, in->include.items[i]));
    for (size_t i = 0; i < in->component_count; ++i)
        for (size_t k = 0; k < in->components[i]->include_paths.count; ++k)
            add(planner, &plan->folders, in->components[i]->include_paths.items[k]);
    for (size_t i = 0; i < plan->folders.count && !planner->failed; ++i)
        ADD_PRINTF(planner, common, "-I%s", plan->folders.items[i]);
}

/* The heads of the commands that compile: for C, and for assembler. */
static void plan_heads(struct planner *planner, struct plan *plan, const struct texts *target, struct heads *heads) {
    static const char *const lists[] = {"-MD", "-MT", PLAN_RULE};
    struct texts common = {0};
    plan_common(planner, plan, &common);
    struct {
        struct texts *list;
        const char *like;
    } each[] = {{&heads->c, "c"}, {&heads->assembler, ".S"}};
    for (size_t i = 0; i < 2; ++i) {
        reserve(planner, each[i].list, target->count + common.count + 8);
        for (size_t k = 0; k < target->count && !planner->failed; ++k)
            add(planner, each[i].list, target->items[k]);
        add_language_arguments(planner, each[i].like, each[i].list);
        for (size_t k = 0; k < common.count && !planner->failed; ++k)
            add(planner, each[i].list, common.items[k]);
        if (is_assembler(each[i].like) && !is_gcc(planner->in->toolchain)) {
            add(planner, each[i].list, "-g0");                /* clang 14 would tell this computer's paths there */
            add(planner, each[i].list, "-Qunused-arguments"); /* it takes those of C for nothing in a .s */
        }
        for (size_t k = 0; k < sizeof lists / sizeof *lists; ++k)
            add(planner, each[i].list, lists[k]);
    }
}

/* What is generated before anything is compiled, so that no error shows up which generating would cure. */
static void plan_generated(struct planner *planner, struct plan *plan, struct heads *heads) {
    const struct plan_inputs *in = planner->in;
    const struct layout *out = &plan->out;
    const char *const resources[] = {out->resources, out->resources_header};
    const char *headers[3];
    size_t count = 0;
    plan_work(planner, plan, ACTION_GENERATE, WORK_SCRIPT, NULL, 0, &out->script, 1);
    plan_work(planner, plan, ACTION_GENERATE, WORK_HEADER, NULL, 0, &out->header, 1);
    headers[count++] = out->header;
    if (in->project->setting_count) {
        plan_work(planner, plan, ACTION_GENERATE, WORK_SETTINGS, NULL, 0, &out->settings, 1);
        headers[count++] = out->settings;
    }
    if (in->assets.count) {
        plan_work(planner, plan, ACTION_GENERATE, WORK_RESOURCES, in->assets.items, in->assets.count, resources, 2);
        headers[count++] = out->resources_header;
    }
    heads->ready = text_list(planner, headers, count);
}

/* The C library and the compiler's own are named as files for both compilers: what the identity covers is what
   is linked. */
static void plan_link(struct planner *planner, struct plan *plan, const struct texts *target, const char **inputs,
                      size_t objects) {
    const struct toolchain *toolchain = planner->in->toolchain;
    const char *const outputs[] = {plan->out.elf, plan->out.map};
    struct texts *head = arena_alloc(planner->arena, sizeof *head);
    size_t count = objects;
    planner->failed = planner->failed || !head;
    if (planner->failed)
        return;
    reserve(planner, head, target->count + 10);
    for (size_t i = 0; i < target->count; ++i)
        add(planner, head, target->items[i]);
    if (!is_gcc(toolchain))
        add(planner, head, "-fuse-ld=lld");
    add(planner, head, "-nostdlib");
    add(planner, head, "-static");
    add(planner, head, "-Wl,--gc-sections");
    inputs[count++] = plan->out.note_object;
    inputs[count++] = plan->out.script;
    for (size_t i = 0; i < plan->libraries.count; ++i)
        inputs[count++] = plan->libraries.items[i];
    struct action *action = plan_work(planner, plan, ACTION_LINK, WORK_COMMAND, inputs, count, outputs, 2);
    struct texts *tail = &action->tail;
    action->head = head;
    reserve(planner, tail, count + 12);
    add(planner, tail, "-T");
    add(planner, tail, plan->out.script);
    ADD_PRINTF(planner, tail, "-Wl,-Map=%s", plan->out.map);
    for (size_t i = 0; i <= objects; ++i) /* and the note */
        add(planner, tail, inputs[i]);
    add(planner, tail, "-Wl,--start-group");
    for (size_t i = 0; i < plan->libraries.count; ++i)
        add(planner, tail, plan->libraries.items[i]);
    add(planner, tail, "-Wl,--end-group");
    add(planner, tail, "-o");
    add(planner, tail, plan->out.elf);
}

/* What is made of the linked image. */
static void plan_forms(struct planner *planner, struct plan *plan) {
    const struct layout *out = &plan->out;
    const struct {
        bool wanted;
        enum work work;
        const char *output;
    } forms[] = {{true, WORK_BINARY, out->binary},
                 {planner->in->hex, WORK_HEX, out->hex},
                 {planner->in->srec, WORK_SREC, out->srec}};
    for (size_t i = 0; i < sizeof forms / sizeof *forms; ++i)
        if (forms[i].wanted)
            plan_work(planner, plan, ACTION_CONVERT, forms[i].work, &out->elf, 1, &forms[i].output, 1);
    if (planner->in->profile->kind == TA_PROFILE_EMULATOR)
        plan_work(planner, plan, ACTION_ARCHIVE, WORK_APP, &out->elf, 1, &out->app, 1);
    plan_work(planner, plan, ACTION_CHECK, WORK_MEMORY, &out->elf, 1, &out->memory, 1);
}

static size_t source_count(const struct plan_inputs *inputs) {
    size_t count = inputs->sources.count;
    for (size_t i = 0; i < inputs->component_count; ++i)
        count += inputs->components[i]->sources.count;
    return count;
}

static void plan_sources(struct planner *planner, struct plan *plan, const struct heads *heads) {
    const struct plan_inputs *in = planner->in;
    for (size_t i = 0; i < in->sources.count; ++i)
        plan_compile(planner, plan, heads, in->sources.items[i], in->sources.items[i]);
    for (size_t i = 0; i < in->component_count; ++i) {
        const struct component *component = in->components[i];
        const char *origin = component_origin(in->sdk, component);
        for (size_t k = 0; k < component->sources.count; ++k)
            plan_compile(planner, plan, heads, arena_join(planner->arena, origin, "/", component->sources.items[k]),
                         component->source_paths.items[k]);
    }
    if (in->assets.count)
        plan_compile(planner, plan, heads, plan->out.resources, plan->out.resources);
}

enum ta_status plan_make(struct arena *arena, const struct plan_inputs *inputs, struct plan *plan,
                         struct ta_problem *why) {
    enum { OTHERS = 16 }; /* actions beside those that compile */
    struct planner planner = {.arena = arena, .in = inputs};
    const struct toolchain *toolchain = inputs->toolchain;
    struct texts target = {0};
    struct heads *heads = arena_alloc(arena, sizeof *heads);
    struct isa isa;
    enum ta_status status = isa_parse(inputs->profile->isa, &isa, why);
    if (status)
        return status;
    size_t sources = source_count(inputs);
    reserve(&planner, &target, ARGUMENTS_AT_MOST);
    add_target_arguments(&planner, toolchain, &isa, &target);
    *plan = (struct plan){0};
    reserve(&planner, &plan->libraries, 2);
    ADD_PRINTF(&planner, &plan->libraries, "%s/lib/%s/libc.a", toolchain->c_library, toolchain->multilib);
    add(&planner, &plan->libraries, toolchain->libgcc);
    plan->actions = arena_alloc(arena, (sources + OTHERS) * sizeof *plan->actions);
    const char **objects = arena_alloc(arena, (sources + OTHERS) * sizeof *objects);
    planner.failed = planner.failed || !plan->actions || !objects || !heads ||
                     !layout_make(arena, inputs->setup, inputs->project->project, &plan->out);
    if (planner.failed)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    plan_generated(&planner, plan, heads);
    plan_heads(&planner, plan, &target, heads);
    size_t first = plan->count;
    plan_sources(&planner, plan, heads);
    plan->sources = plan->count - first;
    if (!plan->sources && !planner.failed)
        return ta_problem_set(why, TA_E_INPUT, "list them in anchor.yaml", "%s has no sources",
                              inputs->project->project);
    for (size_t i = 0; i < plan->sources; ++i)
        objects[i] = plan->actions[first + i].outputs.items[0];
    plan_work(&planner, plan, ACTION_GENERATE, WORK_DATABASE, NULL, 0, &plan->out.commands, 1);
    plan_work(&planner, plan, ACTION_GENERATE, WORK_IDENTITY, objects, plan->sources, &plan->out.note_object, 1);
    plan_link(&planner, plan, &target, objects, plan->sources);
    plan_forms(&planner, plan);
    return planner.failed ? ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory") : plan_connect(arena, plan, why);
}
