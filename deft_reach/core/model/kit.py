"""A drum kit as measured: pieces, their zones, and where everything stands.

Millimetres throughout. The origin is on the floor under the seat's centre; x runs to the player's right,
y forward, z up.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final

from deft_reach.core.model.limbs import LEFT, RIGHT
from deft_reach.core.model.message import Length, message, outside
from deft_reach.core.model.piece_kinds import PEDALS, PIECE_KINDS, SINGLE_KINDS

#: Every voice's zones that stroke text may name.
ZONES: Final = ("rim", "shell", "bell", "edge", "foot")

#: Ends of a tape reading that are no pieces: the seat's centre, on top; and the floor straight below.
SEAT: Final = "seat"
FLOOR: Final = "floor"

#: The pedals of one foot are close enough to be held down together below this distance.
SPLIT_FOOT_MM: Final = 160.0

_CODE = re.compile(r"[a-z][a-z0-9]{0,7}\Z")
_SIDES = {"left": "right", "right": "left", "Left": "Right", "Right": "Left"}


class KitError(ValueError):
    """A kit that cannot stand: says which piece, which value, and what would be right."""


@dataclass(frozen=True, slots=True)
class Zone:
    """A strike zone of a piece.

    ``dx``, ``dy``, ``dz`` is its offset from the piece's strike centre in mm; ``width`` its effective width in
    mm, the span a tip may land in.
    """

    name: str
    dx: float
    dy: float
    dz: float
    width: float
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def mirror(self) -> Zone:
        return replace(self, dx=-self.dx)


@dataclass(frozen=True, slots=True)
class Foot:
    """Where a stand touches the floor, as an offset in mm from the piece's strike centre."""

    dx: float
    dy: float
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def mirror(self) -> Foot:
        return replace(self, dx=-self.dx)


@dataclass(frozen=True, slots=True)
class Piece:
    """One drum, cymbal, block or pedal.

    ``x``, ``y``, ``z`` is the centre of the place where it is normally struck and ``width`` that place's
    effective width; ``body_dx``, ``body_dy`` lead from there to the middle of the body (a ride is struck on the
    bow, not in the middle). ``tilt`` in degrees leans it towards the player, ``depth`` is a shell's.
    """

    code: str
    name: str
    kind: str
    x: float
    y: float
    z: float
    diameter: float
    width: float
    tilt: float = 0.0
    depth: float = 0.0
    body_dx: float = 0.0
    body_dy: float = 0.0
    zones: tuple[Zone, ...] = ()
    feet: tuple[Foot, ...] = ()
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    @property
    def body(self) -> tuple[float, float]:
        """Plan position (x, y) of the middle of the body, mm."""
        return self.x + self.body_dx, self.y + self.body_dy

    @property
    def is_pedal(self) -> bool:
        return self.kind in PEDALS

    def zone(self, name: str) -> Zone | None:
        return next((zone for zone in self.zones if zone.name == name), None)

    def moved(self, x: float, y: float, z: float | None = None) -> Piece:
        """The same piece with its strike centre elsewhere."""
        return replace(self, x=x, y=y, z=self.z if z is None else z)

    def mirror(self) -> Piece:
        """The piece on the other side of the player; left and right change places in its name too."""
        words = [_SIDES.get(word, word) for word in self.name.split(" ")]
        return replace(
            self,
            name=" ".join(words),
            x=-self.x,
            body_dx=-self.body_dx,
            zones=tuple(zone.mirror() for zone in self.zones),
            feet=tuple(foot.mirror() for foot in self.feet),
        )


@dataclass(frozen=True, slots=True)
class Reading:
    """A distance taken with a tape: from ``a`` to ``b``, in mm.

    ``a`` is a piece's code; ``b`` another one's, ``seat`` or ``floor``. ``sigma`` is how far off it may be, None for
    an ordinary reading.
    """

    a: str
    b: str
    mm: float
    sigma: float | None = None
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    @property
    def name(self) -> str:
        """What was measured, in words."""
        return f"{self.a} above the floor" if self.b == FLOOR else f"{self.a} to {self.b}"


@dataclass(frozen=True, slots=True)
class Spot:
    """A point to measure from: ``at`` is a voice, a pedal, ``seat`` or ``floor`` (the origin), and dx, dy, dz go on
    from there in mm, so that the spot moves with its piece.
    """

    at: str
    dx: float = 0.0
    dy: float = 0.0
    dz: float = 0.0
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def mirror(self) -> Spot:
        return replace(self, dx=-self.dx)


@dataclass(frozen=True, slots=True)
class Dimension:
    """A dimension line that is kept with the kit."""

    a: Spot
    b: Spot
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    def mirror(self) -> Dimension:
        return replace(self, a=self.a.mirror(), b=self.b.mirror())


@dataclass(frozen=True)
class Kit:
    """A named set of pieces.

    ``readings`` come from a tape; ``left`` and ``right`` name a piece known to stand on that side of the
    player, which a tape cannot say; ``dimensions`` are lines kept on the drawing.

    >>> from deft_reach.core.model.layouts import layout
    >>> layout("five").voice_point("rd:bell")[1]
    80
    """

    id: str
    name: str
    pieces: tuple[Piece, ...]
    note: str = ""
    readings: tuple[Reading, ...] = ()
    left: str = ""
    right: str = ""
    dimensions: tuple[Dimension, ...] = ()
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False, hash=False)

    @cached_property
    def hats(self) -> frozenset[str]:
        """Codes of the hi-hats."""
        return frozenset(piece.code for piece in self.pieces if piece.kind == "hi-hat")

    @cached_property
    def _by_code(self) -> dict[str, Piece]:
        return {piece.code: piece for piece in self.pieces}

    def __iter__(self) -> Iterator[Piece]:
        return iter(self.pieces)

    def __contains__(self, code: object) -> bool:
        return code in self._by_code

    def piece(self, code: str) -> Piece | None:
        """The piece with this code, or None."""
        return self._by_code.get(code)

    def of_kind(self, kind: str) -> Piece | None:
        """The first piece of a kind, or None."""
        return next((piece for piece in self.pieces if piece.kind == kind), None)

    @cached_property
    def voices(self) -> tuple[str, ...]:
        """Every voice that can be written for this kit: ``sn``, ``sn:rim`` and so on. Pedals have none."""
        found = []
        for piece in self.pieces:
            if not piece.is_pedal:
                found.append(piece.code)
                found.extend(f"{piece.code}:{zone.name}" for zone in piece.zones)
                if piece.kind == "hi-hat" and self.of_kind("hat-pedal"):
                    found.append(f"{piece.code}:foot")
        return tuple(found)

    @cached_property
    def struck(self) -> tuple[str, ...]:
        """Codes of the pieces that hands strike."""
        return tuple(piece.code for piece in self.pieces if not piece.is_pedal and piece.kind != "bass")

    def voice_point(self, voice: str) -> tuple[tuple[float, float, float], float] | None:
        """Where a voice is struck, (x, y, z) in mm, and its effective width; None if the kit lacks it.

        The bass drum and ``hh:foot`` are struck at their pedals.
        """
        code, _, zone_name = voice.partition(":")
        piece = self._by_code.get(code)
        if piece is None or piece.is_pedal:
            return None
        if piece.kind == "hi-hat" and zone_name == "foot":
            pedal = self.of_kind("hat-pedal")
            return None if pedal is None else ((pedal.x, pedal.y, pedal.z), pedal.width)
        if not zone_name:
            return (piece.x, piece.y, piece.z), piece.width
        zone = piece.zone(zone_name)
        if zone is None:
            return None
        return (piece.x + zone.dx, piece.y + zone.dy, piece.z + zone.dz), zone.width

    def with_piece(self, piece: Piece) -> Kit:
        """The same kit with the piece of that code replaced, or added if there is none."""
        if piece.code in self._by_code:
            return replace(self, pieces=tuple(piece if p.code == piece.code else p for p in self.pieces))
        return replace(self, pieces=(*self.pieces, piece))

    def mirror(self) -> Kit:
        """The kit for a player who sets up the other way round: every x becomes −x."""
        return replace(
            self,
            pieces=tuple(piece.mirror() for piece in self.pieces),
            left=self.right,
            right=self.left,
            dimensions=tuple(dimension.mirror() for dimension in self.dimensions),
        )

    def spot_point(self, spot: Spot, seat_height: float) -> tuple[float, float, float] | None:
        """Where a spot is, (x, y, z) in mm; None once its piece or zone is gone."""
        base = (0.0, 0.0, 0.0)
        if spot.at == SEAT:
            base = (0.0, 0.0, seat_height)
        elif spot.at != FLOOR:
            code, _, zone_name = spot.at.partition(":")
            piece = self._by_code.get(code)
            zone = piece.zone(zone_name) if piece is not None and zone_name else None
            if piece is None or (zone_name and zone is None):
                return None
            base = (piece.x, piece.y, piece.z)
            if zone is not None:
                base = (piece.x + zone.dx, piece.y + zone.dy, piece.z + zone.dz)
        return base[0] + spot.dx, base[1] + spot.dy, base[2] + spot.dz

    @property
    def hat_side(self) -> int:
        """−1 when the hi-hat stands to the left of the snare, +1 when to the right (or there is none)."""
        hat, snare = self.of_kind("hi-hat"), self.of_kind("snare")
        if hat is None:
            return -1
        return -1 if hat.x < (snare.x if snare else 0.0) else 1

    @property
    def hand_beside_hats(self) -> str:
        """The hand on whose side the hi-hat stands: it plays them open-handed, the other one crossed."""
        return LEFT if self.hat_side < 0 else RIGHT

    @property
    def bass_foot_side(self) -> int:
        """+1 when the first bass pedal is under the right foot, −1 when under the left."""
        bass, hat = self.of_kind("bass-pedal"), self.of_kind("hat-pedal")
        if bass is None:
            return 1
        return 1 if bass.x > (hat.x if hat else 0.0) else -1

    @property
    def foot_pedals_apart(self) -> float:
        """Distance in mm between the hi-hat pedal and the second bass pedal; infinite if one is missing."""
        hat, second = self.of_kind("hat-pedal"), self.of_kind("second-bass-pedal")
        if hat is None or second is None:
            return math.inf
        return math.dist((hat.x, hat.y, hat.z), (second.x, second.y, second.z))


def gaps(kit: Kit) -> list[str]:
    """What a kit lacks to be played as written, a sentence each; empty when nothing is missing."""
    has = {piece.kind for piece in kit}
    found = []
    if "sn" not in kit:
        found.append("There is no snare: a hand without a written voice has nothing to strike. Add one, or undo.")
    if "bass" in has and "bass-pedal" not in has:
        found.append("The bass drum has no pedal: add one, or K cannot be played.")
    if "bass-pedal" in has and "bass" not in has:
        found.append("The bass pedal has no drum: add one, or K sounds nothing.")
    if "hat-pedal" in has and "hi-hat" not in has:
        found.append("The hi-hat pedal has no hi-hat: add one, or H sounds nothing.")
    return found


def check_kit(kit: Kit) -> None:
    """Raise KitError if the kit cannot be one: bad codes, doubled pieces, absurd sizes or places.

    Codes must not read as another piece's code followed by ``x`` or ``o``: in stroke text those letters are
    marks, so ``R@snx`` would mean two things.
    """
    codes: set[str] = set()
    for piece in kit.pieces:
        where = f"kit '{kit.name}', piece '{piece.code}'"
        if not _CODE.match(piece.code):
            raise KitError(f"{where}: a code is a small letter and up to seven small letters or digits")
        if piece.code in codes:
            raise KitError(f"{where}: the code is used twice; give each piece its own")
        codes.add(piece.code)
        if piece.kind not in PIECE_KINDS:
            raise KitError(f"{where}: unknown kind '{piece.kind}'; expected one of {', '.join(PIECE_KINDS)}")
        _check_measures(piece, where)
    for kind in SINGLE_KINDS:
        if sum(piece.kind == kind for piece in kit.pieces) > 1:
            raise KitError(f"kit '{kit.name}': there can be only one {PIECE_KINDS[kind]}")
    for code in codes:
        root = code.rstrip("xo")
        if root != code and root in codes:
            raise KitError(
                f"kit '{kit.name}', piece '{code}': in stroke text this would read as '{root}' with a mark; "
                "choose a code that does not end in x or o"
            )


def _check_measures(piece: Piece, where: str) -> None:
    """Raise KitError for a size or a place that no piece has."""
    for name, value, low, high in (
        ("x", piece.x, -3000, 3000),
        ("y", piece.y, -3000, 3000),
        ("z", piece.z, 0, 2500),
        ("diameter", piece.diameter, 20, 1200),
        ("width", piece.width, 10, 600),
        ("tilt", piece.tilt, -90, 90),
        ("depth", piece.depth, 0, 1000),
    ):
        if not (math.isfinite(value) and low <= value <= high):
            if name == "tilt":
                raise KitError(f"{where}: {name} is {value:g} degrees; expected {low} to {high} degrees")
            raise KitError(outside(f"{where}: {name}", value, low, high))
    for zone in piece.zones:
        if zone.name not in ZONES or zone.name == "foot":
            raise KitError(f"{where}: unknown zone '{zone.name}'; expected rim, shell, bell or edge")
        if not all(math.isfinite(v) and abs(v) <= 1000 for v in (zone.dx, zone.dy, zone.dz)):
            offset = message("its offset must be within {limit}", limit=Length(1000))
            raise KitError(message("{where}: {offset}", where=f"{where}, zone '{zone.name}'", offset=offset))
        if not (math.isfinite(zone.width) and 10 <= zone.width <= 600):
            raise KitError(outside(f"{where}, zone '{zone.name}': width", zone.width, 10, 600))


def piece_of(voice: str) -> str:
    """The code of the piece that a voice is struck on.

    >>> piece_of("rd:bell")
    'rd'
    """
    return voice.partition(":")[0]


def voice_name(kit: Kit, voice: str) -> str:
    """A voice as a player says it: "floor tom", "ride bell", "hi-hat pedal"."""
    code, _, zone = voice.partition(":")
    piece = kit.piece(code)
    if piece is None:
        return f"'{voice}'"
    if zone == "foot":
        return f"{piece.name} pedal"
    return f"{piece.name} {zone}" if zone else piece.name
