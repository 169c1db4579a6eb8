#!/bin/sh
# Installs the Debian packages listed in FILE (a name a line, # begins a comment) that are missing. Works as root and with
# sudo; says what it does.
set -eu

missing=
for package in $(sed 's/#.*//' "$1"); do
    if [ "$(dpkg-query -W -f '${db:Status-Status}' "$package" 2>/dev/null)" != installed ]; then
        missing="$missing $package"
    fi
done
[ -n "$missing" ] || exit 0

as_root=
if [ "$(id -u)" -ne 0 ]; then
    if ! command -v sudo >/dev/null; then
        echo "setup: these packages are missing, and there is no sudo to install them with:$missing" >&2
        exit 3
    fi
    as_root=sudo
fi
echo "setup: installing$missing"
log=$(mktemp)
if ! { $as_root apt-get update && $as_root env DEBIAN_FRONTEND=noninteractive \
    apt-get install -y --no-install-recommends $missing; } >"$log" 2>&1; then
    tail -n 20 "$log" >&2
    echo "setup: apt-get failed; the whole log is in $log" >&2
    exit 3
fi
rm -f "$log"
echo "setup: done"
