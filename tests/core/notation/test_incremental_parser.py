"""Reading on from an earlier text gives what reading afresh gives, to the last field."""

from dataclasses import fields

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core.model.layouts import STANDARD_VOICES
from deft_reach.core.notation.stroke_text import IncrementalParser, StrokeTextError, parse

BAR = "R@hh L K R@t1 (L@t1 K R. L.) R@c1>+K L. R@ft K L@t1 R@rd R> L |\n"


def spans(pattern):
    """Where every element and every strike stands: equality of elements leaves that out."""
    found = []
    for element in pattern.elements:
        found.append((type(element).__name__, tuple(element.span)))
        found += [tuple(strike.span) for strike in getattr(element, "strikes", ())]
    return found


def same(text: str, rereader: IncrementalParser) -> None:
    """Reading on and reading afresh agree: pattern, places in the text, or the mistake."""
    try:
        wanted = parse(text, lenient=True)
    except StrokeTextError as error:
        with pytest.raises(StrokeTextError) as caught:
            rereader.read(text, STANDARD_VOICES)
        assert str(caught.value) == str(error)
        return
    found = rereader.read(text, STANDARD_VOICES)
    for field in fields(wanted):
        assert getattr(found, field.name) == getattr(wanted, field.name), field.name
    assert spans(found) == spans(wanted)
    assert found.counts == wanted.counts and found.events == wanted.events


@pytest.mark.parametrize(
    ("before", "after"),
    [
        (BAR * 4, BAR + BAR.replace("R@t1", "L@t1") + BAR * 2),
        (BAR * 4, BAR * 2 + "K " + BAR * 2),
        (BAR * 3, BAR * 3 + "R L"),
        ("swing 66 /8 " + BAR * 3, "swing 58 /8 " + BAR * 3),
        ("swing 66 /8 " + BAR * 3, "swing 66 /8 " + BAR + BAR.replace("K", "H", 1) + BAR),
        (BAR * 3, "swing 66 /16 " + BAR * 3),
        (BAR * 3, BAR + BAR),
        (BAR + "= " + BAR, BAR + "- " + BAR),
        ("R L | " + BAR * 2, "R K | " + BAR * 2),
        ("/4 R L R L | R L R L | R", "/4 R L R L | R L R | R"),
        ("/4 R L R L | R L R | R", "/4 R L R L | R L R L| R"),
        (BAR + "meter 3/4 /4 R L R | R L R |", BAR + "meter 3/4 /4 R L L | R L R |"),
        (BAR + "/8 R L R L R L R L | R", BAR + "/4 R L R L R L R L | R"),
        (BAR + "# tide | low\n" + BAR, BAR + "# tide | ebb\n" + BAR),
        ("tempo 90 " + BAR * 2, "tempo 80 " + BAR * 2),
        (BAR * 2, "R ( | " + BAR),
        ("/4 R L R L | = R L R | R L R L |", "/4 R K R L | = R L R | R L R L |"),
    ],
)  # fmt: skip
def test_edits_of_every_sort(before, after):
    rereader = IncrementalParser()
    same(before, rereader)
    same(after, rereader)
    same(before, rereader)


@given(st.data())
@settings(max_examples=150, deadline=None)
def test_any_chain_of_edits(data):
    """Characters put in, taken out and exchanged anywhere, one after the other."""
    rereader = IncrementalParser()
    text = data.draw(st.sampled_from([BAR * 3, "meter 3/4 /8 R L R L R L | " * 3, "/4 R | R L R L | K = = R | "]))
    same(text, rereader)
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(text)))
        cut = data.draw(st.integers(0, 3))
        put = data.draw(st.text(alphabet="RLKH|()=-+/816t.>@snx #\n?f", max_size=3))
        text = text[:at] + put + text[at + cut :]
        same(text, rereader)


def test_how_much_of_a_text_is_new():
    reader = IncrementalParser()
    assert reader.unread(BAR, STANDARD_VOICES) == len(BAR), "nothing was read yet"
    reader.read(BAR * 3, STANDARD_VOICES)
    assert reader.unread(BAR * 3, STANDARD_VOICES) == 0
    assert reader.unread(BAR + "K L " + BAR * 2, STANDARD_VOICES) <= 4
    assert reader.unread(BAR * 2, STANDARD_VOICES) == 0, "what was taken away is not new"
    assert reader.unread(BAR * 3, {"sn"}) == len(BAR * 3), "with other voices everything is read anew"
    assert reader.unread("H J H J", STANDARD_VOICES) == 7
