"""A pattern engraved as drum notation: SVG that plain renderers understand.

The engraver nests drawings and sets letters in spans of spans, which simple SVG renderers skip; both are flattened.
Every note group keeps the id ``s`` and its stroke's index.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from importlib.resources import files
from typing import Any, Final
from xml.etree import ElementTree as Tree

from deft_reach.core.model.kit import Kit
from deft_reach.core.model.pattern import Pattern
from deft_reach.formats.musicxml import dump_musicxml

SVG: Final = "http://www.w3.org/2000/svg"
_XLINK: Final = "http://www.w3.org/1999/xlink"
#: Staff size in percent of the engraver's own.
SCALE: Final = 42
_STROKE_ID: Final = re.compile(r"s\d+\Z")


class EngravingError(RuntimeError):
    """The engraver could not make anything of a pattern."""


def engrave(
    pattern: Pattern,
    kit: Kit,
    tempo: float,
    width: int,
    ink: str,
    colour_of: Callable[[str], str | None] | None = None,
) -> bytes:
    """The whole pattern as one SVG drawing, ``width`` pixels wide and as high as it needs.

    ``ink`` is the colour of everything; ``colour_of`` gives another one, or None, to the notes and letters of a limb.
    Raises EngravingError.
    """
    import verovio

    # The engraver keeps the place of its fonts for each thread anew.
    verovio.setDefaultResourcePath(str(files("verovio") / "data"))
    verovio.enableLog(verovio.LOG_OFF)
    toolkit = verovio.toolkit()
    toolkit.setOptions(
        {
            "pageWidth": max(400, round(width * 100 / SCALE)),
            "pageHeight": 60_000,
            "scale": SCALE,
            "adjustPageHeight": True,
            "header": "none",
            "footer": "none",
            "breaks": "auto",
            "svgViewBox": True,
            "pageMarginTop": 20,
            "pageMarginBottom": 20,
            "spacingStaff": 6,
            # Sixteenths stand clear of each other, with the letters of their hands below.
            "spacingLinear": 0.4,
        }
    )
    if not toolkit.loadData(dump_musicxml(pattern, kit, tempo).decode()):
        raise EngravingError("the engraver cannot read the pattern")
    return flatten(toolkit.renderToSVG(1), pattern, ink, colour_of)


def flatten(svg: str, pattern: Pattern, ink: str, colour_of: Callable[[str], str | None] | None = None) -> bytes:
    """The engraver's SVG without nested drawings and spans, in these colours."""
    Tree.register_namespace("", SVG)
    Tree.register_namespace("xlink", _XLINK)
    root = Tree.fromstring(svg)
    wide, high = (float(v) for v in root.get("viewBox", "0 0 100 100").split()[2:])
    root.set("width", f"{wide:g}")
    root.set("height", f"{high:g}")
    for inner in root.findall(f"{{{SVG}}}svg"):
        inner_wide = float(inner.get("viewBox", f"0 0 {wide} {high}").split()[2])
        inner.tag = f"{{{SVG}}}g"
        inner.attrib = {"transform": f"scale({wide / inner_wide:.6f})", "fill": ink, "stroke": "none"}
    for parent in list(root.iter()):
        for child in list(parent):
            name = child.tag.rpartition("}")[2]
            classes = child.get("class", "")
            milestone = "placeholder" in classes.split() and name == "g"
            if name in ("style", "desc") or classes == "tempo":
                parent.remove(child)
            elif milestone:
                # What only marks a place for editors has no picture.
                for mark in child.findall(f"{{{SVG}}}ellipse"):
                    child.remove(mark)
    for path in root.iter(f"{{{SVG}}}path"):
        if path.get("stroke-width"):
            path.set("stroke", ink)
    for text in root.iter(f"{{{SVG}}}text"):
        _flatten_text(text)
    if colour_of is not None:
        for group in root.iter(f"{{{SVG}}}g"):
            name = group.get("id", "")
            if _STROKE_ID.match(name) and int(name[1:]) < len(pattern.strokes):
                colour = colour_of(pattern.strokes[int(name[1:])].limb)
                if colour is not None:
                    _colour(group, colour)
    found: bytes = Tree.tostring(root, encoding="utf-8")
    return found


def _flatten_text(text: Tree.Element) -> None:
    size, words = text.get("font-size", "405px"), "".join(text.itertext()).strip()
    for span in text.iter(f"{{{SVG}}}tspan"):
        size = span.get("font-size", size)
        anchor = span.get("text-anchor")
        if anchor is not None:
            text.set("text-anchor", anchor)
    for child in list(text):
        text.remove(child)
    text.text = words
    text.set("font-size", size.removesuffix("px"))
    text.set("font-family", "Karla")


def _colour(group: Any, colour: str) -> None:
    group.set("fill", colour)
    for path in group.iter(f"{{{SVG}}}path"):
        if path.get("stroke-width"):
            path.set("stroke", colour)
    for text in group.iter(f"{{{SVG}}}text"):
        text.set("fill", colour)
        text.set("font-weight", "bold")
