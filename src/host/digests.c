#include "host/digests.h"

#include "host/stamp.h"

#include <glib.h>
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

struct digests {
    char *file;
    json_t *known; /* path: "digest stamp"; null before anything was asked */
    bool learned;
};

enum { STAMP_BYTES = 96 };

struct digests *digests_open(const char *file) {
    struct digests *digests = g_new0(struct digests, 1);
    digests->file = g_strdup(file);
    return digests;
}

static void read_known(struct digests *digests) {
    digests->known = digests->file ? json_load_file(digests->file, 0, NULL) : NULL;
    if (!json_is_object(digests->known)) {
        json_decref(digests->known);
        digests->known = json_object();
    }
}

const char *digests_of(struct digests *digests, const char *path) {
    struct stamp now;
    char stamp[STAMP_BYTES], digest[SHA256_TEXT_BYTES];
    if (!stamp_of(path, &now))
        return NULL;
    if (!digests->known)
        read_known(digests);
    bool settled = stamp_is_settled(&now);
    snprintf(stamp, sizeof stamp, " %lld %lld %lld %lld", (long long)now.size, (long long)now.modified_ns,
             (long long)now.changed_ns, (long long)now.inode);
    const char *known = json_string_value(json_object_get(digests->known, path));
    bool same = known && strlen(known) > SHA256_TEXT_BYTES && !strcmp(known + SHA256_TEXT_BYTES - 1, stamp);
    if (same)
        return known;
    if (file_sha256(path, NULL, digest, NULL))
        return NULL;
    g_autofree char *entry = g_strconcat(digest, settled ? stamp : "", NULL);
    json_object_set_new(digests->known, path, json_string(entry));
    digests->learned = true;
    return json_string_value(json_object_get(digests->known, path));
}

void digests_close(struct digests *digests) {
    char *text = digests->learned && digests->file ? json_dumps(digests->known, JSON_COMPACT) : NULL;
    g_autofree char *folder = text ? g_path_get_dirname(digests->file) : NULL;
    if (text && !folder_make(folder, NULL))
        file_write(digests->file, text, strlen(text), NULL); /* only a help: what is lost is read again */
    free(text);
    json_decref(digests->known);
    g_free(digests->file);
    g_free(digests);
}
