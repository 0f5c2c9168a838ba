"""Committing a plan, and what has changed since."""

from __future__ import annotations

from dataclasses import replace

from deft_reach.core.analysis.difficulty import MODEL
from deft_reach.core.analysis.report import Report
from deft_reach.core.document.plans import read_text
from deft_reach.core.document.records import Commitment, Document, Plan
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.message import Length, Message, message, plain


def commit(document: Document, plan: Plan, report: Report, reason: str, date: str, app_version: str) -> Document:
    """The document with the plan committed as the report found it.

    ``date`` is ISO 8601. What the report warned of is recorded as accepted.
    """
    commitment = Commitment(
        document.free_id("commitment"),
        plan.id,
        date,
        reason,
        report.pattern.text,
        report.tempo,
        report.repeat,
        document.kit(plan.kit),
        document.player(plan.player),
        report.summary.cost,
        report.summary.ease,
        report.summary.tempo_limit,
        tuple(f.message for f in report.serious),
        app_version,
        plan.weights,
        MODEL,
    )
    return replace(document, commitments=(*document.commitments, commitment))


def standing(document: Document, plan: Plan) -> Commitment | None:
    """A plan's newest commitment, if nothing that it was made from has changed since."""
    rows = document.commitments_of(plan.id)
    if not rows:
        return None
    last = rows[-1]
    same = (
        last.text == document.score(plan.pattern).text
        and (last.tempo, last.repeat) == (plan.tempo, plan.repeat)
        and last.kit.pieces == document.kit(plan.kit).pieces
        and last.player.body == document.player(plan.player).body
    )
    return last if same else None


def changes_since(commitment: Commitment, document: Document, plan: Plan, report: Report | None) -> list[Message]:
    """What differs now from what was committed, one plain line each; empty when nothing does."""
    lines: list[str | Message] = []
    text = document.score(plan.pattern).text
    if report is None:
        lines.append("the stroke text cannot be read at the moment")
    elif text != commitment.text:
        kit = document.kit(plan.kit)
        before = read_text(commitment.text, commitment.kit).strokes
        now = read_text(text, kit).strokes
        if len(before) != len(now):
            lines.append(f"{len(now)} strokes instead of {len(before)}")
        else:
            hands = sum(a.limb != b.limb for a, b in zip(before, now))
            voices = sum(a.voice != b.voice for a, b in zip(before, now))
            times = sum(a.start != b.start for a, b in zip(before, now))
            marks = sum(
                (a.marks, a.grace_text, a.shift) != (b.marks, b.grace_text, b.shift) for a, b in zip(before, now)
            )
            for count, *what in (
                (hands, "limb"),
                (voices, "voice"),
                (times, "place in time", "places in time"),
                (marks, "mark"),
            ):
                if count:
                    lines.append(f"{counted(count, *what)} changed")
    if plan.tempo != commitment.tempo:
        lines.append(f"home tempo {commitment.tempo:.4g} → {plan.tempo:.4g} BPM")
    if plan.repeat != commitment.repeat:
        lines.append("played as a loop" if plan.repeat else "played once")
    lines += _kit_changes(commitment.kit, document.kit(plan.kit))
    player = document.player(plan.player)
    if player.body != commitment.player.body:
        lines.append(f"another player or other measures ({player.name})")
    if report is not None and (lines or commitment.model != MODEL):
        verdicts = []
        before_limit, limit = commitment.tempo_limit, report.summary.tempo_limit
        if before_limit and limit and round(before_limit) != round(limit):
            verdicts.append(f"breaks at {before_limit:.0f} → {limit:.0f} BPM")
        if round(commitment.ease) != round(report.summary.ease):
            verdicts.append(f"ease {commitment.ease:.0f} → {report.summary.ease:.0f}")
        if verdicts and commitment.model != MODEL:
            lines.append("judged by another version of the model since")
        lines += verdicts
    return [line if isinstance(line, Message) else plain(line) for line in lines]


def _kit_changes(before: Kit, now: Kit) -> list[str | Message]:
    if before.pieces == now.pieces and before.id == now.id:
        return []
    if before.id != now.id:
        return [f"kit '{before.name}' → '{now.name}'"]
    lines: list[str | Message] = []
    for piece in now:
        was = before.piece(piece.code)
        if was is None:
            lines.append(f"{piece.name} added")
        elif (was.x, was.y, was.z) != (piece.x, piece.y, piece.z):
            moved = ((piece.x - was.x) ** 2 + (piece.y - was.y) ** 2 + (piece.z - was.z) ** 2) ** 0.5
            lines.append(message("{piece} moved {far}", piece=piece.name, far=Length(moved)))
        elif was != piece:
            lines.append(f"{piece.name} changed")
    lines += [f"{piece.name} removed" for piece in before if now.piece(piece.code) is None]
    return lines or ["the kit changed"]
