"""The kits that ship with the app. All of them are our own measurements of nobody's kit in particular."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from deft_reach.core.kit import CYMBALS, Foot, Kit, Piece, Zone

INCH = 25.4


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
        near = _towards_seat(x, y, radius * 0.45)
        body = (-near[0], -near[1])
        edge = _towards_seat(x, y, radius * 0.5)
        zones = (
            Zone("bell", body[0], body[1], 20.0, bell),
            Zone("edge", edge[0], edge[1], -10.0, 50.0),
        )
        feet = _tripod(body, 270.0)
    elif kind in ("snare", "tom", "floor-tom"):
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
    elif kind == "block":
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
        Piece("kp", "bass pedal", "bass-pedal", 90, 540, 60, 90, 80, depth=280),
        Piece("hp", "hi-hat pedal", "hat-pedal", -330, 500, 60, 90, 80, depth=280),
    ]
    if second is not None:
        x, y = second
        pedals.append(Piece("jp", "second bass pedal", "second-bass-pedal", x, y, 60, 90, 80, depth=280))
    return tuple(pedals)


_BASS = Piece("bd", "bass drum", "bass", 70, 850, 300, 22 * INCH, 120, depth=420)
_SNARE = make_piece("sn", "snare", "snare", (-30, 430, 650), 14 * INCH, 180, tilt=4, depth=140)
_HAT = make_piece("hh", "hi-hat", "hi-hat", (-400, 440, 880), 14 * INCH, 150)
_T1 = make_piece("t1", "small tom", "tom", (-150, 680, 850), 10 * INCH, 150, tilt=14, depth=180)
_T2 = make_piece("t2", "mid tom", "tom", (180, 690, 850), 12 * INCH, 160, tilt=14, depth=205)
_FT = make_piece("ft", "floor tom", "floor-tom", (400, 330, 640), 16 * INCH, 200, tilt=3, depth=400)
_RD = make_piece("rd", "ride", "ride", (500, 640, 900), 20 * INCH, 180, tilt=12, bell=80)
_C1 = make_piece("c1", "left crash", "crash", (-430, 760, 1080), 16 * INCH, 180, tilt=15)
_C2 = make_piece("c2", "right crash", "crash", (330, 900, 1100), 18 * INCH, 200, tilt=15)


def _compact() -> Kit:
    return Kit(
        "compact",
        "compact",
        (
            replace(_BASS, x=90.0, y=800.0, diameter=20 * INCH),
            _SNARE,
            _HAT,
            make_piece("t1", "rack tom", "tom", (90, 660, 830), 12 * INCH, 160, tilt=14, depth=205),
            make_piece("ft", "floor tom", "floor-tom", (400, 330, 640), 14 * INCH, 190, tilt=3, depth=360),
            make_piece("rd", "ride", "ride", (440, 640, 900), 20 * INCH, 180, tilt=12, bell=80),
            make_piece("c1", "left crash", "crash", (-400, 740, 1060), 16 * INCH, 180, tilt=15),
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
        (*_five().pieces[:-2], *_pedals(second=(-200, 540))),
        note="The five with a second bass pedal beside the hi-hat pedal.",
    )


def _large() -> Kit:
    return Kit(
        "large",
        "large",
        (
            replace(_BASS, x=40.0, y=880.0),
            _SNARE,
            _HAT,
            make_piece("t1", "small tom", "tom", (-230, 640, 850), 8 * INCH, 140, tilt=14, depth=165),
            make_piece("t2", "mid tom", "tom", (20, 710, 850), 10 * INCH, 150, tilt=14, depth=180),
            make_piece("t3", "low tom", "tom", (265, 660, 840), 12 * INCH, 160, tilt=14, depth=205),
            make_piece("ft", "floor tom", "floor-tom", (420, 330, 640), 14 * INCH, 190, tilt=3, depth=360),
            make_piece("f2", "second floor tom", "floor-tom", (560, -20, 620), 16 * INCH, 200, tilt=3, depth=400),
            make_piece("rd", "ride", "ride", (560, 620, 920), 20 * INCH, 180, tilt=12, bell=80),
            make_piece("c1", "left crash", "crash", (-470, 760, 1080), 16 * INCH, 180, tilt=15),
            make_piece("c2", "right crash", "crash", (300, 900, 1120), 18 * INCH, 200, tilt=15),
            make_piece("sp", "splash", "splash", (-120, 800, 1060), 10 * INCH, 120, tilt=12, bell=50),
            make_piece("ch", "china", "china", (700, 380, 1080), 18 * INCH, 170, tilt=-12),
            *_pedals(second=(-205, 545)),
        ),
        note="Three rack toms, two floor toms, double pedal, splash and china-type.",
    )


def _pit() -> Kit:
    return Kit(
        "pit",
        "pit",
        (
            replace(_BASS, x=60.0, y=760.0, diameter=18 * INCH, depth=360),
            make_piece("sn", "snare", "snare", (-20, 410, 650), 13 * INCH, 175, tilt=4, depth=130),
            make_piece("hh", "hi-hat", "hi-hat", (-340, 420, 860), 13 * INCH, 145),
            make_piece("t1", "rack tom", "tom", (60, 640, 820), 10 * INCH, 150, tilt=14, depth=180),
            make_piece("ft", "floor tom", "floor-tom", (350, 300, 630), 14 * INCH, 190, tilt=3, depth=360),
            make_piece("rd", "ride", "ride", (390, 590, 930), 18 * INCH, 170, tilt=14, bell=80),
            make_piece("c1", "left crash", "crash", (-300, 700, 1080), 15 * INCH, 170, tilt=15),
            make_piece("wb", "plank block", "block", (-210, 620, 900), 160, 70, depth=60),
            make_piece("bl", "buoy bell", "block", (840, 220, 1380), 180, 80, depth=150),
            *_pedals(second=(-205, 540)),
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
