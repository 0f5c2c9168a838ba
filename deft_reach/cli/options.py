"""How a verb is asked: its arguments and options, each declared once, with where it does something.

An option that would do nothing is refused, so that nobody believes it did. Options may stand between the arguments
and are never abbreviated.
"""

from __future__ import annotations

import argparse
import math
import re
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import Any, Final, NoReturn

#: Why an option does nothing with these arguments, as what follows its name; empty where it does something.
Condition = Callable[[argparse.Namespace], str]

BAD_INPUT: Final = 2


@dataclass(frozen=True)
class Argument:
    """What is given without a name; ``many`` of them where it may be, none where it is ``optional``."""

    dest: str
    metavar: str
    help: str
    optional: bool = False
    many: bool = False


@dataclass(frozen=True)
class Option:
    """What is given by name.

    ``metavar`` is empty for a switch, which is true or, as in ``--no-dynamics``, not; ``read`` turns its text into
    its value. ``applies`` says where it does nothing.
    """

    flag: str
    help: str
    metavar: str = ""
    read: Callable[[str], Any] = str
    default: Any = None
    choices: tuple[Any, ...] = ()
    repeatable: bool = False
    required: bool = False
    dest: str = ""
    applies: tuple[Condition, ...] = ()

    @property
    def name(self) -> str:
        """Where its value is found in what was parsed."""
        return self.dest or self.flag.lstrip("-").replace("-", "_")

    def only(self, *conditions: Condition) -> Option:
        """The same option, doing something in fewer places."""
        return replace(self, applies=(*self.applies, *conditions))

    def add_to(self, parser: argparse.ArgumentParser) -> None:
        """Declare it for argparse; what is not given leaves no trace there."""
        named: dict[str, Any] = {"dest": self.name, "help": self.help, "default": argparse.SUPPRESS}
        if not self.metavar and not self.choices:
            parser.add_argument(self.flag, action=_Once, nargs=0, const=not self.default, **named)
            return
        named["action"] = "append" if self.repeatable else _Once
        if self.choices:
            named["choices"] = self.choices
        if self.metavar:
            named["metavar"] = self.metavar
        parser.add_argument(self.flag, type=self.read, required=self.required, **named)


class _Once(argparse.Action):
    """Keeps a value, and refuses a second one."""

    def __call__(
        self, parser: argparse.ArgumentParser, found: argparse.Namespace, value: Any, option: str | None = None
    ) -> None:
        if hasattr(found, self.dest):
            parser.error(f"{option} is given twice")
        setattr(found, self.dest, self.const if self.nargs == 0 else value)


@dataclass(frozen=True)
class Verb:
    """One verb: what it is called, what it does, how it is asked, and the function that answers it."""

    name: str
    help: str
    description: str
    run: Callable[[argparse.Namespace], int]
    arguments: tuple[Argument, ...] = ()
    options: tuple[Option, ...] = ()
    #: Puts arguments in the place where they are meant, before the options are looked at.
    arrange: Callable[[argparse.Namespace], None] = field(default=lambda args: None)

    def option(self, flag: str) -> Option:
        return next(option for option in self.options if option.flag == flag)

    def fill(self, parser: argparse.ArgumentParser) -> None:
        """Declare all of it for argparse."""
        for argument in self.arguments:
            nargs = "*" if argument.many else "?" if argument.optional else None
            parser.add_argument(argument.dest, metavar=argument.metavar, help=argument.help, nargs=nargs)
        for option in self.options:
            option.add_to(parser)

    def parse(self, words: Sequence[str]) -> argparse.Namespace:
        """What was asked. Leaves the program with exit code 2 where that cannot be understood."""
        parser = Parser(prog=f"deft-reach {self.name}", description=self.description)
        self.fill(parser)
        args = parser.parse_intermixed_args(words)
        args.given = frozenset(option.flag for option in self.options if hasattr(args, option.name))
        for option in self.options:
            if option.flag not in args.given:
                setattr(args, option.name, [] if option.repeatable and option.default is None else option.default)
        self.arrange(args)
        for option in self.options:
            if option.flag in args.given:
                why = next(filter(None, (applies(args) for applies in option.applies)), "")
                if why:
                    parser.error(f"{option.flag} {why}")
        return args


class Parser(argparse.ArgumentParser):
    """An argument parser whose complaints are one line on standard error and exit code 2."""

    def __init__(self, **named: Any) -> None:
        super().__init__(**{"allow_abbrev": False, **named})

    def _print_message(self, message: str, file: Any = None) -> None:
        # As argparse has it, but what cannot be written to standard output is not passed over.
        if file is sys.stdout:
            file.write(message)
        elif message:
            say(message.rstrip("\n"))

    def error(self, message: str) -> NoReturn:
        # "argument --best: is 99" is said more plainly.
        message = re.sub(r"^argument (\S+): is ", r"\1 is ", message)
        self.exit(BAD_INPUT, f"{self.prog}: {message}; see {self.prog} --help\n")


def say(words: str) -> None:
    """A remark on standard error, if there is any."""
    if sys.stderr is not None:
        with suppress(OSError, ValueError):
            print(words, file=sys.stderr)


# --- where an option does something ---------------------------------------------------------------------------------


def with_option(flag: str, why: str) -> Condition:
    """Only where another option is given."""
    return lambda args: "" if flag in args.given else why


def without_option(flag: str, why: str) -> Condition:
    """Not where another option is given."""
    return lambda args: why if flag in args.given else ""


def any_of(options: Iterable[Option], *conditions: Condition) -> tuple[Option, ...]:
    """The same options, doing something in fewer places."""
    return tuple(option.only(*conditions) for option in options)


# --- what an option takes -------------------------------------------------------------------------------------------


def real(low: float, high: float, unit: str = "") -> Callable[[str], float]:
    """A number within bounds; it says its unit when it is refused."""

    def convert(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"'{text}' is not a number") from None
        if not (math.isfinite(value) and low <= value <= high):
            raise argparse.ArgumentTypeError(f"{text} is out of range: expected {low:g} to {high:g}{unit}")
        # Numbers that are none but in name, such as 1e-320, are 0.
        return value if abs(value) > TINY else 0.0

    return convert


def whole(low: int, high: int) -> Callable[[str], int]:
    """A whole number within bounds."""

    def convert(text: str) -> int:
        if not (text.lstrip("+-").isdecimal() and len(text) < 12):
            raise argparse.ArgumentTypeError(f"'{text}' is not a whole number")
        if not low <= int(text) <= high:
            raise argparse.ArgumentTypeError(f"is {text}; expected {low} to {high}")
        return int(text)

    return convert


def named_or_number(names: Mapping[str, float], low: float, high: float) -> Callable[[str], float]:
    """A number within bounds, or one of these names for one."""
    convert = real(low, high)
    return lambda text: names[text] if text in names else convert(text)


#: No number that means anything here is smaller than this.
TINY: Final = 1e-9
