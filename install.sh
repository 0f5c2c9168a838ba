#!/usr/bin/env bash
# Installs Deft Reach for this user, or takes it away again; needs no administrator.
#   ./install.sh [--prefix DIR]               install (default ~/.local)
#   ./install.sh [--prefix DIR] --uninstall   remove everything that was installed
set -euo pipefail

prefix="$HOME/.local" uninstall= here=$PWD
cd "$(dirname "$0")"
while [ $# -gt 0 ]; do
  case "$1" in
    --prefix) prefix=${2:?a folder}; case "$prefix" in /*) ;; *) prefix="$here/$prefix" ;; esac; shift 2 ;;
    --uninstall) uninstall=1; shift ;;
    -h|--help) sed -n '2,4s/^# //p' "$0"; exit 0 ;;
    *) echo "install: unknown option $1; see ./install.sh --help" >&2; exit 2 ;;
  esac
done
prefix=$(realpath -m -- "$prefix")
home="$prefix/lib/deft-reach"
listed="$home/installed-files"

refresh() {
  command -v update-desktop-database >/dev/null && update-desktop-database -q "$prefix/share/applications" || true
  command -v update-mime-database >/dev/null && update-mime-database "$prefix/share/mime" >/dev/null 2>&1 || true
  command -v gtk-update-icon-cache >/dev/null && gtk-update-icon-cache -q -t "$prefix/share/icons/hicolor" || true
}

if [ -n "$uninstall" ]; then
  if [ ! -e "$home" ]; then echo "install: nothing is installed in $prefix" >&2; exit 1; fi
  # Of an installation that was not finished there is less in the list.
  if [ -f "$listed" ]; then
    while IFS= read -r file; do rm -f -- "$file"; done < "$listed"
  fi
  rm -rf -- "$home"
  refresh
  echo "removed from $prefix; documents and the logbook stay where they are"
  exit 0
fi

# --- what is needed, before anything is made ---------------------------------------------------------------------
. requirements/system-libraries.sh
python=$(find_python)
if [ -z "$python" ]; then echo "install: Python 3.11 or newer is needed, and none was found" >&2; exit 1; fi
if ! new_enough "$python"; then
  echo "install: Python 3.11 or newer is needed; $python is $("$python" --version 2>&1)" >&2
  exit 1
fi
mapfile -t missing < <(missing_libraries)
if ! makes_environments "$python"; then missing+=(python3-venv); fi
if [ "${#missing[@]}" -gt 0 ]; then
  echo "install: these system packages are missing and need an administrator:" >&2
  echo "    sudo apt-get install ${missing[*]}" >&2
  exit 1
fi

# --- the app ---------------------------------------------------------------------------------------------------------
mkdir -p "$home" "$prefix/bin"
# From here on --uninstall takes away what there is, however far it came.
touch "$listed"
trap 'echo "install: not finished; ./install.sh --prefix $prefix --uninstall takes away what was made" >&2' ERR
"$python" -m venv "$home/env"
"$home/env/bin/python" -m pip install --quiet --disable-pip-version-check --require-hashes --no-deps -r requirements/run.txt
# Built from a copy, so that nothing is left behind in the source tree.
copy=$(mktemp -d)
trap 'rm -rf -- "$copy"' EXIT
cp -r deft_reach docs pyproject.toml README.md LICENSE MANIFEST.in "$copy"
"$home/env/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --force-reinstall "$copy"
put() { mkdir -p "$(dirname "$2")"; echo "$2" >> "$listed"; cp -- "$1" "$2"; }
echo "$prefix/bin/deft-reach" >> "$listed"
ln -sf "$home/env/bin/deft-reach" "$prefix/bin/deft-reach"
from=deft_reach/desktop
put $from/deft-reach.desktop "$prefix/share/applications/deft-reach.desktop"
put $from/deft-reach.metainfo.xml "$prefix/share/metainfo/deft-reach.metainfo.xml"
put $from/deft-reach-mime.xml "$prefix/share/mime/packages/deft-reach.xml"
put $from/deft-reach.svg "$prefix/share/icons/hicolor/scalable/apps/deft-reach.svg"
QT_QPA_PLATFORM=offscreen "$home/env/bin/python" -m deft_reach.app.desktop.desktop_icons "$prefix/share/icons/hicolor" >> "$listed"
for made in man:share/man/man1/deft-reach.1 bash:share/bash-completion/completions/deft-reach \
  zsh:share/zsh/site-functions/_deft-reach fish:share/fish/vendor_completions.d/deft-reach.fish; do
  file="$prefix/${made#*:}"
  mkdir -p "$(dirname "$file")"
  echo "$file" >> "$listed"
  "$home/env/bin/python" -m deft_reach.cli.manual "${made%%:*}" > "$file"
done
sort -u -o "$listed" "$listed"
refresh
echo "installed: $prefix/bin/deft-reach"
case ":$PATH:" in *":$prefix/bin:"*) ;; *) echo "note: $prefix/bin is not in your PATH" ;; esac
