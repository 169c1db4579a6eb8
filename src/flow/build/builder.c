#include "flow/build/build.h"

/* Compiler messages: "src/main.c:12:5: error: ...". */
static unsigned count_messages(const char *text, const char *kind) {
    unsigned count = 0;
    for (const char *at = text; (at = strstr(at, kind)); at += strlen(kind))
        ++count;
    return count;
}

void builder_heard(const struct command *command, void *with) {
    struct builder *builder = with;
    const struct ta_context *context = builder->workspace.context;
    builder->errors += count_messages(command->errors, "error: ");
    builder->warnings += count_messages(command->errors, "warning: ");
    if (*command->errors && context->call.compiler_output)
        context->call.compiler_output(context->call.with, command->errors);
    context_doing(context, "building", ++builder->finished, builder->wanted);
}

/* Commands end with a null, which an arena's zeroed memory behind a list gives only when there is room for it. */
const char *const *builder_arguments(struct builder *builder, const struct texts *arguments) {
    const char **vector = arena_alloc(builder->workspace.context->arena, (arguments->count + 1) * sizeof *vector);
    memcpy(vector, arguments->items, arguments->count * sizeof *vector);
    return vector;
}

enum ta_status builder_run(struct builder *builder, struct command *commands, size_t count) {
    struct ta_context *context = builder->workspace.context;
    unsigned jobs = g_get_num_processors() > 2 ? g_get_num_processors() : 2;
    return commands_run(commands, count, jobs, true, context_cancelled, context, builder_heard, builder, builder->why);
}

enum ta_status builder_run_one(struct builder *builder, const struct texts *arguments, struct command *command) {
    *command =
        (struct command){.arguments = builder_arguments(builder, arguments), .folder = builder->workspace.folder};
    return builder_run(builder, command, 1);
}
