"""``deft-reach hands``: a player's own constants from a recorded hand test."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from deft_reach.cli.inputs import KIT, PLAYED_BY, guarded, heard, notes_option, player_of, read_kit
from deft_reach.cli.options import Argument, Verb
from deft_reach.cli.output import FORCE, JSON, InputError, Output, no_json_beside, out_option, tell
from deft_reach.core.model.layouts import layout
from deft_reach.core.model.player import CONSTANTS
from deft_reach.core.practice.cautions import HAND_TEST_CAUTION
from deft_reach.core.practice.hand_speed import HandTest, HandTestError, exercises_of, measure
from deft_reach.formats import kinds
from deft_reach.formats.document import dump_player, player_dict
from deft_reach.formats.general_midi import FOOT_KEYS
from deft_reach.formats.midi_file import MAX_BYTES
from deft_reach.formats.midi_take import load_performance, load_texts
from deft_reach.store.reading import read_file


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered, OutputError for what cannot be written.
    """
    out = None if args.out is None else Output(args.out, kinds.PLAYER, force=args.force)
    kit, player = layout("five") if args.kit is None else read_kit(args.kit), player_of(args)
    data = guarded(Path(args.test), lambda path: read_file(path, MAX_BYTES))
    hits, texts = guarded(Path(args.test), lambda _: (load_performance(data), load_texts(data)))
    hits = heard(args, hits)
    try:
        found = measure(exercises_of(hits, texts, FOOT_KEYS), kit, player)
    except HandTestError as error:
        raise InputError(f"{args.test}: {error}") from None
    if out is not None:
        out.write(dump_player(found.player))
    if out is None or not out.is_standard:
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


VERB = Verb(
    "hands",
    "your own speeds, measured from a hand test",
    "Measure a player's own constants from a recorded hand test: each hand and foot alone, doubles, and moves "
    "between two pads. Exercises are told by the texts in the file, or else by their order and the pauses between "
    f"them. {HAND_TEST_CAUTION}",
    run,
    (Argument("test", "TEST.mid", "the recorded test"),),
    (
        KIT, *PLAYED_BY, out_option("PLAYER.json", "write the player with these constants to this file"), FORCE,
        notes_option("what the kit's notes stand for"), JSON.only(no_json_beside),
    ),
)  # fmt: skip
