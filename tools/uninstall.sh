#!/bin/sh
# Takes away what install.sh wrote below a prefix; projects, takes and settings stay.
set -eu
PREFIX=${1:?Say from where, such as ~/.local}
if [ -x "$PREFIX/bin/wattigram" ]; then
    LIST=$(mktemp -d)
    "$PREFIX/bin/wattigram" desktop-files "$LIST" >/dev/null
    (cd "$LIST" && find . -type f) | while read -r file; do rm -f "$PREFIX/$file"; done
    rm -rf "$LIST"
fi
rm -rf "$PREFIX/lib/wattigram"
rm -f "$PREFIX/bin/wattigram"
