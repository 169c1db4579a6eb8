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

/* Which of them do for what needs the connectors WANTED, "dunlin, turnstone"; or, when none does, null and WHY. */
void boards_fit(const struct boards *boards, const struct texts *wanted, char **fits, char **why);

/* "for strand >=2.0, eider": HEAD stands before what there is; "lamps 8, console". */
char *needs_text(const char *head, const struct needs *needs);
char *texts_text(const struct texts *texts);

/* What an SDK's components hold, from the comments in their headers: of all components a line for each function, or of one,
   "strand/lamps" or "strand@2.0.0/lamps", all that is said. */
enum ta_status sdk_describe(struct ta_context *context, struct catalog_item *item, struct ta_report *report,
                            struct ta_problem *why);
enum ta_status component_describe(struct ta_context *context, const char *asked, struct ta_report *report,
                                  struct ta_problem *why);
enum ta_status component_package_describe(struct ta_context *context, struct catalog_item *item,
                                          struct ta_report *report, struct ta_problem *why);

#endif
