"""What was open last, and before: a small JSON file in the state folder that may be lost without harm."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path
from typing import Any

from deft_reach import __version__
from deft_reach.store.atomic import write_atomic
from deft_reach.store.places import state_dir

MANY = 10


class Memory:
    """Recent files and small settings.

    Damaged or missing files read as empty; a folder that cannot be written is no reason to stop.
    """

    def __init__(self, file: Path | None = None) -> None:
        self.file = file or state_dir() / "memory.json"
        self._data: dict[str, Any] = {}
        with contextlib.suppress(OSError, ValueError):
            data = json.loads(self.file.read_text(encoding="utf-8"))
            if isinstance(data, dict):
                self._data = data

    @property
    def recent(self) -> list[Path]:
        """Files opened lately, the newest first, those that are gone left out."""
        names = self._data.get("recent", [])
        names = names if isinstance(names, list) else []
        return [Path(name) for name in names if isinstance(name, str) and Path(name).is_file()][:MANY]

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
        if not self.is_validated(fingerprint):
            known = self._data.get("validated", [])
            known = known if isinstance(known, list) else []
            self.set("validated", [[__version__, fingerprint], *known][:50])

    def get(self, key: str, default: Any = None) -> Any:
        return self._data.get(key, default)

    def set(self, key: str, value: Any) -> None:
        self._data[key] = value
        with contextlib.suppress(OSError):
            write_atomic(self.file, json.dumps(self._data, indent=1).encode())
