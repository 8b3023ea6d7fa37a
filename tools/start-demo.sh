#!/usr/bin/env bash
# Start the window with the demo job; on a machine without a display, on a virtual one.
set -euo pipefail
cd "$(dirname "$0")/.."
venv=${1:-.venv}
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
    exec "$venv/bin/cutkey" --demo sign
fi
echo "No display here: the window runs on a virtual one (make screenshots shows it); Ctrl+C ends it."
exec xvfb-run -a -s "-screen 0 1280x800x24" "$venv/bin/cutkey" --demo sign
