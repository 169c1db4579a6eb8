#!/bin/sh
# For nights: everything that `make test` takes a share of, in full. SECONDS (600) for each of the large random programs' two builds, with
# sanitizers and without; then the fuzz targets, the streams and numbers, and the faults that some suite must find.
set -eu
cd "$(dirname "$0")/.."
seconds=${1:-600}

build() { # folder, further CMake arguments
    folder=$1
    shift
    [ -f "$folder/build.ninja" ] || cmake -G Ninja -S . -B "$folder" "$@" >/dev/null
    ninja -C "$folder" --quiet tests/test_large tests/test_hart tests/test_floating tests/test_machine
}

build build-sanitize -DSANITIZE=ON -DSMALL_BLOCKS=ON -DCMAKE_BUILD_TYPE=None
build build
echo "== large random programs, $seconds s each: under the sanitizers with a small cache, and as built"
TANCHOR_TEST_LARGE=$seconds build-sanitize/tests/test_large &
TANCHOR_TEST_LARGE=$seconds build/tests/test_large
wait $!
echo "== fuzz targets"
tools/fuzz.sh 200000
echo "== streams through both engines, numbers through both arithmetics"
TANCHOR_TEST_STREAMS=8000 build/tests/test_hart
TANCHOR_TEST_FLOATS=20000000 build/tests/test_floating
echo "== two projects at once on one target, commands beside a run"
TANCHOR_TEST_ROUNDS=1000 build/tests/test_live
echo "== faults"
tools/mutants.sh
echo
echo "all proven"
