#!/usr/bin/env bash
# Installs Deft Reach for this user, or takes it away again; needs no administrator.
#   ./install.sh [--prefix DIR]               install (default ~/.local)
#   ./install.sh [--prefix DIR] --uninstall   remove everything that was installed
set -euo pipefail
cd "$(dirname "$0")"

prefix="$HOME/.local" uninstall=
while [ $# -gt 0 ]; do
  case "$1" in
    --prefix) prefix=${2:?a folder}; shift 2 ;;
    --uninstall) uninstall=1; shift ;;
    -h|--help) sed -n '2,4s/^# //p' "$0"; exit 0 ;;
    *) echo "install: unknown option $1; see ./install.sh --help" >&2; exit 2 ;;
  esac
done
home="$prefix/lib/deft-reach"
listed="$home/installed-files"

refresh() {
  command -v update-desktop-database >/dev/null && update-desktop-database -q "$prefix/share/applications" || true
  command -v update-mime-database >/dev/null && update-mime-database "$prefix/share/mime" >/dev/null 2>&1 || true
  command -v gtk-update-icon-cache >/dev/null && gtk-update-icon-cache -q -t "$prefix/share/icons/hicolor" || true
}

if [ -n "$uninstall" ]; then
  if [ ! -f "$listed" ]; then echo "install: nothing is installed in $prefix" >&2; exit 1; fi
  while IFS= read -r file; do rm -f -- "$file"; done < "$listed"
  rm -rf -- "$home"
  refresh
  echo "removed from $prefix; documents and the logbook stay where they are"
  exit 0
fi

python=$(command -v python3.11 || command -v python3)
mkdir -p "$home" "$prefix/bin"
"$python" -m venv "$home/env"
"$home/env/bin/python" -m pip install --quiet --disable-pip-version-check --require-hashes --no-deps -r requirements/run.txt
# Built from a copy, so that nothing is left behind in the source tree.
copy=$(mktemp -d)
trap 'rm -rf -- "$copy"' EXIT
cp -r deft_reach docs pyproject.toml README.md LICENSE MANIFEST.in "$copy"
"$home/env/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --force-reinstall "$copy"
: > "$listed"
put() { mkdir -p "$(dirname "$2")"; cp -- "$1" "$2"; echo "$2" >> "$listed"; }
ln -sf "$home/env/bin/deft-reach" "$prefix/bin/deft-reach"
echo "$prefix/bin/deft-reach" >> "$listed"
from=deft_reach/desktop
put $from/deft-reach.desktop "$prefix/share/applications/deft-reach.desktop"
put $from/deft-reach.metainfo.xml "$prefix/share/metainfo/deft-reach.metainfo.xml"
put $from/deft-reach-mime.xml "$prefix/share/mime/packages/deft-reach.xml"
put $from/deft-reach.svg "$prefix/share/icons/hicolor/scalable/apps/deft-reach.svg"
QT_QPA_PLATFORM=offscreen "$home/env/bin/python" -m deft_reach.app.desktop_icons "$prefix/share/icons/hicolor" >> "$listed"
for made in man:share/man/man1/deft-reach.1 bash:share/bash-completion/completions/deft-reach \
  zsh:share/zsh/site-functions/_deft-reach fish:share/fish/vendor_completions.d/deft-reach.fish; do
  file="$prefix/${made#*:}"
  mkdir -p "$(dirname "$file")"
  "$home/env/bin/python" -m deft_reach.cli.manual "${made%%:*}" > "$file"
  echo "$file" >> "$listed"
done
refresh
echo "installed: $prefix/bin/deft-reach"
case ":$PATH:" in *":$prefix/bin:"*) ;; *) echo "note: $prefix/bin is not in your PATH" ;; esac
