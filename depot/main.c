/* tanchor-depot: the stand-in for a vendor's site. Serves a folder of packages on this computer. */
#include "base/units.h"
#include "depot/server.h"

#include <glib-unix.h>
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>

struct options {
    char *address, *lifetime;
    int port, cut, delay_ms, kib_per_s;
    char **rest;
};

static enum ta_status add_account(const char *folder, const char *name, struct ta_problem *why) {
    struct accounts *accounts;
    g_autofree char *password = NULL;
    char line[1024] = "";
    if (!fgets(line, sizeof line, stdin) || !*g_strchomp(line))
        return ta_problem_set(why, TA_E_USAGE, "give it as the first line of the input", "there is no password");
    password = g_strdup(line);
    memset(line, 0, sizeof line);
    enum ta_status status = accounts_open(folder, &accounts, why);
    if (status)
        return status;
    status = accounts_set(accounts, name, password, why);
    memset(password, 0, strlen(password));
    accounts_close(accounts);
    if (!status)
        printf("account %s is ready\n", name);
    return status;
}

static gboolean quit(void *loop) {
    g_main_loop_quit(loop);
    return G_SOURCE_REMOVE;
}

static enum ta_status serve(const char *folder, const struct options *options, struct ta_problem *why) {
    struct shelf shelf;
    struct accounts *accounts = NULL;
    struct server *server = NULL;
    uint64_t lifetime_ns = UINT64_C(28800) * 1000000000; /* a working day */
    unsigned port = (unsigned)options->port;
    const char *address = options->address ? options->address : "127.0.0.1";
    const struct rehearsal rehearsal = {(unsigned)options->cut, (unsigned)options->delay_ms,
                                        (unsigned)options->kib_per_s};
    if (options->lifetime && !unit_parse(options->lifetime, strlen(options->lifetime), UNIT_TIME_NS, &lifetime_ns))
        return ta_problem_set(why, TA_E_USAGE, "write for example --token-lifetime 60min",
                              "--token-lifetime: \"%s\" is not a time", options->lifetime);
    enum ta_status status = shelf_open(folder, &shelf, why);
    if (!status)
        status = accounts_open(folder, &accounts, why);
    if (!status)
        status = server_start(&shelf, accounts, address, &port, (int64_t)(lifetime_ns / 1000000000), &rehearsal,
                              &server, why);
    if (!status) {
        GMainLoop *loop = g_main_loop_new(NULL, FALSE);
        g_unix_signal_add(SIGINT, quit, loop); /* before anybody is told that it serves */
        g_unix_signal_add(SIGTERM, quit, loop);
        printf("%zu package%s at http://%s:%u\n", shelf.offers.count, shelf.offers.count == 1 ? "" : "s", address,
               port);
        fflush(stdout);
        g_main_loop_run(loop);
        g_main_loop_unref(loop);
        server_stop(server);
    }
    accounts_close(accounts);
    shelf_close(&shelf);
    return status;
}

static enum ta_status run(const struct options *options, struct ta_problem *why) {
    guint count = options->rest ? g_strv_length(options->rest) : 0;
    const char *action = count ? options->rest[0] : "";
    if (!strcmp(action, "serve") && count == 2)
        return serve(options->rest[1], options, why);
    if (!strcmp(action, "account") && count == 3)
        return add_account(options->rest[1], options->rest[2], why);
    return ta_problem_set(why, TA_E_USAGE, "tanchor-depot serve FOLDER, or tanchor-depot account FOLDER NAME",
                          "say what to do");
}

int main(int argc, char **argv) {
    struct options options = {0};
    struct ta_problem why = {0};
    const GOptionEntry entries[] = {
        {"address", 0, 0, G_OPTION_ARG_STRING, &options.address, "the address to serve on; 127.0.0.1 by default",
         "IPv4"},
        {"port", 0, 0, G_OPTION_ARG_INT, &options.port, "the port; by default one that is free", "NUMBER"},
        {"token-lifetime", 0, 0, G_OPTION_ARG_STRING, &options.lifetime,
         "how long a sign-in lasts; eight hours by default", "TIME"},
        {"cut", 0, 0, G_OPTION_ARG_INT, &options.cut, "to try clients: break downloads off at random bytes", "SEED"},
        {"slow", 0, 0, G_OPTION_ARG_INT, &options.kib_per_s, "to try clients: send no more than this a second", "KIB"},
        {"delay", 0, 0, G_OPTION_ARG_INT, &options.delay_ms, "to try clients: wait before each answer", "MS"},
        {G_OPTION_REMAINING, 0, 0, G_OPTION_ARG_FILENAME_ARRAY, &options.rest, NULL, NULL},
        {NULL, 0, 0, 0, NULL, NULL, NULL},
    };
    g_autoptr(GError) error = NULL;
    GOptionContext *parser = g_option_context_new("serve FOLDER | account FOLDER NAME");
    g_option_context_set_summary(parser, "Serves the packages of FOLDER over HTTP, until it is interrupted. The manual "
                                         "page tanchor-depot(1) tells more.");
    g_option_context_add_main_entries(parser, entries, NULL);
    enum ta_status status = g_option_context_parse(parser, &argc, &argv, &error)
                                ? run(&options, &why)
                                : ta_problem_set(&why, TA_E_USAGE, "tanchor-depot --help", "%s", error->message);
    if (status)
        fprintf(stderr, "tanchor-depot: %s%s%s\n", why.what, *why.fix ? "; " : "", why.fix);
    g_option_context_free(parser);
    g_free(options.address);
    g_free(options.lifetime);
    g_strfreev(options.rest);
    return ta_status_exit_code(status);
}
