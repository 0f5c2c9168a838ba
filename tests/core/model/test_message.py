"""Sentences as data."""

import pickle

from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core.model.message import Length, joined, message, outside, plain


@given(st.text())
def test_fields_may_hold_any_characters(name):
    assert str(message("{name} is there", name=name)) == f"{name} is there"
    assert str(plain(name)) == name


def test_messages_inside_messages_are_written_with_the_same_units_and_language():
    said = message(
        "{where!c} the {what} is {far} off", where=message("on {n}", n=3), what=message("ride"), far=Length(51)
    )
    assert str(said) == "On 3 the ride is 51 mm off"
    other = {"on {n}": "auf {n}", "ride": "Becken", "{where!c} the {what} is {far} off": "{where!c}: {what}, {far}"}
    assert said.text(lambda mm, _: f"{mm / 10:g} cm", lambda t: other[t]) == "Auf 3: Becken, 5.1 cm"


def test_lists():
    assert [str(joined(list("abc")[:n], last=" and ")) for n in range(4)] == ["", "a", "a and b", "a, b and c"]
    assert str(joined(["{", "}"], " → ")) == "{ → }"


def test_bounds_are_lengths_too():
    said = outside("width", 5.25, 10, 600)
    assert str(said) == "width is 5.25 mm; expected 10 mm to 600 mm"
    assert said.text(lambda mm, _: f"{mm / 25.4:.1f} in") == "width is 0.2 in; expected 0.4 in to 23.6 in"


def test_messages_are_values():
    said = message("{a}", a=Length(3))
    assert said == message("{a}", a=Length(3)) != message("{a}", a=Length(4))
    assert pickle.loads(pickle.dumps(said)) == said and hash(said) == hash(message("{a}", a=Length(3)))
    assert said and not message("")
