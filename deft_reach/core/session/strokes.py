"""Edits of strokes: all of them rewrite the stroke text, and only the letters they mean."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from deft_reach.core.model.elements import SHIFTS, USUAL_SHIFT_MS
from deft_reach.core.model.limbs import EITHER, HANDS, other_hand
from deft_reach.core.model.pattern import OVER, UNDER
from deft_reach.core.notation.stroke_text import (
    TEMPO_RANGE,
    replace_strike,
    replace_strikes,
    strike_of,
    tempo_of,
)

if TYPE_CHECKING:
    from deft_reach.core.session import Session


class StrokeCommands:
    """What can be done to strokes."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def set_text(self, text: str, label: str = "Typing", merge: str | None = "text", typing: bool = False) -> None:
        """Change the stroke text of the plan in view; a tempo newly written in it becomes the home tempo."""
        plan = self._session.plan
        if plan is None or text == self._session.text:
            return
        document = self._session.document.with_text(plan, text)
        written = tempo_of(text)
        if written is not None and written != tempo_of(self._session.text):
            document = document.with_plan(replace(plan, tempo=written))
        self._session.apply(document, label, merge, typing=typing)

    def change_pattern(self, text: str, label: str, tempo: float = 1.0) -> None:
        """Change text and home tempo in one step; ``tempo`` is what the tempo is multiplied with."""
        plan = self._session.plan
        if plan is not None:
            low, high = TEMPO_RANGE
            bpm = min(high, max(low, plan.tempo * tempo))
            self._session.apply(
                self._session.document.with_text(plan, text).with_plan(replace(plan, tempo=bpm)), label
            )

    def set_limb(self, index: int, limb: str) -> None:
        """Give a stroke to another limb. Going between hands and feet drops a voice that only made sense before."""
        pattern = self._session.pattern()
        if pattern is None or not 0 <= index < len(pattern.strokes):
            return
        strike = strike_of(pattern, index)
        if strike.limb == limb:
            return
        hand_before, hand_now = (x in (*HANDS, EITHER) for x in (strike.limb, limb))
        if hand_before != hand_now:
            strike = replace(strike, voice=None, grace="")
        self.set_text(replace_strike(pattern, index, replace(strike, limb=limb)), f"Stroke to {limb}", None)

    def other_hand(self, index: int) -> None:
        """Try the other hand on a stroke."""
        pattern = self._session.pattern()
        if pattern is not None and pattern.strokes[index].limb in HANDS:
            self.set_limb(index, other_hand(pattern.strokes[index].limb))

    def set_voice(self, index: int, voice: str) -> None:
        """Put one stroke on a voice."""
        pattern = self._session.pattern()
        if pattern is not None:
            strike = replace(strike_of(pattern, index), voice=voice)
            self.set_text(replace_strike(pattern, index, strike), f"Stroke to {voice}", None)

    def set_voices(self, voices: dict[int, str], label: str) -> None:
        """Put strokes on voices, all in one step; feet stay on their pedals."""
        pattern = self._session.pattern()
        if pattern is None:
            return
        moved = {
            index: replace(strike_of(pattern, index), voice=voice)
            for index, voice in voices.items()
            if (stroke := pattern.strokes[index]).limb in (*HANDS, EITHER) and stroke.voice != voice
        }
        self.set_text(replace_strikes(pattern, moved), label, None)

    def replace_voices(self, exchange: dict[str, str], label: str = "Other voices") -> None:
        """Same hands, other voices: every stroke and grace on one of these voices goes to the one given for it."""
        pattern = self._session.pattern()
        if pattern is None:
            return
        moved = {}
        for stroke in pattern.strokes:
            strike = strike_of(pattern, stroke.index)
            if strike.limb not in (*HANDS, EITHER):
                continue
            voice = exchange.get(stroke.voice, strike.voice)
            grace_voice = strike.grace_voice and exchange.get(strike.grace_voice, strike.grace_voice)
            there = replace(strike, voice=voice, grace_voice=grace_voice)
            if there != strike:
                moved[stroke.index] = there
        self.set_text(replace_strikes(pattern, moved), label, None)

    def step_voice(self, indices: list[int], by: int) -> None:
        """Put strokes on the next or previous voice of the kit, from the first one's own."""
        pattern = self._session.pattern()
        hands = [v for v in self._session.kit.voices if v != "bd" and not v.endswith(":foot")]
        if pattern is None or not indices or not hands:
            return
        own = pattern.strokes[indices[0]].voice
        at = hands.index(own) + by if own in hands else 0
        voice = hands[at % len(hands)]
        self.set_voices(dict.fromkeys(indices, voice), f"Strokes to {voice}")

    def toggle_mark(self, index: int, mark: str) -> None:
        """Put a mark on a stroke or take it off; accent and ghost replace each other."""
        pattern = self._session.pattern()
        if pattern is None:
            return
        strike = strike_of(pattern, index)
        if mark in strike.marks:
            marks = strike.marks.replace(mark, "")
        else:
            rival = {">": ".", ".": ">", OVER: UNDER, UNDER: OVER}.get(mark, "")
            marks = strike.marks.replace(rival, "") + mark if rival else strike.marks + mark
        self.set_text(replace_strike(pattern, index, replace(strike, marks=marks)), f"Mark {mark}", None)

    def toggle_shift(self, index: int, sign: str, ms: int = USUAL_SHIFT_MS) -> None:
        """Let a stroke be late (``_``) or early (``*``) on purpose, by so many ms; once more takes it off."""
        pattern = self._session.pattern()
        if pattern is None:
            return
        strike = strike_of(pattern, index)
        wanted = ms if sign == "_" else -ms
        new = replace(strike, shift=0 if strike.shift == wanted else wanted)
        self.set_text(replace_strike(pattern, index, new), f"Stroke {SHIFTS[sign]}", None)

    def exchange_over(self, index: int) -> None:
        """Where the arms cross at a stroke, let the other hand go over; kept as a mark of that stroke."""
        pattern, report = self._session.pattern(), self._session.report
        if pattern is None or report is None or index >= len(report.strokes):
            return
        cross = report.cross_at(index)
        if cross is None:
            return
        posture = report.postures[report.posture_of[index]]
        hands = [i for i in posture.strokes if report.strokes[i].limb in HANDS]
        index = index if index in hands else hands[0] if hands else index
        strike = strike_of(pattern, index)
        if strike.limb not in HANDS:
            return
        over = other_hand(cross.over)
        marks = "".join(mark for mark in strike.marks if mark not in (OVER, UNDER))
        marks += OVER if strike.limb == over else UNDER
        name = "right" if over == "R" else "left"
        self.set_text(
            replace_strike(pattern, index, replace(strike, marks=marks)), f"Let the {name} hand go over", None
        )

    def toggle_grace(self, index: int, grace: str) -> None:
        """Give a hand's stroke these graces, or take them away if it has them."""
        pattern = self._session.pattern()
        if pattern is None or pattern.strokes[index].limb not in (*HANDS, EITHER):
            return
        strike = strike_of(pattern, index)
        strike = replace(strike, grace="" if strike.grace == grace else grace, grace_voice=None, grace_marks="")
        self.set_text(replace_strike(pattern, index, strike), "Grace note", None)
