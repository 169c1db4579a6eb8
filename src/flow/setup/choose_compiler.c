/* Which compiler a setup takes, for what it optimises, and what stands in front of it. */
#include "flow/setup/chooser.h"

char *chooser_split_version(const char *text, const char **version) {
    const char *at = strchr(text, '@');
    *version = at ? at + 1 : NULL;
    return g_strndup(text, at ? (gsize)(at - text) : strlen(text));
}

struct compiler_wish {
    enum compiler_family family; /* COMPILER_FAMILIES: any */
    const char *version;         /* null: any */
};

static bool in_range(const char *range, const char *text) {
    struct ta_version version;
    return !range || (!ta_version_parse(text, &version, NULL) && ta_range_contains(range, &version));
}

/* The first compiler that is usable, wished for and inside the project's ranges; null when there is none. */
static const struct found_toolchain *pick_compiler(const struct chooser *chooser, const struct found_toolchains *found,
                                                   const struct compiler_wish *wish) {
    const struct needs *needs = &chooser->workspace.project.needs.compilers;
    for (size_t i = 0; i < found->count; ++i) {
        const struct toolchain *tool = &found->items[i].tool;
        const char *range = needs_range(needs, compiler_words[tool->family]);
        bool wished = (wish->family == COMPILER_FAMILIES || tool->family == wish->family) &&
                      (!wish->version || !strcmp(tool->version, wish->version));
        if (found->items[i].usable && wished && (!needs->count || range) && in_range(range, tool->version))
            return &found->items[i];
    }
    return NULL;
}

static enum ta_status no_compiler(struct chooser *chooser, const struct found_toolchains *found,
                                  const struct compiler_wish *wish) {
    g_autoptr(GString) usable = g_string_new(NULL);
    for (size_t i = 0; i < found->count; ++i) {
        const struct found_toolchain *each = &found->items[i];
        const char *family = compiler_words[each->tool.family];
        if (!each->usable && each->tool.family == wish->family)
            return ta_problem_set(chooser->why, TA_E_NO, each->fix, "%s %s: %s", family, each->tool.version,
                                  each->reason);
        if (each->usable)
            g_string_append_printf(usable, "%s%s@%s", usable->len ? ", " : "", family, each->tool.version);
    }
    if (!usable->len)
        return ta_problem_set(chooser->why, TA_E_NO, toolchains_install_fix, "no cross compiler for %s is installed",
                              chooser->profile.isa);
    g_autofree char *fix = g_strdup_printf("on this computer: %s", usable->str);
    return ta_problem_set(chooser->why, TA_E_NO, fix, "no compiler on this computer is %s and suits %s",
                          chooser->choices->compiler ? chooser->choices->compiler : "usable",
                          chooser->workspace.project.project);
}

/* The place of WORD among WORDS, which end with null; where they end when it is none of them. */
static int word_index(const char *const *words, const char *word) {
    int index = 0;
    while (words[index] && strcmp(words[index], word))
        ++index;
    return index;
}

/* The compilers of this computer; usable are those that compile for the harts of all images. */
static enum ta_status find_compilers(struct chooser *chooser, struct found_toolchains *found) {
    struct workspace *workspace = &chooser->workspace;
    size_t images = MAX(workspace->project.image_count, 1);
    enum ta_status status = TA_OK;
    for (size_t i = 0; !status && i < images; ++i) {
        struct found_toolchains own;
        struct image_place place;
        status = image_place_find(&chooser->profile, workspace_harts(workspace, i), &place, chooser->why);
        if (!status)
            status = workspace_toolchains(workspace, place.group.isa, &own, chooser->why);
        if (!status && !i)
            *found = own;
        for (size_t k = 0; !status && k < own.count; ++k) /* the same ones, in the same order */
            if (!own.items[k].usable)
                found->items[k] = own.items[k];
    }
    return status;
}

enum ta_status choose_compiler(struct chooser *chooser) {
    struct workspace *workspace = &chooser->workspace;
    const char *wanted = chooser->choices->compiler, *reason = "compiles for this board";
    struct compiler_wish wish = {COMPILER_FAMILIES, NULL};
    g_autofree char *family = wanted ? chooser_split_version(wanted, &wish.version) : NULL;
    struct found_toolchains found;
    enum ta_status status = find_compilers(chooser, &found);
    if (status)
        return status;
    if (wanted)
        wish.family = (enum compiler_family)word_index(compiler_words, family);
    else if (workspace->configured || chooser->last_reason)
        wish.family = workspace->configured ? workspace->setup.compiler : chooser->last.compiler;
    if (wanted && wish.family == COMPILER_FAMILIES)
        return ta_problem_set(chooser->why, TA_E_USAGE, "write gcc or clang", "{option compiler}: \"%s\" is not known",
                              family);
    const struct found_toolchain *picked = pick_compiler(chooser, &found, &wish);
    if (wish.family != COMPILER_FAMILIES)
        reason = wanted ? "as you asked" : workspace->configured ? "as before" : chooser->last_reason;
    if (!picked && !wanted &&
        wish.family != COMPILER_FAMILIES) { /* an earlier choice that is there no more is given up */
        picked = pick_compiler(chooser, &found, &(struct compiler_wish){COMPILER_FAMILIES, NULL});
        reason = "the earlier one no longer works";
    }
    if (!picked)
        return no_compiler(chooser, &found, &wish);
    chooser->setup.compiler = picked->tool.family;
    chooser->setup.compiler_version = picked->tool.version;
    report_add(chooser->report, TA_LEVEL_OK, "compiler", NULL, "%s %s, %s (%s)", compiler_words[picked->tool.family],
               picked->tool.version, picked->tool.path, reason);
    return TA_OK;
}

/* The number in WORDS of what was asked for, or BEFORE. */
static enum ta_status choose_word(struct chooser *chooser, const char *option, const char *wanted,
                                  const char *const *words, int before, int *index) {
    *index = wanted ? word_index(words, wanted) : before;
    if (words[*index])
        return TA_OK;
    g_autofree char *list = g_strjoinv(", ", (char **)words), *fix = g_strdup_printf("write one of: %s", list);
    return ta_problem_set(chooser->why, TA_E_USAGE, fix, "{option %s}: \"%s\" is not known", option, wanted);
}

enum ta_status choose_optimisation(struct chooser *chooser) {
    const struct workspace *workspace = &chooser->workspace;
    int index, before = workspace->configured ? (int)workspace->setup.optimise : OPTIMISE_SIZE;
    enum ta_status status =
        choose_word(chooser, "optimise", chooser->choices->optimise, optimisation_words, before, &index);
    if (status)
        return status;
    chooser->setup.optimise = (enum optimisation)index;
    report_add(chooser->report, TA_LEVEL_OK, "optimise", NULL, "for %s", optimisation_words[index]);
    return TA_OK;
}

/* What stands in front of the compiler must be on this computer. */
enum ta_status choose_launcher(struct chooser *chooser) {
    const struct workspace *workspace = &chooser->workspace;
    int index, before = workspace->configured ? (int)workspace->setup.launcher : LAUNCHER_NONE;
    enum ta_status status =
        choose_word(chooser, "launcher", chooser->choices->launcher, launcher_words, before, &index);
    if (status)
        return status;
    chooser->setup.launcher = (enum launcher)index;
    if (index == LAUNCHER_NONE)
        return TA_OK;
    g_autofree char *path = g_find_program_in_path(launcher_words[index]);
    if (!path) {
        g_autofree char *fix =
            g_strdup_printf("sudo apt-get install %s, or {option launcher} none", launcher_words[index]);
        return ta_problem_set(chooser->why, TA_E_NO, fix, "%s is not on PATH", launcher_words[index]);
    }
    report_add(chooser->report, TA_LEVEL_OK, "launcher", NULL, "%s stands in front of the compiler", path);
    return TA_OK;
}
