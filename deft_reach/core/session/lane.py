"""Writing strokes by keys: a cursor among the steps of a plan, and what each key does there.

The cursor stands on a step or after the last one. Typed limbs take the place of the step under it and move on, or are
put in before it while ``inserting``; marks, graces, voices and ``+`` then belong to what was just typed. Every change
is made in the stroke text, and only where it has to be.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Final, NamedTuple

from deft_reach.core.document import read_unfinished
from deft_reach.core.model.counting import comes_round, group_fit
from deft_reach.core.model.limbs import EITHER, HANDS
from deft_reach.core.model.pattern import (
    GRACES,
    MARKS,
    BarLine,
    Element,
    Grid,
    GroupClose,
    GroupOpen,
    Meter,
    Pattern,
    Rest,
    Step,
    Strike,
    Tie,
)
from deft_reach.core.notation.stroke_text import StrokeTextError, parse, write, write_strike
from deft_reach.core.notation.swing import straight
from deft_reach.core.session import Session
from deft_reach.core.session.signals import Signal

LIMB_KEYS: Final = {"r": "R", "l": "L", "k": "K", "j": "J", "h": "H", "?": "?"}
_EMPTY_GROUP: Final = re.compile(r'\(\s*("[^"\n]*")?\s*\)')
#: Edits that follow each other quickly are one undo step.
_MERGE: Final = "lane"


class Extent(NamedTuple):
    """A step in the text: where it begins, where its own letters end, and where what prolongs it ends."""

    start: int
    own_end: int
    end: int
    element: Step | Rest


class Lane:
    """The cursor. ``changed`` says that it, the selection, or what is half typed is different."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.changed = Signal()
        self.at = 0
        self.anchor: int | None = None
        self.pending = ""
        self.typed: int | None = None
        self.inserting = False
        self.problem = ""
        self._moving = False
        self._late = False
        self._plan = ""
        session.selected.connect(self._follow)
        session.verdict.connect(self._clamp)
        session.typed.connect(self._clamp)
        self._clamp()

    # --- what there is ----------------------------------------------------------------------------------------

    @property
    def pattern(self) -> Pattern | None:
        return self.session.pattern()

    @property
    def written(self) -> Pattern | None:
        """The pattern as it is written, without its swing: lengths are counted in it."""
        pattern = self.pattern
        return None if pattern is None else straight(pattern)

    @property
    def steps(self) -> int:
        pattern = self.pattern
        return 0 if pattern is None else len(pattern.moments)

    @property
    def selection(self) -> tuple[int, int]:
        """First selected step and the one after the last; an empty range where nothing is selected."""
        if self.anchor is None:
            return self.at, self.at
        return min(self.at, self.anchor), max(self.at, self.anchor)

    def extents(self) -> list[Extent]:
        """Every step's place in the text."""
        pattern = self.pattern
        found: list[Extent] = []
        if pattern is None:
            return found
        open_step = False
        for element in pattern.elements:
            if isinstance(element, (Step, Rest)):
                found.append(Extent(element.span.start, element.span.end, element.span.end, element))
                open_step = True
            elif isinstance(element, Tie) and open_step:
                found[-1] = found[-1]._replace(end=element.span.end)
            else:
                open_step = False
        return found

    def grid_at(self, step: int) -> Grid:
        """The grid in force just before a step."""
        pattern = self.pattern
        grid, number = Grid(16), 0
        for element in pattern.elements if pattern is not None else ():
            if isinstance(element, Grid):
                grid = element
            elif isinstance(element, (Step, Rest)):
                if number == step:
                    break
                number += 1
        return grid

    # --- moving -----------------------------------------------------------------------------------------------

    def go(self, step: int, extend: bool = False) -> None:
        """Put the cursor on a step; ``extend`` selects from where it was."""
        self.finish_pending()
        if extend and self.anchor is None:
            self.anchor = self.at
        elif not extend:
            self.anchor = None
        self.at = max(0, min(step, self.steps))
        self.typed = None
        self._show()

    def move(self, by: int, extend: bool = False) -> None:
        self.go(self.at + by, extend)

    def move_beat(self, by: int, extend: bool = False) -> None:
        """To the step on or after the next beat, or on or before the last one."""
        pattern = self.pattern
        if pattern is None or not pattern.moments:
            return
        starts = [m.start for m in pattern.moments]
        now = starts[self.at] if self.at < len(starts) else pattern.length
        bar = pattern.bar_at(min(now, starts[-1]))
        beat = Fraction(1, bar.meter[1])
        if by > 0:
            target = (now // beat + 1) * beat
            self.go(next((k for k, s in enumerate(starts) if s >= target), len(starts)), extend)
        else:
            target = (-(-now // beat) - 1) * beat
            self.go(max((k for k, s in enumerate(starts) if s <= target), default=0), extend)

    def select_all(self) -> None:
        self.anchor, self.at = 0, self.steps
        self._show()

    def _show(self) -> None:
        """Let everything else select the stroke under the cursor; while keys are typed, once they rest."""
        if self.session.behind:
            self._late = True
            self.changed.emit()
            return
        pattern = self.pattern
        if pattern is not None and self.at < len(pattern.moments):
            strokes = pattern.moments[self.at].strokes
            if strokes and self.session.stroke not in strokes:
                self._moving = True
                self.session.select_stroke(strokes[0])
                self._moving = False
        self.changed.emit()

    def _follow(self) -> None:
        """A stroke chosen elsewhere takes the cursor along."""
        pattern, stroke = self.pattern, self.session.stroke
        if self._moving or pattern is None or stroke is None or stroke >= len(pattern.strokes):
            return
        moment = next((k for k, m in enumerate(pattern.moments) if stroke in m.strokes), None)
        if moment is not None and moment != self.at:
            self.at, self.anchor, self.typed = moment, None, None
            self.changed.emit()

    def _clamp(self) -> None:
        plan = self.session.plan
        if plan is not None and plan.id != self._plan:
            # Another plan: the cursor goes where that one is looked at.
            self._plan = plan.id
            self.at, self.anchor, self.typed, self.pending = 0, None, None, ""
            self._follow()
        if self._late and not self.session.behind:
            self._late = False
            self._show()
        if self.pattern is not None:
            self.at = min(self.at, self.steps)
            if self.anchor is not None:
                self.anchor = min(self.anchor, self.steps)
            if self.typed is not None and self.typed >= self.steps:
                self.typed = None
        self.changed.emit()

    # --- typing -----------------------------------------------------------------------------------------------

    def type(self, char: str) -> bool:
        """Act on a typed character; True if it meant something here."""
        self.problem = ""
        if self.pattern is None:
            self.problem = "the text cannot be read at the moment: mend it above first"
            self.changed.emit()
            return True
        if (
            (self.pending.startswith("/") and (char.isdigit() or char in "t:/"))
            or (self.pending.startswith("@") and (char.islower() or char.isdigit() or char == ":"))
            or (self.pending.startswith("m") and (char.isdigit() or char == "/"))
        ):
            self.pending += char
        elif self.pending and char in " \r\n":
            self.finish_pending()
        else:
            if self.pending[:1] in ("/", "@", "m"):
                self.finish_pending()
            if not self._letter(char):
                return False
        self.changed.emit()
        return True

    def _letter(self, char: str) -> bool:
        limb = LIMB_KEYS.get(char.lower())
        if limb is not None:
            self._strike(limb)
        elif char in GRACES:
            self.pending = ("+" if self.pending.startswith("+") else "") + char
        elif char in ("+", "@"):
            if self._target() is None:
                self.problem = f"type a stroke first, then {char}"
            else:
                self.pending = char
        elif char in ("/", "m"):
            self.pending = char
        elif char in MARKS:
            self._mark(char)
        elif char == "-":
            self._put("-")
        elif char == "=":
            self._tie()
        elif char == "|":
            self._bar_line()
        elif char in ("(", "g"):
            self.group()
        elif char in (")", "G"):
            self.ungroup()
        elif char == "t":
            self._other_hand()
        else:
            return False
        return True

    def finish_pending(self) -> None:
        """Carry out what is half typed: a grid, a meter, or a voice."""
        pending, self.pending = self.pending, ""
        if pending.startswith("/") and len(pending) > 1:
            self.set_grid(pending)
        elif pending.startswith("m") and len(pending) > 1:
            self.set_meter(pending[1:])
        elif pending.startswith("@") and len(pending) > 1:
            self._voice(pending[1:])

    def _target(self) -> int | None:
        """The step that marks belong to: the one just typed, or the one under the cursor."""
        if self.typed is not None:
            return self.typed
        return self.at if self.at < self.steps else None

    def _strike(self, limb: str) -> None:
        pending, self.pending = self.pending, ""
        grace = pending.lstrip("+")
        hand = limb in (*HANDS, EITHER)
        if grace and not hand:
            self.problem = f"a {GRACES[grace]} is played before a hand's stroke"
            return
        if pending.startswith("+"):
            target = self._target()
            if target is not None:
                extent = self.extents()[target]
                if isinstance(extent.element, Step):
                    self._splice(extent.own_end, extent.own_end, f"+{grace}{limb}", f"{limb} together")
                    return
        extents = self.extents()
        if self.at < len(extents) and not self.inserting:
            extent = extents[self.at]
            text = f"{grace}{limb}"
            if isinstance(extent.element, Step) and len(extent.element.strikes) == 1:
                old = extent.element.strikes[0]
                same = (old.limb in (*HANDS, EITHER)) == hand
                strike = replace(old, limb=limb, voice=old.voice if same else None)
                text = write_strike(replace(strike, grace=grace or (old.grace if hand else "")))
            if self._splice(extent.start, extent.own_end, text, f"Stroke to {limb}"):
                self.typed, self.at, self.anchor = self.at, self.at + 1, None
                self._show()
            return
        self._put(f"{grace}{limb}")

    def _put(self, token: str) -> None:
        """A new step at the cursor; a rest takes the place of the step under it, as limbs do."""
        extents = self.extents()
        if self.at < len(extents) and not self.inserting:
            extent = extents[self.at]
            done = self._splice(extent.start, extent.own_end, token, "Typing strokes")
        else:
            done = self._insert(token, "Typing strokes")
        if done:
            self.typed, self.at, self.anchor = self.at, self.at + 1, None
            self._show()

    def _insert(self, token: str, label: str, merge: str | None = _MERGE) -> bool:
        """Put text in before the step under the cursor, or at the end."""
        extents = self.extents()
        if self.at < len(extents):
            place = extents[self.at].start
            return self._splice(place, place, token + " ", label, merge)
        place = self._end()
        text = self.session.text
        before = " " if place > 0 and text[place - 1] not in " \n(" else ""
        return self._splice(place, place, before + token, label, merge)

    def _end(self) -> int:
        """Where a new step goes at the end: before trailing remarks and blank lines."""
        pattern = self.pattern
        last = 0
        for element in pattern.elements if pattern is not None else ():
            if type(element).__name__ not in ("LineBreak", "Comment"):
                last = element.span.end
        return last if last else (len(self.session.text) if pattern is not None and pattern.elements else 0)

    def _tie(self) -> None:
        extents = self.extents()
        if self.at == 0 or not extents:
            self.problem = "there is nothing before it to hold"
            return
        extent = extents[self.at - 1]
        self._splice(extent.end, extent.end, " =", "Hold")

    def _bar_line(self) -> None:
        self._insert("|", "Bar line")

    def _mark(self, mark: str) -> None:
        target = self._target()
        pattern = self.pattern
        if target is None or pattern is None or not pattern.moments[target].strokes:
            self.problem = f"{MARKS[mark]}: no stroke here"
            return
        self.session.toggle_mark(pattern.moments[target].strokes[-1], mark)

    def _voice(self, voice: str) -> None:
        target = self._target()
        extents = self.extents()
        if target is None or target >= len(extents) or not isinstance(extents[target].element, Step):
            return
        element = extents[target].element
        assert isinstance(element, Step)
        strike: Strike = element.strikes[-1]
        text = write_strike(replace(strike, voice=voice))
        self._splice(strike.span.start, strike.span.end, text, f"Stroke to {voice}")

    def _other_hand(self) -> None:
        target = self._target()
        pattern = self.pattern
        if target is not None and pattern is not None and pattern.moments[target].strokes:
            self.session.other_hand(pattern.moments[target].strokes[0])

    # --- stretches of steps -----------------------------------------------------------------------------------

    def delete(self) -> None:
        """Take away the selection, or the step under the cursor."""
        low, high = self.selection
        self._remove(low, high if high > low else low + 1)

    def backspace(self) -> None:
        """Take back what is half typed, the selection, or the step before the cursor."""
        if self.pending:
            self.pending = self.pending[:-1]
            self.changed.emit()
            return
        low, high = self.selection
        if high > low:
            self._remove(low, high)
        elif low > 0:
            self._remove(low - 1, low)

    def _remove(self, low: int, high: int) -> None:
        extents = self.extents()
        if low >= len(extents):
            return
        text = self.session.text
        for extent in reversed(extents[low:high]):
            end = extent.end
            if end < len(text) and text[end] == " ":
                end += 1
            text = text[: extent.start] + text[end:]
        text = _EMPTY_GROUP.sub("", text)
        if self._apply(text, "Delete" if high - low == 1 else f"Delete {high - low} steps"):
            self.at, self.anchor, self.typed = low, None, None
            self._show()

    def copy(self) -> str:
        """The selection as stroke text that begins with its grid; empty where nothing is selected."""
        low, high = self.selection
        extents, pattern = self.extents(), self.pattern
        if low >= high or pattern is None:
            return ""
        start, end = extents[low].start, extents[high - 1].end
        inside: list[Element] = [self.grid_at(low)]
        opened: list[int] = []
        for element in pattern.elements:
            if not start <= element.span.start < end:
                continue
            if isinstance(element, (Step, Rest, Tie, Grid)):
                inside.append(element)
            elif isinstance(element, GroupOpen):
                opened.append(len(inside))
                inside.append(element)
            elif isinstance(element, GroupClose) and opened:
                opened.pop()
                inside.append(element)
        # A group that is selected in part is none.
        for place in reversed(opened):
            del inside[place]
        return write(inside)

    def cut(self) -> str:
        text = self.copy()
        if text:
            self.delete()
        return text

    def paste(self, text: str, label: str = "Paste") -> bool:
        """Put stroke text in at the cursor, or in place of the selection; what follows keeps its grid."""
        try:
            pattern = parse(text, lenient=True)
        except StrokeTextError as error:
            self.problem = f"this cannot be pasted: {error}"
            self.changed.emit()
            return False
        kept = [e for e in pattern.elements if isinstance(e, (Step, Rest, Tie, Grid, GroupOpen, GroupClose))]
        count = len(pattern.moments)
        if not count:
            return False
        low, high = self.selection
        before = self.grid_at(low)
        last = [e for e in kept if isinstance(e, Grid)]
        if kept and isinstance(kept[0], Grid) and kept[0] == before:
            kept = kept[1:]
        elif not isinstance(kept[0], Grid) and before != Grid(16):
            kept.insert(0, Grid(16))
            last = last or [Grid(16)]
        piece = write(kept)
        after = last[-1] if last else before
        extents = self.extents()
        text_now = self.session.text
        follows = high < len(extents)
        restore = f" {self.grid_at(high).text}" if follows and after != self.grid_at(high) else ""
        if high > low:
            start, end = extents[low].start, extents[high - 1].end
            done = self._apply(text_now[:start] + piece + restore + text_now[end:], label)
        else:
            done = self._insert(piece + restore, label, None)
        if done:
            self.at, self.anchor, self.typed = low + count, None, None
            self._show()
        return done

    def repeat(self) -> None:
        """The selection once more, right after itself."""
        low, high = self.selection
        text = self.copy()
        if text:
            self.at, self.anchor = high, None
            if self.paste(text, "Repeat"):
                self.anchor, self.at = high, high + (high - low)
                self._show()

    def shift(self, by: int, beat: bool = False) -> None:
        """Move the selection (or the step under the cursor) later or earlier, past one step or a beat's worth."""
        pattern = self.written
        if pattern is None:
            return
        low, high = self.selection
        high = max(high, low + 1)
        passed, count = Fraction(0), 0
        while True:
            k = high + count if by > 0 else low - 1 - count
            if not 0 <= k < len(pattern.moments):
                break
            passed += pattern.moments[k].length
            count += 1
            if not beat or passed >= Fraction(1, pattern.meter[1]):
                break
        if count:
            self._exchange(low, high, count if by > 0 else -count)

    def _exchange(self, low: int, high: int, by: int) -> None:
        """Exchange a stretch with its neighbours, step text for step text, so that bars and grids stay."""
        first, last = (low, high + by) if by > 0 else (low + by, high)
        extents = self.extents()[first:last]
        text = self.session.text
        words = [text[e.start : e.end] for e in extents]
        count = abs(by)
        size = high - low
        words = words[size:] + words[:size] if by > 0 else words[count:] + words[:count]
        for extent, word in zip(reversed(extents), reversed(words)):
            text = text[: extent.start] + word + text[extent.end :]
        if self._apply(text, "Move strokes"):
            self.at, self.anchor = (high + by, low + by) if self.anchor is not None else (low + by, None)
            self.typed = None
            self._show()

    def set_grid(self, text: str) -> None:
        """A grid from the cursor on, or for the selection only."""
        low, high = self.selection
        extents = self.extents()
        if high > low:
            whole = self.session.text
            start, end = extents[low].start, extents[high - 1].end
            restore = f" {self.grid_at(high).text}" if high < len(extents) else ""
            self._apply(f"{whole[:start]}{text} {whole[start:end]}{restore}{whole[end:]}", f"Grid {text}")
        else:
            self._insert(text, f"Grid {text}", None)

    def set_meter(self, meter: str) -> None:
        """A meter from the cursor's bar on, in place of one that begins there already."""
        pattern, text = self.pattern, self.session.text
        if pattern is None:
            return
        first = len(pattern.moments)
        if self.at < first:
            bar = pattern.bar_at(pattern.moments[self.at].start)
            first = next(k for k, m in enumerate(pattern.moments) if m.start >= bar.start)
        elif pattern.bar_rows and not _ended(pattern):
            self.problem = "a meter begins with its bar: finish this one, or go back into it"
            self.changed.emit()
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
                    self._splice(element.span.start, element.span.end, f"meter {meter}", f"Meter {meter}", None)
                    return
            elif isinstance(element, (BarLine, GroupClose, Tie)):
                place, line = element.span.end, isinstance(element, BarLine)
        piece = f"meter {meter}" if first == 0 else f" meter {meter}" if line else f" | meter {meter}"
        self._splice(place, place, piece + " " * (not text[place : place + 1].isspace()), f"Meter {meter}", None)

    def group(self, name: str = "") -> None:
        """Bracket the selection as a group."""
        low, high = self.selection
        extents = self.extents()
        if high <= low:
            self.problem = "select the steps of the group first (Shift and arrows)"
            self.changed.emit()
            return
        text = self.session.text
        start, end = extents[low].start, extents[high - 1].end
        opening = f'("{name}" ' if name else "("
        self._apply(f"{text[:start]}{opening}{text[start:end]}){text[end:]}", "Group")

    def ungroup(self) -> None:
        """Take the brackets of the groups in the selection, or round the cursor, away."""
        pattern = self.pattern
        if pattern is None or not pattern.moments:
            return
        low, high = self.selection
        wanted = set(range(low, max(high, low + 1)))
        text = self.session.text
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
            self._apply(text, "Ungroup")

    def group_words(self) -> str:
        """How the selection would sit in its bar as a group: how often, what is left, when it comes round."""
        pattern = self.written
        low, high = self.selection
        if pattern is None or high <= low:
            return ""
        last = pattern.moments[high - 1]
        length = last.start + last.length - pattern.moments[low].start
        return f"{high - low} steps: {self.fit_words(length, low)}"

    def fit_words(self, length: Fraction, at: int) -> str:
        """How often a figure of this length (whole notes) fits into the bar of a step, and what is left over."""
        pattern = self.pattern
        if pattern is None or not length:
            return ""
        meter = pattern.meter
        if pattern.moments:
            meter = pattern.bar_at(pattern.moments[min(at, len(pattern.moments) - 1)].start).meter
        times, left = group_fit(length, Fraction(*meter))
        over = left / self.grid_at(at).step
        round_after = comes_round(length, Fraction(1, meter[1])) * meter[1]
        beats = f"{round_after} beat{'s' if round_after != 1 else ''}"
        rest = f", {_count(over)} step{'s' if over != 1 else ''} left over" if left else " exactly"
        often = f"{times} time{'s' if times != 1 else ''}"
        return f"fits {often} in a bar{rest}; on a beat again after {beats}"

    def fill_bar(self, tail: str = "") -> None:
        """Repeat the selection to the end of its bar; what is left is filled with ``tail``, or with its beginning."""
        pattern = self.written
        low, high = self.selection
        if pattern is None or high <= low:
            return
        start = pattern.moments[low].start
        last = pattern.moments[high - 1]
        length = last.start + last.length - start
        bar = pattern.bar_at(start)
        room = bar.start - bar.offset + Fraction(*bar.meter) - (start + length)
        if room <= 0:
            self.problem = "the bar is full already"
            self.changed.emit()
            return
        figure = [e for e in parse(self.copy()).elements if isinstance(e, (Grid, Step, Rest, Tie))]
        closing = [e for e in parse(tail).elements if isinstance(e, (Grid, Step, Rest, Tie))] if tail else []
        for_tail = _length_of(closing)
        if for_tail > room:
            self.problem = "that tail is longer than what is left of the bar"
            self.changed.emit()
            return
        out: list[Element] = []
        grid, left = Grid(16), room - for_tail
        while left > 0:
            before = left
            for element in figure:
                if isinstance(element, Grid):
                    if element != grid or not out:
                        out.append(element)
                    grid = element
                elif left >= grid.step:
                    out.append(element)
                    left -= grid.step
            if left == before:
                break
        self.at, self.anchor = high, None
        self.paste(write([*out, *closing]), "Fill the bar")

    # --- text -------------------------------------------------------------------------------------------------

    def _splice(self, start: int, end: int, piece: str, label: str, merge: str | None = _MERGE) -> bool:
        text = self.session.text
        return self._apply(text[:start] + piece + text[end:], label, merge)

    def _apply(self, text: str, label: str, merge: str | None = None) -> bool:
        """Make the edit, unless the text could not be read any more: then say why and leave it."""
        try:
            read_unfinished(text, self.session.kit)
        except StrokeTextError as error:
            self.problem = f"found {error.found}, expected {error.expected}"
            self.changed.emit()
            return False
        self.session.set_text(text, label, merge, typing=merge == _MERGE)
        self.changed.emit()
        return True


def _ended(pattern: Pattern) -> bool:
    """Whether the last bar is over."""
    bar = pattern.bar_rows[-1]
    written = [e for e in pattern.elements if isinstance(e, (Step, Rest, Tie, BarLine))]
    return bar.offset + bar.length >= Fraction(*bar.meter) or isinstance(written[-1], BarLine)


def _length_of(elements: Sequence[Element]) -> Fraction:
    grid, length = Grid(16), Fraction(0)
    for element in elements:
        if isinstance(element, Grid):
            grid = element
        elif isinstance(element, (Step, Rest, Tie)):
            length += grid.step
    return length


def _count(value: Fraction) -> str:
    return str(value.numerator) if value.denominator == 1 else f"{float(value):.2f}"
