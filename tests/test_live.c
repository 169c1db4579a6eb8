/* A target while somebody uses it: who holds it, what is kept of it, what a verdict stands on. */
#include "support.h"

#include "host/files.h"
#include "host/lock.h"

#include <glib/gstdio.h>
#include <signal.h>
#include <unistd.h>

/* How often: a share of what `make prove` does. */
static unsigned rounds(unsigned share) {
    const char *said = g_getenv("TANCHOR_TEST_ROUNDS");
    return said ? (unsigned)g_ascii_strtoull(said, NULL, 10) : share;
}

/* first-light in test_folder/NAME, configured for dunlin, its console saying SAYS. */
static char *light(const char *name, const char *says) {
    expect_done(tanchor(test_folder, "import", "first-light", name));
    char *project = test_path("%s", name);
    expect_done(tanchor(project, "configure", "--target", "dunlin"));
    edit(below(project, "src/main.c"), "first light", says);
    return project;
}

/* Another project of the bench's first target. */
static void put_on_bench(void) {
    expect_done(tanchor(test_folder, "bench", "add", "dunlin", "--profile", "dunlin"));
}

START_TEST(two_projects_verified_at_once_get_their_own_verdicts) {
    put_on_bench();
    write_text(test_path("home/preferences.yaml"), "patience-seconds: 120\n");
    light("dawn", "first light");
    light("dusk", "last light"); /* which its trial does not expect */
    g_autofree char *script =
        g_strdup_printf("one() { i=0; while [ $i -lt %u ]; do cd \"$1\"; touch src/main.c; '%s' verify >../$1.out "
                        "2>&1; code=$?; cd ..; "
                        "[ $code = $2 ] || { echo \"$1: $code in round $i\"; cat $1.out; }; "
                        "grep -q \"$3\" $1.out || { echo \"$1: round $i\"; cat $1.out; }; i=$((i + 1)); done; }; "
                        "one dawn 0 '^1 of 1 passed' & one dusk 1 '^0 of 1 passed' & wait",
                        rounds(15), TANCHOR);
    struct ran ran = run_program(test_folder, NULL, (const char *const[]){"sh", "-c", script, NULL});
    ck_assert_msg(!*ran.out, "%s%s", ran.out, ran.err);
}
END_TEST

int main(void) {
    return run_suite("live", (const TTest *const[]){two_projects_verified_at_once_get_their_own_verdicts, NULL});
}
