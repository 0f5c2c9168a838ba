#!/usr/bin/env bash
# Makes .venv with the pinned, hashed requirements and the app itself; safe to run again at any time.
#   ./setup.sh          what the app needs
#   ./setup.sh --test   what the tests need as well
set -euo pipefail
cd "$(dirname "$0")"

want=run
[ "${1:-}" = "--test" ] && want=test

say() { printf 'setup: %s\n' "$*" >&2; }

# --- system libraries: a name to look for in the linker cache, and the Debian package that has it -------------
libraries=(
  libEGL.so.1:libegl1 libGL.so.1:libgl1 libxkbcommon.so.0:libxkbcommon0 libxkbcommon-x11.so.0:libxkbcommon-x11-0
  libfontconfig.so.1:libfontconfig1 libdbus-1.so.3:libdbus-1-3 libglib-2.0.so.0:libglib2.0-0 libX11-xcb.so.1:libx11-xcb1
  libxcb-cursor.so.0:libxcb-cursor0 libxcb-icccm.so.4:libxcb-icccm4 libxcb-image.so.0:libxcb-image0
  libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-randr.so.0:libxcb-randr0 libxcb-render-util.so.0:libxcb-render-util0
  libasound.so.2:libasound2 libxcb-shape.so.0:libxcb-shape0 libxcb-xinerama.so.0:libxcb-xinerama0 libxcb-xkb.so.1:libxcb-xkb1
)
missing=()
ldconfig=$(command -v ldconfig || echo /sbin/ldconfig)
cache=$("$ldconfig" -p 2>/dev/null || true)
for entry in "${libraries[@]}"; do
  case "$cache" in *"${entry%%:*}"*) ;; *) missing+=("${entry##*:}") ;; esac
done
python=$(command -v python3.11 || command -v python3 || true)
[ -n "$python" ] || missing+=(python3)
if [ -n "$python" ] && ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then missing+=(python3-venv); fi
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
python=$(command -v python3.11 || command -v python3)
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { say "Python 3.11 or newer is needed; found $("$python" --version)"; exit 1; }

# --- the virtual environment, rebuilt only when what goes into it has changed ---------------------------------
stamp=$(cat requirements/$want.txt pyproject.toml setup.sh | sha256sum | cut -d' ' -f1)
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
