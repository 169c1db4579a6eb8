#!/bin/sh
# Runs each fuzz target for RUNS executions, from seeds made of the demo data.
set -eu
cd "$(dirname "$0")/.."
runs=$1
[ -f build-fuzz/build.ninja ] || cmake -G Ninja -S . -B build-fuzz -DFUZZ=ON -DSMALL_BLOCKS=ON -DCMAKE_C_COMPILER=clang >/dev/null
ninja -C build-fuzz --quiet

seeds=$(mktemp -d)
trap 'rm -rf "$seeds"' EXIT
mkdir "$seeds/archive" "$seeds/index" "$seeds/manifest" "$seeds/draft" "$seeds/message" "$seeds/trial" "$seeds/hart" "$seeds/snapshot" "$seeds/devices" "$seeds/image"
tar cf "$seeds/archive/tar" -C catalog/examples tide-lamp
tar czf "$seeds/archive/gz" -C catalog/examples/tide-lamp src
cat >"$seeds/index/one" <<END
{"format":1,"packages":[{"name":"tide-lamp","kind":"example","version":"1.0.0","title":"a lamp","licence":"Apache-2.0",
"sha256":"$(printf 0 | sha256sum | cut -d' ' -f1)","accept":"terms","accept_sha256":"$(printf 1 | sha256sum | cut -d' ' -f1)",
"size":99,"unpacked":100,"needs":{"sdk":{"strand":">=2.0 <3"},"components":{"core":"*"},"board":["lamps 8"]},"provides":["a"]}]}
END
for file in $(find catalog -name '*.yaml' -o -name '*.trial'); do
    case $file in
    *.trial) cp "$file" "$seeds/trial/$(echo "$file" | tr / -)" ;;
    *) cp "$file" "$seeds/manifest/$(echo "$file" | tr / -)" ;;
    esac
done
cat >"$seeds/draft/one" <<END
[{"directory":".","file":"main.c","arguments":["cc","-DLAMPS=8","-I","include","-c","main.c"]},
{"directory":".","file":"tide.c","command":"cc -D 'NAME=\\"eel\\"' -Iinclude -c tide.c"}]
END
printf 'NAME(a)=1' >"$seeds/draft/define"
printf 'src/main.c:12:5: \033[01;35m\033[Kwarning: \033[m\033[Kunused [-Wunused-variable]\nld: main.o: undefined reference to `tide'"'\n" >"$seeds/message/one"
printf '\023\005\0\0\163\0\020\0' >"$seeds/hart/two" # addi a0, x0, 0; ebreak
printf '\001\000\000\101\000\003\010\000' >"$seeds/devices/one"
printf '\100\000\001' >"$seeds/snapshot/one"
printf ':0400000037010010B4\n:00000001FF\n' >"$seeds/image/hex"
printf 'S00600004844521B\nS9030000FC\n' >"$seeds/image/srec"
printf 'int main(void) { return 3; }\n' | riscv64-unknown-elf-gcc -x c - -g -march=rv32imac -mabi=ilp32 -nostdlib -Wl,-e,main \
    -Wl,-Ttext=0x10000000 -Wl,--build-id=none -o "$seeds/image/elf"
for target in archive index manifest draft message trial hart snapshot devices image; do
    case $target in
    draft) count=$((runs / 20)) ;; # each makes a folder and a context
    *) count=$runs ;;
    esac
    echo "== fuzz: $target, $count runs"
    "build-fuzz/tests/fuzz/fuzz_$target" -runs="$count" -seed=7 -max_len=65536 -verbosity=0 -print_final_stats=0 \
        -artifact_prefix="build-fuzz/$target-" "$seeds/$target" 2>"build-fuzz/$target.log" || {
        tail -n 30 "build-fuzz/$target.log" >&2
        exit 1
    }
done
