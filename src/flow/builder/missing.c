/* What is missing: a header that is not found, or a symbol that nothing defines, and the component of the SDK that has it. */
#include "core/plan/declarations.h"
#include "flow/builder/builder.h"

enum { HEADER_BYTES = 1 << 20 };

/* The first thing that PATTERN's group finds in what was said; null when there is none. Freed with g_free. */
static char *first_of(const char *said, const char *pattern) {
    g_autoptr(GRegex) regex = g_regex_new(pattern, G_REGEX_RAW, 0, NULL);
    g_autoptr(GMatchInfo) match = NULL;
    return g_regex_match(regex, said, 0, &match) ? g_match_info_fetch(match, 1) : NULL;
}

struct wanted {
    struct arena *arena;
    const char *header, *symbol; /* one of them */
    bool found;
};

static void look_in(void *with, const char *name, const char *path) {
    struct wanted *wanted = with;
    g_autofree char *text = NULL;
    size_t length;
    struct header header;
    wanted->found = wanted->found || (wanted->header && !strcmp(name, wanted->header));
    if (wanted->found || !wanted->symbol || file_read(path, HEADER_BYTES, &text, &length, NULL))
        return;
    header_read(text, length, wanted->arena, &header);
    for (size_t i = 0; i < header.function_count; ++i)
        wanted->found = wanted->found || !strcmp(header.functions[i].name, wanted->symbol);
}

/* The component that has it and that the build does not use. */
static const char *component_with(struct builder *builder, const char *header, const char *symbol) {
    struct workspace *workspace = builder->workspace;
    for (size_t i = 0; i < workspace->sdk.component_count; ++i) {
        const struct component *component = &workspace->sdk.components[i];
        struct wanted wanted = {workspace->context->arena, header, symbol, false};
        if (pins_version(&workspace->setup.components, component->name))
            continue;
        component_headers(component, look_in, &wanted);
        if (wanted.found)
            return component->name;
    }
    return NULL;
}

char *builder_missing(struct builder *builder, const char *messages) {
    const char *said = messages_plain(builder->context->arena, messages);
    g_autofree char *header = first_of(said, "fatal error: '?([^':\\n]+)'?(?:: No such file| file not found)");
    g_autofree char *symbol =
        header ? NULL : first_of(said, "undefined (?:reference to `|symbol: )([A-Za-z_][A-Za-z0-9_]*)");
    if (!header && !symbol)
        return NULL;
    if (symbol && !strcmp(symbol, "main"))
        return g_strdup("define main in one of the sources that anchor.yaml lists");
    const char *component = component_with(builder, header, symbol);
    return component ? g_strdup_printf("{with %s} adds the component that has %s", component, header ? header : symbol)
                     : NULL;
}
