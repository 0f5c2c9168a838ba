"""Where one section of a song meets the next: what happens there, and what of the pulse carries on."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import product
from typing import Final, NamedTuple

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.finding import Finding, Severity, caution_if, worst
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.counting import in_bar, place
from deft_reach.core.model.derived import newest
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import FEET, HANDS, HAT_FOOT, NAMES
from deft_reach.core.model.message import Length, Message, message
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.song.parts import Chain, Part
from deft_reach.core.song.pulse import Pulse, pulse_between

#: A hand that comes further than this (mm) into a section has been far away.
FAR_MM: Final = 250.0
#: An entry at this pace or more deserves a thought where the section alone has it easier.
BUSY: Final = 0.6
#: What is hurried more than this where sections meet is always said.
HURRIED: Final = 0.85
#: How far before and after a meeting counts as there (whole notes): a quarter note.
NEAR: Final = Fraction(1, 4)
#: A landing's foot comes out of so many foot strokes in a row, at least.
FEET_IN_A_ROW: Final = 3


def _severity(pace: float) -> Severity:
    """How serious a pace is where two sections meet."""
    return Severity.STOP if pace > 1 else caution_if(pace > HURRIED)


class SeamNote(NamedTuple):
    """One thing that happens where two sections meet; ``strokes`` are the chain's."""

    kind: str
    severity: Severity
    strokes: tuple[int, ...]
    said: Message

    @property
    def message(self) -> str:
        """What happens, in English and millimetres."""
        return str(self.said)


@dataclass(frozen=True)
class Seam:
    """Where one part meets the next: their numbers in the chain, what happens, and what of the pulse carries on."""

    before: int
    after: int
    start: Fraction
    notes: tuple[SeamNote, ...]
    pulse: Pulse

    @property
    def worst(self) -> Severity | None:
        """The highest severity among the notes, None where there is nothing to say."""
        return worst(note.severity for note in self.notes)


def alone(chain: Chain, part: Part) -> Report:
    """A part's plan by itself, at the tempo and on the kit it has in the chain."""
    return _alone(part.pattern, chain.kit, chain.player, part.tempo, part.plan.repeat, part.plan.weights)


# Only the newest is kept: while a drum moves there would be thousands.
@newest
def _alone(pattern: Pattern, kit: Kit, player: Player, tempo: float, repeat: bool, weights: Weights) -> Report:
    return analyse(pattern, kit, player, tempo, repeat=repeat, weights=weights)


def seams_of(chain: Chain, report: Report) -> Iterator[Seam]:
    """Every seam of a song between different sections, and in a loop the one from its end to its beginning."""
    parts = chain.parts
    rows = list(range(len(parts) - 1))
    if chain.repeat and len({part.section for part in parts}) > 1:
        rows.append(len(parts) - 1)
    first_of, last_of = _edges(chain)
    across: dict[tuple[int, int], list[Finding]] = {}
    for finding in report.findings:
        if finding.severity is Severity.STOP:
            parts_of = sorted({chain.origin[i][0] for i in finding.strokes})
            for pair in product(parts_of, parts_of):
                across.setdefault(pair, []).append(finding)
    for before in rows:
        after = (before + 1) % len(parts)
        if parts[before].section == parts[after].section:
            continue
        meeting = _Meeting(chain, report, before, after, first_of, last_of, across.get((before, after), ()))
        start = chain.pattern.strokes[first_of[after]].start if after in first_of else Fraction(0)
        pulse = pulse_between(chain, before, after)
        yield Seam(before, after, start, tuple(meeting.notes()), pulse)


def near_seam(chain: Chain, first: int | None) -> list[int]:
    """The strokes from a quarter before a part's first stroke to a quarter after it."""
    if first is None:
        return []
    starts, length = chain.pattern.starts, float(chain.pattern.length)
    begin, near = starts[first], float(NEAR)
    found: list[int] = []
    # Round again, what comes before the beginning is the end, and the other way round.
    for turn in (-length, 0.0, length) if chain.repeat and length > 2 * near else (0.0,):
        low = bisect_left(starts, begin + turn - near - 1e-9)
        found += range(low, bisect_left(starts, begin + turn + near - 1e-9))
    if chain.repeat and length <= 2 * near:
        found = list(range(len(starts)))
    return found


def _edges(chain: Chain) -> tuple[dict[int, int], dict[int, int]]:
    """Every part's first and last stroke in the chain, in the part's own order."""
    first: dict[int, tuple[int, int]] = {}
    last: dict[int, tuple[int, int]] = {}
    for index, (part, own) in enumerate(chain.origin):
        if part not in first or own < first[part][0]:
            first[part] = (own, index)
        if part not in last or own > last[part][0]:
            last[part] = (own, index)
    return {k: v[1] for k, v in first.items()}, {k: v[1] for k, v in last.items()}


class _Meeting:
    """The end of one part and the beginning of the next."""

    def __init__(
        self, chain: Chain, report: Report, before: int, after: int, first: dict[int, int], last: dict[int, int],
        across: Sequence[Finding],
    ) -> None:  # fmt: skip
        self.across = across
        self.chain, self.report = chain, report
        self.a, self.b = chain.parts[before], chain.parts[after]
        self.at, self.number = first.get(after), after
        self.before = before
        self.first_before, self.last_after = first.get(before, 0), last.get(after, 0)
        self.kit = chain.kit

    def notes(self) -> Iterator[SeamNote]:
        if self.at is None:
            return
        said = [*self._hands(), *self._feet()]
        yield from said
        yield from self._hurried(said)
        yield from self._stops()
        yield from self._hat()
        yield from self._lead()

    def _hurried(self, said: Sequence[SeamNote]) -> Iterator[SeamNote]:
        """The most hurried stroke here, where no other note has said it."""
        rows = [(self.report.strokes[i].pace or 0.0, i) for i in near_seam(self.chain, self.at)]
        pace, index = max(rows, default=(0.0, 0))
        if pace <= HURRIED or any(index in note.strokes for note in said):
            return
        part, own = self.chain.origin[index]
        mine = self.chain.parts[part]
        by_itself = alone(self.chain, mine).strokes[own].pace or 0.0
        stroke = self.report.strokes[index]
        where = in_bar(stroke.bar, stroke.beat)
        other = (
            message(" {plan} alone is as hurried there.", plan=mine.plan.name)
            if by_itself > pace - 0.02
            else message(" In {plan} alone it is {pace:.2f}.", plan=mine.plan.name, pace=by_itself)
        )
        yield SeamNote(
            "hurried", _severity(pace), (index,),
            message(
                "The {limb} on the {voice} ({where}) has {gap:.0f} ms and needs {needed:.0f} ms: pace {pace:.2f}."
                "{other}",
                limb=NAMES[stroke.limb], voice=voice_name(self.kit, stroke.voice), where=where,
                gap=(stroke.gap or 0.0) * 1000, needed=stroke.needed * 1000, pace=pace, other=other,
            ),
        )  # fmt: skip

    def _stops(self) -> Iterator[SeamNote]:
        """What cannot be done across the two."""
        for finding in self.across:
            yield SeamNote(finding.kind, Severity.STOP, finding.strokes, finding.said)

    def _own(self, index: int) -> int:
        return self.chain.origin[index][1]

    def _entering(self) -> Iterator[int]:
        """The first strokes of the limbs in the new part: within two beats of its beginning."""
        assert self.at is not None
        strokes = self.chain.pattern.strokes
        seen: set[str] = set()
        begin = strokes[self.at].start
        count = len(strokes)
        for step in range(count):
            index = (self.at + step) % count
            stroke = strokes[index]
            gone = stroke.start - begin if stroke.start >= begin else stroke.start - begin + self.chain.pattern.length
            if gone > Fraction(1, 2) or len(seen) > 4:
                return
            if self.chain.origin[index][0] == self.number and stroke.limb not in seen:
                seen.add(stroke.limb)
                yield index

    def _hands(self) -> Iterator[SeamNote]:
        """A hand that has just been far away, or is hurried here and not in the plan alone."""
        alone_strokes = alone(self.chain, self.b).strokes
        for index in self._entering():
            stroke = self.report.strokes[index]
            if stroke.limb not in HANDS or stroke.pace is None or stroke.gap is None:
                continue
            own = alone_strokes[self._own(index)].pace or 0.0
            harder = stroke.pace > own + 0.02
            far = stroke.travel_mm > FAR_MM and stroke.pace >= BUSY
            if not harder or not (far or stroke.pace > 0.85):
                continue
            came = f" from the {voice_name(self.kit, stroke.came_from)}" if stroke.came_from else ""
            how = (
                message("{far}{came}", far=Length(stroke.travel_mm), came=came)
                if stroke.travel_mm
                else message("from where it is")
            )
            yield SeamNote(
                "far-hand", _severity(stroke.pace), (index,),
                message(
                    "Into {plan} the {limb} comes {how} to the {voice} on {place}: it has {gap:.0f} ms and needs "
                    "{needed:.0f} ms.",
                    plan=self.b.plan.name, limb=NAMES[stroke.limb], how=how, voice=voice_name(self.kit, stroke.voice),
                    place=place(stroke.beat), gap=stroke.gap * 1000, needed=stroke.needed * 1000,
                ),
            )  # fmt: skip

    def _feet(self) -> Iterator[SeamNote]:
        """A foot that lands after a run of feet."""
        assert self.at is not None
        strokes, events = self.chain.pattern.strokes, self.chain.pattern.events
        first = next((i for i in self._entering() if strokes[i].limb in FEET), None)
        if first is None:
            return
        number = bisect_left(self.chain.pattern.event_starts, self.chain.pattern.starts[first])
        run: list[int] = []
        k = number - 1
        while (k >= 0 or self.chain.repeat) and len(run) < 32 and number - k <= len(events):
            event = events[k % len(events)]
            if not event.feet or event.hands:
                break
            run.append(event.feet[0].index)
            k -= 1
        if len(run) < FEET_IN_A_ROW or not events[number].hands:
            return
        paces = [p for i in (*run, first) if (p := self.report.strokes[i].pace) is not None]
        pace = max(paces, default=0.0)
        yield SeamNote(
            "exit-run", _severity(pace), (*reversed(run), first),
            message(
                "{before} ends with {count} foot strokes in a row, and the foot has to land {after} with the hands: "
                "pace {pace:.2f}.",
                before=self.a.plan.name, count=len(run), after=self.b.plan.name, pace=pace,
            ),
        )  # fmt: skip

    def _hat(self) -> Iterator[SeamNote]:
        """The hi-hat left open."""
        hat = self.kit.of_kind("hi-hat")
        if hat is None or self.at is None:
            return
        strokes = self.chain.pattern.strokes
        voices = (hat.code, f"{hat.code}:foot", f"{hat.code}:edge", f"{hat.code}:bell")
        count = len(strokes)
        order = ((self.at - 1 - k) % count for k in range(count if self.chain.repeat else self.at))
        last = next((i for i in order if strokes[i].voice in voices), None)
        if last is None or strokes[last].limb == HAT_FOOT or "o" not in strokes[last].marks:
            return
        coming = ((self.at + k) % count for k in range(count if self.chain.repeat else count - self.at))
        closing = next((i for i in coming if strokes[i].voice in voices), None)
        when = strokes[self.at].start
        soon = closing is not None and abs(strokes[closing].start - when) < Fraction(1, 8)
        if soon:
            return
        until = "nothing closes it" if closing is None else f"it sounds until bar {strokes[closing].bar}"
        yield SeamNote(
            "open-hat", Severity.NOTE, (last,),
            message(
                "The hi-hat is left open when {plan} begins, and {until}: close it with the foot.",
                plan=self.b.plan.name, until=until,
            ),
        )  # fmt: skip

    def _lead(self) -> Iterator[SeamNote]:
        """A lead that flips."""
        lead = self.report.lead
        strokes = self.chain.pattern.strokes
        # A part's strokes lie together but for what reaches over its neighbours.
        low, high = (bisect_left(lead, at) for at in (self.first_before, self.last_after + 1))
        near = lead[low:high] if low < high else (*lead[low:], *lead[:high])
        mine = [i for i in near if self.chain.origin[i][0] == self.number]
        earlier = [i for i in near if self.chain.origin[i][0] == self.before]
        if not mine or len(earlier) < 2:
            return
        now = strokes[mine[0]].limb
        was = [strokes[i].limb for i in earlier[-4:]]
        if any(limb == now for limb in was):
            return
        # What a landing covers of the part is there all the same.
        first = next((e.hands for e in self.b.pattern.events if e.hands), ())
        begins = {stroke.limb for stroke in first} == {now}
        said = "The lead flips: {before} is led by the {led}, {after} by the {leads}."
        if begins:
            said = "The lead flips: {before} is led by the {led}, {after} begins with the {leads}."
        own = alone(self.chain, self.b)
        led = [own.pattern.strokes[i].limb for i in own.lead]
        if begins or 2 * led.count(now) > len(led) > 1:
            yield SeamNote(
                "lead-flip", Severity.NOTE, (mine[0],),
                message(
                    said,
                    before=self.a.plan.name, led=NAMES.get(was[-1], was[-1]), after=self.b.plan.name,
                    leads=NAMES.get(now, now),
                ),
            )  # fmt: skip
