"""What is open and selected: the model the window listens to.

A session holds one document, which plan of it is in view, which stroke is selected, and the history of edits. It
knows no window; views connect to its signals. Documents are immutable, so undo is a matter of going back to one.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

from deft_reach.core.document import (
    Commitment,
    Document,
    Plan,
    Score,
    analyse_plan,
    changes_since,
    commit,
    new_document,
    read_text,
)
from deft_reach.core.kit import Kit, Reading, check_kit
from deft_reach.core.layouts import beside, layout, new_piece
from deft_reach.core.limbs import EITHER, HANDS, other_hand
from deft_reach.core.pattern import Pattern
from deft_reach.core.player import Player, check_player
from deft_reach.core.report import Finding, Report
from deft_reach.core.signals import Signal
from deft_reach.core.stroke_text import (
    TEMPO_RANGE,
    StrokeTextError,
    replace_strike,
    strike_of,
)

#: Edits of one kind that follow each other faster than this (seconds) are one undo step.
MERGE_WITHIN: Final = 1.5
HISTORY: Final = 1000


@dataclass(frozen=True)
class Step:
    """One state in the history: the document, the plan in view, and the name of the edit that led here."""

    document: Document
    plan: str
    label: str


class Session:
    """One open document.

    Signals: ``changed`` after any edit, undo or opening; ``verdict`` right after it, once report, error and selection
    are settled; ``selected`` when nothing but the selected stroke, finding or piece changes; ``saved`` when the
    document has been written to its file.
    """

    def __init__(self, document: Document | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        self.changed = Signal()
        self.verdict = Signal()
        self.selected = Signal()
        self.saved = Signal()
        self._clock = clock
        self.start(document or new_document())

    # --- the document and its history -------------------------------------------------------------------------

    def start(self, document: Document, plan: str | None = None, *, clean: bool = True) -> None:
        """Show another document and forget the history. ``clean`` says that it stands so in its file."""
        first = document.plans[0].id if document.plans else ""
        known = plan if plan is not None and any(p.id == plan for p in document.plans) else first
        self._steps = [Step(document, known, "")]
        self._at = 0
        self._merge: str | None = None
        self._merge_time = 0.0
        self._saved: Document | None = document if clean else None
        self._stroke: int | None = None
        self._finding: Finding | None = None
        self._piece: str | None = None
        self.report: Report | None = None
        self.error: StrokeTextError | None = None
        self._refresh()
        self._select_first()
        self.changed.emit()
        self.verdict.emit()
        self.saved.emit()

    @property
    def document(self) -> Document:
        return self._steps[self._at].document

    @property
    def plan(self) -> Plan | None:
        """The plan in view; None in a document without plans."""
        id = self._steps[self._at].plan
        return next((plan for plan in self.document.plans if plan.id == id), None)

    @property
    def kit(self) -> Kit:
        plan = self.plan
        if plan is not None:
            return self.document.kit(plan.kit)
        return self.document.kits[0] if self.document.kits else layout("five")

    @property
    def player(self) -> Player:
        plan = self.plan
        return self.document.player(plan.player) if plan is not None else Player()

    @property
    def text(self) -> str:
        plan = self.plan
        return self.document.score(plan.pattern).text if plan is not None else ""

    def apply(self, document: Document, label: str, merge: str | None = None, plan: str | None = None) -> None:
        """Make an edit: one undo step named ``label``.

        Edits with the same ``merge`` key that follow each other quickly are one step; ``plan`` brings another plan
        into view with it.
        """
        now = self._clock()
        view = plan if plan is not None else self._steps[self._at].plan
        if document == self.document and view == self._steps[self._at].plan:
            return
        joined = (
            merge is not None and merge == self._merge and now - self._merge_time <= MERGE_WITHIN and self._at > 0
        )
        step = Step(document, view, label)
        del self._steps[self._at + 1 :]
        if joined:
            self._steps[self._at] = step
        else:
            self._steps.append(step)
            if len(self._steps) > HISTORY:
                del self._steps[0]
            self._at = len(self._steps) - 1
        self._merge, self._merge_time = merge, now
        self._after_edit()

    def end_merge(self) -> None:
        """The gesture is over: the next edit is a step of its own."""
        self._merge = None

    @property
    def undo_label(self) -> str | None:
        """The name of the edit that undo would take back, None if there is none."""
        return self._steps[self._at].label if self._at > 0 else None

    @property
    def redo_label(self) -> str | None:
        return self._steps[self._at + 1].label if self._at + 1 < len(self._steps) else None

    def undo(self) -> None:
        if self._at > 0:
            self._at -= 1
            self._merge = None
            self._after_edit()

    def redo(self) -> None:
        if self._at + 1 < len(self._steps):
            self._at += 1
            self._merge = None
            self._after_edit()

    @property
    def is_saved(self) -> bool:
        return self._saved is not None and self.document == self._saved

    @property
    def saved_document(self) -> Document | None:
        """The document as its file holds it, None if it was never saved."""
        return self._saved

    def mark_saved(self, document: Document | None = None) -> None:
        """The document (as it was when the writing began) is in its file now."""
        self._saved = self.document if document is None else document
        self.saved.emit()

    def _after_edit(self) -> None:
        self._refresh()
        self._clamp()
        self.changed.emit()
        self.verdict.emit()

    def _refresh(self) -> None:
        plan = self.plan
        self.error = None
        if plan is None:
            self.report = None
            return
        try:
            self.report = analyse_plan(self.document, plan)
        except StrokeTextError as error:
            # The last verdict stays in view, marked as old, until the text can be read again.
            self.error = error

    # --- what is selected -------------------------------------------------------------------------------------

    @property
    def stroke(self) -> int | None:
        """Index of the selected stroke."""
        return self._stroke

    @property
    def finding(self) -> Finding | None:
        return self._finding

    @property
    def piece(self) -> str | None:
        """Code of the selected piece."""
        return self._piece

    def select_stroke(self, index: int | None) -> None:
        count = len(self.report.strokes) if self.report else 0
        if index is not None:
            index = max(0, min(index, count - 1)) if count else None
        if index != self._stroke or self._finding is not None:
            self._stroke, self._finding = index, None
            self.selected.emit()

    def step_stroke(self, by: int) -> None:
        """Select the stroke so many further on; from nothing, the first or last one."""
        if self._stroke is None:
            self.select_stroke(0 if by > 0 else 10**9)
        else:
            self.select_stroke(self._stroke + by)

    def select_finding(self, finding: Finding | None) -> None:
        if finding is not None and finding != self._finding:
            self._finding = finding
            self._stroke = finding.strokes[0]
            self.selected.emit()

    def step_finding(self, by: int) -> None:
        """Go to the next or previous finding, round and round."""
        findings = self.report.findings if self.report else ()
        if not findings:
            return
        if self._finding in findings:
            at = findings.index(self._finding) + by
        else:
            at = 0 if by > 0 else len(findings) - 1
        self.select_finding(findings[at % len(findings)])

    def select_piece(self, code: str | None) -> None:
        if code != self._piece:
            self._piece = code
            self.selected.emit()

    def _select_first(self) -> None:
        """A new pattern comes up with something worth seeing: its worst finding, or else its first stroke."""
        if self.report and self.report.strokes:
            serious = [f for f in self.report.findings if f.severity != "note"]
            self._stroke = serious[0].strokes[0] if serious else 0

    def _clamp(self) -> None:
        count = len(self.report.strokes) if self.report else 0
        if self._stroke is not None and self._stroke >= count:
            self._stroke = count - 1 if count else None
        if self._finding is not None and self.report:
            same = [
                f for f in self.report.findings if (f.kind, f.strokes) == (self._finding.kind, self._finding.strokes)
            ]
            self._finding = same[0] if same else None
        if self._piece is not None and self._piece not in self.kit:
            self._piece = None

    # --- plans ------------------------------------------------------------------------------------------------

    def show_plan(self, id: str) -> None:
        """Bring a plan into view. Not an edit: undo does not come back through it."""
        if id == self._steps[self._at].plan or not any(p.id == id for p in self.document.plans):
            return
        self._steps[self._at] = replace(self._steps[self._at], plan=id)
        self._merge = None
        self._stroke = self._finding = None
        self.report = None
        self._refresh()
        self._select_first()
        self.changed.emit()
        self.verdict.emit()

    def step_plan(self, by: int) -> None:
        plan = self.plan
        if plan is not None:
            plans = self.document.plans
            self.show_plan(plans[(plans.index(plan) + by) % len(plans)].id)

    def new_plan(self, name: str = "New plan", text: str = "", copy_of: Plan | None = None) -> None:
        """Add a plan, on the kit and player in view, and show it."""
        document, model = self.document, copy_of or self.plan
        if not document.kits:
            document = document.with_kit(layout("five"))
        if not document.players:
            document = document.with_player(Player())
        score_id, plan_id = document.free_id("pattern"), document.free_id("plan")
        name = document.free_plan_name(name)
        document = document.with_score(Score(score_id, name, text))
        plan = Plan(plan_id, name, score_id, document.kits[0].id, document.players[0].id)
        if model is not None:
            plan = replace(model, id=plan_id, name=name, pattern=score_id, note=model.note if copy_of else "")
        self.apply(document.with_plan(plan), f"New plan “{name}”", plan=plan_id)

    def duplicate_plan(self) -> None:
        plan = self.plan
        if plan is not None:
            self.new_plan(plan.name, self.text, copy_of=plan)

    def delete_plan(self) -> None:
        plan = self.plan
        if plan is None:
            return
        at = self.document.plans.index(plan)
        document = self.document.without_plan(plan.id)
        view = document.plans[min(at, len(document.plans) - 1)].id if document.plans else ""
        self.apply(document, f"Delete plan “{plan.name}”", plan=view)

    def change_plan(self, label: str, merge: str | None = None, **fields: object) -> None:
        """Change fields of the plan in view."""
        plan = self.plan
        if plan is not None:
            self.apply(self.document.with_plan(replace(plan, **fields)), label, merge)  # type: ignore[arg-type]

    def set_repeat(self, repeat: bool) -> None:
        """Play the plan in view as a loop, or once."""
        self.change_plan("Loop" if repeat else "Play once", repeat=repeat)

    def set_tempo(self, bpm: float, merge: str | None = "tempo") -> None:
        """Set the home tempo, held within what a tempo can be."""
        low, high = TEMPO_RANGE
        bpm = max(low, min(high, bpm))
        self.change_plan(f"Tempo {bpm:g} BPM", merge, tempo=bpm)

    # --- strokes ----------------------------------------------------------------------------------------------

    def set_text(self, text: str, label: str = "Typing", merge: str | None = "text") -> None:
        """Change the stroke text of the plan in view; a tempo newly written in it becomes the home tempo."""
        plan = self.plan
        if plan is None or text == self.text:
            return
        document = self.document.with_text(plan, text)
        written, before = _written_tempo(text, self.kit), _written_tempo(self.text, self.kit)
        if written is not None and written != before:
            document = document.with_plan(replace(plan, tempo=written))
        self.apply(document, label, merge)

    def pattern(self) -> Pattern | None:
        """The pattern as the text stands now, None while it cannot be read."""
        return self.report.pattern if self.report is not None and self.error is None else None

    def set_limb(self, index: int, limb: str) -> None:
        """Give a stroke to another limb. Going between hands and feet drops a voice that only made sense before."""
        pattern = self.pattern()
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
        pattern = self.pattern()
        if pattern is not None and pattern.strokes[index].limb in HANDS:
            self.set_limb(index, other_hand(pattern.strokes[index].limb))

    def set_voice(self, index: int, voice: str) -> None:
        pattern = self.pattern()
        if pattern is not None:
            strike = replace(strike_of(pattern, index), voice=voice)
            self.set_text(replace_strike(pattern, index, strike), f"Stroke to {voice}", None)

    def toggle_mark(self, index: int, mark: str) -> None:
        """Put a mark on a stroke or take it off; accent and ghost replace each other."""
        pattern = self.pattern()
        if pattern is None:
            return
        strike = strike_of(pattern, index)
        if mark in strike.marks:
            marks = strike.marks.replace(mark, "")
        else:
            rival = {">": ".", ".": ">"}.get(mark, "")
            marks = strike.marks.replace(rival, "") + mark if rival else strike.marks + mark
        self.set_text(replace_strike(pattern, index, replace(strike, marks=marks)), f"Mark {mark}", None)

    def toggle_grace(self, index: int, grace: str) -> None:
        pattern = self.pattern()
        if pattern is None or pattern.strokes[index].limb not in (*HANDS, EITHER):
            return
        strike = strike_of(pattern, index)
        strike = replace(strike, grace="" if strike.grace == grace else grace)
        self.set_text(replace_strike(pattern, index, strike), "Grace note", None)

    # --- kit --------------------------------------------------------------------------------------------------

    def move_piece(self, code: str, x: float, y: float, z: float | None = None) -> None:
        """Move a piece's strike centre, in whole millimetres. Raises KitError when it cannot stand there."""
        kit = self.kit
        piece = kit.piece(code)
        if piece is None:
            return
        moved = piece.moved(float(round(x)), float(round(y)), None if z is None else float(round(z)))
        kit = kit.with_piece(moved)
        check_kit(kit)
        self.apply(self.document.with_kit(kit), f"Move {piece.name}", f"move:{code}")

    def change_piece(self, code: str, label: str, merge: str | None = None, **fields: object) -> None:
        """Change fields of a piece. Raises KitError when it cannot be so."""
        piece = self.kit.piece(code)
        if piece is not None:
            kit = self.kit.with_piece(replace(piece, **fields))  # type: ignore[arg-type]
            check_kit(kit)
            self.apply(self.document.with_kit(kit), label, merge)

    def add_piece(self, kind: str) -> None:
        """Add a piece of a kind, in the usual size, where there is room for it, and select it."""
        piece = new_piece(self.kit, kind)
        kit = self.kit.with_piece(piece)
        check_kit(kit)
        self._piece = piece.code
        self.apply(self.document.with_kit(kit), f"Add {piece.name}")

    def duplicate_piece(self, code: str) -> None:
        """Add another piece like this one beside it. Pedals stay single."""
        piece = self.kit.piece(code)
        if piece is not None and not piece.is_pedal:
            twin = beside(self.kit, piece)
            self._piece = twin.code
            self.apply(self.document.with_kit(self.kit.with_piece(twin)), f"Duplicate {piece.name}")

    def remove_piece(self, code: str) -> None:
        """Take a piece away. Strokes on it stay as written and are said to be impossible."""
        piece = self.kit.piece(code)
        if piece is not None:
            kit = replace(self.kit, pieces=tuple(p for p in self.kit if p.code != code))
            self.apply(self.document.with_kit(kit), f"Remove {piece.name}")

    def change_player(self, label: str, merge: str | None = None, **fields: object) -> None:
        """Change measures of the player in view. Raises PlayerError when nobody can be so."""
        player = replace(self.player, **fields)  # type: ignore[arg-type]
        check_player(player)
        self.apply(self.document.with_player(player), label, merge)

    def set_readings(self, readings: tuple[Reading, ...], label: str) -> None:
        """Change the tape readings of the kit in view; its pieces stay where they are until they are stood up."""
        self.apply(self.document.with_kit(replace(self.kit, readings=readings)), label)

    def stand_up(self, kit: Kit) -> None:
        """Put the pieces of the kit in view where another kit has them."""
        own = self.kit
        for piece in kit:
            mine = own.piece(piece.code)
            if mine is not None:
                own = own.with_piece(mine.moved(piece.x, piece.y, piece.z))
        check_kit(own)
        self.apply(self.document.with_kit(own), "Stand the kit up from the tape")

    def mirror_kit(self) -> None:
        """Mirror the kit in view and the player's handedness with it."""
        document = self.document.with_kit(self.kit.mirror())
        self.apply(document.with_player(self.player.mirror()), "Mirror kit and player")

    def use_layout(self, name: str) -> None:
        """Play the plan in view on a shipped layout, which the document gets if it has none of that id."""
        kit = layout(name)
        document = self.document
        if not any(k.id == kit.id for k in document.kits):
            document = document.with_kit(kit)
        plan = self.plan
        if plan is not None:
            self.apply(document.with_plan(replace(plan, kit=kit.id)), f"Kit “{kit.name}”")

    # --- commitments ------------------------------------------------------------------------------------------

    @property
    def commitment(self) -> Commitment | None:
        """The newest commitment of the plan in view."""
        plan = self.plan
        rows = self.document.commitments_of(plan.id) if plan is not None else ()
        return rows[-1] if rows else None

    def commit(self, reason: str, date: str, app_version: str) -> None:
        """Commit the plan in view as it stands. Raises ValueError while its text cannot be read."""
        plan, report = self.plan, self.report
        if plan is None or report is None or self.error is not None:
            raise ValueError("the stroke text has to be readable before it can be committed")
        document = commit(self.document, plan, report, reason, date, app_version)
        self.apply(document, f"Commit “{plan.name}”")

    def changes(self) -> list[str]:
        """What differs from the newest commitment."""
        plan, commitment = self.plan, self.commitment
        if plan is None or commitment is None:
            return []
        return changes_since(commitment, self.document, plan, self.report if self.error is None else None)

    def verdicts(self) -> list[tuple[Plan, Report | None]]:
        """Every plan of the document with its report, None where its text cannot be read."""
        found: list[tuple[Plan, Report | None]] = []
        for plan in self.document.plans:
            if self.plan is not None and plan.id == self.plan.id:
                found.append((plan, self.report if self.error is None else None))
                continue
            try:
                found.append((plan, analyse_plan(self.document, plan)))
            except StrokeTextError:
                found.append((plan, None))
        return found


def _written_tempo(text: str, kit: Kit) -> float | None:
    """The tempo a text asks for, None if it asks for none or cannot be read."""
    try:
        return read_text(text, kit).tempo
    except StrokeTextError:
        return None
