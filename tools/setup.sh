#!/bin/sh
# Creates .venv from the lock file and, when it may, adds the system libraries and the font that Qt needs.
set -eu
cd "$(dirname "$0")/.."
: "${PYTHON:=python3}"

missing=""
have_library() { /sbin/ldconfig -p 2>/dev/null | grep -q "$1"; }
need() { have_library "$1" || missing="$missing $2"; }
need libEGL.so.1 libegl1
need libGL.so.1 libgl1
need libxkbcommon.so.0 libxkbcommon0
need libxkbcommon-x11.so.0 libxkbcommon-x11-0
need libdbus-1.so.3 libdbus-1-3
need libfontconfig.so.1 libfontconfig1
need libxcb-cursor.so.0 libxcb-cursor0
need libxcb-icccm.so.4 libxcb-icccm4
need libxcb-image.so.0 libxcb-image0
need libxcb-keysyms.so.1 libxcb-keysyms1
need libxcb-render-util.so.0 libxcb-render-util0
need libxcb-shape.so.0 libxcb-shape0
need libxcb-xinerama.so.0 libxcb-xinerama0
need libxcb-randr.so.0 libxcb-randr0
need libglib-2.0.so.0 libglib2.0-0
[ -e /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf ] || missing="$missing fonts-dejavu-core"
"$PYTHON" -c 'import ensurepip, venv' 2>/dev/null || missing="$missing python3-venv"

if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ]; then as_root=""
    elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then as_root="sudo"
    else as_root="none"
    fi
    if [ "$as_root" = none ] || ! command -v apt-get >/dev/null 2>&1; then
        echo "Onda needs these system packages; please install them:$missing" >&2
    else
        echo "Installing system packages:$missing"
        $as_root apt-get update -qq
        # shellcheck disable=SC2086
        DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends $missing
    fi
fi

[ -x .venv/bin/python ] || "$PYTHON" -m venv .venv
.venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
.venv/bin/onda warm-up
