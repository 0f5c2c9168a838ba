"""``deft-reach plan``: the easiest hands for strokes written ``?``."""

from __future__ import annotations

import argparse
from typing import Any, Final

from deft_reach.cli.answers import answer, answer_dict, findings_of, searched_words, verdict_words
from deft_reach.cli.inputs import PATTERN, PATTERN_OPTIONS, best, question
from deft_reach.cli.options import Option, Verb, whole
from deft_reach.cli.output import tell
from deft_reach.core.model.sticking_habits import NO_HABITS
from deft_reach.core.search.planner import HAND_KINDS, HATS, SCHOOLS, Sticking, Stickings, find_stickings
from deft_reach.formats.records import to_dict


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    asked = question(args)
    found = answer(
        find_stickings,
        asked.pattern,
        asked.kit,
        asked.player,
        asked.tempo,
        school=args.school,
        hat=args.hat,
        max_run=args.max_run,
        kind=args.kind and args.kind.replace("-", " "),
        best=args.best,
        repeat=asked.repeat,
        weights=asked.weights,
    )
    tell(args, as_dict, in_words, found)
    return 1 if found.best[0].report.stopped else 0


def as_dict(found: Stickings) -> dict[str, Any]:
    """The contract's shape."""
    rows = [_row(row) for row in found.best]
    strokes = found.best[0].report.strokes
    missing = [
        {
            "bar": strokes[row.strokes[0]].bar,
            "beat": float(strokes[row.strokes[0]].beat),
            "strokes": list(row.strokes),
            "why": f"{row.why}; {row.advice}",
        }
        for row in found.open
    ]
    more: dict[str, Any] = {} if found.easier is None else {"easier": _row(found.easier)}
    habits = found.best[0].player.habits
    if habits != NO_HABITS:
        more["habits"] = to_dict(habits)
    return {"best": rows, "searched": found.searched, "proven": found.proven, "open": missing, **more}


def _row(row: Sticking) -> dict[str, Any]:
    report = row.report
    return answer_dict(
        row.text, report, kind=row.kind, findings=findings_of(report), differs=list(row.differs)
    )  # fmt: skip


def in_words(found: Stickings) -> str:
    """The answer for people."""
    lines = []
    for number, row in enumerate(found.best, 1):
        lines.append(f"{number}. {row.report.pattern.sticking}")
        first = found.best[0].report if number > 1 else None
        lines.append(f"   {row.kind}: {verdict_words(row.report, first)}")
    if found.easier is not None:
        lines.append(f"easier, but against what hands have learned: {found.easier.report.pattern.sticking}")
        lines.append(f"   {found.easier.kind}: {verdict_words(found.easier.report)}")
    habits = found.best[0].player.habits.words
    if habits:
        lines.append(f"by the player's habits: {habits}")
    lines += found.open_in_words
    if found.twice:
        lines.append("hand to hand it comes round every other time: it is written twice")
    lines.append(searched_words(found.searched, "moments ", found.proven, "that nothing costs less is proven"))
    return "\n".join(lines)


KIND_CHOICES: Final = tuple(kind.replace(" ", "-") for kind in HAND_KINDS)

VERB = Verb(
    "plan",
    "the easiest hands for strokes written ?",
    "Give every ? a hand: of the hands that players write first and those that cost least the ones that are judged "
    "easiest, one of every kind first, by level, then by difficulty and habit together. What is easier but goes "
    "against what hands have learned is named apart. What is written stays. A moment that no hands can play is named "
    "and stays open; the rest is planned. Exit 1 if even the best cannot be played.",
    run,
    (PATTERN,),
    (
        *PATTERN_OPTIONS,
        Option("--school", "who leads (default free)", default="free", choices=SCHOOLS),
        Option("--hat", "the hi-hat crossed or open-handed (default free)", default="free", choices=HATS),
        Option("--max-run", "longest run of one hand", "N", whole(0, 1000)),
        Option(
            "--kind", "hands of this kind alone", "NAME", choices=tuple(kind.replace(" ", "-") for kind in HAND_KINDS)
        ),
        best(8),
    ),
)
