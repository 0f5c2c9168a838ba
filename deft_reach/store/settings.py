"""What was open last, and before: a small JSON file in the state folder that may be lost without harm."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Container
from pathlib import Path
from typing import Any, Final

from deft_reach import __version__
from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import remove_orphans, write_atomic
from deft_reach.store.places import state_dir
from deft_reach.store.reading import is_file, read_file

MANY: Final = 10
#: A larger file of settings is damaged.
MAX_BYTES: Final = 1_000_000


class Settings:
    """Recent files and small settings.

    Damaged or missing files read as empty; a folder that cannot be made or written is no reason to stop: ``problem``
    says why nothing is remembered then.
    """

    def __init__(self, file: Path | None = None) -> None:
        self.problem = ""
        self.file: Path | None = file
        try:
            self.file = file or state_dir() / "settings.json"
        except OSError as error:
            self.problem = f"{error.filename}: {error.strerror or error}"
        self._data: dict[str, Any] = {}
        if self.file is not None:
            remove_orphans(self.file.parent, self.file.name)
            with contextlib.suppress(OSError, ValueError, RecursionError, DocumentError):
                # As they were called once.
                old = self.file.with_name("memory.json")
                known = self.file if is_file(self.file) or not is_file(old) else old
                data = json.loads(read_file(known, MAX_BYTES))
                if isinstance(data, dict):
                    self._data = data

    @property
    def recent(self) -> list[Path]:
        """Files opened lately, the newest first, those that are gone left out."""
        names = self._data.get("recent", [])
        names = names if isinstance(names, list) else []
        return [Path(name) for name in names if isinstance(name, str) and is_file(Path(name))][:MANY]

    def opened(self, path: Path) -> None:
        """Put a file at the top of the list."""
        path = path.resolve()
        others = [str(p) for p in self.recent if p != path]
        self.set("recent", [str(path), *others][:MANY])

    def is_validated(self, fingerprint: str) -> bool:
        """Whether this version of the app has found a file with this fingerprint to follow the schema."""
        known = self._data.get("validated")
        return isinstance(known, list) and [__version__, fingerprint] in known

    def remember_validated(self, fingerprint: str) -> None:
        """Remember that a file with this fingerprint follows the schema; the last 50 are kept."""
        if not self.is_validated(fingerprint):
            known = self._data.get("validated", [])
            known = known if isinstance(known, list) else []
            self.set("validated", [[__version__, fingerprint], *known][:50])

    def get(self, key: str, default: Any = None) -> Any:
        return self._data.get(key, default)

    def text(self, key: str, default: str, allowed: Container[str] | None = None) -> str:
        """A setting that is a text, one of those ``allowed``; the default for anything else."""
        value = self._data.get(key)
        return value if isinstance(value, str) and (allowed is None or value in allowed) else default

    def number(self, key: str, default: float) -> float:
        """A setting that is a finite number; the default for anything else."""
        value = self._data.get(key)
        if isinstance(value, bool) or not isinstance(value, int | float):
            return default
        # Whole numbers of any length can be written in JSON.
        return float(value) if abs(value) < 1e9 else default

    def set(self, key: str, value: Any) -> None:
        """Remember a value and write the file; ``problem`` says if that failed."""
        self._data[key] = value
        if self.file is None:
            return
        try:
            write_atomic(self.file, json.dumps(self._data, indent=1).encode(), private=True)
            self.problem = ""
        except OSError as error:
            self.problem = f"{self.file}: {error.strerror or error}"
