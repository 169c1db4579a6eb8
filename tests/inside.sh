#!/bin/sh
# One run, one trace: by gcc and clang, -O0 and -O3, a hundred times. Core and machine compile without a warning for bare metal of 32 and of
# 64 bits, with picolibc; there the machine runs a board inside a board of its own, with the same trace.
set -eu
tanchor=$1 source=$2 library=$3
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
export TANCHOR_HOME="$folder/home"
"$tanchor" import tide-lamp -q
"$tanchor" configure -C tide-lamp --compiler gcc -q
"$tanchor" build -C tide-lamp -q
image=$folder/tide-lamp/out/dunlin-gcc/tide-lamp.bin
flags="-std=c11 -Os -Wall -Wextra -Wpedantic -Werror -I$source/include -I$source/src -DIMAGE=\"$image\""

cc -I"$source/include" -DIMAGE="\"$image\"" "$source/tests/machine_inside.c" "$library" -o here
./here >here.txt
grep -q "tide 0.8 m rising" here.txt

# Whichever compiler made it, however well, and however often it runs.
for compiler in gcc clang; do
    for level in -O0 -O3; do
        case $compiler$level in
            gcc-O3) strict="-march=native -Wall -Wextra -Werror" ;; # which sees most into the code
            *) strict= ;;
        esac
        $compiler -std=c11 $level $strict -I"$source/include" -I"$source/src" -DIMAGE="\"$image\"" "$source/tests/machine_inside.c" \
            "$source"/src/base/*.c "$source"/src/core/model/*.c "$source"/src/machine/*.c "$source"/src/machine/*/*.c -o there
        for i in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20 21 22 23 24 25; do
            ./there | cmp - here.txt || { echo "$compiler $level: another run"; exit 1; }
        done
    done
done

for isa in "rv32imac ilp32" "rv64imafdc lp64d"; do
    march=${isa% *} mabi=${isa#* }
    mkdir "$march"
    target="riscv64-unknown-elf-gcc --specs=picolibc.specs -march=$march -mabi=$mabi -mcmodel=medany"
    (cd "$source" && ls src/base/*.c src/core/*/*.c src/machine/*.c src/machine/*/*.c src/port/*.c) |
        xargs -P 2 -I FILE sh -c 'object=$(echo FILE | tr / _); shift; "$@" -c "$0/FILE" -o "$object.o"' "$source" \
            -- $target -std=c11 -Os -Wall -Wextra -Wpedantic -Wconversion -Werror -I"$source/include" -I"$source/src" \
        || { echo "it does not compile for $march"; exit 1; }
    mv ./*.o "$march"
    $target --crt0=semihost $flags "$source/tests/machine_inside.c" "$march"/src_base_*.o "$march"/src_core_model_*.o \
        "$march"/src_machine_*.o -Wl,--gc-sections -Wl,--defsym=__flash=0x80000000 -Wl,--defsym=__flash_size=0x200000 \
        -Wl,--defsym=__ram=0x80200000 -Wl,--defsym=__ram_size=0x1000000 \
        -Wl,--start-group -lc -lsemihost -lgcc -Wl,--end-group -o inside.elf
    cat >board.yaml <<YAML
profile: outer
version: 1.0.0
title: board with a board inside
kind: board
isa: ${march}_zicsr_zifencei
clock: 500 MHz
reset: 0x80000000
semihosting: on
misaligned: on
memory:
  flash: {kind: flash, base: 0x80000000, size: 2 MiB}
  ram: {kind: ram, base: 0x80200000, size: 16 MiB}
YAML
    "$tanchor" run inside.elf --profile board.yaml --for 100s --pace full >inside.txt 2>said.txt || cat said.txt
    cmp here.txt inside.txt || { echo "$march: another run"; cat said.txt; exit 1; }
done
tail -1 here.txt
