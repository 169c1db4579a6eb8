#include "flow/builder/tracked.h"

#include "base/digest.h"
#include "host/digests.h"

#include <sys/stat.h>
#include <unistd.h>

struct tracked {
    char *path, *full, *name;
    bool looked, there, digested, settled, known;
    bool written; /* by this build, which is alone with it */
    struct stamp stamp, known_stamp;
    uint8_t content[CONTENT_BYTES], known_content[CONTENT_BYTES];
    char **below;       /* as what it may be included: its path below the folders that it lies in; ends with null */
    GByteArray *hidden; /* by folder: whether something of that name is there; 0 for not looked at yet */
    uint32_t folder;    /* the number of its own, plus one; 0 for not asked yet */
};

/* A folder that headers are looked for in. */
struct looked_in {
    char *path;          /* absolute, with a slash behind */
    bool ours;           /* no compiler's own */
    bool made;           /* the build's own: nobody else puts anything there */
    GHashTable *entries; /* what is in it, when that is known */
    bool many;           /* or too much to list */
};

/* A place of this computer and what it is called in digests. */
struct place {
    char *path, *name;
};

struct tracked_files {
    struct workspace *workspace;
    char *inside; /* the project's folder with a slash behind */
    GPtrArray *all;
    GHashTable *ids; /* path: number plus one */
    GArray *folders; /* of struct looked_in: first those of the plan */
    GHashTable *folder_ids;
    GArray *places;
    size_t plan_folders;
    bool learned;
    bool any_other; /* among those that were looked at at once, one had another stamp, or none was remembered */
    struct digests *foreign; /* of files outside the project: the user's */
    int64_t newest_ns;
};

static void tracked_clear(gpointer data) {
    struct tracked *file = data;
    g_free(file->path);
    g_free(file->full);
    g_free(file->name);
    g_strfreev(file->below);
    if (file->hidden)
        g_byte_array_unref(file->hidden);
    g_free(file);
}

static void add_place(struct tracked_files *files, const char *path, const char *name) {
    struct place place = {g_strconcat(path, "/", NULL), g_strconcat(name, "/", NULL)};
    if (*path)
        g_array_append_val(files->places, place);
    else
        g_free(place.path), g_free(place.name);
}

static uint32_t add_folder(struct tracked_files *files, const char *path) {
    g_autofree char *full = g_canonicalize_filename(path, files->workspace->folder);
    gpointer known = g_hash_table_lookup(files->folder_ids, full);
    if (known)
        return GPOINTER_TO_UINT(known) - 1;
    struct looked_in folder = {.path = g_strconcat(full, "/", NULL), .ours = g_str_has_prefix(full, files->inside)};
    for (guint i = 0; i < files->places->len; ++i) { /* the SDK's, the compiler's, the C library's */
        const struct place *place = &g_array_index(files->places, struct place, i);
        bool below = g_str_has_prefix(folder.path, place->path);
        folder.ours = folder.ours || (place->name[0] != '(' && below);
        folder.made = folder.made || (!strcmp(place->name, "(out)/") && below);
    }
    folder.ours = folder.ours || !strcmp(folder.path, files->inside);
    g_array_append_val(files->folders, folder);
    g_hash_table_insert(files->folder_ids, g_steal_pointer(&full), GUINT_TO_POINTER(files->folders->len));
    return files->folders->len - 1;
}

struct tracked_files *tracked_new(struct workspace *workspace) {
    struct tracked_files *files = g_new0(struct tracked_files, 1);
    files->workspace = workspace;
    files->inside = g_strconcat(workspace->folder, "/", NULL);
    files->all = g_ptr_array_new_with_free_func(tracked_clear);
    files->ids = g_hash_table_new(g_str_hash, g_str_equal);
    files->folders = g_array_new(FALSE, FALSE, sizeof(struct looked_in));
    files->folder_ids = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    files->places = g_array_new(FALSE, FALSE, sizeof(struct place));
    g_autofree char *known = g_build_filename(workspace->context->cache, "digests.json", NULL);
    files->foreign = digests_open(known);
    return files;
}

void tracked_begin_plan(struct tracked_files *files, const struct plan *plan) {
    struct workspace *workspace = files->workspace;
    const struct sdk *sdk = &workspace->sdk;
    const struct toolchain *toolchain = &plan->images[0].in->toolchain;
    g_autofree char *compiler = *toolchain->headers ? g_path_get_dirname(toolchain->headers) : g_strdup("");
    for (size_t i = 0; i < sdk->places.count; ++i)
        add_place(files, sdk->places.items[i].value, sdk->places.items[i].name);
    add_place(files, workspace_path(workspace, plan->out.folder), "(out)");
    add_place(files, toolchain->c_library, "(c-library)");
    add_place(files, compiler, "(compiler)");
    for (size_t i = 0; i < plan->image_count; ++i) {
        g_autofree char *library = g_path_get_dirname(plan->images[i].in->toolchain.libgcc);
        add_place(files, library, "(compiler)");
    }
    for (size_t i = 0; i < plan->folders.count; ++i)
        add_folder(files, plan->folders.items[i]);
    files->plan_folders = files->folders->len;
}

void tracked_free(struct tracked_files *files) {
    digests_close(files->foreign);
    for (guint i = 0; i < files->folders->len; ++i) {
        struct looked_in *folder = &g_array_index(files->folders, struct looked_in, i);
        g_clear_pointer(&folder->entries, g_hash_table_unref);
        g_free(folder->path);
    }
    for (guint i = 0; i < files->places->len; ++i) {
        g_free(g_array_index(files->places, struct place, i).path);
        g_free(g_array_index(files->places, struct place, i).name);
    }
    g_array_unref(files->folders);
    g_array_unref(files->places);
    g_hash_table_unref(files->folder_ids);
    g_hash_table_unref(files->ids);
    g_ptr_array_unref(files->all);
    g_free(files->inside);
    g_free(files);
}

static struct tracked *at(const struct tracked_files *files, uint32_t id) {
    return files->all->pdata[id];
}

/* Most paths come as they are kept. */
static bool is_canonical(const char *path) {
    return *path != '/' && *path != '.' && *path && !strstr(path, "//") && !strstr(path, "/.") &&
           path[strlen(path) - 1] != '/';
}

uint32_t tracked_id(struct tracked_files *files, const char *path) {
    gpointer known = g_hash_table_lookup(files->ids, path);
    if (known)
        return GPOINTER_TO_UINT(known) - 1;
    g_autofree char *kept = NULL;
    if (is_canonical(path)) {
        kept = g_strdup(path);
    } else {
        g_autofree char *full = g_canonicalize_filename(path, files->workspace->folder);
        size_t inside = strlen(files->inside);
        kept = g_strdup(g_str_has_prefix(full, files->inside) ? full + inside : full);
        known = g_hash_table_lookup(files->ids, kept);
        if (known)
            return GPOINTER_TO_UINT(known) - 1;
    }
    struct tracked *file = g_new0(struct tracked, 1);
    file->path = g_steal_pointer(&kept);
    g_ptr_array_add(files->all, file);
    g_hash_table_insert(files->ids, file->path, GUINT_TO_POINTER(files->all->len));
    return files->all->len - 1;
}

uint32_t tracked_count(const struct tracked_files *files) {
    return files->all->len;
}

const char *tracked_path(const struct tracked_files *files, uint32_t id) {
    return at(files, id)->path;
}

const char *tracked_full_path(struct tracked_files *files, uint32_t id) {
    struct tracked *file = at(files, id);
    if (!file->full)
        file->full = *file->path == '/' ? g_strdup(file->path) : g_strconcat(files->inside, file->path, NULL);
    return file->full;
}

const char *tracked_name(struct tracked_files *files, uint32_t id) {
    struct tracked *file = at(files, id);
    if (file->name)
        return file->name;
    const char *full = tracked_full_path(files, id);
    for (guint i = 0; i < files->places->len && !file->name; ++i) {
        const struct place *place = &g_array_index(files->places, struct place, i);
        if (g_str_has_prefix(full, place->path))
            file->name = g_strconcat(place->name, full + strlen(place->path), NULL);
    }
    if (!file->name)
        file->name = g_strdup(file->path);
    return file->name;
}

/* Looking. */

/* STAMP is what is there now; zeros for nothing. */
static bool seen(struct tracked_files *files, struct tracked *file, struct stamp stamp) {
    bool there = stamp.inode != 0;
    file->digested = file->digested && there && file->there && stamps_equal(&stamp, &file->stamp);
    file->looked = true;
    file->there = there;
    file->stamp = stamp;
    if (there && !file->written && stamp.changed_ns > files->newest_ns)
        files->newest_ns = stamp.changed_ns;
    return there;
}

static bool look(struct tracked_files *files, struct tracked *file, uint32_t id) {
    struct stamp stamp;
    stamp_of(tracked_full_path(files, id), &stamp);
    return seen(files, file, stamp);
}

void tracked_look_at_known(struct tracked_files *files) {
    g_autoptr(GPtrArray) paths = g_ptr_array_new();
    g_autoptr(GPtrArray) known = g_ptr_array_new();
    for (uint32_t id = 0; id < files->all->len; ++id) {
        files->any_other = files->any_other || !at(files, id)->known;
        if (!at(files, id)->known || at(files, id)->looked)
            continue;
        g_ptr_array_add(known, at(files, id));
        g_ptr_array_add(paths, (char *)tracked_full_path(files, id));
    }
    g_autofree struct stamp *stamps = g_new(struct stamp, paths->len + 1);
    stamps_of((const char *const *)paths->pdata, paths->len, stamps);
    for (guint i = 0; i < known->len; ++i) {
        struct tracked *file = known->pdata[i];
        seen(files, file, stamps[i]);
        files->any_other = files->any_other || !stamps_equal(&file->stamp, &file->known_stamp);
    }
}

/* The digest is of one state of the file: what changes while it is read is read again. */
static bool digest(struct tracked_files *files, struct tracked *file, uint32_t id) {
    enum { TRIES = 20 };
    const char *path = tracked_full_path(files, id);
    const struct file_watch watch = {.cancelled = context_cancelled, .cancelled_with = files->workspace->context};
    bool foreign = *file->path == '/'; /* what every project reads is read once for all of them */
    for (int i = 0; i < TRIES; ++i) {
        char own[SHA256_TEXT_BYTES];
        struct stamp before = file->stamp;
        bool settled = stamp_is_settled(&before);
        const char *text = foreign                                ? digests_of(files->foreign, path)
                           : file_sha256(path, &watch, own, NULL) ? NULL
                                                                  : own;
        if (!text)
            return false;
        for (size_t k = 0; k < CONTENT_BYTES; ++k)
            file->content[k] =
                (uint8_t)(g_ascii_xdigit_value(text[2 * k]) << 4 | g_ascii_xdigit_value(text[2 * k + 1]));
        if (!look(files, file, id))
            return false;
        file->settled = settled;
        files->learned = files->learned || settled;
        if (stamps_equal(&before, &file->stamp))
            return true;
    }
    return false;
}

const uint8_t *tracked_content(struct tracked_files *files, uint32_t id) {
    struct tracked *file = at(files, id);
    if (!file->looked)
        look(files, file, id);
    if (!file->there)
        return NULL;
    if (!file->digested && file->known && stamps_equal(&file->stamp, &file->known_stamp)) {
        memcpy(file->content, file->known_content, CONTENT_BYTES);
        file->digested = file->settled = true;
    }
    if (!file->digested)
        file->digested = digest(files, file, id);
    return file->digested ? file->content : NULL;
}

bool tracked_find(struct tracked_files *files, const char *name, const uint8_t *content, uint32_t *id) {
    for (guint i = 0; i <= files->places->len; ++i) {
        const struct place *place = i < files->places->len ? &g_array_index(files->places, struct place, i) : NULL;
        if (place && !g_str_has_prefix(name, place->name))
            continue;
        g_autofree char *path =
            place ? g_strconcat(place->path, name + strlen(place->name), NULL) : g_strdup(name); /* the project's */
        *id = tracked_id(files, path);
        const uint8_t *now = tracked_content(files, *id);
        if (now && !memcmp(now, content, CONTENT_BYTES))
            return true;
    }
    return false;
}

int64_t tracked_modified_ns(struct tracked_files *files, uint32_t id) {
    struct tracked *file = at(files, id);
    if (!file->looked)
        look(files, file, id);
    return file->stamp.modified_ns;
}

void tracked_remember(struct tracked_files *files, uint32_t id, const struct stamp *stamp, const uint8_t *content) {
    struct tracked *file = at(files, id);
    file->known = true;
    file->known_stamp = *stamp;
    memcpy(file->known_content, content, CONTENT_BYTES);
}

bool tracked_has_other_stamp(const struct tracked_files *files, uint32_t id) {
    const struct tracked *file = at(files, id);
    return files->any_other && !(file->looked && file->known && stamps_equal(&file->stamp, &file->known_stamp));
}

bool tracked_learned(const struct tracked_files *files) {
    return files->learned;
}

bool tracked_settled(struct tracked_files *files, uint32_t id, struct stamp *stamp) {
    const struct tracked *file = at(files, id);
    if (file->looked ? !file->digested || !file->settled : !file->known)
        return false;
    *stamp = file->looked ? file->stamp : file->known_stamp;
    return true;
}

void tracked_written(struct tracked_files *files, uint32_t id) {
    at(files, id)->written = true;
    look(files, at(files, id), id);
}

/* Saves during a compile. */

struct moment tracked_begin(const struct tracked_files *files) {
    enum { STEP_US = 200, LONGEST_US = 50000 };
    struct moment begin = {stamp_now_ns(), g_get_real_time(), g_get_monotonic_time()};
    for (unsigned waited_us = 0; begin.stamped_ns <= files->newest_ns && waited_us < LONGEST_US; waited_us += STEP_US) {
        g_usleep(STEP_US);
        begin.stamped_ns = stamp_now_ns();
    }
    return begin;
}

/* Nothing tells what was saved when while the clock was set. */
static bool clock_was_set(const struct moment *begin) {
    int64_t real_us = g_get_real_time() - begin->real_us, steady_us = g_get_monotonic_time() - begin->steady_us;
    return ABS(real_us - steady_us) > G_USEC_PER_SEC;
}

/* A file that was not known has only its stamp. One that was known, and still has the stamp that it had, was not saved unless that is of
   this very time: a stamp from the future, of a clock that was set back, stays. */
bool tracked_again(struct tracked_files *files, uint32_t id, const struct moment *begin) {
    struct tracked *file = at(files, id);
    bool was_known = file->looked;
    const char *name = tracked_name(files, id);
    if (was_known && file->digested && *name == '(' && !g_str_has_prefix(name, "(out)"))
        return false; /* the compiler's own: nobody edits that during a build */
    struct stamp before = file->stamp;
    if (!look(files, file, id))
        return true;
    bool since = !file->written && file->stamp.changed_ns >= begin->stamped_ns;
    if (!was_known)
        return since || clock_was_set(begin);
    return !stamps_equal(&before, &file->stamp) || (since && file->stamp.changed_ns <= stamp_now_ns());
}

/* Headers that hide others. */

/* What is found beside the file that includes it, nothing can hide. */
static char **below_folders(struct tracked_files *files, uint32_t id) {
    const char *full = tracked_full_path(files, id);
    GPtrArray *below = g_ptr_array_new();
    g_autofree char *library = NULL;
    for (guint i = 0; i < files->plan_folders + 1; ++i) {
        const char *folder = NULL;
        if (i < files->plan_folders) {
            folder = g_array_index(files->folders, struct looked_in, i).path;
        } else { /* the C library's own */
            const char *in_library = strstr(full, "/include/");
            folder = library = in_library ? g_strndup(full, (gsize)(in_library - full) + strlen("/include/")) : NULL;
        }
        const char *rest = folder && g_str_has_prefix(full, folder) ? full + strlen(folder) : NULL;
        if (rest && !g_ptr_array_find_with_equal_func(below, rest, g_str_equal, NULL))
            g_ptr_array_add(below, g_strdup(rest));
    }
    g_ptr_array_add(below, NULL);
    return (char **)g_ptr_array_free(below, FALSE);
}

static bool is_in(const char *folder, const char *below) {
    char path[4096];
    return g_snprintf(path, sizeof path, "%s%s", folder, below) < (int)sizeof path && !access(path, F_OK);
}

/* Most folders have none of the headers that are looked for there: whoever lists one once need not ask for each. */
static void list_entries(struct looked_in *folder) {
    enum { LISTED = 512 };
    g_autoptr(GDir) entries = g_dir_open(folder->path, 0, NULL);
    folder->entries = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    for (const char *name; entries && !folder->many && (name = g_dir_read_name(entries));) {
        g_hash_table_add(folder->entries, g_strdup(name));
        folder->many = g_hash_table_size(folder->entries) > LISTED;
    }
}

/* Whether BELOW can be in FOLDER: what a build makes comes and goes. */
static bool may_be_in(struct looked_in *folder, const char *below) {
    char name[256];
    size_t length = strcspn(below, "/");
    if (folder->made || folder->many || length >= sizeof name || *below == '.')
        return true;
    if (!folder->entries)
        list_entries(folder);
    memcpy(name, below, length);
    name[length] = '\0';
    return folder->many || g_hash_table_contains(folder->entries, name);
}

/* Whether FOLDER has a file of the same name, the file itself among them. */
static bool is_shadowed(struct tracked_files *files, uint32_t id, uint32_t folder) {
    enum { UNKNOWN, ABSENT, PRESENT };
    struct tracked *file = at(files, id);
    if (!file->hidden)
        file->hidden = g_byte_array_new();
    if (folder >= file->hidden->len) {
        guint old = file->hidden->len;
        g_byte_array_set_size(file->hidden, folder + 1);
        memset(file->hidden->data + old, UNKNOWN, folder + 1 - old);
    }
    if (file->hidden->data[folder] == UNKNOWN) {
        struct looked_in *in = &g_array_index(files->folders, struct looked_in, folder);
        bool found = false;
        if (!file->below)
            file->below = below_folders(files, id);
        for (char **below = file->below; *below && !found; ++below)
            found = may_be_in(in, *below) && is_in(in->path, *below);
        file->hidden->data[folder] = found ? PRESENT : ABSENT;
    }
    return file->hidden->data[folder] == PRESENT;
}

static uint32_t own_folder(struct tracked_files *files, uint32_t id) {
    struct tracked *file = at(files, id);
    if (!file->folder) {
        g_autofree char *folder = g_path_get_dirname(tracked_full_path(files, id));
        file->folder = add_folder(files, folder) + 1;
    }
    return file->folder - 1;
}

/* The folders where compilers look for the COUNT files of IDS, into FOLDERS; how many there are. */
enum { FOLDERS = 256 };
static size_t folders_of(struct tracked_files *files, const uint32_t *ids, size_t count, uint32_t folders[FOLDERS]) {
    size_t found = 0;
    for (uint32_t i = 0; i < files->plan_folders && found < FOLDERS; ++i)
        folders[found++] = i;
    for (size_t i = 0; i < count && found < FOLDERS; ++i) {
        uint32_t folder = own_folder(files, ids[i]);
        bool known = !g_array_index(files->folders, struct looked_in, folder).ours;
        for (size_t k = found; k-- > 0 && !known;)
            known = folders[k] == folder;
        if (!known)
            folders[found++] = folder;
    }
    return found;
}

uint64_t tracked_shadows(struct tracked_files *files, const uint32_t *ids, size_t count, char *const *names) {
    uint32_t folders[FOLDERS];
    size_t folder_count = folders_of(files, ids, count, folders);
    uint64_t sum = DIGEST_START;
    for (size_t i = 1; i < count; ++i) /* behind the source itself */
        for (size_t k = 0; k < folder_count; ++k)
            sum = (sum ^ is_shadowed(files, ids[i], folders[k])) * UINT64_C(0x100000001b3);
    for (; names && *names; ++names)
        for (size_t k = 0; k < folder_count; ++k)
            sum = (sum ^ is_in(g_array_index(files->folders, struct looked_in, folders[k]).path, *names)) *
                  UINT64_C(0x100000001b3);
    return sum;
}

bool tracked_came(struct tracked_files *files, const uint32_t *ids, size_t count, const struct moment *begin) {
    uint32_t folders[FOLDERS];
    size_t folder_count = folders_of(files, ids, count, folders);
    bool came = false;
    for (size_t i = 0; i < folder_count && !came; ++i) {
        const struct looked_in *folder = &g_array_index(files->folders, struct looked_in, folders[i]);
        struct stat about;
        came = folder->ours && !folder->made && !stat(folder->path, &about) &&
               (about.st_ctim.tv_sec * INT64_C(1000000000) + about.st_ctim.tv_nsec) >= begin->stamped_ns;
    }
    return came;
}
