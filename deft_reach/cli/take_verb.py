"""``deft-reach take``: a performance held against a pattern."""

from __future__ import annotations

import argparse
from pathlib import Path

from deft_reach.cli.inputs import PATTERN, REPEAT, SOURCE, TEMPO, file_last, guarded, heard, notes_option, question
from deft_reach.cli.options import Argument, Option, Verb, real, without_option
from deft_reach.cli.output import JSON, InputError, tell
from deft_reach.core.model.counting import counted
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.practice.ramp import RampError, RampTake, check_ramp, parse_ramp
from deft_reach.core.practice.take import check_take
from deft_reach.core.practice.take_report import Take, TakeError
from deft_reach.formats.general_midi import kit_keys, pattern_keys
from deft_reach.formats.midi_file import MAX_BYTES
from deft_reach.formats.midi_take import load_performance
from deft_reach.formats.note_map import fitting_map
from deft_reach.store.reading import read_file


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    if args.performance is None:
        raise InputError("give a performance: a MIDI file")
    asked = question(args)
    if asked.pattern.unassigned:
        raise InputError("a take needs a settled sticking: give every ? a hand first (deft-reach plan)")
    hits = heard(args, guarded(Path(args.performance), lambda path: load_performance(read_file(path, MAX_BYTES))))
    keys, graces = pattern_keys(asked.kit, asked.pattern)
    try:
        if args.ramp is not None:
            ramp = check_ramp(asked.pattern, keys, hits, parse_ramp(args.ramp))
            tell(args, RampTake.as_dict, lambda found: "\n".join(found.advice), ramp)
            return 0 if all(row.tempo is None for row in ramp.strokes) else 1
        found = check_take(
            asked.pattern, keys, hits, asked.tempo, asked.kit, repeat=asked.repeat, tolerance_ms=args.tolerance,
            free=_groups(asked.pattern, args.free), dynamics=args.dynamics,
            kit_keys=kit_keys(asked.kit), grace_keys=graces,
        )  # fmt: skip
        if args.notes is None:
            found = found.told_first(fitting_map(hits, [*keys, *graces.values()]))
    except TakeError as error:
        raise InputError(f"{args.performance}: {error}") from None
    except RampError as error:
        raise InputError(f"--ramp: {error}") from None
    tell(args, Take.as_dict, in_words, found)
    return 0 if found.verdict == "clean" else 1


def _groups(pattern: Pattern, names: list[str]) -> list[int]:
    found = []
    for name in names:
        by_name = [k for k, group in enumerate(pattern.groups) if group.name.casefold() == name.casefold() and name]
        if name.isdigit() and 1 <= int(name) <= len(pattern.groups):
            by_name = [int(name) - 1]
        if not by_name:
            raise InputError(f"there is no group '{name}'; the pattern has {len(pattern.groups)}")
        found += by_name
    return found


def in_words(found: Take) -> str:
    """The answer for people."""
    lines = [
        f"{found.verdict} at {found.tempo:.0f} BPM ({found.asked:g} asked), {counted(found.rounds, 'time')}, "
        f"tolerance {found.tolerance_ms:.0f} ms"
    ]
    for limb, row in found.limbs.items():
        side = "late" if row.bias_ms >= 0 else "early"
        missed = f", {row.missed} missed" if row.missed else ""
        lines.append(
            f"  {limb}: {row.strokes} strokes, {abs(row.bias_ms):.0f} ms {side}, "
            f"spread {row.spread_ms:.0f} ms{missed}"
        )
    even = ", ".join(f"{k.replace('_', ' ')} {v:.2f}" for k, v in found.evenness.items() if v is not None)
    if even:
        lines.append(f"  evenness: {even} (1 is even)")
    lines += [f"  {line}" for line in (*found.advice, *found.ignored_words)]
    return "\n".join(lines)


_RAMP = without_option("--ramp", "does nothing with --ramp, which has its own tempi and says where strokes gave out")
VERB = Verb(
    "take",
    "a performance from an electronic kit, checked",
    "Hold a performance (a MIDI file of an electronic kit) against a pattern: what was missed, who is late, how even "
    "it is, and what would help. Exit 1 unless it is clean.",
    run,
    (PATTERN, Argument("performance", "PERFORMANCE.mid", "what was played", optional=True)),
    (
        *SOURCE, TEMPO.only(_RAMP), REPEAT.only(_RAMP), JSON,
        Option(
            "--tolerance", "how far off counts as on (default: by the grid)", "MS", real(1, 200, " ms"),
            applies=(_RAMP,),
        ),
        Option(
            "--free", "a group, by number from 1 or by name, that may be laid back or stretched (repeatable)",
            "GROUP", repeatable=True, applies=(_RAMP,),
        ),
        Option(
            "--no-dynamics", "loudness is shown and not judged", dest="dynamics", default=True, applies=(_RAMP,)
        ),
        Option(
            "--ramp",
            "it was played from one tempo to another in so many rounds, such as 80-140x12: say where strokes gave "
            "out", "A-BxN",
        ),
        notes_option("what the kit's notes stand for"),
    ),
    file_last,
)  # fmt: skip
