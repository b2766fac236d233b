#!/bin/sh
# Opens the demo where there is a display; otherwise runs all of it headless.
set -eu
cd "$(dirname "$0")/.."
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
    exec .venv/bin/onda demo
fi
echo "No display found: running the demo headless."
exec .venv/bin/onda demo --headless --report onda-demo-report
