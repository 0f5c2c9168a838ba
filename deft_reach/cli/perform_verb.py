"""``deft-reach perform``: the simulated electronic kit plays a pattern, with faults of your choice."""

from __future__ import annotations

import argparse
from dataclasses import replace
from typing import Any

from deft_reach.cli.inputs import (
    InputError,
    add_note_map_option,
    add_pattern_options,
    check_count,
    number,
    player_of,
    question,
    read_kit,
    read_note_map,
    write_out,
)
from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.model.player import CONSTANTS
from deft_reach.core.practice.hand_test import usual_constants
from deft_reach.core.practice.hand_test_simulation import perform_test
from deft_reach.core.practice.ramp import Ramp, RampError, parse_ramp
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.formats.general_midi import hand_test_keys, pattern_keys
from deft_reach.formats.midi_take import dump_performance

#: Option, field of Faults, what it is divided by, lowest, highest, and what it does.
FAULTS = (
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
    ("--count-in", "count_in", 1.0, 0, 16, "N", "so many beats before it"),
    ("--broken-off", "broken_off", 1.0, 0, 500, "N", "so many hits missing at the very end"),
    ("--retrigger", "retrigger", 100.0, 0.0, 50.0, "%", "so many strokes sent twice by their pad"),
    ("--crosstalk", "crosstalk", 100.0, 0.0, 50.0, "%", "so many strokes set another pad off"),
)


def add(verbs: Any) -> None:
    """Add the verb and its options to the parser."""
    parser = verbs.add_parser(
        "perform",
        help="the simulated kit plays a pattern into a MIDI file",
        description="Let the simulated electronic kit play a pattern into a MIDI file, perfectly or with faults, so "
        "that takes can be tried without a kit.",
    )
    add_pattern_options(parser)
    parser.add_argument("out", nargs="?", metavar="OUT.mid", help="where to write it")
    parser.add_argument(
        "--hands", action="store_true", help="play a hand test instead of a pattern, with the player's constants"
    )
    parser.add_argument(
        "--constant", metavar="NAME=VALUE", action="append", default=[], type=_constant,
        help=f"of a hand test, in seconds (rebounds as a part): {', '.join(CONSTANTS)} (repeatable)",
    )  # fmt: skip
    parser.add_argument(
        "--ramp", metavar="A-BxN", help="from one tempo to another in so many rounds, such as 80-140x12"
    )
    parser.add_argument("--clicked", action="store_true", help="with the click that it was played to (note 33)")
    parser.add_argument("--strain", action="store_true", help="strokes come late above the player's limit for them")
    parser.add_argument("--rounds", metavar="N", type=int, default=4, help="how often (default 4)")
    add_note_map_option(parser, "the notes that the simulated kit sends")
    parser.add_argument("--seed", metavar="N", type=int, default=1, help="the same seed plays the same")
    for option, field, _, low, high, unit, words in FAULTS:
        parser.add_argument(
            option, dest=field, metavar=unit, type=number(low, high, f" {unit}"), default=None, help=words
        )
    parser.set_defaults(run=run)


def _ramp(text: str) -> Ramp:
    try:
        return parse_ramp(text)
    except RampError as error:
        raise InputError(f"--ramp: {error}") from None


def _constant(text: str) -> tuple[str, float]:
    name, _, value = text.partition("=")
    if name not in CONSTANTS:
        raise argparse.ArgumentTypeError(f"there is no constant '{name}'; expected one of {', '.join(CONSTANTS)}")
    _, low, high = CONSTANTS[name]
    return name, number(low, high, "")(value)


def _hand_test(args: argparse.Namespace) -> int:
    """Play a hand test into a file."""
    out = args.out or args.pattern
    if out is None or args.text is not None or (args.out and args.pattern):
        raise InputError("a hand test needs no pattern: give only the file to write, OUT.mid")
    kit = read_kit(args.kit or "five")
    player = player_of(args)
    constants = replace(player.constants, **dict(args.constant))
    usual = usual_constants(player)
    if (constants.move is None) != (constants.move_per_bit is None):
        constants = replace(
            constants, move=constants.move or usual.move, move_per_bit=constants.move_per_bit or usual.move_per_bit
        )
    jitter = 0.003 if args.jitter is None else args.jitter / 1000
    played = perform_test(
        replace(player, constants=constants), kit, hand_test_keys(kit), jitter=jitter, seed=args.seed
    )
    write_out(out, dump_performance(read_note_map(args.notes).sent(played.hits), played.marks))
    print(f"{out}: {len(played.hits)} hits, {len(played.marks)} exercises")
    return 0


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    if args.hands:
        return _hand_test(args)
    if args.constant:
        raise InputError("--constant is for a hand test: give --hands as well")
    if args.text is not None and args.out is None:
        args.pattern, args.out = None, args.pattern
    if args.out is None:
        raise InputError("give the file to write: OUT.mid")
    check_count("--rounds", args.rounds, 1, 500)
    asked = question(args)
    if not asked.pattern.strokes or asked.pattern.unassigned:
        raise InputError("only a pattern with strokes and a settled sticking can be performed")
    chosen = {field: getattr(args, field) / by for _, field, by, *_ in FAULTS if getattr(args, field) is not None}
    chosen |= {field: round(chosen[field]) for field in ("count_in", "broken_off") if field in chosen}
    keys, graces = pattern_keys(asked.kit, asked.pattern)
    limits = None
    if args.strain:
        report = analyse(asked.pattern, asked.kit, asked.player, asked.tempo, repeat=True, weights=asked.weights)
        limits = [stroke.tempo_limit for stroke in report.strokes]
    rounds, tempi = args.rounds, None
    if args.ramp is not None:
        ramp = _ramp(args.ramp)
        rounds, tempi = ramp.rounds, ramp.tempi.tolist()
    faults = Faults(**chosen, clicked=args.clicked, seed=args.seed)
    played = simulate(asked.pattern, keys, asked.tempo, faults, rounds, tempi, limits, graces)
    write_out(args.out, dump_performance(read_note_map(args.notes).sent(played.hits)))
    print(f"{args.out}: {len(played.hits)} hits at {asked.tempo:g} BPM")
    return 0
