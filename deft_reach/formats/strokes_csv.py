"""Strokes as CSV: one line a stroke, places as exact fractions of a whole note."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Final

from deft_reach.core.model.counting import counted, place
from deft_reach.core.model.elements import MARKS, Strike, Swing, shift_text
from deft_reach.core.model.limbs import DEFAULT_VOICE, LIMBS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.compose import Frame, Onset
from deft_reach.core.notation.stroke_text import (
    MAX_TEXT,
    METER_VALUES,
    TEMPO_RANGE,
    StrokeTextError,
    parse,
    write_strike,
)
from deft_reach.core.notation.stroke_text.grammar import SHIFT
from deft_reach.core.notation.swing import straight
from deft_reach.formats.imported import Imported, as_written
from deft_reach.formats.midi import MAX_NOTES
from deft_reach.formats.reading import DocumentError, decode, exact, number_text, reader
from deft_reach.formats.tables import heading_of, rows_of
from deft_reach.formats.writing_down import written_down

COLUMNS: Final = ("index", "bar", "count", "start", "length", "meter", "limb", "voice", "marks", "grace")
#: How it swings, as in stroke text (``66 /8``), its tempo (BPM), whether it is a loop, and the text it was written
#: in, which stands in the first line alone.
SWING, TEMPO, LOOP, TEXT = "swing", "tempo", "loop", "text"
NEEDED: Final = ("start", "limb")
#: What a cell may not begin with unguarded: a spreadsheet would take them for a formula, or for a guard.
_GUARDED: Final = ("=", "+", "-", "@", "'")
#: Longest start that is read (whole notes): a thousand bars.
MAX_START: Final = 1000


def dump_strokes(pattern: Pattern, tempo: float | None = None, repeat: bool = False) -> bytes:
    """A heading and one line a stroke; ``start`` and ``length`` are fractions of a whole note, such as ``3/16``, as
    written. Further columns have what is true of all of it.
    """
    swing, text = pattern.swing, pattern.text
    pattern = straight(pattern)
    said = {TEMPO: "" if tempo is None else number_text(tempo), LOOP: "yes" if repeat else "no"}
    if swing is not None:
        said = {SWING: f"{swing.percent:g} /{swing.value}", **said}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow((*COLUMNS, *said, TEXT))
    for s in pattern.strokes:
        meter = pattern.bar_at(s.start).meter
        writer.writerow(
            [s.index, s.bar, place(s.beat), s.start, s.length, f"{meter[0]}/{meter[1]}", s.limb, s.voice,
             _safe(s.marks + shift_text(s.shift)), s.grace_text, *said.values(), "" if s.index else _safe(text)]
        )  # fmt: skip
    return out.getvalue().encode()


@dataclass
class _Table:
    """What has been read of a table."""

    rows: dict[Fraction, tuple[list[Strike], Fraction | None]] = field(default_factory=dict)
    #: The meter that a line says, by where its stroke is.
    meters: dict[Fraction, tuple[int, int]] = field(default_factory=dict)
    pickup: Fraction = Fraction(0)
    swing: Swing | None = None
    tempo: float | None = None
    repeat: bool = False
    text: str = ""
    #: Strokes that fall together with others and last longer or shorter.
    uneven: int = 0


@reader
def load_strokes(data: bytes) -> Imported:
    """Stroke text from such a table; only ``start`` and ``limb`` are needed, and columns may stand in any order.

    The text that a table of ours was made from comes back to the letter as long as its strokes are still those.
    Raises DocumentError with the line.
    """
    rows = rows_of(decode(data), MAX_NOTES, longest=MAX_TEXT + 1)
    heading = heading_of(rows, NEEDED)
    table, bars = _Table(), set[str]()
    for number, cells in rows:
        if len(cells) != len(heading):
            raise DocumentError(f"{len(cells)} values; expected {len(heading)}", line=number, column=1)
        row = dict(zip(heading, (cell.strip() for cell in cells)))
        start = _fraction(row["start"], "start", number)
        length = _fraction(row["length"], "length", number) if row.get("length") else None
        strikes, held = table.rows.setdefault(start, ([], length))
        table.uneven += length is not None and length != held
        strikes.append(_strike(row, number))
        _read_common(table, row, number)
        if not table.text and TEXT in row:
            table.text = _bare(dict(zip(heading, cells))[TEXT])
        bars.add(row.get("bar", ""))
        if row.get("bar") == "1" and "0" in bars and not table.pickup:
            beat = Fraction(*next(iter(table.meters.values()), (4, 4)))
            table.pickup = start % beat if row.get("count", "").split(" ")[0] == "1" else Fraction(0)
    own = _own_text(table)
    if own is not None:
        return Imported(own, table.tempo, repeat=table.repeat)
    onsets = [Onset(start, tuple(strikes), length) for start, (strikes, length) in sorted(table.rows.items())]
    end = max((row.start + (row.length or Fraction(1, 16)) for row in onsets), default=Fraction(0))
    frame = Frame(_changes(table), end, table.pickup, swing=table.swing)
    text, remarks = written_down(onsets, frame)
    if table.uneven:
        words = counted(table.uneven, "stroke")
        remarks.append(f"{words} of another length than what falls together with them: the first length is taken")
    return Imported(text, table.tempo, remarks=tuple(remarks), repeat=table.repeat)


def _read_common(table: _Table, row: dict[str, str], line: int) -> None:
    """What a line says of all of it: meter, swing, tempo, loop."""
    if row.get(SWING) and table.swing is None:
        table.swing = _swing(row[SWING], line)
    if row.get("meter"):
        table.meters[_fraction(row["start"], "start", line)] = _meter(row["meter"], line)
    if row.get(TEMPO) and table.tempo is None:
        low, high = TEMPO_RANGE
        try:
            table.tempo = float(exact(row[TEMPO]))
        except ValueError:
            table.tempo = 0.0
        if not low <= table.tempo <= high:
            raise DocumentError(f"tempo is '{row[TEMPO][:40]}'; expected {low:g} to {high:g} BPM", line=line)
    loop = row.get(LOOP, "").lower()
    if loop not in ("", "yes", "no"):
        raise DocumentError(f"loop is '{loop[:40]}'; expected yes or no", line=line)
    table.repeat = table.repeat or loop == "yes"


def _own_text(table: _Table) -> str | None:
    """The text that the table was made from, while its strokes are still those."""
    text = as_written(table.text, table.tempo) if table.text.strip() else None
    if text is None:
        return None
    pattern = straight(parse(text))
    told = {start: (sorted(map(_facts, strikes)), length) for start, (strikes, length) in table.rows.items()}
    meant: dict[Fraction, tuple[list[tuple[str, ...]], Fraction | None]] = {}
    for s in pattern.strokes:
        meant.setdefault(s.start, ([], s.length))[0].append(_facts(s.strike()))
    same = told == {start: (sorted(facts), length) for start, (facts, length) in meant.items()}
    metered = all(pattern.bar_at(start).meter == meter for start, meter in table.meters.items())
    return text if same and metered and parse(text).swing == table.swing else None


def _changes(table: _Table) -> tuple[tuple[Fraction, tuple[int, int]], ...]:
    """Every meter with the bar line at which it begins: the last one before its first stroke."""
    rows = sorted(table.meters.items())
    found = [(Fraction(0), rows[0][1] if rows else (4, 4))]
    at = table.pickup
    for start, meter in rows:
        if meter != found[-1][1]:
            bar = Fraction(*found[-1][1])
            at += max(Fraction(0), (start - at) // bar * bar)
            found.append((at, meter))
    return tuple(found)


def _facts(strike: Strike) -> tuple[str, ...]:
    return (
        strike.limb,
        strike.voice or DEFAULT_VOICE[strike.limb],
        "".join(sorted(strike.marks)) + shift_text(strike.shift),
        strike.grace_text,
    )


def _meter(text: str, line: int) -> tuple[int, int]:
    beats, _, value = text.partition("/")
    if all(part.isascii() and part.isdigit() and len(part) < 3 for part in (beats, value)):
        pair = (int(beats), int(value))
        if 1 <= pair[0] <= 64 and pair[1] in METER_VALUES:
            return pair
    raise DocumentError(f"meter is '{text[:40]}'; expected one such as 4/4 or 7/8", line=line)


def _swing(text: str, line: int) -> Swing | None:
    try:
        return parse(f"swing {text}").swing
    except StrokeTextError as error:
        raise DocumentError(f"swing is '{text}'; expected {error.expected}", line=line) from None


def _fraction(text: str, column: str, line: int) -> Fraction:
    try:
        value = exact(text)
    except ValueError:
        raise DocumentError(f"{column} is '{text[:40]}'; expected a fraction such as 3/16", line=line) from None
    if not 0 <= value <= MAX_START:
        raise DocumentError(f"{column} is {text}; expected 0 to {MAX_START} whole notes", line=line)
    return value


def _strike(row: dict[str, str], line: int) -> Strike:
    limb, grace = row["limb"], row.get("grace", "")
    marks = _bare(row.get("marks", ""))
    if limb not in LIMBS or not limb:
        raise DocumentError(f"limb is '{limb}'; expected one of {', '.join(LIMBS)}", line=line)
    try:
        graces = parse(f"{grace}R").strokes[0] if grace else None
    except StrokeTextError:
        raise DocumentError(f"grace is '{grace}'; expected f, d, u or nothing", line=line) from None
    own = SHIFT.search(marks)
    marks = marks[: own.start()] + marks[own.end() :] if own else marks
    if any(mark not in MARKS for mark in marks):
        raise DocumentError(f"marks are '{marks}'; expected some of {' '.join(MARKS)}", line=line)
    strike = Strike(limb, row.get("voice") or None, marks)
    if own:
        strike = replace(strike, shift=parse(f"R{own.group()}").strokes[0].shift)
    if graces is not None:
        strike = replace(strike, grace=graces.grace, grace_voice=graces.grace_voice, grace_marks=graces.grace_marks)
    try:
        written = parse(write_strike(strike))
    except StrokeTextError as error:
        raise DocumentError(f"this is no stroke: found {error.found}, expected {error.expected}", line=line) from None
    if len(written.elements) != 1:
        # A voice such as rdR would be read as two strokes.
        raise DocumentError(f"voice is '{row['voice'][:40]}'; expected one such as sn, hh or rd:bell", line=line)
    return strike


def _safe(text: str) -> str:
    """A text that a spreadsheet does not take for a formula."""
    return f"'{text}" if text[:1] in _GUARDED else text


def _bare(text: str) -> str:
    """A text without its guard; a mark of its own that looks like one stays."""
    return text[1:] if text[:1] == "'" and text[1:2] in _GUARDED and len(text) > 1 else text
