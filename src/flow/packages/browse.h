/* Words for what catalogs hold. All texts are freed with g_free. */
#ifndef TA_FLOW_PACKAGES_BROWSE_H
#define TA_FLOW_PACKAGES_BROWSE_H

#include "flow/bench/bench.h"

/* Boards to hold examples against: the targets of the bench, or, while that is empty, the profiles of the catalog. */
struct boards {
    const char **names;
    struct texts *connectors;
    size_t count;
};
void boards_read(struct ta_context *context, struct boards *boards);

/* "fits dunlin", or why what needs the connectors WANTED fits none. *FITS tells which. */
char *boards_fit(const struct boards *boards, const struct texts *wanted, bool *fits);

/* "for strand >=2.0, eider": HEAD stands before what there is; "lamps 8, console". */
char *needs_text(const char *head, const struct needs *needs);
char *texts_text(const struct texts *texts);

#endif
