"""Where answers go: standard output, and files that replace nothing they should not."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final

from deft_reach.cli.options import Option
from deft_reach.store.atomic import write_atomic
from deft_reach.store.replacing import holds_other, is_protected, no_place

#: The name that stands for standard output.
STANDARD_OUTPUT: Final = "-"
JSON: Final = Option("--json", "print one JSON object")


class InputError(Exception):
    """Something that was given cannot be used; the message says what, where and what to do."""


class OutputError(Exception):
    """The answer cannot be written; the message says where and why."""


class Output:
    """A file to be written, or standard output; ``kind`` is what it will hold, see ``formats.kinds``.

    Raises InputError at once, before anything is worked out, for what may not be written to.
    """

    def __init__(self, name: str, kind: str, *, force: bool = False) -> None:
        self.name, self.kind = name, kind
        self.path = None if name == STANDARD_OUTPUT else Path(name)
        if self.path is None:
            return
        try:
            folder = self.path.absolute().parent
            there = folder.is_dir()
        except (OSError, ValueError):
            raise InputError(f"{name}: no file can have this name") from None
        if not there:
            raise InputError(f"{name}: No such file or directory: the folder {folder} does not exist")
        never = no_place(self.path)
        if never:
            advice = f"; --out {STANDARD_OUTPUT} is standard output" if "pipe" in never else ""
            raise InputError(f"{name} is not written: {never}{advice}")
        why = is_protected(self.path) or holds_other(self.path, kind)
        if why and not force:
            raise InputError(f"{name} is not written: {why}; --force replaces it")

    def write(self, data: bytes) -> None:
        """Write a file, or nothing of it. Raises OutputError."""
        if self.path is None:
            try:
                out = getattr(sys.stdout, "buffer", None)
                if out is None:
                    sys.stdout.write(data.decode("utf-8", "replace"))
                else:
                    sys.stdout.flush()
                    out.write(data)
            except BrokenPipeError:
                raise
            except OSError as error:
                raise OutputError(f"standard output cannot be written: {error.strerror or error}") from None
            return
        try:
            write_atomic(self.path, data)
        except OSError as error:
            raise OutputError(f"{self.name} cannot be written: {error.strerror or error}") from None

    @property
    def is_standard(self) -> bool:
        """Whether it goes to standard output."""
        return self.path is None


def out_option(metavar: str, help: str, required: bool = False) -> Option:
    """``--out`` of a verb."""
    return Option("--out", f"{help}; {STANDARD_OUTPUT} is standard output", metavar, required=required)


def _no_file(args: argparse.Namespace) -> str:
    return (
        "" if getattr(args, "out", None) not in (None, STANDARD_OUTPUT) else "does nothing where no file is written"
    )


#: Of verbs that write a file.
FORCE: Final = Option(
    "--force", "replace a document, a read-only file or a file of another kind", default=False, applies=(_no_file,)
)


def no_json_beside(args: argparse.Namespace) -> str:
    """Standard output holds one thing."""
    return "does not go with a file on standard output" if getattr(args, "out", None) == STANDARD_OUTPUT else ""


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
