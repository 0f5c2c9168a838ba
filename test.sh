#!/usr/bin/env bash
# Everything that must hold: style, types, import contracts, tests. Installs what it needs.
set -euo pipefail
cd "$(dirname "$0")"
./setup.sh --test
bin=.venv/bin
echo "== ruff";      $bin/ruff check . && $bin/ruff format --check --quiet .
echo "== mypy";      $bin/mypy
echo "== contracts"; PYTHONPATH=. $bin/lint-imports --no-cache 2>&1 | tail -n 8
echo "== no Qt behind the core"
$bin/python -c 'import sys, deft_reach.core, deft_reach.cli.main; bad = [m for m in sys.modules if m.startswith(("PySide6", "shiboken6"))]; sys.exit(f"loads Qt: {bad}" if bad else 0)'
echo "== doctests";  $bin/python -m pytest -n 0 --doctest-modules deft_reach/core deft_reach/formats
# So many failures have one cause, and each can wait long: what comes after them tells nothing more.
echo "== tests";     QT_QPA_PLATFORM=offscreen $bin/python -m pytest --maxfail 30 "$@"
