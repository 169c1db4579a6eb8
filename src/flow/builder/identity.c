/* The identity of an image: a digest over everything that goes into it, and what the image says of itself. None of it depends on this
   computer. */
#include "flow/builder/builder.h"

#include <glib/gstdio.h>
#include <stdlib.h>

/* What people read of an image: a line each, the word first. */
static char *about_text(struct builder *builder) {
    const struct workspace *workspace = builder->workspace;
    const struct sdk *sdk = &workspace->sdk;
    const struct component **components;
    size_t count;
    g_autoptr(GString) text = g_string_new(NULL);
    g_string_append_printf(text, "project %s %s\nsdk %s %s\n", workspace->project.project, workspace->project.version,
                           sdk->sdk, sdk->version);
    if (!workspace_components(builder->workspace, &components, &count, NULL))
        for (size_t i = 0; i < count; ++i)
            g_string_append_printf(text, "component %s %s\n", components[i]->name, components[i]->version);
    g_string_append_printf(text, "compiler %s %s\nboard %s %s\nbuilt %" G_GINT64_FORMAT "\n",
                           compiler_words[builder->toolchain.family], builder->toolchain.version,
                           workspace->profile.name, workspace->profile.version, builder->time_s);
    return g_strdup(text->str);
}

/* Every file that was compiled, once, with what it held, into READ. */
static void find_read(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    g_autofree bool *known = g_new0(bool, tracked_count(builder->files) + 1);
    g_ptr_array_set_size(builder->read, 0);
    for (size_t i = 0; i < plan->count; ++i) {
        const struct record *record = plan->actions[i].dependencies ? builder->turns[i].record : NULL;
        for (size_t k = 0; record && k < record->input_count; ++k) {
            struct input *input = &record->inputs[k];
            if (!known[input->file])
                g_ptr_array_add(builder->read, input);
            known[input->file] = true;
        }
    }
}

/* When the newest file of the project was saved, as its author and its user wrote it. */
static int64_t newest_ns(struct builder *builder) {
    int64_t time_ns = tracked_modified_ns(builder->files, tracked_id(builder->files, "anchor.yaml"));
    for (guint i = 0; i < builder->read->len; ++i) {
        const struct input *input = builder->read->pdata[i];
        const char *path = tracked_path(builder->files, input->file);
        if (*path != '/' && !g_str_has_prefix(path, builder->plan.out.folder))
            time_ns = MAX(time_ns, tracked_modified_ns(builder->files, input->file));
    }
    return time_ns;
}

struct content {
    const char *name;
    const uint8_t *digest;
};

static gint by_name(gconstpointer a, gconstpointer b) {
    return strcmp(((const struct content *)a)->name, ((const struct content *)b)->name);
}

/* "SHA-256 name", a line each, in the order of names. Not the files of the compiler, which its version stands for, and not what is
   generated, which follows from the rest. */
const char *builder_contents(struct builder *builder) {
    if (builder->contents)
        return builder->contents;
    g_autoptr(GArray) list = g_array_new(FALSE, FALSE, sizeof(struct content));
    g_autoptr(GString) text = g_string_new(NULL);
    for (guint i = 0; i < builder->read->len; ++i) {
        const struct input *input = builder->read->pdata[i];
        const struct content content = {tracked_name(builder->files, input->file), input->content};
        if (*content.name != '(')
            g_array_append_val(list, content);
    }
    g_array_sort(list, by_name);
    for (guint i = 0; i < list->len; ++i) {
        const struct content *content = &g_array_index(list, struct content, i);
        char digest[SHA256_TEXT_BYTES];
        sha256_text(content->digest, digest);
        g_string_append(text, digest);
        g_string_append_c(text, ' ');
        g_string_append(text, content->name);
        g_string_append_c(text, '\n');
    }
    return builder->contents = arena_text(builder->context->arena, text->str);
}

/* The digest of the rest: what was linked beside the objects, by COMMAND. */
static enum ta_status add_link(struct builder *builder, const struct planned_image *image, const uint8_t *command) {
    struct sha256 *sum = builder->sum;
    sha256_add(sum, command, CONTENT_BYTES);
    const char *const files[] = {image->out->script, image->libraries.items[0], image->libraries.items[1]};
    for (size_t i = 0; i < G_N_ELEMENTS(files); ++i) {
        const uint8_t *content = tracked_content(builder->files, tracked_id(builder->files, files[i]));
        if (!content)
            return ta_problem_set(builder->why, TA_E_SYSTEM, toolchains_install_fix, "%s is missing", files[i]);
        sha256_add(sum, content, CONTENT_BYTES);
    }
    return TA_OK;
}

enum ta_status builder_identify(struct builder *builder) {
    const struct plan *plan = &builder->plan;
    g_autofree uint8_t *commands = g_malloc(plan->image_count * CONTENT_BYTES);
    struct sha256 *sum = builder->sum;
    g_autofree char *start = g_strdup_printf("%s %s\n%s %s\n%s %s\n", builder->workspace->project.project,
                                             builder->workspace->project.version, builder->workspace->sdk.sdk,
                                             builder->workspace->sdk.version, builder->workspace->profile.name,
                                             builder->workspace->profile.version);
    for (size_t i = 0; i < plan->image_count; ++i)
        builder_command_digest(builder, plan->images[i].link, commands + i * CONTENT_BYTES);
    sha256_add_line(sum, start);
    for (size_t i = 0; i < plan->count; ++i)
        if (plan->actions[i].dependencies)
            sha256_add(sum, builder->turns[i].key, CONTENT_BYTES);
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < plan->image_count; ++i)
        status = add_link(builder, &plan->images[i], commands + i * CONTENT_BYTES);
    sha256_end(sum, builder->identity.bytes);
    if (status)
        return status;
    find_read(builder);
    builder->time_s = workspace_time_s(builder->workspace, newest_ns(builder));
    g_autofree char *about = about_text(builder);
    builder->about = arena_text(builder->context->arena, about);
    return TA_OK;
}

const char *build_contents_path(struct workspace *workspace, const char *identity) {
    return arena_printf(workspace->context->arena, "%s/.tanchor/images/%s", workspace->folder, identity);
}

struct kept_file {
    char *path;
    int64_t saved_s;
};

static gint newest_first(gconstpointer a, gconstpointer b) {
    const struct kept_file *left = a, *right = b;
    return (left->saved_s < right->saved_s) - (left->saved_s > right->saved_s);
}

static void kept_clear(gpointer data) {
    g_free(((struct kept_file *)data)->path);
}

void builder_forget_contents(struct builder *builder) {
    g_autofree char *folder = g_path_get_dirname(build_contents_path(builder->workspace, "any"));
    g_autoptr(GArray) all = g_array_new(FALSE, FALSE, sizeof(struct kept_file));
    g_autoptr(GDir) entries = g_dir_open(folder, 0, NULL);
    g_array_set_clear_func(all, kept_clear);
    for (const char *name; entries && (name = g_dir_read_name(entries));) {
        GStatBuf about = {0};
        struct kept_file file = {g_build_filename(folder, name, NULL), 0};
        g_stat(file.path, &about);
        file.saved_s = about.st_mtime;
        g_array_append_val(all, file);
    }
    g_array_sort(all, newest_first);
    for (guint i = BUILD_CONTENTS_KEPT - 1; i < all->len; ++i)
        g_unlink(g_array_index(all, struct kept_file, i).path);
}

void builder_keep_contents(struct builder *builder) {
    char identity[TA_IDENTITY_TEXT];
    ta_identity_text(&builder->identity, identity, sizeof identity);
    const char *path = build_contents_path(builder->workspace, identity), *text = builder_contents(builder);
    g_autofree char *folder = g_path_get_dirname(path);
    if (!folder_make(folder, NULL)) /* only a help */
        file_write_output(path, text, strlen(text), NULL);
}
