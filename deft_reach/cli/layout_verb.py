"""``deft-reach layout``: where chosen pieces could stand so that patterns cost less."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

from deft_reach.cli.answers import answer
from deft_reach.cli.inputs import (
    KIT,
    PATTERNS,
    PLAN,
    PLAYED_BY,
    REPEAT,
    TEMPO,
    TEXT,
    TRACK,
    Question,
    best,
    guarded,
    question,
    words_of,
)
from deft_reach.cli.options import Option, Verb, real, whole
from deft_reach.cli.output import JSON, InputError, tell
from deft_reach.core.search.joined_walk import Asked
from deft_reach.core.search.layout_search import BUDGET, GRID, MOST_MM, Layout, Layouts, find_layouts, move_words
from deft_reach.store.documents import SUFFIX, open_document


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    asked = questions(args)
    pieces = words_of(args.move)
    plans = [Asked(q.name, q.pattern, q.tempo, q.repeat, q.weights) for q in asked]
    found = answer(
        find_layouts,
        plans,
        asked[0].kit,
        asked[0].player,
        pieces,
        within=args.within,
        best=args.best,
        budget=args.evaluate,
    )
    tell(args, as_dict, in_words, found)
    return 0 if found.best else 1


def questions(args: argparse.Namespace) -> list[Question]:
    """Every pattern that is meant: -e texts, files, and of a document all plans on its first one's kit.

    Raises InputError where no pattern is given, or one cannot be read.
    """
    found: list[Question] = []
    rest = vars(args)
    for text in args.text or ():
        one = {**rest, "pattern": None, "text": text, "plan": None, "track": None}
        found.append(replace(question(argparse.Namespace(**one)), name=f"pattern {len(found) + 1}"))
    for name in args.pattern:
        names = [args.plan]
        if Path(name).suffix.lower() == SUFFIX and args.plan is None:
            document, _ = guarded(Path(name), open_document)
            first = document.plans[0] if document.plans else None
            names = [p.id for p in document.plans if first is not None and p.kit == first.kit] or [None]
        elif Path(name).suffix.lower() != SUFFIX:
            names = [None]
        for plan in names:
            found.append(question(argparse.Namespace(**{**rest, "pattern": name, "text": None, "plan": plan})))
    if not found:
        raise InputError("give patterns: files, or -e TEXT")
    return found


def as_dict(found: Layouts) -> dict[str, Any]:
    """The contract's shape."""
    return {"best": [_row(layout) for layout in found.best], "evaluated": found.evaluated}


def _row(layout: Layout) -> dict[str, Any]:
    return {
        "moves": [{"piece": code, "dx": x, "dy": y, "dz": z} for code, (x, y, z) in layout.moves.items()],
        "before": {"cost": layout.cost_before, "tempo_limit": layout.limit_before},
        "after": {"cost": layout.cost_after, "tempo_limit": layout.limit_after},
        "plans": [
            {
                "name": plan.name,
                "before": {"cost": plan.cost_before, "tempo_limit": plan.limit_before},
                "after": {"cost": plan.cost_after, "tempo_limit": plan.limit_after},
            }
            for plan in layout.plans
        ],
    }


def in_words(found: Layouts) -> str:
    """The answer for people."""
    lines = []
    for number, layout in enumerate(found.best, 1):
        gain = 1 - layout.cost_after / layout.cost_before
        lines.append(
            f"{number}. {gain * 100:.0f} % cheaper, cost {layout.cost_before:.2f} to {layout.cost_after:.2f}"
        )
        lines += [f"   {code}: {move_words(move)}" for code, move in layout.moves.items()]
        for plan in layout.plans if len(layout.plans) > 1 else ():
            lines.append(f"   {plan.name}: cost {plan.cost_before:.2f} to {plan.cost_after:.2f}")
    if not lines:
        lines.append("no move within that distance gains a twentieth of the cost")
    lines.append(f"{found.evaluated:,} layouts looked at")
    return "\n".join(lines)


VERB = Verb(
    "layout",
    "where pieces could stand so that patterns cost less",
    "Search places for chosen pieces that make one or more patterns cheaper together, with nothing overlapping and "
    "everything in reach. A document without --plan is searched for all its plans on the same kit. The kit is not "
    "changed. Exit 1 if nothing is cheaper.",
    run,
    (PATTERNS,),
    (
        replace(TEXT, repeatable=True), PLAN, TRACK, KIT, *PLAYED_BY, TEMPO, REPEAT, JSON,
        Option("--move", "the pieces that may move, such as ft,rd", "PIECE,...", required=True),
        Option("--within", "how far each (default 100 mm)", "MM", real(GRID, MOST_MM, " mm"), 100.0),
        best(3, 20),
        Option(
            "--evaluate", f"places looked at, at most (default {BUDGET})", "N", whole(50, 1_000_000), BUDGET
        ),
    ),
)  # fmt: skip
