"""Note maps: what an electronic kit's notes stand for, where they are not those of General MIDI.

A small JSON file; one ships for each common kind of layout, and a kit's own is learned by striking each pad once.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from types import MappingProxyType
from typing import Any, Final

from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import RIGHT
from deft_reach.core.practice.hit_matching import pad_of
from deft_reach.core.practice.hits import Hit
from deft_reach.formats.general_midi import BASS, BASS_2, HAT_PEDAL, NAMES, key_of
from deft_reach.formats.reading import DocumentError, reader
from deft_reach.formats.strict_json import read_json

FORMAT: Final = "note map"
VERSION: Final = 1
MAX_BYTES: Final = 64_000
#: Names and remarks are no longer than this.
MAX_WORDS: Final = 200
SUFFIX: Final = ".json"
_KEYS: Final = {name: key for key, name in NAMES.items()}
_SHIPPED: Final = Path(__file__).with_name("note_maps")


@dataclass(frozen=True)
class NoteMap:
    """``keys`` has by note (0 to 127) the General MIDI percussion key it stands for; all other notes stand for
    themselves, unless one of these stands for that key.

    >>> rims = NoteMap("rims", {50: 48})
    >>> rims.heard([Hit(0.0, 50, 90), Hit(0.5, 38, 90), Hit(1.0, 48, 90)])
    (Hit(time=0.0, key=48, velocity=90), Hit(time=0.5, key=38, velocity=90))
    """

    name: str
    keys: Mapping[int, int] = field(default_factory=dict)
    about: str = ""

    def __post_init__(self) -> None:
        object.__setattr__(self, "keys", MappingProxyType(dict(self.keys)))

    def key(self, note: int) -> int | None:
        """The key that a note stands for; None for one that is not the kit's."""
        found = self.keys.get(note)
        return found if found is not None else None if note in self._taken else note

    @property
    def _taken(self) -> set[int]:
        return set(self.keys.values()) - set(self.keys)

    def heard(self, hits: Iterable[Hit]) -> tuple[Hit, ...]:
        """Hits with the keys that their notes stand for; those of notes that are not the kit's are left out."""
        taken = self._taken
        return tuple(
            hit._replace(key=self.keys.get(hit.key, hit.key))
            for hit in hits
            if hit.key in self.keys or hit.key not in taken
        )

    def strangers(self, hits: Iterable[Hit]) -> tuple[int, ...]:
        """The notes that are not the kit's."""
        return tuple(sorted({hit.key for hit in hits} & self._taken))

    def sent(self, hits: Iterable[Hit]) -> tuple[Hit, ...]:
        """Hits by General MIDI keys as a kit with this map sends them: the inverse of ``heard``."""
        notes = {key: note for note, key in sorted(self.keys.items(), reverse=True)}
        notes.update({key: key for key in self.keys.values() if self.keys.get(key) == key})
        return tuple(hit._replace(key=notes.get(hit.key, hit.key)) for hit in hits)


GENERAL_MIDI: Final = NoteMap("General MIDI", about="Every pad sends the General MIDI percussion key of its sound.")


@reader
def load_note_map(data: bytes) -> NoteMap:
    """A note map from a file.

    Raises DocumentError with the place of what is wrong.
    """
    found = read_json(data, MAX_BYTES)
    if found.get("format") != FORMAT:
        raise DocumentError(f'a note map begins with "format": "{FORMAT}"')
    if found.get("version") != VERSION:
        raise DocumentError(f"this app reads version {VERSION} of note maps", "version")
    notes = found.get("notes")
    if not isinstance(notes, dict):
        raise DocumentError('expected the keys of notes, such as {"22": "closed hi-hat"}', "notes")
    keys = {_note(note): _key(note, key) for note, key in notes.items()}
    return NoteMap(_words(found, "name") or "note map", keys, _words(found, "about"))


def _words(found: Mapping[str, Any], field: str) -> str:
    words = found.get(field, "")
    if not isinstance(words, str) or len(words) > MAX_WORDS:
        raise DocumentError(f"expected up to {MAX_WORDS} characters", field)
    return "".join(c for c in words if c.isprintable()).strip()


def _note(note: str) -> int:
    if not (note.isascii() and note.isdigit() and len(note) <= 3 and int(note) <= 127):
        raise DocumentError("a note is a number from 0 to 127", f"notes.{note[:20]}")
    return int(note)


def _key(note: str, key: object) -> int:
    if isinstance(key, int) and not isinstance(key, bool) and 0 <= key <= 127:
        return key
    if isinstance(key, str) and key in _KEYS:
        return _KEYS[key]
    raise DocumentError(
        f"expected a General MIDI percussion key, by number or by name such as “{NAMES[38]}”", f"notes.{note[:20]}"
    )


def dump_note_map(found: NoteMap) -> bytes:
    """A note map as a file."""
    rows = {str(note): NAMES.get(key, key) for note, key in sorted(found.keys.items())}
    whole = {"format": FORMAT, "version": VERSION, "name": found.name, "about": found.about, "notes": rows}
    return (json.dumps(whole, indent=1, ensure_ascii=False) + "\n").encode()


@cache
def shipped_maps() -> Mapping[str, NoteMap]:
    """The note maps that ship with the app, by the names that the commands take."""
    found = {"general-midi": GENERAL_MIDI}
    for path in sorted(_SHIPPED.glob(f"*{SUFFIX}")):
        found[path.stem] = load_note_map(path.read_bytes())
    return MappingProxyType(found)


#: A note map is worth a word where it explains this share of the hits more, and at least so many.
EXPLAINS_PART, EXPLAINS_HITS = 0.03, 3


def fitting_map(hits: Sequence[Hit], keys: Collection[int]) -> str | None:
    """What to say of a performance read as General MIDI whose kit sends other notes: which of them, and the note map
    that ships and fits. None where none fits better. ``keys`` are those that the plan wants.
    """
    wanted = {pad_of(key) for key in keys}

    before = sum(pad_of(hit.key) in wanted for hit in hits)
    best: tuple[int, str, NoteMap] | None = None
    for slug, found in shipped_maps().items():
        explained = sum(pad_of(hit.key) in wanted for hit in found.heard(hits)) - before
        if explained >= max(EXPLAINS_HITS, EXPLAINS_PART * len(hits)) and (best is None or explained > best[0]):
            best = explained, slug, found
    if best is None:
        return None
    _, slug, found = best
    foreign = {hit.key for hit in hits if pad_of(hit.key) not in wanted}
    notes = sorted(note for note in foreign if pad_of(found.keys.get(note, note)) in wanted)
    return (
        f"This kit sends {'note' if len(notes) == 1 else 'notes'} {', '.join(map(str, notes))}, not as General MIDI "
        f"has them: read it by the note map “{found.name}” ({slug})."
    )


@dataclass(frozen=True)
class Pad:
    """Something on a kit to strike once: the key that it stands for, and in words what it is."""

    key: int
    words: str


def pads_of(kit: Kit) -> tuple[Pad, ...]:
    """What to strike to learn a kit's notes: the feet, every piece, and last their rims, edges and bells, which not
    every electronic kit tells apart.
    """
    found = [Pad(BASS, "bass drum")]
    if kit.of_kind("second-bass-pedal") is not None:
        found.append(Pad(BASS_2, "second bass pedal"))
    if kit.of_kind("hi-hat") is not None:
        found.append(Pad(HAT_PEDAL, "hi-hat's pedal, pressed"))
    zones: list[Pad] = []
    for piece in kit:
        if piece.kind == "bass" or piece.is_pedal:
            continue
        found.append(Pad(key_of(kit, piece.code, RIGHT, ""), voice_name(kit, piece.code)))
        if piece.kind == "hi-hat":
            found.append(Pad(key_of(kit, piece.code, RIGHT, "o"), f"{voice_name(kit, piece.code)}, open"))
            zones.append(
                Pad(key_of(kit, f"{piece.code}:edge", RIGHT, "o"), f"{voice_name(kit, piece.code)} edge, open")
            )
        zones += [
            Pad(key_of(kit, voice, RIGHT, ""), voice_name(kit, voice))
            for voice in (f"{piece.code}:{zone.name}" for zone in piece.zones if zone.name != "shell")
        ]
    return (*found, *zones)


#: Of hits closer together than this (seconds) only the loudest is the pad that was struck: the others are crosstalk.
TOGETHER_S: Final = 0.15


class Learner:
    """Learns a kit's notes: each pad is asked for in turn, and the note that its stroke sends is taken down.

    ``notes`` has by pad the note that was heard, None where it is still to come or was passed over; ``at`` is the pad
    that is asked for, one beyond the last when all is done.
    """

    def __init__(self, kit: Kit) -> None:
        self.pads = pads_of(kit)
        self.notes: list[int | None] = [None] * len(self.pads)
        self.at = 0
        self._last: Hit | None = None

    @property
    def asked(self) -> Pad | None:
        """The pad that is asked for."""
        return self.pads[self.at] if self.at < len(self.pads) else None

    def hear(self, hit: Hit) -> None:
        """Take a hit down for the pad that is asked for; of several at once the loudest one."""
        last = self._last
        if last is not None and hit.time - last.time < TOGETHER_S:
            if hit.velocity > last.velocity:
                self.notes[self.at - 1], self._last = hit.key, hit._replace(time=last.time)
        elif self.asked is not None:
            self.notes[self.at], self._last = hit.key, hit
            self.at += 1

    def skip(self) -> None:
        """Pass over the pad that is asked for: the kit does not have it."""
        if self.asked is not None:
            self.notes[self.at], self._last = None, None
            self.at += 1

    def back(self) -> None:
        """Ask for the pad before once more."""
        if self.at:
            self.at -= 1
            self.notes[self.at], self._last = None, None

    def same_as(self, number: int) -> Pad | None:
        """The earlier pad that sends the same note as one: the kit cannot tell them apart."""
        note = self.notes[number]
        return next((self.pads[k] for k in range(number) if note is not None and self.notes[k] == note), None)

    def map(self, name: str) -> NoteMap:
        """What was learned; where pads send one note the first of them has it."""
        keys: dict[int, int] = {}
        for pad, note in zip(self.pads, self.notes):
            if note is not None:
                keys.setdefault(note, pad.key)
        return NoteMap(name, keys, "Learned by striking each pad once.")
