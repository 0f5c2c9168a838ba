"""``deft-reach convert``: a pattern from one format to another."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path

from deft_reach.cli.inputs import PATTERN, PLAYED_BY, REPEAT, SOURCE, TEMPO, Question, file_last, question
from deft_reach.cli.options import Argument, Verb, any_of, say
from deft_reach.cli.output import FORCE, JSON, STANDARD_OUTPUT, InputError, Output, no_json_beside, print_json
from deft_reach.core.document import Document, Plan, Score
from deft_reach.formats.document import dump_document
from deft_reach.formats.kinds import BY_SUFFIX, OTHER
from deft_reach.formats.patterns import TEXT_SUFFIX, WRITABLE, dump_pattern, lost_in
from deft_reach.store.documents import SUFFIX


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered, OutputError for what cannot be written.
    """
    if args.out is None:
        raise InputError(f"give a pattern and the file to write ({STANDARD_OUTPUT} is standard output)")
    suffix = _suffix(args)
    out = Output(args.out, BY_SUFFIX.get(suffix.lower(), OTHER), force=args.force)
    asked = question(args)
    tempo = asked.tempo if asked.tempo_said else None
    try:
        if suffix.lower() == SUFFIX:
            data = _document(asked)
        else:
            data = dump_pattern(asked.pattern, suffix, asked.kit, tempo, asked.name, asked.repeat)
    except ValueError as error:
        raise InputError(f"{args.out}: {error}") from None
    out.write(data)
    lost = () if suffix.lower() == SUFFIX else lost_in(suffix, asked.pattern, asked.repeat)
    for words in lost:
        say(f"deft-reach: {words}")
    if args.json:
        print_json(
            {
                "out": args.out,
                "strokes": len(asked.pattern.strokes),
                "text": asked.pattern.text,
                "tempo": asked.tempo,
                "repeat": asked.repeat,
                "remarks": [*asked.remarks, *lost],
            }
        )
    elif not out.is_standard:
        say(f"wrote {args.out}: {len(asked.pattern.strokes)} strokes at {asked.tempo:g} BPM")
    return 0


def _suffix(args: argparse.Namespace) -> str:
    """The ending that says what is written; standard output gets stroke text."""
    return TEXT_SUFFIX if args.out in (None, STANDARD_OUTPUT) else Path(args.out).suffix or TEXT_SUFFIX


def _document(asked: Question) -> bytes:
    kit = asked.kit if asked.kit.id else replace(asked.kit, id="kit-1")
    score = Score("pattern-1", asked.name, asked.pattern.text)
    plan = Plan("plan-1", asked.name, score.id, kit.id, asked.player.id, asked.tempo, asked.repeat)
    document = Document(asked.name, players=(asked.player,), kits=(kit,), patterns=(score,), plans=(plan,))
    return dump_document(document)


def _into_documents(args: argparse.Namespace) -> str:
    return "" if _suffix(args).lower() == SUFFIX else f"does nothing here: only a *{SUFFIX} document holds a player"


def _keeps_loops(args: argparse.Namespace) -> str:
    suffix = _suffix(args).lower()
    return (
        f"does nothing here: a *{suffix} file does not say that it is a loop"
        if suffix in (TEXT_SUFFIX, ".wav")
        else ""
    )


VERB = Verb(
    "convert",
    "a pattern from one format to another",
    "Read a pattern (stroke text, *.reach, MIDI, MusicXML, CSV of strokes) and write it as what OUT ends in: "
    f"{', '.join(WRITABLE)} or {SUFFIX}; {STANDARD_OUTPUT} writes stroke text to standard output. What a foreign "
    "file leaves open, and what a format cannot hold, is said on standard error.",
    run,
    (PATTERN, Argument("out", "OUT", "the file to write", optional=True)),
    (
        *SOURCE, *any_of(PLAYED_BY, _into_documents), TEMPO, REPEAT.only(_keeps_loops), FORCE,
        JSON.only(no_json_beside),
    ),
    file_last,
)  # fmt: skip
