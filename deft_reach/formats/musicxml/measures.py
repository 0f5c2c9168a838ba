"""The measures of a score's part, note by note: what is struck when, and what of it no score can have."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Final
from xml.etree import ElementTree as Tree

from deft_reach.core.model.elements import Strike
from deft_reach.core.model.limbs import EITHER
from deft_reach.core.notation.stroke_text import METER_VALUES
from deft_reach.formats.reading import DocumentError, exact

#: Parts of a quarter note that a score counts in, and how long a note is (quarter notes), at most.
MOST_DIVISIONS: Final = 1_000_000
MOST_QUARTERS: Final = 10_000
#: A ruff has so many grace notes.
MOST_GRACES: Final = 3


@dataclass
class Row:
    """What is struck at one moment, while it is gathered."""

    strikes: list[Strike] = field(default_factory=list)
    length: Fraction = Fraction(0)


class PartWalk:
    """Goes through a part measure by measure and note by note.

    Times that no score can have are refused with their measure; what is merely odd is said in a remark.
    """

    def __init__(
        self, part: Tree.Element, name: str, strike: Callable[[Tree.Element, str, int], tuple[Strike, bool]],
        remark: Callable[[str, str], None],
    ) -> None:  # fmt: skip
        self.measures, self.name = part.findall("measure"), name
        self._strike, self._tell = strike, remark
        self.rows: dict[Fraction, Row] = {}
        self.meters: list[tuple[Fraction, tuple[int, int]]] = []
        self.pickup = self.begin = Fraction(0)
        self._divisions = Fraction(1)
        #: None where the score has said nothing of it.
        self._meter: tuple[int, int] | None = None
        self._ties: dict[tuple[str, str], list[Fraction]] = {}
        self._measure = ""
        self._graces: dict[str, int] = {}
        #: Where repeats begin and end, by number of the measure.
        self._repeats: list[tuple[str, int]] = []

    def _refuse(self, what: str) -> DocumentError:
        return DocumentError(f"measure {self._measure} of {self.name}: {what}")

    def _remark(self, what: str) -> None:
        self._tell(what, self._measure)

    def walk(self) -> None:
        """Read every measure. Raises DocumentError with the measure that cannot be read."""
        for number, measure in enumerate(self.measures):
            self._read(measure, number)

    def _read(self, measure: Tree.Element, number: int) -> None:
        self._measure = shortened(measure.get("number") or str(number + 1))
        at = furthest = previous = Fraction(0)
        self._graces = {}
        for item in measure:
            if item.tag == "attributes":
                self._attributes(item)
            elif item.tag in ("backup", "forward"):
                length = self._length(item)
                at = at - length if item.tag == "backup" else at + length
                if at < 0:
                    raise self._refuse("it goes back beyond its beginning")
            elif item.tag == "barline":
                for repeat in item.findall("repeat"):
                    self._repeats.append((repeat.get("direction", ""), number))
            elif item.tag == "note":
                voice, chord = item.findtext("voice", "1"), item.find("chord") is not None
                if item.find("grace") is not None:
                    if not chord and item.find("unpitched") is not None:
                        self._graces[voice] = self._graces.get(voice, 0) + 1
                    continue
                length = self._length(item)
                if item.find("cue") is not None:
                    self._remark("cue notes are left out")
                elif item.find("unpitched") is not None:
                    self._note(item, self.begin + (previous if chord else at), length, voice)
                elif item.find("pitch") is not None:
                    self._remark("notes with a pitch are no drums: left out")
                if not chord:
                    previous, at = at, at + length
            furthest = max(furthest, at)
        if any(self._graces.values()):
            self._remark("grace notes without a note after them are left out")
        self._close(measure, number, furthest)

    def _close(self, measure: Tree.Element, number: int, held: Fraction) -> None:
        """The bar's end, and whether it is as long as its meter says."""
        full = Fraction(*self._meter or (4, 4))
        short_end = number == len(self.measures) - 1 and held < full
        if number == 0 and measure.get("implicit") == "yes" and held < full:
            self.pickup = held
        elif self._meter is not None and held != full and not short_end:
            self._odd_bar(held)
        self.begin += held

    def _odd_bar(self, held: Fraction) -> None:
        """A bar that is longer or shorter than its meter has a meter of its own, where there is one."""
        assert self._meter is not None
        value = max(held.denominator, self._meter[1])
        beats = held * value
        wanted = f"{self._meter[0]}/{self._meter[1]}"
        if held <= 0:
            self._remark(f"an empty bar of {wanted} is left out")
        elif value in METER_VALUES and 1 <= beats <= 64:
            self._set_meter(self.begin, (int(beats), value))
            self._set_meter(self.begin + held, self._meter)
            self._remark(f"it holds {beats}/{value}, and its meter is {wanted}: read as a bar of its own")
        else:
            self._remark(f"it does not fill {wanted}: the bars after it begin elsewhere")

    def _set_meter(self, at: Fraction, meter: tuple[int, int]) -> None:
        self.meters = [row for row in self.meters if row[0] != at]
        if not self.meters or self.meters[-1][1] != meter:
            self.meters.append((at, meter))

    def is_loop(self) -> bool:
        """Whether all of it is repeated; other repeats are not followed, which is said."""
        ends = [number for direction, number in self._repeats if direction == "backward"]
        begins = [number for direction, number in self._repeats if direction == "forward"]
        if ends == [len(self.measures) - 1] and begins in ([], [0]):
            return True
        if self._repeats:
            self._tell("repeat signs are not followed: every bar is read once", "")
        return False

    def _attributes(self, item: Tree.Element) -> None:
        told = item.find("divisions")
        if told is not None:
            try:
                self._divisions = exact(told.text or "")
            except ValueError:
                self._divisions = Fraction(0)
            if not 0 < self._divisions <= MOST_DIVISIONS:
                raise self._refuse(
                    f"divisions is '{shortened(told.text or '')}'; expected a number from 1 to {MOST_DIVISIONS:,}"
                )
        time = item.find("time")
        if time is None:
            return
        if time.find("senza-misura") is not None:
            self._meter = None
            return
        meter = _meter_of(time)
        if meter is None:
            said = "/".join(shortened(time.findtext(name) or "?") for name in ("beats", "beat-type"))
            self._remark(f"a meter of {said} cannot be written and is left out")
            return
        self._meter = meter
        self._set_meter(self.begin, meter)

    def _length(self, item: Tree.Element) -> Fraction:
        """A duration in whole notes."""
        told = item.findtext("duration")
        if told is None:
            raise self._refuse(f"a {item.tag} has no duration")
        try:
            value = exact(told)
        except ValueError:
            value = Fraction(0)
        if not 0 < value <= MOST_QUARTERS * self._divisions:
            raise self._refuse(
                f"a duration is '{shortened(told)}'; expected a number above 0, of {MOST_QUARTERS:,} "
                "quarter notes at most"
            )
        return value / (4 * self._divisions)

    def _note(self, note: Tree.Element, start: Fraction, length: Fraction, voice: str) -> None:
        instrument = note.find("instrument")
        which = (voice, instrument.get("id", "") if instrument is not None else note.findtext("unpitched/*", ""))
        kinds = {tie.get("type") for tie in note.findall("tie")}
        ties = self._ties
        if "stop" in kinds and which in ties:
            begun = ties[which][-1]
            self.rows[begun].length = max(self.rows[begun].length, start + length - begun)
            if "start" not in kinds:
                # Both hands may hold the same voice: each of them ends a tie of its own.
                ties[which].pop()
                if not ties[which]:
                    del ties[which]
            return
        if "stop" in kinds:
            self._remark("a tie ends that never began: its note is struck")
        row = self.rows.setdefault(start, Row())
        row.length = max(row.length, length)
        if "start" in kinds:
            ties.setdefault(which, []).append(start)
        graces = self._graces.pop(voice, 0)
        if graces > MOST_GRACES:
            self._remark(f"{graces} grace notes before one note are read as {MOST_GRACES}")
        strike, own = self._strike(note, which[1], graces)
        # Where the hands are not said, both may strike one voice; a hand that is named strikes it once.
        if own or row.strikes.count(strike) < (2 if strike.limb == EITHER else 1):
            row.strikes.append(strike)
        else:
            self._remark("several notes for one hand on one voice at one moment are one stroke")


def _meter_of(time: Tree.Element) -> tuple[int, int] | None:
    """A time signature as one meter, sums such as 3+2/8 or 3/4+2/8 added up; None where it is none."""
    total, finest = Fraction(0), 1
    for beats, value in zip(time.findall("beats"), time.findall("beat-type")):
        parts, of = [int_of(part) for part in (beats.text or "").split("+")], int_of(value.text)
        if of not in METER_VALUES or any(not part for part in parts):
            return None
        total += Fraction(sum(part for part in parts if part), of)
        finest = max(finest, of)
    return (int(total * finest), finest) if 1 <= total * finest <= 64 else None


def shortened(text: str) -> str:
    """What a file says, short enough for a message."""
    return text if len(text) <= 20 else f"{text[:20]}…"


def int_of(text: str | None) -> int | None:
    """A whole number of a size that scores have, None for anything else."""
    words = (text or "").strip()
    return int(words) if words.isascii() and words.isdigit() and len(words) <= 9 else None
