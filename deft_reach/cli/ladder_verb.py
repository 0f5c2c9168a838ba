"""``deft-reach ladder``: how to bring a pattern to tempo."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import Any

from deft_reach.cli.inputs import PATTERN, PLAYED_BY, REPEAT, SOURCE, question
from deft_reach.cli.options import Option, Verb, real, whole
from deft_reach.cli.output import JSON, InputError, tell
from deft_reach.core.model.counting import counted
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.practice.chunks import build_chunks
from deft_reach.core.practice.ladder import (
    Equivalent,
    LadderError,
    Rung,
    build_ladder,
    equivalents,
    parse_step,
    seconds_of,
)
from deft_reach.core.practice.stages import Stage, build_up
from deft_reach.core.practice.verdicts import THREE_CLEAN


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    asked = question(args)
    if asked.pattern.unassigned:
        raise InputError("a ladder needs a settled sticking: give every ? a hand first (deft-reach plan)")
    try:
        what = (asked.pattern, asked.kit, asked.player, args.target)
        if args.by == "chunks":
            stages = build_chunks(*what, repeat=asked.repeat, weights=asked.weights)
        else:
            stages = build_up(*what, repeat=asked.repeat, weights=asked.weights, straight=args.straight)
        rungs = build_ladder(
            stages,
            args.target,
            start=args.start,
            step=None if args.step is None else parse_step(args.step),
            overspeed=args.overspeed,
            repeats=args.repeats,
            minutes=args.minutes,
            each=args.by == "chunks",
            home=False,
        )
    except LadderError as error:
        raise InputError(str(error)) from None
    same = equivalents(asked.pattern, args.target)
    tell(args, as_dict, in_words, stages, rungs, same)
    return 1 if any(stage.report.impossible for stage in stages) else 0


def _percent(text: str) -> float:
    try:
        return real(0, 1000, " %")(text.strip().removesuffix("%"))
    except argparse.ArgumentTypeError:
        raise argparse.ArgumentTypeError(f"'{text}' is none; expected percent such as 5%") from None


def _by_layers(args: argparse.Namespace) -> str:
    return "does nothing with --by chunks, which have no stages before the kit" if args.by == "chunks" else ""


def as_dict(stages: Sequence[Stage], rungs: Sequence[Rung], same: Sequence[Equivalent]) -> dict[str, Any]:
    """The contract's shape; a rung's stage is the stage's name."""
    return {
        "stages": [{"name": s.name, "text": s.text, "tempo_limit": s.tempo_limit, "why": s.why} for s in stages],
        "rungs": [
            {"tempo": r.tempo, "stage": stages[r.stage].name, "pace": r.pace, "repeats": r.repeats, "note": r.note}
            for r in rungs
        ],
        "equivalents": [{"grid": e.grid, "tempo": e.tempo} for e in same],
    }


def in_words(stages: Sequence[Stage], rungs: Sequence[Rung], same: Sequence[Equivalent]) -> str:
    """The answer for people."""
    lines = []
    for count, stage in enumerate(stages, 1):
        limit = "nothing limits it" if stage.tempo_limit is None else f"breaks at {stage.tempo_limit:.0f} BPM"
        lines.append(f"{count}. {stage.name}: {stage.why}; {limit}")
        lines.append(f"   {' '.join(stage.text.split())}")
    for rung in rungs:
        note = f"  {rung.note}" if rung.note else ""
        lines.append(f"{rung.tempo:6g} BPM  {stages[rung.stage].name}, {counted(rung.repeats, 'time')}{note}")
    long = seconds_of(rungs, stages, THREE_CLEAN) / 60
    lines.append(f"{len(rungs)} rungs, {long:.0f} min with {THREE_CLEAN.up_after} clean tries at each")
    if same:
        lines.append("as fast as " + ", ".join(f"{e.grid} at {e.tempo:g}" for e in same))
    return "\n".join(lines)


VERB = Verb(
    "ladder",
    "stages and tempi from slow to the target",
    "Build the pattern up in stages, and climb to the target tempo rung by rung. Without --start it begins where the "
    "fastest passage is easy.",
    run,
    (PATTERN,),
    (
        *SOURCE, *PLAYED_BY, REPEAT, JSON,
        Option("--target", "tempo to reach", "BPM", real(*TEMPO_RANGE, " BPM"), required=True),
        Option("--start", "tempo to begin with", "BPM", real(*TEMPO_RANGE, " BPM")),
        Option("--step", "from rung to rung: BPM, percent, double, or shrinking (default)", "N|N%"),
        Option("--overspeed", "a last rung so many percent above the target", "X%", _percent),
        Option(
            "--by", "one thing added at a time (default), or group by group and bar by bar", default="layers",
            choices=("layers", "chunks"),
        ),
        Option("--minutes", "how long it should take, three clean tries a rung", "M", real(1, 600, " min")),
        Option("--repeats", "how often a try is played through (default: for 30 to 60 seconds)", "N", whole(1, 1000)),
        Option(
            "--straight", "straight to the kit: no stages before it", default=False,
            applies=(_by_layers,),
        ),
    ),
)  # fmt: skip
