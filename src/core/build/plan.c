#include "core/build/plan.h"

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

static void plan_step(struct planner *planner, struct plan *plan, const struct texts *target,
                      const struct texts *common, const char *name, const char *source) {
    struct compile_step *step = &plan->steps[plan->count++];
    const char *below = object_name(planner, name);
    step->name = keep(planner, name);
    step->source = as_path(planner, keep(planner, source));
    step->object = keep(planner, arena_printf(planner->arena, "%s/%s.o", plan->out.objects, below));
    step->dependencies = keep(planner, arena_printf(planner->arena, "%s/%s.d", plan->out.objects, below));
    reserve(planner, &step->arguments, target->count + common->count + 12);
    for (size_t i = 0; i < target->count; ++i)
        add(planner, &step->arguments, target->items[i]);
    add_language_arguments(planner, source, &step->arguments);
    for (size_t i = 0; i < common->count; ++i)
        add(planner, &step->arguments, common->items[i]);
    if (is_assembler(source) && !is_gcc(planner->in->toolchain)) {
        add(planner, &step->arguments, "-g0");                /* clang 14 would tell this computer's paths there */
        add(planner, &step->arguments, "-Qunused-arguments"); /* it takes those of C for nothing in a .s */
    }
    const char *const tail[] = {"-MD", "-MT",        PLAN_RULE, "-MF",       step->dependencies,
                                "-c",  step->source, "-o",      step->object};
    for (size_t i = 0; i < sizeof tail / sizeof *tail; ++i)
        add(planner, &step->arguments, tail[i]);
}

/* GCC hands its assembler the second alone. */
static void map_path(struct planner *planner, struct texts *list, const char *from, const char *to) {
    ADD_PRINTF(planner, list, "-ffile-prefix-map=%s=%s", from, to);
    ADD_PRINTF(planner, list, "-fdebug-prefix-map=%s=%s", from, to);
}

/* What every source is compiled with. Paths that differ from computer to computer are mapped away, so that the same
   inputs give the same image everywhere. */
static void plan_common(struct planner *planner, const struct plan *plan, struct texts *common) {
    const struct plan_inputs *in = planner->in;
    size_t folders = in->include.count;
    for (size_t i = 0; i < in->component_count; ++i)
        folders += in->components[i]->include_paths.count + 2 * in->components[i]->roots.count;
    reserve(planner, common, folders + in->project->defines.count + 20);
    const char *const flags[] = {
        optimise_flag(in->setup), "-g", "-ffunction-sections", "-fdata-sections", "-fno-common", "-Wall", "-Wextra"};
    for (size_t i = 0; i < sizeof flags / sizeof *flags; ++i)
        add(planner, common, flags[i]);
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
    ADD_PRINTF(planner, common, "-I%s", plan->out.generated);
    for (size_t i = 0; i < in->include.count; ++i)
        ADD_PRINTF(planner, common, "-I%s", as_path(planner, in->include.items[i]));
    for (size_t i = 0; i < in->component_count; ++i)
        for (size_t k = 0; k < in->components[i]->include_paths.count; ++k)
            ADD_PRINTF(planner, common, "-I%s", in->components[i]->include_paths.items[k]);
}

static void plan_note(struct planner *planner, struct plan *plan, const struct texts *target) {
    const char *const tail[] = {"-c", plan->out.note_source, "-o", plan->out.note_object};
    reserve(planner, &plan->note_arguments, target->count + 4);
    for (size_t i = 0; i < target->count; ++i)
        add(planner, &plan->note_arguments, target->items[i]);
    for (size_t i = 0; i < sizeof tail / sizeof *tail; ++i)
        add(planner, &plan->note_arguments, tail[i]);
}

/* The C library and the compiler's own are named as files for both compilers: what the identity covers is what
   is linked. */
static void plan_link(struct planner *planner, struct plan *plan, const struct texts *target) {
    const struct toolchain *toolchain = planner->in->toolchain;
    struct texts *list = &plan->link_arguments;
    reserve(planner, &plan->libraries, 2);
    ADD_PRINTF(planner, &plan->libraries, "%s/lib/%s/libc.a", toolchain->c_library, toolchain->multilib);
    add(planner, &plan->libraries, toolchain->libgcc);
    reserve(planner, list, target->count + plan->count + 20);
    for (size_t i = 0; i < target->count; ++i)
        add(planner, list, target->items[i]);
    if (!is_gcc(toolchain))
        add(planner, list, "-fuse-ld=lld");
    add(planner, list, "-nostdlib");
    add(planner, list, "-static");
    add(planner, list, "-T");
    add(planner, list, plan->out.script);
    add(planner, list, "-Wl,--gc-sections");
    ADD_PRINTF(planner, list, "-Wl,-Map=%s", plan->out.map);
    for (size_t i = 0; i < plan->count; ++i)
        add(planner, list, plan->steps[i].object);
    add(planner, list, plan->out.note_object);
    add(planner, list, "-Wl,--start-group");
    for (size_t i = 0; i < plan->libraries.count; ++i)
        add(planner, list, plan->libraries.items[i]);
    add(planner, list, "-Wl,--end-group");
    add(planner, list, "-o");
    add(planner, list, plan->out.elf);
}

enum ta_status plan_make(struct arena *arena, const struct plan_inputs *inputs, struct plan *plan,
                         struct ta_problem *why) {
    struct planner planner = {.arena = arena, .in = inputs};
    struct texts target = {0}, common = {0};
    struct isa isa;
    enum ta_status status = isa_parse(inputs->profile->isa, &isa, why);
    if (status)
        return status;
    reserve(&planner, &target, ARGUMENTS_AT_MOST);
    add_target_arguments(&planner, inputs->toolchain, &isa, &target);
    *plan = (struct plan){0};
    planner.failed = !layout_make(arena, inputs->setup, inputs->project->project, &plan->out);
    plan_common(&planner, plan, &common);
    size_t sources = inputs->sources.count;
    for (size_t i = 0; i < inputs->component_count; ++i)
        sources += inputs->components[i]->sources.count;
    plan->steps = arena_alloc(arena, (sources + 2) * sizeof *plan->steps);
    if (!plan->steps)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; i < inputs->sources.count; ++i)
        plan_step(&planner, plan, &target, &common, inputs->sources.items[i], inputs->sources.items[i]);
    for (size_t i = 0; i < inputs->component_count; ++i) {
        const struct component *component = inputs->components[i];
        for (size_t k = 0; k < component->sources.count; ++k)
            plan_step(
                &planner, plan, &target, &common,
                arena_printf(arena, "%s/%s", component_origin(inputs->sdk, component), component->sources.items[k]),
                component->source_paths.items[k]);
    }
    if (inputs->has_assets)
        plan_step(&planner, plan, &target, &common, plan->out.resources, plan->out.resources);
    plan_note(&planner, plan, &target);
    plan_link(&planner, plan, &target);
    return planner.failed ? ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory") : TA_OK;
}

/* A walk that takes what is needed first. Components that need one another come in the order in which they are met. */
struct component_walk {
    const struct sdk *sdk;
    const struct component **list;
    bool *met; /* of the SDK's components */
    size_t count;
    struct ta_problem *why;
};

static enum ta_status add_component(struct component_walk *walk, const char *name) {
    const struct sdk *sdk = walk->sdk;
    const struct component *component = sdk_component(sdk, name);
    enum ta_status status = TA_OK;
    if (!component)
        return ta_problem_set(walk->why, TA_E_INPUT, "its sdk.yaml lists the components",
                              "%s %s has no component \"%s\"", sdk->sdk, sdk->version, name);
    if (walk->met[component - sdk->components])
        return TA_OK;
    walk->met[component - sdk->components] = true;
    for (size_t i = 0; !status && i < component->needs.count; ++i)
        status = add_component(walk, component->needs.items[i].name);
    walk->list[walk->count++] = component;
    return status;
}

enum ta_status plan_components(struct arena *arena, const struct sdk *sdk, const struct pins *chosen,
                               const struct component ***components, size_t *count, struct ta_problem *why) {
    struct component_walk walk = {.sdk = sdk, .why = why};
    enum ta_status status = TA_OK;
    walk.list = arena_alloc(arena, (sdk->component_count + 1) * sizeof *walk.list);
    walk.met = arena_alloc(arena, (sdk->component_count + 1) * sizeof *walk.met);
    if (!walk.list || !walk.met)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    for (size_t i = 0; !status && i < chosen->count; ++i) {
        const struct component *component = sdk_component(sdk, chosen->items[i].name);
        status = add_component(&walk, chosen->items[i].name);
        if (!status && strcmp(component->version, chosen->items[i].version))
            status = ta_problem_set(why, TA_E_INPUT, "{configure}", "%s %s has %s %s, and the setup says %s", sdk->sdk,
                                    sdk->version, component->name, component->version, chosen->items[i].version);
    }
    *components = walk.list;
    *count = walk.count;
    return status;
}
