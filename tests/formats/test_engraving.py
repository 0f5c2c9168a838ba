"""Engraving: SVG that plain renderers understand, from any thread."""

import re
import threading
from xml.etree import ElementTree as Tree

from deft_reach.core import layout, parse
from deft_reach.formats.engraving import SVG, engrave
from tests.formats.test_midi import FIGURE

FIVE = layout("five")


def test_every_stroke_has_its_note_and_nothing_is_nested():
    pattern = parse(FIGURE)
    root = Tree.fromstring(engrave(pattern, FIVE, 96, 900, "#102030", {"R": "#aa0000"}.get))
    ids = {g.get("id") for g in root.iter(f"{{{SVG}}}g")}
    assert {f"s{s.index}" for s in pattern.strokes} <= ids
    assert root.find(f".//{{{SVG}}}svg") is None and root.find(f".//{{{SVG}}}tspan") is None
    said = [text.text for text in root.iter(f"{{{SVG}}}text")]
    assert [word for word in said if word in ("R", "L", "K", "H")].count("R") == sum(
        s.limb == "R" for s in pattern.strokes
    )
    coloured = {g.get("id") for g in root.iter(f"{{{SVG}}}g") if g.get("fill") == "#aa0000"}
    assert coloured == {f"s{s.index}" for s in pattern.strokes if s.limb == "R"}


def test_each_thread_finds_the_fonts():
    pattern, found = parse("R L R L"), []
    for _ in range(2):
        thread = threading.Thread(target=lambda: found.append(engrave(pattern, FIVE, 96, 600, "#000000")))
        thread.start()
        thread.join()
    found.append(engrave(pattern, FIVE, 96, 600, "#000000"))
    shapes = {re.sub(rb'id="[^"]*"|#[^"]*', b"", svg) for svg in found}
    assert len(found) == 3 and all(b"<use" in svg for svg in shapes)


def test_a_narrow_page_has_more_systems():
    pattern = parse("R L R L R L R L R L R L R L R L | " * 6)
    narrow, wide = (
        float(Tree.fromstring(engrave(pattern, FIVE, 96, width, "#000")).get("height")) for width in (500, 2000)
    )
    assert narrow > wide * 1.5
