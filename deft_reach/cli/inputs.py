"""What the verbs read: patterns, kits and players, from files or straight from the command line."""

from __future__ import annotations

import argparse
import json
import math
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

from deft_reach.core.document import Document, MissingError, Plan, read_text
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import SKILLS, Constants, Player, PlayerError, check_player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import TEMPO_RANGE, StrokeTextError
from deft_reach.core.practice.hits import Hit
from deft_reach.formats.document import load_kit, load_player
from deft_reach.formats.note_map import MAX_BYTES as MAP_BYTES
from deft_reach.formats.note_map import NoteMap, load_note_map, shipped_maps
from deft_reach.formats.patterns import MAX_BYTES, MIDI, MUSICXML, load_pattern, stem_of
from deft_reach.formats.plain_text import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.documents import SUFFIX, open_document
from deft_reach.store.reading import read_file

T = TypeVar("T")


class InputError(Exception):
    """Something that was given cannot be used; the message says what, where and what to do."""


@dataclass(frozen=True)
class Question:
    """Everything an analysis needs, gathered from the command line."""

    pattern: Pattern
    kit: Kit
    player: Player
    tempo: float
    repeat: bool
    weights: Weights
    #: What to call it, and what the file it came from left open.
    name: str = "Pattern"
    remarks: tuple[str, ...] = ()


def number(low: float, high: float, unit: str) -> type[float]:
    """An argument type: a number within bounds that says its unit when it is refused."""

    def convert(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"'{text}' is not a number") from None
        if not (math.isfinite(value) and low <= value <= high):
            raise argparse.ArgumentTypeError(f"{text} is out of range: expected {low:g} to {high:g}{unit}")
        return value

    return convert  # type: ignore[return-value]


def add_pattern_options(parser: argparse.ArgumentParser, many: bool = False) -> None:
    """The pattern argument and the options common to every verb that takes one; ``many`` of them where it may."""
    parser.add_argument(
        "pattern",
        nargs="*" if many else "?",
        metavar="FILE",
        help="a *.reach document, a MIDI or MusicXML file, a CSV of strokes, or a text file with stroke text",
    )
    parser.add_argument(
        "-e", dest="text", metavar="TEXT", action="append" if many else "store", help="stroke text, instead of a file"
    )
    parser.add_argument("--plan", metavar="NAME", help="which plan of a *.reach document (default: the first)")
    parser.add_argument(
        "--track",
        metavar="N",
        type=int,
        help="which drum part of a MIDI or MusicXML file, from 1 (default: the fullest)",
    )
    parser.add_argument("--kit", metavar="NAME|FILE", help=f"one of {', '.join(LAYOUTS)}, or a file (default five)")
    add_player_options(parser)
    low, high = TEMPO_RANGE
    parser.add_argument(
        "--tempo", metavar="BPM", type=number(low, high, " BPM"), help="quarter notes a minute (default 100)"
    )
    parser.add_argument("--repeat", action="store_true", help="treat the pattern as a loop")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def add_player_options(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--player", metavar="FILE", help="a player as JSON, or a document (its first player)")
    parser.add_argument("--skill", metavar="X", type=_skill, help="0.2 to 3, or untrained, working, advanced")


def player_of(args: argparse.Namespace, player: Player | None = None) -> Player:
    """The player that the arguments name, or else ``player``. Raises InputError.

    A skill that is asked for stands in the place of what was measured.
    """
    found = player or Player()
    if args.player is not None:
        found = guarded(Path(args.player), lambda path: load_player(read_file(path)))
    if args.skill is not None:
        found = replace(found, skill=args.skill, constants=Constants())
    try:
        check_player(found)
    except PlayerError as error:
        raise InputError(str(error)) from None
    return found


def _skill(text: str) -> float:
    if text in SKILLS:
        return SKILLS[text]
    return number(0.2, 3.0, "")(text)


def question(args: argparse.Namespace) -> Question:
    """Read what the arguments name. Raises InputError."""
    if (args.pattern is None) == (args.text is None):
        raise InputError("give a pattern: either a file or -e TEXT")
    plan: Plan | None = None
    weights = Weights()
    path = None if args.pattern is None else Path(args.pattern)
    kit, player = layout("five"), Player()
    name, source, remarks = "Pattern", "", tuple[str, ...]()
    file_tempo: float | None = None
    if args.plan and (path is None or path.suffix != SUFFIX):
        raise InputError("--plan names a plan of a *.reach document, and none was given")
    if args.track is not None and (path is None or path.suffix.lower() not in (*MIDI, *MUSICXML)):
        raise InputError("--track chooses a drum part of a MIDI or MusicXML file, and none was given")
    document: Document | None = None
    if path is not None and path.suffix == SUFFIX:
        document, _ = guarded(path, open_document)
        if not document.plans:
            raise InputError(f"{path}: the document holds no plan")
        try:
            plan = document.plan(args.plan) if args.plan else document.plans[0]
        except MissingError as error:
            raise InputError(f"{path}: {error}") from None
        text, source, name = document.score(plan.pattern).text, f"{path}, plan '{plan.name}'", plan.name
        kit, player, weights = document.kit(plan.kit), document.player(plan.player), plan.weights
    if args.kit is not None:
        kit = read_kit(args.kit)
    if path is None:
        text = args.text
    elif document is None:
        track = None if args.track is None else args.track - 1
        found = guarded(path, lambda p: load_pattern(read_file(p, MAX_BYTES), p.suffix, kit, track))
        text, source, name = found.text, str(path), stem_of(path.name)
        file_tempo, remarks = found.tempo, found.remarks
        if len(found.tracks) > 1 and args.track is None:
            listed = ", ".join(f"{k} {part} ({notes} notes)" for k, (part, notes) in enumerate(found.tracks, 1))
            read = "all of them as one" if found.track is None else str(found.track + 1)
            remarks += (f"{path} has several drum parts: {listed}; read {read}, choose with --track",)
    player = player_of(args, player)
    if not text.strip():
        raise InputError(f"{source}: there is nothing to read" if source else "-e: there is nothing to read")
    try:
        pattern = read_text(text, kit)
    except StrokeTextError as error:
        raise InputError(f"{source}: {error}" if source else str(error)) from None
    tempo = args.tempo or (plan.tempo if plan else None) or pattern.tempo or file_tempo or 100.0
    repeat = args.repeat or (plan is not None and plan.repeat)
    return Question(pattern, kit, player, tempo, repeat, weights, name, remarks)


def read_kit(name: str) -> Kit:
    """A shipped layout by name, or a kit from a file. Raises InputError where there is no such kit."""
    if name in LAYOUTS:
        return layout(name)
    path = Path(name)
    if not is_there(path):
        raise InputError(f"there is no kit and no file '{name}'; the kits are {', '.join(LAYOUTS)}")
    return guarded(path, lambda p: load_kit(read_file(p)))


def add_note_map_option(parser: argparse.ArgumentParser, words: str) -> None:
    """Add ``--notes``; ``words`` say whose notes they are."""
    parser.add_argument(
        "--notes", metavar="NAME|FILE", default="general-midi",
        help=f"{words}: one of {', '.join(shipped_maps())} (default general-midi), or a note map's file",
    )  # fmt: skip


def read_note_map(name: str) -> NoteMap:
    """A shipped note map by name, or one from a file. Raises InputError where there is none."""
    shipped = shipped_maps()
    if name in shipped:
        return shipped[name]
    path = Path(name)
    if not is_there(path):
        raise InputError(f"there is no note map and no file '{name}'; the note maps are {', '.join(shipped)}")
    return guarded(path, lambda p: load_note_map(read_file(p, MAP_BYTES)))


def heard(args: argparse.Namespace, hits: Sequence[Hit]) -> tuple[Hit, ...]:
    """Hits by the note map that was asked for; notes that it does not have are said on standard error."""
    found = read_note_map(args.notes)
    strangers = found.strangers(hits)
    if strangers:
        notes = counted(len(strangers), "note")
        print(
            f"{notes} ({', '.join(map(str, strangers))}) not in the note map '{found.name}': not counted",
            file=sys.stderr,
        )
    return found.heard(hits)


def write_out(name: str | Path, data: bytes) -> None:
    """Write a file, or nothing of it. Raises InputError with its name."""
    try:
        write_atomic(Path(name), data)
    except OSError as error:
        raise InputError(f"{name}: {error.strerror or error}") from None


def is_there(path: Path) -> bool:
    """Whether a path exists; a name that cannot even be one does not."""
    try:
        return path.exists()
    except OSError:
        return False


def guarded(path: Path, read: Callable[[Path], T]) -> T:
    """Read a file, turning every way this can fail into one InputError with the file's name."""
    try:
        return read(path)
    except FileNotFoundError:
        raise InputError(f"{path}: there is no such file") from None
    except OSError as error:
        raise InputError(f"{path}: {error.strerror or error}") from None
    except (DocumentError, ValueError) as error:
        raise InputError(f"{path}: {error}") from None


def check_count(option: str, value: int, low: int, high: int) -> None:
    """Raises InputError for a number of things out of its range."""
    if not low <= value <= high:
        raise InputError(f"{option} is {value}; expected {low} to {high}")


def words_of(text: str) -> list[str]:
    """Names given with commas or spaces between them."""
    return text.replace(",", " ").split()


def tell(args: argparse.Namespace, as_dict: Callable[..., Any], in_words: Callable[..., str], *found: Any) -> None:
    """Print what was found: one JSON object where that was asked for, words otherwise."""
    if args.json:
        print_json(as_dict(*found))
    else:
        print(in_words(*found))


def print_json(value: Any) -> None:
    """One JSON object on standard output and nothing else."""
    json.dump(value, sys.stdout, allow_nan=False)
    sys.stdout.write("\n")
