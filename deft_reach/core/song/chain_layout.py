"""Laying the parts of a song out as one pattern: which strokes give way, bars, and tempi that change."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from fractions import Fraction
from typing import NamedTuple

from deft_reach.core.model.limbs import HAT_FOOT, SECOND_KICK
from deft_reach.core.model.pattern import Bar, Group, Moment, Pattern, Stroke, lead_beat
from deft_reach.core.model.ticks import Ticks
from deft_reach.core.song.parts import Part


class _Laid(NamedTuple):
    """A stroke on its way into the chain: when (in the finest part there is), its part, its number there, itself."""

    start: int
    part: int
    own: int
    stroke: Stroke


def _body_of(limb: str) -> str:
    """Second bass pedal and hi-hat pedal are one foot's."""
    return HAT_FOOT if limb == SECOND_KICK else limb


def lay_out(parts: Sequence[Part], repeat: bool) -> tuple[Pattern, tuple[tuple[int, int], ...]]:
    """All strokes and steps in the order of time, as they are counted; and where each stroke comes from."""
    total = sum((part.body for part in parts), Fraction(0))
    lead_in = Fraction(0) if repeat else parts[0].head
    taken = _Taken(parts, total, repeat)
    # Exact fractions are slow to add and compare: places are counted in the finest part there is.
    fine = math.lcm(total.denominator, lead_in.denominator)
    for pattern in {id(part.pattern): part.pattern for part in parts}.values():
        fine = math.lcm(fine, *{moment.start.denominator for moment in pattern.moments})
    for part in parts:
        fine = math.lcm(fine, part.start.denominator, part.head.denominator)
    ticks: dict[int, list[int]] = {}
    laid: list[_Laid] = []
    steps: dict[int, tuple[Fraction, Moment, int]] = {}
    groups: list[Group] = []
    first_group: list[int] = []
    whole = int(total * fine)
    for k, part in enumerate(parts):
        shift = part.start - part.head + lead_in
        first_group.append(len(groups))
        groups += [g._replace(start=g.start + shift) for g in part.pattern.groups]
        own_ticks = ticks.get(id(part.pattern))
        if own_ticks is None:
            own_ticks = [m.start.numerator * (fine // m.start.denominator) for m in part.pattern.moments]
            ticks[id(part.pattern)] = own_ticks
        low, high = int(part.head * fine), int((part.head + part.body) * fine)
        by = int(shift * fine)
        for moment, tick in zip(part.pattern.moments, own_ticks):
            own = low <= tick < high
            start = (tick + by) % whole if repeat else tick + by
            kept: Sequence[int] = moment.strokes
            if kept and taken:
                gone = taken.limbs(Fraction(tick + by, fine) - lead_in, k)
                if gone:
                    kept = [i for i in kept if _body_of(part.pattern.strokes[i].limb) not in gone]
            if not own and not moment.strokes:
                continue
            laid += [_Laid(start, k, i, part.pattern.strokes[i]) for i in kept]
            if own or start not in steps:
                steps[start] = (moment.length, moment, k)
    laid.sort(key=_order)
    bars = _bars(parts, lead_in, repeat)
    return _pattern(parts, laid, steps, groups, first_group, bars, lead_in, total, repeat, fine)


def _order(row: _Laid) -> tuple[int, int]:
    return row.start, row.part


def _limbs(strokes: Iterable[Stroke]) -> frozenset[str]:
    return frozenset(_body_of(s.limb) for s in strokes)


class _Taken:
    """Which limbs are busy with a pickup or a landing of another part, by time."""

    def __init__(self, parts: Sequence[Part], total: Fraction, repeat: bool) -> None:
        #: (part, from, to, limbs)
        self._rows: list[tuple[int, Fraction, Fraction, frozenset[str]]] = []
        for k, part in enumerate(parts):
            if part.head and (k or repeat):
                limbs = _limbs(s for s in part.pattern.strokes if s.start < part.head)
                self._add(k, part.start - part.head, part.start, limbs, total if repeat else None)
            if part.tail and (k < len(parts) - 1 or repeat):
                begin = part.start + part.body
                limbs = _limbs(s for s in part.pattern.strokes if s.start >= part.head + part.body)
                self._add(k, begin, begin + part.tail, limbs, total if repeat else None)

    def _add(self, part: int, start: Fraction, end: Fraction, limbs: frozenset[str], total: Fraction | None) -> None:
        for by in (0, total, -total) if total is not None else (0,):
            self._rows.append((part, start + by, end + by, limbs))

    def __bool__(self) -> bool:
        return bool(self._rows)

    def limbs(self, at: Fraction, part: int) -> frozenset[str]:
        found: frozenset[str] = frozenset()
        for own, start, end, limbs in self._rows:
            if own != part and start <= at < end:
                found |= limbs
        return found


def _bars(parts: Sequence[Part], lead_in: Fraction, repeat: bool) -> list[Bar]:
    """Every bar of the chain, numbered through; a pickup before the first is bar 0."""
    found: list[Bar] = []
    first = parts[0]
    if lead_in:
        bar = first.pattern.bar_rows[0]
        found.append(bar._replace(number=0, start=Fraction(0)))
    number = 0
    for k, part in enumerate(parts):
        for bar in part.pattern.bar_rows:
            inside = part.head <= bar.start < part.head + part.body
            over = k == len(parts) - 1 and not repeat and part.tail and bar.start >= part.head + part.body
            if not (inside or over):
                continue
            number += 1
            offset = bar.offset if bar.start or not part.head else Fraction(0)
            if part.pattern.pickup and not part.head and bar.start == 0:
                # A short bar that stands for itself.
                offset = Fraction(0)
            meter = bar.meter
            if bar.length < Fraction(*bar.meter) and inside:
                meter = _meter(bar.length) or bar.meter
            found.append(Bar(number, bar.start - part.head + part.start + lead_in, bar.length, meter, offset))
    return found


def _meter(length: Fraction) -> tuple[int, int] | None:
    """A meter that a bar of this length can be counted in, quarters if they do."""
    for value in (4, 8, 16, 32):
        beats = length * value
        if beats.denominator == 1:
            return int(beats), value
    return None


def _pattern(
    parts: Sequence[Part],
    laid: Sequence[_Laid],
    steps: dict[int, tuple[Fraction, Moment, int]],
    groups: list[Group],
    first_group: Sequence[int],
    bars: Sequence[Bar],
    lead_in: Fraction,
    total: Fraction,
    repeat: bool,
    fine: int,
) -> tuple[Pattern, tuple[tuple[int, int], ...]]:
    # Long: strokes, moments, groups and bars share their numbering.
    last = parts[-1]
    length = total + lead_in + (Fraction(0) if repeat else last.tail)
    for row in laid:
        if row.start not in steps:
            steps[row.start] = (row.stroke.length, parts[row.part].pattern.moments[row.stroke.moment], row.part)
    times = sorted(steps)
    strokes: list[Stroke] = []
    moments: list[Moment] = []
    origin: list[tuple[int, int]] = []
    at, bar = 0, 0
    begins = [int(bar.start * fine) for bar in bars]
    end = int(length * fine)
    for number, tick in enumerate(times):
        while bar + 1 < len(bars) and begins[bar + 1] <= tick:
            bar += 1
        own_length, model, part = steps[tick]
        beat, on_beat = model.beat, model.on_beat
        here, source = bars[bar], parts[part]
        start = Fraction(tick, fine)
        if source.head or source.tail or source.pattern.pickup:
            # What lies over another part is counted in that one's bars.
            into = here.offset + start - here.start
            beat, on_beat = 1 + into * here.meter[1], into % lead_beat(here.meter) == 0
        after = times[number + 1] if number + 1 < len(times) else end
        first = len(strokes)
        while at < len(laid) and laid[at].start == tick:
            one = laid[at].stroke
            group = one.group if one.group < 0 else one.group + first_group[laid[at].part]
            strokes.append(
                Stroke(
                    len(strokes), start, one.length, here.number, beat, one.limb, one.voice, one.marks, one.grace,
                    number, group, one.span, one.grace_voice, one.grace_marks,
                    one.shift,
                )
            )  # fmt: skip
            origin.append((laid[at].part, laid[at].own))
            at += 1
        room = (
            Fraction(after - tick, fine)
            if own_length.numerator * fine > (after - tick) * own_length.denominator
            else own_length
        )
        moments.append(Moment(start, room, tuple(range(first, len(strokes))), model.span, beat, on_beat))
    name = "\n".join(f"{p.plan.id} {p.tempo:g} {p.start} {p.pattern.text}" for p in parts if p.round == 0)
    name += f"\n{len(parts)} {repeat}"
    finest = max(part.pattern.finest for part in parts)
    pattern = Pattern(
        (), name, bars[0].meter if bars else (4, 4), None, length, lead_in, tuple(strokes), tuple(groups),
        tuple(moments), tuple(bars), (), finest,
    )  # fmt: skip
    return pattern, tuple(origin)


def _warp(nominal: Pattern, parts: Sequence[Part], repeat: bool) -> Pattern:
    """The pattern in the first section's time: slower sections take longer in it, faster ones less long."""
    if len({part.tempo for part in parts}) < 2:
        return nominal
    lead_in = nominal.pickup
    first = Fraction(parts[0].tempo).limit_denominator(1000)
    factors = [first / Fraction(part.tempo).limit_denominator(1000) for part in parts]
    rows = [(m.start, m.length) for m in nominal.moments]
    rows += [(b.start, b.length) for b in nominal.bar_rows]
    rows += [(g.start, g.length) for g in nominal.groups]
    rows += [(part.start, part.body) for part in parts]
    # Ticks of written times; played ones are finer, as the tempi say.
    ticks = Ticks([lead_in, *(x for row in rows for x in row)])
    slope_of = Ticks(factors)

    early = ticks(lead_in)
    begins = [ticks(part.start) + early for part in parts]
    slopes = [slope_of(factor) for factor in factors]
    warped = [early * slope_of.parts]
    for part, slope in zip(parts, slopes):
        warped.append(warped[-1] + ticks(part.body) * slope)

    known: dict[int, Fraction] = {}

    def played(time: int) -> Fraction:
        found = known.get(time)
        if found is None:
            at = max(0, bisect_right(begins, time) - 1)
            place = time * slope_of.parts if time < early else warped[at] + (time - begins[at]) * slopes[at]
            found = known[time] = Fraction(place, ticks.parts * slope_of.parts)
        return found

    def at(start: Fraction, length: Fraction) -> tuple[Fraction, Fraction]:
        begin = ticks(start)
        found = played(begin)
        return found, played(begin + ticks(length)) - found

    times = [at(m.start, m.length) for m in nominal.moments]
    moments = tuple(m._replace(start=start, length=length) for m, (start, length) in zip(nominal.moments, times))
    # A stroke begins and lasts as its moment does.
    strokes = tuple(s._replace(start=times[s.moment][0], length=times[s.moment][1]) for s in nominal.strokes)
    bars = []
    for bar in nominal.bar_rows:
        start, length = at(bar.start, bar.length)
        stretch = length / bar.length if bar.length else bar.stretch
        bars.append(bar._replace(start=start, length=length, stretch=stretch))
    groups = []
    for group in nominal.groups:
        start, length = at(group.start, group.length)
        groups.append(group._replace(start=start, length=length))
    end = parts[-1].start + parts[-1].body + lead_in
    whole = played(ticks(end)) + (nominal.length - end) * factors[-1]
    return Pattern(
        (), nominal.text, nominal.meter, None, whole, nominal.pickup, strokes, tuple(groups), moments, tuple(bars),
        (), nominal.finest,
    )  # fmt: skip
