#include "cli/layout.h"

#include "cli/say.h"

#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { GAP = 2, LEAST = 16 };

size_t layout_width(FILE *stream) {
    struct winsize size;
    return isatty(fileno(stream)) && !ioctl(fileno(stream), TIOCGWINSZ, &size) ? size.ws_col : 0;
}

/* TEXT as lines of at most WIDTH columns (0: any), broken at blanks; a word that is wider stays whole. A newline in it is shown as an
   escape: what comes from elsewhere begins no line. */
static GPtrArray *break_lines(const char *text, size_t width) {
    GPtrArray *lines = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *shown = shown_text(text);
    g_autoptr(GString) line = g_string_new(NULL);
    for (const char *at = shown; *at;) {
        size_t blanks = strspn(at, " "), word = blanks + strcspn(at + blanks, " ");
        g_autofree char *piece = g_strndup(at, word);
        if (line->len && width && shown_width(line->str) + shown_width(piece) > width) {
            g_ptr_array_add(lines, g_strdup(line->str));
            g_string_assign(line, piece + blanks);
        } else {
            g_string_append(line, piece);
        }
        at += word;
    }
    g_ptr_array_add(lines, g_strdup(g_strchomp(line->str)));
    return lines;
}

void layout_paragraph(FILE *stream, size_t width, size_t indent, size_t hanging, const char *text) {
    size_t room = width > hanging + LEAST ? width - hanging : 0;
    g_autoptr(GPtrArray) lines = break_lines(text, room > indent - hanging ? room - (indent - hanging) : room);
    for (guint i = 0; i < lines->len; ++i)
        fprintf(stream, "%*s%s\n", i ? (int)hanging : 0, "", (const char *)lines->pdata[i]);
}

/* The longest word of TEXT. */
static size_t widest_word(const char *text) {
    g_autofree char *shown = shown_text(text);
    g_auto(GStrv) words = g_strsplit(shown, " ", -1);
    size_t width = 0;
    for (char **word = words; *word; ++word)
        width = MAX(width, shown_width(*word));
    return width;
}

static size_t whole_width(const char *text) {
    g_autofree char *shown = shown_text(text);
    return shown_width(shown);
}

/* How wide each column is: what it needs; where all together need more than there is, the widest gives way, down to its longest
   word. */
static size_t *column_widths(const struct grid *grid, size_t width) {
    size_t *widths = g_new0(size_t, grid->columns + 1), total = grid->indent;
    g_autofree size_t *least = g_new0(size_t, grid->columns + 1);
    for (size_t i = 0; i < grid->rows * grid->columns; ++i) {
        size_t at = i % grid->columns;
        widths[at] = MAX(widths[at], grid->cells[i] ? whole_width(grid->cells[i]) : 0);
        least[at] = MAX(least[at], grid->cells[i] ? widest_word(grid->cells[i]) : 0);
    }
    for (size_t i = 0; i < grid->columns; ++i) {
        if (widths[i] && grid->headings) {
            widths[i] = MAX(widths[i], shown_width(grid->headings[i]));
            least[i] = MAX(least[i], widest_word(grid->headings[i]));
        }
        total += widths[i] ? widths[i] + GAP : 0;
    }
    total -= MIN(total, GAP);
    for (; width && total > width; --total) {
        size_t at = grid->columns;
        for (size_t i = 0; i < grid->columns; ++i)
            if (widths[i] > least[i] && (at == grid->columns || widths[i] > widths[at]))
                at = i;
        if (at == grid->columns)
            break;
        --widths[at];
    }
    return widths;
}

/* One row, on as many lines as its longest cell takes. */
static void print_row(FILE *stream, const struct grid *grid, const size_t *widths, bool bold,
                      const char *const *cells) {
    g_autoptr(GPtrArray) broken = g_ptr_array_new_with_free_func((GDestroyNotify)g_ptr_array_unref);
    guint lines = 0;
    for (size_t i = 0; i < grid->columns; ++i) {
        GPtrArray *own = break_lines(cells[i] ? cells[i] : "", widths[i]);
        g_ptr_array_add(broken, own);
        lines = MAX(lines, own->len);
    }
    for (guint line = 0; line < lines; ++line) {
        g_autoptr(GString) text = g_string_new(NULL);
        size_t column = grid->indent, at = 0;
        for (size_t i = 0; i < grid->columns; ++i) {
            const GPtrArray *own = broken->pdata[i];
            const char *piece = line < own->len ? own->pdata[line] : "";
            if (!widths[i])
                continue;
            if (*piece) {
                size_t gap = at < column ? column - at : at > 0;
                g_string_append_printf(text, "%*s%s", (int)gap, "", piece);
                at += gap + shown_width(piece);
            }
            column += widths[i] + GAP;
        }
        fprintf(stream, "%s%s%s\n", bold ? "\033[1m" : "", text->str, bold ? "\033[0m" : "");
    }
}

void layout_grid(FILE *stream, size_t width, const struct grid *grid) {
    g_autofree size_t *widths = column_widths(grid, width);
    if (grid->headings)
        print_row(stream, grid, widths, grid->bold, grid->headings);
    for (size_t i = 0; i < grid->rows; ++i)
        print_row(stream, grid, widths, false, grid->cells + i * grid->columns);
}
