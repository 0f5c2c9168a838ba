"""What a piece of a kit can be: one table for sizes, sound, staff, keys and what stands in for what.

A kind from outside is added with ``register``; from then on documents, schema, MIDI, scores, sound and forms know it.
See "How to add …" in ``CONTRIBUTING.md``.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Set
from dataclasses import dataclass
from typing import Final, NamedTuple

INCH: Final = 25.4
DRUM, CYMBAL, PERCUSSION, PEDAL = "drum", "cymbal", "percussion", "pedal"
FAMILIES: Final = (DRUM, CYMBAL, PERCUSSION, PEDAL)
#: What a kind can sound like; see sound.voices.
SOUNDS: Final = ("snare", "bass", "tom", "hat", "cymbal", "bell", "wood")


class MidiKey(NamedTuple):
    """A percussion key of a kind, struck in a ``zone`` or with a ``mark``.

    ``place`` counts pieces of the kind from left to right, None for all others. What is ``only_written`` is read as
    something else, or not at all; what is ``only_read`` is written as another key.
    """

    number: int
    zone: str = ""
    mark: str = ""
    place: int | None = None
    only_written: bool = False
    only_read: bool = False


class Timbre(NamedTuple):
    """What a kind sounds like: one of SOUNDS, and for cymbals, bells and wood its pitch (Hz; for a cymbal that of its
    lowest partial at 450 mm across), how long it rings (s), how much of it is tone, and whether the noise swells.
    """

    sound: str
    pitch: float = 760.0
    decay: float = 0.1
    tonal: float = 0.0
    swells: bool = False


WOOD: Final = Timbre("wood")


@dataclass(frozen=True)
class PieceKind:
    """One kind of piece.

    ``words`` is what a player calls it. ``code``, ``label``, ``height``, ``diameter``, ``width``, ``tilt`` and
    ``depth`` (mm, degrees) are those of a new piece in its usual size; the code gets a number where it is taken.
    ``staff`` is its place as step and octave of a five-line staff without clef, ``keys`` its General MIDI keys,
    ``instead`` the kinds that can stand in for it, the likest first. A kit has one piece of a ``single`` kind.
    """

    name: str
    words: str
    family: str
    code: str
    label: str
    height: float
    diameter: float
    width: float
    tilt: float = 0.0
    depth: float = 0.0
    timbre: Timbre = WOOD
    staff: tuple[str, int] = ("D", 6)
    keys: tuple[MidiKey, ...] = ()
    instead: tuple[str, ...] = ()
    single: bool = False

    @property
    def has_shell(self) -> bool:
        """Whether it has a depth to be measured."""
        return self.family in (DRUM, PERCUSSION)


_KINDS: Final[dict[str, PieceKind]] = {}


def register(kind: PieceKind) -> None:
    """Add a kind of piece. Raises ValueError where there is one of that name or it names what there is not."""
    if kind.name in _KINDS:
        raise ValueError(f"there is a kind of piece '{kind.name}' already")
    if kind.family not in FAMILIES:
        raise ValueError(f"kind '{kind.name}': unknown family '{kind.family}'; expected one of {', '.join(FAMILIES)}")
    if kind.timbre.sound not in SOUNDS:
        raise ValueError(
            f"kind '{kind.name}': unknown sound '{kind.timbre.sound}'; expected one of {', '.join(SOUNDS)}"
        )
    _KINDS[kind.name] = kind


def unregister(name: str) -> None:
    """Remove a kind that was added. Raises ValueError for one that ships with the app."""
    if name in _SHIPPED:
        raise ValueError(f"the kind '{name}' ships with the app")
    _KINDS.pop(name, None)


def piece_kind(name: str) -> PieceKind:
    """The kind of a name. Raises KeyError."""
    return _KINDS[name]


def all_kinds() -> tuple[PieceKind, ...]:
    """Every kind there is."""
    return tuple(_KINDS.values())


class _Words(Mapping[str, str]):
    """What a player calls each kind."""

    def __getitem__(self, name: str) -> str:
        return _KINDS[name].words

    def __iter__(self) -> Iterator[str]:
        return iter(tuple(_KINDS))

    def __len__(self) -> int:
        return len(_KINDS)


class _Family(Set[str]):
    """The names of a family's kinds, or of those of which a kit has one, as they are now."""

    def __init__(self, family: str = "") -> None:
        self.family = family

    @classmethod
    def _from_iterable(cls, names: object) -> Set[str]:  # type: ignore[override]
        return frozenset(names)  # type: ignore[call-overload, no-any-return]

    def __contains__(self, name: object) -> bool:
        kind = _KINDS.get(name) if isinstance(name, str) else None
        return kind is not None and (kind.family == self.family if self.family else kind.single)

    def __iter__(self) -> Iterator[str]:
        return (name for name in tuple(_KINDS) if name in self)

    def __len__(self) -> int:
        return sum(1 for _ in self)


#: What a piece can be, with the words a player uses for it.
PIECE_KINDS: Final[Mapping[str, str]] = _Words()
CYMBALS: Final[Set[str]] = _Family(CYMBAL)
DRUMS: Final[Set[str]] = _Family(DRUM)
PEDALS: Final[Set[str]] = _Family(PEDAL)
#: Kinds of which a kit has at most one, because a limb letter means it.
SINGLE_KINDS: Final[Set[str]] = _Family()

#: A block that is called a bell is one: so documents of before have it.
_BELL = "bell"


def kind_by_name(kind: str, name: str) -> str:
    """What a piece is by its kind and by what it is called."""
    return _BELL if kind == "block" and "bell" in name.lower() else kind


for _kind in (
    PieceKind(
        "snare", "snare drum", DRUM, "sn", "snare", 640, 14 * INCH, 180, 4, 140, Timbre("snare"), ("C", 5),
        (
            MidiKey(37, mark="x"), MidiKey(37, "rim", only_written=True), MidiKey(75, "shell", only_written=True),
            MidiKey(40, mark="^"), MidiKey(38),
        ),
        ("tom", "floor-tom"),
    ),
    PieceKind(
        "tom", "rack tom", DRUM, "t", "tom", 850, 12 * INCH, 160, 14, 205, Timbre("tom"), ("D", 5),
        instead=("floor-tom", "snare"),
    ),
    PieceKind(
        "floor-tom", "floor tom", DRUM, "f", "floor tom", 610, 16 * INCH, 200, 3, 400, Timbre("tom"), ("A", 4),
        instead=("tom", "snare"),
    ),
    PieceKind("bass", "bass drum", DRUM, "bd", "bass drum", 300, 22 * INCH, 120, 0, 420, Timbre("bass"), ("F", 4)),
    PieceKind(
        "hi-hat", "hi-hat", CYMBAL, "hh", "hi-hat", 875, 14 * INCH, 150, timbre=Timbre("hat"), staff=("G", 5),
        keys=(MidiKey(46, mark="o"), MidiKey(42)), instead=("ride", "crash"),
    ),
    PieceKind(
        "ride", "ride cymbal", CYMBAL, "rd", "ride", 930, 20 * INCH, 180, 12,
        timbre=Timbre("cymbal", 330.0, 0.9, 0.16), staff=("F", 5),
        keys=(
            MidiKey(53, "bell"), MidiKey(59, "edge", only_written=True), MidiKey(51), MidiKey(59, only_read=True)
        ),
        instead=("crash", "hi-hat"),
    ),
    PieceKind(
        "crash", "crash cymbal", CYMBAL, "c", "crash", 1080, 16 * INCH, 180, 15,
        timbre=Timbre("cymbal", 290.0, 1.1, 0.06, swells=True), staff=("A", 5),
        keys=(MidiKey(49, place=0), MidiKey(57, place=1), MidiKey(57, only_written=True)),
        instead=("china", "splash", "ride"),
    ),
    PieceKind(
        "splash", "splash cymbal", CYMBAL, "sp", "splash", 1060, 10 * INCH, 120, 12,
        timbre=Timbre("cymbal", 520.0, 0.35, 0.06, swells=True), staff=("B", 5), keys=(MidiKey(55),),
        instead=("crash", "china", "hi-hat"),
    ),
    PieceKind(
        "china", "china-type cymbal", CYMBAL, "ch", "china", 1080, 18 * INCH, 170, -12,
        timbre=Timbre("cymbal", 240.0, 0.7, 0.08, swells=True), staff=("C", 6), keys=(MidiKey(52),),
        instead=("crash", "splash", "ride"),
    ),
    PieceKind(
        "bell", "bell or cowbell", PERCUSSION, "bl", "bell", 900, 160, 70, 0, 60,
        timbre=Timbre("bell", 1240.0, 1.0, 1.0), staff=("E", 6), keys=(MidiKey(56),),
        instead=("block", "ride", "hi-hat", "snare"),
    ),
    PieceKind(
        "block", "wood block", PERCUSSION, "wb", "block", 900, 160, 70, 0, 60, timbre=Timbre("wood"), staff=("D", 6),
        keys=(MidiKey(76, place=0), MidiKey(77, place=1), MidiKey(77, only_written=True)),
        instead=("bell", "ride", "hi-hat", "snare"),
    ),
    PieceKind("bass-pedal", "bass pedal", PEDAL, "kp", "bass pedal", 60, 90, 80, 0, 280, single=True),
    PieceKind(
        "second-bass-pedal", "second bass pedal", PEDAL, "jp", "second bass pedal", 60, 90, 80, 0, 280, single=True
    ),
    PieceKind("hat-pedal", "hi-hat pedal", PEDAL, "hp", "hi-hat pedal", 60, 90, 80, 0, 280, single=True),
):  # fmt: skip
    register(_kind)
_SHIPPED: Final = frozenset(_KINDS)
