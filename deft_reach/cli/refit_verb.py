"""``deft-reach refit``: the same figure on another kit, or with one pedal."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

from deft_reach.cli.answers import answer, findings_of, verdict_words
from deft_reach.cli.inputs import PATTERN, PATTERN_OPTIONS, best, question, read_kit
from deft_reach.cli.options import Option, Verb, whole
from deft_reach.cli.output import InputError, tell
from deft_reach.core.search.refit import Refitted, refit


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    asked = question(args)
    if args.to is None and args.pedals is None:
        raise InputError("give the kit to play it on with --to, or --pedals 1 or 2")
    target = asked.kit if args.to is None else read_kit(args.to)
    found = answer(
        refit,
        asked.pattern,
        asked.kit,
        target,
        asked.player,
        asked.tempo,
        pedals=args.pedals,
        chosen=_chosen(args.use),
        best=args.best,
        repeat=asked.repeat,
        weights=asked.weights,
    )
    tell(args, lambda rows: {"best": [as_dict(row) for row in rows]}, in_words, found)
    return 1 if found[0].report.stopped else 0


def _chosen(rows: Sequence[str]) -> dict[str, str]:
    chosen = {}
    for row in rows:
        voice, sign, wanted = row.partition("=")
        if not (voice and sign and wanted):
            raise InputError(f"--use is '{row}'; expected two voices such as t2=ft")
        chosen[voice] = wanted
    return chosen


def as_dict(row: Refitted) -> dict[str, Any]:
    """The fields of the command contract."""
    return {
        "text": row.text,
        "cost": row.report.summary.cost,
        "tempo_limit": row.report.summary.tempo_limit,
        "findings": findings_of(row.report),
        "substitutions": [s.as_dict() for s in row.substitutions],
    }


def in_words(found: Sequence[Refitted]) -> str:
    """The answer for people."""
    lines = []
    for number, row in enumerate(found, 1):
        playable = "cannot be played; " if row.report.impossible else "not at this tempo; " if row.breaks else ""
        lines.append(f"{number}. {playable}{verdict_words(row.report)}")
        lines.append(f"   {' '.join(row.text.split())}")
        lines += [f"   {sub.source} to {sub.target}, {len(sub.strokes)}x: {sub.why}" for sub in row.substitutions]
        if not row.substitutions:
            lines.append("   nothing has to change")
    return "\n".join(lines)


VERB = Verb(
    "refit",
    "the pattern on another kit, or with one pedal",
    "Put the pattern, meant for --kit, on the kit --to: drums keep their order from high to low, cymbals go by their "
    "role. Closest in sound first, then cheapest. Exit 1 if even the best cannot be played.",
    run,
    (PATTERN,),
    (
        *PATTERN_OPTIONS,
        Option("--to", "the kit to play it on (default: the same kit)", "NAME|FILE"),
        Option("--pedals", "how many bass pedals there are", "1|2", whole(1, 2)),
        Option("--use", "settle what a voice becomes; can be repeated", "VOICE=VOICE", repeatable=True),
        best(5),
    ),
)
