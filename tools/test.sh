#!/bin/sh
# Everything that must hold: the suites under gcc, and under the sanitizers with caches so small that all of them fill; equal traces from both
# compilers' builds; the machine's library on the C library alone; the examples; the demo.
set -eu
cd "$(dirname "$0")/.."

build() { # folder, further CMake arguments
    folder=$1
    shift
    [ -f "$folder/build.ninja" ] || cmake -G Ninja -S . -B "$folder" "$@" >/dev/null
    ninja -C "$folder" --quiet
}
# The suites make and remove many small files: in memory, where it has room, that takes half the time.
if [ -w /dev/shm ] && [ "$(df -k --output=avail /dev/shm | tail -1)" -gt 4000000 ]; then
    export TMPDIR=/dev/shm
fi

suites() {
    echo "== suites: $2"
    ctest --test-dir "$1" --output-on-failure --no-tests=error -j 4
}

build build
tools/check-layers.sh build
suites build "gcc"
build build-clang -DCMAKE_C_COMPILER=clang -DSTRICT_DISPATCH=ON -DSOFT_FLOAT=ON -DSMALL_BLOCKS=ON
echo "== traces of the gcc and the clang build"
tools/alike.sh 1 build build-clang
build build-sanitize -DSANITIZE=ON -DSMALL_BLOCKS=ON -DCMAKE_BUILD_TYPE=None
suites build-sanitize "address and undefined-behaviour sanitizers"
tools/fuzz.sh 3000
echo "== demo"
build/tanchor demo
echo
echo "all suites passed"
