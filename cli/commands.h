/* The commands of the tool and their actions: one table from which the command line is read, help and manual pages are written, and
   words are completed. */
#ifndef CLI_COMMANDS_H
#define CLI_COMMANDS_H

#include "cli/actions.h"

/* Ends with a null name; the first is plain `tanchor`, of no name. */
extern const struct command all_commands[];

/* What actions do. */
typedef enum ta_status action_run(struct session *session);
action_run run_standing, run_import, run_configure, run_ready, run_build, run_show, run_deploy, run_run, run_verify,
    run_demo, run_help, run_complete, catalog_search, catalog_show, catalog_add, catalog_remove, catalog_pack,
    catalog_bundle, catalog_places, catalog_use, catalog_forget, catalog_sign_in, catalog_sign_out, catalog_accept,
    catalog_licence, catalog_evaluate, catalog_trust, bench_list, bench_add, bench_show, bench_switch, bench_card_in,
    bench_card_out, bench_factory, bench_remove;

#endif
