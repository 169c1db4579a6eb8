/* Import from wherever an example comes: archives, repositories, folders in every state; a corpus of hostile archives, made
   here; the real tool, the real git. */
#include "support.h"

#include "host/archive.h"
#include "host/copy.h"

#include <archive.h>
#include <archive_entry.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* Archives. */

struct entry {
    const char *name;
    mode_t type;
    const char *target; /* of a link; contents of a file */
};

enum archive_kind { TAR, TAR_GZIP, TAR_XZ, TAR_ZSTD, ZIP, ARCHIVE_KINDS };

static struct archive *new_archive(enum archive_kind kind) {
    struct archive *archive = archive_write_new();
    if (kind == ZIP)
        archive_write_set_format_zip(archive);
    else
        archive_write_set_format_pax_restricted(archive);
    if (kind == TAR_GZIP)
        archive_write_add_filter_gzip(archive);
    if (kind == TAR_XZ)
        archive_write_add_filter_xz(archive);
    if (kind == TAR_ZSTD)
        archive_write_add_filter_zstd(archive);
    return archive;
}

static void add_entry(struct archive *archive, const struct entry *item) {
    struct archive_entry *entry = archive_entry_new();
    size_t size = item->type == AE_IFREG && item->target ? strlen(item->target) : 0;
    archive_entry_copy_pathname(entry, item->name);
    archive_entry_set_filetype(entry, item->type);
    archive_entry_set_perm(entry, 0644);
    if (item->type == AE_IFLNK)
        archive_entry_copy_symlink(entry, item->target);
    else if (item->type == 0) {
        archive_entry_set_filetype(entry, AE_IFREG);
        archive_entry_copy_hardlink(entry, item->target);
    } else if (item->type == AE_IFREG)
        archive_entry_set_size(entry, (la_int64_t)size);
    if (archive_write_header(archive, entry) == ARCHIVE_OK && size)
        archive_write_data(archive, item->target, size);
    archive_entry_free(entry);
}

static char *write_archive(enum archive_kind kind, const struct entry *entries, size_t count) {
    static const char *const endings[] = {".tar", ".tar.gz", ".tar.xz", ".tar.zst", ".zip"};
    char *path = test_path("made%s", endings[kind]);
    struct archive *archive = new_archive(kind);
    ck_assert_int_eq(archive_write_open_filename(archive, path), ARCHIVE_OK);
    for (size_t i = 0; i < count; ++i)
        add_entry(archive, &entries[i]);
    archive_write_close(archive);
    archive_write_free(archive);
    return path;
}

static const char *example_text(const char *file) {
    g_autofree char *path = g_build_filename(CATALOG, "examples/tide-lamp", file, NULL);
    return read_text(path);
}

/* The tide lamp as an archive, below FOLDER ("" for none). */
static char *pack_example(enum archive_kind kind, const char *folder) {
    g_auto(GStrv) files = files_below(CATALOG "/examples/tide-lamp", NULL);
    g_autofree struct entry *entries = g_new0(struct entry, g_strv_length(files));
    size_t count = 0;
    for (char **file = files; *file; ++file)
        entries[count++] =
            (struct entry){test_path("%s%s", folder, *file) + strlen(test_folder) + 1, AE_IFREG, example_text(*file)};
    return write_archive(kind, entries, count);
}

static void expect_same_as_example(const char *folder) {
    struct ran ran = run_program(
        NULL, NULL,
        (const char *const[]){"diff", "-r", "-x", ".gitignore", folder, CATALOG "/examples/tide-lamp", NULL});
    ck_assert_msg(ran.code == 0, "%s", ran.out);
}

START_TEST(archives_of_every_kind_are_imported_whole) {
    for (int kind = 0; kind < ARCHIVE_KINDS; ++kind) {
        static const char *const folders[] = {"", "tide-lamp/", "download/tide-lamp/"};
        for (size_t i = 0; i < G_N_ELEMENTS(folders); ++i) {
            char *archive = pack_example((enum archive_kind)kind, folders[i]), *project = test_path("project");
            struct ran ran = tanchor(test_folder, "import", archive, "project");
            ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
            expect_same_as_example(project);
            folder_remove(project);
        }
    }
    g_auto(GStrv) left = files_match(test_folder, ".*");
    ck_assert_ptr_null(left[0]);
    ck_assert_int_eq(tanchor(test_folder, "import", "made.tar.gz").code, 0); /* named after the archive */
    expect_same_as_example(test_path("made"));
}
END_TEST

/* Each with a sound file in front, in every kind of archive that can hold it. */
START_TEST(hostile_archives_are_refused_whole_and_named) {
    static const struct {
        struct entry entry;
        const char *why;
    } corpus[] = {
        {{"/etc/tide", AE_IFREG, "x"}, "has an absolute path"},
        {{"C:/tide.c", AE_IFREG, "x"}, "has an absolute path"},
        {{"../tide.c", AE_IFREG, "x"}, "leaves the folder"},
        {{"a/../../tide.c", AE_IFREG, "x"}, "leaves the folder"},
        {{"a/..", AE_IFDIR, NULL}, "leaves the folder"},
        {{"a\\..\\tide.c", AE_IFREG, "x"}, "has a backslash"},
        {{"tide\n.c", AE_IFREG, "x"}, "has a control character"},
        {{"sound.c", AE_IFREG, "twice"}, "appears twice"},
        {{"SOUND.c", AE_IFREG, "x"}, "differs from another by case alone"},
        {{"Sound.C/tide.c", AE_IFREG, "x"}, "differs from another by case alone"},
        {{"sound.c/tide.c", AE_IFREG, "x"}, "appears twice"},
        {{"link", AE_IFLNK, "/etc/passwd"}, "is a link with an absolute target"},
        {{"link", AE_IFLNK, "../outside"}, "is a link that leaves the folder"},
        {{"a/link", AE_IFLNK, "../../outside"}, "is a link that leaves the folder"},
        {{"a/b/link", AE_IFLNK, "x/../../../../y"}, "is a link that leaves the folder"},
        {{"hard", 0, "sound.c"}, "is a hard link"},
        {{"hard", 0, "/etc/passwd"}, "is a hard link"},
        {{"device", AE_IFCHR, NULL}, "is neither a file, a folder nor a link"},
        {{"block", AE_IFBLK, NULL}, "is neither a file, a folder nor a link"},
        {{"pipe", AE_IFIFO, NULL}, "is neither a file, a folder nor a link"},
    };
    unsigned tried = 0;
    for (int kind = 0; kind < ARCHIVE_KINDS; ++kind) {
        for (size_t i = 0; i < G_N_ELEMENTS(corpus); ++i) {
            bool special = corpus[i].entry.type != AE_IFREG && corpus[i].entry.type != AE_IFDIR &&
                           corpus[i].entry.type != AE_IFLNK;
            if (kind == ZIP && (special || strchr(corpus[i].entry.name, '\\')))
                continue; /* which zip cannot hold, or is read as a slash from it */
            const struct entry entries[] = {{"sound.c", AE_IFREG, "int main(void);"}, corpus[i].entry};
            char *archive = write_archive((enum archive_kind)kind, entries, 2), *to = test_path("out");
            unsigned files;
            struct ta_problem why = {0};
            enum ta_status status = archive_unpack(archive, to, &archive_limits_default, NULL, &files, &why);
            ck_assert_msg(status == TA_E_INPUT, "%s in kind %d was taken", corpus[i].entry.name, kind);
            ck_assert_msg(strstr(why.what, corpus[i].why) != NULL, "%s: %s", corpus[i].entry.name, why.what);
            ck_assert_msg(strstr(why.what, "the entry \"") != NULL, "%s", why.what);
            ck_assert(!g_file_test(to, G_FILE_TEST_EXISTS));
            ++tried;
        }
    }
    ck_assert_uint_ge(tried, 60);
    ck_assert(!g_file_test(test_path("tide.c"), G_FILE_TEST_EXISTS));
}
END_TEST

/* What each link says looks inside; where the chain really leads does not. */
START_TEST(links_that_stay_inside_are_kept_and_chains_that_leave_are_not) {
    const struct entry good[] = {{"a/b.c", AE_IFREG, "int x;"},       {"link.c", AE_IFLNK, "a/b.c"},
                                 {"a/up", AE_IFLNK, "../link.c"},     {"dir", AE_IFLNK, "a"},
                                 {"way", AE_IFLNK, "dir/../dir/b.c"}, {"later", AE_IFLNK, "not-there.c"}};
    const struct entry chains[][4] = {
        {{"p/q/r/s.c", AE_IFREG, "x"}, {"p/q/r/l", AE_IFLNK, "../../.."}, {"e", AE_IFLNK, "p/q/r/l/.."}},
        {{"p/q/s.c", AE_IFREG, "x"}, {"d", AE_IFLNK, "p/q"}, {"p/q/e", AE_IFLNK, "../../d/../../.."}},
        {{"s.c", AE_IFREG, "x"}, {"a", AE_IFLNK, "b"}, {"b", AE_IFLNK, "a"}},
        {{"s.c", AE_IFREG, "x"}, {"a", AE_IFLNK, "none/../../.."}, {"b", AE_IFLNK, "a"}},
    };
    unsigned files;
    struct ta_problem why;
    ck_assert_int_eq(
        archive_unpack(write_archive(TAR, good, 6), test_path("out"), &archive_limits_default, NULL, &files, &why),
        TA_OK);
    ck_assert_str_eq(read_text(test_path("out/a/up")), "int x;");
    ck_assert_str_eq(read_text(test_path("out/way")), "int x;");
    for (size_t i = 0; i < G_N_ELEMENTS(chains); ++i) {
        char *archive = write_archive(TAR, chains[i], 3), *from = test_path("from"), *to = test_path("copy");
        ck_assert_int_eq(archive_unpack(archive, to, &archive_limits_default, NULL, &files, &why), TA_E_INPUT);
        ck_assert_ptr_nonnull(strstr(why.what, "is a link that leaves the folder"));
        ck_assert_int_eq(folder_make(from, NULL), TA_OK);
        run_program(NULL, NULL, (const char *const[]){"tar", "-xf", archive, "-C", from, NULL});
        ck_assert_int_eq(folder_copy(from, to, NULL, UINT64_MAX, NULL, &files, &why),
                         TA_E_INPUT); /* a folder's links no less */
        ck_assert_ptr_nonnull(strstr(why.what, "is a link that leaves the folder"));
        ck_assert(!g_file_test(to, G_FILE_TEST_EXISTS));
        folder_remove(from);
    }
}
END_TEST

static void add_little(GByteArray *bytes, uint64_t value, unsigned size) {
    for (unsigned i = 0; i < size; ++i)
        g_byte_array_append(bytes, (const guint8[]){i < 8 ? (guint8)(value >> (8 * i)) : 0}, 1);
}

/* CRC-32 (ISO 3309), as zip has it. */
static uint32_t crc32_of(const char *bytes, size_t length) {
    uint32_t crc = 0xffffffff;
    for (size_t i = 0; i < length; ++i) {
        crc ^= (unsigned char)bytes[i];
        for (int k = 0; k < 8; ++k)
            crc = crc >> 1 ^ (crc & 1 ? 0xedb88320 : 0);
    }
    return ~crc;
}

/* A zip by hand: one stored member, and a list of COUNT names that all stand for it. */
START_TEST(a_zip_whose_entries_share_their_bytes_is_refused) {
    static const char data[] = "int main(void) { return 0; }\n";
    g_autoptr(GByteArray) zip = g_byte_array_new();
    enum { COUNT = 2000 };
    uint32_t crc = crc32_of(data, sizeof data - 1);
    add_little(zip, 0x04034b50, 4);
    add_little(zip, 20, 2);
    add_little(zip, 0, 8);
    add_little(zip, crc, 4);
    add_little(zip, sizeof data - 1, 4);
    add_little(zip, sizeof data - 1, 4);
    add_little(zip, 6, 4);
    g_byte_array_append(zip, (const guint8 *)"f000.c", 6);
    g_byte_array_append(zip, (const guint8 *)data, sizeof data - 1);
    guint list = zip->len;
    for (unsigned i = 0; i < COUNT; ++i) {
        g_autofree char *name = g_strdup_printf("f%03x.c", i);
        add_little(zip, 0x02014b50, 4);
        add_little(zip, 20 | 20 << 16, 4);
        add_little(zip, 0, 8);
        add_little(zip, crc, 4);
        add_little(zip, sizeof data - 1, 4);
        add_little(zip, sizeof data - 1, 4);
        add_little(zip, 6, 4);
        add_little(zip, 0, 6);
        add_little(zip, UINT64_C(0100644) << 16, 4);
        add_little(zip, 0, 4);
        g_byte_array_append(zip, (const guint8 *)name, 6);
    }
    guint size = zip->len - list;
    add_little(zip, 0x06054b50, 4);
    add_little(zip, 0, 4);
    add_little(zip, COUNT | COUNT << 16, 4);
    add_little(zip, size, 4);
    add_little(zip, list, 4);
    add_little(zip, 0, 2);
    ck_assert(g_file_set_contents(test_path("shared.zip"), (const char *)zip->data, zip->len, NULL));
    struct ran ran = tanchor(test_folder, "import", "shared.zip", "taken");
    ck_assert_msg(ran.code == 1 && strstr(ran.err, "shared.zip: it lists 2000 entries and holds 1"), "%s%s", ran.out,
                  ran.err);
    ck_assert(!g_file_test(test_path("taken"), G_FILE_TEST_EXISTS));
}
END_TEST

START_TEST(bombs_stop_at_the_limits) {
    g_autofree char *zeros = g_strnfill(8 << 20, '0');
    const struct entry bomb[] = {{"zeros", AE_IFREG, zeros}};
    struct archive_limits limits = archive_limits_default;
    unsigned files;
    struct ta_problem why;
    ck_assert_int_eq(archive_unpack(write_archive(TAR_XZ, bomb, 1), test_path("out"), &limits, NULL, &files, &why),
                     TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "unpacks to far more than the archive holds"));
    limits = (struct archive_limits){.bytes = 1 << 20, .files = 10, .ratio = 1 << 20};
    ck_assert_int_eq(archive_unpack(write_archive(TAR, bomb, 1), test_path("out"), &limits, NULL, &files, &why),
                     TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "larger than is allowed"));
    struct entry many[11];
    for (int i = 0; i < 11; ++i)
        many[i] = (struct entry){test_path("%d", i) + strlen(test_folder) + 1, AE_IFREG, "x"};
    ck_assert_int_eq(archive_unpack(write_archive(ZIP, many, 11), test_path("out"), &limits, NULL, &files, &why),
                     TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "one more than the files that are allowed"));
    ck_assert(!g_file_test(test_path("out"), G_FILE_TEST_EXISTS));
}
END_TEST

/* Cut at every so many bytes, and with bytes changed: refused or whole, never a crash, never something outside. */
START_TEST(damaged_archives_are_refused_or_whole) {
    GRand *random = g_rand_new_with_seed(29);
    for (int kind = 0; kind < ARCHIVE_KINDS; ++kind) {
        char *archive = pack_example((enum archive_kind)kind, "tide-lamp/"), *damaged = test_path("damaged.zip"),
             *to = test_path("out");
        g_autofree char *bytes = NULL;
        gsize length;
        ck_assert(g_file_get_contents(archive, &bytes, &length, NULL));
        for (int round = 0; round < 60; ++round) {
            g_autofree char *copy = g_memdup2(bytes, length);
            gsize size = round % 2 ? length : (gsize)g_rand_int_range(random, 0, (int)length);
            unsigned files;
            struct ta_problem why = {0};
            for (int i = 0; round % 2 && i < 3; ++i)
                copy[g_rand_int_range(random, 0, (int)length)] ^= (char)g_rand_int_range(random, 1, 256);
            g_file_set_contents(damaged, copy, (gssize)size, NULL);
            enum ta_status status = archive_unpack(damaged, to, &archive_limits_default, NULL, &files, &why);
            ck_assert_msg(status == TA_OK || (ta_status_exit_code(status) == 1 && *why.what), "%s", why.what);
            ck_assert(status == TA_OK || !g_file_test(to, G_FILE_TEST_EXISTS));
            folder_remove(to);
        }
    }
    g_rand_free(random);
    write_text(test_path("text.zip"), "no archive at all");
    struct ran ran = tanchor(test_folder, "import", "text.zip");
    expect_refusal(ran, 1, "text.zip: it is not a zip or tar archive");
    ran = tanchor(test_folder, "import", "none.tar.gz");
    expect_refusal(ran, 1, "none.tar.gz");
}
END_TEST

/* Repositories. */

static void git(const char *folder, const char *const *arguments) {
    static const char *const environment[] = {"GIT_AUTHOR_NAME=Ada",         "GIT_AUTHOR_EMAIL=ada@estuary.example",
                                              "GIT_COMMITTER_NAME=Ada",      "GIT_COMMITTER_EMAIL=ada@estuary.example",
                                              "GIT_CONFIG_GLOBAL=/dev/null", NULL};
    struct ran ran = run_program(folder, environment, arguments);
    ck_assert_msg(ran.code == 0, "%s %s: %s", arguments[0], arguments[1], ran.err);
}
#define GIT(folder, ...) git(folder, (const char *const[]){"git", __VA_ARGS__, NULL})

START_TEST(repositories_are_imported_by_branch_tag_and_subfolder) {
    char *repository = test_path("watch.git");
    write_text(test_path("watch.git/readme.txt"), "the watch's instruments\n");
    GIT(repository, "init", "-q", "-b", "main");
    GIT(test_folder, "-C", repository, "add", "-A");
    GIT(repository, "commit", "-qm", "empty");
    run_program(NULL, NULL,
                (const char *const[]){"cp", "-r", CATALOG "/examples/tide-lamp", test_path("watch.git/lamp"), NULL});
    GIT(repository, "add", "-A");
    GIT(repository, "commit", "-qm", "lamp");
    GIT(repository, "tag", "v1");
    write_text(test_path("watch.git/lamp/notes.txt"), "newer\n");
    write_text(test_path("watch.git/second/anchor.yaml"),
               "project: second\nversion: 1.0.0\ntitle: t\nneeds:\n  sdk: {strand: \"2.1\"}\nsources: []\n");
    GIT(repository, "add", "-A");
    GIT(repository, "commit", "-qm", "second");

    struct ran ran = tanchor(test_folder, "import", "watch.git", "one", "--ref", "v1");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    ck_assert_ptr_nonnull(strstr(ran.out, "watch.git at "));
    expect_same_as_example(test_path("one"));
    ran = tanchor(test_folder, "import", test_path("file://%s", repository) + strlen(test_folder) + 1, "two", "--ref",
                  "v1");
    expect_done(ran);
    expect_same_as_example(test_path("two"));
    ran = tanchor(test_folder, "import", "watch.git");
    expect_refusal(ran, 1, "watch.git holds 2 projects", "lamp", "second");
    ran = tanchor(test_folder, "import", "watch.git", "--subfolder", "lamp");
    ck_assert_int_eq(ran.code, 0);
    ck_assert_str_eq(read_text(test_path("lamp/notes.txt")), "newer\n");
    ran = tanchor(test_folder, "import", "watch.git", "x", "--subfolder", "../..");
    expect_refusal(ran, 1, "has no folder ../..");
    ran = tanchor(test_folder, "import", "watch.git", "x", "--ref", "v9");
    expect_refusal(ran, 1, "watch.git has no branch or tag \"v9\"");
    ran = tanchor(test_folder, "import", "./none.git", "x");
    expect_refusal(ran, 3, "git cannot clone ./none.git");
    ran = tanchor(test_folder, "import", "tide-lamp", "x", "--ref", "v1");
    expect_refusal(ran, 2, "--ref goes with a repository");
    ck_assert(!g_file_test(test_path("x"), G_FILE_TEST_EXISTS));
}
END_TEST

START_TEST(nothing_of_a_repository_is_run) {
    char *repository = test_path("trap.git"), *mark = test_path("mark");
    g_autofree char *hook = g_strdup_printf("#!/bin/sh\ntouch '%s'\n", mark);
    run_program(NULL, NULL, (const char *const[]){"cp", "-r", CATALOG "/examples/tide-lamp", repository, NULL});
    write_text(test_path("trap.git/.gitattributes"), "* filter=trap\n");
    write_text(test_path("trap.git/.gitmodules"), "[submodule \"x\"]\n path = x\n url = ext::touch mark\n");
    GIT(repository, "init", "-q");
    GIT(repository, "add", "-A");
    GIT(repository, "commit", "-qm", "trap");
    write_text(test_path("templates/hooks/post-checkout"), hook);
    ck_assert_int_eq(chmod(test_path("templates/hooks/post-checkout"), 0755), 0);
    g_autofree char *value = g_strdup_printf("GIT_CONFIG_VALUE_0=%s", test_path("templates"));
    const char *const hooked[] = {"GIT_CONFIG_COUNT=1", "GIT_CONFIG_KEY_0=init.templateDir", value, NULL};
    struct ran ran =
        run_program(test_folder, hooked, (const char *const[]){TANCHOR, "import", "trap.git", "copy", NULL});
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    ck_assert(!g_file_test(mark, G_FILE_TEST_EXISTS));
}
END_TEST

/* Folders. */

START_TEST(a_folder_of_c_sources_gets_a_draft_that_builds) {
    write_text(test_path("bare/src/main.c"),
               "#include \"gauge.h\"\n#include <stdio.h>\nint main(void) {\n    printf(\"level %d\\n\", gauge());\n"
               "    return LEVEL;\n}\n");
    write_text(test_path("bare/lib/gauge.c"), "#include \"gauge.h\"\nint gauge(void) { return LEVEL; }\n");
    write_text(test_path("bare/lib/gauge.h"), "int gauge(void);\n");
    write_text(test_path("bare/unused/other.c"), "#error not part of it\n");
    write_text(test_path("bare/compile_commands.json"),
               "[{\"directory\": \".\", \"file\": \"src/main.c\", \"command\": \"cc -Ilib -DLEVEL=5 -c src/main.c\"},\n"
               " {\"directory\": \".\", \"file\": \"lib/gauge.c\", \"arguments\": [\"cc\", \"-I\", \"lib\", \"-D\", "
               "\"LEVEL=5\", \"-c\", \"lib/gauge.c\"]}]\n");
    struct ran ran = tanchor(test_folder, "import", "./bare", "Gauge Dial");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "drafted from 2 sources of compile_commands.json"), "%s%s", ran.out,
                  ran.err);
    ck_assert_ptr_nonnull(strstr(ran.out, "starts in   src/main.c"));
    const char *manifest = read_text(test_path("Gauge Dial/anchor.yaml"));
    ck_assert_ptr_nonnull(strstr(manifest, "  - 'LEVEL=5'\n"));
    ck_assert_ptr_nonnull(strstr(manifest, "decide: which SDK"));
    ck_assert(!g_file_test(test_path("bare/anchor.yaml"), G_FILE_TEST_EXISTS));
    char *project = test_path("Gauge Dial");
    ck_assert_int_eq(tanchor(project, "configure").code, 0);
    ran = tanchor(project, "build");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    ran = tanchor(project, "run", "--for", "1s");
    ck_assert_int_eq(ran.code, 5);
    ck_assert_str_eq(ran.out, "level 5\n");
}
END_TEST

static void write_manifest(const char *path, const char *extra) {
    g_autofree char *text =
        g_strdup_printf("project: p\nversion: 1.0.0\ntitle: t\nneeds:\n  sdk: {strand: \">=2.0\"}\n%s", extra);
    write_text(path, text);
}

START_TEST(what_lies_outside_is_named_and_can_be_gathered) {
    write_manifest(test_path("kit/p/anchor.yaml"),
                   "sources: [main.c, ../shared/sound.c]\ninclude: [../shared]\nassets: [logo.png]\n");
    write_text(test_path("kit/p/main.c"), "#include \"../shared/sound.h\"\nint main(void) { return sound(); }\n");
    write_text(test_path("kit/shared/sound.c"), "#include \"sound.h\"\nint sound(void) { return 0; }\n");
    write_text(test_path("kit/shared/sound.h"), "int sound(void);\n");
    struct ran ran = tanchor(test_folder, "import", "./kit/p", "copy");
    ck_assert_int_eq(ran.code, 1);
    static const char *const texts[] = {
        "problem  outside     sources names ../shared/sound.c", "problem  outside     include names ../shared",
        "--gather", "warning  missing     assets names logo.png", "main.c includes ../shared/sound.h"};
    for (size_t i = 0; i < G_N_ELEMENTS(texts); ++i)
        ck_assert_msg(strstr(ran.out, texts[i]) != NULL, "%s: %s", texts[i], ran.out);
    ck_assert(!g_file_test(test_path("copy"), G_FILE_TEST_EXISTS));

    ran = tanchor(test_folder, "import", "./kit/p", "copy", "--gather");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    const char *manifest = read_text(test_path("copy/anchor.yaml"));
    ck_assert_ptr_nonnull(strstr(manifest, "sources: [main.c, gathered/sound.c]"));
    ck_assert_ptr_nonnull(strstr(manifest, "include: [gathered/shared]"));
    ck_assert_str_eq(read_text(test_path("copy/gathered/shared/sound.h")), "int sound(void);\n");
    ck_assert_ptr_nonnull(
        strstr(read_text(test_path("kit/p/anchor.yaml")), "../shared/sound.c")); /* the original stays */

    ran = tanchor(test_folder, "import", "./kit/p", "--in-place");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "in place"), "%s%s", ran.out, ran.err);
    ran = tanchor(test_folder, "import", "./kit/p", "x", "--in-place");
    expect_refusal(ran, 2, "--in-place takes no destination");
}
END_TEST

START_TEST(what_would_trouble_others_is_told) {
    write_manifest(test_path("p/anchor.yaml"), "sources: [main.c]\n");
    write_text(test_path("p/main.c"), "int main(void) { return 0; }\n");
    write_text(test_path("p/Main.c"), "int other;\n");
    write_text(test_path("p/aux.h"), "\n");
    run_program(NULL, NULL, (const char *const[]){"cp", "/bin/true", test_path("p/helper"), NULL});
    struct ran ran = tanchor(test_folder, "import", "./p", "copy");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    ck_assert_ptr_nonnull(strstr(
        ran.out, "warning  names       names that clash or cannot exist on other systems: aux.h, Main.c and main.c"));
    ck_assert_ptr_nonnull(strstr(ran.out, "warning  programs    the files include executables or objects: helper"));
    write_manifest(test_path("p/anchor.yaml"), "sources: [main.c]\nformat: 7\n");
    ran = tanchor(test_folder, "import", "./p", "newer");
    expect_refusal(ran, 1,
                   "./p/anchor.yaml:7:9: format: the file has format 7, this tanchor knows 1; get a newer tanchor");
}
END_TEST

START_TEST(the_wrong_folder_leads_to_the_right_one) {
    tide_lamp();
    struct ran ran = tanchor(test_folder, "import", "./tide-lamp/src", "x");
    expect_refusal(ran, 1, "is inside a project; import the whole of it", "/tide-lamp");
    write_text(test_path("outer/readme.txt"), "look inside\n");
    ck_assert_int_eq(rename(test_path("tide-lamp"), test_path("outer/tide-lamp")), 0);
    ran = tanchor(test_folder, "import", "./outer", "found"); /* the only one is taken */
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    expect_same_as_example(test_path("found"));
}
END_TEST

/* Packages. */

static char *pack(const char *name) {
    struct ran ran = tanchor(test_folder, "catalog", "pack", name, "made.tar.gz");
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
    return test_path("made.tar.gz");
}

/* An empty catalog: all there is comes from packages. */
static void empty_catalog(void) {
    ck_assert_int_eq(folder_make(test_path("empty/profiles"), NULL), TA_OK);
    g_setenv("TANCHOR_CATALOG", test_path("empty"), TRUE);
}

START_TEST(packages_carry_a_catalog_to_another_computer) {
    static const char *const names[] = {"tide-lamp", "strand", "dunlin"};
    for (size_t i = 0; i < G_N_ELEMENTS(names); ++i)
        ck_assert_int_eq(tanchor(test_folder, "catalog", "pack", names[i]).code, 0);
    g_autofree char *bytes = NULL, *again = NULL;
    gsize length, again_length;
    ck_assert(g_file_get_contents(test_path("tide-lamp-1.0.0.tar.gz"), &bytes, &length, NULL));
    ck_assert(g_file_get_contents(pack("tide-lamp@1.0.0"), &again, &again_length, NULL));
    ck_assert(length == again_length && !memcmp(bytes, again, length)); /* equal contents, equal packages */
    empty_catalog();
    ck_assert_int_eq(tanchor(test_folder, "catalog").code, 1);
    static const char *const files[] = {"tide-lamp-1.0.0.tar.gz", "strand-2.1.0.tar.gz", "dunlin-1.1.0.tar.gz"};
    for (size_t i = 0; i < G_N_ELEMENTS(files); ++i) {
        struct ran ran = tanchor(test_folder, "catalog", "add", files[i]);
        ck_assert_msg(ran.code == 0 && strstr(ran.out, "all digests match"), "%s%s", ran.out, ran.err);
    }
    struct ran ran = tanchor(test_folder, "catalog", "add", files[0]);
    expect_refusal(ran, 1, "tide-lamp 1.0.0 is installed already");
    ck_assert_int_eq(tanchor(test_folder, "demo").code, 1); /* which has a home of its own, without them */
    char *project = tide_lamp_built();
    ck_assert_int_eq(tanchor(project, "verify").code, 0);
    ran = tanchor(test_folder, "catalog", "remove", "dunlin@1.1.0");
    expect_refusal(ran, 1, "dunlin@1.1.0 stays: the target dunlin of the bench is made from it");
    ck_assert_int_eq(tanchor(test_folder, "catalog", "remove", "tide-lamp@1.0.0").code, 0);
    ran = tanchor(test_path("empty"), "import", "tide-lamp", "../gone");
    expect_refusal(ran, 1, "there is no example named \"tide-lamp\"");
    ran = tanchor(test_folder, "catalog", "remove", "tide-lamp@1.0.0");
    expect_refusal(ran, 1, "is not an installed NAME@VERSION; installed: dunlin-1.1.0, strand-2.1.0");
}
END_TEST

START_TEST(a_bundle_brings_an_example_with_all_that_it_needs) {
    struct ran ran = tanchor(test_folder, "catalog", "bundle", "tide-lamp");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "bundled     strand@2.1.0") && strstr(ran.out, "bundled     dunlin"),
                  "%s%s", ran.out, ran.err);
    ran = tanchor(test_folder, "catalog", "bundle", "strand");
    expect_refusal(ran, 1, "there is no example named \"strand\"");
    char *sound = pack("dunlin");
    empty_catalog();
    ck_assert_int_eq(tanchor(test_folder, "catalog", "add", sound).code, 0);
    ran = tanchor(test_folder, "catalog", "add", "tide-lamp-1.0.0-bundle.tar.gz");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "dunlin 1.1.0, before already") && strstr(ran.out, "strand 2.1.0, "),
                  "%s%s", ran.out, ran.err);
    g_auto(GStrv) left = files_match(test_path("home/packages"), ".*");
    ck_assert_ptr_null(left[0]);
    char *project = tide_lamp_built();
    ck_assert_int_eq(tanchor(project, "verify").code, 0);
}
END_TEST

START_TEST(signatures_are_checked_against_known_publishers) {
    static const char *const make_keys[] = {"sh", "-c",
                                            "for n in ada bob; do openssl genpkey -algorithm ed25519 -out $n.key && "
                                            "openssl pkey -in $n.key -pubout -out $n.pem; done",
                                            NULL};
    ck_assert_int_eq(run_program(test_folder, NULL, make_keys).code, 0);
    struct ran ran = tanchor(test_folder, "catalog", "pack", "strand", "signed.tar.gz", "--key", "ada.key");
    ck_assert_msg(ran.code == 0, "%s", ran.err);
    ran = tanchor(test_folder, "catalog", "add", "signed.tar.gz");
    expect_refusal(ran, 1, "signed.tar.gz: its signature is by no publisher whose key is known here",
                   "tanchor catalog trust");
    ck_assert_int_eq(folder_make(test_path("home/keys"), NULL), TA_OK);
    write_text(test_path("home/keys/bob.pem"), read_text(test_path("bob.pem")));
    write_text(test_path("home/keys/none.pem"), "no key\n");
    ck_assert_int_eq(tanchor(test_folder, "catalog", "add", "signed.tar.gz").code, 1);
    write_text(test_path("home/keys/ada.pem"), read_text(test_path("ada.pem")));
    static const char *const tamper[] = {"sh", "-c",
                                         "mkdir w && cd w && tar xzf ../signed.tar.gz && sed -i 's/^title: .*/title: "
                                         "other/' package.yaml && tar czf ../tampered.tar.gz *",
                                         NULL};
    ck_assert_int_eq(run_program(test_folder, NULL, tamper).code, 0);
    ran = tanchor(test_folder, "catalog", "add", "tampered.tar.gz");
    expect_refusal(ran, 1, "its signature is by no publisher");
    ran = tanchor(test_folder, "catalog", "add", "signed.tar.gz");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "signed by ada"), "%s%s", ran.out, ran.err);
    ran = tanchor(test_folder, "catalog", "pack", "dunlin", "x.tar.gz", "--key", "ada.pem");
    expect_refusal(ran, 1, "ada.pem holds no private Ed25519 key");
    ck_assert(!g_file_test(test_path("x.tar.gz"), G_FILE_TEST_EXISTS));
}
END_TEST

/* Unpacks a sound package, damages it by a shell command, packs it again and tries to install it. */
START_TEST(damaged_packages_are_not_installed) {
    static const struct {
        const char *damage, *what;
    } cases[] = {
        {"echo >> examples/tide-lamp/src/main.c", "examples/tide-lamp/src/main.c does not have the digest"},
        {"rm examples/tide-lamp/src/tide.h", "package.yaml lists 10 files, there are 9"},
        {"echo x > examples/tide-lamp/extra.c", "package.yaml lists 10 files, there are 11"},
        {"mv examples/tide-lamp/src/tide.h examples/tide-lamp/src/other.h", "src/other.h does not belong"},
        {"mkdir -p profiles && mv examples/tide-lamp/README.md profiles/dunlin.yaml && "
         "sed -i 's|examples/tide-lamp/README.md|profiles/dunlin.yaml|' package.yaml",
         "profiles/dunlin.yaml does not belong into a package of this kind"},
        {"rm package.yaml", "it is not a package: it has no package.yaml"},
        {"sed -i 's/^kind: .*/kind: boat/' package.yaml", "kind: \"boat\" is not known"},
        {"sed -i 's/^format: 1/format: 9/' package.yaml", "the file has format 9"},
        {"sed -i 's/: [0-9a-f]\\{64\\}/: 123/' package.yaml", "is not a SHA-256"},
        {"rm examples/tide-lamp/src/tide.h && ln -s tide.c examples/tide-lamp/src/tide.h",
         "src/tide.h does not belong"},
    };
    char *sound = pack("tide-lamp");
    empty_catalog();
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        g_autofree char *script =
            g_strdup_printf("rm -rf work && mkdir work && cd work && tar xzf '%s' && %s && tar czf ../damaged.tar.gz *",
                            sound, cases[i].damage);
        struct ran ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
        ck_assert_msg(ran.code == 0, "%s", ran.err);
        ran = tanchor(test_folder, "catalog", "add", "damaged.tar.gz");
        ck_assert_msg(ran.code == 1 && strstr(ran.err, cases[i].what), "%s: %s", cases[i].damage, ran.err);
        g_auto(GStrv) left = files_match(test_path("home/packages"), ".*");
        g_auto(GStrv) installed = files_names(test_path("home/packages"), "*/package.yaml");
        ck_assert(!left[0] && !installed[0]);
    }
    struct ran ran = tanchor(test_folder, "catalog", "add", "none.tar.gz");
    expect_refusal(ran, 1, "none.tar.gz is not a file");
    ran = tanchor(test_folder, "catalog", "add");
    expect_refusal(ran, 2, "tanchor catalog add FILE|NAME");
    ran = tanchor(test_folder, "catalog", "pack", "submarine");
    expect_refusal(ran, 1, "the catalog has no \"submarine\"");
}
END_TEST

/* Each of these took minutes, or all memory, or went on after Ctrl-C. */
START_TEST(large_projects_take_their_time_and_no_more) {
    g_autoptr(GString) text = g_string_new("#include <hull.h>\n");
    for (int i = 0; i < 900000; ++i)
        g_string_append_c(text, i % 3 ? ' ' : '\n');
    write_text(test_path("blank/src/main.c"), "int main(void) { return 0; }\n");
    write_text(test_path("blank/src/hull.h"), text->str);
    struct ran ran = tanchor(test_folder, "import", "blank", "one", "--gather");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "starts in   src/main.c"), "%s%s", ran.out, ran.err);
    g_string_assign(text, "[{\"directory\": \".\", \"file\": \"src/main.c\", \"arguments\": [\"cc\", \"-DHULL=17\", "
                          "\"-DMARK=a\\nb\", \"-D1X\", \"-DMIX(a)=a\"]}]");
    write_text(test_path("blank/compile_commands.json"), text->str);
    ran = tanchor(test_folder, "import", "blank", "two");
    ck_assert_msg(ran.code == 0 &&
                      strstr(ran.out, "2 defines or names that anchor.yaml cannot hold, the first: MARK=a\\x0ab"),
                  "%s%s", ran.out, ran.err);
    ck_assert(strstr(read_text(test_path("two/anchor.yaml")), "defines:\n  - 'HULL=17'\n  - 'MIX(a)=a'\n") != NULL);
    g_string_assign(text, "[");
    for (int i = 0; i < 120000; ++i)
        g_string_append_printf(text,
                               "%s{\"directory\": \".\", \"file\": \"src/%d.c\", \"command\": \"cc -DA%d -Ii%d\"}",
                               i ? "," : "", i, i, i);
    g_string_append_c(text, ']');
    write_text(test_path("blank/compile_commands.json"), text->str);
    ran = tanchor(test_folder, "import", "blank", "three");
    expect_refusal(ran, 1, "blank has 120000 sources, more than a draft can list");
    shell("rm blank/compile_commands.json && truncate -s 1T blank/hull.bin");
    ran = tanchor(test_folder, "import", "blank", "four");
    expect_refusal(ran, 1, "holds more than 4.0 GiB: ");
    shell("rm blank/hull.bin && cp -r one five && truncate -s 1T five/src/main.c");
    ck_assert_int_eq(tanchor(test_path("five"), "configure").code, 0);
    ran = tanchor(test_path("five"), "build");
    ck_assert_msg(ran.code == 1, "%s%s", ran.out, ran.err);
}
END_TEST

/* An archive that ends between two entries is no whole one, though each of them is; zeros tell its end. */
START_TEST(a_tar_without_its_end_is_cut_off) {
    shell("mkdir -p part/src && echo 'int main(void) { return 0; }' >part/src/main.c && echo '// more' "
          ">part/src/more.c && tar cf whole.tar part && "
          "size=$(tar tvRf whole.tar | sed -n 's/^block \\([0-9]*\\): \\*\\* .*/\\1/p' | head -1) && head -c $((size * "
          "512)) whole.tar >cut.tar && "
          "gzip -k cut.tar && gzip -k whole.tar && head -c $((size * 512 + 512)) whole.tar >one.tar");
    static const char *const whole[] = {"whole.tar", "whole.tar.gz", "one.tar"}, *const cut[] = {"cut.tar",
                                                                                                 "cut.tar.gz"};
    for (size_t i = 0; i < G_N_ELEMENTS(whole); ++i) {
        shell("rm -rf taken");
        ck_assert_int_eq(tanchor(test_folder, "import", whole[i], "taken").code, 0);
    }
    shell("rm -rf taken");
    for (size_t i = 0; i < G_N_ELEMENTS(cut); ++i) {
        struct ran ran = tanchor(test_folder, "import", cut[i], "taken");
        expect_refusal(ran, 1, "is cut off: its end mark is missing");
        ck_assert(!g_file_test(test_path("taken"), G_FILE_TEST_EXISTS));
    }
}
END_TEST

/* Of several that add one package at once, one does, and the others are told so in our words. */
START_TEST(eight_who_add_a_package_at_once_are_told) {
    g_autofree char *script =
        g_strdup_printf("for i in 1 2 3 4 5 6 7 8; do '%s' catalog add '%s' >said.$i 2>&1 & done; wait; "
                        "test $(cat said.* | grep -c 'is installed already') = 7 && ! grep -q 'not empty' said.* && "
                        "grep -q 'all digests match' said.*",
                        TANCHOR, pack("tide-lamp"));
    empty_catalog();
    for (int i = 0; i < 5; ++i) {
        shell(script);
        shell("rm -rf home/packages/* said.*");
    }
}
END_TEST

int main(void) {
    return run_suite("import", (const TTest *const[]){archives_of_every_kind_are_imported_whole,
                                                      hostile_archives_are_refused_whole_and_named,
                                                      links_that_stay_inside_are_kept_and_chains_that_leave_are_not,
                                                      a_zip_whose_entries_share_their_bytes_is_refused,
                                                      bombs_stop_at_the_limits,
                                                      damaged_archives_are_refused_or_whole,
                                                      repositories_are_imported_by_branch_tag_and_subfolder,
                                                      nothing_of_a_repository_is_run,
                                                      a_folder_of_c_sources_gets_a_draft_that_builds,
                                                      what_lies_outside_is_named_and_can_be_gathered,
                                                      what_would_trouble_others_is_told,
                                                      the_wrong_folder_leads_to_the_right_one,
                                                      packages_carry_a_catalog_to_another_computer,
                                                      a_bundle_brings_an_example_with_all_that_it_needs,
                                                      signatures_are_checked_against_known_publishers,
                                                      damaged_packages_are_not_installed,
                                                      large_projects_take_their_time_and_no_more,
                                                      a_tar_without_its_end_is_cut_off,
                                                      eight_who_add_a_package_at_once_are_told,
                                                      NULL});
}
