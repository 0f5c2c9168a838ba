"""The kits that ship with the app. All of them are our own measurements of nobody's kit in particular.

Each is laid out from the seated player outwards: the snare between the knees where both forearms are about level,
then every other piece where the hand that usually plays it has its upper arm low and its elbow bent, as far as
neighbours leave room. The posture ranges of RULA (McAtamney & Corlett 1993, *Applied Ergonomics* 24) are what the
tests hold it against.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Final

from deft_reach.core.model.collisions import covered, trouble
from deft_reach.core.model.kit import Foot, Kit, Piece, Zone
from deft_reach.core.model.piece_kinds import CYMBALS, DRUMS, INCH, PEDALS, piece_kind


def _towards_seat(x: float, y: float, distance: float) -> tuple[float, float]:
    length = math.hypot(x, y) or 1.0
    return -x / length * distance, -y / length * distance


def make_piece(
    code: str,
    name: str,
    kind: str,
    at: tuple[float, float, float],
    diameter: float,
    width: float,
    *,
    tilt: float = 0.0,
    depth: float = 0.0,
    bell: float = 70.0,
) -> Piece:
    """A piece of a kind with the zones, body offset and stand feet that such a piece has.

    ``at`` is the strike centre in mm; the zones face the player from there.
    """
    x, y, z = at
    radius = diameter / 2
    zones: tuple[Zone, ...] = ()
    feet: tuple[Foot, ...] = ()
    body = (0.0, 0.0)
    if kind in CYMBALS:
        # A cymbal is struck on its bow, about half-way from the middle to the near edge.
        near = _towards_seat(x, y, radius * 0.5)
        body = (-near[0], -near[1])
        edge = _towards_seat(x, y, radius * 0.45)
        zones = (
            Zone("bell", body[0], body[1], 20.0, bell),
            Zone("edge", edge[0], edge[1], -10.0, 50.0),
        )
        feet = _tripod(body, 270.0)
    elif kind in DRUMS and kind != "bass":
        near = _towards_seat(x, y, radius * 0.95)
        side = math.copysign(radius, x) if kind == "floor-tom" else near[0]
        zones = (
            Zone("rim", near[0], near[1], 8.0, 60.0),
            Zone("shell", side, near[1] if kind != "floor-tom" else 0.0, -depth / 3, 90.0),
        )
        if kind == "snare":
            feet = _tripod(body, 190.0)
        elif kind == "floor-tom":
            feet = _tripod(body, radius + 15.0)
    elif kind not in PEDALS and kind != "bass":
        feet = _tripod(body, 200.0)
    return Piece(code, name, kind, x, y, z, diameter, width, tilt, depth, body[0], body[1], zones=zones, feet=feet)


def _tripod(middle: tuple[float, float], radius: float) -> tuple[Foot, ...]:
    angles = (90.0, 210.0, 330.0)
    return tuple(
        Foot(
            middle[0] + radius * math.cos(math.radians(a)),
            middle[1] + radius * math.sin(math.radians(a)),
        )
        for a in angles
    )


def _pedals(second: tuple[float, float] | None = None) -> tuple[Piece, ...]:
    pedals = [
        Piece("kp", "bass pedal", "bass-pedal", 130, 660, 60, 90, 80, depth=280),
        Piece("hp", "hi-hat pedal", "hat-pedal", -330, 560, 60, 90, 80, depth=280),
    ]
    if second is not None:
        x, y = second
        pedals.append(Piece("jp", "second bass pedal", "second-bass-pedal", x, y, 60, 90, 80, depth=280))
    return tuple(pedals)


_BASS = Piece("bd", "bass drum", "bass", 110, 1090, 300, 22 * INCH, 120, depth=420)
_SNARE = make_piece("sn", "snare", "snare", (-10, 590, 640), 14 * INCH, 180, tilt=4, depth=140)
_HAT = make_piece("hh", "hi-hat", "hi-hat", (-320, 580, 875), 14 * INCH, 150)
_T1 = make_piece("t1", "small tom", "tom", (-110, 785, 850), 10 * INCH, 150, tilt=14, depth=170)
_T2 = make_piece("t2", "mid tom", "tom", (172, 795, 850), 12 * INCH, 160, tilt=14, depth=190)
_FT = make_piece("ft", "floor tom", "floor-tom", (480, 490, 610), 16 * INCH, 200, tilt=3, depth=400)
_RD = make_piece("rd", "ride", "ride", (470, 700, 930), 20 * INCH, 180, tilt=12, bell=80)
_C1 = make_piece("c1", "left crash", "crash", (-360, 800, 1070), 16 * INCH, 180, tilt=15)
_C2 = make_piece("c2", "right crash", "crash", (285, 850, 1080), 18 * INCH, 200, tilt=15)


def _compact() -> Kit:
    return Kit(
        "compact",
        "compact",
        (
            replace(_BASS, diameter=20 * INCH),
            _SNARE,
            _HAT,
            make_piece("t1", "rack tom", "tom", (90, 810, 850), 12 * INCH, 160, tilt=14, depth=190),
            make_piece("ft", "floor tom", "floor-tom", (450, 490, 610), 14 * INCH, 190, tilt=3, depth=360),
            make_piece("rd", "ride", "ride", (430, 700, 930), 20 * INCH, 180, tilt=12, bell=80),
            make_piece("c1", "left crash", "crash", (-340, 800, 1070), 16 * INCH, 180, tilt=15),
            *_pedals(),
        ),
        note="Four drums, hi-hat, ride and one crash.",
    )


def _five() -> Kit:
    return Kit(
        "five",
        "five",
        (_BASS, _SNARE, _HAT, _T1, _T2, _FT, _RD, _C1, _C2, *_pedals()),
        note="Five drums, hi-hat, ride and two crashes.",
    )


def _five_double() -> Kit:
    return Kit(
        "five-double",
        "five-double",
        (*_five().pieces[:-2], *_pedals(second=(-195, 620))),
        note="The five with a second bass pedal beside the hi-hat pedal.",
    )


def _large() -> Kit:
    return Kit(
        "large",
        "large",
        (
            replace(_BASS, x=70.0, y=1110.0),
            _SNARE,
            _HAT,
            make_piece("t1", "small tom", "tom", (-215, 790, 850), 8 * INCH, 140, tilt=14, depth=160),
            make_piece("t2", "mid tom", "tom", (30, 830, 870), 10 * INCH, 150, tilt=14, depth=175),
            make_piece("t3", "low tom", "tom", (310, 775, 860), 12 * INCH, 160, tilt=14, depth=195),
            make_piece("ft", "floor tom", "floor-tom", (460, 480, 610), 14 * INCH, 190, tilt=3, depth=360),
            make_piece("f2", "second floor tom", "floor-tom", (690, 165, 600), 16 * INCH, 200, tilt=3, depth=400),
            make_piece("rd", "ride", "ride", (560, 660, 950), 20 * INCH, 180, tilt=12, bell=80),
            make_piece("c1", "left crash", "crash", (-390, 780, 1080), 16 * INCH, 180, tilt=15),
            make_piece("c2", "right crash", "crash", (310, 850, 1090), 18 * INCH, 200, tilt=15),
            make_piece("sp", "splash", "splash", (-80, 850, 1060), 10 * INCH, 120, tilt=12, bell=50),
            make_piece("ch", "china", "china", (690, 430, 1060), 18 * INCH, 170, tilt=-12),
            *_pedals(second=(-195, 620)),
        ),
        note="Three rack toms, two floor toms, double pedal, splash and china-type.",
    )


def _pit() -> Kit:
    return Kit(
        "pit",
        "pit",
        (
            replace(_BASS, y=1050.0, diameter=18 * INCH, depth=360),
            make_piece("sn", "snare", "snare", (-10, 575, 640), 13 * INCH, 175, tilt=4, depth=130),
            make_piece("hh", "hi-hat", "hi-hat", (-290, 565, 870), 13 * INCH, 145),
            make_piece("t1", "rack tom", "tom", (70, 780, 850), 10 * INCH, 150, tilt=14, depth=180),
            make_piece("ft", "floor tom", "floor-tom", (400, 450, 610), 14 * INCH, 190, tilt=3, depth=360),
            make_piece("rd", "ride", "ride", (390, 680, 940), 18 * INCH, 170, tilt=14, bell=80),
            make_piece("c1", "left crash", "crash", (-290, 760, 1080), 15 * INCH, 170, tilt=15),
            make_piece("wb", "plank block", "block", (-130, 775, 900), 160, 70, depth=60),
            make_piece("bl", "buoy bell", "block", (930, 480, 1120), 180, 80, depth=150),
            *_pedals(second=(-195, 620)),
        ),
        note="A cramped theatre pit: everything close, the buoy bell hung on the wall to the right.",
    )


LAYOUTS: dict[str, Callable[[], Kit]] = {
    "compact": _compact,
    "five": _five,
    "five-double": _five_double,
    "large": _large,
    "pit": _pit,
}

#: Every voice of every layout: what stroke text understands before it knows a kit.
STANDARD_VOICES: frozenset[str] = frozenset(voice for make in LAYOUTS.values() for voice in make().voices)


def layout(name: str) -> Kit:
    """A fresh copy of a shipped layout.

    Raises KeyError with the list of names when there is none of that name.
    """
    try:
        return LAYOUTS[name]()
    except KeyError:
        raise KeyError(f"no kit named '{name}'; there are {', '.join(LAYOUTS)}") from None


_PEDAL_PLACES: Final = {
    "bass-pedal": (130.0, 660.0),
    "hat-pedal": (-330.0, 560.0),
    "second-bass-pedal": (-195.0, 620.0),
}


def free_code(kit: Kit, stem: str) -> str:
    """A code that the kit has not: the stem itself, or with the first free number."""
    if stem not in kit and len(stem) > 1:
        return stem
    root = stem.rstrip("0123456789") or stem
    return next(code for n in range(1, 1000) if (code := f"{root}{n}") not in kit)


def new_piece(kit: Kit, kind: str) -> Piece:
    """A piece of a kind in its usual size, within reach where nothing else stands or, at worst, least does.

    Free of the others seen from above, too, where there is room for that.
    """
    usual = piece_kind(kind)
    name, z, diameter, width, tilt, depth = (
        usual.label, usual.height, usual.diameter, usual.width, usual.tilt, usual.depth,
    )  # fmt: skip
    code = free_code(kit, usual.code)
    if kind in _PEDAL_PLACES:
        x, y = _PEDAL_PLACES[kind]
        return Piece(code, name, kind, x * -kit.hat_side, y, z, diameter, width, depth=depth)
    taken = [name == piece.name for piece in kit]
    if any(taken):
        name = f"{name} {code.lstrip('abcdefghijklmnopqrstuvwxyz') or len(taken)}"
    options = []
    for distance in (520.0, 580.0, 640.0, 700.0, 760.0, 820.0, 880.0):
        for degrees in range(-105, 106, 5):
            angle = math.radians(degrees)
            at = (round(distance * math.sin(angle)), round(distance * math.cos(angle)), z)
            piece = make_piece(code, name, kind, at, diameter, width, tilt=tilt, depth=depth)
            options.append((trouble(kit, piece), covered(kit, piece), distance, abs(degrees), piece))
    return min(options, key=lambda option: option[:4])[4]


def beside(kit: Kit, piece: Piece) -> Piece:
    """Another piece like this one, to its right or, if that is freer, to its left."""
    code = free_code(kit, piece.code)
    options = []
    for side in (1, -1):
        twin = replace(piece, code=code, name=f"{piece.name} {code}", x=round(piece.x + side * (piece.diameter + 20)))
        options.append((trouble(kit, twin), -side, twin))
    return min(options, key=lambda option: option[:2])[2]


def resized(piece: Piece, diameter: float) -> Piece:
    """The piece in another size: zones and strike width in proportion, stand feet where such a stand has them."""
    ratio = diameter / piece.diameter
    body = (piece.body_dx * ratio, piece.body_dy * ratio)
    spread = ratio if piece.kind == "floor-tom" else 1.0
    return replace(
        piece,
        diameter=diameter,
        width=min(600.0, max(10.0, round(piece.width * ratio, 1))),
        body_dx=body[0],
        body_dy=body[1],
        zones=tuple(replace(zone, dx=zone.dx * ratio, dy=zone.dy * ratio) for zone in piece.zones),
        feet=tuple(
            replace(
                foot, dx=body[0] + (foot.dx - piece.body_dx) * spread, dy=body[1] + (foot.dy - piece.body_dy) * spread
            )
            for foot in piece.feet
        ),
    )


def exchanged(kit: Kit, piece: Piece, kind: str) -> Piece:
    """What stands in a piece's place if it is replaced by another kind, in that kind's usual size.

    It keeps the code, so that the strokes on it stay, and the place; the height only among drums or among cymbals.
    """
    usual = piece_kind(kind)
    name = usual.label
    if any(name == other.name for other in kit if other.code != piece.code):
        name = f"{name} {piece.code}"
    alike = any({kind, piece.kind} <= family for family in (CYMBALS, DRUMS - {"bass"}, PEDALS))
    height = piece.z if alike else usual.height
    size = (usual.diameter, usual.width)
    if kind == "bass" or kind in PEDALS:
        return Piece(piece.code, name, kind, piece.x, piece.y, height, *size, usual.tilt, usual.depth)
    return make_piece(piece.code, name, kind, (piece.x, piece.y, height), *size, tilt=usual.tilt, depth=usual.depth)


def usual_zone(piece: Piece, name: str) -> Zone:
    """A zone as a piece of this kind has it, for one that has lost it or never had it."""
    model = make_piece(
        piece.code,
        piece.name,
        piece.kind,
        (piece.x, piece.y, piece.z),
        piece.diameter,
        piece.width,
        depth=piece.depth,
    )
    near = _towards_seat(piece.x, piece.y, piece.diameter * 0.475)
    return model.zone(name) or Zone(name, near[0], near[1], 0.0, 60.0)
