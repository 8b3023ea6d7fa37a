#!/usr/bin/env bash
# Build the virtual environment and make sure the system libraries a window needs are there.
set -euo pipefail
cd "$(dirname "$0")/.."
venv=${1:-.venv}

python=""
for name in python3 python3.13 python3.12 python3.11; do
    # A name that is found may still be a shim for a version that is not there.
    if "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then python=$name; break; fi
done
[ -n "$python" ] || { echo "Cut Key needs Python 3.11 or newer; install it and try again." >&2; exit 1; }
[ -x "$venv/bin/pip" ] || "$python" -m venv "$venv" ||
    { echo "Python's venv module is missing; install it (Debian: apt install python3-venv)." >&2; exit 1; }
echo "Setting up $venv (first time: a minute or two) ..."
"$venv/bin/pip" install -q --disable-pip-version-check -r requirements.lock
"$venv/bin/pip" install -q --disable-pip-version-check --no-deps -e .
# Else the first window has it all to compile.
"$venv/bin/python" -m compileall -q src

# Debian package : library it brings
wanted="libegl1:libEGL.so.1 libgl1:libGL.so.1 libx11-6:libX11.so.6 libdbus-1-3:libdbus-1.so.3 libfontconfig1:libfontconfig.so.1
libfreetype6:libfreetype.so.6 libglib2.0-0:libglib-2.0.so.0 libxkbcommon0:libxkbcommon.so.0 libxcb-cursor0:libxcb-cursor.so.0
libxcb-icccm4:libxcb-icccm.so.4 libxcb-image0:libxcb-image.so.0 libxcb-keysyms1:libxcb-keysyms.so.1 libxcb-randr0:libxcb-randr.so.0
libxcb-render-util0:libxcb-render-util.so.0 libxcb-shape0:libxcb-shape.so.0 libxcb-xkb1:libxcb-xkb.so.1
libxkbcommon-x11-0:libxkbcommon-x11.so.0"
missing=""
for pair in $wanted; do
    "$venv/bin/python" -c "import ctypes, sys; ctypes.CDLL(sys.argv[1])" "${pair#*:}" 2>/dev/null || missing="$missing ${pair%%:*}"
done
[ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ] || command -v Xvfb >/dev/null || missing="$missing xvfb xauth"
# Software rendering for machines without a graphics driver.
[ -e /dev/dri ] || compgen -G "/usr/lib/*/dri/*swrast*" >/dev/null || compgen -G "/usr/lib/*/libgallium*" >/dev/null || missing="$missing libgl1-mesa-dri"
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "Installing system libraries:$missing"
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing; } >/dev/null 2>&1 ||
        echo "Please install these system packages, then try again:$missing" >&2
else
    echo "The window may need these system packages: sudo apt install$missing" >&2
fi
