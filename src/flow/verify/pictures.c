#include "flow/verify/pictures.h"

#include "host/files.h"
#include "host/picture_file.h"
#include "host/sha256.h"

#include <glib.h>
#include <string.h>

/* Letters and digits of NAME, the rest as dashes; of a name with others, or a long one, a digest tells it from those that look alike then. */
static char *file_name(const char *name, const char *what) {
    enum { NAME_BYTES = 100, DIGEST_SHOWN = 8 };
    g_autofree char *plain = g_strdup(name);
    char digest[SHA256_TEXT_BYTES];
    bool exact = strlen(name) <= NAME_BYTES;
    for (char *at = plain; *at; ++at) {
        exact = exact && (g_ascii_isalnum(*at) || *at == ' ');
        *at = g_ascii_isalnum(*at) ? *at : '-';
    }
    bytes_sha256(name, strlen(name), digest);
    return g_strdup_printf("%.*s-%.*s%s%s.png", NAME_BYTES, plain, exact ? 0 : DIGEST_SHOWN, digest, exact ? "" : "-",
                           what);
}

enum ta_status pictures_write(struct ta_recording *recording, const char *folder, const char *prefix,
                              struct ta_problem *why) {
    g_autofree char *seen = file_name(recording->trial, "seen"), *differs = file_name(recording->trial, "difference");
    g_autofree char *seen_path = g_build_filename(folder, seen, NULL);
    g_autofree char *differs_path = g_build_filename(folder, differs, NULL);
    g_autofree char *seen_said = g_build_filename(prefix, seen, NULL);
    g_autofree char *differs_said = g_build_filename(prefix, differs, NULL);
    enum ta_status status = folder_make(folder, why);
    if (!status)
        status = picture_save(recording->picture, seen_path, why);
    if (!status)
        status = picture_save(recording->difference, differs_path, why);
    return status ? status : ta_recording_written(recording, seen_said, differs_said);
}
