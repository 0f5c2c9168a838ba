#!/usr/bin/env bash
# Makes .venv with the pinned, hashed requirements and the app itself; safe to run again at any time.
#   ./setup.sh          what the app needs
#   ./setup.sh --test   what the tests need as well
set -euo pipefail
cd "$(dirname "$0")"

want=run
[ "${1:-}" = "--test" ] && want=test

say() { printf 'setup: %s\n' "$*" >&2; }

# --- system libraries -----------------------------------------------------------------------------------------
. requirements/system-libraries.sh
mapfile -t missing < <(missing_libraries)
python=$(find_python)
[ -n "$python" ] || missing+=(python3)
if [ -n "$python" ] && ! makes_environments "$python"; then missing+=(python3-venv); fi
if [ "$want" = test ]; then
  command -v Xvfb >/dev/null || missing+=(xvfb)
  command -v xdotool >/dev/null || missing+=(xdotool)
fi
if [ "${#missing[@]}" -gt 0 ]; then
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    say "installing ${missing[*]}"
    apt-get update -qq >/dev/null
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
  else
    say "these system packages are missing and need an administrator:"
    say "    sudo apt-get install ${missing[*]}"
    if [ -z "$python" ] || [[ " ${missing[*]} " == *" python3-venv "* ]]; then exit 1; fi
  fi
fi
python=$(find_python)
new_enough "$python" || { say "Python 3.11 or newer is needed; found $("$python" --version)"; exit 1; }

# --- the virtual environment, rebuilt only when what goes into it has changed ---------------------------------
stamp=$(cat requirements/$want.txt requirements/system-libraries.sh pyproject.toml setup.sh | sha256sum | cut -d' ' -f1)
if [ -x .venv/bin/python ] && grep -qsx "$stamp" ".venv/stamp-$want"; then exit 0; fi
[ -x .venv/bin/python ] || { say "making .venv"; "$python" -m venv .venv; }
say "installing the pinned requirements"
.venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes --no-deps -r requirements/$want.txt
# The app itself is put on the path and given its command by hand: a build step would have to fetch its own tools.
site=$(.venv/bin/python -c 'import sysconfig; print(sysconfig.get_paths()["purelib"])')
pwd > "$site/deft_reach.pth"
cat > .venv/bin/deft-reach <<EOF
#!$(pwd)/.venv/bin/python
import sys
from deft_reach.cli.main import main
sys.exit(main())
EOF
chmod +x .venv/bin/deft-reach
echo "$stamp" > ".venv/stamp-$want"
say "ready: .venv/bin/deft-reach"
