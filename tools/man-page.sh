#!/bin/sh
# Makes a manual page from a page of docs/, so that the two say the same: man-page.sh PAGE.md NAME SECTION VERSION > NAME.SECTION
# The page's first heading is "NAME: what it is" or a line that stands behind the name.
set -eu
page=$1 name=$2 section=$3 version=$4
heading=$(sed -n 's/^# //p' "$page" | head -1 | tr -d '`')
case $heading in
*': '*) what=${heading#*: } ;;
*) what=$heading ;;
esac
body=$(mktemp)
trap 'rm -f "$body"' EXIT
# Links lead nowhere on paper: their text stays.
awk 'body { print } /^# / && !body { body = 1 }' "$page" | sed -e 's/\[\([^]]*\)\]([^)]*)/\1/g' >"$body"
printf ".\\\\\" t\n.TH \"%s\" \"%s\" \"\" \"Tame Anchor %s\" \"Tame Anchor\"\n.SH NAME\n%s \\\\- %s\n.SH DESCRIPTION\n" \
    "$(echo "$name" | tr '[:lower:]' '[:upper:]')" "$section" "$version" "$name" "$what"
lowdown -Tman --out-no-smarty "$body" | sed -e '/^\.\\" -\*- mode/d' -e '/^\.TH/d' -e 's/ expand allbox;$/;/' \
    -e 's/^\(l.* l\)\.$/\1x./'
