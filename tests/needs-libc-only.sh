#!/bin/sh
# PROGRAM runs; it needs no shared library but the C library; LIBRARY's undefined symbols are all its own or the C library's.
set -eu
"$1"
if ldd "$1" | grep -vE 'linux-vdso|libc\.so|ld-linux'; then
    echo "the machine's library pulls in more than the C library" >&2
    exit 1
fi
nm --defined-only "$2" | awk 'NF == 3 {print $3}' | sort -u >"$2.defined"
foreign=$(nm --undefined-only "$2" | awk '$1 == "U" {print $2}' | sort -u | comm -23 - "$2.defined" |
    grep -vxE 'calloc|malloc|realloc|free|qsort|mem(cpy|move|set|cmp|chr)|str(cmp|ncmp|len|chr|rchr|str|spn|cspn)|v?snprintf|strtoul|tolower|toupper|isalnum|_GLOBAL_OFFSET_TABLE_|__ctype_.*|__stack_chk_fail' || true)
if [ -n "$foreign" ]; then
    echo "the machine's library uses: $foreign" >&2
    exit 1
fi
