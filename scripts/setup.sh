#!/bin/sh
# Install what is missing: PostgreSQL, Chromium and Pango (it sets the PDF) from Debian, Python packages into .venv.
# Does nothing, at once, when everything is there.
set -eu
cd "$(dirname "$0")/.."

say() { printf 'emblar: %s\n' "$*" >&2; }
stop() { say "$*"; exit 2; }

missing=""
ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || missing="$missing postgresql"
[ -x /usr/bin/chromium ] || missing="$missing chromium"
ls /usr/lib/*/libpangoft2-1.0.so.0 >/dev/null 2>&1 || missing="$missing libpangoft2-1.0-0"
python=/usr/bin/python3.11
if ! { [ -x "$python" ] && "$python" -c 'import ensurepip, venv' 2>/dev/null; }; then
  if [ -r /etc/debian_version ]; then missing="$missing python3.11 python3.11-venv"; fi
fi

if [ -n "$missing" ]; then
  as_root=""
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then as_root="sudo -n"
    else stop "missing packages; install them as root:  apt-get install$missing"; fi
  fi
  say "installing$missing (once, a few minutes) …"
  log=$(mktemp)
  # Debian's postgresql would start a cluster of its own; Emblar never uses it.
  if ! { $as_root apt-get update -qq && $as_root env DEBIAN_FRONTEND=noninteractive \
         apt-get install -y -qq --no-install-recommends $missing; } >"$log" 2>&1; then
    tail -n 5 "$log" >&2
    stop "Debian's packages could not be installed:$missing (all of it: $log)"
  fi
  rm -f "$log"
fi

[ -x "$python" ] || python=$(command -v python3.11) || stop "Python 3.11 is missing: apt-get install python3.11 python3.11-venv"

stamp=.venv/installed
want=$(cat requirements.lock pyproject.toml | sha256sum | cut -d' ' -f1)-$(pwd | sha256sum | cut -c1-12)
if [ ! -f "$stamp" ] || [ "$(cat "$stamp")" != "$want" ]; then
  say "installing Python packages into .venv (once, about a minute) …"
  [ -x .venv/bin/python ] || "$python" -m venv .venv || stop "no permission or no space for .venv in $(pwd)"
  log=.venv/install.log
  if ! { .venv/bin/python -m pip install --disable-pip-version-check -q --require-hashes -r requirements.lock \
         && .venv/bin/python -m pip install --disable-pip-version-check -q --no-deps -e .; } >"$log" 2>&1; then
    tail -n 5 "$log" >&2
    stop "Python packages could not be installed (all of it: $log)"
  fi
  printf '%s' "$want" >"$stamp"
fi
