"""The ``deft-reach`` command: the verbs, and without a verb the window.

Exit codes: 0 done, 1 the question was answered with "no", 2 bad input. Verbs never load Qt, but ``shot``.
"""

from __future__ import annotations

import argparse
import gc
import io
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Final, NoReturn

from deft_reach import __version__

# Matrices here are small: threads would only wait for each other, on a busy machine for seconds. Read when NumPy is
# loaded, which is later than this.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

VERBS = (
    "analyse", "convert", "hands", "kit", "ladder", "layout", "perform", "plan", "refit", "relieve", "schema", "shot",
    "take", "voice",
)  # fmt: skip

DONE, NO, BAD_INPUT = 0, 1, 2


#: New objects after which cycles are looked for: a verb is over soon, and makes many objects that stay.
COLLECTED_AFTER: Final = 500_000


class _Parser(argparse.ArgumentParser):
    """An argument parser whose complaints are one line on standard error and exit code 2."""

    def error(self, message: str) -> NoReturn:
        self.exit(BAD_INPUT, f"{self.prog}: {message}; see {self.prog} --help\n")


def build_parser() -> argparse.ArgumentParser:
    """The whole command line."""
    parser = _Parser(
        prog="deft-reach",
        description="Plan whether a sticking can be played, on this kit, by this player, at that tempo. "
        "Without a verb, opens the window.",
        epilog="deft-reach [FILE.reach] opens the window; deft-reach --demo opens it on a copy of the demo. "
        "A file goes to the window that runs, except with --new-window.",
    )
    parser.add_argument("--version", action="version", version=f"deft-reach {__version__}")
    verbs = parser.add_subparsers(dest="verb", metavar="VERB", parser_class=_Parser)

    from deft_reach.cli import (
        analyse_verb,
        convert_verb,
        hands_verb,
        kit_verb,
        ladder_verb,
        layout_verb,
        perform_verb,
        plan_verb,
        refit_verb,
        relieve_verb,
        schema_verb,
        shot_verb,
        take_verb,
        voice_verb,
    )

    for module in (
        analyse_verb, convert_verb, hands_verb, kit_verb, ladder_verb, layout_verb, perform_verb, plan_verb,
        refit_verb, relieve_verb, schema_verb, shot_verb, take_verb, voice_verb,
    ):  # fmt: skip
        module.add(verbs)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command and return its exit code."""
    args = list(sys.argv[1:] if arguments is None else arguments)
    if not args or (args[0] not in VERBS and args[0] not in ("-h", "--help", "--version")):
        return _window(args)
    parsed = build_parser().parse_args(args)
    from deft_reach.cli.inputs import InputError

    if isinstance(sys.stdout, io.TextIOWrapper):
        # Names from files may hold what the terminal cannot show.
        sys.stdout.reconfigure(errors="backslashreplace")
    thresholds = gc.get_threshold()
    gc.set_threshold(COLLECTED_AFTER, *thresholds[1:])
    try:
        code = int(parsed.run(parsed))
        sys.stdout.flush()
    except InputError as error:
        print(f"deft-reach: {error}", file=sys.stderr)
        return BAD_INPUT
    except BrokenPipeError:
        # Whoever read the output has gone; nothing is to be written on the way out either.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return DONE
    finally:
        gc.set_threshold(*thresholds)
    return code


def _window(args: list[str]) -> int:
    parser = _Parser(prog="deft-reach", add_help=False)
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
