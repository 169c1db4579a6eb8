#!/bin/sh
# Runs the trials of every bundled example COUNT times with each of the builds of the tool that are named: one trace digest an example.
# usage: tools/alike.sh COUNT BUILD...
set -eu
cd "$(dirname "$0")/.."
count=$1
shift
tree=$PWD work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
export TANCHOR_HOME="$work/home"
unset TANCHOR_CATALOG
first=$1
for example in catalog/examples/*/; do
    name=$(basename "$example") setting=
    [ "$name" != hull-number ] || setting="--setting hull=ES-0417"
    (cd "$work" && "$tree/$first/tanchor" import --quiet "$name" && cd "$name" &&
        "$tree/$first/tanchor" configure --quiet --compiler gcc --optimise size $setting && "$tree/$first/tanchor" deploy --quiet)
    for build in "$@"; do
        run=0
        while [ "$run" -lt "$count" ]; do
            "$tree/$build/tanchor" -C "$work/$name" verify --as-is --json | grep -m 1 '"trace"' >>"$work/$name.traces"
            run=$((run + 1))
        done
    done
    [ "$(wc -l <"$work/$name.traces")" -eq $((count * $#)) ]
    sort -u "$work/$name.traces" >"$work/$name.digests"
    echo "$name: $(wc -l <"$work/$name.digests") digest in $((count * $#)) runs"
    [ "$(wc -l <"$work/$name.digests")" -eq 1 ]
done
