"""Groups, bars and meters in the lane: bracketing, counting how a group fits, changing the meter."""

from __future__ import annotations

from fractions import Fraction

from deft_reach.core.model.counting import comes_round, counted, group_fit
from deft_reach.core.model.elements import (
    BarLine,
    GroupClose,
    GroupOpen,
    Meter,
    Rest,
    Step,
    Tie,
)
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.session.lane_cursor import LaneCursor


def group(lane: LaneCursor, name: str = "") -> None:
    """Bracket the selection as a group."""
    low, high = lane.selection
    extents = lane.extents()
    if high <= low:
        lane.problem = "select the steps of the group first (Shift and arrows)"
        lane.changed.emit()
        return
    text = lane.session.text
    start, end = extents[low].start, extents[high - 1].end
    opening = f'("{name}" ' if name else "("
    lane.apply(f"{text[:start]}{opening}{text[start:end]}){text[end:]}", "Group")


def ungroup(lane: LaneCursor) -> None:
    """Take the brackets of the groups in the selection, or round the cursor, away."""
    pattern = lane.pattern
    if pattern is None or not pattern.moments:
        return
    low, high = lane.selection
    wanted = set(range(low, max(high, low + 1)))
    text = lane.session.text
    doors: list[tuple[int, int]] = []
    inside: set[int] = set()
    opened: GroupOpen | None = None
    number = 0
    for element in pattern.elements:
        if isinstance(element, GroupOpen):
            opened, inside = element, set()
        elif isinstance(element, GroupClose) and opened is not None:
            if inside & wanted:
                doors += [(opened.span.start, opened.span.end), (element.span.start, element.span.end)]
            opened = None
        elif isinstance(element, (Step, Rest)):
            inside.add(number)
            number += 1
    for start, end in sorted(doors, reverse=True):
        while text[start:end].startswith("(") and end < len(text) and text[end] == " ":
            end += 1
        text = text[:start] + text[end:]
    if doors:
        lane.apply(text, "Ungroup")


def group_words(lane: LaneCursor) -> str:
    """How the selection would sit in its bar as a group: how often, what is left, when it comes round."""
    pattern = lane.written
    low, high = lane.selection
    if pattern is None or high <= low:
        return ""
    last = pattern.moments[high - 1]
    length = last.start + last.length - pattern.moments[low].start
    return f"{high - low} steps: {fit_words(lane, length, low)}"


def fit_words(lane: LaneCursor, length: Fraction, at: int) -> str:
    """How often a figure of this length (whole notes) fits into the bar of a step, and what is left over."""
    pattern = lane.pattern
    if pattern is None or not length:
        return ""
    meter = pattern.meter
    if pattern.moments:
        meter = pattern.bar_at(pattern.moments[min(at, len(pattern.moments) - 1)].start).meter
    times, left = group_fit(length, Fraction(*meter))
    over = left / lane.grid_at(at).step
    round_after = comes_round(length, Fraction(1, meter[1])) * meter[1]
    beats = f"{round_after} beat{'s' if round_after != 1 else ''}"
    rest = f", {_count(over)} step{'s' if over != 1 else ''} left over" if left else " exactly"
    return f"fits {counted(times, 'time')} in a bar{rest}; on a beat again after {beats}"


def set_meter(lane: LaneCursor, meter: str) -> None:
    """A meter from the cursor's bar on, in place of one that begins there already."""
    pattern, text = lane.pattern, lane.session.text
    if pattern is None:
        return
    first = len(pattern.moments)
    if lane.at < first:
        bar = pattern.bar_at(pattern.moments[lane.at].start)
        first = next(k for k, m in enumerate(pattern.moments) if m.start >= bar.start)
    elif pattern.bar_rows and not _ended(pattern):
        lane.problem = "a meter begins with its bar: finish this one, or go back into it"
        lane.changed.emit()
        return
    place, line, number = 0, False, 0
    for element in pattern.elements:
        if isinstance(element, (Step, Rest)):
            if number == first:
                break
            number += 1
            place, line = element.span.end, False
        elif isinstance(element, Meter):
            if number == first:
                lane.splice(element.span.start, element.span.end, f"meter {meter}", f"Meter {meter}", None)
                return
        elif isinstance(element, (BarLine, GroupClose, Tie)):
            place, line = element.span.end, isinstance(element, BarLine)
    piece = f"meter {meter}" if first == 0 else f" meter {meter}" if line else f" | meter {meter}"
    lane.splice(place, place, piece + " " * (not text[place : place + 1].isspace()), f"Meter {meter}", None)


def _ended(pattern: Pattern) -> bool:
    """Whether the last bar is over."""
    bar = pattern.bar_rows[-1]
    written = [e for e in pattern.elements if isinstance(e, (Step, Rest, Tie, BarLine))]
    return bar.offset + bar.length >= Fraction(*bar.meter) or isinstance(written[-1], BarLine)


def _count(value: Fraction) -> str:
    return str(value.numerator) if value.denominator == 1 else f"{float(value):.2f}"
