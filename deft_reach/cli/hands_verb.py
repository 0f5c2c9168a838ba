"""``deft-reach hands``: a player's own constants from a recorded hand test."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from deft_reach.cli.inputs import (
    InputError,
    add_note_map_option,
    add_player_options,
    guarded,
    heard,
    player_of,
    read_kit,
    tell,
    write_out,
)
from deft_reach.core.model.layouts import LAYOUTS
from deft_reach.core.model.player import CONSTANTS
from deft_reach.core.practice.cautions import HAND_TEST_CAUTION
from deft_reach.core.practice.hand_test import HandTest, HandTestError, exercises_of, measure
from deft_reach.formats.document import dump_player, player_dict
from deft_reach.formats.general_midi import FOOT_KEYS
from deft_reach.formats.midi_file import MAX_BYTES
from deft_reach.formats.midi_take import load_performance, load_texts
from deft_reach.store.reading import read_file


def add(verbs: Any) -> None:
    """Add the verb and its options to the parser."""
    parser = verbs.add_parser(
        "hands",
        help="your own speeds, measured from a hand test",
        description="Measure a player's own constants from a recorded hand test: each hand and foot alone, doubles, "
        "and moves between two pads. Exercises are told by the texts in the file, or else by their order and the "
        f"pauses between them. {HAND_TEST_CAUTION}",
    )
    parser.add_argument("test", metavar="TEST.mid", help="the recorded test")
    parser.add_argument(
        "--kit", metavar="NAME|FILE", default="five", help=f"one of {', '.join(LAYOUTS)}, or a file (default five)"
    )
    add_player_options(parser)
    parser.add_argument("--out", metavar="PLAYER.json", help="write the player with these constants to this file")
    add_note_map_option(parser, "what the kit's notes stand for")
    parser.add_argument("--json", action="store_true", help="print one JSON object")
    parser.set_defaults(run=run)


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    kit, player = read_kit(args.kit), player_of(args)
    data = guarded(Path(args.test), lambda path: read_file(path, MAX_BYTES))
    hits, texts = guarded(Path(args.test), lambda _: (load_performance(data), load_texts(data)))
    hits = heard(args, hits)
    try:
        found = measure(exercises_of(hits, texts, FOOT_KEYS), kit, player)
    except HandTestError as error:
        raise InputError(f"{args.test}: {error}") from None
    if args.out is not None:
        write_out(args.out, dump_player(found.player))
    tell(args, as_dict, in_words, found)
    return 0


def as_dict(found: HandTest) -> dict[str, Any]:
    """The fields of the command contract."""
    return {
        "constants": {name: row.as_dict() for name, row in found.constants.items()},
        "player": player_dict(found.player),
        "notes": list(found.notes),
    }


def in_words(found: HandTest) -> str:
    """The answer for people."""
    lines = []
    for name, row in found.constants.items():
        words = CONSTANTS[name][0] if name in CONSTANTS else "hand to hand, stroke to stroke"
        if name.endswith("rebound"):
            value = f"{row.value * 100:.0f} % of a stroke alone (usual: {row.usual * 100:.0f} %)"
        else:
            value = f"{row.value * 1000:.0f} ms, spread {row.spread * 1000:.0f} ms (usual: {row.usual * 1000:.0f} ms)"
        lines.append(f"{words}: {value}; from {row.source}")
    return "\n".join([*lines, *found.notes])
