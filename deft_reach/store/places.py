"""Where things are kept, by the XDG rules: state (autosaves, recent files) and data (the logbook).

What the app keeps for itself can be read by its owner alone.
"""

from __future__ import annotations

import contextlib
import errno
from pathlib import Path

import platformdirs

_APP = "deft-reach"


def private_folder(path: Path) -> Path:
    """A folder that only its owner can look into, made where it is missing. Raises OSError where it cannot be.

    Raises NotADirectoryError where something else has its name.
    """
    try:
        path.mkdir(mode=0o700, parents=True, exist_ok=True)
    except FileExistsError:
        words = "something else stands where the folder should be"
        raise NotADirectoryError(errno.ENOTDIR, words, str(path)) from None
    # One that was made before, or by a wider rule, is closed; whoever does not own it cannot.
    with contextlib.suppress(OSError):
        if path.stat().st_mode & 0o077:
            path.chmod(0o700)
    return path


def state_dir() -> Path:
    """Autosaves and what was open last. Made when missing. Raises OSError where it cannot be."""
    return private_folder(Path(platformdirs.user_state_dir(_APP, appauthor=False)))


def autosave_dir() -> Path:
    """Where autosaves are. Raises OSError where there can be no such folder."""
    return private_folder(state_dir() / "autosave")


def open_documents_dir() -> Path:
    """Locks of the documents that are open in a window. Raises OSError where there can be no such folder."""
    return private_folder(state_dir() / "open")


def demo_file() -> Path:
    """The demo document, *Lantern Ferry*, which ships with the package."""
    return Path(__file__).resolve().parents[1] / "demo" / "lantern-ferry.reach"


def demo_log_file() -> Path:
    """Six weeks of made-up practice on the demo's plans, as a table."""
    return demo_file().with_name("practice.csv")


def demo_takes_file() -> Path:
    """Made-up takes and a hand test on the demo's plans."""
    return demo_file().with_name("takes.json")


def logbook_file() -> Path:
    """Where the player's logbook is."""
    folder = Path(platformdirs.user_data_dir(_APP, appauthor=False))
    # The logbook itself says so where there can be no such folder.
    with contextlib.suppress(OSError):
        private_folder(folder)
    return folder / "logbook.sqlite"
