#include "flow/project/project.h"

#include "host/dotenv.h"
#include "host/git.h"
#include "host/memory.h"
#include "host/token.h"
#include "tameanchor/settings.h"

#include <stdlib.h>
#include <sys/stat.h>
#include <time.h>

enum { DAY_S = 86400, SOON_DAYS = 7 };

static bool is_secret(const struct setting *setting) {
    return setting->kind == SETTING_SECRET || setting->kind == SETTING_TOKEN;
}

bool settings_are_secret(const struct project *project) {
    for (size_t i = 0; i < project->setting_count; ++i)
        if (is_secret(&project->settings[i]))
            return true;
    return false;
}

static const struct setting *find_setting(const struct project *project, const char *name) {
    for (size_t i = 0; i < project->setting_count; ++i)
        if (!strcmp(project->settings[i].name, name))
            return &project->settings[i];
    return NULL;
}

/* The template stands for a value with what is asked, in angle brackets. */
static char *placeholder(const struct setting *setting) {
    return g_strdup_printf("<%s>", setting->ask ? setting->ask : setting->name);
}

static bool is_placeholder(const char *value) {
    return g_str_has_prefix(value, "<") && g_str_has_suffix(value, ">");
}

/* What is wrong with a value. */

static char *number_fault(const struct setting *setting, const char *value) {
    char *end;
    double number = g_ascii_strtod(value, &end);
    if (!*value || *end)
        return g_strdup("is not a number");
    bool ranged = setting->minimum || setting->maximum;
    if (ranged && (number < (double)setting->minimum || (setting->maximum && number > (double)setting->maximum)))
        return g_strdup_printf("is not between %llu and %llu", (unsigned long long)setting->minimum,
                               (unsigned long long)setting->maximum);
    return NULL;
}

static char *choice_fault(const struct setting *setting, const char *value) {
    g_autoptr(GString) all = g_string_new(NULL);
    for (size_t i = 0; i < setting->choices.count; ++i) {
        if (!strcmp(setting->choices.items[i], value))
            return NULL;
        g_string_append_printf(all, "%s%s", i ? ", " : "", setting->choices.items[i]);
    }
    return g_strdup_printf("is not one of: %s", all->str);
}

/* How far END is from NOW, in days. */
static char *days_text(int64_t end, int64_t now) {
    uint64_t days = (end > now ? (uint64_t)end - (uint64_t)now : (uint64_t)now - (uint64_t)end) / DAY_S;
    return days ? g_strdup_printf("%llu day%s", (unsigned long long)days, days == 1 ? "" : "s")
                : g_strdup("less than a day");
}

/* *SOON is set when the token is right but ends soon. */
static char *token_fault(const char *value, char **soon) {
    struct token token;
    int64_t now = (int64_t)time(NULL);
    char *fault = NULL;
    if (!token_read(value, &token))
        return g_strdup("is not a token (three parts separated by dots)");
    g_autofree char *days = days_text(token.expires, now);
    if (token.expires && token.expires <= now)
        fault = g_strdup_printf("expired %s ago", days);
    else if (token.not_before > now)
        fault = g_strdup("is not valid yet");
    else if (token.expires && token.expires < now + (int64_t)SOON_DAYS * DAY_S)
        *soon = g_strdup_printf("expires in %s", days);
    token_clear(&token);
    return fault;
}

static char *pattern_fault(const struct setting *setting, const char *value) {
    if (!setting->pattern)
        return strpbrk(value, " \t") && setting->kind == SETTING_ID ? g_strdup("has a blank inside") : NULL;
    g_autofree char *whole = g_strdup_printf("^(?:%s)$", setting->pattern);
    g_autoptr(GRegex) regex = g_regex_new(whole, G_REGEX_DOLLAR_ENDONLY, 0, NULL);
    if (!regex)
        return g_strdup_printf("cannot be checked: the pattern %s of the manifest is not valid", setting->pattern);
    return g_regex_match(regex, value, 0, NULL) ? NULL : g_strdup_printf("does not look like %s", setting->pattern);
}

static char *value_fault(const struct setting *setting, const char *value, char **soon) {
    if (setting->kind == SETTING_NUMBER)
        return number_fault(setting, value);
    if (setting->kind == SETTING_CHOICE)
        return choice_fault(setting, value);
    char *fault = setting->kind == SETTING_TOKEN ? token_fault(value, soon) : NULL;
    return fault ? fault : pattern_fault(setting, value);
}

/* Checking. */

struct settings {
    struct workspace *workspace;
    char *path;
    struct dotenv file;
};

static enum ta_status settings_open(struct workspace *workspace, struct settings *settings, struct ta_problem *why) {
    *settings =
        (struct settings){.workspace = workspace, .path = g_build_filename(workspace->folder, SETTINGS_FILE, NULL)};
    return dotenv_read(settings->path, &settings->file, why);
}

static void settings_close(struct settings *settings) {
    dotenv_clear(&settings->file);
    g_free(settings->path);
}

static void check_one(const struct settings *settings, const struct setting *setting, struct ta_report *report) {
    unsigned number;
    const struct dotenv_line *line = dotenv_find(&settings->file, setting->name, &number);
    const char *example = setting->example         ? setting->example
                          : setting->choices.count ? setting->choices.items[0]
                                                   : "VALUE";
    g_autofree char *fix = g_strdup_printf("{setting %s=%s}", setting->name, example), *soon = NULL;
    if (!line && setting->fallback) {
        report_add(report, TA_LEVEL_OK, "setting", NULL, "%s is %s, unless %s says otherwise", setting->name,
                   is_secret(setting) ? "****" : setting->fallback, SETTINGS_FILE);
        return;
    }
    if (!line || !*line->value) {
        report_add(report, TA_LEVEL_PROBLEM, "setting", fix, "%s is missing: %s", setting->name,
                   setting->ask ? setting->ask : setting_words[setting->kind]);
        return;
    }
    if (is_placeholder(line->value)) {
        report_add(report, TA_LEVEL_PROBLEM, "setting", fix, "%s is still the template's placeholder (%s:%u)",
                   setting->name, SETTINGS_FILE, number);
        return;
    }
    g_autofree char *trimmed = g_strstrip(g_strdup(line->value));
    if (strcmp(trimmed, line->value)) {
        g_autofree char *mended =
            is_secret(setting) ? g_strdup("{mend}") : g_strdup_printf("{setting %s=%s}", setting->name, trimmed);
        report_add(report, TA_LEVEL_PROBLEM, "setting", mended, "%s %s in a blank (%s:%u)", setting->name,
                   g_ascii_isspace(*line->value) ? "begins" : "ends", SETTINGS_FILE, number);
        return;
    }
    g_autofree char *fault = value_fault(setting, line->value, &soon);
    if (fault && is_secret(setting))
        report_add(report, TA_LEVEL_PROBLEM, "setting", fix, "%s %s (%s:%u)", setting->name, fault, SETTINGS_FILE,
                   number);
    else if (fault)
        report_add(report, TA_LEVEL_PROBLEM, "setting", fix, "%s: \"%s\" %s (%s:%u)", setting->name, line->value, fault,
                   SETTINGS_FILE, number);
    else if (soon)
        report_add(report, TA_LEVEL_WARNING, "setting", fix, "%s %s", setting->name, soon);
    else
        report_add(report, TA_LEVEL_OK, "setting", NULL, "%s is %s", setting->name,
                   is_secret(setting) ? "****" : line->value);
}

/* Lines that no setting asks for: as a rule a name with a slip in it. */
static void check_names(const struct settings *settings, struct ta_report *report) {
    const struct project *project = &settings->workspace->project;
    for (size_t i = 0; i < settings->file.count; ++i) {
        const struct dotenv_line *line = &settings->file.lines[i];
        const char *text = line->text + strspn(line->text, " \t"), *near = NULL;
        if (!line->name && *text && *text != '#')
            report_add(report, TA_LEVEL_WARNING, "setting", "write NAME=VALUE", "%s:%zu is not NAME=VALUE",
                       SETTINGS_FILE, i + 1);
        if (!line->name || find_setting(project, line->name))
            continue;
        for (size_t k = 0; k < project->setting_count; ++k)
            near = text_nearer(line->name, project->settings[k].name, near);
        g_autofree char *fix = near ? g_strdup_printf("did you mean %s?", near) : g_strdup("remove it");
        report_add(report, TA_LEVEL_WARNING, "setting", fix, "the project has no setting %s (%s:%zu)", line->name,
                   SETTINGS_FILE, i + 1);
    }
}

/* A secret in a file that git keeps, or that others may read, is none any more. */
static void check_kept_secret(const struct settings *settings, struct ta_report *report) {
    const struct project *project = &settings->workspace->project;
    g_autofree char *empty = g_build_filename(settings->workspace->context->cache, "no-repository", NULL);
    struct stat about;
    bool secrets = false;
    for (size_t i = 0; i < project->setting_count; ++i)
        secrets = secrets ||
                  (is_secret(&project->settings[i]) && dotenv_find(&settings->file, project->settings[i].name, NULL));
    if (secrets && git_tracks(settings->workspace->folder, SETTINGS_FILE, empty))
        report_add(report, TA_LEVEL_PROBLEM, "setting",
                   "git rm --cached " SETTINGS_FILE " && echo " SETTINGS_FILE " >> .gitignore",
                   "%s holds secrets, and git tracks it", SETTINGS_FILE);
    if (secrets && !stat(settings->path, &about) && about.st_mode & 077)
        report_add(report, TA_LEVEL_WARNING, "setting", "chmod 600 " SETTINGS_FILE,
                   "%s holds secrets, and others may read it", SETTINGS_FILE);
}

enum ta_status settings_check(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    struct settings settings;
    enum ta_status status = settings_open(workspace, &settings, why);
    for (size_t i = 0; !status && i < workspace->project.setting_count; ++i)
        check_one(&settings, &workspace->project.settings[i], report);
    if (!status) {
        check_names(&settings, report);
        check_kept_secret(&settings, report);
    }
    settings_close(&settings);
    return status;
}

/* Writing. */

static enum ta_status set_one(struct settings *settings, const char *pair, struct ta_report *report,
                              struct ta_problem *why) {
    const struct project *project = &settings->workspace->project;
    const char *equals = strchr(pair, '=');
    g_autofree char *name = g_strndup(pair, equals ? (gsize)(equals - pair) : strlen(pair)), *soon = NULL;
    const struct setting *setting = find_setting(project, name);
    if (!equals)
        return ta_problem_set(why, TA_E_USAGE, "write {option setting} NAME=VALUE",
                              "{option setting}: \"%s\" has no value", pair);
    if (!setting) {
        g_autoptr(GString) all = g_string_new(project->setting_count ? "it asks for: " : "it asks for none");
        for (size_t i = 0; i < project->setting_count; ++i)
            g_string_append_printf(all, "%s%s", i ? ", " : "", project->settings[i].name);
        return ta_problem_set(why, TA_E_INPUT, all->str, "%s has no setting \"%s\"", project->project, name);
    }
    g_autofree char *value = g_strstrip(g_strdup(equals + 1));
    g_autofree char *fault =
        strpbrk(value, "\r\n") ? g_strdup("has more than one line") : value_fault(setting, value, &soon);
    if (fault)
        return ta_problem_set(why, TA_E_INPUT, setting->ask, "{option setting} %s: the value %s", name, fault);
    dotenv_set(&settings->file, name, value);
    report_add(report, TA_LEVEL_OK, "setting", NULL, "%s is %s", name, is_secret(setting) ? "****" : value);
    return TA_OK;
}

enum ta_status settings_set(struct workspace *workspace, const char *const *pairs, struct ta_report *report,
                            struct ta_problem *why) {
    struct settings settings;
    enum ta_status status = settings_open(workspace, &settings, why);
    for (; !status && *pairs; ++pairs)
        status = set_one(&settings, *pairs, report, why);
    if (!status)
        status = dotenv_write(settings.path, &settings.file, why);
    settings_close(&settings);
    return status;
}

enum ta_status settings_template(struct workspace *workspace, struct ta_report *report, struct ta_problem *why) {
    const struct project *project = &workspace->project;
    g_autofree char *path = g_build_filename(workspace->folder, SETTINGS_FILE, NULL);
    g_autoptr(GString) text = g_string_new("# Values for the project's settings. Never give this file away.\n");
    if (!project->setting_count || g_file_test(path, G_FILE_TEST_EXISTS))
        return TA_OK;
    for (size_t i = 0; i < project->setting_count; ++i) {
        const struct setting *setting = &project->settings[i];
        g_autofree char *empty = placeholder(setting);
        g_string_append_printf(text, "\n# %s%s%s\n%s=%s\n", setting->ask ? setting->ask : setting->name,
                               setting->example ? "; for example " : "", setting->example ? setting->example : "",
                               setting->name, setting->fallback ? setting->fallback : empty);
    }
    enum ta_status status = file_write_private(path, text->str, text->len, why);
    if (!status)
        report_add(report, TA_LEVEL_NOTE, "settings", NULL, "fill in %s, or {setting NAME=VALUE}", SETTINGS_FILE);
    return status;
}

enum ta_status settings_mend(struct workspace *workspace, unsigned *mended, struct ta_report *report,
                             struct ta_problem *why) {
    struct settings settings;
    enum ta_status status = settings_open(workspace, &settings, why);
    *mended = 0;
    for (size_t i = 0; !status && i < workspace->project.setting_count; ++i) {
        const struct setting *setting = &workspace->project.settings[i];
        const struct dotenv_line *line = dotenv_find(&settings.file, setting->name, NULL);
        g_autofree char *trimmed = line ? g_strstrip(g_strdup(line->value)) : NULL, *soon = NULL;
        g_autofree char *fault = trimmed ? value_fault(setting, trimmed, &soon) : NULL;
        if (!trimmed || !*trimmed || fault || !strcmp(trimmed, line->value))
            continue;
        dotenv_set(&settings.file, setting->name, trimmed);
        report_add(report, TA_LEVEL_NOTE, "repaired", NULL, "removed the blanks around %s", setting->name);
        ++*mended;
    }
    if (!status && *mended)
        status = dotenv_write(settings.path, &settings.file, why);
    settings_close(&settings);
    return status;
}

/* For the image. */

static void define_text(struct text *header, const char *value) {
    text_printf(header, "\"");
    for (; *value; ++value)
        if (strchr("\"\\?", *value))
            text_printf(header, "\\%c", *value);
        else if ((unsigned char)*value < ' ' || (unsigned char)*value > '~')
            text_printf(header, "\\%03o", (unsigned char)*value);
        else
            text_add(header, value, 1);
    text_printf(header, "\"\n");
}

enum ta_status settings_header(struct workspace *workspace, struct text *header, struct ta_problem *why) {
    struct settings settings;
    enum ta_status status = settings_open(workspace, &settings, why);
    text_printf(header, "#ifndef SETTINGS_H\n#define SETTINGS_H\n\n");
    for (size_t i = 0; !status && i < workspace->project.setting_count; ++i) {
        const struct setting *setting = &workspace->project.settings[i];
        const struct dotenv_line *line = dotenv_find(&settings.file, setting->name, NULL);
        const char *value = line ? line->value : setting->fallback;
        g_autofree char *upper = g_strdelimit(g_ascii_strup(setting->name, -1), "-", '_');
        g_autofree char *soon = NULL;
        g_autofree char *fault =
            value && !is_placeholder(value) ? value_fault(setting, value, &soon) : g_strdup("is missing");
        if (fault)
            status = ta_problem_set(why, TA_E_NO, "{ready} says what to do", "the setting %s %s", setting->name, fault);
        else if (setting->kind == SETTING_NUMBER)
            text_printf(header, "#define SETTING_%s %s\n", upper, value);
        else {
            text_printf(header, "#define SETTING_%s ", upper);
            define_text(header, value);
        }
    }
    text_printf(header, "\n#endif\n");
    settings_close(&settings);
    text_or_end(header);
    return status;
}

/* The public interface. */

enum ta_status ta_settings_list(struct ta_context *context, const char *folder, struct ta_report *report,
                                struct ta_problem *why) {
    static const struct ta_column columns[] = {
        {"name", TA_COLUMN_TEXT}, {"kind", TA_COLUMN_TEXT}, {"ask", TA_COLUMN_TEXT}, {"example", TA_COLUMN_TEXT}, {0}};
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (status)
        return step_end(&step, status);
    report_title(report, "the settings of %s", workspace.project.project);
    report_table(report, "settings", columns);
    for (size_t i = 0; i < workspace.project.setting_count; ++i) {
        const struct setting *setting = &workspace.project.settings[i];
        report_row(report, CELLS(TEXT_CELL(setting->name), TEXT_CELL(setting_words[setting->kind]),
                                 TEXT_CELL(setting->ask), TEXT_CELL(setting->example)));
    }
    return step_end(&step, TA_OK);
}

enum ta_status ta_settings_check(struct ta_context *context, const char *folder, struct ta_report *report,
                                 struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status = workspace_open(context, folder, NULL, &workspace, why);
    if (!status)
        status = settings_check(&workspace, report, why);
    if (!status) {
        report_title(report, "the settings of %s", workspace.project.project);
        report_number(report, "settings", (int64_t)workspace.project.setting_count);
        status = ta_report_count(report, TA_LEVEL_PROBLEM) ? TA_E_NO : TA_OK;
    }
    return step_end(&step, status);
}

enum ta_status ta_settings_set(struct ta_context *context, const char *folder, const char *const *pairs,
                               struct ta_report *report, struct ta_problem *why) {
    struct step step = step_begin(context, report);
    struct workspace workspace;
    enum ta_status status = workspace_open(context, folder, "settings", &workspace, why);
    if (!status)
        status = settings_set(&workspace, pairs, report, why);
    workspace_leave(&workspace);
    return step_end(&step, status);
}
