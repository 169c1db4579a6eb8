/* A build that is under way: what its parts share. */
#ifndef TA_FLOW_BUILD_BUILDER_H
#define TA_FLOW_BUILD_BUILDER_H

#include "base/text.h"
#include "flow/build/state.h"
#include "flow/project/workspace.h"
#include "host/commands.h"
#include "tameanchor/chain.h"

struct builder {
    struct workspace workspace;
    struct toolchain toolchain;
    struct plan plan;
    struct build_state *state;
    struct ta_report *report;
    struct ta_problem *why;
    unsigned compiled, finished, wanted, errors, warnings;
    const char *failed; /* the first source that did not compile */
    struct ta_identity identity;
    enum ta_edits edits;
};

/* Counts and passes on what a compiler said; WITH is the builder. */
void builder_heard(const struct command *command, void *with);

/* Runs COUNT commands in the project, several at a time; one, made of ARGUMENTS. */
enum ta_status builder_run(struct builder *builder, struct command *commands, size_t count);
enum ta_status builder_run_one(struct builder *builder, const struct texts *arguments, struct command *command);

/* ARGUMENTS as programs take them, with a null behind. */
const char *const *builder_arguments(struct builder *builder, const struct texts *arguments);

/* Writes TEXT, which is freed, to a file that is made from INPUTS; one that somebody edited is told. (generate.c) */
enum ta_status builder_write(struct builder *builder, const char *path, const char *inputs, struct text *text);

/* All that is generated before anything is compiled, so that no error shows up which generating would cure. (generate.c) */
enum ta_status builder_generate(struct builder *builder);

/* The identity of what was compiled, and the image, when it is not up to date. (link.c) */
enum ta_status builder_link(struct builder *builder);

#endif
