"""Reading single strokes: limb, graces, voice and marks, each with the place of what is wrong."""

from __future__ import annotations

from collections.abc import Collection

from deft_reach.core.model.elements import (
    GRACES,
    MARKS,
    MOST_SHIFT_MS,
    SHIFTS,
    USUAL_SHIFT_MS,
    Span,
    Strike,
)
from deft_reach.core.model.limbs import EITHER, HANDS, LIMBS
from deft_reach.core.model.pattern import (
    OVER,
    UNDER,
)
from deft_reach.core.notation.stroke_text.grammar import (
    AFTER_STRIKE,
    BLANK,
    SHIFT,
    VOICE,
    StrokeTextError,
)


class Scanner:
    """A place in a text (``at``), and the reading of one stroke from there on. ``voices`` are those a kit has."""

    def __init__(self, text: str, voices: Collection[str]) -> None:
        self.text = text
        self.voices = voices
        self.at = 0

    def error(self, found: str, expected: str, start: int, end: int | None = None) -> StrokeTextError:
        end = min(len(self.text), start + 1) if end is None else end
        return StrokeTextError(self.text, Span(start, end), found, expected)

    def word_at(self, start: int) -> tuple[str, int]:
        """What stands at a place, in quotes, for an error message; and where it ends."""
        if start >= len(self.text):
            return "the end of the text", start
        end = start + 1
        while end < len(self.text) and end - start < 20 and self.text[end] not in BLANK + "\n|()+#":
            end += 1
        shown = self.text[start:end]
        if not shown.isprintable():
            shown = shown.encode("unicode_escape").decode()
        return f"'{shown}'", end

    def skip_blank(self, at: int) -> int:
        while at < len(self.text) and self.text[at] in BLANK:
            at += 1
        return at

    def strike(self, expected: str) -> Strike:
        """Read one strike: graces, limb, voice and marks.

        ``expected`` says in an error what may stand here. Raises StrokeTextError where no strike does.
        """
        text, start = self.text, self.at
        at = start
        grace, grace_marks = "", ""
        grace_voice: str | None = None
        if at < len(text) and text[at] in GRACES:
            grace = text[at]
            at += 1
            if at < len(text) and text[at] == "[":
                grace_voice, grace_marks, at = self.grace_place(grace, at)
        limb = text[at] if at < len(text) else ""
        if limb not in LIMBS or not limb:
            found, end = self.word_at(start if not grace else at)
            if grace:
                raise self.error(found, f"a hand (R, L or ?) after the {GRACES[grace]}", at, end)
            raise self.error(found, expected, start, max(end, start))
        if grace and limb not in HANDS and limb != EITHER:
            raise self.error(f"a {GRACES[grace]} before {limb}", "a hand: R, L or ?", start, at + 1)
        # Marks may stand before the voice as well as after it.
        voice: str | None = None
        marks, shift, at = self.marks("", 0, at + 1)
        if at < len(text) and text[at] == "@":
            voice, at = self.voice_after(at + 1, "@")
            marks, shift, at = self.marks(marks, shift, at)
        if at < len(text) and text[at] not in AFTER_STRIKE:
            found, end = self.word_at(at)
            expected = "a mark (> . ~ x ^ o ' , _ *), @ and a voice, + another stroke, or a space"
            raise self.error(found, expected, at, end)
        self.at = at
        return Strike(limb, voice, marks, grace, Span(start, at), grace_voice, grace_marks, shift)

    def marks(self, marks: str, shift: int, at: int) -> tuple[str, int, int]:
        """The marks from a place on, and by how much the stroke is late on purpose (ms), after those that are there
        already; and where they end.
        """
        text = self.text
        while at < len(text) and (text[at] in MARKS or text[at] in SHIFTS):
            mark = text[at]
            if mark in SHIFTS:
                if shift:
                    raise self.error(f"a second '{mark}'", "one of _ laid back and * pushed, once", at)
                shift, at = self.shift_at(at)
                continue
            if mark in marks:
                raise self.error(f"a second '{mark}'", f"each mark once ({MARKS[mark]})", at)
            for one, other, what in ((">", ".", "an accent and a ghost"), (OVER, UNDER, "over and under")):
                if {mark, *marks} >= {one, other}:
                    raise self.error(f"{what} on one stroke", f"one of {one} and {other}", at)
            marks += mark
            at += 1
        return marks, shift, at

    def shift_at(self, at: int) -> tuple[int, int]:
        """How many milliseconds later the sign at a place asks for, earlier if negative; and where it ends."""
        match = SHIFT.match(self.text, at)
        assert match is not None
        ms = USUAL_SHIFT_MS if match[1] is None else int(match[1])
        if not 1 <= ms <= MOST_SHIFT_MS:
            expected = f"{SHIFTS[self.text[at]]} by 1 to {MOST_SHIFT_MS} ms"
            raise self.error(f"'{match.group()}'", expected, at, match.end())
        return (ms if self.text[at] == "_" else -ms), match.end()

    def voice_after(self, at: int, sign: str) -> tuple[str, int]:
        """The voice that stands here, without the marks behind it; and where it ends."""
        match = VOICE.match(self.text, at)
        if match is None:
            found, end = self.word_at(at)
            raise self.error(found, f"a voice such as sn, hh or rd:bell after {sign}", at, end)
        voice, letters = self.split_marks(match.group())
        return voice, match.end() - len(letters)

    def grace_place(self, grace: str, at: int) -> tuple[str | None, str, int]:
        """Voice and marks of graces that are written in brackets at this place; and where they end."""
        voice: str | None = None
        begin, at = at, at + 1
        if at < len(self.text) and VOICE.match(self.text, at):
            voice, at = self.voice_after(at, "[")
        marks, shift, after = self.marks("", 0, at)
        if shift:
            raise self.error(f"a {GRACES[grace]} that is moved", "_ or * on its stroke: graces go with it", at, after)
        at = after
        if at >= len(self.text) or self.text[at] != "]" or at == begin + 1:
            found, end = self.word_at(at)
            raise self.error(found, f"the {GRACES[grace]}'s voice, its marks and ]", at, max(end, at))
        return voice, marks, at + 1

    def split_marks(self, run: str) -> tuple[str, str]:
        """Divide ``snx`` into the voice and the letter marks behind it: the longest known voice wins."""
        if run in self.voices:
            return run, ""
        stem = run.rstrip("xo")
        for end in range(len(run) - 1, len(stem) - 1, -1):
            if run[:end] in self.voices:
                return run[:end], run[end:]
        return run, ""
