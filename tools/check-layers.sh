#!/bin/sh
# Holds the arrows of the house: which folders a folder's files may include from, and that the machine, its models and the
# base stand on the C library alone. Run from the top of the tree.
set -eu

fail=0
complain() {
    echo "layers: $1" >&2
    fail=1
}

# layer, then what its quoted includes may start with
while read -r layer allowed; do
    for file in $(find "$layer" -name '*.[ch]'); do
        for name in $(sed -n 's/^#include "\([^"]*\)".*/\1/p' "$file"); do
            case " $allowed " in
            *" ${name%%/*} "*) ;;
            *) complain "$file includes $name; $layer may use: $allowed" ;;
            esac
        done
    done
done <<EOF
include/tameanchor tameanchor
src/base base tameanchor
src/core core base tameanchor
src/machine machine core base tameanchor
src/port port machine core base tameanchor
src/host host core base tameanchor
src/flow flow port host core base tameanchor
cli cli base tameanchor
depot depot host core base tameanchor
EOF

# The public headers that a layer may know: the lower layers not the upper ones' interfaces.
for file in $(find src/base src/core src/machine -name '*.[ch]'); do
    for name in $(sed -n 's/^#include <\([^>]*\)>.*/\1/p' "$file"); do
        case $name in
        assert.h | ctype.h | inttypes.h | limits.h | stdarg.h | stdbool.h | stddef.h | stdint.h | stdio.h | stdlib.h | string.h) ;;
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
exit $fail
