#!/usr/bin/env bash
# Opens the demo; where there is no display, says so, runs it on a virtual screen and leaves a picture.
set -eu
cd "$(dirname "$0")/.."
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
  exec .venv/bin/kymaphon --demo
fi
echo "There is no display here: running the demo on a virtual screen. The picture will be demo.png."
if command -v xvfb-run >/dev/null 2>&1; then
  xvfb-run -a -s "-screen 0 1280x800x24" .venv/bin/kymaphon --demo --picture demo.png
else
  QT_QPA_PLATFORM=offscreen .venv/bin/kymaphon --demo --picture demo.png
fi
echo "Left: demo.png"
