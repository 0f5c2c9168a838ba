"""Everything that reads what somebody else may have written: files to begin from, and the use of what was read."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.document import read_text
from deft_reach.core.model.limbs import KICK
from deft_reach.core.model.tape import TapeError, measure
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.practice.hand_speed import HandTestError, exercises_of
from deft_reach.formats.document import dump_document, dump_kit, dump_player, load_document, load_kit, load_player
from deft_reach.formats.midi_take import dump_performance, load_performance, load_texts
from deft_reach.formats.note_map import dump_note_map, load_note_map, shipped_maps
from deft_reach.formats.patterns import dump_pattern, load_pattern
from deft_reach.formats.pieces_csv import dump_pieces, load_pieces
from deft_reach.formats.reading import DocumentError
from deft_reach.formats.tape_csv import load_tape
from deft_reach.store.autosave import Autosave, leftovers
from deft_reach.store.log_entries import Attempt, LogbookError, TakeEntry
from deft_reach.store.log_exchange import from_csv, from_json, to_csv, to_json
from deft_reach.store.logbook import Logbook
from deft_reach.store.places import demo_file, demo_log_file
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.settings import Settings
from tests.hostile import mutations as by

KIT = layout("five")
#: Longer patterns are read and not analysed: what matters is the same, and it takes longer.
ANALYSED = 120


@dataclass(frozen=True)
class Reader:
    """``read`` may raise ``refusals`` and nothing else; ``seeds`` are whole files, ``mutations`` change them."""

    name: str
    read: Callable[[bytes], Any]
    seeds: Callable[[], list[bytes]]
    mutations: tuple[by.Mutation, ...]
    refusals: tuple[type[Exception], ...] = (DocumentError,)


PATTERNS = (
    "/16 R L R R  L R L L  R L R R  L R L L |",
    "meter 7/8 /8 R@hh+K L@sn> R@hh. L R@hh+K L fR@t1> |",
    "tempo 96 swing 66 /8 /8 R@rd R L+H R@rd L. dR@sn> = L ~ | /8t R L R L R L ? ? ? - - - |".replace(" ~", ""),
    "/16 ?@hh+K ? ?@sn ? (5:4 R L R L R) ?@t1 ?@t2 ?@ft ?@c1+K |",
)


@cache
def _patterns() -> list[Any]:
    found = []
    for text in PATTERNS:
        try:
            found.append(parse(text))
        except StrokeTextError:
            continue
    assert len(found) >= 2
    return found


def _exported(suffix: str) -> Callable[[], list[bytes]]:
    return lambda: [dump_pattern(pattern, suffix, KIT, 100.0) for pattern in _patterns()]


def _read_pattern(suffix: str) -> Callable[[bytes], None]:
    def read(data: bytes) -> None:
        found = load_pattern(data, suffix, KIT)
        try:
            pattern = read_text(found.text, KIT)
        except StrokeTextError:
            # Stroke text is read as it is; whatever is made from other files has to be right.
            if suffix != ".txt":
                raise AssertionError(f"what was read cannot be read: {found.text[:300]!r}") from None
            return
        if len(pattern.strokes) <= ANALYSED:
            analyse(pattern, KIT, Player(), found.tempo or 100.0, repeat=True)

    return read


def _compressed() -> list[bytes]:
    found = []
    for data in _exported(".musicxml")():
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("META-INF/container.xml", "<container/>")
            archive.writestr("score.xml", data)
        found.append(out.getvalue())
    return found


def _read_document(data: bytes) -> None:
    document = load_document(data)
    assert load_document(dump_document(document)) == document, "what is saved is what is read again"
    for plan in document.plans[:1]:
        try:
            pattern = read_text(document.score(plan.pattern).text, document.kit(plan.kit))
        except StrokeTextError:
            continue
        if len(pattern.strokes) <= ANALYSED:
            analyse(pattern, document.kit(plan.kit), document.player(plan.player), plan.tempo)


def _read_kit(data: bytes) -> None:
    kit = load_kit(data)
    assert load_kit(dump_kit(kit)).pieces == kit.pieces


def _read_pieces(data: bytes) -> None:
    kit = load_pieces(data, "x")
    assert len(load_pieces(dump_pieces(kit), "x").pieces) == len(kit.pieces)


def _read_note_map(data: bytes) -> None:
    found = load_note_map(data)
    assert load_note_map(dump_note_map(found)) == found


def _read_player(data: bytes) -> None:
    player = load_player(data)
    assert load_player(dump_player(player)) == player


def _read_tape(data: bytes) -> None:
    readings, _ = load_tape(data)
    if len(readings) <= 60:
        measure(readings, KIT, Player())


TAPE = b"""from,to,mm
sn,hh,420
sn,t1,380
hh,t1,350
sn,seat,520
hh,seat,700
t1,seat,760
sn,floor,660
hh,floor,900
"""


def _read_performance(data: bytes) -> None:
    hits = load_performance(data)
    exercises_of(list(hits), load_texts(data), {36: KICK})


def _hits() -> list[bytes]:
    from deft_reach.core.practice.hits import Hit

    hits = tuple(Hit(0.2 * k, (38, 42, 36)[k % 3], 40 + k) for k in range(40))
    return [dump_performance(hits, ((0.0, "right"), (4.0, "left"))), dump_performance(hits)]


def _entries() -> list[Attempt | TakeEntry]:
    at = "2026-03-01T12:{:02d}:00+00:00"
    return [
        Attempt(at.format(1), "storm", "Storm", "R L", "everything", 90.0, "clean", pace=1.1, load={"R": 2.0}),
        Attempt(at.format(2), "storm", "Storm", "R L", "between grooves", 95.0, "not-yet", note="=1"),
        TakeEntry(
            at.format(3), "storm", "Storm", 92.0, "rough", {"advice": ["Slower."]}, speed=(("left", 1.2, True),)
        ),
    ]


@cache
def _logbooks() -> tuple[bytes, bytes, bytes]:
    """The same entries as a database, as JSON and as a table."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "book.sqlite"
        book = Logbook(path)
        for entry in _entries():
            book.add(entry)
        as_json, as_csv = to_json(book), to_csv(book)
        book.close()
        return path.read_bytes(), as_json.encode(), as_csv.encode()


def _some_practice() -> bytes:
    """The first attempts of the demo's practice."""
    with demo_log_file().open(encoding="utf-8", newline="") as file:
        rows = [row for row, _ in zip(csv.reader(file), range(20))]
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue().encode()


def _read_log(bring_in: Callable[[Logbook, str], int]) -> Callable[[bytes], None]:
    def read(data: bytes) -> None:
        text = data.decode("utf-8", "replace")
        with TemporaryDirectory() as folder:
            log = PracticeLog(Path(folder) / "book.sqlite")
            try:
                book = log.book
                assert book is not None
                bring_in(book, text)
                _use(log)
                json.loads(to_json(book)), to_csv(book)
                assert not log.problem, log.problem
            finally:
                log.close()

    return read


def _use(log: PracticeLog) -> None:
    log.played(), log.worked(), log.points("storm", 50), log.speed_rows(50), log.rung_tries("storm", 9)
    log.newest(50), log.takes(), log.attempts(), log.count()


def _read_database(data: bytes) -> None:
    with TemporaryDirectory() as folder:
        path = Path(folder) / "book.sqlite"
        path.write_bytes(data)
        log = PracticeLog(path)
        _use(log)
        log.close()
        assert path.read_bytes()[:15] == b"SQLite format 3" or any(Path(folder).glob("*.damaged*")) or log.problem


def _read_waiting(data: bytes) -> None:
    with TemporaryDirectory() as folder:
        (Path(folder) / "book.sqlite.0.waiting").write_bytes(data)
        log = PracticeLog(Path(folder) / "book.sqlite")
        _use(log)
        assert not log.problem
        log.close()
        assert not list(Path(folder).glob("*.waiting"))


def _waiting() -> list[bytes]:
    rows = [{"kind": "attempt" if isinstance(e, Attempt) else "take", **asdict(e)} for e in _entries()]
    return ["".join(json.dumps(row) + "\n" for row in rows).encode(), json.dumps(rows[0]).encode()]


def _read_autosave(data: bytes) -> None:
    with TemporaryDirectory() as folder:
        (Path(folder) / "a.autosave").write_bytes(data)
        found = leftovers(Path(folder))
        assert len(found) + len(list(Path(folder).glob("*.unreadable"))) == 1


def _autosaves() -> list[bytes]:
    with TemporaryDirectory() as folder:
        keep = Autosave(Path(folder))
        keep.keep(load_document(demo_file().read_bytes()), Path("/x.reach"), None)
        assert keep.file is not None
        data = keep.file.read_bytes()
        keep.close()
    return [data]


def _read_settings(data: bytes) -> None:
    with TemporaryDirectory() as folder:
        file = Path(folder) / "settings.json"
        file.write_bytes(data)
        settings = Settings(file)
        _ = settings.recent
        settings.text("theme", "system"), settings.number("text_scale", 1.0), settings.is_validated("x")
        settings.remember_validated("x"), settings.opened(file), settings.set("theme", "dark")
        assert Settings(file).text("theme", "") == "dark"


SETTINGS = {
    "theme": "dark", "text_scale": 1.2, "recent": ["/a.reach", "/b.reach"], "validated": [["0.1", "abc"]],
    "plan": "storm", "panels": {"logLeft": "00ff"}, "window": "01d9", "station": "log", "unit": "in",
}  # fmt: skip


READERS = (
    Reader("document", _read_document, lambda: [demo_file().read_bytes()], (by.mutate_json, by.mutate_bytes)),
    Reader("kit", _read_kit, lambda: [dump_kit(KIT), dump_kit(layout("large"))], (by.mutate_json, by.mutate_bytes)),
    Reader(
        "note-map", _read_note_map, lambda: [dump_note_map(row) for row in shipped_maps().values()],
        (by.mutate_json, by.mutate_bytes),
    ),
    Reader("player", _read_player, lambda: [dump_player(Player())], (by.mutate_json, by.mutate_bytes)),
    Reader("pieces", _read_pieces, lambda: [dump_pieces(KIT)], (by.mutate_table, by.mutate_bytes)),
    Reader("strokes", _read_pattern(".csv"), _exported(".csv"), (by.mutate_table, by.mutate_bytes)),
    Reader("tape", _read_tape, lambda: [TAPE], (by.mutate_table, by.mutate_bytes), (DocumentError, TapeError)),
    Reader("midi", _read_pattern(".mid"), _exported(".mid"), (by.mutate_midi, by.mutate_bytes)),
    Reader(
        "performance", _read_performance, _hits, (by.mutate_midi, by.mutate_bytes), (DocumentError, HandTestError),
    ),
    Reader("score", _read_pattern(".musicxml"), _exported(".musicxml"), (by.mutate_xml, by.mutate_bytes)),
    Reader("compressed-score", _read_pattern(".mxl"), _compressed, (by.mutate_archive,)),
    Reader("stroke-text", _read_pattern(".txt"), _exported(".txt"), (by.mutate_text, by.mutate_bytes)),
    Reader(
        "log-json", _read_log(from_json), lambda: [_logbooks()[1]],
        (by.mutate_json, by.mutate_bytes), (LogbookError,),
    ),
    Reader(
        "log-table", _read_log(from_csv), lambda: [_logbooks()[2], _some_practice()],
        (by.mutate_table, by.mutate_bytes), (LogbookError,),
    ),
    Reader("logbook", _read_database, lambda: [_logbooks()[0]], (by.mutate_bytes,)),
    Reader("waiting-entries", _read_waiting, _waiting, (by.mutate_json, by.mutate_bytes)),
    Reader("autosave", _read_autosave, _autosaves, (by.mutate_bytes,)),
    Reader("settings", _read_settings, lambda: [json.dumps(SETTINGS).encode()], (by.mutate_json, by.mutate_bytes)),
)  # fmt: skip
