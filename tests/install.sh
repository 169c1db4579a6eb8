#!/bin/sh
# Installs BUILD into a folder of its own and uses what is there as a stranger would: the tool, pkg-config, the CMake package.
set -eu
build=$1 source=$2
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cmake --install "$build" --prefix "$folder/usr" >/dev/null

cd "$folder"
export TANCHOR_HOME="$folder/home" PKG_CONFIG_PATH="$folder/usr/lib/$(cc -dumpmachine)/pkgconfig:$folder/usr/lib/pkgconfig"
unset TANCHOR_CATALOG
usr/bin/tanchor demo "$folder/demo" >/dev/null
test -f usr/share/man/man1/tanchor.1
test -f usr/share/tameanchor/catalog/profiles/dunlin.yaml

cc -std=c11 "$source/examples/board_in_a_test.c" $(pkg-config --define-variable=prefix="$folder/usr" \
    --cflags --libs tameanchor-machine) -o with-pkg-config
./with-pkg-config demo/tide-lamp/out/dunlin-gcc/tide-lamp.bin >/dev/null

cat >CMakeLists.txt <<EOF
cmake_minimum_required(VERSION 3.22)
project(stranger C)
find_package(tameanchor 0.1 REQUIRED)
add_executable(with-cmake $source/examples/whole_chain.c)
target_link_libraries(with-cmake PRIVATE tameanchor::tameanchor)
EOF
cmake -G Ninja -S . -B out -DCMAKE_PREFIX_PATH="$folder/usr" >/dev/null
ninja -C out >/dev/null
TANCHOR_CATALOG="$folder/usr/share/tameanchor/catalog" out/with-cmake "$folder/chain" >/dev/null
