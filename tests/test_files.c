/* Files from outside: YAML by schema, ELF, folders. */
#include "support.h"

#include "base/little.h"
#include "host/copy.h"
#include "host/elf_file.h"
#include "host/files.h"
#include "host/model_files.h"
#include "host/stamp.h"

#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static const char good_manifest[] =
    "project: tide\nversion: 1.0.0\ntitle: a tide\nneeds:\n  sdk: {strand: \">=2.0\"}\nsources: [main.c]\n";

static enum ta_status read_manifest(const char *text, struct ta_problem *why) {
    struct project project;
    struct arena *arena = arena_new();
    char *path = test_path("anchor.yaml");
    write_text(path, text);
    enum ta_status status = project_read(path, "anchor.yaml", arena, &project, why);
    arena_free(arena);
    return status;
}

/* What is put in place of a part of a good manifest, where the problem is, what was found and what is allowed. */
START_TEST(manifest_problems_name_place_key_and_what_is_allowed) {
    static const struct {
        const char *from, *to;
        unsigned line, column;
        const char *what, *fix;
    } cases[] = {
        {"sources:", "sorces:", 6, 1, "sorces: there is no such key", "did you mean sources?"},
        {"title:", "colour: red\ntitle:", 3, 1, "colour: there is no such key",
         "allowed here: format, project, version"},
        {"sdk:", "sdks:", 5, 3, "needs.sdks: there is no such key", "did you mean sdk?"},
        {"\">=2.0\"", "\">=2.x\"", 5, 17, "needs.sdk.strand: \">=2.x\" is not a version range", "\">=2.0 <3\""},
        {"version: 1.0.0", "version: one", 2, 10, "version: \"one\" is not a version", "2.1.0"},
        {"[main.c]", "main.c", 6, 10, "sources: it must be a list, not a text", ""},
        {"[main.c]", "[{a: b}]", 6, 11, "sources: it must be a text, not a mapping", ""},
        {"a tide", "[a]", 3, 8, "title: it must be a text, not a list", ""},
        {"title: a tide", "title: \"\"", 3, 8, "title: it is empty", "leave the key out"},
        {"project: tide", "project: Tide Lamp", 1, 10, "project: \"Tide Lamp\" is not a name", "small letters"},
        {"title: a tide\n", "", 1, 1, "the key title is missing", "add it"},
        {"title: a tide", "title: a\ntitle: b", 4, 1, "\"title\" appears twice here", "keep one"},
        {"needs:\n  sdk", "needs: [1]\nx: {sdk", 5, 0, NULL, NULL}, /* not YAML any more */
        {"title: a tide", "title: \"a", 0, 0, NULL, NULL},
        {"title: a tide", "title: \"a\\0b\"", 3, 8, "title: a text cannot hold a zero byte", ""},
    };
    struct ta_problem why = {0};
    ck_assert_msg(!read_manifest(good_manifest, &why), "%s", why.what);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        const char *at = strstr(good_manifest, cases[i].from);
        g_autofree char *text = g_strdup_printf("%.*s%s%s", (int)(at - good_manifest), good_manifest, cases[i].to,
                                                at + strlen(cases[i].from));
        enum ta_status status = read_manifest(text, &why);
        ck_assert_msg(ta_status_exit_code(status) == 1, "%s", text);
        ck_assert_str_eq(why.file, "anchor.yaml");
        ck_assert_uint_gt(why.line, 0);
        if (!cases[i].what) {
            ck_assert_msg(status == TA_E_SYNTAX && strstr(why.what, "it is not YAML"), "%s", why.what);
            continue;
        }
        ck_assert_msg(strstr(why.what, cases[i].what) != NULL, "%s instead of %s", why.what, cases[i].what);
        ck_assert_msg(strstr(why.fix, cases[i].fix) != NULL, "%s instead of %s", why.fix, cases[i].fix);
        ck_assert_msg(why.line == cases[i].line && why.column == cases[i].column, "%s: %u:%u", cases[i].to, why.line,
                      why.column);
    }
}
END_TEST

START_TEST(profile_problems_name_their_key) {
    static const struct {
        const char *from, *to, *what;
        unsigned line;
    } cases[] = {
        {"clock: 32 MHz", "clock: fast", "clock: \"fast\" is not a frequency", 8},
        {"size: 64 KiB", "size: 64 KB", "memory.ram.size: \"64 KB\" is not a size", 15},
        {"base: 0x10000000", "base: 0x00410000", "memory.ram: it overlaps memory.flash", 15},
        {"kind: ram", "kind: rom", "memory.ram.kind: \"rom\" is not known", 15},
        {"device: uart0", "device: uart9", "connectors.console: there is no device \"uart9\"", 28},
        {"interrupt: 2", "interrupt: 99", "devices.gpio0.interrupt: 99 is out of range; it may be 0 to 63", 21},
        {"semihosting: on", "semihosting: maybe", "semihosting: \"maybe\" is not known", 11},
        {"isa: rv32imac_zicsr_zifencei", "isa: rv32imacx", "isa: \"rv32imacx\" is not an ISA", 7},
        {"clock: 32 MHz", "clock: 0 Hz", "clock: 0 Hz is no clock", 8},
        {"clock: 32 MHz", "harts: {aid: {isa: rv64zz}}\nclock: 32 MHz", "harts.aid.isa: \"rv64zz\" is not an ISA", 8},
        {"clock: 32 MHz", "harts: {aid: {clock: 0 Hz}}\nclock: 32 MHz", "harts.aid.clock: 0 Hz is no clock", 8},
        {"reset: 0x00400000", "reset: 0x00300000", "reset: no memory at 0x300000", 10},
        {"clocks: [8 MHz", "clocks: [8 knots", "clocks: \"8 knots\" is not a frequency", 9},
        {"positions: [flash", "place: [flash", "switches.boot.place: there is no such key", 40},
        {"run: flash", "run: card", "switches.boot.run: it has no position card", 40},
        {"address: 0x6a", "address: 0x1e", "devices.motion0.address: compass0 has 0x1e already", 25},
        {"address: 0x6a", "address: 0x78", "devices.motion0.address: 0x78 is out of range; it may be 0 to 119", 25},
        {"on: i2c0, address: 0x6a", "on: i2c9, address: 0x6a", "devices.motion0.on: there is no bus \"i2c9\"", 25},
        {"model: gpio, base: 0x4c010000", "model: gpio", "devices.gpio0: the key base is missing", 21},
        {"quantity: heading", "quantity: depth", "connectors.heading.quantity: nothing senses \"depth\"", 31},
    };
    char *text = read_text(CATALOG "/profiles/dunlin.yaml");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_profile profile;
        struct ta_problem why;
        struct arena *arena = arena_new();
        char *path = test_path("%zu.yaml", i);
        write_text(path, text);
        edit(path, cases[i].from, cases[i].to);
        ck_assert_int_eq(profile_read_text(read_text(path), strlen(read_text(path)), "p.yaml", arena, &profile, &why),
                         TA_E_INPUT);
        ck_assert_msg(g_str_has_prefix(why.what, cases[i].what) && why.line == cases[i].line, "%u: %s", why.line,
                      why.what);
        arena_free(arena);
    }
}
END_TEST

START_TEST(hostile_yaml_is_a_problem_and_no_crash) {
    g_autoptr(GString) deep = g_string_new("project: ");
    g_autoptr(GString) laughs = g_string_new("a: &a [x, x, x, x, x, x, x, x, x]\n");
    struct ta_problem why;
    for (int i = 0; i < 5000; ++i)
        g_string_append_c(deep, '[');
    for (char name = 'b'; name < 'l'; ++name)
        g_string_append_printf(laughs, "%c: &%c [*%c, *%c, *%c, *%c, *%c, *%c, *%c, *%c]\n", name, name, name - 1,
                               name - 1, name - 1, name - 1, name - 1, name - 1, name - 1, name - 1);
    g_string_append(laughs, "sources: *k\n");
    ck_assert_int_eq(ta_status_exit_code(read_manifest(deep->str, &why)), 1);
    ck_assert_int_eq(ta_status_exit_code(read_manifest(laughs->str, &why)), 1);
    ck_assert_int_eq(ta_status_exit_code(read_manifest("needs: &n {sdk: *n}\n", &why)), 1);
    ck_assert_int_eq(ta_status_exit_code(read_manifest("", &why)), 1);
    ck_assert_str_eq(why.what, "it is empty");
    ck_assert_int_eq(ta_status_exit_code(read_manifest("\xff\xfe", &why)), 1);
    GRand *random = g_rand_new_with_seed(5);
    for (int round = 0; round < 3000; ++round) {
        g_autofree char *text = g_strdup(good_manifest);
        for (int i = g_rand_int_range(random, 1, 4); i > 0; --i)
            text[g_rand_int_range(random, 0, sizeof good_manifest - 1)] = (char)g_rand_int_range(random, 1, 256);
        read_manifest(text, &why);
    }
    g_rand_free(random);
}
END_TEST

/* Lists are replaced, mappings grow by name, and what is not said stays. */
START_TEST(an_overlay_changes_only_what_it_says) {
    static const char text[] =
        "profile: dunlin\nclocks: [1 MHz]\nswitches:\n  boot: {positions: [loader], run: loader}\n"
        "devices:\n  gpio0: {options: {pins: 9, pull: 1}}\n";
    static const char more[] = "devices: {gpio0: {options: {pull: 2}}}\nclocks: [2 MHz, 4 MHz]\n";
    struct arena *arena = arena_new();
    struct ta_profile profile;
    struct ta_problem why;
    char *base = read_text(CATALOG "/profiles/dunlin.yaml");
    ck_assert_int_eq(profile_read_text(base, strlen(base), "p", arena, &profile, &why), TA_OK);
    size_t devices = profile.device_count, switches = profile.switch_count;
    ck_assert_int_eq(profile_overlay(text, sizeof text - 1, "p", true, arena, &profile, &why), TA_OK);
    ck_assert_int_eq(profile_overlay(more, sizeof more - 1, "p", true, arena, &profile, &why), TA_OK);
    ck_assert(profile.device_count == devices && profile.switch_count == switches);
    ck_assert_uint_eq(profile.clock_count, 2);
    ck_assert_str_eq(profile.clocks[0], "2 MHz");
    ck_assert_uint_eq(profile.switches[0].position_count, 1);
    const struct ta_device *gpio = NULL;
    for (size_t i = 0; i < devices; ++i)
        gpio = strcmp(profile.devices[i].name, "gpio0") ? gpio : &profile.devices[i];
    ck_assert_uint_eq(gpio->option_count, 2);
    ck_assert_uint_eq(gpio->options[1].value, 2);
    ck_assert_str_eq(gpio->model, "gpio");
    arena_free(arena);
}
END_TEST

START_TEST(a_setup_is_read_back_as_it_was_written) {
    struct pin components[] = {{"core", "2.1.0"}, {"lamps", "1.3.0"}};
    struct need with = {"chime", ">=1.1"};
    const char *without[] = {"radio"};
    const struct setup setup = {.sdk = "strand",
                                .sdk_version = "2.1.0",
                                .components = {components, 2},
                                .compiler = COMPILER_GCC,
                                .compiler_version = "12.2.0",
                                .target = "dunlin-2",
                                .profile = "dunlin",
                                .optimise = OPTIMISE_SPEED,
                                .with = {&with, 1},
                                .without = {without, 1},
                                .options = {4096, 1000, 8000000, 9600}};
    struct setup back;
    struct arena *arena = arena_new();
    char *path = test_path("setup.yaml");
    ck_assert_int_eq(setup_write(path, &setup, NULL), TA_OK);
    ck_assert_int_eq(setup_read(path, path, arena, &back, NULL), TA_OK);
    ck_assert_str_eq(back.sdk_version, "2.1.0");
    ck_assert_str_eq(back.compiler_version, "12.2.0");
    ck_assert_str_eq(back.target, "dunlin-2");
    ck_assert_int_eq(back.optimise, OPTIMISE_SPEED);
    ck_assert_uint_eq(back.components.count, 2);
    ck_assert_str_eq(pins_version(&back.components, "lamps"), "1.3.0");
    ck_assert_str_eq(needs_range(&back.with, "chime"), ">=1.1");
    ck_assert_str_eq(back.without.items[0], "radio");
    ck_assert(back.options.stack_bytes == 4096 && back.options.heap_bytes == 1000 && back.options.clock_hz == 8000000 &&
              back.options.console_baud == 9600);
    arena_free(arena);
}
END_TEST

/* A real program, damaged: each offset of the head, the segment list cut, other machines. */
START_TEST(damaged_elf_files_are_refused) {
    char *project = tide_lamp_built(), *path = test_path("damaged.elf");
    g_autofree char *elf = g_build_filename(project, "out/dunlin-gcc/tide-lamp.elf", NULL);
    g_autofree char *bytes = NULL;
    gsize length;
    struct ta_problem why;
    ck_assert(g_file_get_contents(elf, &bytes, &length, NULL));
    for (gsize cut = 0; cut < length; cut += cut < 200 ? 1 : length / 97) {
        struct arena *arena = arena_new();
        struct ta_image image;
        g_file_set_contents(path, bytes, (gssize)cut, NULL);
        if (elf_read(path, arena, &image, &why) == TA_OK)
            ck_assert_uint_gt(cut, 4096); /* only symbols and debug information may be missing */
        else
            ck_assert_msg(strstr(why.what, "damaged.elf: ") && *why.fix, "%zu: %s", (size_t)cut, why.what);
        arena_free(arena);
    }
    for (unsigned at = 0; at < 200; ++at) {
        struct arena *arena = arena_new();
        struct ta_image image;
        g_autofree char *damaged = g_memdup2(bytes, length);
        damaged[at] = (char)(damaged[at] ^ 0xff);
        g_file_set_contents(path, damaged, (gssize)length, NULL);
        if (!elf_read(path, arena, &image, &why))
            ta_image_fits(&image, dunlin(), NULL, &why);
        arena_free(arena);
    }
    struct arena *arena = arena_new();
    struct ta_image image;
    ck_assert_int_eq(elf_read("/proc/self/exe", arena, &image, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "another machine"));
    ck_assert_int_eq(elf_read(test_folder, arena, &image, &why), TA_E_INPUT);
    ck_assert_int_eq(elf_read(test_path("none"), arena, &image, &why), TA_E_INPUT);
    arena_free(arena);
}
END_TEST

START_TEST(addresses_are_told_by_function_and_line) {
    char *project = tide_lamp_built(), place[160];
    g_autofree char *elf = g_build_filename(project, "out/dunlin-gcc/tide-lamp.elf", NULL);
    struct arena *arena = arena_new();
    struct ta_image image;
    ck_assert_int_eq(elf_read(elf, arena, &image, NULL), TA_OK);
    ck_assert(image.has_identity);
    ck_assert_uint_eq(image.entry, 0x400000);
    elf_describe_address(&image, ta_image_symbol(&image, "tide_at")->address, place, sizeof place);
    ck_assert_msg(g_str_has_prefix(place, "tide_at (src/tide.c:"), "%s", place);
    elf_describe_address(&image, 0x10, place, sizeof place);
    ck_assert_str_eq(place, "");
    arena_free(arena);
}
END_TEST

START_TEST(folders_are_copied_whole_or_not_at_all) {
    unsigned files;
    struct ta_problem why;
    char *from = test_path("from"), *to = test_path("to");
    static const char *const skip[] = {"out", NULL};
    write_text(test_path("from/a/b/c.txt"), "deep");
    write_text(test_path("from/out/x.o"), "left behind");
    write_text(test_path("from/run.sh"), "#!/bin/sh\n");
    ck_assert_int_eq(chmod(test_path("from/run.sh"), 0755), 0);
    ck_assert_int_eq(symlink("a/b/c.txt", test_path("from/link")), 0);
    ck_assert_int_eq(folder_copy(from, to, skip, UINT64_MAX, NULL, &files, &why), TA_OK);
    ck_assert_uint_eq(files, 2);
    ck_assert_str_eq(read_text(test_path("to/a/b/c.txt")), "deep");
    ck_assert_str_eq(read_text(test_path("to/link")), "deep");
    ck_assert(g_file_test(test_path("to/run.sh"), G_FILE_TEST_IS_EXECUTABLE));
    ck_assert(!g_file_test(test_path("to/out"), G_FILE_TEST_EXISTS));
    folder_remove(to);
    ck_assert(!g_file_test(to, G_FILE_TEST_EXISTS));

    static const char *const bad_links[] = {"/etc/passwd", "../outside", "a/../../outside"};
    for (size_t i = 0; i < G_N_ELEMENTS(bad_links); ++i) {
        ck_assert_int_eq(symlink(bad_links[i], test_path("from/bad")), 0);
        ck_assert_int_eq(folder_copy(from, to, skip, UINT64_MAX, NULL, &files, &why), TA_E_INPUT);
        ck_assert_ptr_nonnull(strstr(why.what, "link that leaves the folder"));
        ck_assert(!g_file_test(to, G_FILE_TEST_EXISTS));
        unlink(test_path("from/bad"));
    }
    ck_assert_int_eq(mkfifo(test_path("from/pipe"), 0600), 0);
    ck_assert_int_eq(folder_copy(from, to, skip, UINT64_MAX, NULL, &files, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "neither a file nor a folder"));
}
END_TEST

/* Thousands of files together have the stamps that each has alone: those that are there, in folders that follow one another or not. */
START_TEST(stamps_are_the_same_one_by_one_and_together) {
    enum { COUNT = 2600, FOLDERS = 7 };
    g_autoptr(GPtrArray) paths = g_ptr_array_new();
    g_autofree struct stamp *stamps = g_new(struct stamp, COUNT);
    size_t there = 0;
    for (size_t i = 0; i < COUNT; ++i) {
        char *path = test_path("%s%zu/gauge%zu.c", i % 50 ? "near" : "far", i * FOLDERS / COUNT, i);
        g_ptr_array_add(paths, path);
        if (i % 3)
            write_text(path, i % 2 ? "ebb" : "flood");
        else if (i % 2)
            g_mkdir_with_parents(path, 0777);
    }
    stamps_of((const char *const *)paths->pdata, COUNT, stamps);
    for (size_t i = 0; i < COUNT; ++i) {
        struct stamp alone;
        ck_assert_int_eq(stamp_of(paths->pdata[i], &alone), i % 3 != 0);
        ck_assert(stamps_equal(&alone, &stamps[i]));
        there += stamps[i].inode != 0;
    }
    ck_assert_uint_eq(there, COUNT - (COUNT + 2) / 3);
}
END_TEST

/* An output takes the place of what is there, of nothing, but not of a folder. */
START_TEST(outputs_take_their_places) {
    char *part = test_path("tide.o.part"), *place = test_path("tide.o");
    for (int i = 0; i < 2; ++i) {
        write_text(part, i ? "ebb" : "flood");
        ck_assert(file_place(part, place));
        ck_assert_str_eq(read_text(place), i ? "ebb" : "flood");
        ck_assert(!g_file_test(part, G_FILE_TEST_EXISTS));
    }
    write_text(test_path("folder/kept"), "kept");
    write_text(part, "slack");
    ck_assert(!file_place(part, test_path("folder")));
    ck_assert_str_eq(read_text(test_path("folder/kept")), "kept");
    ck_assert_str_eq(read_text(part), "slack");
    ck_assert(!file_place(test_path("nothing"), place));
    ck_assert_str_eq(read_text(place), "ebb");
}
END_TEST

START_TEST(patterns_match_one_element_at_a_time) {
    static const char *const names[] = {"src/b.c", "src/a.c", "src/a.h", "src/deep/d.c", ".hidden/x.c"};
    for (size_t i = 0; i < G_N_ELEMENTS(names); ++i)
        write_text(test_path("%s", names[i]), "");
    static const struct {
        const char *pattern, *found;
    } cases[] = {{"src/*.c", "src/a.c src/b.c"},
                 {"*/*/?.c", "src/deep/d.c"},
                 {"*/x.c", ""},
                 {"none/*.c", ""},
                 {"*/deep/d.c", "src/deep/d.c"},
                 {"*/deep", ""},
                 {"*/a.c/*", ""},
                 {"*/../src/a.c", ""},
                 {"*/./a.c", ""},
                 {"*//a.c", ""},
                 {"none.c", "none.c"}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        g_auto(GStrv) found = files_match(test_folder, cases[i].pattern);
        g_autofree char *joined = g_strjoinv(" ", found);
        ck_assert_str_eq(joined, cases[i].found);
    }
    g_auto(GStrv) stems = files_names(test_folder, "src/*.c");
    g_autofree char *joined = g_strjoinv(" ", stems);
    ck_assert_str_eq(joined, "a b");
}
END_TEST

static gpointer cut_short(gpointer path) {
    g_usleep(2000);
    ck_assert_int_eq(truncate(path, 100), 0);
    return NULL;
}

/* An editor that saves in place cuts a file short while it is looked at. A size that no file has is refused before it is read. */
START_TEST(digests_outlive_files_that_are_cut_short) {
    enum { BYTES = 48 << 20 };
    g_autofree char *bytes = g_malloc0(BYTES);
    char digest[SHA256_TEXT_BYTES];
    struct ta_problem why;
    for (int i = 0; i < 8; ++i) {
        ck_assert(g_file_set_contents_full(test_path("long.bin"), bytes, BYTES, G_FILE_SET_CONTENTS_NONE, 0666, NULL));
        GThread *saver = g_thread_new("saver", cut_short, test_path("long.bin"));
        ck_assert_int_eq(file_sha256(test_path("long.bin"), NULL, digest, &why), TA_OK);
        g_thread_join(saver);
    }
    ck_assert_int_eq(truncate(test_path("long.bin"), INT64_C(1) << 40), 0);
    ck_assert_int_eq(file_sha256(test_path("long.bin"), NULL, digest, &why), TA_E_INPUT);
    ck_assert_msg(strstr(why.what, "long.bin is larger than 4 GiB") != NULL, "%s", why.what);
}
END_TEST

/* A small program whose compressed debug data say that they are large: nobody unpacks them. */
START_TEST(debug_data_that_would_fill_the_memory_are_refused) {
    enum { COMPRESSED = 0x800, CLAIM = 0x60000000 };
    g_autofree char *bytes = NULL;
    gsize length;
    struct ta_image image;
    struct ta_problem why;
    struct arena *arena = arena_new();
    shell("printf 'int main(void) { return 3; }' | riscv64-unknown-elf-gcc -x c - -g -gz=zlib -march=rv32imac "
          "-mabi=ilp32 -nostdlib "
          "-Wl,-e,main -Wl,-Ttext=0x10000000 -o small.elf");
    ck_assert_int_eq(elf_read(test_path("small.elf"), arena, &image, &why), TA_OK);
    ck_assert(g_file_get_contents(test_path("small.elf"), &bytes, &length, NULL));
    uint8_t *at = (uint8_t *)bytes;
    unsigned claims = 0;
    for (uint64_t i = 0; i < little_load(at + 48, 2); ++i) {
        uint8_t *header = at + little_load(at + 32, 4) + i * little_load(at + 46, 2);
        if (!(little_load(header + 8, 4) & COMPRESSED))
            continue;
        little_store(at + little_load(header + 16, 4) + 4, 4, CLAIM);
        ++claims;
    }
    ck_assert(claims && g_file_set_contents(test_path("small.elf"), bytes, (gssize)length, NULL));
    ck_assert_int_eq(elf_read(test_path("small.elf"), arena, &image, &why), TA_E_INPUT);
    ck_assert_msg(strstr(why.what, "would unpack to more than 512 MiB") != NULL, "%s", why.what);
    arena_free(arena);
}
END_TEST

int main(void) {
    return run_suite("files", (const TTest *const[]){
                                  manifest_problems_name_place_key_and_what_is_allowed, profile_problems_name_their_key,
                                  an_overlay_changes_only_what_it_says, hostile_yaml_is_a_problem_and_no_crash,
                                  a_setup_is_read_back_as_it_was_written, damaged_elf_files_are_refused,
                                  addresses_are_told_by_function_and_line, outputs_take_their_places,
                                  stamps_are_the_same_one_by_one_and_together, folders_are_copied_whole_or_not_at_all,
                                  patterns_match_one_element_at_a_time, digests_outlive_files_that_are_cut_short,
                                  debug_data_that_would_fill_the_memory_are_refused, NULL});
}
