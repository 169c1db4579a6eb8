#!/bin/sh
# Installs BUILD into a folder of its own, moves it, and uses what is there as a stranger would: the tool, and both libraries
# through pkg-config and CMake, from C and C++.
set -eu
build=$1 source=$2
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cmake --install "$build" --prefix "$folder/first" >/dev/null
mv "$folder/first" "$folder/usr"

cd "$folder"
export TANCHOR_HOME="$folder/home"
PKG_CONFIG_PATH=$(dirname "$(find "$folder/usr" -name tameanchor.pc)")
export PKG_CONFIG_PATH
unset TANCHOR_CATALOG
usr/bin/tanchor demo "$folder/demo" >/dev/null
for page in man1/tanchor.1 man1/tanchor-depot.1 man5/anchor.yaml.5 man5/tanchor-profile.5 man5/tanchor-trial.5; do
    test "$(grep -c '^\.S' "usr/share/man/$page")" -ge 2
    man -l "usr/share/man/$page" >page.txt
    test "$(wc -l <page.txt)" -gt 30
done
for script in bash-completion/completions/tanchor zsh/site-functions/_tanchor fish/vendor_completions.d/tanchor.fish; do
    test -f "usr/share/$script"
done
test -f usr/share/tameanchor/catalog/profiles/dunlin.yaml
export TANCHOR_CATALOG="$folder/usr/share/tameanchor/catalog"

cc -std=c11 "$source/examples/board_in_a_test.c" $(pkg-config --cflags --libs tameanchor-machine) -o board
./board demo/tide-lamp/out/dunlin-gcc/tide-lamp.bin >/dev/null

cp "$source/tests/stranger.c" stranger.cpp
strict="-Wall -Wextra -Wpedantic -Werror"
for static in "" --static; do
    alone=$(pkg-config $static --cflags --libs tameanchor-machine)
    whole=$(pkg-config $static --cflags --libs tameanchor)
    cc -std=c11 $strict -DMACHINE_ALONE "$source/tests/stranger.c" $alone -o alone-c
    c++ -std=c++11 $strict -DMACHINE_ALONE stranger.cpp $alone -o alone-cpp
    cc -std=c11 $strict "$source/tests/stranger.c" $whole -o whole-c
    c++ -std=c++11 $strict stranger.cpp $whole -o whole-cpp
    for program in alone-c alone-cpp whole-c whole-cpp; do ./$program; done
done
# In either order.
libraries=$(find usr -name 'lib*.a' | sort)
others=$(find usr -name 'lib*.a' | sort -r)
needed=$(pkg-config --libs-only-l --libs-only-other tameanchor | sed 's/-ltameanchor[-a-z]*//g')
cc -std=c11 "$source/tests/stranger.c" -Iusr/include $libraries $libraries $needed -o ordered && ./ordered
cc -std=c11 "$source/tests/stranger.c" -Iusr/include $others $others $needed -o ordered && ./ordered
# Nothing but ta_ leaves them.
for library in $libraries; do
    leaked=$(nm --defined-only --extern-only "$library" | awk 'NF == 3 && $3 !~ /^ta_/ {print $3}')
    test -z "$leaked" || { echo "$library gives away: $leaked" >&2; exit 1; }
done

# Through CMake; the machine's library without looking for what the other one stands on.
cat >CMakeLists.txt <<END
cmake_minimum_required(VERSION 3.22)
project(stranger C CXX)
if(MACHINE_ALONE)
  set(CMAKE_DISABLE_FIND_PACKAGE_PkgConfig ON)
  find_package(tameanchor 0.2 REQUIRED COMPONENTS machine)
  set(library tameanchor::tameanchor-machine)
  add_compile_definitions(MACHINE_ALONE)
else()
  find_package(tameanchor 0.2 REQUIRED)
  set(library tameanchor::tameanchor)
endif()
add_executable(with-c $source/tests/stranger.c)
add_executable(with-cpp stranger.cpp)
target_link_libraries(with-c PRIVATE \${library})
target_link_libraries(with-cpp PRIVATE \${library})
END
for alone in OFF ON; do
    cmake -G Ninja -S . -B out-$alone -DMACHINE_ALONE=$alone -DCMAKE_PREFIX_PATH="$folder/usr" >/dev/null
    ninja -C out-$alone >/dev/null
    out-$alone/with-c
    out-$alone/with-cpp
done
