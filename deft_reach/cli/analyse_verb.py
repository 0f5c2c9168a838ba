"""``deft-reach analyse``: what the hands and feet have to do, and whether it works."""

from __future__ import annotations

import argparse

from deft_reach.cli.inputs import PATTERN, PATTERN_OPTIONS, question
from deft_reach.cli.options import Verb, say
from deft_reach.cli.output import InputError, print_json
from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.report import Report, pace_word
from deft_reach.core.model.counting import place
from deft_reach.core.search.planner import PlanError, find_stickings

_ROW = "{:>3} {:>3} {:<7}{:<5}{:<9}{:<7}{:>8}{:>9}{:>7}  {:>8}  {}"


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    asked = question(args)
    pattern = asked.pattern
    if pattern.unassigned:
        # Open hands are the planner's to choose: the easiest ones are analysed.
        try:
            found = find_stickings(
                pattern, asked.kit, asked.player, asked.tempo, best=1, repeat=asked.repeat, weights=asked.weights
            )
        except PlanError as error:
            raise InputError(str(error)) from None
        pattern = found.best[0].pattern
    report = analyse(pattern, asked.kit, asked.player, asked.tempo, repeat=asked.repeat, weights=asked.weights)
    if args.json:
        print_json(report.as_dict())
        for remark in report.remarks:
            say(f"deft-reach: {remark.message}")
    else:
        if asked.pattern.unassigned:
            print(f"Open hands were given the easiest: {pattern.sticking}\n")
            for line in found.open_in_words:
                print(f"{line}\n")
        print(in_words(report))
    return 1 if report.stopped else 0


def in_words(report: Report) -> str:
    """The report as a page of text."""
    s = report.summary
    limit = "no limit" if s.tempo_limit is None else f"breaks at {s.tempo_limit:.0f} BPM"
    if s.bottleneck is not None:
        b = report.strokes[s.bottleneck]
        limit += f" (bar {b.bar}, {place(b.beat)}: {b.limb} to {b.voice})"
    lines = [
        f"{s.strokes} strokes at {s.tempo:g} BPM on '{report.table.kit.name}': {s.level}, ease {s.ease:.0f}, "
        f"cost {s.cost:.2f} ({s.cost_per_bar:.2f} a bar), {limit}",
        "",
        _ROW.format("", "bar", "beat", "limb", "voice", "marks", "gap", "needed", "pace", "limit", "").rstrip(),
    ]
    for stroke in report.strokes:
        gap = f"{stroke.gap * 1000:.0f} ms" if stroke.gap is not None else "–"
        pace = f"{stroke.pace:.2f}" if stroke.pace is not None else "–"
        tempo = f"{stroke.tempo_limit:.0f} BPM" if stroke.tempo_limit is not None else "–"
        lines.append(
            _ROW.format(
                stroke.index,
                stroke.bar,
                place(stroke.beat),
                stroke.limb,
                stroke.voice,
                stroke.grace + stroke.marks,
                gap,
                f"{stroke.needed * 1000:.0f} ms",
                pace,
                tempo,
                pace_word(stroke.pace),
            ).rstrip()
        )
    if report.said:
        lines += ["", *(f"{f.severity:8}{f.kind:16}{f.message}" for f in report.said)]
    return "\n".join(lines)


VERB = Verb(
    "analyse",
    "what the hands have to do, where it breaks, what it costs",
    "Follow every limb from strike to strike and say what happens. Exit 1 if it cannot be played.",
    run,
    (PATTERN,),
    PATTERN_OPTIONS,
)
