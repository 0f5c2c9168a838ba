"""``deft-reach voice``: a sticking put round the kit."""

from __future__ import annotations

import argparse
from typing import Any

from deft_reach.cli.answers import answer, answer_dict, findings_of, searched_words, verdict_words
from deft_reach.cli.inputs import PATTERN, PATTERN_OPTIONS, best, question, words_of
from deft_reach.cli.options import Option, Verb
from deft_reach.cli.output import tell
from deft_reach.core.search.voicing import CONTOURS, Voicings, find_voicings, way_in_words


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    asked = question(args)
    palette, accents = words_of(args.palette), words_of(args.accents or "")
    found = answer(
        find_voicings,
        asked.pattern,
        asked.kit,
        asked.player,
        asked.tempo,
        palette,
        accents=accents,
        contour=args.contour,
        best=args.best,
        repeat=asked.repeat,
        weights=asked.weights,
    )
    tell(args, as_dict, in_words, found)
    return 1 if found.best[0].report.stopped else 0


def as_dict(found: Voicings) -> dict[str, Any]:
    """The contract's shape."""
    rows = [
        answer_dict(row.text, row.report, findings=findings_of(row.report), differs=list(row.differs))
        for row in found.best
    ]
    return {"best": rows, "searched": found.searched, "proven": found.proven}


def in_words(found: Voicings) -> str:
    """The answer for people."""
    lines = []
    for number, row in enumerate(found.best, 1):
        lines.append(f"{number}. {way_in_words(row.report.pattern, row.report.table.kit)}")
        lines.append(f"   {verdict_words(row.report)}")
        lines += [f"   {line}" for line in row.text.splitlines()]
    lines.append(searched_words(found.searched, "", found.proven))
    return "\n".join(lines)


VERB = Verb(
    "voice",
    "a sticking put round the kit, the easiest ways first",
    "Keep the hands and look for voices. Strokes written with a voice keep it; if all have one, all are free. Every "
    "voice of the palette is used, changes fall on groups or beats, doubles stay together. Exit 1 if even the best "
    "cannot be played.",
    run,
    (PATTERN,),
    (
        *PATTERN_OPTIONS,
        Option("--palette", "the voices to choose from, in order", "VOICE,…", required=True),
        Option("--accents", "where accented strokes go", "VOICE,…"),
        Option(
            "--contour",
            "the way through the palette; hands: one voice a hand; strokes: voices may change at every stroke "
            "(default free: they change at groups and beats)",
            default="free",
            choices=tuple(CONTOURS),
        ),
        best(5),
    ),
)
