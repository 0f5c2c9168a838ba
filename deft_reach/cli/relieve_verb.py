"""``deft-reach relieve``: lighter rewrites of what one hand keeps going."""

from __future__ import annotations

import argparse
from typing import Any

from deft_reach.cli.answers import answer, answer_dict
from deft_reach.cli.inputs import PATTERN, PATTERN_OPTIONS, best, question, words_of
from deft_reach.cli.options import Option, Verb, real
from deft_reach.cli.output import tell
from deft_reach.core.analysis.endurance import lasting_words
from deft_reach.core.search.relief import (
    DEFAULT_KEEP,
    DEFAULT_SHARE,
    KEEPS,
    Relief,
    Reliefs,
    find_reliefs,
    lighter,
    moved_how,
)


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    asked = question(args)
    keep = words_of(args.keep)
    found = answer(
        find_reliefs,
        asked.pattern,
        asked.kit,
        asked.player,
        asked.tempo,
        args.hand,
        share=args.share,
        keep=keep,
        best=args.best,
        repeat=asked.repeat,
        weights=asked.weights,
    )
    tell(args, as_dict, in_words, found)
    return 0 if found.best else 1


def as_dict(found: Reliefs) -> dict[str, Any]:
    """The fields of the command contract."""
    return {
        "best": [row_dict(row, found.as_written) for row in found.best],
        "as_written": row_dict(found.as_written, found.as_written),
        "least_share": found.least_share,
    }


def row_dict(row: Relief, as_written: Relief) -> dict[str, Any]:
    """One way to play it in the contract's shape."""
    return answer_dict(
        row.text,
        row.report,
        share=row.share,
        longest_run=row.longest_run,
        moved=list(row.moved),
        dropped=list(row.dropped),
        kept=list(row.kept),
        heard=row.heard,
        lighter=lighter(row, as_written),
        lasts_seconds=None if row.load is None else row.load.lasts,
    )


def in_words(found: Reliefs) -> str:
    """The answer for people."""

    def line(row: Relief) -> str:
        lasts = lasting_words(row.load.lasts) if row.load else "it rests"
        cost = f"cost {row.report.summary.cost:.2f}"
        return f"plays {row.share * 100:.0f} %, {row.longest_run} in a row, lasts {lasts}; {cost}"

    lines = [f"as written: {line(found.as_written)}"]
    if not found.best:
        lines.append(
            f"with what is kept it goes down to {found.least_share * 100:.0f} % at least, and what would be harder "
            "to play is not offered; keep less, or ask for another share"
        )
    for number, row in enumerate(found.best, 1):
        change = lighter(row, found.as_written) * 100
        lines.append(f"{number}. {change:.0f} % lighter: {line(row)}")
        moved = f"{len(row.moved)} to the other hand{moved_how(row)}"
        lines.append(f"   {moved}, {len(row.dropped)} left out, {row.heard * 100:.0f} % heard")
        lines.append(f"   {' '.join(row.text.split())}")
    return "\n".join(lines)


VERB = Verb(
    "relieve",
    "lighter rewrites for a tired hand",
    "Rewrite what one hand keeps going so that it plays at most a share of its strokes: the rest go to the other "
    "hand as ghosts on the snare, or are left out. Best first: by cost, and a stroke left out counts. Exit 1 if too "
    "much is kept for that share.",
    run,
    (PATTERN,),
    (
        *PATTERN_OPTIONS,
        Option("--hand", "the hand to relieve", choices=("R", "L"), required=True),
        Option(
            "--share", f"how much of its strokes it plays at most, 0 to 1 (default {DEFAULT_SHARE:g})", "X",
            real(0, 1), DEFAULT_SHARE,
        ),
        Option(
            "--keep", f"what stays with it, of {', '.join(KEEPS)} (default {','.join(DEFAULT_KEEP)})", "WHAT,...",
            default=",".join(DEFAULT_KEEP),
        ),
        best(5),
    ),
)  # fmt: skip
