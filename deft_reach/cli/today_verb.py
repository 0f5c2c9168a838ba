"""``deft-reach today``: what fills the minutes one has, from all committed plans and the log."""

from __future__ import annotations

import argparse
import tempfile
from datetime import datetime
from pathlib import Path

from deft_reach.cli.inputs import guarded
from deft_reach.cli.options import Argument, Option, Verb, real
from deft_reach.cli.output import JSON, InputError, tell
from deft_reach.core.document import Document
from deft_reach.core.model.counting import counted
from deft_reach.core.practice.day import KINDS, Played, Today
from deft_reach.core.practice.today import MINUTES_RANGE, USUAL_MINUTES, plan_today
from deft_reach.store.day_log import played_by
from deft_reach.store.documents import SUFFIX, open_document
from deft_reach.store.log_entries import LogbookError
from deft_reach.store.log_exchange import MAX_BYTES, from_csv, from_json
from deft_reach.store.logbook import Logbook
from deft_reach.store.places import logbook_file
from deft_reach.store.reading import read_file


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for a document or a logbook that cannot be read.
    """
    path = Path(args.file)
    if path.suffix.lower() != SUFFIX:
        raise InputError(f"{path}: a day is planned from a document (*{SUFFIX})")
    document, _ = guarded(path, open_document)
    now = datetime.now().astimezone()
    try:
        log = _played(args.log, document, now)
    except LogbookError as error:
        raise InputError(str(error) if args.log is None else f"{args.log}: {error}") from None
    tell(args, Today.as_dict, in_words, plan_today(document, log, args.minutes, now.date()))
    return 0


def _played(name: str | None, document: Document, now: datetime) -> Played:
    """What a logbook says; nothing where there is none yet. Raises LogbookError, InputError."""
    path = logbook_file() if name is None else Path(name)
    if name is None and not path.exists():
        return Played()
    if path.suffix.lower() not in (".csv", ".json"):
        if not path.is_file():
            raise InputError(f"{path}: there is no such logbook")
        return _read(path, document, now)
    text = guarded(path, lambda one: read_file(one, MAX_BYTES)).decode("utf-8", "replace")
    with tempfile.TemporaryDirectory(prefix="deft-reach-") as folder:
        copy = Path(folder) / "logbook.sqlite"
        book = Logbook(copy)
        try:
            (from_csv if path.suffix.lower() == ".csv" else from_json)(book, text)
        finally:
            book.close()
        return _read(copy, document, now)


def _read(path: Path, document: Document, now: datetime) -> Played:
    book = Logbook(path)
    try:
        book.adopt(document)
        return played_by(book, document, now.date())
    finally:
        book.close()


def in_words(today: Today) -> str:
    """The answer for people."""
    lines = []
    at = 0.0
    for item in today.items:
        tempo = "" if item.tempo is None else f" at {item.tempo:.4g} BPM"
        what = f" {item.name}{tempo}" if item.name else ""
        part = f" ({item.stage})" if item.stage else ""
        when = f"{at:3.0f} min  " if item.minutes else ""
        lines.append(f"{when}{KINDS[item.what].lower()}:{what}{part}" + (f"; {item.why}" if what else f" {item.why}"))
        at += item.minutes
    if not today.items:
        lines.append(f"{today.played:.0f} min are played: that is enough for today")
    elif today.minutes:
        over = f", {today.played:.0f} min are played" if today.played else ""
        lines.append(f"{today.minutes:.0f} min in all{over}")
    for plan, one in today.forecasts:
        away = f"{counted(one.sessions, 'session')} away, between {one.low} and {one.high}"
        lines.append(f"{plan.name}: home tempo ({plan.tempo:g} BPM) is about {away}")
    return "\n".join([*lines, *today.cautions])


VERB = Verb(
    "today",
    "what fills the minutes one has, from all committed plans and the log",
    "Plan a day's practice: warm-up, what is due, the next rungs, a part that breaks, a take at the end. What was "
    "played today is taken off.",
    run,
    (Argument("file", "FILE", f"a document (*{SUFFIX})"),),
    (
        JSON,
        Option("--minutes", f"how long there is (default {USUAL_MINUTES:g})", "M", real(*MINUTES_RANGE, " min"),
               default=USUAL_MINUTES),
        Option("--log", "another logbook: its file, or one exported as CSV or JSON", "FILE"),
    ),
)  # fmt: skip
