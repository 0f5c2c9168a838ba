"""``deft-reach convert``: a pattern from one format to another."""

from __future__ import annotations

import argparse
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

from deft_reach.cli.inputs import InputError, add_pattern_options, print_json, question, write_out
from deft_reach.core.document import Document, Plan, Score
from deft_reach.formats.document import dump_document
from deft_reach.formats.patterns import WRITABLE, dump_pattern
from deft_reach.store.documents import SUFFIX


def add(verbs: Any) -> None:
    """Add the verb and its options to the parser."""
    parser = verbs.add_parser(
        "convert",
        help="a pattern from one format to another",
        description="Read a pattern (stroke text, *.reach, MIDI, MusicXML, CSV of strokes) and write it as what OUT "
        f"ends in: {', '.join(WRITABLE)} or {SUFFIX}. What a foreign file leaves open is said on standard error.",
    )
    add_pattern_options(parser)
    parser.add_argument("out", metavar="OUT", help="the file to write")
    parser.set_defaults(run=run)


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    if args.text is not None and args.out is None:
        raise InputError("give the file to write")
    asked = question(args)
    out = Path(args.out)
    try:
        if out.suffix.lower() == SUFFIX:
            data = _document(asked, args)
        else:
            data = dump_pattern(asked.pattern, out.suffix or ".txt", asked.kit, asked.tempo, asked.name)
    except ValueError as error:
        raise InputError(f"{out}: {error}") from None
    write_out(out, data)
    for remark in asked.remarks:
        print(f"deft-reach: {remark}", file=sys.stderr)
    if args.json:
        print_json(
            {
                "out": str(out),
                "strokes": len(asked.pattern.strokes),
                "text": asked.pattern.text,
                "tempo": asked.tempo,
                "remarks": list(asked.remarks),
            }
        )
    else:
        print(f"wrote {out}: {len(asked.pattern.strokes)} strokes at {asked.tempo:g} BPM", file=sys.stderr)
    return 0


def _document(asked: Any, args: argparse.Namespace) -> bytes:
    kit = asked.kit if asked.kit.id else replace(asked.kit, id="kit-1")
    score = Score("pattern-1", asked.name, asked.pattern.text)
    plan = Plan("plan-1", asked.name, score.id, kit.id, asked.player.id, asked.tempo, asked.repeat)
    document = Document(asked.name, players=(asked.player,), kits=(kit,), patterns=(score,), plans=(plan,))
    return dump_document(document)
