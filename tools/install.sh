#!/bin/sh
# Installs the program below a prefix: its own Python environment in lib, a command in bin, and what desktop, shell and man need.
set -eu
cd "$(dirname "$0")/.."
PREFIX=${1:?Say where to, such as ~/.local}
PYTHON=${PYTHON:-python3}
HOME_OF_IT="$PREFIX/lib/wattigram"

mkdir -p "$PREFIX/bin" "$PREFIX/lib"
"$PYTHON" -m venv --clear "$HOME_OF_IT"
"$HOME_OF_IT/bin/python" -m pip install -q --disable-pip-version-check -r requirements.lock
"$HOME_OF_IT/bin/python" -m pip install -q --disable-pip-version-check --no-deps .
"$HOME_OF_IT/bin/python" -m compileall -q "$HOME_OF_IT"/lib/python*/site-packages/wattigram
ln -sf "$HOME_OF_IT/bin/wattigram" "$PREFIX/bin/wattigram"
"$PREFIX/bin/wattigram" desktop-files "$PREFIX"
if command -v update-desktop-database >/dev/null; then update-desktop-database -q "$PREFIX/share/applications" || true; fi
if command -v update-mime-database >/dev/null; then update-mime-database "$PREFIX/share/mime" || true; fi
case ":$PATH:" in
*":$PREFIX/bin:"*) ;;
*) echo "$PREFIX/bin is not in PATH: add it, or start $PREFIX/bin/wattigram." ;;
esac
