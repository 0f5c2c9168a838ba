"""Where things are kept, by the XDG rules: state (autosaves, recent files) and data (the logbook)."""

from __future__ import annotations

from pathlib import Path

import platformdirs

_APP = "deft-reach"


def state_dir() -> Path:
    """Autosaves and what was open last. Made when missing."""
    path = Path(platformdirs.user_state_dir(_APP, appauthor=False))
    path.mkdir(parents=True, exist_ok=True)
    return path


def autosave_dir() -> Path:
    path = state_dir() / "autosave"
    path.mkdir(parents=True, exist_ok=True)
    return path


def demo_file() -> Path:
    """The demo document, *Lantern Ferry*, in the source tree or beside the installed package."""
    return Path(__file__).resolve().parents[2] / "demo" / "lantern-ferry.reach"


def demo_log_file() -> Path:
    """Six weeks of made-up practice on the demo's plans, as a table."""
    return demo_file().with_name("practice.csv")


def logbook_file() -> Path:
    """Where the player's logbook is."""
    return Path(platformdirs.user_data_dir(_APP, appauthor=False)) / "logbook.sqlite"
