#include "flow/build/build.h"

#include "host/digests.h"

#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/stat.h>

enum { DEPENDENCIES_BYTES = 16 << 20 };

struct build_state {
    struct workspace *workspace;
    const struct toolchain *toolchain;
    const struct plan *plan;
    char *file;
    json_t *outputs; /* path: "inputs stamp" */
    struct digests *digests;
    bool changed;
};

struct build_state *build_state_open(struct workspace *workspace, const struct toolchain *toolchain,
                                     const struct plan *plan) {
    struct build_state *state = g_new0(struct build_state, 1);
    g_autofree char *name = g_path_get_basename(plan->out.folder);
    g_autofree char *folder = g_build_filename(workspace->folder, ".tanchor", NULL);
    g_autofree char *digests = g_build_filename(folder, "digests.json", NULL);
    state->workspace = workspace;
    state->toolchain = toolchain;
    state->plan = plan;
    state->file = g_strdup_printf("%s/build-%s.json", folder, name);
    state->outputs = json_load_file(state->file, 0, NULL);
    if (!json_is_object(state->outputs)) {
        json_decref(state->outputs);
        state->outputs = json_object();
    }
    folder_make(folder, NULL);
    state->digests = digests_open(digests);
    return state;
}

enum ta_status build_state_close(struct build_state *state, struct ta_problem *why) {
    char *text = state->changed ? json_dumps(state->outputs, JSON_INDENT(1)) : NULL;
    enum ta_status status = text ? file_write(state->file, text, strlen(text), why) : TA_OK;
    free(text);
    json_decref(state->outputs);
    digests_close(state->digests);
    g_free(state->file);
    g_free(state);
    return status;
}

/* Inputs. */

static void add_line(GChecksum *sum, const char *text) {
    g_checksum_update(sum, (const guchar *)text, -1);
    g_checksum_update(sum, (const guchar *)"\n", 1);
}

/* TEXT without what differs between computers and targets of one profile: where the SDK, the compiler, its C library
   and the outputs are. */
static void add_portable(GChecksum *sum, const struct build_state *state, const char *text) {
    const struct {
        const char *path, *name;
    } places[] = {
        {state->toolchain->c_library, "(c-library)"}, {state->toolchain->path, "(compiler)"},
        {state->workspace->folder, "(project)"},      {state->plan->out.objects, "(out)/obj"},
        {state->plan->out.folder, "(out)"},
    };
    const struct sdk *sdk = &state->workspace->sdk;
    g_autoptr(GString) line = g_string_new(text);
    for (size_t i = 0; i < sdk->component_count; ++i)
        for (size_t k = 0; k < sdk->components[i].roots.count; ++k)
            g_string_replace(line, sdk->components[i].roots.items[k], component_origin(sdk, &sdk->components[i]), 0);
    for (size_t i = 0; i < G_N_ELEMENTS(places); ++i)
        if (*places[i].path)
            g_string_replace(line, places[i].path, places[i].name, 0);
    add_line(sum, line->str);
}

static void add_arguments(GChecksum *sum, const struct build_state *state, const struct texts *arguments) {
    add_line(sum, compiler_words[state->toolchain->family]);
    add_line(sum, state->toolchain->version);
    for (size_t i = 0; i < arguments->count; ++i)
        add_portable(sum, state, arguments->items[i]);
}

static bool add_file(GChecksum *sum, const struct build_state *state, const char *path) {
    g_autofree char *full = g_canonicalize_filename(path, state->workspace->folder);
    const char *digest = digests_of(state->digests, full);
    if (digest)
        g_checksum_update(sum, (const guchar *)digest, SHA256_TEXT_BYTES - 1);
    return digest != NULL;
}

/* The files that a make rule "object: source header ..." names, as compilers write it: blanks between, lines joined by a
   backslash at their end, "$$" for '$', and before a blank or a '#' that belongs to a name a backslash, with those that stand
   before it doubled. Null when PATH holds no such rule. */
static GPtrArray *read_dependencies(const char *path) {
    g_autofree char *text = NULL;
    size_t length;
    if (file_read(path, DEPENDENCIES_BYTES, &text, &length, NULL) || !g_str_has_prefix(text, PLAN_RULE ":"))
        return NULL;
    GPtrArray *files = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GString) word = g_string_new(NULL);
    const char *at = text + strlen(PLAN_RULE ":");
    for (bool more = true; more;) {
        size_t slashes = strspn(at, "\\");
        char behind = at[slashes];
        bool quotable = behind == ' ' || behind == '\t' || behind == '#', quoted = slashes % 2 && quotable;
        size_t kept = quotable ? slashes / 2 : slashes - (slashes && behind == '\n');
        for (size_t i = 0; i < kept; ++i)
            g_string_append_c(word, '\\');
        at += slashes;
        more = *at != '\0';
        if (quoted || (more && !g_ascii_isspace(*at))) {
            at += at[0] == '$' && at[1] == '$';
            g_string_append_c(word, *at);
        } else if (word->len) {
            g_ptr_array_add(files, g_strdup(word->str));
            g_string_truncate(word, 0);
        }
        at += more;
    }
    return files;
}

GPtrArray *build_state_files(struct build_state *state, const struct compile_step *step) {
    GPtrArray *files = read_dependencies(workspace_path(state->workspace, step->dependencies));
    for (guint i = 0; files && i < files->len; ++i) {
        char *path = files->pdata[i]; /* clang 14 writes '\\' in the first one, the source, as '/' */
        files->pdata[i] = g_canonicalize_filename(i ? path : step->source, state->workspace->folder);
        g_free(path);
    }
    return files;
}

char *build_state_read_outside(struct build_state *state, const struct compile_step *step,
                               const struct confinement *confinement) {
    g_autoptr(GPtrArray) files = build_state_files(state, step);
    for (guint i = 1; files && i < files->len; ++i)
        if (g_file_test(files->pdata[i], G_FILE_TEST_EXISTS) && !confine_allows(confinement, files->pdata[i]))
            return g_strdup(files->pdata[i]);
    return NULL;
}

bool build_state_saved_since(struct build_state *state, const struct compile_step *step, const struct timespec *start) {
    g_autoptr(GPtrArray) files = build_state_files(state, step);
    for (guint i = 0; files && i < files->len; ++i)
        if (file_saved_since(files->pdata[i], start))
            return true;
    return !files;
}

char *build_state_step_inputs(struct build_state *state, const struct compile_step *step) {
    g_autoptr(GPtrArray) files = build_state_files(state, step);
    if (!files || !files->len)
        return NULL;
    return build_state_inputs(state, &step->arguments, (const char *const *)files->pdata, files->len);
}

char *build_state_inputs(struct build_state *state, const struct texts *arguments, const char *const *files,
                         size_t count) {
    g_autoptr(GChecksum) sum = g_checksum_new(G_CHECKSUM_SHA256);
    add_arguments(sum, state, arguments);
    for (size_t i = 0; i < count; ++i)
        if (!add_file(sum, state, files[i]))
            return NULL;
    return g_strdup(g_checksum_get_string(sum));
}

/* Outputs. */

static char *output_entry(const struct build_state *state, const char *output, const char *inputs) {
    struct stat about;
    if (stat(workspace_path(state->workspace, output), &about))
        return NULL;
    return g_strdup_printf("%s %lld %lld.%09ld", inputs, (long long)about.st_size, (long long)about.st_mtim.tv_sec,
                           about.st_mtim.tv_nsec);
}

bool build_state_is_current(struct build_state *state, const char *output, const char *inputs) {
    const char *known = json_string_value(json_object_get(state->outputs, output));
    g_autofree char *entry = inputs ? output_entry(state, output, inputs) : NULL;
    return known && entry && !strcmp(known, entry);
}

void build_state_made(struct build_state *state, const char *output, const char *inputs) {
    g_autofree char *entry = inputs ? output_entry(state, output, inputs) : NULL;
    state->changed = true;
    if (entry)
        json_object_set_new(state->outputs, output, json_string(entry));
    else
        json_object_del(state->outputs, output);
}
