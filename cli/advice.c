/* The library's actions in this tool's words. */
#include "cli/output.h"

#include <glib.h>
#include <string.h>

/* The command, with %s for the action's argument, and what stands for one that was not said. */
static const struct {
    const char *command, *unsaid;
} words[] = {
    [TA_ACTION_IMPORT] = {"tanchor import %s", ""},
    [TA_ACTION_IMPORT_IN_PLACE] = {"tanchor import --in-place %s", ""},
    [TA_ACTION_CONFIGURE] = {"tanchor configure", ""},
    [TA_ACTION_CHOOSE_TARGET] = {"tanchor configure --target %s", "NAME"},
    [TA_ACTION_CHOOSE_SETTING] = {"tanchor configure --setting %s", "NAME=VALUE"},
    [TA_ACTION_CHOOSE_COMPONENT] = {"tanchor configure --with %s", "NAME"},
    [TA_ACTION_COMPARE] = {"tanchor configure --diff", ""},
    [TA_ACTION_BACK] = {"tanchor configure --back", ""},
    [TA_ACTION_READY] = {"tanchor ready", ""},
    [TA_ACTION_MEND] = {"tanchor ready --fix", ""},
    [TA_ACTION_BUILD] = {"tanchor build", ""},
    [TA_ACTION_KEEP_EDITS] = {"tanchor build --edited keep", ""},
    [TA_ACTION_LOSE_EDITS] = {"tanchor build --edited restore", ""},
    [TA_ACTION_DEPLOY] = {"tanchor deploy", ""},
    [TA_ACTION_RUN] = {"tanchor run", ""},
    [TA_ACTION_RUN_ON] = {"tanchor run %s --profile NAME-or-FILE, or --target NAME", "PROGRAM"},
    [TA_ACTION_VERIFY] = {"tanchor verify", ""},
    [TA_ACTION_LIST] = {"tanchor catalog", ""},
    [TA_ACTION_SHOW] = {"tanchor catalog show %s", "NAME"},
    [TA_ACTION_FETCH] = {"tanchor catalog add %s", ""},
    [TA_ACTION_REMOVE] = {"tanchor catalog remove %s", ""},
    [TA_ACTION_REMOVE_ANYWAY] = {"tanchor catalog remove %s --anyway", ""},
    [TA_ACTION_USE_PLACE] = {"tanchor catalog use %s", "PLACE"},
    [TA_ACTION_FORGET_PLACE] = {"tanchor catalog forget %s", ""},
    [TA_ACTION_PLACES] = {"tanchor catalog places", ""},
    [TA_ACTION_AGREE] = {"--yes", ""},
    [TA_ACTION_SIGN_IN] = {"tanchor catalog sign-in %s --account NAME", "DEPOT"},
    [TA_ACTION_ACCEPT] = {"tanchor catalog accept %s", "NAME"},
    [TA_ACTION_TRUST] = {"tanchor catalog trust %s", "PUBLISHER.pem"},
    [TA_ACTION_EVALUATE] = {"tanchor catalog evaluate %s", "COMPONENT"},
    [TA_ACTION_ADD_TARGET] = {"tanchor bench add NAME --profile %s", "PROFILE"},
    [TA_ACTION_SHOW_TARGET] = {"tanchor bench show %s", "NAME"},
    [TA_ACTION_REMOVE_TARGET] = {"tanchor bench remove %s", ""},
    [TA_ACTION_CARD_IN] = {"tanchor bench card-in %s", "NAME FILE"},
    [TA_ACTION_OPTION] = {"--%s", ""},
    [TA_ACTION_SWITCH] = {"tanchor bench switch %s", "NAME SWITCH=POSITION"},
    [TA_ACTION_ENTER] = {"cd %s", "FOLDER"},
    [TA_ACTION_EMPTY_TARGET] = {"tanchor bench factory %s", ""},
};

/* What a shell would take apart is quoted, so that it can be pasted; not the placeholders of a call, "EXAMPLE FOLDER". */
static char *shell_word(const char *text) {
    static const char plain[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_@%+=:,./~-";
    static const char capitals[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZ ";
    bool is_plain = text[strspn(text, plain)] == '\0' || text[strspn(text, capitals)] == '\0';
    return is_plain ? g_strdup(text) : g_shell_quote(text);
}

/* A switch's name may hold blanks: "dunlin usb cable=plugged" is the target, then one word of a shell. */
static char *switch_words(const char *argument) {
    const char *blank = strchr(argument, ' ');
    if (!blank)
        return shell_word(argument);
    g_autofree char *target = g_strndup(argument, (gsize)(blank - argument)), *quoted = shell_word(blank + 1);
    return g_strdup_printf("%s %s", target, quoted);
}

static void say(void *with, enum ta_action action, const char *argument, char *buffer, size_t size) {
    const char *command = words[action].command, *hole = strstr(command, "%s");
    g_autofree char *said = action == TA_ACTION_SWITCH ? switch_words(argument) : shell_word(argument);
    (void)with;
    if (action == TA_ACTION_LIST && *argument)
        g_snprintf(buffer, size, "tanchor catalog --kind %s", argument);
    else if (!hole)
        g_snprintf(buffer, size, "%s", command);
    else
        g_snprintf(buffer, size, "%.*s%s%s", (int)(hole - command), command, *said ? said : words[action].unsaid,
                   hole + strlen("%s"));
    g_strchomp(buffer);
}

char *advice_text(const char *advice) {
    size_t size = advice ? 2 * strlen(advice) + 1024 : 0;
    char *buffer = advice ? g_malloc(size) : NULL;
    if (buffer)
        ta_advice_text(advice, say, NULL, buffer, size);
    return buffer;
}
