"""The ``deft-reach`` command: the verbs, and without a verb the window.

Exit codes: 0 done, 1 the question was answered with "no", 2 bad input, 3 the answer could not be written. Verbs never
load Qt, but ``shot``.
"""

from __future__ import annotations

import argparse
import errno
import gc
import io
import os
import signal
import sys
from collections.abc import Callable, Sequence
from contextlib import suppress
from importlib import import_module
from pathlib import Path
from typing import Any, Final

from deft_reach import __version__
from deft_reach.cli.options import BAD_INPUT, Parser, Verb, say

# Matrices here are small: threads would only wait for each other, on a busy machine for seconds. Read when NumPy is
# loaded, which is later than this.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

VERBS: Final = (
    "analyse", "convert", "hands", "kit", "ladder", "layout", "perform", "plan", "refit", "relieve", "schema", "shot",
    "take", "today", "voice",
)  # fmt: skip

#: Verbs whose second word says what is wanted.
OF_TWO_WORDS: Final = ("kit",)

DONE, NO, NOT_WRITTEN = 0, 1, 3
#: What a shell says of a program whose reader has gone.
NOBODY_READS: Final = 128 + signal.SIGPIPE


#: New objects after which cycles are looked for: a verb is over soon, and makes many objects that stay.
COLLECTED_AFTER: Final = 500_000


def verbs_of(word: str) -> tuple[Verb, ...]:
    """The verbs that begin with a word, of which a kit has several; their module alone is loaded."""
    module = import_module(f"deft_reach.cli.{word}_verb")
    found: tuple[Verb, ...] = module.VERBS if word in OF_TWO_WORDS else (module.VERB,)
    return found


def all_verbs() -> tuple[Verb, ...]:
    """Every verb there is."""
    return tuple(verb for word in VERBS for verb in verbs_of(word))


def build_parser() -> argparse.ArgumentParser:
    """The whole command line, for its help."""
    parser = Parser(
        prog="deft-reach",
        description="Plan whether a sticking can be played, on this kit, by this player, at that tempo. "
        "Without a verb, opens the window.",
        epilog="deft-reach [FILE.reach] opens the window; deft-reach --demo opens it on a copy of the demo. "
        "A file goes to the window that runs, except with --new-window.",
    )
    parser.add_argument("--version", action="version", version=f"deft-reach {__version__}")
    verbs = parser.add_subparsers(dest="verb", metavar="VERB", parser_class=Parser)
    kits: Any = None
    for verb in all_verbs():
        word, _, action = verb.name.partition(" ")
        if action and kits is None:
            words = "list, show, measure or mirror kits"
            kit = verbs.add_parser(word, help=words, description="Kits and their measures.")
            kits = kit.add_subparsers(dest="action", metavar="list|show|measure|mirror", required=True)
        place = kits if action else verbs
        verb.fill(place.add_parser(action or word, help=verb.help, description=verb.description))
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command and return its exit code."""
    args = list(sys.argv[1:] if arguments is None else arguments)
    if not args or (args[0] not in VERBS and args[0] not in ("-h", "--help", "--version")):
        return _window(args)
    thresholds = gc.get_threshold()
    gc.set_threshold(COLLECTED_AFTER, *thresholds[1:])
    try:
        return _written(lambda: _answer(args))
    finally:
        gc.set_threshold(*thresholds)


def _answer(args: Sequence[str]) -> int:
    """What a verb answers. Raises SystemExit where it is asked wrongly, or for its help."""
    from deft_reach.cli.output import InputError

    asked = " ".join(args[: 2 if args[0] in OF_TWO_WORDS else 1])
    verb = next((verb for verb in verbs_of(args[0]) if verb.name == asked), None) if args[0] in VERBS else None
    if verb is None:
        build_parser().parse_args(args)
        return DONE
    parsed = verb.parse(args[len(verb.name.split()) :])
    try:
        return int(verb.run(parsed))
    except InputError as error:
        say(f"deft-reach: {error}")
        return BAD_INPUT


def _written(answer: Callable[[], int]) -> int:
    """Answer, and see to it that the answer has been written."""
    from deft_reach.cli.output import OutputError

    if sys.stdout is None:
        sys.stdout = _Closed()
    elif isinstance(sys.stdout, io.TextIOWrapper):
        # Names from files may hold what the terminal cannot show.
        sys.stdout.reconfigure(errors="backslashreplace")
    try:
        try:
            code = answer()
        except SystemExit:
            sys.stdout.flush()
            raise
        sys.stdout.flush()
        return code
    except BrokenPipeError:
        # Whoever read the output has gone.
        _write_no_more()
        return NOBODY_READS
    except OutputError as error:
        say(f"deft-reach: {error}")
        return NOT_WRITTEN
    except OSError as error:
        # Everything else that is read or written says so itself.
        _write_no_more()
        say(f"deft-reach: the answer cannot be written to standard output: {error.strerror or error}")
        return NOT_WRITTEN


class _Closed(io.TextIOBase):
    """Standard output where there is none."""

    def write(self, text: str) -> int:
        raise OSError(errno.EBADF, "it is closed")


def _write_no_more() -> None:
    """Nothing is to be written on the way out either."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _window(args: list[str]) -> int:
    parser = Parser(prog="deft-reach", add_help=False)
    parser.add_argument("file", nargs="?")
    parser.add_argument("--demo", action="store_true")
    parser.add_argument("--new-window", action="store_true")
    known, qt = parser.parse_known_args(args)
    from deft_reach.cli.inputs import is_there

    if known.file is not None and known.file.isidentifier() and not is_there(Path(known.file)):
        parser.error(f"there is no verb and no file '{known.file}'; the verbs are {', '.join(VERBS)}")
    unknown = [arg for arg in qt if arg.startswith("--")]
    if unknown:
        parser.error(f"unknown option {unknown[0]}")
    from deft_reach.app.run import run_window

    code: int = run_window(known.file, demo=known.demo, new_window=known.new_window)
    return code
