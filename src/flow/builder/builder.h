/* A build that is under way: what its parts share. */
#ifndef TA_FLOW_BUILDER_H
#define TA_FLOW_BUILDER_H

#include "core/plan/messages.h"
#include "flow/builder/build.h"
#include "flow/builder/records.h"
#include "host/commands.h"
#include "host/scratch.h"
#include "host/sha256.h"

/* How far an action is. */
enum turn_state {
    TURN_WAITING, /* for those that it needs, or for a job */
    TURN_CURRENT, /* nothing to do: its output is what it would make */
    TURN_RUNNING,
    TURN_MADE,
    TURN_FAILED,
    TURN_SKIPPED, /* one that it needs failed */
};

struct turn {
    enum turn_state state;
    size_t left;                           /* how many of those that it needs are not done */
    char *reason;                          /* why it is not current, as a sentence: "src/tide.h changed" */
    uint8_t command_digest[CONTENT_BYTES]; /* the same on every computer */
    uint8_t command_here[CONTENT_BYTES];   /* and of this computer's compiler, which may be changed */
    uint8_t key[CONTENT_BYTES];
    struct command command;
    struct moment begin;
    unsigned tries;
    const struct record *record; /* what is known of its output; null for nothing */
    const char *messages;        /* what the compiler said, now or the last time */
    bool cached, guessed;        /* its object was taken from the cache; nobody knows how long it takes */
    bool suspect;                /* most likely it is not current */
};

struct builder {
    struct workspace *workspace;
    struct ta_context *context;
    const struct ta_build *request;
    struct built *built;
    struct toolchain toolchain; /* of the first image: of the others, only the libraries differ */
    struct plan plan;
    struct tracked_files *files;
    struct records *records;
    struct cache *cache;
    struct ta_report *report;
    struct ta_problem *why;
    struct ta_identity identity;
    int64_t time_s;                  /* of the build, as the image tells it */
    GPtrArray *read;                 /* of struct input: every file that was compiled, once; from builder_identify */
    const char *about, *contents;    /* what else the image tells of itself; null before it was asked for */
    struct confinement confinement;  /* what compilers may read and write */
    struct growing scratch;          /* for their temporary files */
    const char *launcher;            /* in front of compilers; null for none */
    uint8_t compiler[CONTENT_BYTES]; /* changes when the compiler's program does */
    struct sha256 *sum;              /* for one digest at a time */
    GHashTable *head_digests;        /* struct texts: digest */
    GHashTable *plain;               /* numbers, plus one, of files whose text names no others but by #include */
    GHashTable *allowed;             /* the same, of files outside the project that may be read */
    GHashTable *folders;             /* those that were made */
    const char *const *environment;  /* of compilers */
    unsigned limit_s;                /* for each of them */
    bool has_secrets;
    bool shows_all; /* what compilers said the last time too, and what the image is */

    /* The run (runner.c). */
    struct turn *turns;
    double *seconds, *weights;
    size_t *dependents, *dependents_from;
    size_t known;     /* how many actions there is a record of */
    GArray *unjudged; /* of numbers as pointers: what waits to be judged; UNSORTED when some have come */
    GSequence *ready; /* what waits for a job, the longest path first */
    bool unsorted;
    GArray *uncached; /* of size_t: actions whose objects go into the cache when there is time */
    GArray *begun;    /* the same: actions whose inputs are looked at then, while their commands are at work */
    bool prepared;    /* for the image: meanwhile was called */
    bool judges;      /* and makes nothing */
    unsigned jobs, running, done, wanted;
    double left_s; /* of those whose time is known */
    int guessed;   /* how many of the others there are */
    double took_s;
    unsigned timed;
    gint64 saved_us; /* when the records were saved */
    bool failed;
    enum ta_status status; /* of what the builder did by itself */
};

/* A builder of WORKSPACE, which is loaded, with what the last build knew. Always followed by builder_close, which keeps what is known now and
   gives STATUS, or what went wrong at that. */
enum ta_status builder_open(struct builder *builder, struct workspace *workspace, const struct ta_build *build,
                            struct built *built, struct ta_report *report, struct ta_problem *why);
enum ta_status builder_close(struct builder *builder, enum ta_status status);

/* Draws the plan as a PNG at PATH (draw_plan.c). */
enum ta_status builder_draw_plan(struct builder *builder, const char *path);

/* What the compilers of this build may read and write: the project, the SDK's folders and their own installation; the output
   folder; how long each may take, and its environment. Makes a folder for temporary files, which builder_unconfine takes away again. (command.c) */
enum ta_status builder_prepare(struct builder *builder);
void builder_unconfine(struct builder *builder);

/* Whether an action is current, by content (freshness.c). */

/* The digest of ACTION's command: without what differs between computers. */
void builder_command_digest(struct builder *builder, const struct action *action, uint8_t digest[CONTENT_BYTES]);

/* The key of an action whose compiler lists what it reads, over COMMAND and all COUNT INPUTS with their names: the digest of all that goes
   into its output. */
void builder_key(struct builder *builder, const uint8_t *command, const struct input *inputs, size_t count,
                 uint8_t key[CONTENT_BYTES]);

/* The KEY of an action whose compiler tells of no other inputs than the plan's: over those that commands make by their keys, and the OTHERS,
   of which there are *COUNT, by content. The first that is missing, or null. */
const char *builder_plain_key(struct builder *builder, const struct action *action, const uint8_t *command,
                              struct input *others, size_t *count, uint8_t key[CONTENT_BYTES]);

/* Whether a quick look says that the action INDEX may not be current: all that do not tell of their inputs may be. */
bool builder_suspects(const struct builder *builder, size_t index);

/* Looks at the action INDEX; true when its output is what it would make. Fills the digest of its command, and its key or the reason. */
bool builder_is_current(struct builder *builder, size_t index);

/* What went into an action that was carried out: INPUTS of it, and NAMES that were looked for. False when that is not known. */
struct reading_list {
    GArray *inputs; /* of uint32_t, numbers of tracked files; its source first */
    GPtrArray *names;
    const char *binary; /* the first that the compiler took for text, and is not; or null */
};
bool builder_read_inputs(struct builder *builder, const struct action *action, const char *dependencies,
                         struct reading_list *list);
/* Looks already at what the action INDEX, whose compiler is at work, read the last time: most likely it reads the same again. */
void builder_read_ahead(struct builder *builder, size_t index);
void reading_list_clear(struct reading_list *list);

/* The graph (runner.c). */

/* Judges and carries out all actions of the plan. With JUDGES, nothing is made: what would have to be is left waiting. */
enum ta_status builder_run(struct builder *builder, bool judges);
void builder_run_end(struct builder *builder);

/* What comes of an action (finish.c). */

/* The folders of its outputs, each made once. */
enum ta_status builder_make_folders(struct builder *builder, const struct action *action);
/* Takes away what it wrote for nothing. */
void builder_remove_parts(struct builder *builder, const struct action *action);
/* Its command has succeeded: TURN_WAITING when it is to be carried out again, since somebody saved what it read. */
enum turn_state builder_finish(struct builder *builder, size_t index);
/* Keeps what is known of an action that tells of no other inputs than the plan's. */
void builder_put_plain_record(struct builder *builder, size_t index, double seconds);
/* Takes the object that was made of the same elsewhere. */
bool builder_take_cached(struct builder *builder, size_t index);
/* Gives others the new objects. */
void builder_cache_objects(struct builder *builder);

/* Generates the text of the action INDEX and writes it where the file holds another; a builder that judges only says whether it would.
   (generate.c) */
enum ta_status builder_generate(struct builder *builder, size_t index, bool *written);

/* What the builder makes of the image by itself: the action INDEX. (works.c) */
enum ta_status builder_work(struct builder *builder, size_t index);

/* The digest over everything that goes into the image, from the keys of what was compiled (identity.c). */
enum ta_status builder_identify(struct builder *builder);

/* The files that were compiled, with their digests, as text for the image. */
const char *builder_contents(struct builder *builder);

/* Keeps that in the project, for those who ask later what an image was made of; before it, makes room for one more: those of the oldest
   images go. */
void builder_keep_contents(struct builder *builder);
void builder_forget_contents(struct builder *builder);

/* What compilers said (said.c). */

/* Takes what COMMAND, of ACTION, said, shows it, and reports how it ended when that was not of its own. The text lasts as long as the
   build. */
const char *builder_heard(struct builder *builder, const struct action *action, const struct command *command);

/* Counts all messages, those of earlier builds among them: one finding, and a table for programs. */
void builder_report_messages(struct builder *builder);

/* The advice for what the compilers MESSAGES tell; null when there is none. Freed with g_free. (missing.c) */
char *builder_missing(struct builder *builder, const char *messages);

/* Says by how much the image is too large, and what takes most of it (overflow.c). */
void builder_explain_overflow(struct builder *builder, const struct action *link);

/* The command of ACTION, its outputs at temporary names, with the launcher in front when it is LAUNCHED; the temporary name of an output.
   (command.c) */
struct command builder_command(struct builder *builder, const struct action *action, bool launched);
const char *builder_temporary(struct builder *builder, const char *output);

/* The absolute path of an input or output. */
const char *builder_path(struct builder *builder, const char *path);

/* What the description at PATH says, with its identity, the SHA-256 of it, and its time. TA_E_INPUT when that cannot be, or the board has no
   fabric. (fabric.c) */
struct fabric_description;
struct ta_fabric_image;
enum ta_status builder_fabric(struct builder *builder, const char *path, struct fabric_description *description,
                              struct ta_fabric_image *image);
int64_t builder_fabric_time_s(struct builder *builder, const char *path);

#endif
