"""Sets of strokes, stand-ins for voices a kit lacks, and variations."""

from dataclasses import replace

import pytest
from hypothesis import given, settings

from deft_reach.core import Player, layout, parse
from deft_reach.core.document import new_document
from deft_reach.core.model.kit import voice_name
from deft_reach.core.model.limbs import FEET
from deft_reach.core.model.substitutes import missing_voices, substitute
from deft_reach.core.notation.scopes import SCOPES, strokes_in
from deft_reach.core.search.variations import repeating_cells, variations
from deft_reach.core.session import Session
from tests.strategies import texts

FIGURE = "/16 (R>@x L. K R) (L> R L. H+R)".replace("@x", "")


@pytest.mark.parametrize(
    ("scope", "wanted"),
    [
        ("right", [0, 3, 5, 8]), ("left", [1, 4, 6]), ("accents", [0, 4]), ("ghosts", [1, 6]),
        ("plain", [3, 5, 8]), ("firsts", [0, 4]), ("beats", [0, 4]), ("all", [0, 1, 3, 4, 5, 6, 8]),
    ],
)  # fmt: skip
def test_scopes_are_what_they_are_called(scope, wanted):
    assert strokes_in(parse(FIGURE), scope) == wanted
    assert strokes_in(parse(FIGURE), scope, {0, 1, 4}) == [i for i in wanted if i in (0, 1, 4)]


@given(texts())
def test_no_scope_ever_takes_a_foot(text):
    pattern = parse(text)
    for scope in SCOPES:
        assert all(pattern.strokes[i].limb not in FEET for i in strokes_in(pattern, scope))


@pytest.mark.parametrize(
    ("kit", "voice", "stand_in"),
    [
        ("five", "t3", "t2"), ("five", "sp", "c1"), ("five", "ch", "c2"), ("compact", "t2", "t1"),
        ("compact", "c2", "c1"), ("compact", "f2", "ft"), ("five", "sn:bell", "sn"), ("five", "hh", "hh"),
        ("five", "gong", None), ("pit", "rd:edge", "rd:edge"),
    ],
)  # fmt: skip
def test_the_nearest_by_role_stands_in(kit, voice, stand_in):
    assert substitute(layout(kit), voice) == stand_in


def test_only_what_is_missing_is_replaced():
    kit = layout("compact")
    found = missing_voices(kit, ("sn", "t2", "c2", "hh", "bd"))
    assert found == {"t2": "t1", "c2": "c1"}
    bare = replace(kit, pieces=tuple(p for p in kit if p.kind not in ("tom", "floor-tom")))
    assert substitute(bare, "t1") == "sn"


def test_voices_are_set_and_exchanged_in_one_step():
    session = Session(new_document())
    session.strokes.set_text("# tide\nR L R> K L. R", "Text", None)
    session.strokes.set_voices({0: "t1", 2: "c1", 3: "ft"}, "Paint")
    assert session.text == "# tide\nR@t1 L R@c1> K L. R", "the foot stays on its pedal"
    session.strokes.replace_voices({"t1": "ft", "sn": "hh"})
    assert session.text == "# tide\nR@ft L@hh R@c1> K L@hh. R@hh"
    session.undo()
    session.undo()
    assert session.text == "# tide\nR L R> K L. R"
    session.strokes.set_text("f[t1]L@sn R@t1", "Text", None)
    session.strokes.replace_voices({"t1": "ft"})
    assert session.text == "f[ft]L@sn R@ft", "graces go along"
    session.undo()
    session.undo()
    session.strokes.step_voice([0, 1], 1)
    assert session.pattern().strokes[0].voice == session.pattern().strokes[1].voice == "sn:rim"


def test_variations_differ_from_the_seed_and_from_each_other():
    seed = parse("/16 (R> L. R R) (L> R L. L) (R L R L) K K - -")
    page = list(variations(seed, layout("five"), Player(), 100))
    assert {v.sort for v in page} == {"rotation", "hands", "feet", "grid", "accents", "cells", "voices"}
    keys = set()
    for variation in page:
        pattern = parse(variation.text)
        keys.add(tuple((s.start, s.limb, s.voice, s.marks) for s in pattern.strokes))
        assert variation.report.pattern.text == variation.text
    assert len(keys) == len(page) > 25
    doubled = next(v for v in page if v.name.startswith("double the notes"))
    assert doubled.tempo == 50


def test_ways_round_the_kit_are_named_by_their_voices_and_differ():
    five = layout("five")
    for text in ("/16 R> L R L R> L R L", "/16 R L R R L R L L"):
        page = list(variations(parse(text), five, Player(), 100, sorts=["voices"]))
        names = [v.name for v in page]
        assert len(page) >= 8 and len(set(names)) == len(names)
        assert any(cymbal in name for name in names for cymbal in ("crash", "ride", "hi-hat"))
        for variation in page:
            first = variation.report.pattern.strokes[0].voice
            assert voice_name(five, first) in variation.name
        voices = [tuple(s.voice for s in v.report.pattern.strokes) for v in page]
        unlike = [min(sum(a != b for a, b in zip(voices[k], other)) for other in voices[:k]) for k in range(1, 4)]
        assert unlike == sorted(unlike, reverse=True) and unlike[0] >= len(voices[0]) // 2


def test_cells_that_repeat_are_recognised_without_brackets():
    cells = repeating_cells(parse("/16t R L K R L K R L K R L K"))
    assert [len(cell) for cell in cells] == [3, 3, 3, 3]
    assert [len(cell) for cell in repeating_cells(parse("/16 R> L R L R> L R L R> L R L R> L R L"))] == [4] * 4
    assert repeating_cells(parse("/16 R L R R L R L L")) == [] and repeating_cells(parse("/8 R R R R R R R R")) == []
    found = {v.name: v for v in variations(parse("/16t R L K R L K"), layout("five"), Player(), 100, sorts=["cells"])}
    everywhere = next(v for name, v in found.items() if name.endswith("everywhere"))
    limbs = [s.limb for s in everywhere.report.pattern.strokes]
    assert limbs[:3] == limbs[3:] != ["R", "L", "K"]
    assert any(name.endswith(", cell 2 of 2") for name in found)


@settings(max_examples=15)
@given(texts(max_steps=8))
def test_any_figure_has_a_page_that_can_be_read(text):
    for k, variation in enumerate(variations(parse(text), layout("five"), Player(), 100, palette=["sn", "ft"])):
        parse(variation.text)
        if k > 12:
            break
