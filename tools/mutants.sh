#!/bin/sh
# Applies each fault of tests/mutants.txt to a copy of the tree and runs the suites of machine, trials and builds, until one of them finds it.
# With an argument, those alone whose line holds it. As many copies work side by side as there are processors.
set -eu
cd "$(dirname "$0")/.."
export TANCHOR_TEST_FLOATS=100000
suites="hart large harts devices snapshot floating trial machine core screen cable card handset build configure files port groups catalog tool live"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

# Puts $3 in the place of the first $2 in the file $1; fails when it is not there.
replace() {
    FROM=$2 TO=$3 awk '
        BEGIN { RS = "\001"; from = ENVIRON["FROM"]; to = ENVIRON["TO"] }
        { at = index($0, from); found = at > 0
          if (found) printf "%s%s%s", substr($0, 1, at - 1), to, substr($0, at + length(from)) }
        END { exit !found }' "$1" >"$1.mutant" && cat "$1.mutant" >"$1"
}

# One fault, in the copy $1: what came of it.
try() {
    file=${2%% @@ *} rest=${2#* @@ }
    from=${rest%% @@ *} to=${rest#* @@ }
    if ! replace "$1/$file" "$from" "$to"; then
        echo "not there    $2"
    elif ! ninja -C "$1/build" $targets >"$1/log" 2>&1; then
        echo "no program   $2"
    else
        found=
        for suite in $suites; do
            timeout 180 "$1/build/tests/test_$suite" >"$1/log" 2>&1 || { found=$suite; break; }
        done
        [ -n "$found" ] && echo "found by $found" || echo "SURVIVED     $2"
    fi
    cp "$work/sound/$file" "$1/$file"
}

targets=
for suite in $suites; do targets="$targets tests/test_$suite"; done
grep -v '^#' tests/mutants.txt | grep . | grep -F -e "${1:-}" >"$work/all"
count=$(wc -l <"$work/all")
[ $# -gt 0 ] || [ "$count" -ge 60 ] || { echo "mutants: only $count on the list" >&2; exit 1; }
mkdir "$work/sound" # the tree as it is now, whatever is changed meanwhile
git ls-files -co --exclude-standard | tar -cf - -T - | tar -xf - -C "$work/sound"
jobs=$(nproc)
for job in $(seq "$jobs"); do
    copy=$work/$job
    mkdir "$copy"
    cp -r "$work/sound/." "$copy"
    (
        cmake -G Ninja -S "$copy" -B "$copy/build" >/dev/null
        ninja -C "$copy/build" $targets >/dev/null
        awk -v jobs="$jobs" -v job="$job" 'NR % jobs == job % jobs' "$work/all" | while IFS= read -r line; do
            try "$copy" "$line"
        done >"$work/result.$job"
    ) &
done
wait
cat "$work"/result.* | grep -v '^found by' || true
found=$(cat "$work"/result.* | grep -c '^found by' || true)
echo "$found of $count faults found"
[ "$found" = "$count" ]
