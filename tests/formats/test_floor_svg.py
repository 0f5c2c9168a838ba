"""The floor plan: coordinates read back from the page, and a rug laid out again from its table alone."""

import base64
import io
import math
import re
from dataclasses import replace
from xml.etree import ElementTree

import pytest
from fontTools.ttLib import TTFont

from deft_reach.app.kit.export import export_kit
from deft_reach.core import LAYOUTS, layout
from deft_reach.core.model.floor_plan import MARK_B_MM, place_from_distances, rug_marks
from deft_reach.formats.floor_svg import PAPERS, dump_floor_plan
from deft_reach.formats.pieces_csv import COLUMNS, dump_pieces

SVG = "{http://www.w3.org/2000/svg}"


def page(kit, paper="A4"):
    return ElementTree.fromstring(dump_floor_plan(kit, paper))


def circles(svg) -> dict[str, ElementTree.Element]:
    return {c.get("id"): c for c in svg.iter(f"{SVG}circle") if c.get("id")}


@pytest.mark.parametrize("name", LAYOUTS)
@pytest.mark.parametrize("paper", PAPERS)
def test_every_mark_stands_at_its_place_to_scale(name, paper):
    """Read back from the drawing itself, not from the numbers written beside it."""
    kit = layout(name)
    svg = page(kit, paper)
    scale = float(svg.get("data-scale"))
    drawn = circles(svg)
    origin = drawn["sn"]
    snare = kit.piece("sn")
    for mark in rug_marks(kit):
        circle = drawn[mark.label]
        x = snare.x + (float(circle.get("cx")) - float(origin.get("cx"))) * scale
        y = snare.y - (float(circle.get("cy")) - float(origin.get("cy"))) * scale
        assert (x, y) == pytest.approx((mark.x, mark.y), abs=0.03 * scale)
        assert float(circle.get("data-x")) == pytest.approx(mark.x, abs=0.06)


@pytest.mark.parametrize("name", LAYOUTS)
def test_the_table_alone_lays_the_rug_out_again(name):
    for mark in rug_marks(layout(name)):
        x, y = place_from_distances(round(mark.from_a), round(mark.from_b), mark.side)
        assert math.dist((x, y), (mark.x, mark.y)) < 25, "rounded to the millimetre; near the line it is least sure"
        exact = place_from_distances(mark.from_a, mark.from_b, mark.side)
        assert exact == pytest.approx((mark.x, mark.y), abs=0.6)


def test_distances_are_from_the_two_marks():
    kit = layout("five")
    ride = next(m for m in rug_marks(kit) if m.label == "rd")
    assert ride.from_a == pytest.approx(math.hypot(470, 700)) and ride.side == "right" and ride.height == 930
    assert ride.from_b == pytest.approx(math.hypot(470, 700 - MARK_B_MM))
    assert next(m for m in rug_marks(kit) if m.label == "hp").what == "pedal"


@pytest.mark.parametrize("paper", PAPERS)
@pytest.mark.parametrize("name", LAYOUTS)
def test_everything_is_on_the_page_and_black_on_white(name, paper):
    svg = page(layout(name), paper)
    width, height = PAPERS[paper]
    assert svg.get("width") == f"{width}mm" and svg.get("height") == f"{height}mm"
    for element in svg.iter():
        for key in ("x", "cx", "x1", "x2"):
            if element.get(key):
                assert -0.1 <= float(element.get(key)) <= width + 0.1
        for key in ("y", "cy", "y1", "y2"):
            if element.get(key):
                assert -0.1 <= float(element.get(key)) <= height + 0.1
        for key in ("fill", "stroke"):
            assert element.get(key) in (None, "none", "#000", "#fff")
    texts = [t.text for t in svg.iter(f"{SVG}text")]
    assert "500 mm" in texts and any("1:" in t for t in texts) and {"A", "B"} <= set(texts)


def test_a_mirrored_kit_is_the_mirrored_plan():
    kit = layout("pit")
    one = {m.label: m for m in rug_marks(kit)}
    two = {m.label: m for m in rug_marks(kit.mirror())}
    swap = {"left": "right", "right": "left"}
    for label, mark in one.items():
        other = two[label]
        assert (other.from_a, other.from_b) == (mark.from_a, mark.from_b)
        assert other.side == swap.get(mark.side, mark.side)


def test_odd_names_do_no_harm():
    kit = layout("five")
    kit = replace(kit, name="<b>&\x00 half \ud83e").with_piece(replace(kit.piece("sn"), name="=1+1"))
    assert page(kit) is not None
    assert b"'=1+1" in dump_pieces(kit)


def test_pieces_as_a_table():
    lines = dump_pieces(layout("five")).decode().splitlines()
    assert lines[0] == ",".join(COLUMNS) and len(lines) == 1 + len(layout("five").pieces)
    assert "ft,floor tom,floor-tom,480,490,610,406.4,200,3,400" in lines


def test_marks_and_codes_are_explained_on_the_page():
    kit = layout("large")
    words = " ".join("".join(text.itertext()) for text in page(kit).iter("{http://www.w3.org/2000/svg}text"))
    for piece in kit:
        assert f"{piece.code} {piece.name}" in words
    for meaning in ("strike centre", "stand foot, pedal", "drum", "cymbal"):
        assert meaning in words


def test_fonts_in_the_file_are_the_ones_that_its_letters_ask_for(tmp_path):
    """Read back by fontTools, from the exported file."""
    export_kit(layout("five"), tmp_path / "kit.svg")
    svg = ElementTree.fromstring((tmp_path / "kit.svg").read_bytes())
    style = svg.find(f"{SVG}style").text
    faces = re.findall(r"font-family:(\w+);font-weight:(\w+);src:url\(data:font/otf;base64,([\w+/=]+)\)", style)
    assert {weight for _, weight, _ in faces} == {"normal", "bold"}
    asked = svg.get("font-family").partition(",")[0]
    characters = {c for text in svg.iter(f"{SVG}text") for c in text.text or ""}
    assert {text.get("font-weight") for text in svg.iter(f"{SVG}text")} <= {"normal", "bold"}
    for family, _, data in faces:
        font = TTFont(io.BytesIO(base64.b64decode(data)))
        assert family == asked and font["name"].getBestFamilyName().startswith(family)
        assert {ord(c) for c in characters} <= set(font.getBestCmap())
    assert ElementTree.fromstring(dump_floor_plan(layout("five"))).find(f"{SVG}style") is None
