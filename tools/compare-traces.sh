#!/bin/sh
# Runs the demo's trials with each of the given builds of tanchor: every one must give the same trace digest.
set -eu
trace=
for tool in "$@"; do
    found=$("$tool" demo --json | sed -n 's/.*"trace": "\([0-9a-f]*\)".*/\1/p' | sort | tr '\n' ' ')
    [ -n "$found" ] || { echo "traces: $tool gave none" >&2; exit 1; }
    if [ -n "$trace" ] && [ "$trace" != "$found" ]; then
        echo "traces: $tool gives $found instead of $trace" >&2
        exit 1
    fi
    trace=$found
done
echo "equal"
