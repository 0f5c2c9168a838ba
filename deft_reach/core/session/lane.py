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
from typing import Final

from deft_reach.core.model.elements import (
    GRACES,
    MARKS,
    SHIFTS,
    Grid,
    GroupClose,
    GroupOpen,
    Rest,
    Step,
    Strike,
    Tie,
)
from deft_reach.core.model.limbs import EITHER, HANDS
from deft_reach.core.model.pattern import Element
from deft_reach.core.notation.grids import first_grid
from deft_reach.core.notation.stroke_text import StrokeTextError, parse, write, write_strike
from deft_reach.core.session import lane_groups
from deft_reach.core.session.lane_cursor import BEING_READ, LaneCursor
from deft_reach.core.session.lane_overwriting import overwritten

LIMB_KEYS: Final = {"r": "R", "l": "L", "k": "K", "j": "J", "h": "H", "?": "?"}
_EMPTY_GROUP: Final = re.compile(r'\(\s*("[^"\n]*")?\s*\)')


class Lane(LaneCursor):
    """The cursor with what keys do there. Groups and meters are in ``lane_groups``."""

    # --- typing -----------------------------------------------------------------------------------------------

    def type(self, char: str) -> bool:
        """Act on a typed character; True if it meant something here."""
        self.problem = ""
        if self.pattern is None:
            unread = "the text cannot be read at the moment: mend it above first"
            self.problem = BEING_READ if self.session.reading else unread
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
        elif char in SHIFTS:
            self._shift(char)
        elif char == "-":
            self._put("-")
        elif char == "=":
            self._tie()
        elif char == "|":
            self._bar_line()
        elif char in ("(", "g"):
            lane_groups.group(self)
        elif char in (")", "G"):
            lane_groups.ungroup(self)
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
            lane_groups.set_meter(self, pending[1:])
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
                    self.splice(extent.own_end, extent.own_end, f"+{grace}{limb}", f"{limb} together")
                    return
        extents = self.extents()
        if self.at < len(extents) and not self.inserting:
            extent = extents[self.at]
            text = f"{grace}{limb}"
            if isinstance(extent.element, Step):
                text = overwritten(extent.element.strikes, limb, grace)
            if self.splice(extent.start, extent.own_end, text, f"Stroke to {limb}"):
                self.typed, self.at, self.anchor = self.at, self.at + 1, None
                self.show()
            return
        self._put(f"{grace}{limb}")

    def _put(self, token: str) -> None:
        """A new step at the cursor; a rest takes the place of the step under it, as limbs do."""
        extents = self.extents()
        if self.at < len(extents) and not self.inserting:
            extent = extents[self.at]
            done = self.splice(extent.start, extent.own_end, token, "Typing strokes")
        else:
            done = self.insert_text(token, "Typing strokes")
        if done:
            self.typed, self.at, self.anchor = self.at, self.at + 1, None
            self.show()

    def _tie(self) -> None:
        extents = self.extents()
        if self.at == 0 or not extents:
            self.problem = "there is nothing before it to hold"
            return
        extent = extents[self.at - 1]
        self.splice(extent.end, extent.end, " =", "Hold")

    def _bar_line(self) -> None:
        self.insert_text("|", "Bar line")

    def _mark(self, mark: str) -> None:
        target = self._target()
        pattern = self.pattern
        if target is None or pattern is None or not pattern.moments[target].strokes:
            self.problem = f"{MARKS[mark]}: no stroke here"
            return
        self.session.strokes.toggle_mark(pattern.moments[target].strokes[-1], mark)

    def _shift(self, sign: str) -> None:
        target = self._target()
        if target is None or self.pattern is None or not self.pattern.moments[target].strokes:
            self.problem = f"{SHIFTS[sign]}: no stroke here"
            return
        self.session.strokes.toggle_shift(self.pattern.moments[target].strokes[-1], sign)

    def _voice(self, voice: str) -> None:
        target = self._target()
        extents = self.extents()
        if target is None or target >= len(extents) or not isinstance(extents[target].element, Step):
            return
        element = extents[target].element
        assert isinstance(element, Step)
        strike: Strike = element.strikes[-1]
        text = write_strike(replace(strike, voice=voice))
        self.splice(strike.span.start, strike.span.end, text, f"Stroke to {voice}")

    def _other_hand(self) -> None:
        target = self._target()
        pattern = self.pattern
        if target is not None and pattern is not None and pattern.moments[target].strokes:
            self.session.strokes.other_hand(pattern.moments[target].strokes[0])

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
        if self.apply(text, "Delete" if high - low == 1 else f"Delete {high - low} steps"):
            self.at, self.anchor, self.typed = low, None, None
            self.show()

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
        """Delete the selection; its text."""
        text = self.copy()
        if text:
            self.delete()
        return text

    def paste(self, text: str, label: str = "Paste", merge: str | None = None) -> bool:
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
        elif not isinstance(kept[0], Grid) and before != (unset := first_grid(pattern.elements)):
            kept.insert(0, unset)
            last = last or [unset]
        piece = write(kept)
        after = last[-1] if last else before
        extents = self.extents()
        text_now = self.session.text
        follows = high < len(extents)
        restore = f" {self.grid_at(high).text}" if follows and after != self.grid_at(high) else ""
        if high > low:
            start, end = extents[low].start, extents[high - 1].end
            done = self.apply(text_now[:start] + piece + restore + text_now[end:], label, merge)
        else:
            done = self.insert_text(piece + restore, label, merge)
        if done:
            self.at, self.anchor, self.typed = low + count, None, None
            self.show()
        return done

    def repeat(self) -> None:
        """The selection once more, right after itself."""
        low, high = self.selection
        text = self.copy()
        if text:
            self.at, self.anchor = high, None
            if self.paste(text, "Repeat"):
                self.anchor, self.at = high, high + (high - low)
                self.show()

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
        if self.apply(text, "Move strokes"):
            self.at, self.anchor = (high + by, low + by) if self.anchor is not None else (low + by, None)
            self.typed = None
            self.show()

    def set_grid(self, text: str) -> None:
        """A grid from the cursor on, or for the selection only."""
        low, high = self.selection
        extents = self.extents()
        if high > low:
            whole = self.session.text
            start, end = extents[low].start, extents[high - 1].end
            restore = f" {self.grid_at(high).text}" if high < len(extents) else ""
            self.apply(f"{whole[:start]}{text} {whole[start:end]}{restore}{whole[end:]}", f"Grid {text}")
        else:
            self.insert_text(text, f"Grid {text}", None)

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


def _length_of(elements: Sequence[Element]) -> Fraction:
    grid, length = Grid(16), Fraction(0)
    for element in elements:
        if isinstance(element, Grid):
            grid = element
        elif isinstance(element, (Step, Rest, Tie)):
            length += grid.step
    return length
