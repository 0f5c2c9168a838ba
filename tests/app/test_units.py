"""Lengths in millimetres and inches."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.app.text import units
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.core.model.kit import KitError
from deft_reach.core.model.message import Length, message
from tests.app.conftest import enter


@pytest.fixture(params=["mm", "in"])
def unit(request):
    units.set_unit(request.param)
    yield request.param
    units.set_unit("mm")


@given(st.floats(-4000, 4000), st.sampled_from(["mm", "in"]))
def test_what_is_shown_reads_back(mm, unit):
    units.set_unit(unit)
    try:
        assert units.parse(units.number(mm, exact=True)) == pytest.approx(mm, abs=0.13)
    finally:
        units.set_unit("mm")


@pytest.mark.parametrize(
    ("text", "mm"),
    [("506", 506), ("50.6 cm", 506), ("50,6cm", 506), ("1.75 m", 1750), ('14"', 355.6), ("14 in", 355.6),
     ("19 7/8 in", 504.825), ("-20 mm", -20), ("−20", -20)],
)  # fmt: skip
def test_every_way_a_drummer_writes_a_length(text, mm):
    assert units.parse(text) == pytest.approx(mm)


@pytest.mark.parametrize("text", ["", "abc", "12 feet", "1/0", "3 1/0 in", "nan", "inf", "--3"])
def test_what_is_no_length_is_none(text):
    assert units.parse(text) is None


def test_sentences_change_their_unit():
    said = message("{name} is {far} away", name="9 mm", far=Length(506))
    assert units.text_of(said) == "9 mm is 506 mm away"
    units.set_unit("in")
    try:
        assert units.text_of(said) == "9 mm is 19.9 in away"
        assert units.text_of(KitError(said)) == "9 mm is 19.9 in away"
        assert units.text_of("506 mm away") == "506 mm away"
        assert units.length(254) == "10.0 in"
    finally:
        units.set_unit("mm")


def test_a_field_keeps_millimetres_whatever_it_shows(qapp, unit):
    box = LengthBox("Body height", 1000, 2300)
    box.show()
    box.setValue(1750)
    enter(box, "1.8 m")
    assert box.value() == 1800 and box.text() == ("1800 mm" if unit == "mm" else "70.87 in")
    seen = []
    box.valueChanged.connect(seen.append)
    box.lineEdit().setFocus()
    box.interpretText()
    assert seen == [] and box.value() == 1800, "a field that is only visited changes nothing"


def test_a_field_says_why_it_refuses_and_keeps_what_it_had(qapp, unit):
    box = LengthBox("Body height", 1000, 2300)
    box.show()
    box.setValue(1750)
    said = []
    box.refused.connect(said.append)
    enter(box, "3 m")
    assert box.value() == 1750 and "Body height: 3 m cannot be; expected" in said[-1]
    enter(box, "tall")
    assert box.value() == 1750 and "tall cannot be" in said[-1]
