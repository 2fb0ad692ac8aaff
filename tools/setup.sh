#!/bin/sh
# Makes .venv with the locked packages, and sees to what Qt and the building of firmware need of the system.
set -eu
cd "$(dirname "$0")/.."
PYTHON=${PYTHON:-python3}

QT_PACKAGES="libegl1 libgl1 libglib2.0-0 libdbus-1-3 libfontconfig1 libfreetype6 libxkbcommon0
libxkbcommon-x11-0 libx11-xcb1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1
libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-sync1 libxcb-xfixes0 libxcb-xkb1"
FONT_PACKAGES="fonts-inter fonts-jetbrains-mono"
# For building firmware and looking into it; without them everything else works.
FIRMWARE_PACKAGES="gcc-arm-none-eabi gdb-multiarch gdbserver cppcheck"

as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo "$@"; else return 1; fi
}
installed() { dpkg-query -W -f='${Status}' "$1" 2>/dev/null | grep -q '^install ok installed'; }
# Newer releases rename some packages (libglib2.0-0t64); whatever provides the old name will do.
provided() { installed "$1" || installed "${1}t64"; }
update_once() {
    [ -n "${UPDATED:-}" ] && return 0
    UPDATED=1
    as_root apt-get update -qq || true
}
# apt may be busy with another run of itself: wait for its lock instead of failing.
apt_install() { as_root env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=120 install -y -qq --no-install-recommends "$@" >/dev/null; }

if command -v apt-get >/dev/null && command -v dpkg-query >/dev/null; then
    missing=""
    for package in $QT_PACKAGES; do provided "$package" || missing="$missing $package"; done
    if [ -n "$missing" ]; then
        if as_root true; then
            echo "Installing system libraries for Qt:$missing"
            update_once
            for package in $missing; do apt_install "$package" || echo "Could not install $package; the window may not open without it."; done
        else
            echo "Qt needs system packages that are missing and cannot be installed without root. Please run:"
            echo "    sudo apt-get install$missing"
        fi
    fi
    for package in $FONT_PACKAGES $FIRMWARE_PACKAGES; do
        if ! installed "$package" && as_root true; then update_once; apt_install "$package" || true; fi
    done
else
    echo "This is no apt system. Qt 6 needs these libraries (Debian names):" $QT_PACKAGES
fi

if [ ! -x .venv/bin/python ]; then
    if ! "$PYTHON" -m venv .venv 2>/dev/null; then
        rm -rf .venv
        if command -v apt-get >/dev/null && as_root true; then
            update_once
            apt_install python3-venv
            "$PYTHON" -m venv .venv
        else
            echo "Python's venv module is missing. Please run: sudo apt-get install python3-venv" >&2
            exit 1
        fi
    fi
fi
echo "Installing the locked Python packages into .venv"
.venv/bin/python -m pip install -q --disable-pip-version-check -r requirements-dev.lock
.venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e . 2>/dev/null ||
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e .
# Without compiled modules every start compiles all of them again, which takes longer than the rest of it.
.venv/bin/python -m compileall -q src
