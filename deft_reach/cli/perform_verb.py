"""``deft-reach perform``: the simulated electronic kit plays a pattern, with faults of your choice."""

from __future__ import annotations

import argparse
from dataclasses import replace
from typing import Any, Final

from deft_reach.cli.inputs import (
    KIT,
    PATTERN,
    PLAN,
    PLAYED_BY,
    TEMPO,
    TEXT,
    TRACK,
    file_last,
    notes_option,
    player_of,
    question,
    read_kit,
    read_note_map,
)
from deft_reach.cli.options import Argument, Option, Verb, any_of, real, whole, with_option, without_option
from deft_reach.cli.output import FORCE, JSON, InputError, Output, no_json_beside, tell
from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.player import CONSTANTS
from deft_reach.core.practice.hand_speed import usual_constants
from deft_reach.core.practice.hand_speed_simulation import perform_test
from deft_reach.core.practice.ramp import Ramp, RampError, parse_ramp
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.formats import kinds
from deft_reach.formats.general_midi import hand_test_keys, pattern_keys
from deft_reach.formats.midi_take import dump_performance

#: Option, field of Faults, what it is divided by, lowest, highest, and what it does.
FAULTS: Final = (
    ("--late-left", "late_left", 1000.0, -100.0, 100.0, "MS", "the left hand this late"),
    ("--late-right", "late_right", 1000.0, -100.0, 100.0, "MS", "the right hand this late"),
    ("--feet", "rush_feet", 1.0, 0.5, 1.5, "X", "runs of the feet this long against what is written (0.7 rushes)"),
    ("--doubles", "uneven_doubles", 1.0, 0.5, 1.5, "X", "the second stroke of doubles comes after this much"),
    ("--missed", "missed", 100.0, 0.0, 90.0, "%", "so many of the strokes left out"),
    ("--extra", "extra", 100.0, 0.0, 50.0, "%", "so many strokes twice"),
    ("--drift", "drift", 100.0, -30.0, 30.0, "%", "the end so much faster than the beginning"),
    ("--flat", "flat", 100.0, 0.0, 100.0, "%", "so much of the dynamics gone"),
    ("--swapped", "swapped", 100.0, 0.0, 100.0, "%", "so many accents played softly"),
    ("--jitter", "jitter", 1000.0, 0.0, 60.0, "MS", "random unsteadiness"),
    ("--late-feet", "late_feet", 1000.0, -100.0, 100.0, "MS", "both feet this late"),
    ("--late-hat-foot", "late_hat_foot", 1000.0, -100.0, 100.0, "MS", "the hi-hat foot this much later still"),
    ("--flub", "flub", 1000.0, -200.0, 200.0, "MS", "one stroke in the middle this late"),
    ("--faster", "tempo", 100.0, -50.0, 100.0, "%", "all of it so much faster than asked"),
    ("--bare", "bare", 100.0, 0.0, 100.0, "%", "so many of the graced strokes without their graces"),
    ("--graces", "grace_width", 1.0, 0.1, 4.0, "X", "graces so wide against what is usual"),
    ("--latency", "latency", 1000.0, 0.0, 500.0, "MS", "everything arrives this late"),
    ("--retrigger", "retrigger", 100.0, 0.0, 50.0, "%", "so many strokes sent twice by their pad"),
    ("--crosstalk", "crosstalk", 100.0, 0.0, 50.0, "%", "so many strokes set another pad off"),
)
#: Faults that are counted: as above.
COUNTED: Final = (
    ("--count-in", "count_in", 16, "so many beats before it"),
    ("--broken-off", "broken_off", 500, "so many hits missing at the very end"),
)
#: Faults that chance deals out; without one of them a seed would change nothing.
BY_CHANCE: Final = ("--jitter", "--missed", "--extra", "--swapped", "--bare", "--retrigger", "--crosstalk")


def _constant(text: str) -> tuple[str, float]:
    name, _, value = text.partition("=")
    if name not in CONSTANTS:
        raise argparse.ArgumentTypeError(f"there is no constant '{name}'; expected one of {', '.join(CONSTANTS)}")
    _, low, high = CONSTANTS[name]
    return name, real(low, high)(value)


def _a_ramp(text: str) -> Ramp:
    try:
        return parse_ramp(text)
    except RampError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def _hand_test(args: argparse.Namespace, out: Output) -> int:
    """Play a hand test into a file."""
    kit = layout("five") if args.kit is None else read_kit(args.kit)
    player = player_of(args)
    constants = replace(player.constants, **dict(args.constant))
    usual = usual_constants(player)
    if (constants.move is None) != (constants.move_per_bit is None):
        constants = replace(
            constants, move=constants.move or usual.move, move_per_bit=constants.move_per_bit or usual.move_per_bit
        )
    jitter = 0.003 if args.fault_jitter is None else args.fault_jitter / 1000
    played = perform_test(
        replace(player, constants=constants), kit, hand_test_keys(kit), jitter=jitter, seed=args.seed
    )
    out.write(dump_performance(read_note_map(args.notes).sent(played.hits), played.marks))
    exercises = [{"name": name, "time": time} for time, name in played.marks]
    found = {"out": args.out, "hits": len(played.hits), "exercises": exercises}
    _tell(args, out, found, f"{args.out}: {len(played.hits)} hits, {len(played.marks)} exercises")
    return 0


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered, OutputError for what cannot be written.
    """
    if args.hands and args.pattern is not None:
        raise InputError("a hand test needs no pattern: give only the file to write, OUT.mid")
    if args.out is None:
        raise InputError("give the file to write: OUT.mid")
    out = Output(args.out, kinds.MIDI, force=args.force)
    if args.hands:
        return _hand_test(args, out)
    asked = question(args)
    if not asked.pattern.strokes or asked.pattern.unassigned:
        raise InputError("only a pattern with strokes and a settled sticking can be performed")
    given = {field: (getattr(args, f"fault_{field}"), by) for _, field, by, *_ in FAULTS}
    chosen: dict[str, Any] = {field: value / by for field, (value, by) in given.items() if value is not None}
    chosen |= {field: getattr(args, f"fault_{field}") for _, field, *_ in COUNTED}
    keys, graces = pattern_keys(asked.kit, asked.pattern)
    limits = None
    if args.strain:
        report = analyse(asked.pattern, asked.kit, asked.player, asked.tempo, repeat=True, weights=asked.weights)
        limits = [stroke.tempo_limit for stroke in report.strokes]
    rounds, tempi = args.rounds, None
    if args.ramp is not None:
        rounds, tempi = args.ramp.rounds, args.ramp.tempi.tolist()
    faults = Faults(**chosen, clicked=args.clicked, seed=args.seed)
    played = simulate(asked.pattern, keys, asked.tempo, faults, rounds, tempi, limits, graces)
    out.write(dump_performance(read_note_map(args.notes).sent(played.hits)))
    at = f"{asked.tempo:g} BPM" if args.ramp is None else f"{args.ramp.start:g} to {args.ramp.end:g} BPM"
    found = {
        "out": args.out,
        "hits": len(played.hits),
        "rounds": rounds,
        "tempo": asked.tempo if args.ramp is None else None,
        "ramp": None if args.ramp is None else {"start": args.ramp.start, "end": args.ramp.end},
        "missed": [{"round": turn + 1, "stroke": stroke} for turn, stroke in played.missed],
        "swapped": [{"round": turn + 1, "stroke": stroke} for turn, stroke in played.swapped],
    }
    _tell(args, out, found, f"{args.out}: {len(played.hits)} hits at {at}")
    return 0


def _tell(args: argparse.Namespace, out: Output, found: dict[str, Any], words: str) -> None:
    if not out.is_standard:
        tell(args, lambda: found, lambda: words)


def _arrange(args: argparse.Namespace) -> None:
    """With ``-e``, and of a hand test, the only file is the one to write."""
    if args.hands and args.out is None:
        args.pattern, args.out = None, args.pattern
    file_last(args)


def _by_player(args: argparse.Namespace) -> str:
    return (
        ""
        if {"--hands", "--strain"} & args.given
        else "does nothing here: the simulated kit plays as asked, whoever plays; see --strain"
    )


def _by_chance(args: argparse.Namespace) -> str:
    dealt = {"--hands", *BY_CHANCE} & args.given
    return "" if dealt else f"does nothing where nothing is left to chance, as by {', '.join(BY_CHANCE)}"


_ALONE = without_option(
    "--hands", "does nothing with --hands: a hand test is played without a pattern, in its own time"
)
_STEADY = without_option("--ramp", "does nothing with --ramp, which has its own rounds and tempi")
VERB = Verb(
    "perform",
    "the simulated kit plays a pattern into a MIDI file",
    "Let the simulated electronic kit play a pattern into a MIDI file, perfectly or with faults, so that takes can "
    "be tried without a kit.",
    run,
    (PATTERN, Argument("out", "OUT.mid", "where to write it", optional=True)),
    (
        *any_of((TEXT, PLAN, TRACK), _ALONE), KIT, *any_of(PLAYED_BY, _by_player), TEMPO.only(_ALONE, _STEADY),
        FORCE, JSON.only(no_json_beside),
        Option("--hands", "play a hand test instead of a pattern, with the player's constants", default=False),
        Option(
            "--constant",
            f"of a hand test, in seconds (rebounds as a part): {', '.join(CONSTANTS)} (repeatable)",
            "NAME=VALUE", _constant, repeatable=True,
            applies=(with_option("--hands", "is of a hand test; give --hands as well"),),
        ),
        Option(
            "--ramp", "from one tempo to another in so many rounds, such as 80-140x12", "A-BxN", _a_ramp,
            applies=(_ALONE,),
        ),
        Option(
            "--clicked", "with the click that it was played to (note 33)", default=False, applies=(_ALONE,)
        ),
        Option(
            "--strain", "strokes come late above the player's limit for them", default=False, applies=(_ALONE,)
        ),
        Option("--rounds", "how often (default 4)", "N", whole(1, 500), 4, applies=(_ALONE, _STEADY)),
        notes_option("the notes that the simulated kit sends"),
        Option(
            "--seed", "the same seed plays the same (default 1)", "N", whole(0, 2**31 - 1), 1, applies=(_by_chance,)
        ),
        *(
            Option(
                flag, words, unit, real(low, high, f" {unit}"), dest=f"fault_{field}",
                applies=(() if flag == "--jitter" else (_ALONE,)) + ((_STEADY,) if flag == "--drift" else ()),
            )
            for flag, field, _, low, high, unit, words in FAULTS
        ),
        *(
            Option(flag, words, "N", whole(0, most), 0, dest=f"fault_{field}", applies=(_ALONE,))
            for flag, field, most, words in COUNTED
        ),
    ),
    _arrange,
)  # fmt: skip
