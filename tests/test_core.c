/* The base and core: quantities, versions and ranges, ISA strings, images, what is generated. */
#include "support.h"

#include "base/scale.h"

#include "base/arena.h"
#include "base/scale.h"
#include "base/text.h"
#include "base/units.h"
#include "core/model/isa.h"
#include "core/plan/declarations.h"
#include "core/plan/generate.h"
#include "core/plan/plan.h"

#include <string.h>

/* What a trap touched, on the bundled board. */
START_TEST(traps_are_told_in_words) {
    static const struct {
        uint64_t cause, value;
        const char *words;
    } cases[] = {{5, 0, "0x00000000 is not memory; a null pointer?"},
                 {7, 0x44, "0x00000044 is not memory; a null pointer plus 68?"},
                 {7, 0x400010, "0x00400010 is in flash, which a program cannot write"},
                 {5, 0x10010000, "0x10010000 is 1 byte behind the end of ram"},
                 {7, 0x0ffffff0, "0x0ffffff0 is 16 bytes before ram; a stack that is full?"},
                 {5, 0x4c010005, "0x4c010005 is at gpio0, whose registers have no such access"},
                 {1, 0x20000000, "0x20000000 is not memory"},
                 {5, 0x10000000, "0x10000000 is in ram, which is protected"},
                 {4, 0x10000001, "0x10000001 is not aligned"},
                 {2, 0, "it is 0: memory that nothing was written to?"},
                 {2, 0xffffffff, "it is 0xffffffff: flash that nothing was written to?"},
                 {2, 0x02b57553, "it is 0x2b57553, which rv32imac_zicsr_zifencei has not"},
                 {3, 0, ""}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        const struct ta_event trap = {.kind = TA_EVENT_TRAP, .cause = cases[i].cause, .value = cases[i].value};
        char words[TA_TRAP_TEXT_BYTES];
        ta_trap_explain(dunlin(), &trap, words);
        ck_assert_str_eq(words, cases[i].words);
    }
}
END_TEST

/* Clocks of 10 GHz, whose products need more than 64 bits. */
START_TEST(clocks_are_converted_exactly) {
    ck_assert_uint_eq(scale_floor(UINT64_C(9999999999), 1000000000, UINT64_C(10000000000)), 999999999);
    ck_assert_uint_eq(scale_ceiling(UINT64_C(9999999999), UINT64_C(9999999998), UINT64_C(10000000000)),
                      UINT64_C(9999999998));
    ck_assert_uint_eq(scale_floor(UINT64_C(9999999999), UINT64_C(9999999998), UINT64_C(10000000000)),
                      UINT64_C(9999999997));
    ck_assert_uint_eq(scale_ceiling(1, UINT64_C(10000000000), 1), UINT64_C(10000000000));
    ck_assert_uint_eq(scale_floor(UINT64_MAX, UINT64_C(10000000000), 1), UINT64_MAX);
}
END_TEST

START_TEST(quantities_are_read_as_people_write_them) {
    static const struct {
        const char *text;
        enum unit_kind kind;
        uint64_t value;
    } good[] = {
        {"500 ms", UNIT_TIME_NS, 500000000},
        {"4s", UNIT_TIME_NS, 4000000000},
        {"1.5 us", UNIT_TIME_NS, 1500},
        {"2 min", UNIT_TIME_NS, 120000000000},
        {"256 KiB", UNIT_SIZE_BYTES, 262144},
        {"64", UNIT_SIZE_BYTES, 64},
        {"0x40 B", UNIT_SIZE_BYTES, 64},
        {"32 MHz", UNIT_FREQUENCY_HZ, 32000000},
        {"1.8432 MHz", UNIT_FREQUENCY_HZ, 1843200},
        {"0xFFFFFFFF", UNIT_NONE, 0xffffffff},
        {"18446744073709551615", UNIT_NONE, UINT64_MAX},
    };
    static const struct {
        const char *text;
        enum unit_kind kind;
    } bad[] = {
        {"", UNIT_NONE},
        {"ms", UNIT_TIME_NS},
        {"5", UNIT_TIME_NS},
        {"5 MHz", UNIT_TIME_NS},
        {"0.3 ns", UNIT_TIME_NS},
        {"1.2.3 s", UNIT_TIME_NS},
        {"-1 s", UNIT_TIME_NS},
        {"5 s ", UNIT_TIME_NS},
        {"7 KB", UNIT_SIZE_BYTES},
        {"0x", UNIT_NONE},
        {"12f", UNIT_NONE},
        {".5 s", UNIT_TIME_NS},
        {"18446744073709551616", UNIT_NONE},
        {"99999999999 GiB", UNIT_SIZE_BYTES},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(good); ++i) {
        uint64_t value = 0;
        ck_assert_msg(unit_parse(good[i].text, strlen(good[i].text), good[i].kind, &value), "%s", good[i].text);
        ck_assert_msg(value == good[i].value, "%s gave %llu", good[i].text, (unsigned long long)value);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(bad); ++i) {
        uint64_t value;
        ck_assert_msg(!unit_parse(bad[i].text, strlen(bad[i].text), bad[i].kind, &value), "%s", bad[i].text);
    }
}
END_TEST

START_TEST(quantities_are_shown_in_their_handiest_unit) {
    char text[UNIT_TEXT_BYTES];
    ck_assert_str_eq(unit_format(text, UNIT_SIZE_BYTES, 262144), "256 KiB");
    ck_assert_str_eq(unit_format(text, UNIT_SIZE_BYTES, 10780), "10.5 KiB");
    ck_assert_str_eq(unit_format(text, UNIT_SIZE_BYTES, 0), "0 B");
    ck_assert_str_eq(unit_format(text, UNIT_FREQUENCY_HZ, 32000000), "32 MHz");
    ck_assert_str_eq(unit_format(text, UNIT_TIME_NS, 4012000000), "4.012 s");
    ck_assert_str_eq(unit_format(text, UNIT_TIME_NS, 250000), "0.250 ms");
}
END_TEST

START_TEST(dates_are_read_and_shown) {
    static const struct {
        const char *text, *shown; /* null: no date */
    } cases[] = {
        {"2026-03-01", "2026-03-01 00:00:00 UTC"},
        {"2026-03-01 04:30", "2026-03-01 04:30:00 UTC"},
        {"2026-03-01 23:59:59 UTC", "2026-03-01 23:59:59 UTC"},
        {"2024-02-29 UTC", "2024-02-29 00:00:00 UTC"},
        {"2000-02-29", "2000-02-29 00:00:00 UTC"},
        {"2099-12-31 23:59:59", "2099-12-31 23:59:59 UTC"},
        {"2026-02-29", NULL},
        {"2100-02-29", NULL},
        {"2026-13-01", NULL},
        {"2026-00-01", NULL},
        {"2026-01-00", NULL},
        {"2026-03-01 24:00", NULL},
        {"2026-03-01 04:60", NULL},
        {"2026-03-01 04", NULL},
        {"2026-03-01T04:30", NULL},
        {"2026-03-01 04:30:15:1", NULL},
        {"26-03-01", NULL},
        {"2026-3-1", NULL},
        {"2026-03-01 04:30 CET", NULL},
        {"", NULL},
        {" UTC", NULL},
        {"2026-03-01 04:30:1", NULL},
        {"+026-03-01", NULL},
    };
    const struct ta_quantity *date = ta_quantity_find("date");
    char text[TA_QUANTITY_TEXT_BYTES];
    int64_t milli;
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        bool read = ta_quantity_parse(date, cases[i].text, strlen(cases[i].text), &milli);
        ck_assert_msg(read == (cases[i].shown != NULL), "%s", cases[i].text);
        if (read)
            ck_assert_str_eq(ta_quantity_text(date->unit, milli, text), cases[i].shown);
    }
    /* every day of the range, there and back */
    for (int64_t day = date->minimum; day < date->maximum; day += 86400000) {
        ck_assert(ta_quantity_parse(date, ta_quantity_text("UTC", day, text), strlen(text), &milli));
        ck_assert_int_eq(milli, day);
    }
}
END_TEST

START_TEST(clocks_convert_exactly_and_saturate) {
    ck_assert_uint_eq(scale_floor(32000000, 1000000000, 32000000), 1000000000);
    ck_assert_uint_eq(scale_floor(1, 1000000000, 32000000), 31);
    ck_assert_uint_eq(scale_ceiling(1, 32000000, 1000000000), 1);
    ck_assert_uint_eq(scale_floor(UINT64_MAX, 1000000000, 1000), UINT64_MAX);
    for (uint64_t cycle = 1; cycle < UINT64_C(1) << 60; cycle = cycle * 7 + 3) {
        uint64_t ns = scale_floor(cycle, 1000000000, 32768);
        if (ns != UINT64_MAX)
            ck_assert_uint_le(scale_ceiling(ns, 32768, 1000000000), cycle);
    }
}
END_TEST

START_TEST(names_that_are_near_are_offered) {
    ck_assert_uint_eq(text_distance("lamp", "lamp"), 0);
    ck_assert_uint_eq(text_distance("lmap", "lamp"), 1);
    ck_assert_uint_eq(text_distance("lamp", "lamps"), 1);
    ck_assert_uint_eq(text_distance("", "abc"), 3);
    ck_assert_str_eq(text_nearer("tide-lmap", "tide-lamp", NULL), "tide-lamp");
    ck_assert_str_eq(text_nearer("tide", "tide-lamp", NULL), "tide-lamp");
    ck_assert_ptr_null(text_nearer("gauge", "tide-lamp", NULL));
}
END_TEST

START_TEST(utf8_is_told_from_other_bytes) {
    static const char *const good[] = {"", "tide", "Gezeiten\xc3\xa4", "\xe2\x82\xac", "\xf0\x9f\x8c\x8a"};
    static const char *const bad[] = {"\x80",     "\xc3", "\xc0\xaf", "\xed\xa0\x80", "\xf5\x80\x80\x80",
                                      "\xe2\x82", "\xff"};
    for (size_t i = 0; i < G_N_ELEMENTS(good); ++i)
        ck_assert(text_is_utf8(good[i], strlen(good[i])));
    for (size_t i = 0; i < G_N_ELEMENTS(bad); ++i)
        ck_assert_msg(!text_is_utf8(bad[i], strlen(bad[i])), "%zu", i);
}
END_TEST

START_TEST(arenas_hold_small_and_large) {
    struct arena *arena = arena_new();
    for (size_t size = 1; size < 100000; size *= 3) {
        unsigned char *memory = arena_alloc(arena, size);
        for (size_t i = 0; i < size; ++i)
            ck_assert_uint_eq(memory[i], 0);
        memset(memory, 0xa5, size);
    }
    ck_assert_str_eq(arena_printf(arena, "%s %d", "tide", 4), "tide 4");
    ck_assert_ptr_null(arena_alloc(arena, SIZE_MAX));
    arena_free(arena);
}
END_TEST

/* semver.org, section 11, and its own list of examples. */
START_TEST(versions_have_their_order) {
    static const char *const ascending[] = {"0.9.0",      "1.0.0-alpha",  "1.0.0-alpha.1", "1.0.0-alpha.beta",
                                            "1.0.0-beta", "1.0.0-beta.2", "1.0.0-beta.11", "1.0.0-rc.1",
                                            "1.0.0",      "1.0.1",        "1.2.0",         "1.10.0",
                                            "2.0",        "2.1.0",        "4294967295.0.0"};
    struct ta_version left, right;
    for (size_t i = 0; i < G_N_ELEMENTS(ascending); ++i)
        for (size_t k = 0; k < G_N_ELEMENTS(ascending); ++k) {
            ck_assert_int_eq(ta_version_parse(ascending[i], &left, NULL), TA_OK);
            ck_assert_int_eq(ta_version_parse(ascending[k], &right, NULL), TA_OK);
            int order = ta_version_compare(&left, &right);
            ck_assert_msg(i < k ? order < 0 : i > k ? order > 0 : order == 0, "%s %s", ascending[i], ascending[k]);
        }
    ck_assert_int_eq(ta_version_parse("1.0.0+build.7", &left, NULL), TA_OK);
    ck_assert_int_eq(ta_version_parse("1.0.0", &right, NULL), TA_OK);
    ck_assert_int_eq(ta_version_compare(&left, &right), 0);
}
END_TEST

START_TEST(what_is_no_version_is_refused) {
    static const char *const bad[] = {
        "",       "1",      "1.",     "1.x",     "01.0.0",         "1.02.0",     "1.0.0-", "1.0.0-01",
        "v1.0.0", "1.0.0 ", " 1.0.0", "1.0.0.0", "4294967296.0.0", "1.0.0-a..b", "1.0.0+", "-1.0.0"};
    struct ta_version version;
    struct ta_problem why;
    for (size_t i = 0; i < G_N_ELEMENTS(bad); ++i) {
        ck_assert_msg(ta_version_parse(bad[i], &version, &why) == TA_E_INPUT, "%s", bad[i]);
        ck_assert_str_eq(why.fix, "write for example 2.1.0");
    }
}
END_TEST

START_TEST(ranges_hold_what_they_say) {
    static const struct {
        const char *range, *version;
        bool inside;
    } cases[] = {
        {">=2.0 <3", "2.1.0", true},
        {">=2.0 <3", "3.0.0", false},
        {">=2.0 <3", "1.9.9", false},
        {"2.1", "2.1.0", true},
        {"=2.1.0", "2.1.1", false},
        {"1.4 || >=2.1", "1.4.0", true},
        {"1.4 || >=2.1", "2.0.0", false},
        {"1.4||>=2.1", "2.5.0", true},
        {">1.4", "1.4.0", false},
        {"<=1.4", "1.4.0", true},
        {">= 2.0", "2.0.0", true},
        {">=2.0", "2.1.0-rc.1", false},
        {">=2.1.0-rc.1", "2.1.0-rc.2", true},
        {">=2.1.0-rc.1", "2.2.0-rc.1", false},
        {">=2.1.0-rc.1", "2.2.0", true},
    };
    static const char *const bad[] = {"", " ", ">=2.x", ">=", "2.0,3.0", "||", "2.0 ||", ">=2.0 | <3", "~2", "2.0<3"};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_version version;
        ta_version_parse(cases[i].version, &version, NULL);
        ck_assert_msg(ta_range_contains(cases[i].range, &version) == cases[i].inside, "%s in %s", cases[i].version,
                      cases[i].range);
        ck_assert_int_eq(ta_range_check(cases[i].range, NULL), TA_OK);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(bad); ++i)
        ck_assert_msg(ta_range_check(bad[i], NULL) == TA_E_INPUT, "%s", bad[i]);
}
END_TEST

START_TEST(isa_strings_are_read) {
    struct isa isa;
    struct ta_problem why;
    char march[ISA_TEXT_BYTES];
    ck_assert_int_eq(isa_parse("rv32imac_zicsr_zifencei", &isa, &why), TA_OK);
    ck_assert_uint_eq(isa.xlen, 32);
    ck_assert(isa.extensions & ISA_ZICSR && isa.extensions & ISA_LETTER('c'));
    isa_march(&isa, march);
    ck_assert_str_eq(march, "rv32imac");
    ck_assert_str_eq(isa_mabi(&isa), "ilp32");
    ck_assert_int_eq(isa_parse("rv64gc", &isa, &why), TA_OK);
    isa_march(&isa, march);
    ck_assert_str_eq(march, "rv64imafdc");
    ck_assert_str_eq(isa_mabi(&isa), "lp64d");
    static const char *const bad[] = {"", "rv33i", "rv32", "rv32mi", "rv32iam", "rv32i_zfoo", "rv32i_", "arm"};
    for (size_t i = 0; i < G_N_ELEMENTS(bad); ++i)
        ck_assert_msg(isa_parse(bad[i], &isa, &why) == TA_E_INPUT, "%s", bad[i]);
}
END_TEST

START_TEST(profiles_are_checked) {
    struct ta_memory memories[] = {{"flash", TA_MEMORY_FLASH, 0x1000, 0x1000}, {"ram", TA_MEMORY_RAM, 0x8000, 0x1000}};
    struct ta_device device = {.name = "gpio0", .model = "gpio", .base = 0x10000};
    struct ta_connector lamps = {.name = "lamps", .kind = TA_CONNECTOR_LAMPS, .device = "gpio0", .count = 8};
    struct ta_profile good = {.struct_version = TA_PROFILE_VERSION,
                              .name = "test",
                              .isa = "rv32i_zicsr",
                              .clock_hz = 1000000,
                              .reset_address = 0x1000,
                              .memories = memories,
                              .memory_count = 2,
                              .devices = &device,
                              .device_count = 1,
                              .connectors = &lamps,
                              .connector_count = 1};
    struct ta_problem why;
    ck_assert_int_eq(ta_profile_check(&good, &why), TA_OK);

    struct ta_profile bad = good;
    bad.clock_hz = 10;
    ck_assert_int_eq(ta_profile_check(&bad, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "clock:"));
    bad = good;
    bad.reset_address = 0x4000;
    ck_assert_int_eq(ta_profile_check(&bad, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "reset: no memory"));
    memories[1].base = 0x1800;
    ck_assert_int_eq(ta_profile_check(&good, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "memory.ram: it overlaps memory.flash"));
    memories[1].base = 0xfffff800;
    ck_assert_int_eq(ta_profile_check(&good, &why), TA_E_INPUT);
    memories[1].base = 0x8000;
    lamps.device = "gpio1";
    ck_assert_int_eq(ta_profile_check(&good, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "connectors.lamps: there is no device \"gpio1\""));
    lamps.device = "gpio0";
    lamps.pin = 60;
    ck_assert_int_eq(ta_profile_check(&good, &why), TA_E_INPUT);
}
END_TEST

START_TEST(identities_are_found_in_memory) {
    struct ta_identity identity, found;
    struct text source = {0};
    for (unsigned i = 0; i < TA_IDENTITY_BYTES; ++i)
        identity.bytes[i] = (uint8_t)(i * 7);
    generate_identity_note(&identity, "project tide-lamp 1.0.0\n", &source);
    size_t length;
    ck_assert(ta_identity_find((const uint8_t *)source.bytes, source.length, &found, NULL));
    ck_assert_mem_eq(found.bytes, identity.bytes, TA_IDENTITY_BYTES);
    const char *about = ta_about_find((const uint8_t *)source.bytes, source.length, &length);
    ck_assert(about && length == strlen("project tide-lamp 1.0.0\n") && !memcmp(about, "project tide", 12));
    ck_assert_uint_eq(source.length % 4, 0);
    text_free(&source);

    uint8_t memory[256] = {0};
    const uint8_t head[] = {11, 0, 0, 0, 32, 0, 0, 0, 1, 0, 0, 0};
    memcpy(memory + 100, head, sizeof head);
    memcpy(memory + 112, "TameAnchor", 11);
    memcpy(memory + 124, identity.bytes, TA_IDENTITY_BYTES);
    ck_assert(ta_identity_find(memory, sizeof memory, &found, NULL));
    ck_assert_mem_eq(found.bytes, identity.bytes, TA_IDENTITY_BYTES);
    ck_assert(!ta_identity_find(memory, 155, &found, NULL)); /* cut off by one byte */
    memory[112] = 't';
    ck_assert(!ta_identity_find(memory, sizeof memory, &found, NULL));
    char text[TA_IDENTITY_SHORT];
    ta_identity_text(&identity, text, sizeof text);
    ck_assert_str_eq(text, "00070e15");
}
END_TEST

START_TEST(images_tell_what_they_take_and_whether_they_fit) {
    struct ta_segment segments[] = {
        {.address = 0x400000, .size_bytes = 100, .run_address = 0x400000, .memory_bytes = 100},
        {.address = 0x400064, .size_bytes = 20, .run_address = 0x10000000, .memory_bytes = 50}};
    struct ta_symbol symbols[] = {
        {"start", 0x400000, 16, true}, {"main", 0x400010, 32, true}, {"end", 0x400060, 0, false}};
    struct ta_image image = {
        .path = "x.elf", .xlen = 32, .segments = segments, .segment_count = 2, .symbols = symbols, .symbol_count = 3};
    struct ta_problem why;
    image.entry = 0x400000;
    ck_assert_uint_eq(ta_image_usage(&image, &dunlin()->memories[0]), 120);
    ck_assert_uint_eq(ta_image_usage(&image, &dunlin()->memories[1]), 50);
    ck_assert_int_eq(ta_image_fits(&image, dunlin(), NULL, &why), TA_OK);
    ck_assert_str_eq(ta_image_symbol_at(&image, 0x40002f)->name, "main");
    ck_assert_str_eq(ta_image_symbol_at(&image, 0x400030)->name, "main"); /* the nearest before */
    ck_assert_str_eq(ta_image_symbol_at(&image, 0x400063)->name, "end");
    ck_assert_ptr_null(ta_image_symbol_at(&image, 0x400070));
    ck_assert_ptr_null(ta_image_symbol_at(&image, 0x10000004)); /* RAM is not what the flash's symbols name */
    ck_assert_uint_eq(ta_image_symbol(&image, "main")->size_bytes, 32);
    image.entry = 0x300000;
    ck_assert_int_eq(ta_image_fits(&image, dunlin(), NULL, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "starts at 0x300000, where dunlin has no memory"));
    segments[1].memory_bytes = 65537; /* what it takes of RAM, too */
    ck_assert_int_eq(ta_image_fits(&image, dunlin(), NULL, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "0x10000000 to 0x10010000"));
    segments[0].address = 0x43fff0;
    ck_assert_int_eq(ta_image_fits(&image, dunlin(), NULL, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "0x43fff0"));
    ck_assert_int_eq(ta_image_fits(&image, dunlin(), "keeper", &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "dunlin has no harts keeper"));
    image.xlen = 64;
    ck_assert_int_eq(ta_image_fits(&image, dunlin(), NULL, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "RV64"));
}
END_TEST

START_TEST(what_is_generated_is_deterministic_and_complete) {
    struct text first = {0}, second = {0}, header = {0};
    const struct board_options options = {.console_baud = 9600};
    struct image_place place;
    ck_assert_int_eq(image_place_find(dunlin(), NULL, &place, NULL), TA_OK);
    generate_linker_script(dunlin(), &place, &options, 1, &first);
    generate_linker_script(dunlin(), &place, &options, 1, &second);
    ck_assert_str_eq(first.bytes, second.bytes);
    ck_assert_ptr_nonnull(strstr(first.bytes, "ORIGIN = 0x400000, LENGTH = 0x40000"));
    generate_board_header(dunlin(), &place.group, &options, &header);
    static const char *const lines[] = {
        "#define BOARD_CLOCK_HZ 32000000u\n",       "#define BOARD_UART0_BASE 0x4c000000u\n",
        "#define BOARD_ACLINT_CLOCK_HZ 1000000u\n", "#define BOARD_LAMPS_COUNT 8u\n",
        "#define BOARD_BUTTON_A_PIN 8u\n",          "#define BOARD_BUTTON_A_ACTIVE_LOW 1u\n",
        "#define BOARD_BUTTON_A_INTERRUPT 2u\n"};
    for (size_t i = 0; i < G_N_ELEMENTS(lines); ++i)
        ck_assert_msg(strstr(header.bytes, lines[i]) != NULL, "%s", lines[i]);
    text_free(&first);
    text_free(&second);
    text_free(&header);
}
END_TEST

START_TEST(components_come_with_what_they_need) {
    struct need core = {"core", "*"}, lamps = {"lamps", "*"}, ghost = {"ghost", "*"}, loop = {"loop", "*"};
    struct component parts[] = {{.name = "ring", .version = "2.1.0", .needs = {&lamps, 1}},
                                {.name = "lamps", .version = "2.1.0", .needs = {&core, 1}},
                                {.name = "core", .version = "2.1.0"},
                                {.name = "broken", .version = "2.1.0", .needs = {&ghost, 1}},
                                {.name = "loop", .version = "2.1.0", .needs = {&loop, 1}}};
    struct sdk sdk = {.sdk = "strand", .version = "2.1.0", .components = parts, .component_count = 5};
    const struct component **list;
    struct arena *arena = arena_new();
    struct ta_problem why;
    size_t count;
    struct pin wanted[] = {{"ring", "2.1.0"}, {"core", "2.1.0"}};
    ck_assert_int_eq(plan_components(arena, &sdk, &(struct pins){wanted, 2}, &list, &count, &why), TA_OK);
    ck_assert_uint_eq(count, 3);
    ck_assert_str_eq(list[0]->name, "core");
    ck_assert_str_eq(list[1]->name, "lamps");
    ck_assert_str_eq(list[2]->name, "ring");
    wanted[0] = (struct pin){"broken", "2.1.0"};
    ck_assert_int_eq(plan_components(arena, &sdk, &(struct pins){wanted, 1}, &list, &count, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "no component \"ghost\""));
    wanted[0] = (struct pin){"loop", "2.1.0"}; /* which needs itself */
    ck_assert_int_eq(plan_components(arena, &sdk, &(struct pins){wanted, 1}, &list, &count, &why), TA_OK);
    ck_assert_uint_eq(count, 1);
    wanted[0] = (struct pin){"lamps", "3.0.0"};
    ck_assert_int_eq(plan_components(arena, &sdk, &(struct pins){wanted, 1}, &list, &count, &why), TA_E_INPUT);
    ck_assert_ptr_nonnull(strstr(why.what, "strand 2.1.0 has lamps 2.1.0, and the setup says 3.0.0"));
    arena_free(arena);
}
END_TEST

START_TEST(every_status_has_a_text_and_an_exit_code) {
    ck_assert_int_eq(ta_status_exit_code(TA_OK), 0);
    ck_assert_int_eq(ta_status_exit_code(TA_E_NO), 1);
    ck_assert_int_eq(ta_status_exit_code(TA_E_USAGE), 2);
    ck_assert_int_eq(ta_status_exit_code(TA_E_SYSTEM), 3);
    ck_assert_int_eq(ta_status_exit_code((enum ta_status)99), 3);
    ck_assert_str_eq(ta_trap_text(5), "load access fault");
    ck_assert_str_eq(ta_trap_text(10), "unknown cause");
    struct ta_problem why;
    ta_problem_set(&why, TA_E_INPUT, NULL, "%0*d", 3000, 1);
    ck_assert_uint_eq(strlen(why.what), sizeof why.what - 1);
}
END_TEST

static void say(void *with, enum ta_action action, const char *argument, char *buffer, size_t size) {
    ++*(int *)with;
    g_snprintf(buffer, (gulong)size, "<%d:%s>", (int)action, argument);
}

/* Actions are put into words; whatever else stands in braces, and braces that a hostile name brings along, stay. */
START_TEST(advice_is_put_into_words) {
    static const struct {
        const char *advice, *text;
        int actions;
    } cases[] = {
        {"", "", 0},
        {"check the path", "check the path", 0},
        {"{import a}", "<0:a>", 1},
        {"{configure}, or {import x y}, then wait", "<1:>, or <0:x y>, then wait", 2},
        {"{configured}", "{configured}", 0},
        {"{", "{", 0},
        {"{configure", "{configure", 0},
        {"{}{configure}}", "{}<1:>}", 1},
        {"{import a}b}", "<0:a>b}", 1},
        {"{import {configure}", "<0:{configure>", 1},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        char buffer[64];
        int actions = 0;
        ck_assert_str_eq(ta_advice_text(cases[i].advice, say, &actions, buffer, sizeof buffer), cases[i].text);
        ck_assert_int_eq(actions, cases[i].actions);
        char small[4] = "abc";
        ta_advice_text(cases[i].advice, say, &actions, small, sizeof small);
        ck_assert_uint_le(strlen(small), 3);
    }
}
END_TEST

/* What commands a terminal is shown as text; what people write stays. */
START_TEST(foreign_text_is_shown_and_does_nothing) {
    static const struct {
        const char *text, *line, *lines;
    } cases[] = {
        {"tide 3.1 m", "tide 3.1 m", NULL},
        {"\033[2J", "\\x1b[2J", NULL},
        {"a\tb\nc\r\nd", "a\\x09b\\x0ac\\x0d\\x0ad", "a\tb\nc\r\nd"},
        {"a\rb", "a\\x0db", NULL},
        {"\b\007\177", "\\x08\\x07\\x7f", NULL},
        {"\302\233x\302\205", "\\u009bx\\u0085", NULL},
        {"\342\200\256\342\201\246\342\201\251\342\200\217", "\\u202e\\u2066\\u2069\\u200f", NULL},
        {"\330\234\342\200\250\357\273\277", "\\u061c\\u2028\\ufeff", NULL},
        {"Gezeit \303\274ber \360\237\214\212 \346\275\256", "Gezeit \303\274ber \360\237\214\212 \346\275\256", NULL},
        {"\300\200\355\240\200\377", "\\xc0\\x80\\xed\\xa0\\x80\\xff", NULL},
        {"cut \342\200", "cut \\xe2\\x80", NULL},
    };
    for (size_t i = 0; i < sizeof cases / sizeof *cases; ++i) {
        struct text line = {0}, lines = {0}, pieces = {0};
        size_t length = strlen(cases[i].text), taken = 0;
        ck_assert_uint_eq(text_add_shown(&line, cases[i].text, length, false, true), length);
        ck_assert_str_eq(line.bytes, cases[i].line);
        text_add_shown(&lines, cases[i].text, length, true, true);
        ck_assert_str_eq(lines.bytes, cases[i].lines ? cases[i].lines : cases[i].line);
        for (size_t end = 1; end <= length; ++end) /* as it comes, byte by byte */
            taken += text_add_shown(&pieces, cases[i].text + taken, end - taken, true, end == length);
        ck_assert_str_eq(pieces.bytes, lines.bytes);
        text_free(&line);
        text_free(&lines);
        text_free(&pieces);
    }
}
END_TEST

/* Headers are somebody else's text: any bytes give declarations, or none. */
START_TEST(damaged_headers_never_crash_their_reader) {
    static const char good[] =
        "/* About. */\n#ifndef A_H\n#define A(x) \\\n  (x)\n// One.\n// Two.\nint one(int (*f)(void));\n"
        "extern \"C\" {\nstruct s { int a; };\n/** Three. */\nstatic inline int three(void) { "
        "return 3; }\nvoid four(void) __attribute__((noreturn));\n}\n#endif\n";
    GRand *random = g_rand_new_with_seed(11);
    struct arena *arena = arena_new();
    struct header header;
    header_read(good, sizeof good - 1, arena, &header);
    ck_assert_uint_eq(header.function_count, 3);
    ck_assert_str_eq(header.about, "About.");
    ck_assert_str_eq(header.functions[0].name, "one");
    ck_assert_str_eq(header.functions[0].comment, "One. Two.");
    ck_assert_str_eq(header.functions[1].declaration, "static inline int three(void)");
    ck_assert_str_eq(comment_brief("First e.g. this. Second.", arena), "First e.g. this");
    for (int round = 0; round < 20000; ++round) {
        size_t length = (size_t)g_rand_int_range(random, 0, sizeof good);
        char *text = g_malloc(length + 1); /* its own block, so that reading past the end is seen */
        memcpy(text, good, length);
        text[length] = '\0';
        for (int i = g_rand_int_range(random, 0, 5); i > 0 && length; --i)
            text[g_rand_int_range(random, 0, (gint32)length)] = (char)g_rand_int_range(random, 0, 256);
        header_read(text, strlen(text), arena, &header);
        for (size_t i = 0; i < header.function_count; ++i)
            ck_assert(*header.functions[i].name && header.functions[i].comment);
        g_free(text);
    }
    arena_free(arena);
    g_rand_free(random);
}
END_TEST

/* Groups of harts: what contradicts itself is told by its key. */
START_TEST(hart_groups_are_checked) {
    static const struct {
        struct ta_hart_group group;
        const char *what;
    } cases[] = {
        {{.name = "keeper"}, NULL},
        {{.name = "workers", .count = 2, .isa = "rv64imac_zicsr", .clock_hz = 450000000, .reset_address = 0x10000000},
         NULL},
        {{.name = "Workers"}, "harts: \"Workers\" is not a name"},
        {{.name = "w", .count = 9}, "harts: 9 harts are too many"},
        {{.name = "w", .isa = "rv33i"}, "rv33i"},
        {{.name = "w", .clock_hz = 5}, "harts.w.clock: it is out of range"},
        {{.name = "w", .reset_address = 0x5000}, "harts.w.reset: no memory at 0x5000"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        struct ta_profile profile = *dunlin();
        struct ta_problem why = {0};
        profile.hart_groups = &cases[i].group;
        profile.hart_group_count = 1;
        enum ta_status status = ta_profile_check(&profile, &why);
        ck_assert_msg(!status == !cases[i].what && (!status || strstr(why.what, cases[i].what)), "%zu: %s", i,
                      why.what);
    }
    struct ta_profile one = *dunlin();
    ck_assert_uint_eq(ta_profile_harts(&one), 1);
}
END_TEST

/* Colours as gcc and clang write them, and what the text of a source may try to pass for one. */
START_TEST(only_the_colours_of_compilers_pass) {
    static const struct {
        const char *text;
        size_t length;
    } cases[] = {{"\033[01;31m\033[Kerror", 11},
                 {"\033[m\033[K", 6},
                 {"\033[0;1;32m", 9},
                 {"\033[0m", 4},
                 {"\033[K", 0},
                 {"\033[8m", 0},
                 {"\033[5m", 0},
                 {"\033[1;8m", 0},
                 {"\033[30m", 0},
                 {"\033[41m", 0},
                 {"\033[38;5;1m", 0},
                 {"\033[2J", 0},
                 {"\033[1;31", 0},
                 {"\033", 0},
                 {"\033]0;x\007", 0},
                 {"\033[100000000000000000031m", 0},
                 {"\033[31;m", 6},
                 {"red", 0},
                 {"", 0}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i)
        ck_assert_msg(text_colour(cases[i].text) == cases[i].length, "%zu: %zu", i, text_colour(cases[i].text));
}
END_TEST

/* Blank flash takes this computer's memory, so that all of it together has a limit; RAM does not. */
START_TEST(all_flash_together_has_a_limit) {
    const struct ta_memory four[] = {{"a", TA_MEMORY_FLASH, 0, 1 << 28},
                                     {"b", TA_MEMORY_FLASH, 1 << 28, 1 << 29},
                                     {"c", TA_MEMORY_FLASH, UINT64_C(3) << 28, 1 << 28},
                                     {"d", TA_MEMORY_FLASH, UINT64_C(1) << 30, 4096},
                                     {"ram", TA_MEMORY_RAM, UINT64_C(1) << 31, 1 << 30}};
    struct ta_profile profile = *dunlin();
    struct ta_problem why;
    profile.memories = four;
    profile.memory_count = 5;
    ck_assert_int_eq(ta_profile_check(&profile, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "memory.d: all flash together is larger than 1 GiB");
}
END_TEST

int main(void) {
    return run_suite("core", (const TTest *const[]){foreign_text_is_shown_and_does_nothing,
                                                    damaged_headers_never_crash_their_reader,
                                                    hart_groups_are_checked,
                                                    quantities_are_read_as_people_write_them,
                                                    quantities_are_shown_in_their_handiest_unit,
                                                    dates_are_read_and_shown,
                                                    clocks_convert_exactly_and_saturate,
                                                    names_that_are_near_are_offered,
                                                    utf8_is_told_from_other_bytes,
                                                    arenas_hold_small_and_large,
                                                    versions_have_their_order,
                                                    what_is_no_version_is_refused,
                                                    ranges_hold_what_they_say,
                                                    isa_strings_are_read,
                                                    profiles_are_checked,
                                                    identities_are_found_in_memory,
                                                    images_tell_what_they_take_and_whether_they_fit,
                                                    what_is_generated_is_deterministic_and_complete,
                                                    components_come_with_what_they_need,
                                                    every_status_has_a_text_and_an_exit_code,
                                                    advice_is_put_into_words,
                                                    clocks_are_converted_exactly,
                                                    traps_are_told_in_words,
                                                    only_the_colours_of_compilers_pass,
                                                    all_flash_together_has_a_limit,
                                                    NULL});
}
