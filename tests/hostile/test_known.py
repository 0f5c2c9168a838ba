"""Files that once crashed, hung or filled the memory: each is refused with a sentence, and quickly."""

import io
import random
import struct
import sys
import tracemalloc
import zipfile

import pytest
import scipy.optimize

from deft_reach.core import Player, layout
from deft_reach.core.model.kit import Reading
from deft_reach.core.model.tape import MOST_PIECES, MOST_STEPS, STARTS, TapeError, measure
from deft_reach.formats.musicxml import load_musicxml
from deft_reach.formats.patterns import load_pattern
from deft_reach.formats.pieces_csv import dump_pieces, load_pieces
from deft_reach.formats.reading import DocumentError, exact
from deft_reach.formats.strokes_csv import load_strokes
from deft_reach.formats.tape_csv import load_tape
from deft_reach.formats.xml_tree import MAX_DEPTH, MAX_ELEMENTS
from deft_reach.store.log_entries import LogbookError
from deft_reach.store.log_exchange import from_csv, to_csv
from deft_reach.store.logbook import Logbook
from tests.machine import within

KIT = layout("five")


def refused(read, data, words: str, seconds: float = 2.0, megabytes: float = 200.0) -> None:
    """Refused with these words, by the reader itself, within these bounds."""
    tracemalloc.start()
    try:
        # Counting memory makes it some four times as slow.
        with within(4 * seconds), pytest.raises(DocumentError, match=words) as caught:
            read(data)
        _, most = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert caught.value.__cause__ is None, "foreseen, not caught at the last"
    assert most < megabytes * 1e6


# --- tables ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("ending", ["\n", "\r\n", "\r"])
def test_lines_of_a_table_may_end_as_on_any_system(ending):
    strokes = ending.join(("start,limb,voice", "0,R,sn", "1/8,L,sn", ""))
    assert load_strokes(strokes.encode()).text.split() == ["R", "-", "L"]
    pieces = dump_pieces(KIT).decode().replace("\n", ending)
    assert [piece.code for piece in load_pieces(pieces.encode(), "x")] == [piece.code for piece in KIT]
    assert len(load_tape(f"sn,hh,400{ending}sn,t1,300{ending}".encode())[0]) == 2


def test_attempts_as_a_table_may_end_their_lines_so_too(tmp_path):
    from tests.store.conftest import attempt

    book, other = Logbook(tmp_path / "a.sqlite"), Logbook(tmp_path / "b.sqlite")
    book.add(attempt(note="two\nlines"))
    assert from_csv(other, to_csv(book).replace("\n", "\r")) == 1
    with pytest.raises(LogbookError, match="line 4"):
        from_csv(other, to_csv(book) + '"' + "x" * 300_000)
    book.close(), other.close()


@pytest.mark.parametrize("read", [load_strokes, lambda data: load_pieces(data, "x"), load_tape])
def test_a_cell_of_any_size_is_refused_with_its_line(read):
    heading = b"start,limb,code,name,kind,x_mm,y_mm,z_mm,diameter_mm,width_mm,tilt_deg,depth_mm\n"
    refused(read, heading + b'"' + b"x" * 200_000 + b'",R\n', r"line [12]")


@pytest.mark.parametrize(
    "number", ["1e99999999", "1E99999999", "1e-99999999", "9" * 5000, "1/" + "9" * 5000, "nan", "1/0", "0x10"]
)
@pytest.mark.parametrize("column", ["start", "length"])
def test_numbers_that_would_fill_the_memory_are_refused_in_a_table(number, column):
    row = {"start": "0", "length": "1/8"} | {column: number}
    refused(load_strokes, f"start,length,limb\n{row['start']},{row['length']},R\n".encode(), f"line 2: {column} is")


def test_exact_numbers():
    for text, value in (("3/16", 0.1875), ("0.25", 0.25), (" 7 ", 7), (".5", 0.5), ("2.", 2)):
        assert exact(text) == value
    for text in ("", "/", ".", "1/0", "1e2", "+-1", "1_000", "٣", "1/2/3"):
        with pytest.raises(ValueError, match=r"not a number|divides"):
            exact(text)


# --- scores ---------------------------------------------------------------------------------------------------------

NOTE = (
    "<note><unpitched><display-step>C</display-step><display-octave>5</display-octave></unpitched>"
    "<duration>{}</duration></note>"
)


def score(notes: str, divisions: str = "4") -> bytes:
    return (
        '<score-partwise><part-list><score-part id="P1"/></part-list><part id="P1"><measure><attributes>'
        f"<divisions>{divisions}</divisions></attributes>{notes}</measure></part></score-partwise>"
    ).encode()


@pytest.mark.parametrize("duration", ["1e99999999", "9" * 5000, "1/0", "nan", "-4", "0", "-1", "abc", "", " "])
def test_durations_that_no_score_can_have_are_refused_with_their_measure(duration):
    refused(lambda data: load_musicxml(data, KIT), score(NOTE.format(4) + NOTE.format(duration)), "measure 1 of ")
    refused(lambda data: load_musicxml(data, KIT), score(NOTE.format(4), duration), "measure 1 of .*divisions is")


def test_deep_and_wide_scores_are_refused_before_they_fill_the_memory():
    deep = b"<a>" * 1_000_000 + b"</a>" * 1_000_000
    refused(lambda data: load_musicxml(data, KIT), deep, f"nested more than {MAX_DEPTH}")
    wide = b"<score-partwise>" + b"<a/>" * 1_900_000 + b"</score-partwise>"
    refused(lambda data: load_musicxml(data, KIT), wide, f"more than {MAX_ELEMENTS:,}")


def compressed(method: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        archive.writestr("score.xml", score(NOTE.format(4)))
    return out.getvalue()


def test_compressed_scores_are_stored_or_deflated_and_nothing_else():
    for method in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        assert "?" in load_pattern(compressed(method), ".mxl", KIT).text
    for method in (zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA):
        refused(lambda data: load_musicxml(data, KIT), compressed(method), "compressed in a way")


@pytest.mark.parametrize("seed", range(40))
def test_damaged_compressed_scores_are_said_to_be_broken(seed):
    chance = random.Random(seed)
    data = bytearray(compressed(chance.choice([zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_STORED])))
    for _ in range(chance.randint(1, 12)):
        data[chance.randrange(2, len(data))] = chance.randrange(256)
    try:
        load_musicxml(bytes(data), KIT)
    except DocumentError as error:
        assert error.__cause__ is None


def test_an_archive_whose_parts_lie_before_its_beginning():
    """A negative place to go to, as a damaged directory gives it."""
    data = bytearray(compressed(zipfile.ZIP_DEFLATED))
    end = data.rindex(b"PK\x05\x06")
    data[end + 12 : end + 20] = struct.pack("<II", 0xFFFFFF00, 0xFFFFFFF0)
    refused(lambda data: load_musicxml(data, KIT), bytes(data), "broken")
    begin = data.index(b"PK\x01\x02")
    data = bytearray(compressed(zipfile.ZIP_DEFLATED))
    data[begin + 42 : begin + 46] = struct.pack("<I", 0xFFFFFFF0)
    refused(lambda data: load_musicxml(data, KIT), bytes(data), "broken")


# --- the tape -------------------------------------------------------------------------------------------------------


def test_odd_readings_are_given_up_on_in_time(monkeypatch):
    """Eleven of them took seven seconds: the search went on for ever after what no kit has."""
    steps = []
    solver = scipy.optimize.least_squares

    def counted(*args, **kwargs):
        found = solver(*args, **kwargs)
        steps.append(found.nfev)
        return found

    monkeypatch.setattr(scipy.optimize, "least_squares", counted)
    codes = [piece.code for piece in KIT] + ["seat", "floor"]
    for seed in range(20):
        chance, rows, seen = random.Random(seed), [], set()
        while len(rows) < 11:
            a, b = chance.sample(codes, 2)
            if {a, b} != {"seat", "floor"} and a != "floor" and frozenset((a, b)) not in seen:
                seen.add(frozenset((a, b)))
                mm = chance.choice([0.001, 1, 5000, 4999, chance.uniform(1, 5000)])
                rows.append(Reading(a, b, mm, chance.choice([None, 0.1, 1000, 1])))
        steps.clear()
        try:
            measure(rows, KIT, Player())
        except TapeError as error:
            assert "misreading" in str(error)
        assert sum(steps) <= STARTS * MOST_STEPS, f"{sum(steps)} steps in {len(steps)} searches"


def test_more_pieces_than_anybody_has_are_refused():
    from dataclasses import replace

    pieces = tuple(
        replace(KIT.pieces[2], code=f"a{chr(97 + k // 10)}{k % 10}", x=20.0 * k - 400, y=300.0 + 5 * (k % 7))
        for k in range(MOST_PIECES + 1)
    )
    many = replace(KIT, pieces=pieces, left="", right="")
    with pytest.raises(TapeError, match="at most 40"):
        measure([Reading(piece.code, "floor", 700) for piece in pieces], many, Player())


def test_what_was_measured_too_finely_is_refused():
    with pytest.raises(TapeError, match=r"expected 0.1 mm to 1000"):
        measure([Reading("sn", "hh", 400, 1e-9)], KIT, Player())


def test_whole_numbers_of_any_length_are_refused_in_json():
    from deft_reach.formats.document import load_document

    refused(load_document, b'{"format": ' + b"9" * (sys.get_int_max_str_digits() + 1) + b"}", "digits")


def test_every_reader_of_files_is_guarded():
    import importlib
    import pkgutil

    from deft_reach import formats

    found = {}
    for module in pkgutil.walk_packages(formats.__path__, "deft_reach.formats."):
        for name, value in vars(importlib.import_module(module.name)).items():
            if name.startswith("load_") and callable(value):
                found[name] = hasattr(value, "__wrapped__")
    # What chooses among readers needs no guard of its own.
    assert found.pop("load_pattern") is False
    assert len(found) >= 9 and all(found.values()), found
