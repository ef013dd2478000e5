#!/usr/bin/env bash
# Makes .venv with the pinned versions, and installs the Debian packages that a screen and the tests need, where it may.
set -eu
cd "$(dirname "$0")/.."
python="${PYTHON:-python3}"

if ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
  echo "Kymaphon needs Python 3.11 or newer; '$python' is not. Name another with: make PYTHON=python3.12 ..." >&2
  exit 1
fi
if ! "$python" -c 'import ensurepip' 2>/dev/null; then
  echo "This Python cannot make virtual environments. On Debian: apt-get install python3-venv" >&2
  exit 1
fi
[ -x .venv/bin/python ] || "$python" -m venv .venv
.venv/bin/python -m pip install --quiet --disable-pip-version-check --constraint constraints.txt --editable '.[dev]'

# What Qt opens at run time: one library for each package, so that nothing is asked of apt when all is there.
missing=""
need() {
  "$python" -c "import ctypes; ctypes.CDLL('$1')" 2>/dev/null || missing="$missing $2"
}
need libEGL.so.1 libegl1
need libGL.so.1 libgl1
need libxkbcommon.so.0 libxkbcommon0
need libfontconfig.so.1 libfontconfig1
need libdbus-1.so.3 libdbus-1-3
need libglib-2.0.so.0 libglib2.0-0
need libxcb-cursor.so.0 libxcb-cursor0
need libxkbcommon-x11.so.0 libxkbcommon-x11-0
need libxcb-icccm.so.4 libxcb-icccm4
need libxcb-keysyms.so.1 libxcb-keysyms1
need libxcb-image.so.0 libxcb-image0
need libxcb-render-util.so.0 libxcb-render-util0
need libxcb-randr.so.0 libxcb-randr0
need libxcb-shape.so.0 libxcb-shape0
need libxcb-sync.so.1 libxcb-sync1
need libxcb-xfixes.so.0 libxcb-xfixes0
need libxcb-xkb.so.1 libxcb-xkb1
need libX11-xcb.so.1 libx11-xcb1
command -v Xvfb >/dev/null 2>&1 || missing="$missing xvfb xauth"
if [ -n "$missing" ]; then
  if command -v apt-get >/dev/null 2>&1 && [ "$(id -u)" = 0 ]; then
    run=""
  elif command -v apt-get >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
    run="sudo -n"
  else
    run="none"
  fi
  if [ "$run" = none ]; then
    echo "Please install these packages, then run make again if a window does not open:$missing" >&2
  else
    echo "Installing:$missing"
    $run apt-get update -qq
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive $run apt-get install -y -qq --no-install-recommends $missing >/dev/null
  fi
fi
.venv/bin/python -m compileall -q kymaphon
touch .venv/.ready
