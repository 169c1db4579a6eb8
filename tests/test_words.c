/* What the tool says of itself: help, the nearest word, manual pages, completion in real shells, JSON and its schema. */
#include "support.h"

#include "cli/commands.h"

#include <jansson.h>

/* Help. */

START_TEST(every_command_and_action_has_help) {
    struct ran ran = tanchor(test_folder, "help");
    expect_done(ran);
    for (const struct command *command = all_commands; command->name; ++command) {
        if (command->hidden)
            continue;
        expect_row(ran, command->name, command->summary);
        struct ran whole = tanchor(test_folder, "help", command->name);
        expect_done(whole);
        ck_assert_str_eq(whole.out, tanchor(test_folder, command->name, "--help").out);
        for (const struct action *action = command->actions; action->run; ++action) {
            if (action->name)
                expect_row(whole, action->name, action->arguments);
            struct ran own = action->name ? tanchor(test_folder, command->name, action->name, "-h") : whole;
            expect_done(own);
            ck_assert_msg(action->examples[0] && action->examples[1], "%s %s has no two examples", command->name,
                          action->name);
            for (const struct option *option = all_options; action->name && option->name; ++option)
                if (words_hold(action->options, option->name))
                    expect_shown(own, option->name);
            for (size_t i = 0; action->name && i < 2; ++i)
                expect_row(own, "tanchor", action->examples[i]);
        }
    }
    /* Help is given whatever else is said. */
    ran = tanchor(test_folder, "-C", "nowhere", "bench", "add", "x", "--profil", "--help");
    expect_done(ran);
    expect_shown(ran, "Usage: tanchor bench add");
    ran = tanchor(test_folder, "help", "bench", "ad");
    expect_refusal(ran, 2, "bench has no action \"ad\"; did you mean add?");
}
END_TEST

/* Every option of the table belongs to some action, and every action's options are in the table. */
START_TEST(the_table_is_whole) {
    for (const struct command *command = all_commands; command->name; ++command)
        for (const struct action *action = command->actions; action->run; ++action) {
            g_auto(GStrv) names = g_strsplit(action->options ? action->options : "", " ", -1);
            for (char **name = names; *name; ++name)
                ck_assert_msg(!**name || option_find(*name), "%s: there is no option %s", command->name, *name);
            ck_assert_msg(!strchr(action->summary, '.') && g_ascii_islower(*action->summary), "%s", action->summary);
        }
    for (const struct option *option = all_options + COMMON_OPTIONS; option->name; ++option) {
        bool taken = false;
        for (const struct command *command = all_commands; command->name; ++command)
            for (const struct action *action = command->actions; action->run; ++action)
                taken = taken || words_hold(action->options, option->name);
        ck_assert_msg(taken, "nobody takes --%s", option->name);
    }
}
END_TEST

START_TEST(slips_get_the_nearest_word) {
    static const struct {
        const char *words[4], *what, *meant;
    } cases[] = {
        {{"bulid"}, "there is no command \"bulid\"", "did you mean tanchor build?"},
        {{"verfy", "--watch"}, "there is no command \"verfy\"", "did you mean tanchor verify?"},
        {{"bench", "swtich", "x"}, "bench has no action \"swtich\"", "did you mean tanchor bench switch?"},
        {{"bench", "polish"},
         "bench has no action \"polish\"",
         "its actions are: list add show switch card-in card-out factory remove"},
        {{"catalog", "shwo"}, "nothing in the catalog matches", "did you mean tanchor catalog show?"},
        {{"run", "--pase=full"}, "there is no option --pase here", "did you mean --pace?"},
        {{"build", "--optimise", "speed"}, "there is no option --optimise here", "tanchor build --help lists them"},
        {{"run", "--wach"}, "there is no option --wach here", "did you mean --watch?"}, /* the nearest, not the last */
        {{"--jsn"}, "there is no option --jsn here", "did you mean --json?"},
        {{"catalog", "places", "--key=x"}, "catalog places takes no --key", "tanchor catalog places --help"},
        {{"bench", "add"}, "bench add needs NAME", "tanchor bench add NAME"},
        {{"ready", "now"}, "ready takes no \"now\"", "tanchor ready"},
        {{"build", "-x"}, "there is no option -x here", "tanchor build --help lists them"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        const char *const *words = cases[i].words;
        const char *arguments[] = {TANCHOR, words[0], words[1], words[2], NULL};
        struct ran ran = run_program(test_folder, NULL, arguments);
        expect_refusal(ran, i == 4 ? 1 : 2, cases[i].what, cases[i].meant);
    }
}
END_TEST

/* Pages of docs/ that say what the tool says. */
START_TEST(the_reference_is_the_tool_s_own) {
    struct ran ran = tanchor(test_folder, "help", "--markdown");
    expect_done(ran);
    ck_assert_msg(!strcmp(ran.out, read_text(DOCS "/commands.md")),
                  "docs/commands.md is older: tanchor help --markdown > docs/commands.md");
    /* The depot's page names exactly the options that it has. */
    const char *page = read_text(DOCS "/tanchor-depot.md");
    ran = run_program(test_folder, NULL, (const char *const[]){DEPOT, "--help", NULL});
    g_autoptr(GRegex) option = g_regex_new("--[a-z][a-z-]*", 0, 0, NULL);
    const char *const texts[] = {ran.out, page};
    for (size_t i = 0; i < 2; ++i) {
        g_autoptr(GMatchInfo) match = NULL;
        for (g_regex_match(option, texts[i], 0, &match); g_match_info_matches(match); g_match_info_next(match, NULL)) {
            g_autofree char *name = g_match_info_fetch(match, 0);
            ck_assert_msg(strstr(texts[1 - i], name) || !strcmp(name, "--help") || !strcmp(name, "--key") ||
                              !strcmp(name, "--accept"),
                          "%s is not in the other one", name);
        }
    }
}
END_TEST

/* Completion. */

static char *completed(const char *folder, const char *const *arguments) {
    const char *all[16] = {TANCHOR, "complete", "--"};
    for (size_t i = 0; arguments[i]; ++i)
        all[i + 3] = arguments[i];
    struct ran ran = run_program(folder, NULL, all);
    ck_assert_msg(ran.code == 0 && !*ran.err, "%s", ran.err);
    return ran.out;
}

START_TEST(words_are_completed_from_what_there_is) {
    static const struct {
        const char *words[6], *found, *not_found;
    } cases[] = {
        {{""}, "verify\trun its trials\n", "complete\t"},
        {{"ver"}, "verify\t", "bench\t"},
        {{"--j"}, "--json\t", "--quiet\t"},
        {{"import", "ti"}, "tide-lamp\ta lamp ring", "first-light"},
        {{"import", ""}, ":files\n", "strand\t"},
        {{"catalog", ""}, "places\t", "\nstrand\t"},
        {{"catalog", "show", "st"}, "strand\t", "tide-lamp"},
        {{"catalog", "--kind", ""}, "emulator\t", ":files"},
        {{"bench", ""}, "switch\t", "dunlin\t"},
        {{"bench", "show", ""}, "dunlin\tsmall board", "usb"},
        {{"bench", "switch", "dunlin", ""}, "usb cable=unplugged\t", "boot\t"},
        {{"bench", "switch", ""}, "dunlin\t", "boot="},
        {{"bench", "add", "north", "--profile", "e"}, "eider\t", "dunlin\t"},
        {{"bench", "add", "--p"}, "--profile\t", "--sdk\t"},
        {{"configure", "--sdk", "strand@2"}, "strand@2.0.0\t", "strand@1.4.0"},
        {{"configure", "--sdk=st"}, "--sdk=strand@1.4.0\t", "\nstrand"},
        {{"configure", "--compiler", ""}, "clang\t", ":files"},
        {{"configure", "--setting", ""}, "hull=\tthe hull number", "ES-"},
        {{"configure", "--target", ""}, "dunlin\t", "eider\t"},
        {{"configure", "--with", "su"}, "surge\t", "tide-table"},
        {{"-C", ".", "verify", "the m"}, "the mooring tells its hull number\t", "spoken"},
        {{"run", "--pace", "f"}, "full\t", "board\t"},
        {{"run", "--w"}, "--watch\t", "--as-is"},
        {{"help", "bench", "sh"}, "show\t", "add\t"},
        {{"help", ""}, "bench\t", "complete\t"},
        {{"nothing", ""}, "", "\t"},
    };
    expect_done(tanchor(test_folder, "import", "hull-number"));
    char *project = test_path("hull-number");
    expect_done(tanchor(project, "configure"));
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        const char *words = completed(project, cases[i].words);
        bool right = strstr(words, cases[i].found) && !strstr(words, cases[i].not_found);
        g_autofree char *asked = g_strjoinv(" ", (char **)cases[i].words);
        if (!right)
            ck_abort_msg("tanchor %s: %s", asked, words);
    }
    /* A trial that is called like the line that stands for files does not stand for them. */
    write_text(test_path("hull-number/trials/odd.trial"),
               "trial \":files\"\n  power on\n  no trap\n\ntrial \"files\"\n  power on\n  no trap\n");
    const char *offered = completed(project, (const char *const[]){"verify", "", NULL});
    ck_assert_msg(strstr(offered, "files\t") && !strstr(offered, ":files"), "%s", offered);
    /* What would command a terminal is not offered; a depot is not asked; no project is no fault. */
    write_text(test_path("hull-number/trials/odd.trial"), "trial \"odd \033[31m\"\n  power on\n  no trap\n");
    ck_assert_ptr_null(strstr(completed(project, (const char *const[]){"verify", "", NULL}), "odd"));
    expect_done(tanchor(test_folder, "catalog", "use", "http://127.0.0.1:1"));
    ck_assert_ptr_nonnull(strstr(completed(project, (const char *const[]){"import", "", NULL}), "tide-lamp"));
    ck_assert_str_eq(completed(test_folder, (const char *const[]){"verify", "", NULL}), "");
}
END_TEST

/* In the shells themselves: what a person who presses Tab gets. */
START_TEST(real_shells_complete) {
    char *project = tide_lamp_built();
    g_autofree char *path = g_strdup_printf("%s:%s", TANCHOR_FOLDER, g_getenv("PATH"));
    g_setenv("PATH", path, TRUE);
    g_setenv("HOME", test_folder, TRUE);
    static const struct {
        const char *typed, *becomes;
    } cases[] = {
        {"tanchor verif\t --quiet", "[verify --quiet]"},
        {"tanchor bench sho\tdunl\t", "[bench show dunlin]"},
        {"tanchor configure --sdk strand@1\t", "[configure --sdk strand@1.4.0]"},
        {"tanchor configure --sdk=strand@1\t", "[configure --sdk=strand@1.4.0]"},
        {"tanchor run --pac\tfu\t", "[run --pace full]"},
        {"tanchor verify 'tide is\t", "[verify tide is told in plain words]"},
        {"tanchor bench switch dunlin boot=lo\t", "[bench switch dunlin boot=loader]"},
        {"tanchor import src/mai\t", "[import src/main.c]"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        /* A function in the tool's place shows what was typed in the end. */
        static const char bashrc[] =
            "tanchor() { if [[ $1 == complete ]]; then command tanchor \"$@\"; else echo \"[$*]\"; fi; }\n"
            "PS1='> '; bind 'set enable-bracketed-paste off' 2>/dev/null; source " COMPLETIONS "/tanchor.bash\n";
        write_text(test_path("bashrc"), bashrc);
        const struct typed typed[] = {{"> ", cases[i].typed}, {"", "\n"}, {"]\n", "exit\n"}, {NULL, NULL}};
        struct ran ran = in_terminal(project, 200, typed,
                                     (const char *const[]){"bash", "--rcfile", test_path("bashrc"), "-i", NULL});
        expect_shown(ran, cases[i].becomes);
        static const char zshrc[] =
            "PS1='> '; autoload -Uz compinit; compinit -u -D; source " COMPLETIONS "/_tanchor\n"
            "tanchor() { if [[ $1 == complete ]]; then command tanchor \"$@\"; else print -r -- \"[$*]\"; "
            "fi; }\nunsetopt prompt_sp; unset zle_bracketed_paste\n";
        write_text(test_path("zsh/.zshrc"), zshrc);
        g_setenv("ZDOTDIR", test_path("zsh"), TRUE);
        ran = in_terminal(project, 200, typed, (const char *const[]){"zsh", "-i", NULL});
        expect_shown(ran, cases[i].becomes);
    }
    struct ran ran =
        run_program(project, NULL,
                    (const char *const[]){
                        "fish", "--no-config", "-c",
                        "source " COMPLETIONS "/tanchor.fish; complete -C 'tanchor bench sho'; complete -C 'tanchor "
                        "configure --sdk strand@1'; complete -C 'tanchor verify \"tide is'; complete -C 'tanchor "
                        "import src/mai'",
                        NULL});
    expect_row(ran, "show", "show all about a target");
    expect_row(ran, "strand@1.4.0");
    expect_row(ran, "tide is told in plain words");
    expect_row(ran, "src/main.c");
}
END_TEST

/* JSON. */

/* Holds each of the documents against the schema, all in one go. */
static void validate(const GPtrArray *files) {
    g_autoptr(GPtrArray) arguments = g_ptr_array_new();
    g_ptr_array_add(arguments, (gpointer) "/usr/bin/python3");
    g_ptr_array_add(arguments, (gpointer) "-m");
    g_ptr_array_add(arguments, (gpointer) "jsonschema");
    for (guint i = 0; i < files->len; ++i) {
        g_ptr_array_add(arguments, (gpointer) "-i");
        g_ptr_array_add(arguments, files->pdata[i]);
    }
    g_ptr_array_add(arguments, (gpointer)(DOCS "/answer.schema.json"));
    g_ptr_array_add(arguments, NULL);
    struct ran ran = run_program(test_folder, NULL, (const char *const *)arguments->pdata);
    ck_assert_msg(ran.code == 0, "%s%s", ran.out, ran.err);
}

static char *answer(const char *folder, const char *name, const char *const *words) {
    const char *arguments[12] = {TANCHOR, "--json"};
    for (size_t i = 0; i < 8 && words[i]; ++i)
        arguments[i + 2] = words[i];
    struct ran ran = run_program(folder, NULL, arguments);
    char *file = test_path("answers/%s.json", name);
    write_text(file, words[0] && !strcmp(words[0], "run") ? ran.err : ran.out);
    return file;
}

/* The keys of a document, and of its tables' first rows. */
static char *shape(json_t *document) {
    GString *keys = g_string_new(NULL);
    const char *key, *column;
    json_t *value, *cell;
    json_object_foreach(document, key, value) g_string_append_printf(keys, "%s ", key);
    json_object_foreach(json_object_get(document, "tables"), key, value) {
        g_string_append_printf(keys, "%s(", key);
        json_object_foreach(json_array_get(value, 0), column, cell) g_string_append_printf(keys, "%s ", column);
        g_string_append(keys, ") ");
    }
    json_object_foreach(json_object_get(document, "facts"), key, value) g_string_append_printf(keys, "%s ", key);
    return g_string_free(keys, FALSE);
}

/* The example in docs/json.md for `tanchor WORDS --json`, or null. */
static char *example_of(const char *words) {
    const char *page = read_text(DOCS "/json.md");
    g_autofree char *line = g_strdup_printf("\n`tanchor %s--json`\n", words);
    const char *at = strstr(page, line), *begin = at ? strstr(at, "```json\n") : NULL;
    const char *end = begin ? strstr(begin, "\n```\n") : NULL;
    return end ? g_strndup(begin + strlen("```json\n"), (gsize)(end - begin) - strlen("```json\n")) : NULL;
}

START_TEST(json_answers_are_as_documented) {
    enum { DOCUMENTED = 22 };
    static const struct {
        const char *words[8], *folder;
    } cases[] = {
        {{"catalog"}, NULL},
        {{"catalog", "show", "strand/lamps"}, NULL},
        {{"catalog", "places"}, NULL},
        {{"import", "tide-lamp"}, NULL},
        {{"configure"}, "tide-lamp"},
        {{"configure", "--list"}, "tide-lamp"},
        {{"configure", "--show"}, "tide-lamp"},
        {{"ready"}, "tide-lamp"},
        {{"build"}, "tide-lamp"},
        {{"build", "--plan"}, "tide-lamp"},
        {{"deploy"}, "tide-lamp"},
        {{"run", "--for", "1s"}, "tide-lamp"},
        {{"verify", "button"}, "tide-lamp"},
        {{"verify", "--list"}, "tide-lamp"},
        {{"bench", "list"}, NULL},
        {{"bench", "show", "dunlin"}, NULL},
        {{"show"}, "tide-lamp"},
        {{"show", "--memory"}, "tide-lamp"},
        {{"show", "--files"}, "tide-lamp"},
        {{NULL}, "tide-lamp"},
        {{"demo"}, NULL},
        {{"bulid"}, "tide-lamp"},
        /* Without an example, but by the schema. */
        {{"catalog", "show", "strand"}, NULL},
        {{"catalog", "show", "eider"}, NULL},
        {{"catalog", "show", "surge"}, NULL},
        {{"catalog", "show", "nothing"}, NULL},
        {{"catalog", "submarine"}, NULL},
        {{"verify"}, "tide-lamp"},
        {{"configure", "--diff"}, "tide-lamp"},
        {{"configure", "--optimise", "speed"}, "tide-lamp"},
        {{"configure", "--diff"}, "tide-lamp"},
        {{"configure", "--back"}, "tide-lamp"},
        {{"bench", "add", "small", "--profile", "dunlin", "--set", "memory.ram.size=32KiB"}, NULL},
        {{"bench", "switch", "small", "power=off"}, NULL},
        {{"bench", "show", "small"}, NULL},
        {{"bench", "remove", "small"}, NULL},
        {{"configure", "--target", "curlew"}, "tide-lamp"},
        {{"configure", "--clock", "soon"}, "tide-lamp"},
        {{"build", "--fast"}, "tide-lamp"},
        {{"bench", "polish"}, NULL},
        {{"build"}, NULL},
    };
    g_autoptr(GPtrArray) files = g_ptr_array_new();
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        g_autofree char *name = g_strdup_printf("%zu", i), *words = g_strjoinv(" ", (char **)cases[i].words);
        g_autofree char *line = g_strconcat(words, *words ? " " : "", NULL);
        g_autofree char *example = i < DOCUMENTED ? example_of(line) : NULL;
        char *file = answer(cases[i].folder ? test_path("%s", cases[i].folder) : test_folder, name, cases[i].words);
        g_ptr_array_add(files, file);
        ck_assert_msg(i >= DOCUMENTED || example, "docs/json.md has no example of tanchor %s", words);
        if (!example)
            continue;
        write_text(test_path("answers/example-%zu.json", i), example);
        g_ptr_array_add(files, test_path("answers/example-%zu.json", i));
        json_t *real = json_load_file(file, 0, NULL), *shown = json_loads(example, 0, NULL);
        g_autofree char *is = shape(real), *said = shape(shown);
        ck_assert_msg(!strcmp(is, said), "tanchor %s: %s, docs/json.md says %s", words, is, said);
        json_decref(real);
        json_decref(shown);
    }
    edit(test_path("tide-lamp/trials/words.trial"), "high water", "tsunami");
    g_ptr_array_add(files, answer(test_path("tide-lamp"), "failed", (const char *const[]){"verify", NULL}));
    edit(test_path("tide-lamp/src/main.c"), "int main", "oops int main");
    g_ptr_array_add(files, answer(test_path("tide-lamp"), "broken", (const char *const[]){"verify", NULL}));
    validate(files);
}
END_TEST

/* The schema is none that takes anything. */
START_TEST(the_schema_refuses_what_is_not_an_answer) {
    static const char *const wrong[] = {"{}", "{\"command\": \"bench\"}", "[]"};
    char *good = read_text(answer(test_folder, "good", (const char *const[]){"bench", "list", NULL}));
    static const struct {
        const char *from, *to;
    } changes[] = {{"\"findings\": []", "\"findings\": [{}]"},
                   {"\"exit_code\": 1", "\"exit_code\": \"1\""},
                   {"\"targets\": []", "\"boats\": []"},
                   {"\"verdicts\": []", "\"verdicts\": [{\"name\": \"x\"}]"}};
    for (size_t i = 0; i < G_N_ELEMENTS(wrong) + G_N_ELEMENTS(changes); ++i) {
        char *file = test_path("answers/wrong-%zu.json", i);
        write_text(file, i < G_N_ELEMENTS(wrong) ? wrong[i] : good);
        if (i >= G_N_ELEMENTS(wrong))
            edit(file, changes[i - G_N_ELEMENTS(wrong)].from, changes[i - G_N_ELEMENTS(wrong)].to);
        struct ran ran = run_program(test_folder, NULL,
                                     (const char *const[]){"/usr/bin/python3", "-m", "jsonschema", "-i", file,
                                                           DOCS "/answer.schema.json", NULL});
        ck_assert_msg(ran.code == 1, "%zu passed", i);
    }
}
END_TEST

int main(void) {
    return run_suite("words", (const TTest *const[]){every_command_and_action_has_help, the_table_is_whole,
                                                     slips_get_the_nearest_word, the_reference_is_the_tool_s_own,
                                                     words_are_completed_from_what_there_is, real_shells_complete,
                                                     json_answers_are_as_documented,
                                                     the_schema_refuses_what_is_not_an_answer, NULL});
}
