/* Builds: the parts that compute alone, then the tool on whole projects. */
#include "support.h"

#include "base/arena.h"
#include "core/build/dependencies.h"
#include "core/build/forms.h"
#include "core/build/graph.h"
#include "core/build/messages.h"

#include <glib/gstdio.h>
#include <signal.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

/* The graph. */

#define TEXTS(...)                                                                                                     \
    { (const char *[]){__VA_ARGS__}, sizeof((const char *[]){__VA_ARGS__}) / sizeof(char *) }

START_TEST(actions_need_those_that_make_what_they_read) {
    struct arena *arena = arena_new();
    const struct texts ready = TEXTS("board.h");
    struct action actions[] = {
        {.kind = ACTION_GENERATE, .name = "board.h", .outputs = TEXTS("board.h")},
        {.kind = ACTION_COMPILE, .name = "a.c", .inputs = TEXTS("a.c"), .outputs = TEXTS("a.o"), .ready = &ready},
        {.kind = ACTION_COMPILE, .name = "b.c", .inputs = TEXTS("b.c"), .outputs = TEXTS("b.o"), .ready = &ready},
        {.kind = ACTION_LINK,
         .name = "x.elf",
         .inputs = TEXTS("a.o", "b.o", "libc.a"),
         .outputs = TEXTS("x.elf", "x.map")},
        {.kind = ACTION_CONVERT, .name = "x.bin", .inputs = TEXTS("x.elf"), .outputs = TEXTS("x.bin")},
    };
    struct plan plan = {.actions = actions, .count = G_N_ELEMENTS(actions)};
    struct ta_problem why;
    ck_assert_int_eq(plan_connect(arena, &plan, &why), TA_OK);
    ck_assert_uint_eq(actions[0].need_count, 0);
    ck_assert_uint_eq(actions[1].need_count, 1);
    ck_assert_uint_eq(actions[3].need_count, 2);
    ck_assert_uint_eq(actions[3].needs[1], 2);
    ck_assert_uint_eq(actions[4].needs[0], 3);
    const double seconds[] = {1, 2, 8, 4, 1};
    double weights[5];
    plan_weigh(&plan, seconds, weights);
    ck_assert_double_eq(weights[4], 1);
    ck_assert_double_eq(weights[3], 5);
    ck_assert_double_eq(weights[2], 13); /* the longest way to the end begins with b.c */
    ck_assert_double_eq(weights[1], 7);
    ck_assert_double_eq(weights[0], 14);
    actions[2].outputs = actions[1].outputs;
    ck_assert_int_eq(plan_connect(arena, &plan, &why), TA_E_INPUT);
    ck_assert_str_eq(why.what, "a.c and b.c would make one file, a.o");
    arena_free(arena);
}
END_TEST

/* What compilers write. */

static void collect(void *with, const char *name) {
    g_string_append_printf(with, "[%s]", name);
}

static void collect_hidden(void *with, const char *name, bool looked_for) {
    g_string_append_printf(with, "%c%s;", looked_for ? '?' : '=', name);
}

START_TEST(rules_of_compilers_are_read) {
    static const struct {
        const char *rule, *names;
    } cases[] = {
        {"object: a.c b.h \\\n  c.h\n", "[a.c][b.h][c.h]"},
        {"object: with\\ blank.c x\\#y.h a$$b.h\n", "[with blank.c][x#y.h][a$b.h]"},
        {"object: two\\\\\\ slashes.c end\\\\ next", "[two\\ slashes.c][end\\][next]"},
        {"object:", ""},
        {"object: a\\", "[a\\]"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        g_autoptr(GString) names = g_string_new(NULL);
        size_t length = strlen(cases[i].rule);
        g_autofree char *buffer = g_malloc(length + 1), *exact = g_memdup2(cases[i].rule, length);
        ck_assert(dependencies_read(exact, length, buffer, collect, names));
        ck_assert_str_eq(names->str, cases[i].names);
    }
    char buffer[64];
    ck_assert(!dependencies_read("other: a.c", 10, buffer, collect, NULL));
    ck_assert(!dependencies_read("obj", 3, buffer, collect, NULL));
    static const char source[] =
        "x: .incbin \"a b.dat\"\n  .include \"more.s\"\n#if __has_include(<tide.h>)\n"
        "asm(\".incbin \\\"sound.raw\\\"\"); .incbin noquote\n .included __has_include(NAME) .incbin \"open";
    g_autoptr(GString) hidden = g_string_new(NULL);
    g_autofree char *room = g_malloc(sizeof source);
    dependencies_scan(source, sizeof source - 1, room, collect_hidden, hidden);
    ck_assert_str_eq(hidden->str, "=a b.dat;=more.s;?tide.h;=sound.raw;");
}
END_TEST

START_TEST(messages_are_taken_apart) {
    static const char said[] =
        "In file included from src/main.c:3:\n"
        "src/main.c: In function 'main':\n"
        "\033[01m\033[Ksrc/main.c:12:5:\033[m\033[K \033[01;35m\033[Kwarning: \033[m\033[Kunused variable 'x' "
        "[\033[01;35m\033[K-Wunused-variable\033[m\033[K]\n"
        "   12 |     int x; /* error: not one */\n"
        "src/with blank.c:7:1: fatal error: no.h: No such file or directory\n"
        "src/a.S:4: Error: unrecognized opcode `fly a0'\n"
        "/usr/bin/ld: out/main.o: in function `main':\n"
        "src/main.c:9: undefined reference to `sails'\n"
        "ld.lld: error: undefined symbol: sails\n"
        ">>> referenced by main.c:9\n"
        "src/b.c:1:2: note: declared here\n"
        "collect2: error: ld returned 1 exit status\n"
        ": error: nobody\nx: error: ";
    static const struct message expected[] = {
        {"src/main.c", 12, 5, SEVERITY_WARNING, "unused variable 'x'", "-Wunused-variable"},
        {"src/with blank.c", 7, 1, SEVERITY_ERROR, "no.h: No such file or directory", NULL},
        {"src/a.S", 4, 0, SEVERITY_ERROR, "unrecognized opcode `fly a0'", NULL},
        {"src/main.c", 9, 0, SEVERITY_ERROR, "undefined reference to `sails'", NULL},
        {"ld.lld", 0, 0, SEVERITY_ERROR, "undefined symbol: sails", NULL},
        {"src/b.c", 1, 2, SEVERITY_NOTE, "declared here", NULL},
        {"collect2", 0, 0, SEVERITY_ERROR, "ld returned 1 exit status", NULL},
    };
    struct arena *arena = arena_new();
    size_t count;
    struct message *found = messages_read(arena, said, &count);
    ck_assert_uint_eq(count, G_N_ELEMENTS(expected));
    for (size_t i = 0; i < count; ++i) {
        ck_assert_str_eq(found[i].file, expected[i].file);
        ck_assert_uint_eq(found[i].line, expected[i].line);
        ck_assert_uint_eq(found[i].column, expected[i].column);
        ck_assert_int_eq((int)found[i].severity, (int)expected[i].severity);
        ck_assert_str_eq(found[i].text, expected[i].text);
        ck_assert_pstr_eq(found[i].option, expected[i].option);
    }
    ck_assert_ptr_nonnull(messages_read(arena, "", &count));
    ck_assert_uint_eq(count, 0);
    arena_free(arena);
}
END_TEST

/* Forms of an image. */

static const uint8_t low_bytes[] = {0x13, 0x05, 0xa0, 0x00, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17};
static const uint8_t high_bytes[] = {0xfe};
static const struct ta_segment two_segments[] = {
    {.address = 0x2000fff8, .bytes = high_bytes, .size_bytes = 1, .run_address = 0x2000fff8, .memory_bytes = 1},
    {.address = 0x1000fff8,
     .bytes = low_bytes,
     .size_bytes = sizeof low_bytes,
     .run_address = 0x1000fff8,
     .memory_bytes = 64}};
static const struct ta_image two_image = {
    .path = "two", .xlen = 32, .entry = 0x1000fff8, .segments = two_segments, .segment_count = 2};

typedef enum ta_status writer(const struct ta_image *, struct text *, struct ta_problem *);
typedef enum ta_status reader(const char *, size_t, const char *, struct arena *, struct ta_image *, bool *,
                              struct ta_problem *);

START_TEST(forms_come_back_as_they_went) {
    static const struct {
        writer *write;
        reader *read;
        const char *first, *last;
    } forms[] = {{hex_write, hex_read, ":020000041000EA\n:08FFF8001305A000010203043F\n", ":00000001FF\n"},
                 {srec_write, srec_read, "S0030000FC\nS3151000FFF81305A000", "S7051000FFF8F3\n"}};
    for (size_t i = 0; i < G_N_ELEMENTS(forms); ++i) {
        struct arena *arena = arena_new();
        struct text text = {0};
        struct ta_image back = {0};
        struct ta_problem why = {0};
        bool starts;
        ck_assert_int_eq(forms[i].write(&two_image, &text, &why), TA_OK);
        ck_assert_msg(g_str_has_prefix(text.bytes, forms[i].first) && g_str_has_suffix(text.bytes, forms[i].last), "%s",
                      text.bytes);
        ck_assert_msg(forms[i].read(text.bytes, text.length, "two", arena, &back, &starts, &why) == TA_OK, "%s",
                      why.what);
        ck_assert(starts && back.entry == two_image.entry && back.segment_count == 2);
        ck_assert_uint_eq(back.segments[0].address, 0x1000fff8);
        ck_assert_uint_eq(back.segments[0].size_bytes, sizeof low_bytes);
        ck_assert_mem_eq(back.segments[0].bytes, low_bytes, sizeof low_bytes);
        ck_assert_uint_eq(back.segments[1].bytes[0], 0xfe);
        /* Every letter of it counts, and every one that is missing at its end. */
        for (size_t at = 0; at + 1 < text.length; ++at) {
            g_autofree char *damaged = g_memdup2(text.bytes, text.length);
            damaged[at] = damaged[at] == '7' ? '8' : '7';
            bool same = damaged[at] == text.bytes[at];
            ck_assert(same || forms[i].read(damaged, text.length, "two", arena, &back, &starts, &why) == TA_E_INPUT);
            ck_assert(forms[i].read(damaged, at, "two", arena, &back, &starts, &why) == TA_E_INPUT);
        }
        text_free(&text);
        arena_free(arena);
    }
    const struct ta_segment far = {.address = UINT64_C(0x100000000), .bytes = high_bytes, .size_bytes = 1};
    const struct ta_image image = {.segments = &far, .segment_count = 1};
    struct text text = {0};
    ck_assert_int_eq(hex_write(&image, &text, NULL), TA_E_INPUT);
    ck_assert_int_eq(srec_write(&image, &text, NULL), TA_E_INPUT);
    text_free(&text);
}
END_TEST

int main(void) {
    return run_suite("build",
                     (const TTest *const[]){actions_need_those_that_make_what_they_read, rules_of_compilers_are_read,
                                            messages_are_taken_apart, forms_come_back_as_they_went, NULL});
}
