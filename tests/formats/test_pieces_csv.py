"""The table of pieces, out and in."""

import pytest
from hypothesis import given

from deft_reach.core import layout
from deft_reach.formats.pieces_csv import dump_pieces, load_pieces
from deft_reach.formats.reading import DocumentError
from tests.strategies import kits

HEAD = "code,name,kind,x_mm,y_mm,z_mm,diameter_mm,width_mm,tilt_deg,depth_mm\n"


@given(kits())
def test_places_and_sizes_come_back(kit):
    again = load_pieces(dump_pieces(kit), "again")
    assert again.name == "again"
    for one, two in zip(kit, again):
        assert (one.code, one.name, one.kind, one.x, one.y, one.z) == (
            two.code,
            two.name,
            two.kind,
            two.x,
            two.y,
            two.z,
        )
        assert (one.diameter, one.width, one.tilt, one.depth) == pytest.approx(
            (two.diameter, two.width, two.tilt, two.depth), rel=1e-5
        )


def test_zones_and_feet_are_the_usual_ones():
    kit = layout("five")
    again = load_pieces(dump_pieces(kit), "five")
    assert [z.name for z in again.piece("rd").zones] == ["bell", "edge"]
    assert again.piece("ft").feet == kit.piece("ft").feet


def test_a_name_that_looks_like_a_formula_comes_back_as_it_was():
    kit = layout("five")
    from dataclasses import replace

    kit = kit.with_piece(replace(kit.piece("sn"), name="=1+1"))
    data = dump_pieces(kit)
    assert b"'=1+1" in data and load_pieces(data, "k").piece("sn").name == "=1+1"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "the heading lacks code"),
        ("code,name\n", "the heading lacks kind"),
        (HEAD, "no pieces"),
        (HEAD + "sn,snare,snare,1,2\n", "line 2, column 1: 5 values; expected 10"),
        (HEAD + "sn,snare,gong,1,2,3,4,5,6,7\n", "line 2: unknown kind 'gong'"),
        (HEAD + "sn,snare,snare,1,2,x,4,5,6,7\n", "line 2: z_mm is 'x'; expected a number"),
        (HEAD + "sn,snare,snare,1,2,nan,400,50,6,7\n", "line 2: z_mm is 'nan'"),
        (HEAD + "sn,snare,snare,1,2,3,-4,5,6,7\n", "line 2: .*diameter is -4 mm"),
        (HEAD + "sn,a,snare,1,2,3,300,100,6,7\nsn,b,tom,1,2,3,300,100,6,7\n", "line 3: .*the code is used twice"),
    ],
)
def test_a_table_that_cannot_be_read_says_where(text, words):
    with pytest.raises(DocumentError, match=words):
        load_pieces(text.encode(), "kit")
