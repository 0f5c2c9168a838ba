"""The floor plan to scale as SVG: for a rug, readable in black and white, on A4 or Letter."""

from __future__ import annotations

import base64
import math
from collections.abc import Mapping
from typing import Final
from xml.etree import ElementTree as Tree

from deft_reach.core.model.floor_plan import MARK_B_MM, RugMark, rug_marks
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.piece_kinds import CYMBALS

#: Width and height in mm.
PAPERS: Final = {"A4": (210.0, 297.0), "Letter": (215.9, 279.4)}
SCALES: Final = (10.0, 12.5, 15.0, 20.0, 25.0)
_MARGIN: Final = 10.0
_TOP: Final = 18.0
_CODES_ROW: Final = 3.6
_TABLE_ROW: Final = 3.5
#: The family of all letters.
FONT: Final = "Karla"
NO_FONTS: Final[Mapping[str, bytes]] = {}
_SVG: Final = "http://www.w3.org/2000/svg"


def dump_floor_plan(kit: Kit, paper: str = "A4", fonts: Mapping[str, bytes] = NO_FONTS) -> bytes:
    """A page with the kit from above, its strike centres and stand feet, and the table of distances.

    Every mark is a ``<circle>`` with its label in ``id`` and its place in ``data-x`` and ``data-y`` (mm on the
    floor); one user unit is one millimetre on paper. ``fonts`` (OpenType files by weight, ``normal`` and ``bold``) go
    into the file, so that it looks the same where they are not installed.

    Raises KeyError for an unknown paper.
    """
    # Long: a drawing from the back to the front.
    width, height = PAPERS[paper]
    marks = rug_marks(kit)
    left, right, back, front = _frame(kit, marks)
    codes = _codes(kit, width)
    begin = _TOP + _CODES_ROW * len(codes)
    columns = 3
    rows = math.ceil(len(marks) / columns)
    table = (rows + 2) * _TABLE_ROW
    room = (width - 2 * _MARGIN, height - begin - table - 2 * _MARGIN - 6)
    fitting = [s for s in SCALES if (right - left) / s <= room[0] and (front - back) / s <= room[1]]
    scale = fitting[0] if fitting else SCALES[-1]

    def px(x: float) -> float:
        return round(width / 2 + (x - (left + right) / 2) / scale, 3)

    def py(y: float) -> float:
        return round(begin + (front - y) / scale, 3)

    Tree.register_namespace("", _SVG)
    svg = Tree.Element(
        f"{{{_SVG}}}svg",
        {
            "width": f"{width}mm",
            "height": f"{height}mm",
            "viewBox": f"0 0 {width} {height}",
            "font-family": f"{FONT}, sans-serif",
            "data-scale": f"{scale:g}",
        },
    )
    if fonts:
        _add(svg, "style").text = "".join(
            f"@font-face{{font-family:{FONT};font-weight:{weight};"
            f"src:url(data:font/otf;base64,{base64.b64encode(font).decode()})}}"
            for weight, font in fonts.items()
        )
    _add(svg, "rect", x=0, y=0, width=width, height=height, fill="#fff")
    _text(svg, _MARGIN, 9, f"{kit.name}: floor plan 1:{scale:g}", 5.0, weight="bold")
    _text(
        svg,
        _MARGIN,
        14.5,
        f"Mark A: under the seat's centre. Mark B: {MARK_B_MM:.0f} mm straight ahead. All measures in mm.",
        3.2,
    )
    for piece in kit:
        x, y = piece.body
        if piece.kind == "bass":
            w, d = piece.diameter / scale, piece.depth / scale
            _add(svg, "rect", x=px(x) - w / 2, y=py(y) - d / 2, width=w, height=d, fill="none", stroke="#000",
                 stroke_width=0.25)  # fmt: skip
        elif piece.is_pedal:
            w, d = 84 / scale, piece.depth / scale
            _add(svg, "rect", x=px(piece.x) - w / 2, y=py(piece.y), width=w, height=d, fill="none", stroke="#000",
                 stroke_width=0.2)  # fmt: skip
        else:
            dash = "1.2 0.8" if piece.kind in CYMBALS else "none"
            _add(svg, "circle", cx=px(x), cy=py(y), r=piece.diameter / 2 / scale, fill="none", stroke="#000",
                 stroke_width=0.3, stroke_dasharray=dash)  # fmt: skip
    _add(svg, "line", x1=px(0), y1=py(0), x2=px(0), y2=py(MARK_B_MM), stroke="#000", stroke_width=0.15,
         stroke_dasharray="3 1 0.5 1")  # fmt: skip
    for name, y in (("A", 0.0), ("B", MARK_B_MM)):
        _add(svg, "path", d=f"M {px(0) - 3} {py(y)} h 6 M {px(0)} {py(y) - 3} v 6", stroke="#000", stroke_width=0.4)
        _text(svg, px(0) + 1.2, py(y) - 1.2, name, 4.0, weight="bold")
    # Names stand on white, so that no line crosses them out; the marks themselves lie on top.
    for mark in marks:
        wide = 1.65 * len(mark.label) + 0.4
        _add(svg, "rect", x=px(mark.x) + 1.3, y=py(mark.y) - 1.4, width=wide, height=2.9, fill="#fff",
             fill_opacity=0.85)  # fmt: skip
    for mark in marks:
        strike = mark.what == "strike"
        _add(
            svg, "circle", id=mark.label, cx=px(mark.x), cy=py(mark.y), r=1.1 if strike else 0.8,
            fill="#000" if strike else "#fff", stroke="#000", stroke_width=0.3, data_x=round(mark.x, 1),
            data_y=round(mark.y, 1),
        )  # fmt: skip
        _text(svg, px(mark.x) + 1.5, py(mark.y) + 1.0, mark.label, 2.6)
    _ruler(svg, px(left), py(back) + 4, scale)
    _legend(svg, min(px(left) + 500 / scale + 18, width - _MARGIN - 108), py(back) + 5)
    for number, line in enumerate(codes):
        _text(svg, _MARGIN, 18.5 + _CODES_ROW * number, line, 2.8)
    _table(svg, marks, rows, width, py(back) + 14, height)
    page: bytes = Tree.tostring(svg, encoding="utf-8", xml_declaration=True)
    return page + b"\n"


def _frame(kit: Kit, marks: tuple[RugMark, ...]) -> tuple[float, float, float, float]:
    """Left, right, back and front of everything drawn, mm on the floor."""
    xs, ys = [0.0, 0.0], [0.0, MARK_B_MM]
    for piece in kit:
        radius = piece.diameter / 2
        xs += [piece.body[0] - radius, piece.body[0] + radius]
        ys += [piece.body[1] - radius, piece.body[1] + radius]
    xs += [m.x for m in marks]
    ys += [m.y for m in marks]
    return min(xs) - 20, max(xs) + 20, min(ys) - 20, max(ys) + 20


def _ruler(svg: Tree.Element, x: float, y: float, scale: float) -> None:
    """Half a metre, to check that the page was printed at its size."""
    length = 500 / scale
    _add(svg, "path", d=f"M {x} {y - 1} v 2 M {x} {y} h {length} M {x + length} {y - 1} v 2", stroke="#000",
         stroke_width=0.3, fill="none")  # fmt: skip
    _text(svg, x + length + 1.5, y + 1, "500 mm", 2.8)


def _legend(svg: Tree.Element, x: float, y: float) -> None:
    """What the marks mean, beside the ruler."""
    for radius, fill, words in ((1.1, "#000", "strike centre"), (0.8, "#fff", "stand foot, pedal")):
        _add(svg, "circle", cx=x, cy=y - 1, r=radius, fill=fill, stroke="#000", stroke_width=0.3)
        _text(svg, x + 2.2, y, words, 2.8)
        x += 5 + 1.5 * len(words)
    for dash, words in (("none", "drum"), ("1.2 0.8", "cymbal")):
        _add(svg, "path", d=f"M {x} {y - 1} h 6", stroke="#000", stroke_width=0.3, stroke_dasharray=dash)
        _text(svg, x + 7.2, y, words, 2.8)
        x += 10 + 1.5 * len(words)


def _codes(kit: Kit, width: float) -> list[str]:
    """What each code stands for, in lines that fit the page."""
    rows = [""]
    for piece in kit:
        word = f"{piece.code} {piece.name}"
        line = f"{rows[-1]} · {word}" if rows[-1] else word
        if 1.5 * len(line) > width - 2 * _MARGIN and rows[-1]:
            rows.append(word)
        else:
            rows[-1] = line
    return rows


def _table(svg: Tree.Element, marks: tuple[RugMark, ...], rows: int, width: float, top: float, height: float) -> None:
    """The distances, as large as the rest of the page allows."""
    row_height = min(5.6, (height - _MARGIN - top) / (rows + 1))
    size = min(3.2, row_height * 0.68)
    column = (width - 2 * _MARGIN) / 3
    stops = (0.0, 11.0, 25.0, 37.0, 50.0)
    for k in range(3):
        x = _MARGIN + k * column
        for stop, head in zip(stops, ("mark", "side", "from A", "from B", "height")):
            _text(svg, x + stop, top, head, min(size, 2.9), weight="bold")
        for row, mark in enumerate(marks[k * rows : (k + 1) * rows], 1):
            high = "" if mark.height is None else f"{mark.height:.0f}"
            cells = (mark.label, mark.side, f"{mark.from_a:.0f}", f"{mark.from_b:.0f}", high)
            for stop, cell in zip(stops, cells):
                _text(svg, x + stop, top + row * row_height, cell, size)
        _add(svg, "line", x1=x, y1=top + 0.9, x2=x + column - 4, y2=top + 0.9, stroke="#000", stroke_width=0.2)


def _add(parent: Tree.Element, tag: str, **attributes: object) -> Tree.Element:
    names = {key.replace("_", "-"): str(value) for key, value in attributes.items()}
    return Tree.SubElement(parent, f"{{{_SVG}}}{tag}", names)


def _text(parent: Tree.Element, x: float, y: float, words: str, size: float, weight: str = "normal") -> None:
    # Some renderers know whole font sizes only, so letters are set tenfold and shrunk.
    place = f"translate({round(x, 3)} {round(y, 3)}) scale(0.1)"
    element = _add(parent, "text", transform=place, font_size=round(size * 10, 1), font_weight=weight, fill="#000")
    element.text = "".join(char for char in words if char.isprintable())
