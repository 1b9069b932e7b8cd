# Sourced by the scripts beside it: sets ROOT and PY, and makes .venv from the pinned requirements.
# Messages go to standard error, so that a script's own output stays clean.
ROOT="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
PY="$ROOT/.venv/bin/python"
export PYTHONPATH="$ROOT/src${PYTHONPATH:+:$PYTHONPATH}"

# Compiled modules are kept: without them each start compiles the whole program again, for two seconds.
unset PYTHONDONTWRITEBYTECODE

say() { echo "bibulon: $*" >&2; }

system_packages() { # the Debian packages named, where missing: installed when we may, else named
  local missing=() package
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return 0
  local root=()
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then root=(sudo -n); else
      say "these system packages are missing; install them and start again:"
      say "  sudo apt-get install ${missing[*]}"
      return 1
    fi
  fi
  if ! command -v apt-get >/dev/null; then
    say "this system has no apt-get; install what these Debian packages hold: ${missing[*]}"
    return 1
  fi
  say "installing system packages: ${missing[*]}"
  { DEBIAN_FRONTEND=noninteractive "${root[@]}" apt-get update -qq &&
    DEBIAN_FRONTEND=noninteractive "${root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}"; } >&2 || {
    say "could not install: ${missing[*]}"
    return 1
  }
}

qt_libraries() {
  system_packages libegl1 libgl1 libglib2.0-0 libdbus-1-3 libfontconfig1 libxkbcommon0 libxkbcommon-x11-0 \
    libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 \
    libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 xvfb xauth
}

make_venv() { # $1: the requirements file
  local wanted stamp="$ROOT/.venv/.requirements-$(basename "$1" .txt)" base=""
  wanted="$(cat "$ROOT"/requirements*.txt | sha256sum)"
  [ -x "$PY" ] && [ "$(cat "$stamp" 2>/dev/null)" = "$wanted" ] && return 0
  for base in python3.13 python3.12 python3.11 python3 ""; do
    [ -n "$base" ] && command -v "$base" >/dev/null &&
      "$base" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null && break
  done
  [ -n "$base" ] || { say "Python 3.11 or newer is needed and was not found"; return 1; }
  if [ ! -x "$PY" ]; then
    if ! "$base" -c 'import ensurepip' 2>/dev/null; then
      system_packages python3-venv || return 1
      base=python3
    fi
    say "making .venv"
    "$base" -m venv "$ROOT/.venv" >&2 || return 1
  fi
  say "installing pinned packages from $1"
  # What is imported is compiled then: all of it would take a third of the installation.
  "$PY" -m pip install -q --no-compile --disable-pip-version-check -r "$ROOT/$1" >&2 || { say "pip could not install $1"; return 1; }
  echo "$wanted" >"$stamp"
}

build_kernel() { # [FOLDER]: the engine's part in C, beside its source; without a compiler NumPy does the same, more slowly
  local folder="${1:-$ROOT/src/bibulon/core/flow/kernel}"
  [ "$folder/kernel.so" -nt "$folder/kernel.c" ] && return 0
  command -v cc >/dev/null || system_packages gcc libc6-dev || {
    say "no C compiler: forecasts will take a fifth to a third longer"
    return 0
  }
  # Under a name of its own first: another start may be loading the old one.
  cc -O2 -std=c99 -shared -fPIC -o "$folder/kernel.so.$$" "$folder/kernel.c" >&2 &&
    mv "$folder/kernel.so.$$" "$folder/kernel.so" || say "the kernel could not be compiled: NumPy does its work, more slowly"
}

with_display() { # runs a command on the display there is, or on a virtual one
  if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ] && [ -z "${BIBULON_VIRTUAL:-}" ]; then "$@"; else
    [ -n "${BIBULON_VIRTUAL:-}" ] || say "no display found: using a virtual one; Ctrl+C ends it"
    QT_QPA_PLATFORM=xcb xvfb-run -a -s "-screen 0 1920x1200x24" "$@"
  fi
}

build_kernel
