/* Text in columns. On a terminal, long texts are broken between words, so that nothing leaves its column. */
#ifndef TA_CLI_LAYOUT_H
#define TA_CLI_LAYOUT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdio.h>

/* How many columns STREAM has; 0 when it is no terminal: lines are then as long as they are. */
size_t layout_width(FILE *stream);

/* Prints TEXT, which may be somebody else's, from column INDENT on, where the cursor stands already, and ends the line. Lines
   after the first begin at HANGING. */
void layout_paragraph(FILE *stream, size_t width, size_t indent, size_t hanging, const char *text);

/* Prints ROWS times COLUMNS texts (null: empty), each column as wide as it needs or as WIDTH lets it be. Columns that are empty
   in all rows are left out. HEADINGS may be null. */
struct grid {
    const char *const *headings;
    const char *const *cells;
    size_t columns, rows, indent;
    bool bold; /* the headings */
};
void layout_grid(FILE *stream, size_t width, const struct grid *grid);

#endif
