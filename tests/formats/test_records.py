"""Records to dictionaries and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import LAYOUTS, Kit, Player, layout
from deft_reach.core.model.player import Speeds
from deft_reach.formats.records import from_dict, to_dict


@dataclass(frozen=True)
class Leaf:
    size: float
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False)


@dataclass(frozen=True)
class Branch:
    name: str
    leaves: tuple[Leaf, ...] = ()
    best: Leaf | None = None
    words: tuple[str, ...] = ()
    count: int = 0
    extra: Mapping[str, Any] = field(default_factory=dict, compare=False)


branches = st.builds(
    Branch,
    st.text(max_size=5),
    st.lists(st.builds(Leaf, st.floats(-1e6, 1e6)), max_size=3).map(tuple),
    st.none() | st.builds(Leaf, st.floats(-1e6, 1e6)),
    st.lists(st.text(max_size=3), max_size=3).map(tuple),
    st.integers(-5, 5),
)


@given(branches)
def test_there_and_back(branch):
    assert from_dict(Branch, to_dict(branch)) == branch


def test_unknown_fields_are_kept_at_every_depth_and_come_back():
    raw = {"name": "a", "leaves": [{"size": 1, "sap": True}], "best": {"size": 2.5, "age": 3}, "nest": [1]}
    branch = from_dict(Branch, raw)
    assert branch.extra == {"nest": [1]} and branch.leaves[0].extra == {"sap": True}
    again = to_dict(branch)
    assert again["nest"] == [1] and again["leaves"][0]["sap"] is True and again["best"]["age"] == 3


def test_whole_numbers_are_written_without_a_point_and_read_as_numbers():
    assert to_dict(Leaf(3.0)) == {"size": 3}
    assert isinstance(from_dict(Leaf, {"size": 3}).size, float)


def test_a_missing_field_without_a_default_is_named():
    with pytest.raises(KeyError, match="size"):
        from_dict(Leaf, {})


@pytest.mark.parametrize("name", LAYOUTS)
def test_kits_come_back_to_the_last_bit(name):
    for kit in (layout(name), layout(name).mirror()):
        assert from_dict(Kit, to_dict(kit)) == kit


@given(st.floats(1000, 2300), st.floats(0.2, 3.0), st.floats(0.3, 3.0))
def test_players_come_back_to_the_last_bit(stature, skill, left):
    player = Player(stature_mm=stature, skill=skill, speeds=Speeds(left=left, moves=1.25))
    assert from_dict(Player, to_dict(player)) == player
