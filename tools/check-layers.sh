#!/bin/sh
# Holds the arrows of the house: which rooms a room's files may include from, and that the machine, its models and the base
# stand on the C library alone. With the folder of a build as its argument, also that no files call one another in a circle.
# Run from the top of the tree.
set -eu

fail=0
complain() {
    echo "layers: $1" >&2
    fail=1
}

# What stands below `flow`, then a room and what it may use beside itself. Rooms of flow come from the ground up: each may
# use those above it in this list, and the files that lie in src/flow itself as far as they are on the ground.
ground="flow/context flow/report flow/durations flow/store flow/projects"
below="port host core base tameanchor"
while read -r room allowed; do
    for file in $(find "$room" $([ "$room" = src/flow ] && echo -maxdepth 1) -name '*.[ch]'); do
        own=${room#src/}
        for name in $(sed -n 's/^#include "\([^"]*\)".*/\1/p' "$file"); do
            for part in $allowed $own; do
                case $name in "$part"/* | "$part".h) continue 2 ;; esac
            done
            complain "$file includes $name; $room may use: $allowed"
        done
    done
done <<TABLE
include/tameanchor tameanchor
src/base base tameanchor
src/core/model base tameanchor
src/core/live core/model base tameanchor
src/core/trial core/live core/model base tameanchor
src/core/choose core/model base tameanchor
src/core/plan core/model core/choose base tameanchor
src/machine core/model base tameanchor
src/machine/hart machine/bus core/model base tameanchor
src/port machine core/model base tameanchor
src/host core base tameanchor
src/flow/catalog $ground $below
src/flow/bench flow/catalog $ground $below
src/flow/depot flow/catalog $ground $below
src/flow/project flow/bench flow/catalog $ground $below
src/flow/setup flow/project flow/depot flow/bench flow/catalog $ground $below
src/flow/packages flow/setup flow/project flow/depot flow/bench flow/catalog $ground $below
src/flow/import flow/setup flow/project flow/depot flow/bench flow/catalog $ground $below
src/flow/builder flow/setup flow/project flow/depot flow/bench flow/catalog $ground $below
src/flow/deploy flow/builder flow/setup flow/project flow/bench flow/catalog $ground $below
src/flow/live flow/deploy flow/builder flow/setup flow/project flow/bench flow/catalog $ground $below
src/flow/verify flow/deploy flow/builder flow/setup flow/project flow/bench flow/catalog $ground $below
src/flow flow $below
cli cli base tameanchor
depot depot host core base tameanchor
TABLE

# The public headers that a layer may know: the lower layers not the upper ones' interfaces.
for file in $(find src/base src/core src/machine src/port -name '*.[ch]'); do
    for name in $(sed -n 's/^#include <\([^>]*\)>.*/\1/p' "$file"); do
        case $name in
        assert.h | ctype.h | float.h | inttypes.h | limits.h | stdarg.h | stdbool.h | stddef.h | stdint.h | stdio.h | stdlib.h | string.h) ;;
        *) complain "$file includes <$name>, which is not C11's library" ;;
        esac
    done
    if grep -qE '"tameanchor/(chain|report)\.h"' "$file"; then
        complain "$file knows the chain"
    fi
done
for file in $(find src/flow -name '*.[ch]'); do
    if grep -q '"tameanchor/machine\.h"' "$file"; then
        complain "$file reaches hardware without the port"
    fi
done
if grep -nE '\b(printf|puts|fputs|fprintf|exit|abort) *\(' $(find src -name '*.[ch]') | grep -vE 'snprintf|vsnprintf|text_printf|arena_printf'; then
    complain "only cli/ prints and exits"
fi
# Advice in braces names an action of advice.h, or it would be shown as it stands.
for action in $(grep -rhoE '"[^"]*\{[a-z]+(-[a-z]+)*( [^"{}]*)?\}' src --include='*.c' | grep -oE '\{[a-z-]+' | sort -u); do
    grep -q "^ *X(TA_ACTION_[A-Z_]*, \"${action#?}\")" include/tameanchor/advice.h || complain "there is no action $action}"
done
for file in $(find src cli depot -name '*.[ch]'); do
    lines=$(wc -l <"$file")
    [ "$lines" -le 500 ] || complain "$file has $lines lines: what two things does it hold?"
done

# Who calls whom, from the objects of a build; tsort tells of loops.
if [ $# -gt 0 ]; then
    objects=$(find "$1" -name '*.o' -path '*.dir/*' | grep -E '(machine_objects|rest_objects|tanchor|tanchor-depot)\.dir/')
    loops=$(nm -A -g $objects | awk '
        { split($1, at, ":"); file = at[1]; sub(/.*\.dir\//, "", file); sub(/\.c\.o$/, "", file) }
        $NF != "main" && $(NF - 1) == "U" { uses[file, $NF] = 1; next }
        $NF != "main" { home[$NF] = file }
        END {
            for (pair in uses) {
                split(pair, part, SUBSEP)
                if (part[2] in home && home[part[2]] != part[1]) print part[1], home[part[2]]
            }
        }' | tsort 2>&1 >/dev/null) || complain "files that call one another in a circle:
$loops"
fi
exit $fail
