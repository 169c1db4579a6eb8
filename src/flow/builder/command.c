/* The commands of compilers: what they are told, and what they may read and write. */
#include "flow/builder/builder.h"
#include "flow/projects.h"

#include <stdlib.h>

const char *builder_path(struct builder *builder, const char *path) {
    return *path == '/' ? path : workspace_path(builder->workspace, path);
}

const char *builder_temporary(struct builder *builder, const char *output) {
    return arena_printf(builder->context->arena, "%s.part", output);
}

/* ARGUMENT, with what it says of an output of ACTION replaced by its temporary name. */
static const char *redirected(struct builder *builder, const struct action *action, const char *argument) {
    for (size_t i = 0; i <= action->outputs.count; ++i) {
        const char *output = i < action->outputs.count ? action->outputs.items[i] : action->dependencies;
        size_t length = strlen(argument), end = output ? strlen(output) : 0;
        if (output && length >= end && !strcmp(argument + length - end, output) &&
            (length == end || argument[length - end - 1] == '='))
            return builder_temporary(builder, argument);
    }
    return argument;
}

/* The arguments behind HEAD as a file of arguments, when they are more than systems take on a command line: quoted as GNU programs and clang
   read it. Null when they fit, or cannot be written. */
static const char *arguments_file(struct builder *builder, const char *const *arguments) {
    enum { FITS_BYTES = 256 << 10 };
    size_t length = 0;
    for (size_t i = 0; arguments[i]; ++i)
        length += strlen(arguments[i]) + 1 + sizeof arguments[i];
    if (length < FITS_BYTES)
        return NULL;
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = 0; arguments[i]; ++i) {
        for (const char *at = arguments[i]; *at;) {
            size_t plain = strcspn(at, " \t\r\f\v\\'\"");
            g_string_append_len(text, at, (gssize)plain);
            at += plain;
            if (*at) {
                g_string_append_c(text, '\\');
                g_string_append_c(text, *at++);
            }
        }
        g_string_append_c(text, '\n');
    }
    const char *path = arena_printf(builder->context->arena, "%s/arguments", builder->scratch.folder);
    return file_write(path, text->str, text->len, NULL) ? NULL : arena_printf(builder->context->arena, "@%s", path);
}

struct command builder_command(struct builder *builder, const struct action *action, bool launched) {
    static const char *const colours[] = {"-fdiagnostics-color=always", "-fdiagnostics-color=never"};
    size_t head = action->head->count, count = 0;
    const char **vector = arena_alloc(builder->context->arena, (head + action->tail.count + 4) * sizeof *vector);
    if (launched && builder->launcher)
        vector[count++] = builder->launcher;
    for (size_t i = 0; i < head; ++i)
        vector[count++] = action->head->items[i];
    vector[count++] = colours[!builder->context->call.colour]; /* which changes no object */
    size_t tail = count;
    for (size_t i = 0; i < action->tail.count; ++i)
        vector[count++] = redirected(builder, action, action->tail.items[i]);
    const char *file = arguments_file(builder, vector + tail);
    if (file) {
        vector[tail] = file;
        vector[tail + 1] = NULL;
    }
    return (struct command){.arguments = vector,
                            .folder = builder->workspace->folder,
                            .temporary = builder->scratch.folder,
                            .time_limit_s = builder->limit_s,
                            .more = builder->environment,
                            .confined = &builder->confinement};
}

/* The folder that PROGRAM was installed in, with its libraries beside bin/. Never one that holds the user's own things. */
static char *installation(const char *program) {
    g_autofree char *real = realpath(program, NULL);
    g_autofree char *folder = g_path_get_dirname(real ? real : program);
    g_autofree char *above = g_path_get_dirname(folder), *home = g_strconcat(g_get_home_dir(), "/", NULL);
    g_autofree char *inside = g_strconcat(above, "/", NULL);
    bool wide = !strcmp(above, "/") || !strcmp(above, "/usr") || g_str_has_prefix(home, inside);
    return wide ? g_steal_pointer(&folder) : g_steal_pointer(&above);
}

static void allow(GPtrArray *places, struct arena *arena, const char *path) {
    g_autofree char *real = realpath(path, NULL);
    if (real)
        g_ptr_array_add(places, arena_text(arena, real));
}

static const char *const *place_list(struct arena *arena, GPtrArray *places) {
    const char **list = arena_alloc(arena, (places->len + 1) * sizeof *list);
    for (guint i = 0; i < places->len; ++i)
        list[i] = places->pdata[i];
    return list;
}

/* A launcher gets, of the environment, what says where its own things are; compilers get none of it. */
static const char *const *environment(struct builder *builder) {
    static const char *const names[] = {"HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME", "XDG_RUNTIME_DIR"};
    struct arena *arena = builder->context->arena;
    g_auto(GStrv) all = g_get_environ();
    const char **list = arena_alloc(arena, (g_strv_length(all) + 3) * sizeof *list);
    size_t count = 0;
    for (char **pair = all; builder->launcher && *pair; ++pair) {
        bool wanted = g_str_has_prefix(*pair, "CCACHE_") || g_str_has_prefix(*pair, "DISTCC_");
        for (size_t i = 0; i < G_N_ELEMENTS(names); ++i)
            wanted = wanted || (g_str_has_prefix(*pair, names[i]) && (*pair)[strlen(names[i])] == '=');
        if (wanted)
            list[count++] = arena_text(arena, *pair);
    }
    return list;
}

/* Where a launcher keeps its own things, and what it has to read to find other computers. */
static enum ta_status prepare_launcher(struct builder *builder, GPtrArray *read, GPtrArray *write) {
    static const char *const names[] = {"/etc/hosts",     "/etc/resolv.conf", "/etc/nsswitch.conf",
                                        "/etc/host.conf", "/etc/gai.conf",    "/etc/services",
                                        "/etc/distcc",    "/etc/ccache.conf", "/etc/passwd"};
    enum launcher launcher = builder->workspace->setup.launcher;
    const char *said = g_getenv(launcher == LAUNCHER_CCACHE ? "CCACHE_DIR" : "DISTCC_DIR");
    struct arena *arena = builder->context->arena;
    g_autofree char *path = g_find_program_in_path(launcher_words[launcher]), *own = NULL, *config = NULL;
    if (!path)
        return ta_problem_set(builder->why, TA_E_NO, "install it, or {configure} without a launcher",
                              "%s is not on PATH", launcher_words[launcher]);
    own = said && *said                 ? g_strdup(said)
          : launcher == LAUNCHER_CCACHE ? g_build_filename(g_get_user_cache_dir(), "ccache", NULL)
                                        : g_build_filename(g_get_home_dir(), ".distcc", NULL);
    config = g_build_filename(g_get_user_config_dir(), "ccache", NULL);
    builder->launcher = arena_text(arena, path);
    enum ta_status status = folder_make(own, builder->why);
    allow(write, arena, own);
    allow(read, arena, config);
    for (size_t i = 0; i < G_N_ELEMENTS(names); ++i)
        allow(read, arena, names[i]);
    return status;
}

enum ta_status builder_prepare(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    struct arena *arena = workspace->context->arena;
    const struct toolchain *toolchain = &builder->toolchain;
    const char *folder = workspace_path(workspace, workspace->layout.folder);
    g_autofree char *compiler = installation(toolchain->path);
    g_autoptr(GPtrArray) read = g_ptr_array_new(), write = g_ptr_array_new();
    enum ta_status status = folder_make(folder, builder->why);
    if (!status)
        status = scratch_begin(folder, &builder->scratch, builder->why);
    const char *const places[] = {workspace->folder, compiler, toolchain->c_library};
    for (size_t i = 0; i < G_N_ELEMENTS(places); ++i)
        allow(read, arena, places[i]);
    for (size_t i = 0; i < builder->plan.image_count; ++i) {
        g_autofree char *library = g_path_get_dirname(builder->plan.images[i].in->toolchain.libgcc);
        allow(read, arena, library);
    }
    for (size_t i = 0; i < workspace->sdk.places.count; ++i)
        allow(read, arena, workspace->sdk.places.items[i].value);
    if (project_is_in_place(workspace->context, workspace->folder))
        allow(read, arena, "/");
    allow(write, arena, folder);
    if (!status)
        allow(write, arena, builder->scratch.folder);
    if (!status && workspace->setup.launcher)
        status = prepare_launcher(builder, read, write);
    builder->limit_s = context_seconds(builder->context, COMPILE_S);
    builder->environment = environment(builder);
    builder->confinement = (struct confinement){place_list(arena, read), place_list(arena, write),
                                                workspace->setup.launcher == LAUNCHER_DISTCC};
    return status;
}

void builder_unconfine(struct builder *builder) {
    growing_end(&builder->scratch);
}
