/* The commands of a build, and what comes before and behind them. */
#include "core/plan/graph.h"

#include "core/model/isa.h"

#include <string.h>

/* The plan under construction; an allocation that failed leaves FAILED set, which is asked once at the end. */
struct planner {
    struct arena *arena;
    const struct plan_inputs *in;
    struct plan *plan;
    const struct image_inputs *image; /* the one that is being planned */
    const struct image_layout *out;
    size_t index; /* its */
    bool failed;
};

enum { ARGUMENTS_AT_MOST = 16, OTHERS = 16 }; /* of one image: actions that compile nothing */

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

static void add_words(struct planner *planner, struct texts *list, const char *const *words) {
    for (; *words; ++words)
        add(planner, list, *words);
}

#define ADD_WORDS(planner, list, ...)  add_words(planner, list, (const char *const[]){__VA_ARGS__, NULL})
#define ADD_PRINTF(planner, list, ...) add(planner, list, arena_printf((planner)->arena, __VA_ARGS__))

static bool is_gcc(const struct toolchain *toolchain) {
    return toolchain->family == COMPILER_GCC;
}

static void add_target_arguments(struct planner *planner, const struct isa *isa, struct texts *list) {
    const struct toolchain *toolchain = &planner->image->toolchain;
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
        [OPTIMISE_SIZE] = "-Os", [OPTIMISE_SPEED] = "-O2", [OPTIMISE_DEBUG] = "-Og", [OPTIMISE_NOTHING] = "-O0"};
    return flags[setup->optimise];
}

static bool is_assembler(const char *source) {
    return ends_with(source, ".S") || ends_with(source, ".s");
}

/* GCC's assembler wants the CSR and fence.i instructions asked for; clang's takes them always. They are asked of the
   assembler alone, since multilibs are named without them. */
static void add_language_arguments(struct planner *planner, const char *source, struct texts *list) {
    struct isa isa;
    char march[ISA_TEXT_BYTES];
    if (!is_assembler(source)) {
        add(planner, list, "-std=gnu11");
        return;
    }
    if (isa_parse(planner->image->place.group.isa, &isa, NULL) || !is_gcc(&planner->image->toolchain))
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

/* How people see a step: of several images, it says which one it is for. */
static const char *shown(struct planner *planner, const char *name) {
    const char *image = planner->out ? planner->out->name : NULL;
    return image ? keep(planner, arena_join(planner->arena, image, ": ", name)) : name;
}

/* An action that the builder carries out by itself. */
static struct action *plan_work(struct planner *planner, enum action_kind kind, enum work work,
                                const char *const *inputs, size_t input_count, const char *const *outputs,
                                size_t output_count) {
    struct action *action = &planner->plan->actions[planner->plan->count++];
    const struct texts *read = text_list(planner, inputs, input_count);
    const struct texts *made = text_list(planner, outputs, output_count);
    action->kind = kind;
    action->work = work;
    action->image = planner->index;
    action->name = shown(planner, output_count ? base_name(outputs[0]) : action_kind_words[kind]);
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

static void plan_compile(struct planner *planner, const struct heads *heads, const char *name, const char *source) {
    const char *below = object_name(planner, name), *path = as_path(planner, keep(planner, source));
    const char *base = keep(planner, arena_join(planner->arena, planner->out->objects, "/", below));
    const char *object = keep(planner, arena_join(planner->arena, base, ".o", ""));
    struct action *action = plan_work(planner, ACTION_COMPILE, WORK_COMMAND, &path, 1, &object, 1);
    action->name = shown(planner, keep(planner, name));
    action->dependencies = keep(planner, arena_join(planner->arena, base, ".d", ""));
    action->head = is_assembler(source) ? &heads->assembler : &heads->c;
    action->ready = heads->ready;
    /* The language is said, so that no name makes a source something else: preprocessed text, or an object. */
    const char *language = is_assembler(source) ? "assembler-with-cpp" : "c";
    const char *const tail[] = {"-MF", action->dependencies, "-x", language, "-c", path, "-o", object};
    const struct texts *arguments = text_list(planner, tail, sizeof tail / sizeof *tail);
    if (arguments)
        action->tail = *arguments;
}

/* GCC hands its assembler the second alone. */
static void map_path(struct planner *planner, struct texts *list, const char *from, const char *to) {
    ADD_PRINTF(planner, list, "-ffile-prefix-map=%s=%s", from, to);
    ADD_PRINTF(planner, list, "-fdebug-prefix-map=%s=%s", from, to);
}

/* Each of LIST but those that are there: folders of headers are one list for all images. */
static void add_folder(struct planner *planner, struct texts *list, const char *folder) {
    struct texts *all = &planner->plan->folders;
    bool known = false;
    add(planner, list, folder);
    for (size_t i = 0; i < all->count; ++i)
        known = known || !strcmp(all->items[i], folder);
    if (!known)
        add(planner, all, folder);
}

/* Where the image's sources look for headers: what is generated for it, its own, the SDK's. */
static void plan_folders(struct planner *planner, struct texts *list) {
    const struct plan_inputs *in = planner->in;
    const struct texts *own[] = {&planner->image->include, &in->include};
    size_t count = planner->image->include.count + in->include.count + 2;
    for (size_t i = 0; i < in->component_count; ++i)
        count += in->components[i]->include_paths.count;
    reserve(planner, list, count);
    reserve(planner, &planner->plan->folders, count);
    add_folder(planner, list, planner->out->generated);
    if (planner->out->name)
        add_folder(planner, list, planner->plan->out.generated);
    for (size_t i = 0; i < sizeof own / sizeof *own; ++i)
        for (size_t k = 0; k < own[i]->count; ++k)
            add_folder(planner, list, as_path(planner, own[i]->items[k]));
    for (size_t i = 0; i < in->component_count; ++i)
        for (size_t k = 0; k < in->components[i]->include_paths.count; ++k)
            add_folder(planner, list, in->components[i]->include_paths.items[k]);
}

/* Compilers read text, and nothing that stands for a header in their own form, whoever put it beside one. GCC takes no precompiled header
   once it has read another; clang takes one where it is told to, and modules where it may. */
static void plan_text_alone(struct planner *planner, struct texts *common) {
    static const char *const gcc[] = {"-imacros", PLAN_NOTHING, NULL};
    static const char *const clang[] = {"-fno-modules", "-fno-implicit-module-maps", NULL};
    add_words(planner, common, is_gcc(&planner->image->toolchain) ? gcc : clang);
}

/* What every source is compiled with. Paths that differ from computer to computer are mapped away, so that the same
   inputs give the same image everywhere. */
static void plan_common(struct planner *planner, struct texts *common) {
    const struct plan_inputs *in = planner->in;
    const struct texts *defines[] = {&in->project->defines, &planner->image->defines};
    struct texts folders = {0};
    size_t count = defines[0]->count + defines[1]->count + 30;
    plan_folders(planner, &folders);
    for (size_t i = 0; i < in->component_count; ++i)
        count += 2 * in->components[i]->roots.count;
    reserve(planner, common, count + folders.count);
    ADD_WORDS(planner, common, optimise_flag(in->setup), "-g", "-ffunction-sections", "-fdata-sections", "-fno-common",
              "-Wall", "-Wextra", "-Wno-builtin-macro-redefined");
    plan_text_alone(planner, common);
    ADD_PRINTF(planner, common, "-D__DATE__=\"%s\"", in->date);
    ADD_PRINTF(planner, common, "-D__TIME__=\"%s\"", in->time);
    ADD_PRINTF(planner, common, "-D__TIMESTAMP__=\"%s %s\"", in->date, in->time);
    map_path(planner, common, in->folder, ".");
    map_path(planner, common, "./", "");
    for (size_t i = 0; i < in->component_count; ++i)
        for (size_t k = 0; k < in->components[i]->roots.count; ++k)
            map_path(planner, common, in->components[i]->roots.items[k], component_origin(in->sdk, in->components[i]));
    for (size_t i = 0; i < sizeof defines / sizeof *defines; ++i)
        for (size_t k = 0; k < defines[i]->count; ++k)
            ADD_PRINTF(planner, common, "-D%s", defines[i]->items[k]);
    if (!is_gcc(&planner->image->toolchain)) {
        ADD_WORDS(planner, common, "-isystem");
        ADD_PRINTF(planner, common, "%s/include", planner->image->toolchain.c_library);
    }
    for (size_t i = 0; i < folders.count && !planner->failed; ++i)
        ADD_PRINTF(planner, common, "-I%s", folders.items[i]);
}

/* The heads of the commands that compile: for C, and for assembler. */
static void plan_heads(struct planner *planner, const struct texts *target, struct heads *heads) {
    struct texts common = {0};
    plan_common(planner, &common);
    struct {
        struct texts *list;
        const char *like;
    } each[] = {{&heads->c, "c"}, {&heads->assembler, ".S"}};
    for (size_t i = 0; i < 2; ++i) {
        reserve(planner, each[i].list, target->count + common.count + 8);
        for (size_t k = 0; k < target->count; ++k)
            add(planner, each[i].list, target->items[k]);
        add_language_arguments(planner, each[i].like, each[i].list);
        for (size_t k = 0; k < common.count && !planner->failed; ++k)
            add(planner, each[i].list, common.items[k]);
        if (is_assembler(each[i].like) && !is_gcc(&planner->image->toolchain)) {
            /* clang 14 would tell this computer's paths in debug data, and complain of what is C's alone. */
            ADD_WORDS(planner, each[i].list, "-g0", "-Qunused-arguments");
        }
        ADD_WORDS(planner, each[i].list, "-MD", "-MT", PLAN_RULE);
    }
}

/* What is generated before anything is compiled, so that no error shows up which generating would cure. That of all images comes with
   the first. */
static void plan_generated(struct planner *planner, struct heads *heads) {
    const struct plan_inputs *in = planner->in;
    const struct layout *all = &planner->plan->out;
    const char *const resources[] = {all->resources, all->resources_header};
    const char *headers[4];
    size_t count = 0;
    plan_work(planner, ACTION_GENERATE, WORK_SCRIPT, NULL, 0, &planner->out->script, 1);
    plan_work(planner, ACTION_GENERATE, WORK_HEADER, NULL, 0, &planner->out->header, 1);
    headers[count++] = planner->out->header;
    if (in->project->setting_count) {
        if (!planner->index)
            plan_work(planner, ACTION_GENERATE, WORK_SETTINGS, NULL, 0, &all->settings, 1);
        headers[count++] = all->settings;
    }
    if (in->assets.count) {
        if (!planner->index)
            plan_work(planner, ACTION_GENERATE, WORK_RESOURCES, in->assets.items, in->assets.count, resources, 2);
        headers[count++] = all->resources_header;
    }
    if (in->project->fabric) {
        if (!planner->index)
            plan_work(planner, ACTION_GENERATE, WORK_FABRIC_HEADER, &in->project->fabric, 1, &all->fabric_header, 1);
        if (!planner->index)
            plan_work(planner, ACTION_CONVERT, WORK_FABRIC, &in->project->fabric, 1, &all->fabric, 1);
        headers[count++] = all->fabric_header;
    }
    heads->ready = text_list(planner, headers, count);
}

/* The C library and the compiler's own are named as files for both compilers: what the identity covers is what
   is linked. */
static void plan_link(struct planner *planner, struct planned_image *image, const struct texts *target,
                      const char **inputs, size_t objects) {
    const char *const outputs[] = {image->out->elf, image->out->map};
    struct texts *head = arena_alloc(planner->arena, sizeof *head);
    size_t count = objects;
    planner->failed = planner->failed || !head;
    if (planner->failed)
        return;
    reserve(planner, head, target->count + 12);
    for (size_t i = 0; i < target->count; ++i)
        add(planner, head, target->items[i]);
    if (!is_gcc(&image->in->toolchain)) /* an object may name libraries */
        ADD_WORDS(planner, head, "-fuse-ld=lld", "-Wl,--no-dependent-libraries");
    /* It may also hold what a compiler would go on with. */
    ADD_WORDS(planner, head, "-fno-lto", "-nostdlib", "-static", "-Wl,--gc-sections");
    inputs[count++] = image->out->note_object;
    inputs[count++] = image->out->script;
    for (size_t i = 0; i < image->libraries.count; ++i)
        inputs[count++] = image->libraries.items[i];
    struct action *action = plan_work(planner, ACTION_LINK, WORK_COMMAND, inputs, count, outputs, 2);
    struct texts *tail = &action->tail;
    image->link = action;
    action->head = head;
    reserve(planner, tail, count + 12);
    ADD_WORDS(planner, tail, "-T", image->out->script);
    ADD_PRINTF(planner, tail, "-Wl,-Map=%s", image->out->map);
    for (size_t i = 0; i <= objects; ++i) /* and the note */
        add(planner, tail, inputs[i]);
    add(planner, tail, "-Wl,--start-group");
    for (size_t i = 0; i < image->libraries.count; ++i)
        add(planner, tail, image->libraries.items[i]);
    ADD_WORDS(planner, tail, "-Wl,--end-group", "-o", image->out->elf);
}

/* What is made of the linked image. */
static void plan_forms(struct planner *planner) {
    const struct image_layout *out = planner->out;
    const struct {
        bool wanted;
        enum work work;
        const char *output;
    } forms[] = {{true, WORK_BINARY, out->binary},
                 {planner->in->hex, WORK_HEX, out->hex},
                 {planner->in->srec, WORK_SREC, out->srec}};
    for (size_t i = 0; i < sizeof forms / sizeof *forms; ++i)
        if (forms[i].wanted)
            plan_work(planner, ACTION_CONVERT, forms[i].work, &out->elf, 1, &forms[i].output, 1);
    if (planner->in->profile->kind == TA_PROFILE_EMULATOR)
        plan_work(planner, ACTION_ARCHIVE, WORK_APP, &out->elf, 1, &out->app, 1);
}

/* The memory map and the card to start from are of all images together: they share one board. */
static void plan_together(struct planner *planner) {
    const struct plan *plan = planner->plan;
    const char **elfs = arena_alloc(planner->arena, plan->image_count * sizeof *elfs);
    planner->failed = planner->failed || !elfs;
    for (size_t i = 0; !planner->failed && i < plan->image_count; ++i)
        elfs[i] = plan->images[i].out->elf;
    if (!planner->failed)
        plan_work(planner, ACTION_CHECK, WORK_MEMORY, elfs, plan->image_count, &plan->out.memory, 1);
    if (!planner->failed && planner->in->card)
        plan_work(planner, ACTION_CONVERT, WORK_CARD, elfs, plan->image_count, &plan->out.card, 1);
}

static size_t source_count(const struct plan_inputs *inputs, const struct image_inputs *image) {
    size_t count = inputs->sources.count + image->sources.count;
    for (size_t i = 0; i < inputs->component_count; ++i)
        count += inputs->components[i]->sources.count;
    return count;
}

static void plan_sources(struct planner *planner, const struct heads *heads) {
    const struct plan_inputs *in = planner->in;
    const struct texts *own[] = {&in->sources, &planner->image->sources};
    for (size_t i = 0; i < sizeof own / sizeof *own; ++i)
        for (size_t k = 0; k < own[i]->count; ++k)
            plan_compile(planner, heads, own[i]->items[k], own[i]->items[k]);
    for (size_t i = 0; i < in->component_count; ++i) {
        const struct component *component = in->components[i];
        const char *origin = component_origin(in->sdk, component);
        for (size_t k = 0; k < component->sources.count; ++k)
            plan_compile(planner, heads, arena_join(planner->arena, origin, "/", component->sources.items[k]),
                         component->source_paths.items[k]);
    }
    if (in->assets.count)
        plan_compile(planner, heads, planner->plan->out.resources, planner->plan->out.resources);
}

/* All of one image up to its objects. */
static enum ta_status plan_image(struct planner *planner, struct planned_image *image, struct texts *target,
                                 struct texts *objects, struct ta_problem *why) {
    struct plan *plan = planner->plan;
    const struct toolchain *toolchain = &image->in->toolchain;
    size_t sources = source_count(planner->in, image->in);
    struct heads *heads = arena_alloc(planner->arena, sizeof *heads);
    struct isa isa;
    enum ta_status status = isa_parse(image->in->place.group.isa, &isa, why);
    if (status)
        return status;
    planner->image = image->in;
    planner->out = image->out;
    planner->index = (size_t)(image - plan->images);
    planner->failed = planner->failed || !heads;
    reserve(planner, target, ARGUMENTS_AT_MOST);
    add_target_arguments(planner, &isa, target);
    reserve(planner, &image->libraries, 2);
    ADD_PRINTF(planner, &image->libraries, "%s/lib/%s/libc.a", toolchain->c_library, toolchain->multilib);
    add(planner, &image->libraries, toolchain->libgcc);
    reserve(planner, objects, sources + OTHERS);
    if (planner->failed)
        return ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    plan_generated(planner, heads);
    plan_heads(planner, target, heads);
    size_t first = plan->count;
    plan_sources(planner, heads);
    if (plan->count == first && !planner->failed)
        return ta_problem_set(why, TA_E_INPUT, "list them in anchor.yaml", "%s has no sources",
                              image->out->name ? image->out->name : planner->in->project->project);
    plan->sources += plan->count - first;
    for (size_t i = first; i < plan->count; ++i)
        add(planner, objects, plan->actions[i].outputs.items[0]);
    return TA_OK;
}

/* The identity covers all images: what they are made of is compiled before the first is linked. */
static void plan_links(struct planner *planner, const struct texts *targets, struct texts *objects) {
    struct plan *plan = planner->plan;
    struct texts all = {0};
    size_t count = 0;
    for (size_t i = 0; i < plan->image_count; ++i)
        count += objects[i].count;
    reserve(planner, &all, count + 1);
    for (size_t i = 0; i < plan->image_count; ++i)
        for (size_t k = 0; k < objects[i].count; ++k)
            add(planner, &all, objects[i].items[k]);
    planner->index = 0;
    planner->out = NULL; /* it is of all */
    plan_work(planner, ACTION_GENERATE, WORK_DATABASE, NULL, 0, &plan->out.commands, 1);
    for (size_t i = 0; i < plan->image_count && !planner->failed; ++i) {
        struct planned_image *image = &plan->images[i];
        planner->image = image->in;
        planner->out = image->out;
        planner->index = i;
        plan_work(planner, ACTION_GENERATE, WORK_IDENTITY, all.items, all.count, &image->out->note_object, 1);
        plan_link(planner, image, &targets[i], objects[i].items, objects[i].count);
        plan_forms(planner);
    }
    planner->index = 0;
    planner->out = NULL;
    plan_together(planner);
}

static enum ta_status check_places(const struct plan_inputs *inputs, struct ta_problem *why) {
    for (size_t i = 0; i < inputs->image_count; ++i)
        for (size_t k = 0; k < i; ++k) {
            const struct image_place *one = &inputs->images[i].place, *other = &inputs->images[k].place;
            const char *memory = image_places_meet(one, other);
            if (memory)
                return ta_problem_set(why, TA_E_INPUT, "give the harts a reset address, or a flash, of their own",
                                      "the images of the harts %s and %s of %s would both lie in %s", other->group.name,
                                      one->group.name, inputs->profile->name, memory);
        }
    return TA_OK;
}

enum ta_status plan_make(struct arena *arena, const struct plan_inputs *inputs, struct plan *plan,
                         struct ta_problem *why) {
    struct planner planner = {.arena = arena, .in = inputs, .plan = plan};
    size_t images = inputs->image_count, sources = 0;
    enum ta_status status = check_places(inputs, why);
    *plan = (struct plan){.image_count = images};
    for (size_t i = 0; i < images; ++i)
        sources += source_count(inputs, &inputs->images[i]) + OTHERS;
    plan->actions = arena_alloc(arena, sources * sizeof *plan->actions);
    plan->images = arena_alloc(arena, images * sizeof *plan->images);
    struct texts *targets = arena_alloc(arena, images * sizeof *targets);
    struct texts *objects = arena_alloc(arena, images * sizeof *objects);
    planner.failed = !plan->actions || !plan->images || !targets || !objects ||
                     !layout_make(arena, inputs->setup, inputs->project, &plan->out);
    for (size_t i = 0; !status && !planner.failed && i < images; ++i) {
        plan->images[i] = (struct planned_image){.in = &inputs->images[i], .out = &plan->out.images[i]};
        status = plan_image(&planner, &plan->images[i], &targets[i], &objects[i], why);
    }
    if (!status && !planner.failed)
        plan_links(&planner, targets, objects);
    if (!status && planner.failed)
        status = ta_problem_set(why, TA_E_MEMORY, NULL, "out of memory");
    return status ? status : plan_connect(arena, plan, why);
}
