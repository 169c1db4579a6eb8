#!/bin/sh
# Runs the examples one after the other: the first leaves the image that the others use.
set -eu
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
export TANCHOR_HOME="$folder/home"
"$1" "$folder/tide-lamp"
"$2" "$folder/tide-lamp/out/dunlin-gcc/tide-lamp.bin"
"$3" "$folder/tide-lamp"
cp -r "$5" "$folder/tide-gauge"
"$4" "$folder/tide-gauge" "$folder/tide-gauge/gull.yaml"
