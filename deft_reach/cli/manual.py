"""The manual page and the completion of shells, from the parser itself: ``python -m deft_reach.cli.manual man``."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator
from typing import Final

from deft_reach import __version__
from deft_reach.cli.main import build_parser

#: Options of the program itself, and what they do, for shells that show it.
_OWN: Final = {
    "--demo": "open the demo", "--new-window": "open another window", "--help": "show help",
    "--version": "show the version",
}  # fmt: skip


def verbs_of(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    """The verbs of a parser, each with its own."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            return dict(action.choices)
    return {}


def _escaped(words: str) -> str:
    """Text as roff takes it."""
    words = words.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{words}" if words[:1] in ".'" else words


def _options(parser: argparse.ArgumentParser) -> Iterator[str]:
    for action in parser._actions:
        if action.help == argparse.SUPPRESS or isinstance(action, argparse._SubParsersAction):
            continue
        metavar = action.metavar or (action.dest.upper() if action.nargs != 0 else "")
        value = " ".join(metavar) if isinstance(metavar, tuple) else metavar
        names = ", ".join(f"\\fB{_escaped(name)}\\fR" for name in action.option_strings)
        head = f"{names} \\fI{_escaped(value)}\\fR".strip() if names else f"\\fI{_escaped(value)}\\fR"
        yield ".TP"
        yield head
        yield _escaped(_words(action, parser))


def vars_of(parser: argparse.ArgumentParser, action: argparse.Action) -> dict[str, object]:
    """What a help text can name."""
    return {**vars(action), "prog": parser.prog}


def _words(action: argparse.Action, parser: argparse.ArgumentParser) -> str:
    """An option's help in one line."""
    return " ".join(((action.help or "") % vars_of(parser, action)).split())


def man_page() -> str:
    """The manual page in roff, section 1."""
    parser = build_parser()
    lines = [
        f'.TH DEFT\\-REACH 1 "" "Deft Reach {__version__}" "User Commands"',
        ".SH NAME",
        "deft\\-reach \\- plan whether a sticking can be played on a drum kit",
        ".SH SYNOPSIS",
        ".B deft\\-reach",
        "[\\fIFILE\\fR] | \\fIVERB\\fR ...",
        ".SH DESCRIPTION",
        _escaped(" ".join((parser.description or "").split())),
        ".SH OPTIONS",
        *_options(parser),
    ]
    for name, verb in verbs_of(parser).items():
        lines += [f".SH VERB {_escaped(name).upper()}", _escaped(" ".join((verb.description or "").split()))]
        inner = verbs_of(verb)
        lines += list(_options(verb))
        for word, one in inner.items():
            lines += [f".SS {_escaped(name)} {_escaped(word)}", *_options(one)]
    return "\n".join(line for line in lines if line) + "\n"


def bash_completion() -> str:
    """Completion of verbs and options for bash."""
    verbs = verbs_of(build_parser())
    cases = []
    for name, verb in verbs.items():
        words = [option for action in verb._actions for option in action.option_strings]
        words += list(verbs_of(verb))
        cases.append(f'    {name}) words="{" ".join(words)}" ;;')
    return "\n".join(
        [
            "_deft_reach() {",
            '  local word="${COMP_WORDS[COMP_CWORD]}" words=""',
            '  if [ "$COMP_CWORD" -eq 1 ]; then',
            f'    words="{" ".join([*verbs, *_OWN])}"',
            "  else",
            '    case "${COMP_WORDS[1]}" in',
            *cases,
            "    esac",
            "  fi",
            '  COMPREPLY=($(compgen -W "$words" -- "$word"))',
            "}",
            "complete -o default -F _deft_reach deft-reach",
            "",
        ]
    )


def zsh_completion() -> str:
    """Completion of verbs and options for zsh, each with what it does."""

    def quoted(name: str, words: str) -> str:
        clean = words.replace("'", "’").replace(":", "\\:")
        return f"'{name}:{clean}'"

    parser = build_parser()
    helps = {choice.dest: choice.help or "" for choice in _choices(parser)}
    verbs = [quoted(name, helps.get(name, "")) for name in verbs_of(parser)]
    cases = []
    for name, verb in verbs_of(parser).items():
        rows = [
            quoted(option, _words(action, verb))
            for action in verb._actions
            for option in action.option_strings
        ]  # fmt: skip
        rows += [quoted(word, "") for word in verbs_of(verb)]
        cases.append(f"      {name}) found=({' '.join(rows)}) ;;")
    return "\n".join(
        [
            "#compdef deft-reach",
            "_deft_reach() {",
            '  local verb="$words[2]"',
            "  local -a found",
            "  if (( CURRENT == 2 )); then",
            f"    found=({' '.join([*verbs, *(quoted(*row) for row in _OWN.items())])})",
            "  else",
            '    case "$verb" in',
            *cases,
            "    esac",
            "  fi",
            "  _describe 'deft-reach' found",
            "  _files",
            "}",
            '_deft_reach "$@"',
            "",
        ]
    )


def fish_completion() -> str:
    """Completion of verbs and options for fish, each with what it does."""

    def quoted(words: str) -> str:
        return "'" + words.replace("\\", "\\\\").replace("'", "\\'") + "'"

    parser = build_parser()
    helps = {choice.dest: choice.help or "" for choice in _choices(parser)}
    lines = [
        f"complete -c deft-reach -n __fish_use_subcommand -a {name} -d {quoted(helps.get(name, ''))}"
        for name in verbs_of(parser)
    ]
    lines += [
        f"complete -c deft-reach -n __fish_use_subcommand -l {name.removeprefix('--')} -d {quoted(words)}"
        for name, words in _OWN.items()
    ]
    for name, verb in verbs_of(parser).items():
        seen = f"complete -c deft-reach -n '__fish_seen_subcommand_from {name}'"
        for action in verb._actions:
            for option in action.option_strings:
                kind = "-l" if option.startswith("--") else "-s"
                lines.append(f"{seen} {kind} {option.lstrip('-')} -d {quoted(_words(action, verb))}")
        lines += [f"{seen} -a {word}" for word in verbs_of(verb)]
    return "\n".join([*lines, ""])


def _choices(parser: argparse.ArgumentParser) -> list[argparse.Action]:
    """The verbs as the help lists them."""
    return [
        choice
        for action in parser._actions
        if isinstance(action, argparse._SubParsersAction)
        for choice in action._choices_actions
    ]


def main() -> int:
    """Print what is asked for: the manual page, or the completion of a shell."""
    made = {"man": man_page, "bash": bash_completion, "zsh": zsh_completion, "fish": fish_completion}
    if len(sys.argv) != 2 or sys.argv[1] not in made:
        print(f"usage: python -m deft_reach.cli.manual {'|'.join(made)}", file=sys.stderr)
        return 2
    print(made[sys.argv[1]](), end="")
    return 0


if __name__ == "__main__":
    sys.exit(main())
