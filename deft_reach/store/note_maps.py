"""The note maps that there are: those that ship with the app and those that were learned, each a small file."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Final

import platformdirs

from deft_reach.core.session.signals import Signal
from deft_reach.formats.note_map import (
    GENERAL_MIDI,
    MAX_BYTES,
    SUFFIX,
    NoteMap,
    dump_note_map,
    load_note_map,
    shipped_maps,
)
from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.places import private_folder
from deft_reach.store.reading import read_file
from deft_reach.store.settings import Settings

SETTING: Final = "note_map"
#: So many learned maps are listed.
MOST: Final = 100


def note_maps_dir() -> Path:
    """Where learned maps are. It need not be there."""
    return Path(platformdirs.user_data_dir("deft-reach", appauthor=False)) / "note-maps"


class NoteMaps:
    """Maps by id: the shipped ones by name, learned ones as ``own:`` and the name of their file.

    ``chosen`` is the one of the kit that is played on; it is remembered. ``changed`` says that it is another.
    """

    def __init__(self, settings: Settings, folder: Path | None = None) -> None:
        self._settings = settings
        self._folder = folder or note_maps_dir()
        self.changed = Signal()
        self.maps = self._read()

    def _read(self) -> dict[str, NoteMap]:
        found = dict(shipped_maps())
        try:
            files = sorted(self._folder.glob(f"*{SUFFIX}"))[:MOST]
        except OSError:
            files = []
        for path in files:
            try:
                found[f"own:{path.stem}"] = load_note_map(read_file(path, MAX_BYTES))
            except (OSError, DocumentError):
                # A damaged file is no map; it stays where it is.
                continue
        return found

    @property
    def chosen_id(self) -> str:
        return self._settings.text(SETTING, "general-midi", self.maps)

    @property
    def chosen(self) -> NoteMap:
        return self.maps.get(self.chosen_id, GENERAL_MIDI)

    def choose(self, id: str) -> None:
        """Play on the kit with this map from now on."""
        if id in self.maps and id != self.chosen_id:
            self._settings.set(SETTING, id)
            self.changed.emit()

    def keep(self, found: NoteMap) -> str:
        """Write a learned map down under its name, in place of an older one of that name, and choose it; its id.

        Raises OSError where it cannot be written.
        """
        stem = re.sub(r"[^\w-]+", "-", found.name.casefold()).strip("-")[:60] or "kit"
        private_folder(self._folder)
        write_atomic(self._folder / f"{stem}{SUFFIX}", dump_note_map(found))
        self.maps = self._read()
        id = f"own:{stem}"
        self._settings.set(SETTING, id)
        self.changed.emit()
        return id

    def remove(self, id: str) -> None:
        """Delete a learned map. Raises OSError where that fails."""
        if id in self.maps and id.startswith("own:"):
            (self._folder / f"{id.removeprefix('own:')}{SUFFIX}").unlink(missing_ok=True)
            self.maps = self._read()
            self.changed.emit()
