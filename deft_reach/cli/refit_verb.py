"""``deft-reach refit``: the same figure on another kit, or with one pedal."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

from deft_reach.cli.answers import answer, findings_of, verdict_words
from deft_reach.cli.inputs import InputError, add_pattern_options, check_count, question, read_kit, tell
from deft_reach.core.search.refit import Refitted, refit


def add(verbs: Any) -> None:
    """Add the verb and its options to the parser."""
    parser = verbs.add_parser(
        "refit",
        help="the pattern on another kit, or with one pedal",
        description="Put the pattern, meant for --kit, on the kit --to: drums keep their order from high to low, "
        "cymbals go by their role. Closest in sound first, then cheapest. Exit 1 if even the best cannot be played.",
    )
    add_pattern_options(parser)
    parser.add_argument("--to", metavar="NAME|FILE", help="the kit to play it on (default: the same kit)")
    parser.add_argument("--pedals", metavar="1|2", type=int, choices=(1, 2), help="how many bass pedals there are")
    parser.add_argument(
        "--use",
        metavar="VOICE=VOICE",
        action="append",
        default=[],
        help="settle what a voice becomes; can be repeated",
    )
    parser.add_argument("--best", metavar="K", type=int, default=5, help="how many (default 5)")
    parser.set_defaults(run=run)


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    asked = question(args)
    if args.to is None and args.pedals is None:
        raise InputError("give the kit to play it on with --to, or --pedals 1 or 2")
    check_count("--best", args.best, 1, 50)
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
