/* The real tool against the real depot process: what is fetched, resumed, refused. */
#include "support.h"

#include "depot/waiting.h"

#include "flow/context.h"
#include "flow/depot/depot.h"
#include "host/files.h"
#include "host/http.h"

#include <arpa/inet.h>
#include <errno.h>
#include <gio/gio.h>
#include <glib/gstdio.h>
#include <netinet/in.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utime.h>

/* A depot in test_folder/depot, with packages signed by a publisher "watch" that the user trusts; "strand" asks for a licence
   when TERMS. The bundled catalog is empty, so that everything must be fetched. */

#define SHELL(...) run_program(test_folder, NULL, (const char *const[]){"sh", "-c", __VA_ARGS__, NULL})

static void pack_into_depot(const char *name, const char *version, const char *accept) {
    char *file = test_path("depot/packages/%s-%s.tar.gz", name, version);
    g_autofree char *asked = g_strdup_printf("%s@%s", name, version);
    struct ran ran =
        accept ? tanchor(test_folder, "catalog", "pack", asked, file, "--key", "watch.key", "--accept", accept)
               : tanchor(test_folder, "catalog", "pack", asked, file, "--key", "watch.key");
    ck_assert_msg(ran.code == 0, "%s", ran.err);
}

static void use_empty_catalog(void) {
    folder_make(test_path("empty/profiles"), NULL);
    g_setenv("TANCHOR_CATALOG", test_path("empty"), TRUE);
}

static void make_depot(bool terms) {
    shell("mkdir -p depot/packages depot/licences home/keys && "
          "openssl genpkey -algorithm ed25519 -out watch.key 2>/dev/null && openssl pkey -in watch.key -pubout -out "
          "watch.pem");
    write_text(test_path("depot/licences/watch-terms.txt"), "Tell the watch when a lamp leaks.\n");
    write_text(test_path("home/keys/watch.pem"), read_text(test_path("watch.pem")));
    pack_into_depot("tide-lamp", "1.0.0", NULL);
    pack_into_depot("strand", "2.1.0", terms ? "watch-terms" : NULL);
    pack_into_depot("dunlin", "1.1.0", NULL);
    use_empty_catalog();
}

static GSubprocess *depot;

static void die_with_test(gpointer with) {
    (void)with;
    prctl(PR_SET_PDEATHSIG, SIGKILL);
}

/* Starts the depot with two further arguments (null: none); its address. It ends with the test. */
static char *start_depot(const char *option, const char *value) {
    const char *const arguments[] = {DEPOT, "serve", test_path("depot"), option, value, NULL};
    g_autoptr(GSubprocessLauncher) launcher = g_subprocess_launcher_new(G_SUBPROCESS_FLAGS_STDOUT_PIPE);
    g_subprocess_launcher_set_child_setup(launcher, die_with_test, NULL, NULL);
    depot = g_subprocess_launcher_spawnv(launcher, arguments, NULL);
    ck_assert_ptr_nonnull(depot);
    g_autoptr(GDataInputStream) out = g_data_input_stream_new(g_subprocess_get_stdout_pipe(depot));
    g_autofree char *line = g_data_input_stream_read_line(out, NULL, NULL, NULL);
    ck_assert_msg(line && strstr(line, "http://"), "the depot says: %s", line ? line : "nothing");
    return test_path("%s", strstr(line, "http://")) + strlen(test_folder) + 1;
}

static void stop_depot(void) {
    g_subprocess_send_signal(depot, SIGTERM);
    g_subprocess_wait(depot, NULL, NULL);
    ck_assert_msg(g_subprocess_get_successful(depot), "the depot ended with wait status %d",
                  g_subprocess_get_status(depot));
    g_clear_object(&depot);
}

/* The same, among the places of the home instead of an earlier one. */
static char *use_depot(const char *option, const char *value) {
    static char *used;
    char *address = start_depot(option, value);
    if (used)
        expect_done(tanchor(test_folder, "catalog", "forget", used));
    expect_done(tanchor(test_folder, "catalog", "use", address));
    return used = address;
}

/* Runs the tool with its input from TEXT. */
static struct ran typed(const char *text, const char *const *arguments) {
    g_autofree char *line = g_strjoinv("' '", (char **)arguments);
    g_autofree char *script = g_strdup_printf("printf '%s\\n' | '%s' '%s'", text, TANCHOR, line);
    return SHELL(script);
}
#define TYPED(text, ...) typed(text, (const char *const[]){__VA_ARGS__, NULL})

START_TEST(an_example_comes_with_all_that_it_needs) {
    make_depot(false);
    use_depot(NULL, NULL);
    struct ran ran = tanchor(test_folder, "import", "tide-lamp");
    expect_refusal(ran, 1, "it needs tide-lamp 1.0.0, strand 2.1.0, dunlin 1.1.0 (", "--yes");
    g_auto(GStrv) none = files_names(test_path("home/packages"), "*/package.yaml");
    ck_assert(!none[0] && !g_file_test(test_path("tide-lamp"), G_FILE_TEST_EXISTS));
    ran = tanchor(test_folder, "import", "tide-lamp@3.0.0", "--yes");
    expect_refusal(ran, 1, "there is no example named \"tide-lamp\"");
    ran = tanchor(test_folder, "import", "tide-lamp@1.0.0", "--yes");
    expect_done(ran);
    expect_row(ran, "strand 2.1.0, ", " files, all digests match, signed by watch");
    char *project = test_path("tide-lamp");
    static const char *const steps[] = {"configure", "build", "verify"};
    for (size_t i = 0; i < G_N_ELEMENTS(steps); ++i) {
        ran = tanchor(project, steps[i]);
        expect_done(ran);
    }
    ran = tanchor(test_folder, "catalog", "remove", "strand@2.1.0");
    expect_refusal(ran, 1, "strand@2.1.0 stays: it is used by", "tide-lamp; --anyway");
    expect_done(tanchor(test_folder, "catalog", "remove", "strand@2.1.0", "--anyway"));
    ran = tanchor(project, "ready");
    ck_assert_int_eq(ran.code, 1);
    ck_assert_str_ne(state("SELECT what FROM duration"), "");
}
END_TEST

static bool somewhere_below(const char *folder, const char *text) {
    g_autofree char *script = g_strdup_printf("grep -rqF '%s' '%s'", text, folder);
    return SHELL(script).code == 0;
}

START_TEST(sign_in_and_licences) {
    make_depot(true);
    struct ran ran = TYPED("spring tide", "x"); /* the shell works at all */
    g_autofree char *account = g_strdup_printf("echo 'neap-4711' | '%s' account depot ada", DEPOT);
    shell(account);
    ck_assert(!somewhere_below(test_path("depot"), "neap-4711"));
    char *address = use_depot(NULL, NULL);
    ran = tanchor(test_folder, "catalog", "sign-in", address);
    expect_refusal(ran, 2, "say who signs in", "--account NAME");
    ran = TYPED("wrong", "catalog", "sign-in", address, "--account", "ada");
    expect_refusal(ran, 1, "does not know account \"ada\" with this password");
    static const char *const elsewhere[] = {"http://tides.invalid", "http://127.0.0.1:80@tides.invalid",
                                            "http://127.0.0.1.tides.invalid", "http://localhost@tides.invalid"};
    for (size_t i = 0; i < G_N_ELEMENTS(elsewhere); ++i) {
        ran = TYPED("neap-4711", "catalog", "sign-in", elsewhere[i], "--account", "ada");
        expect_refusal(ran, 1, "is not private: a password is not sent there");
    }
    ran = tanchor(test_folder, "import", "tide-lamp", "--yes");
    expect_refusal(ran, 1, "requires you to sign in",
                   "tanchor catalog sign-in http"); /* before the question that needs it */
    ran = TYPED("yes", "catalog", "accept", "strand");
    ck_assert(ran.code == 1 && strstr(ran.err, "requires you to sign in") && !strstr(ran.err, "Tell the watch"));
    ran = TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada");
    expect_done(ran);
    GStatBuf about;
    ck_assert_str_eq(state("SELECT account FROM sign_in"), "ada\n");
    ck_assert(!g_stat(test_path("home/state.db"), &about));
    ck_assert_uint_eq(about.st_mode & 0777, 0600);
    ck_assert(!somewhere_below(test_path("home"), "neap-4711"));
    ran = tanchor(test_folder, "import", "tide-lamp", "--yes");
    expect_refusal(ran, 1, "the licence watch-terms of strand 2.1.0 is not accepted",
                   "tanchor catalog accept strand@2.1.0");
    ran = TYPED("no", "catalog", "accept", "strand");
    ck_assert(ran.code == 1 && strstr(ran.err, "Tell the watch when a lamp leaks.") != NULL);
    ran = TYPED("yes", "catalog", "accept", "strand");
    expect_done(ran);
    char digest[SHA256_TEXT_BYTES];
    ck_assert_int_eq(file_sha256(test_path("depot/licences/watch-terms.txt"), NULL, digest, NULL), TA_OK);
    ck_assert_ptr_nonnull(
        strstr(state("SELECT sha256, accepted FROM acceptance"), test_path("%s 20", digest) + strlen(test_folder) + 1));
    expect_done(tanchor(test_folder, "import", "tide-lamp", "--yes"));
    /* A text that changes is another licence. */
    stop_depot();
    write_text(test_path("depot/licences/watch-terms.txt"), "Pay the watch.\n");
    folder_remove(test_path("home/packages"));
    folder_remove(test_path("home/cache"));
    address = use_depot(NULL, NULL);
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "the licence watch-terms of strand 2.1.0 is not accepted");
    stop_depot();
}
END_TEST

/* What one accepted, another has not; and a licence text cannot play with the terminal. */
START_TEST(each_account_accepts_for_itself) {
    make_depot(true);
    g_autofree char *accounts =
        g_strdup_printf("for n in ada bob; do echo 'neap-4711' | '%s' account depot $n; done", DEPOT);
    shell(accounts);
    write_text(test_path("depot/licences/watch-terms.txt"), "Mind\033[2J\033]0;tide\007 the lamp.\n");
    char *address = use_depot(NULL, NULL);
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    struct ran ran = TYPED("yes", "catalog", "accept", "strand");
    expect_done(ran);
    ck_assert_msg(strstr(ran.err, "Mind\\x1b[2J\\x1b]0;tide\\x07 the lamp.") && !strpbrk(ran.err, "\033\007"), "%s",
                  ran.err);
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "bob"));
    ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "the licence watch-terms of strand 2.1.0 is not accepted");
    expect_done(TYPED("yes", "catalog", "accept", "strand"));
    expect_done(tanchor(test_folder, "catalog", "add", "strand"));
    ck_assert_str_eq(state("SELECT account FROM acceptance ORDER BY account"), "ada\nbob\n");
}
END_TEST

/* The SDK comes from the depot, a component for it is here; the other way round; and both from the depot. */
START_TEST(what_is_here_and_what_is_offered_go_together) {
    make_depot(false);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    pack_into_depot("tide-table", "1.1.0", NULL);
    pack_into_depot("hull-number", "1.0.0", NULL);
    use_empty_catalog();
    use_depot(NULL, NULL);
    static const char *const parts[] = {"", "components", "sdk"};
    for (size_t i = 0; i < G_N_ELEMENTS(parts); ++i) {
        folder_remove(test_path("home/packages"));
        folder_remove(test_path("empty"));
        folder_remove(test_path("hull-number"));
        use_empty_catalog();
        if (*parts[i])
            shell(test_path("cp -r '" CATALOG "/%s' empty", parts[i]) + strlen(test_folder) + 1);
        struct ran ran = tanchor(test_folder, "import", "hull-number", "--yes");
        expect_done(ran);
        bool sdk_came = strstr(ran.out, "installed   strand 2.1.0"),
             table_came = strstr(ran.out, "installed   tide-table");
        ck_assert_msg(sdk_came == (i != 2) && table_came == (i != 1), "%s", ran.out);
        expect_done(tanchor(test_path("hull-number"), "configure"));
    }
}
END_TEST

/* configure asks depots as import does: what is wished for more, and what only an older SDK has. */
START_TEST(configure_takes_what_is_offered) {
    make_depot(false);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    pack_into_depot("surge", "1.0.0", NULL);
    pack_into_depot("tide-table", "1.1.0", NULL);
    pack_into_depot("strand", "2.0.0", NULL);
    use_empty_catalog();
    use_depot(NULL, NULL);
    expect_done(tanchor(test_folder, "import", "tide-lamp", "--yes"));
    char *project = test_path("tide-lamp");
    struct ran ran = tanchor(project, "configure", "--with", "surge");
    expect_refusal(ran, 1, "it needs packages that are not installed but can be fetched: surge 1.0.0, tide-table 1.1.0",
                   "--yes");
    ck_assert(!g_file_test(test_path("tide-lamp/setup.yaml"), G_FILE_TEST_EXISTS));
    ran = tanchor(project, "configure", "--with", "surge", "--yes");
    expect_done(ran);
    expect_shown(ran, "installed   surge 1.0.0");
    const char *setup = read_text(test_path("tide-lamp/setup.yaml"));
    ck_assert(strstr(setup, "surge: \"1.0.0\"") && strstr(setup, "tide-table: \"1.1.0\""));
    /* An older SDK is asked for by its version alone; it is like a newer one, which is here. */
    ran = tanchor(project, "configure", "--sdk", "strand@2.0.0", "--yes");
    expect_done(ran);
    expect_shown(ran, "strand 2.0.0 (as you asked)");
    ran = tanchor(project, "configure", "--with", "foghorn");
    expect_refusal(ran, 1, "--with asks for foghorn (no catalog has it)");
}
END_TEST

/* A component that the newest SDK has no more: the older one that is offered solves it, and nothing is refused before. */
START_TEST(an_older_sdk_that_has_it_is_taken) {
    make_depot(false);
    shell("mkdir -p kit/sdk kit/profiles && cp -r '" CATALOG "/sdk/strand-2.1.0' kit/sdk/strand-2.1.0 && "
          "cp -r kit/sdk/strand-2.1.0 kit/sdk/strand-2.2.0 && "
          "sed -i 's/^version:.*/version: 2.2.0/; s/^  lamps:/  glow:/' kit/sdk/strand-2.2.0/sdk.yaml && "
          "cp '" CATALOG "/profiles/dunlin.yaml' kit/profiles");
    g_setenv("TANCHOR_CATALOG", test_path("kit"), TRUE);
    use_depot(NULL, NULL);
    edit(test_path("kit/sdk/strand-2.2.0/sdk.yaml"), "lamps", "glow");
    struct ran ran = tanchor(test_folder, "import", "tide-lamp", "--yes");
    expect_done(ran);
    ck_assert(!strstr(ran.out, "installed   strand"));
    ran = tanchor(test_path("tide-lamp"), "configure");
    expect_done(ran);
    expect_shown(ran, "strand 2.1.0 (the newest that fits)");
}
END_TEST

static char *base64url(const void *bytes, gsize length) {
    char *text = g_base64_encode(bytes, length);
    g_strdelimit(text, "+", '-');
    g_strdelimit(text, "/", '_');
    text[strcspn(text, "=")] = '\0';
    return text;
}

/* A token as the depot makes them (RFC 7519), with other claims. */
static char *signed_token(const char *key, gsize length, const char *claims) {
    static const char head[] = "{\"alg\":\"HS256\",\"typ\":\"JWT\"}";
    g_autofree char *first = base64url(head, strlen(head)), *second = base64url(claims, strlen(claims));
    g_autofree char *signed_part = g_strdup_printf("%s.%s", first, second);
    guint8 digest[32];
    gsize size = sizeof digest;
    g_autoptr(GHmac) sum = g_hmac_new(G_CHECKSUM_SHA256, (const guchar *)key, length);
    g_hmac_update(sum, (const guchar *)signed_part, -1);
    g_hmac_get_digest(sum, digest, &size);
    g_autofree char *third = base64url(digest, size);
    return g_strdup_printf("%s.%s", signed_part, third);
}

START_TEST(a_token_ends) {
    make_depot(true);
    g_autofree char *account = g_strdup_printf("echo 'neap-4711' | '%s' account depot ada", DEPOT);
    shell(account);
    char *address = use_depot("--token-lifetime", "6s");
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    expect_done(TYPED("yes", "catalog", "accept", "strand"));
    g_usleep(6200000);
    struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "ran out at 20", "tanchor catalog sign-in http://127.0.0.1");
    /* The depot says so itself when the clock of this computer is behind, and refuses tokens that it did not make. */
    state("UPDATE sign_in SET expires_s = 4000000000");
    ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "requires you to sign in: the token has ended");
    state("UPDATE sign_in SET token = 'eyJhbGciOiJub25lIn0.eyJzdWIiOiJhZGEiLCJleHAiOjQwMDAwMDAwMDB9.'");
    ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "requires you to sign in: the token is not valid");
    /* One that is not valid yet. */
    g_autofree char *key = NULL, *early = NULL;
    gsize length;
    ck_assert(g_file_get_contents(test_path("depot/secret.key"), &key, &length, NULL));
    early = signed_token(key, length, "{\"sub\":\"ada\",\"nbf\":3999999999,\"exp\":4000000000}");
    g_autofree char *update = g_strdup_printf("UPDATE sign_in SET token = '%s'", early);
    state(update);
    ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "requires you to sign in: the token is not valid");
    g_free(early);
    early = signed_token(key, length, "{\"sub\":\"ada\",\"nbf\":1,\"exp\":4000000000}");
    g_free(update);
    update = g_strdup_printf("UPDATE sign_in SET token = '%s'", early);
    state(update);
    expect_done(tanchor(test_folder, "catalog", "add", "strand"));
    expect_done(tanchor(test_folder, "catalog", "sign-out", address));
    ran = tanchor(test_folder, "catalog", "sign-out", address);
    expect_refusal(ran, 1, "you are not signed in");
}
END_TEST

/* Downloads. */

/* A package of random bytes, which do not pack: an example with a chart of SIZE bytes. */
static void add_chart(size_t size) {
    g_autofree guint8 *bytes = g_malloc(size);
    GRand *random = g_rand_new_with_seed(5);
    for (size_t i = 0; i < size; ++i)
        bytes[i] = (guint8)g_rand_int(random);
    g_rand_free(random);
    write_text(test_path("empty/examples/chart/anchor.yaml"),
               "project: chart\nversion: 1.0.0\ntitle: a chart\nneeds: {sdk: {strand: '*'}}\nsources: []\n");
    ck_assert(g_file_set_contents(test_path("empty/examples/chart/chart.dat"), (char *)bytes, (gssize)size, NULL));
    pack_into_depot("chart", "1.0.0", NULL);
    folder_remove(test_path("empty/examples"));
}

static struct ta_context *new_context(void) {
    struct ta_context *context;
    ck_assert_int_eq(ta_context_new(&context, NULL), TA_OK);
    return context;
}

/* The one offer of a package of that name, from the depot in use. */
static const struct offer *offer_of(struct ta_context *context, const char *name) {
    const struct offer_query query = {.name = name};
    static struct offers offers;
    struct ta_problem silent, why;
    ck_assert_int_eq(depot_offers(context, &query, &offers, &silent, &why), TA_OK);
    ck_assert_msg(offers.count == 1, "%s", silent.what);
    return &offers.items[0];
}

START_TEST(five_hundred_broken_downloads_are_all_resumed) {
    enum { DOWNLOADS = 500 };
    make_depot(false);
    add_chart(40000);
    use_depot("--cut", "41");
    struct ta_context *context = new_context();
    struct step step = step_begin(context, NULL);
    const struct offer *chart = offer_of(context, "chart");
    char *path = test_path("download");
    unsigned resumed = 0;
    for (int i = 0; i < DOWNLOADS; ++i) {
        struct ta_problem why;
        enum ta_status status = TA_E_SYSTEM;
        for (int tries = 0; status && tries < 10; ++tries, resumed += status != TA_OK)
            status = depot_download(context, chart, path, &why); /* which checks the digest */
        ck_assert_msg(status == TA_OK, "%d: %s", i, why.what);
        unlink(path);
    }
    /* What was begun by an earlier run is gone on with; what is wrong is refused, and begun anew. */
    stop_depot();
    step_end(&step, TA_OK);
    ta_context_free(context);
    use_depot(NULL, NULL);
    context = new_context();
    step = step_begin(context, NULL);
    folder_remove(test_path("home/cache"));
    chart = offer_of(context, "chart");
    g_autofree char *bytes = NULL;
    gsize length;
    ck_assert(g_file_get_contents(test_path("depot/packages/chart-1.0.0.tar.gz"), &bytes, &length, NULL));
    ck_assert(g_file_set_contents(path, bytes, 12345, NULL));
    ck_assert_int_eq(depot_download(context, chart, path, NULL), TA_OK);
    ck_assert(g_file_set_contents(path, "not its beginning", -1, NULL));
    struct ta_problem why;
    ck_assert_int_eq(depot_download(context, chart, path, &why), TA_E_SYSTEM);
    ck_assert_ptr_nonnull(strstr(why.what, "does not have the SHA-256 that its index gives"));
    ck_assert(!g_file_test(path, G_FILE_TEST_EXISTS));
    ck_assert_int_eq(depot_download(context, chart, path, &why), TA_OK);
    step_end(&step, TA_OK);
    ta_context_free(context);
}
END_TEST

START_TEST(two_hundred_downloads_at_once_are_all_whole) {
    enum { DOWNLOADS = 200 };
    make_depot(false);
    add_chart(200000);
    use_depot(NULL, NULL);
    g_autofree char *places = NULL;
    gsize size;
    ck_assert(g_file_get_contents(test_path("home/state.db"), &places, &size, NULL));
    g_autofree GSubprocess **all = g_new0(GSubprocess *, DOWNLOADS);
    for (int i = 0; i < DOWNLOADS; ++i) {
        char *home = test_path("homes/%d", i);
        folder_make(home, NULL);
        ck_assert(g_file_set_contents(test_path("homes/%d/state.db", i), places, (gssize)size, NULL));
        write_text(test_path("homes/%d/keys/watch.pem", i), read_text(test_path("watch.pem")));
        g_autoptr(GSubprocessLauncher) launcher = g_subprocess_launcher_new(G_SUBPROCESS_FLAGS_STDOUT_SILENCE);
        g_subprocess_launcher_setenv(launcher, "TANCHOR_HOME", home, TRUE);
        all[i] = g_subprocess_launcher_spawn(launcher, NULL, TANCHOR, "catalog", "add", "chart", NULL);
    }
    char *first = test_path("homes/0/packages/chart-1.0.0/examples/chart/chart.dat"), wanted[SHA256_TEXT_BYTES];
    for (int i = 0; i < DOWNLOADS; ++i) {
        char digest[SHA256_TEXT_BYTES];
        g_subprocess_wait(all[i], NULL, NULL);
        ck_assert_msg(g_subprocess_get_successful(all[i]), "download %d failed", i);
        g_object_unref(all[i]);
        ck_assert_int_eq(file_sha256(first, NULL, wanted, NULL), TA_OK);
        ck_assert_int_eq(
            file_sha256(test_path("homes/%d/packages/chart-1.0.0/examples/chart/chart.dat", i), NULL, digest, NULL),
            TA_OK);
        ck_assert_str_eq(digest, wanted);
    }
}
END_TEST

START_TEST(a_full_disk_halfway_is_told_and_gone_on_from) {
    make_depot(false);
    add_chart(300000);
    use_depot(NULL, NULL);
    expect_done(tanchor(test_folder, "catalog"));
    g_autofree char *script =
        g_strdup_printf("ulimit -f 100; exec '%s' catalog add chart", TANCHOR); /* 512-byte blocks */
    struct ran ran = SHELL(script);
    expect_refusal(ran, 3, "cannot keep what comes from http://127.0.0.1", "File too large", "free some space");
    g_auto(GStrv) parts = files_match(test_path("home/cache/downloads"), "chart-*");
    ck_assert(parts[0] && file_size(test_path("home/cache/downloads/%s", parts[0])) > 0);
    ran = tanchor(test_folder, "catalog", "add", "chart");
    expect_done(ran);
    ran = run_program(test_folder, (const char *const[]){"TANCHOR_HOME=/proc/nowhere", NULL},
                      (const char *const[]){TANCHOR, "catalog", "use", test_path("empty"), NULL});
    ck_assert_int_eq(ran.code, 1); /* an empty catalog is none */
    ran = run_program(test_folder, (const char *const[]){"TANCHOR_HOME=/proc/nowhere", NULL},
                      (const char *const[]){TANCHOR, "catalog", "use", CATALOG, NULL});
    expect_refusal(ran, 3, "/proc/nowhere");
}
END_TEST

/* Depots in trouble. */

/* Takes connections on a free port and closes each after sending TEXT, a byte each DRIP_US when that is not 0; its address. It
   ends with the test. */
static char *start_dripper(const char *text, useconds_t drip_us) {
    struct sockaddr_in where = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t size = sizeof where;
    int listener = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    ck_assert(!bind(listener, (struct sockaddr *)&where, size) && !listen(listener, 16) &&
              !getsockname(listener, (struct sockaddr *)&where, &size));
    if (fork() == 0) {
        prctl(PR_SET_PDEATHSIG, SIGKILL);
        for (;;) {
            int connection = accept(listener, NULL, NULL);
            char request[4096];
            if (read(connection, request, sizeof request) < 0)
                _exit(1);
            size_t piece = drip_us ? 1 : strlen(text);
            for (const char *at = text; *at && send(connection, at, piece, MSG_NOSIGNAL) > 0; at += piece)
                usleep(drip_us);
            close(connection);
        }
    }
    close(listener);
    return test_path("http://127.0.0.1:%u", ntohs(where.sin_port)) + strlen(test_folder) + 1;
}

#define start_liar(text) start_dripper(text, 0)

/* What a sign-in answers goes into the headers of later requests, and lasts as long as it says: both within reason. */
START_TEST(sign_ins_that_lie_are_refused) {
    static const struct {
        const char *token, *lasts, *told;
    } answers[] = {
        {"a\\r\\nX-Evil: 1", "60", "gave no token"},
        {"a b", "60", "gave no token"},
        {"a\\u0007", "60", "gave no token"},
        {"\\u00e9", "60", "gave no token"},
        {"a", "0", "gave no token"},
        {"a", "-9223372036854775808", "gave no token"},
        {"a", "9223372036854775807", NULL},
        {"a", "1e308", "gave no token"},
        {"abc.DEF-_~+/=", "60", NULL},
    };
    use_empty_catalog();
    for (size_t i = 0; i < G_N_ELEMENTS(answers); ++i) {
        g_autofree char *json =
            g_strdup_printf("{\"access_token\":\"%s\",\"expires_in\":%s}", answers[i].token, answers[i].lasts);
        g_autofree char *text = g_strdup_printf("HTTP/1.1 200 OK\r\nContent-Length: %zu\r\n\r\n%s", strlen(json), json);
        char *address = start_liar(text);
        struct ran ran = TYPED("x", "catalog", "sign-in", address, "--account", "ada");
        ck_assert_msg(answers[i].told ? ran.code == 3 && strstr(ran.err, answers[i].told) : ran.code == 0, "%s: %s%s",
                      json, ran.out, ran.err);
    }
    /* Guessing costs the depot no time. */
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    folder_remove(test_path("home"));
    make_depot(false);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    g_autofree char *account = g_strdup_printf("echo 'neap-4711' | '%s' account depot ada", DEPOT);
    shell(account);
    char *address = use_depot(NULL, NULL);
    for (int i = 0; i < 10; ++i) {
        struct ran ran = TYPED("wrong", "catalog", "sign-in", address, "--account", "ada");
        ck_assert_msg(strstr(ran.err, "does not know account") || strstr(ran.err, "too many"), "%s", ran.err);
    }
    struct ran ran = TYPED("wrong", "catalog", "sign-in", address, "--account", "ada");
    for (int i = 0; i < 10 && !strstr(ran.err, "too many"); ++i) /* when a minute has just begun */
        ran = TYPED("wrong", "catalog", "sign-in", address, "--account", "ada");
    expect_refusal(ran, 3, "too many wrong passwords; wait a minute");
    stop_depot();
    /* Killed at any instant, it is done or not. */
    address = use_depot(NULL, NULL);
    for (int i = 0; i < 20; ++i) {
        g_autofree char *script = g_strdup_printf(
            "echo neap-4711 | '%s' catalog sign-in %s --account ada & sleep 0.%03d; kill -9 $! 2>/dev/null; wait",
            TANCHOR, address, i * 8);
        run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
        ck_assert_str_eq(state("PRAGMA integrity_check"), "ok\n");
    }
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    stop_depot();
    /* A token does not outlive its account. */
    address = use_depot(NULL, NULL);
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_refusal(ran, 1, "nobody licenses this here");
    stop_depot();
    shell("echo '{}' > depot/accounts.json");
    state("DELETE FROM sign_in WHERE rowid NOT IN (SELECT max(rowid) FROM sign_in)");
    g_autofree char *moved = g_strdup_printf("UPDATE sign_in SET place = '%s'", use_depot(NULL, NULL));
    state(moved);
    ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_refusal(ran, 1, "requires you to sign in");
    stop_depot();
}
END_TEST

/* Somebody who sends a byte now and then is told like somebody who sends none. */
START_TEST(a_depot_that_drips_is_left) {
    use_empty_catalog();
    char *address = start_dripper("HTTP/1.1 200 OK\r\nContent-Length: 500\r\n\r\n{\"format\":1, \"packages\":[         "
                                  "                                 ",
                                  300000);
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 2\n");
    expect_done(tanchor(test_folder, "catalog", "use", address));
    gint64 start_us = g_get_monotonic_time();
    struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 3, "is too slow");
    write_text(test_path("home/preferences.yaml"), "transfer-seconds: 2\n");
    ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 3, "took longer than 2 s");
    ck_assert_int_lt(g_get_monotonic_time() - start_us, 15 * G_TIME_SPAN_SECOND);
}
END_TEST

START_TEST(depots_in_trouble_are_told_in_a_line) {
    static const struct {
        const char *text, *told;
    } liars[] = {
        {"", "broke off"},
        {"HTTP/1.1 200 OK\r\nContent-Length: 500\r\n\r\n{\"format\":1", "broke off"},
        {"HTTP/1.1 200 OK\r\nContent-Length: 4\r\n\r\nhum!", "the index is not JSON"},
        {"HTTP/1.1 500 Oops\r\nContent-Length: 0\r\n\r\n", "answers with 500"},
        {"HTTP/1.1 302 Found\r\nLocation: file:///etc/passwd\r\nContent-Length: 0\r\n\r\n", "answers with 302"},
        {"HTTP/1.1 403 No\r\nContent-Length: 32\r\n\r\n{\"detail\":\"go\\u001b[31m\\naway\"}...", "refuses:"},
    };
    use_empty_catalog();
    for (size_t i = 0; i < G_N_ELEMENTS(liars); ++i) {
        char *address = start_liar(liars[i].text);
        expect_done(tanchor(test_folder, "catalog", "use", address));
        struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
        ck_assert_msg(ran.code == 1 || ran.code == 3, "%d", ran.code);
        expect_refusal(ran, ran.code, liars[i].told, "http://127.0.0.1");
        ck_assert(!strchr(ran.err, '\033'));
        expect_done(tanchor(test_folder, "catalog", "forget", address));
    }
    expect_done(tanchor(test_folder, "catalog", "use", "http://127.0.0.1:1"));
    struct ran ran = tanchor(test_folder, "import", "tide-lamp");
    expect_refusal(ran, 3, "http://127.0.0.1:1 cannot be reached");
    ran = tanchor(test_folder, "catalog", "show", "strand");
    expect_refusal(ran, 3, "http://127.0.0.1:1 cannot be reached");
    ran = tanchor(test_folder, "catalog");
    ck_assert(ran.code == 1 && strstr(ran.out, "warning  depot       http://127.0.0.1:1 cannot be reached"));
}
END_TEST

START_TEST(slow_and_absent_depots) {
    make_depot(false);
    char *address = use_depot("--delay", "2500");
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 1\n");
    struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 3, "is too slow: nothing came for 1 s");
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 0\n");
    g_unlink(test_path("home/preferences.yaml"));
    expect_done(tanchor(test_folder, "catalog"));
    stop_depot();
    /* Within a minute nobody is asked; afterwards what was offered the last time is used, and said. */
    ran = tanchor(test_folder, "catalog", "--kind", "sdk");
    ck_assert(ran.code == 0 && strstr(ran.out, address) && !strstr(ran.out, "warning"));
    state("UPDATE depot SET asked_s = 1000000000");
    ran = tanchor(test_folder, "catalog", "--kind", "sdk");
    ck_assert(ran.code == 0 && strstr(ran.out, "strand") && strstr(ran.out, "cannot be reached"));
    state("UPDATE offer SET entry = '{'");
    ran = tanchor(test_folder, "catalog", "strand");
    ck_assert_msg(ran.code == 3 && strstr(ran.err, "is damaged"), "%s%s", ran.out, ran.err);
}
END_TEST

/* A package as the depot should not have it: SCRIPT changes what is in work/, which becomes strand-2.1.0.tar.gz again. */
static void spoil_package(const char *script) {
    g_autofree char *all = g_strdup_printf(
        "rm -rf work && mkdir work && cd work && tar xzf ../depot/packages/strand-2.1.0.tar.gz && %s && "
        "tar czf ../depot/packages/strand-2.1.0.tar.gz *",
        script);
    shell(all);
}

START_TEST(what_is_wrong_with_a_package_is_found_before_it_is_unpacked) {
    make_depot(false);
    write_text(test_path("good"), "");
    shell("cp depot/packages/strand-2.1.0.tar.gz good");
    static const struct {
        const char *script, *told;
    } cases[] = {
        {"sed -i 's/^title: .*/title: other/' package.yaml",
         "its signature is by no publisher whose key is known here"},
        {"echo AAAA > package.sig", "its signature is by no publisher"},
        {"echo more >> package.sig", "its signature is by no publisher"},
        {"printf ' ' >> package.sig", "its signature is by no publisher"},
        {"head -c 5000 /dev/zero | tr '\\0' A >> package.sig", "its signature is by no publisher"},
        {"rm package.sig", "it is not signed, and a depot's packages must be"},
        {"echo '/* more */' >> sdk/strand-2.1.0/core/clock.c", "core/clock.c does not have the digest"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        shell("cp good depot/packages/strand-2.1.0.tar.gz");
        spoil_package(cases[i].script);
        use_depot(NULL, NULL);
        struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
        expect_refusal(ran, 1, "strand 2.1.0 from http://127.0.0.1", cases[i].told);
        g_auto(GStrv) left = files_match(test_path("home/packages"), "*/*");
        g_auto(GStrv) hidden = files_match(test_path("home/packages"), ".*/*");
        ck_assert(!left[0] && !hidden[0]);
        stop_depot();
    }
    shell("cp good depot/packages/strand-2.1.0.tar.gz");
    use_depot(NULL, NULL);
    g_unlink(test_path("home/keys/watch.pem"));
    struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
    expect_refusal(ran, 1, "by no publisher whose key is known here", "tanchor catalog trust");
    ran = tanchor(test_folder, "import", "tide-lamp", "--yes"); /* an import says the same */
    ck_assert_msg(ran.code == 1 && strstr(ran.err, "by no publisher whose key is known here") &&
                      strstr(ran.err, "tanchor catalog trust"),
                  "%s", ran.err);
    ran = tanchor(test_folder, "catalog", "trust", "watch.key");
    expect_refusal(ran, 1, "watch.key does not end in .pem");
    expect_done(tanchor(test_folder, "catalog", "trust", "watch.pem"));
    expect_done(tanchor(test_folder, "catalog", "add", "strand"));
    stop_depot();
}
END_TEST

/* An index that does not say what the packages are: the keeper's own, newer than the packages. */
START_TEST(an_index_that_lies_is_found_out) {
    static const struct {
        const char *query, *from, *to, *told;
    } cases[] = {
        {"strand%20sdk", "\"sha256\":\"", "\"sha256\":\"0000000000000000",
         "does not have the SHA-256 that its index gives"},
        {"strand%20sdk", "\"size\":", "\"size\":9", "bytes, its index says 9"},
        {"strand%20sdk", "\"version\":\"2.1.0\"", "\"version\":\"2.9.0\"", "refuses: the package is gone"},
        {"tide-lamp", "\"name\":\"tide-lamp\"", "\"name\":\"strand\"",
         "it holds tide-lamp 1.0.0"}, /* signed as it is */
    };
    make_depot(false);
    start_depot(NULL, NULL);
    stop_depot();
    shell("cp depot/packages/tide-lamp-1.0.0.tar.gz kept");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); ++i) {
        char *address = start_depot(NULL, NULL);
        g_autofree char *script = g_strdup_printf("rm -f depot/index.json; '%s' --version; sleep 0; true", TANCHOR);
        shell(script);
        struct http_answer answer;
        const struct http_request request = {.url = test_path("%s/v1/search?words=%s", address, cases[i].query) +
                                                    strlen(test_folder) + 1,
                                             .limit = 1 << 20,
                                             .file = -1,
                                             .patience_s = 5};
        ck_assert_int_eq(http_ask(&request, &answer, NULL), TA_OK);
        stop_depot();
        char *index = test_path("depot/index.json");
        write_text(index, answer.text);
        edit(index, cases[i].from, cases[i].to);
        if (i == 0) { /* keep the digest's length */
            char *text = (char *)read_text(index), *at = strstr(text, "0000000000000000") + 16;
            memmove(at, at + 16, strlen(at + 16) + 1);
            write_text(index, text);
        }
        http_clear(&answer);
        if (cases[i].query[0] == 't')
            shell("cp kept depot/packages/strand-1.0.0.tar.gz");
        struct utimbuf tomorrow = {(time_t)(g_get_real_time() / 1000000 + 86400),
                                   (time_t)(g_get_real_time() / 1000000 + 86400)};
        ck_assert(!utime(index, &tomorrow));
        use_depot(NULL, NULL);
        struct ran ran = tanchor(test_folder, "catalog", "add", "strand");
        ck_assert_msg((ran.code == 3 || ran.code == 1) && strstr(ran.err, cases[i].told), "%s", ran.err);
        stop_depot();
        g_unlink(index);
    }
}
END_TEST

/* Each refused with a problem that names it, or, where it says "", read. */
START_TEST(hostile_indexes_are_refused_and_named) {
#define HEAD_WITHOUT_SIZE                                                                                              \
    "{\"format\":1,\"packages\":[{\"name\":\"a\",\"kind\":\"sdk\",\"version\":\"1.0.0\",\"sha256\":\"" DIGEST "\""
#define HEAD   HEAD_WITHOUT_SIZE ",\"size\":1"
#define DIGEST "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"
    static const struct {
        const char *text, *told;
    } corpus[] = {
        {HEAD "}]}", ""},
        {HEAD ",\"mood\":\"calm\"}]}", ""},
        {"", "not JSON"},
        {"[]", "another format"},
        {"{}", "another format"},
        {"null", "not JSON"},
        {"\"x\"", "not JSON"},
        {"{\"format\":2,\"packages\":[]}", "another format"},
        {"{\"format\":\"1\",\"packages\":[]}", "another format"},
        {"{\"format\":1}", "no list of packages"},
        {"{\"format\":1,\"packages\":{}}", "no list of packages"},
        {"{\"format\":1,\"packages\":[1]}", "package 1 of the index: it is not a mapping"},
        {"{\"format\":1,\"packages\":[[]]}", "package 1 of the index: it is not a mapping"},
        {"{\"format\":1,\"packages\":[{}]}", "name is missing"},
        {"{\"format\":1,\"packages\":[{\"name\":7}]}", "name is not text"},
        {"{\"format\":1,\"packages\":[{\"name\":\"\"}]}", "name is not a name"},
        {"{\"format\":1,\"packages\":[{\"name\":\"../a\"}]}", "name is not a name"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a/b\"}]}", "name is not a name"},
        {"{\"format\":1,\"packages\":[{\"name\":\"A\"}]}", "name is not a name"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a\\u0000b\"}]}", "not JSON"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a\"}]}", "version is missing"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a\",\"version\":\"1.0.0\",\"sha256\":\"" DIGEST
         "\",\"kind\":\"boat\"}]}",
         "kind is not known"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a\",\"kind\":\"sdk\",\"version\":\"new\"}]}",
         "version is not a version"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a\",\"kind\":\"sdk\",\"version\":\"1.0.0\"}]}", "sha256 is missing"},
        {"{\"format\":1,\"packages\":[{\"name\":\"a\",\"kind\":\"sdk\",\"version\":\"1.0.0\",\"sha256\":\"abc\"}]}",
         "sha256 is not a SHA-256"},
        {HEAD ",\"title\":[]}]}", "title is not text"},
        {HEAD ",\"title\":\"a\\u001b[2Jb\"}]}", "title holds a control character"},
        {HEAD ",\"summary\":\"two\\nlines\"}]}", "summary holds a control character"},
        {HEAD_WITHOUT_SIZE ",\"size\":-1}]}", "size is not a size in bytes"},
        {HEAD_WITHOUT_SIZE ",\"size\":1.5}]}", "size is not a size in bytes"},
        {HEAD_WITHOUT_SIZE ",\"size\":99999999999999999999}]}", "not JSON"},
        {HEAD_WITHOUT_SIZE "}]}", "size is missing"},
        {HEAD ",\"unpacked\":\"9\"}]}", "unpacked is not a size in bytes"},
        {HEAD ",\"needs\":[]}]}", "needs is not a mapping"},
        {HEAD ",\"needs\":{\"sdk\":[]}}]}", "sdk is not a mapping"},
        {HEAD ",\"needs\":{\"sdk\":{\"b\":\"about 2\"}}}]}", "sdk contains something that is not a version range"},
        {HEAD ",\"needs\":{\"sdk\":{\"b\":2}}}]}", "sdk contains something that is not a version range"},
        {HEAD ",\"needs\":{\"sdk\":{\"../b\":\"*\"}}}]}", "sdk contains something that is not a version range"},
        {HEAD ",\"needs\":{\"board\":\"lamps\"}}]}", "board is not a list"},
        {HEAD ",\"needs\":{\"board\":[8]}}]}", "board contains something that is not text"},
        {HEAD ",\"provides\":{}}]}", "provides is not a list"},
        {HEAD ",\"provides\":[\"a\\tb\"]}]}", "provides contains something that is not text"},
        {HEAD ",\"accept\":\"terms\"}]}", "accept_sha256 is missing"},
        {HEAD ",\"accept\":\"../terms\",\"accept_sha256\":\"" DIGEST "\"}]}", "accept is not a name"},
        {HEAD ",\"name\":\"b\"}]}", "not JSON"},
        {HEAD "}", "not JSON"},
        {HEAD "},]}", "not JSON"},
        {HEAD ",\"title\":\"\xff\xfe\"}]}", "not JSON"},
        {HEAD "}]} tail", "not JSON"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(corpus); ++i) {
        struct arena *arena = arena_new();
        struct offers offers;
        struct ta_problem why = {0};
        enum ta_status status =
            package_index_read(corpus[i].text, strlen(corpus[i].text), "http://x", arena, &offers, &why);
        ck_assert_msg((status == TA_OK) == !*corpus[i].told, "%s: %s", corpus[i].text, why.what);
        ck_assert_msg(strstr(why.what, corpus[i].told) != NULL, "%s: %s", corpus[i].text, why.what);
        arena_free(arena);
    }
    /* Too deep, too long, cut at every byte. */
    g_autoptr(GString) deep = g_string_new("{\"format\":1,\"packages\":");
    for (int i = 0; i < 100000; ++i)
        g_string_append(deep, "[");
    g_autoptr(GString) lists = g_string_new(HEAD ",\"provides\":[\"a\"");
    for (int i = 0; i < 300; ++i)
        g_string_append(lists, ",\"b\"");
    g_string_append(lists, "]}]}");
    g_autoptr(GString) title = g_string_new(HEAD ",\"title\":\"");
    for (int i = 0; i < 5000; ++i)
        g_string_append_c(title, 'x');
    g_string_append(title, "\"}]}");
    const GString *const large[] = {deep, lists, title};
    static const char *const told[] = {"not JSON", "provides is not a list, or is too long", "title is too long"};
    for (size_t i = 0; i < G_N_ELEMENTS(large); ++i) {
        struct arena *arena = arena_new();
        struct offers offers;
        struct ta_problem why = {0};
        ck_assert_int_eq(package_index_read(large[i]->str, large[i]->len, "x", arena, &offers, &why), TA_E_INPUT);
        ck_assert_msg(strstr(why.what, told[i]) != NULL, "%s", why.what);
        arena_free(arena);
    }
    for (size_t length = 0; length < strlen(HEAD "}]}"); ++length) {
        struct arena *arena = arena_new();
        struct offers offers;
        ck_assert_int_eq(package_index_read(HEAD "}]}", length, "x", arena, &offers, NULL), TA_E_INPUT);
        arena_free(arena);
    }
}
END_TEST

START_TEST(offers_are_found_by_words_kind_and_component) {
    make_depot(false);
    char *address = use_depot(NULL, NULL);
    struct ran ran = tanchor(test_folder, "catalog", "TIDE", "lamp");
    ck_assert(ran.code == 0 && strstr(ran.out, "tide-lamp") && !strstr(ran.out, "strand "));
    ck_assert_ptr_nonnull(strstr(ran.out, address));
    ran = tanchor(test_folder, "catalog", "--kind", "board");
    ck_assert(ran.code == 0 && strstr(ran.out, "dunlin") && !strstr(ran.out, "tide-lamp"));
    ran = tanchor(test_folder, "catalog", "--component", "lamps");
    ck_assert(ran.code == 0 && strstr(ran.out, "strand") && strstr(ran.out, "tide-lamp") && !strstr(ran.out, "dunlin"));
    ran = tanchor(test_folder, "catalog", "--component", "lamp");
    ck_assert_int_eq(ran.code, 1);
    ran = tanchor(test_folder, "catalog", "submarine");
    ck_assert_int_eq(ran.code, 1);
    ran = tanchor(test_folder, "catalog", "show", "strand");
    expect_row(ran, "provides", "core, lamps, button");
    expect_row(ran, "where", address);
    expect_done(tanchor(test_folder, "catalog", "add", "dunlin"));
    ran = tanchor(test_folder, "catalog", "tide-lamp");
    ck_assert(ran.code == 0 && strstr(ran.out, "3.3 KiB"));
    edit(test_path("home/packages/dunlin-1.1.0/profiles/dunlin.yaml"), "count: 8", "count: 6");
    ran = tanchor(test_folder, "catalog", "tide-lamp");
    expect_row(ran, "tide-lamp", "needs lamps 8, dunlin has 6");
    edit(test_path("home/packages/dunlin-1.1.0/profiles/dunlin.yaml"), "count: 6", "count: 8");
    ran = tanchor(test_folder, "catalog", "--board", "dunlin");
    ck_assert(ran.code == 0 && strstr(ran.out, "tide-lamp"));
    ran = tanchor(test_folder, "catalog", "dunlin"); /* installed now: not offered a second time */
    ck_assert(ran.code == 0 && !strstr(ran.out, address));
    struct http_answer answer;
    const struct http_request request = {.url = test_path("%s/v1/search?words=tide%%20LAMP&kind=example", address) +
                                                strlen(test_folder) + 1,
                                         .limit = 1 << 20,
                                         .file = -1,
                                         .patience_s = 5};
    ck_assert_int_eq(http_ask(&request, &answer, NULL), TA_OK);
    ck_assert(strstr(answer.text, "tide-lamp") && !strstr(answer.text, "dunlin"));
    http_clear(&answer);
}
END_TEST

START_TEST(a_component_can_be_tried_for_thirty_days) {
    make_depot(false);
    g_setenv("TANCHOR_CATALOG", CATALOG, TRUE);
    struct ran ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_refusal(ran, 1, "no depot is in use");
    char *address = use_depot(NULL, NULL);
    ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_refusal(ran, 1, "requires you to sign in", "tanchor catalog sign-in http://127.0.0.1");
    g_autofree char *account = g_strdup_printf("echo 'neap-4711' | '%s' account depot ada", DEPOT);
    shell(account);
    stop_depot(); /* accounts are read when it starts */
    shell("mkdir depot/evaluations && cp watch.key depot/evaluations");
    address = use_depot(NULL, NULL);
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_refusal(ran, 1, "nobody licenses this here"); /* a component that the depot does not offer */
    stop_depot();
    expect_done(tanchor(test_path("depot/packages"), "catalog", "pack", "surge", "--key", "../../watch.key"));
    shell("mv depot/evaluations/watch.key watch.kept");
    address = use_depot(NULL, NULL);
    expect_done(TYPED("neap-4711", "catalog", "sign-in", address, "--account", "ada"));
    ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_refusal(ran, 1, "nobody licenses this here"); /* nor one whose publisher gave no key */
    ran = tanchor(test_folder, "catalog", "evaluate", "tide-table");
    expect_refusal(ran, 1, "tide-table takes no licence");
    shell("mv watch.kept depot/evaluations/watch.key");
    ran = tanchor(test_folder, "catalog", "evaluate", "surge");
    expect_done(ran);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc(), end = g_date_time_add_days(now, 30);
    g_autofree char *day = g_date_time_format(end, "surge until %Y-%m-%d");
    ck_assert_msg(strstr(ran.out, day) != NULL, "%s", ran.out);
    GStatBuf about;
    ck_assert(!g_stat(test_path("home/licences/surge.jwt"), &about) && (about.st_mode & 0777) == 0600);
}
END_TEST

/* Whoever sends half a request, or drips it, is left after a while; whoever waits for an answer is not. */
START_TEST(half_a_request_is_not_waited_for_for_ever) {
    struct patience *patience = patience_new(1);
    struct waiting *waiting[3];
    int sockets[3][2];
    char byte;
    for (int i = 0; i < 3; ++i) {
        ck_assert_int_eq(socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, sockets[i]), 0);
        waiting[i] = waiting_begin(patience, sockets[i][0]);
    }
    waiting_has_time(waiting[1], true);
    waiting_end(waiting[2]);
    ck_assert_int_eq(recv(sockets[0][1], &byte, 1, 0), 0); /* it was closed */
    for (int i = 1; i < 3; ++i)
        ck_assert(recv(sockets[i][1], &byte, 1, MSG_DONTWAIT) < 0 && errno == EAGAIN);
    waiting_has_time(waiting[1], false);
    ck_assert_int_eq(recv(sockets[1][1], &byte, 1, 0), 0);
    waiting_end(waiting[0]);
    waiting_end(waiting[1]);
    patience_free(patience);
    /* One address has so many connections, and no more; the others are served. */
    make_depot(false);
    char *address = use_depot(NULL, NULL);
    struct sockaddr_in where = {.sin_family = AF_INET,
                                .sin_port = htons((uint16_t)atoi(strrchr(address, ':') + 1)),
                                .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    static const char half[] = "GET /v1/index HTTP/1.1\r\nX: ";
    unsigned kept = 0;
    int halves[400];
    for (size_t i = 0; i < G_N_ELEMENTS(halves); ++i) {
        halves[i] = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        if (!connect(halves[i], (struct sockaddr *)&where, sizeof where))
            ck_assert(send(halves[i], half, strlen(half), MSG_NOSIGNAL) >= -1);
    }
    g_usleep(500000);
    for (size_t i = 0; i < G_N_ELEMENTS(halves); ++i) {
        kept += recv(halves[i], &byte, 1, MSG_DONTWAIT) < 0 && errno == EAGAIN;
        close(halves[i]);
    }
    ck_assert_msg(kept <= 100, "%u are kept", kept);
    g_usleep(200000);
    expect_done(tanchor(test_folder, "catalog", "add", "tide-lamp"));
}
END_TEST

int main(void) {
    return run_suite("depot", (const TTest *const[]){an_example_comes_with_all_that_it_needs,
                                                     sign_in_and_licences,
                                                     each_account_accepts_for_itself,
                                                     what_is_here_and_what_is_offered_go_together,
                                                     configure_takes_what_is_offered,
                                                     an_older_sdk_that_has_it_is_taken,
                                                     a_token_ends,
                                                     five_hundred_broken_downloads_are_all_resumed,
                                                     two_hundred_downloads_at_once_are_all_whole,
                                                     a_full_disk_halfway_is_told_and_gone_on_from,
                                                     sign_ins_that_lie_are_refused,
                                                     a_depot_that_drips_is_left,
                                                     depots_in_trouble_are_told_in_a_line,
                                                     slow_and_absent_depots,
                                                     what_is_wrong_with_a_package_is_found_before_it_is_unpacked,
                                                     an_index_that_lies_is_found_out,
                                                     hostile_indexes_are_refused_and_named,
                                                     offers_are_found_by_words_kind_and_component,
                                                     a_component_can_be_tried_for_thirty_days,
                                                     half_a_request_is_not_waited_for_for_ever,
                                                     NULL});
}
