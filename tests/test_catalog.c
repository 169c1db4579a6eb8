/* Catalogs: places in their order, versions side by side, components and platform images as packages; what a project's needs
   and what lies outside it lead to on import. */
#include "support.h"

#include "host/files.h"

#include <glib/gstdio.h>
#include <string.h>

/* An example that needs what NEEDS says, in the catalog's folder PLACE. */
static void add_example(const char *place, const char *version, const char *needs) {
    write_text(test_path("%s/examples/hail/anchor.yaml", place),
               test_path("project: hail\nversion: %s\ntitle: hails from %s\nneeds: {%s}\nsources: [hail.c]\n", version,
                         place, needs) +
                   strlen(test_folder) + 1);
    write_text(test_path("%s/examples/hail/hail.c", place), "#include <stdio.h>\nint main(void) { puts(\"hail\"); }\n");
}

START_TEST(places_are_asked_in_their_order) {
    add_example("north", "1.0.0", "sdk: {strand: '*'}");
    add_example("south", "1.0.0", "sdk: {strand: '*'}");
    struct ran ran = tanchor(test_folder, "catalog", "places");
    ck_assert(ran.code == 0 && strstr(ran.out, "bundled") != NULL);
    expect_done(tanchor(test_folder, "catalog", "use", "north"));
    expect_done(tanchor(test_folder, "catalog", "use", "south"));
    ran = tanchor(test_folder, "catalog", "hail");
    ck_assert(ran.code == 0 && strstr(ran.out, "hails from north") && !strstr(ran.out, "hails from south"));
    expect_done(tanchor(test_folder, "catalog", "use", "south", "--first"));
    ran = tanchor(test_folder, "catalog", "hail");
    ck_assert_ptr_nonnull(strstr(ran.out, "hails from south"));
    folder_remove(test_path("south"));
    ran = tanchor(test_folder, "catalog", "hail");
    ck_assert(ran.code == 0 && strstr(ran.out, "warning  catalog     cannot read") && strstr(ran.out, "from north"));
    ran = tanchor(test_folder, "catalog", "places");
    ck_assert_ptr_nonnull(strstr(ran.out, "missing"));
    expect_done(tanchor(test_folder, "catalog", "forget", "south"));
    ran = tanchor(test_folder, "catalog", "forget", "south");
    expect_refusal(ran, 1, "is not one of the places", "tanchor catalog places");
    expect_done(tanchor(test_folder, "catalog", "forget", "bundled"));
    ran = tanchor(test_folder, "catalog", "tide");
    ck_assert_int_eq(ran.code, 1);
    ran = tanchor(test_folder, "catalog", "use", "nowhere");
    expect_refusal(ran, 1, "nowhere does not exist");
    /* What an earlier version wrote down counts until places are changed, and is not lost then. */
    g_unlink(test_path("home/state.db"));
    write_text(test_path("home/catalogs.yaml"), "catalogs: [bundled, north]\n");
    ran = tanchor(test_folder, "catalog", "hail");
    ck_assert(ran.code == 0 && strstr(ran.out, "from north"));
    expect_done(tanchor(test_folder, "catalog", "use", CATALOG));
    g_unlink(test_path("home/catalogs.yaml"));
    ran = tanchor(test_folder, "catalog", "places");
    ck_assert(strstr(ran.out, "north") && strstr(ran.out, "bundled") && strstr(ran.out, CATALOG));
    g_mkdir(test_path("bare"), 0777);
    ran = tanchor(test_folder, "catalog", "use", "bare");
    expect_refusal(ran, 1, "bare holds no catalog");
}
END_TEST

START_TEST(an_archive_is_a_catalog_too) {
    add_example("north", "1.0.0", "sdk: {strand: '*'}");
    shell("tar czf kit.tar.gz north && rm -r north");
    expect_done(tanchor(test_folder, "catalog", "use", "kit.tar.gz"));
    expect_done(tanchor(test_folder, "import", "hail"));
    ck_assert(g_file_test(test_path("hail/hail.c"), G_FILE_TEST_EXISTS));
    /* Another state of the archive is another catalog. */
    add_example("north", "2.0.0", "sdk: {strand: '*'}");
    shell("tar czf kit.tar.gz north && rm -r north");
    struct ran ran = tanchor(test_folder, "catalog", "hail");
    ck_assert_msg(strstr(ran.out, "2.0.0") != NULL, "%s", ran.out);
    write_text(test_path("kit.tar.gz"), "no archive at all\n");
    ran = tanchor(test_folder, "catalog", "tide");
    ck_assert(ran.code == 0 && strstr(ran.out, "warning  catalog") && strstr(ran.out, "kit.tar.gz"));
    ran = tanchor(test_folder, "catalog", "use", "kit.tar.gz");
    ck_assert_int_eq(ran.code, 1);
}
END_TEST

START_TEST(versions_of_an_example_stand_side_by_side) {
    add_example("old", "1.2.0", "sdk: {strand: '*'}");
    add_example("new", "1.10.0", "sdk: {strand: '*'}");
    expect_done(tanchor(test_folder, "catalog", "use", "old"));
    expect_done(tanchor(test_folder, "catalog", "use", "new"));
    struct ran ran = tanchor(test_folder, "catalog", "hail");
    expect_row(ran, "hail", "1.10.0", "1.2.0");
    expect_done(tanchor(test_folder, "import", "hail"));
    ck_assert_ptr_nonnull(strstr(read_text(test_path("hail/anchor.yaml")), "version: 1.10.0"));
    expect_done(tanchor(test_folder, "import", "hail@1.2", "older"));
    ck_assert_ptr_nonnull(strstr(read_text(test_path("older/anchor.yaml")), "version: 1.2.0"));
    ran = tanchor(test_folder, "import", "hail@1.3.0", "none");
    expect_refusal(ran, 1, "the catalog has no version 1.3.0 of hail", "there is 1.10.0, 1.2.0");
    expect_done(tanchor(test_folder, "catalog", "pack", "hail@1.2.0"));
    ck_assert(g_file_test(test_path("hail-1.2.0.tar.gz"), G_FILE_TEST_EXISTS));
}
END_TEST

/* A component in two versions, for two ranges of the SDK, and one that needs it. */
static void add_components(void) {
    static const char *const versions[] = {"1.0.0", "1.4.0", "2.0.0"}, *const sdks[] = {">=2.0 <3", ">=2.1 <3", ">=3"};
    for (size_t i = 0; i < G_N_ELEMENTS(versions); ++i) {
        g_autofree char *folder = g_strdup_printf("kit/components/chime-%s", versions[i]);
        write_text(
            test_path("%s/component.yaml", folder),
            test_path("component: chime\nversion: %s\ntitle: strikes the hours\nsdk: {strand: '%s'}\nneeds: [core]\n"
                      "sources: [chime.c]\ninclude: [include]\n",
                      versions[i], sdks[i]) +
                strlen(test_folder) + 1);
        write_text(test_path("%s/include/chime.h", folder), "const char *chime(void);\n");
        write_text(test_path("%s/chime.c", folder),
                   "#include \"chime.h\"\nconst char *chime(void) { return __FILE__; }\n");
    }
}

START_TEST(a_component_may_be_a_package_of_its_own) {
    add_components();
    add_example("kit", "1.0.0", "sdk: {strand: '>=2'}, components: {core: '*', chime: '>=1.1'}, board: [console]");
    write_text(test_path("kit/examples/hail/hail.c"),
               "#include <chime.h>\n#include <stdio.h>\nint main(void) { puts(chime()); return 0; }\n");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    struct ran ran = tanchor(test_folder, "catalog", "--kind", "component");
    expect_row(ran, "chime", "1.4.0", "strand >=2.1 <3", "strikes the hours");
    ran = tanchor(test_folder, "catalog", "show", "chime@1.0.0");
    ck_assert(ran.code == 0 && strstr(ran.out, "strand >=2.0 <3") && strstr(ran.out, "components  core"));
    /* As packages, on another computer's home. */
    static const char *const packed[] = {"chime@1.4.0", "hail"};
    for (size_t i = 0; i < G_N_ELEMENTS(packed); ++i)
        expect_done(tanchor(test_folder, "catalog", "pack", packed[i]));
    expect_done(tanchor(test_folder, "catalog", "bundle", "hail"));
    expect_done(tanchor(test_folder, "catalog", "forget", "kit"));
    ran = tanchor(test_folder, "catalog", "add", "hail-1.0.0.tar.gz");
    expect_done(ran);
    ran = tanchor(test_folder, "import", "hail");
    ck_assert(ran.code == 1 &&
              strstr(ran.out, "problem  versions    this cannot be had: hail needs chime >=1.1 (no catalog has it)"));
    ran = tanchor(test_folder, "catalog", "add", "hail-1.0.0-bundle.tar.gz");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "chime 1.4.0, 3 files"), "%s%s", ran.out, ran.err);
    expect_done(tanchor(test_folder, "import", "hail"));
    char *project = test_path("hail");
    expect_done(tanchor(project, "configure"));
    ck_assert_ptr_nonnull(strstr(read_text(test_path("hail/setup.yaml")), "chime: \"1.4.0\""));
    expect_done(tanchor(project, "build"));
    ran = tanchor(project, "run", "--for", "100ms");
    ck_assert_msg(ran.code == 0 && strstr(ran.out, "chime/chime.c"), "%s%s", ran.out, ran.err);
    ran = tanchor(test_folder, "catalog", "remove", "chime@1.4.0");
    expect_refusal(ran, 1, "chime@1.4.0 stays: it is used by", "/hail");
    folder_remove(project);
    expect_done(tanchor(test_folder, "catalog", "remove", "chime@1.4.0"));
}
END_TEST

/* What a project does not use may be damaged. */
START_TEST(only_what_is_used_must_be_whole) {
    add_components();
    g_unlink(test_path("kit/components/chime-1.4.0/chime.c"));
    add_example("kit", "1.0.0", "sdk: {strand: '>=2'}, components: {core: '*', chime: '>=1.1'}, board: [console]");
    add_example("bare", "1.0.0", "sdk: {strand: '>=2'}, components: {core: '*'}, board: [console]");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    expect_done(tanchor(test_folder, "catalog", "use", "bare", "--first"));
    expect_done(tanchor(test_folder, "import", "hail", "quiet"));
    expect_done(tanchor(test_path("quiet"), "configure"));
    expect_done(tanchor(test_path("quiet"), "build"));
    expect_done(tanchor(test_folder, "catalog", "forget", "bare"));
    expect_done(tanchor(test_folder, "import", "hail", "loud"));
    struct ran ran = tanchor(test_path("loud"), "configure");
    expect_refusal(ran, 1, "chime 1.4.0 has no file chime.c in its folder", "tell its publisher");
}
END_TEST

START_TEST(an_sdk_that_another_is_like_stays) {
    static const char *const versions[] = {"strand@1.4.0", "strand@2.1.0"};
    for (size_t i = 0; i < G_N_ELEMENTS(versions); ++i)
        expect_done(tanchor(test_folder, "catalog", "pack", versions[i]));
    folder_make(test_path("empty/profiles"), NULL);
    g_setenv("TANCHOR_CATALOG", test_path("empty"), TRUE);
    expect_done(tanchor(test_folder, "catalog", "add", "strand-1.4.0.tar.gz"));
    struct ran ran = tanchor(test_folder, "catalog", "show", "strand@1.4.0");
    expect_refusal(ran, 1, "strand 1.4.0 is based on 2.1.0, which is not installed; tanchor catalog add strand@2.1.0");
    expect_done(tanchor(test_folder, "catalog", "add", "strand-2.1.0.tar.gz"));
    ran = tanchor(test_folder, "catalog", "show", "strand@1.4.0");
    expect_row(ran, "lamps", "strand_lamps_set", "strand/lamps.h");
    ran = tanchor(test_folder, "catalog", "remove", "strand@2.1.0");
    expect_refusal(ran, 1, "strand@2.1.0 stays: strand 1.4.0 is based on it and incomplete without it");
    expect_done(tanchor(test_folder, "catalog", "remove", "strand@1.4.0"));
    expect_done(tanchor(test_folder, "catalog", "remove", "strand@2.1.0"));
}
END_TEST

START_TEST(platform_images_are_packages) {
    write_text(
        test_path("kit/platforms/slack-water-2.0.0/platform.yaml"),
        "platform: slack-water\nversion: 2.0.0\ntitle: the handset's platform\nprofiles: [dunlin]\nimage: slack.bin\n");
    write_text(test_path("kit/platforms/slack-water-2.0.0/slack.bin"), "image");
    add_example("kit", "1.0.0", "sdk: {strand: '*'}, platform: {slack-water: '>=3'}");
    expect_done(tanchor(test_folder, "catalog", "use", "kit"));
    struct ran ran = tanchor(test_folder, "catalog", "--kind", "platform");
    expect_row(ran, "slack-water", "2.0.0", "dunlin", "the handset's platform");
    ran = tanchor(test_folder, "catalog", "show", "slack-water");
    expect_row(ran, "files", "2");
    ran = tanchor(test_folder, "import", "hail");
    ck_assert(ran.code == 1 && strstr(ran.out, "no catalog has slack-water >=3") &&
              strstr(ran.out, "there is slack-water 2.0.0"));
    ck_assert(!g_file_test(test_path("hail"), G_FILE_TEST_EXISTS));
    edit(test_path("kit/examples/hail/anchor.yaml"), ">=3", ">=2");
    expect_done(tanchor(test_folder, "import", "hail"));
    expect_done(tanchor(test_folder, "catalog", "pack", "slack-water"));
    expect_done(tanchor(test_folder, "catalog", "add", "slack-water-2.0.0.tar.gz"));
}
END_TEST

START_TEST(an_sdk_that_no_catalog_has_is_told_on_import) {
    char *project = tide_lamp();
    edit(test_path("tide-lamp/anchor.yaml"), ">=2.0 <3", ">=7");
    struct ran ran = tanchor(test_folder, "import", project, "copy");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_msg(strstr(ran.out, "problem  versions    this cannot be had: tide-lamp needs strand >=7") &&
                      strstr(ran.out, "there is 2.1.0, 2.0.0, 1.4.0"),
                  "%s", ran.out);
    ck_assert(!g_file_test(test_path("copy"), G_FILE_TEST_EXISTS));
    expect_done(tanchor(test_folder, "import", project, "copy", "--anyway"));
    ck_assert(g_file_test(test_path("copy/anchor.yaml"), G_FILE_TEST_EXISTS));
}
END_TEST

START_TEST(headers_from_outside_can_be_gathered) {
    char *project = tide_lamp();
    write_text(test_path("shared/scale.h"), "#include \"deep/units.h\"\n#define SCALE UNITS\n");
    write_text(test_path("shared/deep/units.h"), "#define UNITS 3\n");
    write_text(test_path("tide-lamp/src/extra.c"),
               "#include \"../../shared/scale.h\"\nint extra(void) { return SCALE; }\n");
    struct ran ran = tanchor(test_folder, "import", project, "copy");
    ck_assert(ran.code == 0 && strstr(ran.out, "import with --gather to copy them in"));
    ran = tanchor(test_folder, "import", project, "whole", "--gather");
    expect_done(ran);
    ck_assert_ptr_null(strstr(ran.out, "warning"));
    ck_assert_str_eq(read_text(test_path("whole/src/extra.c")),
                     "#include \"../gathered/scale.h\"\nint extra(void) { return SCALE; }\n");
    ck_assert_str_eq(read_text(test_path("whole/gathered/scale.h")),
                     "#include \"../gathered/units.h\"\n#define SCALE UNITS\n");
    folder_remove(test_path("shared"));
    expect_done(tanchor(test_path("whole"), "configure"));
    expect_done(tanchor(test_path("whole"), "build"));
}
END_TEST

START_TEST(limits_of_archives_are_the_users) {
    char *archive = test_path("kit.tar");
    tide_lamp();
    shell("tar cf kit.tar tide-lamp");
    write_text(test_path("home/preferences.yaml"), "archive-files: 3\n");
    struct ran ran = tanchor(test_folder, "import", archive, "copy");
    expect_refusal(ran, 1, "is one more than the files that are allowed");
    write_text(test_path("home/preferences.yaml"), "archive-size: 1 KiB\n");
    ran = tanchor(test_folder, "import", archive, "copy");
    expect_refusal(ran, 1, "makes it larger than is allowed");
    write_text(test_path("home/preferences.yaml"), "archive-ratio: none\n");
    ran = tanchor(test_folder, "import", archive, "copy");
    expect_refusal(ran, 1, "preferences.yaml:1:16: archive-ratio:");
    write_text(test_path("home/preferences.yaml"), "archive-size: 1 MiB\narchive-files: 100\n");
    expect_done(tanchor(test_folder, "import", archive, "copy"));
    ck_assert_str_eq(state("SELECT what FROM duration WHERE what = 'unpack'"), "unpack\n");
}
END_TEST

int main(void) {
    return run_suite("catalog", (const TTest *const[]){
                                    places_are_asked_in_their_order, an_archive_is_a_catalog_too,
                                    versions_of_an_example_stand_side_by_side, a_component_may_be_a_package_of_its_own,
                                    only_what_is_used_must_be_whole, an_sdk_that_another_is_like_stays,
                                    platform_images_are_packages, an_sdk_that_no_catalog_has_is_told_on_import,
                                    headers_from_outside_can_be_gathered, limits_of_archives_are_the_users, NULL});
}
