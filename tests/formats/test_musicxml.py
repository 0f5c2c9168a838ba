"""MusicXML: reread by music21, engraved by verovio, lossless there and back, and safe against anything else."""

import io
import zipfile
from fractions import Fraction
from importlib.resources import files
from xml.etree import ElementTree as Tree

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from deft_reach.core import layout, parse
from deft_reach.core.notation.rudiments import RUDIMENTS
from deft_reach.core.notation.swing import straight
from deft_reach.formats.musicxml import MAX_BYTES, dump_musicxml, load_musicxml
from deft_reach.formats.reading import DocumentError
from tests.formats.test_midi import FIGURE
from tests.strategies import texts

FIVE = layout("five")
LONGER = f"""{FIGURE}
meter 3/4 /16 R = = L K - R@rd:bell+K = L@hh R^ L~ - |
meter 7/8 /8 R L R L R L R |"""


def rows(pattern):
    return [(s.start, s.length, s.limb, s.voice, "".join(sorted(s.marks)), s.grace) for s in pattern.strokes]


def without_text(data: bytes) -> bytes:
    return data.replace(b"deft-reach-checksum", b"another-field")


def reread(text: str):
    """(start, length, sticking) of every struck note as music21 reads our score."""
    from music21 import converter

    score = converter.parse(dump_musicxml(parse(text), FIVE, 96), format="musicxml").stripTies()
    found = []
    for note in score.flatten().notes:
        if not note.duration.isGrace:
            notes = getattr(note, "notes", [note])
            words = [lyric.text for lyric in note.lyrics if lyric.text]
            for k, _ in enumerate(notes):
                found.append((Fraction(note.offset) / 4, Fraction(note.quarterLength) / 4, tuple(words), k))
    return found


@pytest.mark.parametrize("text", [FIGURE, LONGER, *(r.text for r in RUDIMENTS[:12])])
def test_music21_reads_the_same_onsets_durations_and_sticking(text):
    pattern = parse(text)
    found = reread(text)
    near = lambda a, b: abs(a - b) < Fraction(1, 10_000)  # noqa: E731  (music21 rounds odd tuplets)
    wanted = sorted((s.start, s.length) for s in pattern.strokes)
    assert len(found) == len(wanted)
    for (start, length), (at, long, _, _) in zip(wanted, sorted(found)):
        assert near(start, at) and near(length, long)
    letters = sorted(letter for _, _, words, k in found if k == 0 for letter in words)
    assert letters == sorted(s.limb for s in pattern.strokes)


@pytest.mark.parametrize("text", [FIGURE, LONGER, *(r.text for r in RUDIMENTS)])
def test_verovio_engraves_without_a_warning(text, capfd):
    import verovio

    verovio.setDefaultResourcePath(str(files("verovio") / "data"))
    verovio.enableLog(verovio.LOG_WARNING)
    toolkit = verovio.toolkit()
    assert toolkit.loadData(dump_musicxml(parse(text), FIVE, 96).decode())
    assert "<svg" in toolkit.renderToSVG(1)
    said = capfd.readouterr()
    assert "Warning" not in said.err + said.out and "Error" not in said.err + said.out


@pytest.mark.parametrize("text", [FIGURE, LONGER, "R L R R", "/4 R | R L R L | R"])
def test_an_untouched_score_gives_the_text_back_to_the_letter(text):
    found = load_musicxml(dump_musicxml(parse(text), FIVE, 96), FIVE)
    assert found.text == text and found.tempo == 96


@given(texts())
@example("/8 R R R = /8 R R K R@sn+L@sn =")
@settings(max_examples=60)
def test_text_and_musicxml_and_back(text):
    pattern = parse(text)
    data = dump_musicxml(pattern, FIVE, 100)
    if pattern.strokes:
        assert load_musicxml(data, FIVE).text == text
        written = straight(pattern)
        if all((s.start * 4 % 1).denominator <= 64 and (s.length * 4 % 1).denominator <= 64 for s in written.strokes):
            again = parse(load_musicxml(without_text(data), FIVE).text)
            # Rests are drawn together, so what keeps a pair from swinging may be gone: places are as written.
            places = [r[0:1] + r[2:] for r in rows(straight(again))]
            assert places == [r[0:1] + r[2:] for r in rows(written)] and again.swing == pattern.swing


@pytest.mark.parametrize("text", [LONGER, "/4 R | R L R L | R - - -", *(r.text for r in RUDIMENTS)])
def test_strokes_survive_without_the_text(text):
    again = parse(load_musicxml(without_text(dump_musicxml(parse(text), FIVE, 90)), FIVE).text)
    assert rows(again) == rows(parse(text))
    assert [b.meter for b in again.bar_rows] == [b.meter for b in parse(text).bar_rows]
    assert again.pickup == parse(text).pickup


def test_every_bar_adds_up_in_every_voice():
    root = Tree.fromstring(dump_musicxml(parse(LONGER), FIVE, 96))
    divisions = int(root.findtext(".//divisions"))
    bars = parse(LONGER).bar_rows
    for bar, measure in zip(bars, root.iter("measure")):
        lengths: dict[str, int] = {}
        for note in measure.iter("note"):
            if note.find("grace") is None and note.find("chord") is None:
                lengths[note.findtext("voice")] = lengths.get(note.findtext("voice"), 0) + int(
                    note.findtext("duration")
                )
        assert set(lengths.values()) == {int(bar.length * 4 * divisions)}


FOREIGN = """<?xml version="1.0"?>
<!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 3.1 Partwise//EN" "http://x/partwise.dtd">
<score-partwise version="3.1"><part-list>
<score-part id="P1"><part-name>Keys</part-name></score-part>
<score-part id="P2"><part-name>Drumset</part-name>
<score-instrument id="I38"><instrument-name>a</instrument-name></score-instrument>
<midi-instrument id="I38"><midi-unpitched>39</midi-unpitched></midi-instrument></score-part></part-list>
<part id="P1"><measure number="1"><note><pitch><step>C</step><octave>4</octave></pitch><duration>4</duration></note>
</measure></part>
<part id="P2"><measure number="1"><attributes><divisions>2</divisions><time><beats>2</beats><beat-type>4</beat-type>
</time></attributes>
<note><grace/><unpitched><display-step>C</display-step><display-octave>5</display-octave></unpitched></note>
<note><unpitched><display-step>C</display-step><display-octave>5</display-octave></unpitched><duration>2</duration>
<instrument id="I38"/><voice>1</voice><notations><articulations><accent/></articulations></notations>
<lyric><text>L</text></lyric></note>
<note><unpitched><display-step>G</display-step><display-octave>5</display-octave></unpitched><duration>1</duration>
<voice>1</voice><notehead>x</notehead></note>
<note><rest/><duration>1</duration><voice>1</voice></note>
<backup><duration>4</duration></backup>
<note><unpitched><display-step>F</display-step><display-octave>4</display-octave></unpitched><duration>4</duration>
<voice>2</voice></note></measure></part></score-partwise>"""


def test_a_foreign_score_is_read_by_instrument_place_and_lyric():
    found = load_musicxml(FOREIGN.encode(), FIVE)
    pattern = parse(found.text)
    assert [(s.start, s.limb, s.voice, s.marks, s.grace) for s in pattern.strokes] == [
        (0, "L", "sn", ">", "f"), (0, "K", "bd", "", ""), (Fraction(1, 4), "?", "hh", "", "")
    ]  # fmt: skip
    assert pattern.meter == (2, 4) and found.tracks == (("Drumset", 4),) and "hands are not" in found.remarks[0]


def test_a_compressed_score_is_read():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("META-INF/container.xml", "<container/>")
        archive.writestr("score.musicxml", dump_musicxml(parse(FIGURE), FIVE, 96))
    assert load_musicxml(out.getvalue(), FIVE).text == FIGURE


BOMB = b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><score-partwise>&b;</score-partwise>'


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "line 1, column 1: this is no well-formed XML"),
        (b"<score-partwise>", "no well-formed XML"),
        (b"<html/>", "expected a MusicXML score .*found html"),
        (b"<score-timewise/>", "timewise"),
        (b"<score-partwise/>", "no percussion part"),
        (BOMB, "declares entities"),
        (b'<!DOCTYPE x SYSTEM "file:///etc/passwd"><score-partwise/>', "no percussion part"),
        (b" " * (MAX_BYTES + 1), "at most 8,000,000 are read"),
        (b"PK\x03\x04junk", "broken"),
        (dump_musicxml(parse("R"), FIVE, 100).replace(b"unpitched", b"pitch"), "no percussion part"),
    ],
)
def test_what_is_no_score_is_refused_in_words(data, words):
    with pytest.raises(DocumentError, match=words):
        load_musicxml(data, FIVE)


@given(st.integers(0, 6000), st.binary(min_size=1, max_size=8))
@settings(max_examples=60)
def test_a_damaged_score_is_read_or_refused_but_never_crashes(at, junk):
    data = bytearray(dump_musicxml(parse(FIGURE), FIVE, 96))
    data[at : at + len(junk)] = junk
    try:
        found = load_musicxml(bytes(data), FIVE)
    except DocumentError as error:
        assert str(error)
    else:
        parse(found.text)


def score(instruments, notes):
    """A score as another program writes it: instruments as (id, name, sound, MIDI key), notes as lists of ids."""
    rows = "".join(
        f'<score-instrument id="{id}"><instrument-name>{name}</instrument-name>'
        + (f"<instrument-sound>{sound}</instrument-sound>" if sound else "")
        + "</score-instrument>"
        for id, name, sound, _ in instruments
    )
    midi = "".join(
        f'<midi-instrument id="{id}"><midi-unpitched>{key + 1}</midi-unpitched></midi-instrument>'
        for id, _, _, key in instruments
        if key is not None
    )
    music = "".join(
        f"<note>{'<chord/>' if k else ''}<unpitched><display-step>E</display-step><display-octave>5</display-octave>"
        f'</unpitched><duration>1</duration><instrument id="{id}"/></note>'
        for row in notes
        for k, id in enumerate(row)
    )
    return (
        f'<score-partwise version="4.0"><part-list><score-part id="P1"><part-name>Kit</part-name>{rows}{midi}'
        f'</score-part></part-list><part id="P1"><measure number="1">'
        f"<attributes><divisions>1</divisions></attributes>"
        f"{music}</measure></part></score-partwise>"
    ).encode()


@pytest.mark.parametrize(
    ("name", "sound", "key", "voice"),
    [
        ("Crash Cymbal", "", None, "c1"),
        ("Instrument 4", "metal.cymbal.ride", None, "rd"),
        ("Kick", "", None, "bd"),
        ("Pedal Hi-Hat", "", None, "hh:foot"),
        ("Snare Drum", "drum.snare-drum", None, "sn"),
        ("High Tom", "", None, "t1"),
        ("Floor Tom", "", None, "ft"),
        ("Tambourine", "", 54, "hh"),
        ("Splash", "", None, "c1"),
    ],
)
def test_instruments_are_known_by_their_sounds_and_names(name, sound, key, voice):
    """Each stands where a tom would be on the staff: what it is called counts for more."""
    found = load_musicxml(score([("I1", name, sound, key)], [["I1"]]), FIVE)
    assert [s.voice for s in parse(found.text).strokes] == [voice]
    assert key is not None or any("is taken for the" in remark for remark in found.remarks)


def test_both_hands_may_strike_one_voice_where_hands_are_not_said():
    found = load_musicxml(score([("I1", "Snare", "", None)], [["I1", "I1"], ["I1"]]), FIVE)
    assert parse(found.text).sticking == "? ? ?"


def test_names_that_xml_forbids_are_written_cleanly():
    data = dump_musicxml(parse("R L"), FIVE, 100, "Tide\x00 \x1bbell \ufffe& <one>")
    assert Tree.fromstring(data).findtext("work/work-title") == "Tide bell & <one>"


def test_feet_have_no_printed_rests_where_the_hands_carry_the_time():
    """Common practice of drum notation; the rests stay in the file, so that its durations add up."""
    text = dump_musicxml(parse("/16 R L R+K L R - - - R L R L K - - - | /4 K - H - |"), FIVE, 100, "x").decode()
    root = Tree.fromstring(text)
    first, second = root.iter("measure")

    def rests(measure, voice):
        notes = [n for n in measure.iter("note") if n.findtext("voice") == voice and n.find("rest") is not None]
        return [n.get("print-object") for n in notes]

    assert rests(first, "2") and set(rests(first, "2")) == {"no"}
    assert rests(first, "1") and set(rests(first, "1")) == {None}, "the hands' own are printed"
    assert set(rests(second, "2")) == {None}, "the feet alone carry the time here"
    for measure in (first, second):
        for voice in ("1", "2"):
            held = [n for n in measure.iter("note") if n.findtext("voice") == voice and n.find("chord") is None]
            assert sum(int(n.findtext("duration")) for n in held) == 4 * int(root.findtext(".//divisions"))
