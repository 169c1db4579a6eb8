#include "flow/build/build.h"

#include <stdlib.h>

/* Compiler messages: "src/main.c:12:5: error: ...". */
static unsigned count_messages(const char *text, const char *kind) {
    unsigned count = 0;
    for (const char *at = text; (at = strstr(at, kind)); at += strlen(kind))
        ++count;
    return count;
}

void builder_heard(const struct command *command, void *with) {
    struct builder *builder = with;
    const struct ta_context *context = builder->workspace->context;
    builder->errors += count_messages(command->errors, "error: ") + count_messages(command->errors, "Error: ");
    builder->warnings += count_messages(command->errors, "warning: ");
    if (command->exit_code)
        g_string_append(builder->said, command->errors);
    if (*command->errors && context->call.compiler_output)
        context->call.compiler_output(context->call.with, command->errors);
    context_doing(context, "building", ++builder->finished, builder->wanted);
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

enum ta_status builder_confine(struct builder *builder) {
    struct workspace *workspace = builder->workspace;
    struct arena *arena = workspace->context->arena;
    const struct toolchain *toolchain = &builder->toolchain;
    const char *folder = workspace_path(workspace, workspace->layout.folder);
    g_autofree char *compiler = installation(toolchain->path), *library = g_path_get_dirname(toolchain->libgcc);
    g_autoptr(GPtrArray) read = g_ptr_array_new(), write = g_ptr_array_new();
    builder->temporary = arena_printf(arena, "%s/tmp", folder);
    folder_remove(builder->temporary); /* of a build that was killed */
    enum ta_status status = folder_make(builder->temporary, builder->why);
    const char *const places[] = {workspace->folder, compiler, library, toolchain->c_library};
    for (size_t i = 0; i < G_N_ELEMENTS(places); ++i)
        allow(read, arena, places[i]);
    for (size_t i = 0; i < workspace->sdk.component_count; ++i)
        for (size_t k = 0; k < workspace->sdk.components[i].roots.count; ++k)
            allow(read, arena, workspace->sdk.components[i].roots.items[k]);
    if (project_is_in_place(workspace->context, workspace->folder))
        allow(read, arena, "/");
    allow(write, arena, folder);
    builder->confinement = (struct confinement){place_list(arena, read), place_list(arena, write)};
    return status;
}

void builder_unconfine(struct builder *builder) {
    if (builder->temporary)
        folder_remove(builder->temporary);
}

struct command builder_command(struct builder *builder, const struct texts *arguments) {
    const char **vector = arena_alloc(builder->workspace->context->arena, (arguments->count + 1) * sizeof *vector);
    memcpy(vector, arguments->items, arguments->count * sizeof *vector);
    return (struct command){.arguments = vector,
                            .folder = builder->workspace->folder,
                            .temporary = builder->temporary,
                            .confined = &builder->confinement};
}

enum ta_status builder_run(struct builder *builder, struct command *commands, size_t count) {
    struct ta_context *context = builder->workspace->context;
    unsigned jobs = g_get_num_processors() > 2 ? g_get_num_processors() : 2;
    return commands_run(commands, count, jobs, true, context_cancelled, context, builder_heard, builder, builder->why);
}

enum ta_status builder_run_one(struct builder *builder, const struct texts *arguments, struct command *command) {
    *command = builder_command(builder, arguments);
    return builder_run(builder, command, 1);
}
