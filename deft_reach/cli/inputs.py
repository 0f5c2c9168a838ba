"""What the verbs read: patterns, kits and players, from files or straight from the command line."""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final, TypeVar

from deft_reach.cli.options import Argument, Option, named_or_number, real, say, whole
from deft_reach.cli.output import JSON, InputError
from deft_reach.core.document import Document, MissingError, Plan, read_text
from deft_reach.core.model.counting import counted
from deft_reach.core.model.kit import Kit
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import SKILLS, Constants, Player, PlayerError, check_player
from deft_reach.core.model.sticking_habits import StickingHabits, trouble_with
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import TEMPO_RANGE, StrokeTextError
from deft_reach.core.practice.hits import Hit
from deft_reach.formats.document import load_kit, load_player
from deft_reach.formats.note_map import MAX_BYTES as MAP_BYTES
from deft_reach.formats.note_map import NoteMap, load_note_map, shipped_maps
from deft_reach.formats.patterns import DEFAULT_TEMPO, MAX_BYTES, MIDI, MUSICXML, load_pattern, stem_of
from deft_reach.formats.reading import DocumentError
from deft_reach.store.documents import SUFFIX, open_document
from deft_reach.store.reading import read_file

T = TypeVar("T")


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
    #: Whether anybody said its tempo.
    tempo_said: bool = True


def _paths(args: argparse.Namespace) -> list[Path]:
    """The files that patterns are read from."""
    found = args.pattern if isinstance(args.pattern, list) else [args.pattern]
    return [Path(name) for name in found if name is not None]


def _of_documents(args: argparse.Namespace) -> str:
    has = any(path.suffix.lower() == SUFFIX for path in _paths(args))
    return "" if has else f"names a plan of a *{SUFFIX} document, and none was given"


def _of_scores(args: argparse.Namespace) -> str:
    has = any(path.suffix.lower() in (*MIDI, *MUSICXML) for path in _paths(args))
    return "" if has else "chooses a drum part of a MIDI or MusicXML file, and none was given"


def habits_of(text: str) -> StickingHabits:
    """Habits as ``lead=left,order=0.5``. Raises argparse.ArgumentTypeError."""
    named: dict[str, Any] = {}
    for part in filter(None, text.split(",")):
        name, _, what = (word.strip() for word in part.partition("="))
        if name not in ("lead", "hats", "sticking", "order") or name in named:
            raise argparse.ArgumentTypeError(f"'{part}'; expected each of lead=, hats=, sticking= and order= once")
        try:
            named[name] = float(what) if name == "order" else what
        except ValueError:
            raise argparse.ArgumentTypeError(f"'{part}'; expected order= and a number") from None
    found = StickingHabits(**named)
    trouble = trouble_with(found)
    if trouble is not None:
        raise argparse.ArgumentTypeError(trouble)
    return found


PATTERN: Final = Argument(
    "pattern", "FILE",
    "a *.reach document, a MIDI or MusicXML file, a CSV of strokes, or a text file with stroke text", optional=True,
)  # fmt: skip
PATTERNS: Final = replace(PATTERN, optional=False, many=True)
TEXT: Final = Option("-e", "stroke text, instead of a file", "TEXT", dest="text")
PLAN: Final = Option(
    "--plan", f"which plan of a *{SUFFIX} document (default: the first)", "NAME", applies=(_of_documents,)
)
TRACK: Final = Option(
    "--track", "which drum part of a MIDI or MusicXML file, from 1 (default: the fullest)", "N", whole(1, 1000),
    applies=(_of_scores,),
)  # fmt: skip
KIT: Final = Option("--kit", f"one of {', '.join(LAYOUTS)}, or a file (default five)", "NAME|FILE")
PLAYER: Final = Option("--player", "a player as JSON, or a document (its first player)", "FILE")
SKILL: Final = Option("--skill", "0.2 to 3, or untrained, working, advanced", "X", named_or_number(SKILLS, 0.2, 3.0))
HABITS: Final = Option(
    "--habits",
    "what the player prefers: lead=right|left, hats=crossed|open, sticking=singles|doubles, order=0..3",
    "NAME=WHAT,…", habits_of,
)  # fmt: skip
TEMPO: Final = Option("--tempo", "quarter notes a minute (default 100)", "BPM", real(*TEMPO_RANGE, " BPM"))
REPEAT: Final = Option("--repeat", "treat the pattern as a loop", default=False)
#: Where a pattern comes from, and who plays it how.
SOURCE: Final = (TEXT, PLAN, TRACK, KIT)
PLAYED_BY: Final = (PLAYER, SKILL)
PATTERN_OPTIONS: Final = (*SOURCE, *PLAYED_BY, HABITS, TEMPO, REPEAT, JSON)


def best(default: int, most: int = 50) -> Option:
    """How many answers are wanted."""
    return Option("--best", f"how many (default {default})", "K", whole(1, most), default)


def notes_option(words: str) -> Option:
    """``--notes``; ``words`` say whose notes they are."""
    help = f"{words}: one of {', '.join(shipped_maps())} (default general-midi), or a note map's file"
    return Option("--notes", help, "NAME|FILE", default="general-midi")


def file_last(args: argparse.Namespace) -> None:
    """With ``-e`` the only file is the one that comes last."""
    last = "out" if hasattr(args, "out") else "performance"
    if args.text is not None and getattr(args, last) is None:
        args.pattern, file = None, args.pattern
        setattr(args, last, file)


def player_of(args: argparse.Namespace, player: Player | None = None) -> Player:
    """The player that the arguments name, or else ``player``. Raises InputError.

    A skill that is asked for stands in the place of what was measured.
    """
    found = player or Player()
    if getattr(args, "player", None) is not None:
        found = guarded(Path(args.player), lambda path: load_player(read_file(path)))
    if getattr(args, "skill", None) is not None:
        found = replace(found, skill=args.skill, constants=Constants())
    if getattr(args, "habits", None) is not None:
        found = replace(found, habits=args.habits)
    try:
        check_player(found)
    except PlayerError as error:
        raise InputError(str(error)) from None
    return found


def question(args: argparse.Namespace) -> Question:
    """Read what the arguments name. Raises InputError."""
    asked = {name: getattr(args, name, None) for name in ("plan", "track", "kit", "tempo", "repeat")}
    if (args.pattern is None) == (args.text is None):
        raise InputError("give a pattern: either a file or -e TEXT")
    plan: Plan | None = None
    weights = Weights()
    path = None if args.pattern is None else Path(args.pattern)
    kit, player = layout("five"), Player()
    name, source, remarks = "Pattern", "", tuple[str, ...]()
    file_tempo: float | None = None
    repeat = bool(asked["repeat"])
    document: Document | None = None
    if path is not None and path.suffix.lower() == SUFFIX:
        document, _ = guarded(path, open_document)
        if not document.plans:
            raise InputError(f"{path}: the document holds no plan")
        try:
            plan = document.plan(asked["plan"]) if asked["plan"] else document.plans[0]
        except MissingError as error:
            raise InputError(f"{path}: {error}") from None
        text, source, name = document.score(plan.pattern).text, f"{path}, plan '{plan.name}'", plan.name
        kit, player, weights = document.kit(plan.kit), document.player(plan.player), plan.weights
        repeat = repeat or plan.repeat
    if asked["kit"] is not None:
        kit = read_kit(asked["kit"])
    if path is None:
        text = args.text
    elif document is None:
        track = None if asked["track"] is None else asked["track"] - 1
        found = guarded(path, lambda p: load_pattern(read_file(p, MAX_BYTES), p.suffix, kit, track))
        text, source, name = found.text, str(path), stem_of(path.name)
        file_tempo, remarks = found.tempo, found.remarks
        repeat = repeat or found.repeat
        if len(found.tracks) > 1 and asked["track"] is None:
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
    for remark in remarks:
        say(f"deft-reach: {remark}")
    said = asked["tempo"] or (plan.tempo if plan else None) or pattern.tempo or file_tempo
    return Question(pattern, kit, player, said or DEFAULT_TEMPO, repeat, weights, name, remarks, said is not None)


def read_kit(name: str) -> Kit:
    """A shipped layout by name, or a kit from a file. Raises InputError where there is no such kit."""
    if name in LAYOUTS:
        return layout(name)
    path = Path(name)
    if not is_there(path):
        raise InputError(f"there is no kit and no file '{name}'; the kits are {', '.join(LAYOUTS)}")
    return guarded(path, lambda p: load_kit(read_file(p)))


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
        say(f"{notes} ({', '.join(map(str, strangers))}) not in the note map '{found.name}': not counted")
    return found.heard(hits)


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


def words_of(text: str) -> list[str]:
    """Names given with commas or spaces between them."""
    return text.replace(",", " ").split()
