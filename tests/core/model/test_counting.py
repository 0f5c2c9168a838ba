"""Counts that are plain arithmetic of the trade (common practice)."""

from fractions import Fraction

import pytest

from deft_reach.core.model.counting import comes_round, group_fit, phrase, place, syllable
from deft_reach.core.notation.stroke_text import parse


def test_a_group_of_three_in_a_bar():
    assert group_fit(Fraction(3, 16), Fraction(4, 4)) == (5, Fraction(1, 16))
    assert group_fit(Fraction(3, 16), Fraction(3, 4)) == (4, 0)


@pytest.mark.parametrize("sizes", [(3, 4, 3, 4, 2), (4, 2, 4, 2, 2, 2)])
def test_phrases_that_fill_sixteen(sizes):
    text = " ".join("(" + " ".join("RL"[k % 2] for k in range(size)) + ")" for size in sizes)
    pattern = parse(text + " |")
    assert pattern.bars == 1 and sum(sizes) == 16
    assert phrase(g.steps for g in pattern.groups) == "+".join(map(str, sizes))


def test_a_six_stroke_figure_fits_triplets_exactly():
    assert group_fit(parse("/8t R L L R R L").length, Fraction(2, 4)) == (1, 0)


def test_thirty_seconds_at_115_are_sixteenths_at_230():
    step = {bpm: float(parse(f"/{grid} R").length) * 240 / bpm for bpm, grid in ((115, 32), (230, 16))}
    assert step[115] == pytest.approx(step[230])


def test_nine_notes_over_sixteenth_triplets_come_round_after_three_beats_of_six():
    figure = parse("/16t " + "R " * 9).length
    assert comes_round(figure, Fraction(1, 4)) == Fraction(3, 4)


@pytest.mark.parametrize(
    ("beat", "said", "full"),
    [
        (Fraction(2), "2", "2"),
        (Fraction(9, 4), "e", "2 e"),
        (Fraction(5, 2), "&", "2 &"),
        (Fraction(11, 4), "a", "2 a"),
        (Fraction(4, 3), "trip", "1 trip"),
        (Fraction(5, 3), "let", "1 let"),
        (Fraction(6, 5), "", "1, 2nd of 5"),
        (Fraction(37, 8), "ta", "after 4 &"),
        (Fraction(33, 8), "ta", "after 4"),
        (Fraction(25, 12), "", "after 2"),
        (Fraction(22, 7), "", "3, 2nd of 7"),
        (Fraction(7, 6), "", "1, 2nd of 6"),
        (Fraction(11, 6), "", "1, 6th of 6"),
        (Fraction(19, 12), "", "after 1 &"),
    ],
)
def test_what_is_said(beat, said, full):
    assert syllable(beat) == said and place(beat) == full


def test_sextuplets_are_counted_in_short_syllables():
    """Common practice: a syllable for each of the six, all of them short; triplets keep their own."""
    pattern = parse("/16t R L R L R L /8t R L R /16 R L R L /16t R = R L R L")
    said = [count.said for count in pattern.counts]
    assert said[:6] == ["1", "ta", "la", "ta", "li", "ta"] and said[6:9] == ["2", "trip", "let"]
    assert said[9:13] == ["3", "e", "&", "a"] and len(max(said[:6], key=len)) == 2
