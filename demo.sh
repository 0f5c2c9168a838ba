#!/usr/bin/env bash
# Sets up and starts Deft Reach on a private copy of the demo, the touring puppet show "Lantern Ferry".
set -euo pipefail
cd "$(dirname "$0")"
./setup.sh
if [ -z "${DISPLAY:-}" ] && [ -z "${WAYLAND_DISPLAY:-}" ] && [ -z "${QT_QPA_PLATFORM:-}" ]; then
  echo "There is no display here, so the window cannot open."
  echo "For a picture of it instead:"
  echo "    .venv/bin/deft-reach shot --view reach --out reach.png"
  echo "and for the same verdict in words:"
  echo "    .venv/bin/deft-reach analyse demo/lantern-ferry.reach --plan 'Storm at the breakwater'"
  exit 0
fi
exec .venv/bin/deft-reach --demo "$@"
