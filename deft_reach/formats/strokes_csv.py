"""Strokes as CSV: one line a stroke, places as exact fractions of a whole note."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from fractions import Fraction
from typing import Final

from deft_reach.core.model.counting import place
from deft_reach.core.model.elements import MARKS, Strike, Swing
from deft_reach.core.model.limbs import LIMBS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.compose import Frame, Onset, compose
from deft_reach.core.notation.stroke_text import METER_VALUES, StrokeTextError, parse, write_strike
from deft_reach.core.notation.swing import straight
from deft_reach.formats.imported import Imported
from deft_reach.formats.midi import MAX_NOTES
from deft_reach.formats.midi_foreign import checked
from deft_reach.formats.plain_text import DocumentError, decode, exact, reader
from deft_reach.formats.tables import rows_of

COLUMNS: Final = ("index", "bar", "count", "start", "length", "meter", "limb", "voice", "marks", "grace")
#: The column that says how it swings, as in stroke text: ``66 /8``.
SWING: Final = "swing"
NEEDED: Final = ("start", "limb")
#: What marks may not begin with unguarded: a spreadsheet would take them for a formula, or for a guard.
_GUARDED: Final = ("=", "+", "-", "@", "'")
#: Longest start that is read (whole notes): a thousand bars.
MAX_START: Final = 1000


def dump_strokes(pattern: Pattern) -> bytes:
    """A heading and one line a stroke; ``start`` and ``length`` are fractions of a whole note, such as ``3/16``, as
    written. Where the pattern swings a last column says how.
    """
    swing = pattern.swing
    pattern = straight(pattern)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS if swing is None else (*COLUMNS, SWING))
    for s in pattern.strokes:
        meter = pattern.bar_at(s.start).meter
        writer.writerow(
            [s.index, s.bar, place(s.beat), s.start, s.length, f"{meter[0]}/{meter[1]}", s.limb, s.voice,
             _safe(s.marks), s.grace_text, *([] if swing is None else [f"{swing.percent:g} /{swing.value}"])]
        )  # fmt: skip
    return out.getvalue().encode()


@reader
def load_strokes(data: bytes) -> Imported:
    """Stroke text from such a table; only ``start`` and ``limb`` are needed, and columns may stand in any order.

    Raises DocumentError with the line.
    """
    rows = rows_of(decode(data), MAX_NOTES)
    heading = [cell.strip().lower() for cell in next(rows, (1, []))[1]]
    missing = [column for column in NEEDED if column not in heading]
    if missing:
        raise DocumentError(f"the heading lacks {' and '.join(missing)}", line=1, column=1)
    found: dict[Fraction, tuple[list[Strike], Fraction | None]] = {}
    meters: list[tuple[Fraction, tuple[int, int]]] = []
    pickup, bars = Fraction(0), set[str]()
    swing: Swing | None = None
    for number, cells in rows:
        if len(cells) != len(heading):
            raise DocumentError(f"{len(cells)} values; expected {len(heading)}", line=number, column=1)
        row = dict(zip(heading, (cell.strip() for cell in cells)))
        start = _fraction(row["start"], "start", number)
        length = _fraction(row["length"], "length", number) if row.get("length") else None
        strikes, _ = found.setdefault(start, ([], length))
        strikes.append(_strike(row, number))
        if row.get(SWING) and swing is None:
            swing = _swing(row[SWING], number)
        meter = row.get("meter", "").partition("/")
        if all(part.isascii() and part.isdigit() and len(part) < 3 for part in (meter[0], meter[2])):
            pair = (int(meter[0]), int(meter[2]))
            if 1 <= pair[0] <= 64 and pair[1] in METER_VALUES and not meters:
                meters.append((Fraction(0), pair))
        bars.add(row.get("bar", ""))
        if row.get("bar") == "1" and "0" in bars and not pickup:
            beat = Fraction(*(meters[0][1] if meters else (4, 4)))
            pickup = start % beat if row.get("count", "").split(" ")[0] == "1" else Fraction(0)
    onsets = [Onset(start, tuple(strikes), length) for start, (strikes, length) in sorted(found.items())]
    end = max((row.start + (row.length or Fraction(1, 16)) for row in onsets), default=Fraction(0))
    text = compose(onsets, Frame(tuple(meters) or ((Fraction(0), (4, 4)),), end, pickup, swing=swing))
    return Imported(checked(text), None)


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
    marks = row.get("marks", "")
    # The guard comes off; a mark of its own that looks like it stays.
    if marks.startswith("'") and marks[1:2] in _GUARDED:
        marks = marks[1:]
    if limb not in LIMBS or not limb:
        raise DocumentError(f"limb is '{limb}'; expected one of {', '.join(LIMBS)}", line=line)
    try:
        graces = parse(f"{grace}R").strokes[0] if grace else None
    except StrokeTextError:
        raise DocumentError(f"grace is '{grace}'; expected f, d, u or nothing", line=line) from None
    if any(mark not in MARKS for mark in marks):
        raise DocumentError(f"marks are '{marks}'; expected some of {' '.join(MARKS)}", line=line)
    strike = Strike(limb, row.get("voice") or None, marks)
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


def _safe(marks: str) -> str:
    """Marks that a spreadsheet does not take for a formula."""
    return f"'{marks}" if marks[:1] in _GUARDED else marks
