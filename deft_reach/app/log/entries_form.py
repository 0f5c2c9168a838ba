"""Every attempt and take as written down, and the logbook out and in."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
)

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.dialogs.save_name import OtherFormatError, ask_name
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.numbers import bpm
from deft_reach.app.text.words import say, sentence
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.session import Session
from deft_reach.formats.reading import DocumentError, decode
from deft_reach.store.atomic import write_atomic
from deft_reach.store.log_entries import Attempt, LogbookError, TakeEntry
from deft_reach.store.log_exchange import MAX_BYTES, from_csv, from_json, to_csv, to_json
from deft_reach.store.logbook import Logbook
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.reading import read_file

FILES = {"Logbook (*.json)": ".json", "Attempts as a table (*.csv)": ".csv"}
#: The newest so many entries are listed; all of them are in the files.
MOST = 500


class EntriesForm(Listener):
    """The newest first."""

    def __init__(self, session: Session, log: PracticeLog) -> None:
        super().__init__(session)
        self.log = log
        self._task = BackgroundTask(LogbookError)
        self._task.finished.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        self.table = QTableWidget()
        columns = ["when", "plan", "as committed", "stage", "tempo", "verdict", "note"]
        make_list(
            self.table,
            "Attempts and takes, the newest first",
            columns,
            wide=(1, 6),
            empty="Every rung you judge and every take you check is listed here.",
        )
        column.addWidget(self.table, 1)
        self.note = QLineEdit()
        self.note.setPlaceholderText("note on the chosen entry")
        self.note.setAccessibleName("Note on the chosen entry")
        self.note.setToolTip("Enter keeps it")
        self.note.setMaxLength(500)
        self.note.setEnabled(False)
        column.addWidget(self.note)
        self._rows: list[Attempt | TakeEntry] = []
        row = QHBoxLayout()
        self.words = HintLabel()
        self.export_button, self.import_button = QPushButton("Export…"), QPushButton("Import…")
        row.addWidget(self.words, 1)
        for button in (self.import_button, self.export_button):
            button.setObjectName("quiet")
            row.addWidget(button)
        column.addLayout(row)
        self.export_button.clicked.connect(self.export)
        self.import_button.clicked.connect(self.bring_in)
        self.table.currentCellChanged.connect(lambda row, *_: self._chosen(row))
        self.note.returnPressed.connect(self._keep_note)
        log.changed.connect(self._heard)
        self.follow(shown_later=True)

    def refresh(self) -> None:
        self._rows = rows = self.log.newest(MOST)
        self.table.setRowCount(len(rows))
        for k, row in enumerate(rows):
            cells = (row.at.replace("T", " ")[:16], row.plan_name, *_cells(row))
            fill_row(self.table, k, cells, cells)
        problem = self.log.problem
        waits = f" {self.log.waiting_in_words}." if self.log.waiting else ""
        say(self.words, f"{problem}.{waits}" if problem else f"{self.log.count()} entries in {self.log.path}.",
            "error" if problem else "hint")  # fmt: skip

    def _chosen(self, row: int) -> None:
        there = 0 <= row < len(self._rows)
        self.note.setEnabled(there)
        self.note.setText(self._rows[row].note if there else "")

    def _keep_note(self) -> None:
        """The note goes to the chosen entry."""
        row = self.table.currentRow()
        if 0 <= row < len(self._rows) and not self.log.set_note(self._rows[row], self.note.text().strip()):
            say(self.words, f"{self.log.problem}. The note was not kept.", "error")

    def export(self) -> None:
        try:
            asked = ask_name(
                self, "Export the logbook", "logbook.json", ";;".join(FILES), FILES, ".json", tuple(FILES.values())
            )
        except OtherFormatError as error:
            say(self.words, f"{error}.", "error")
            return
        if asked is not None:
            self._begin(_export, asked[0], f"Writing {asked[0].name} …")

    def bring_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import a logbook", "", "Logbooks (*.json *.csv)")
        if name:
            self._begin(_bring_in, Path(name), f"Reading {Path(name).name} …")

    def _begin(self, work: Callable[[Path, Path], str], path: Path, words: str) -> None:
        """Years of practice take some seconds: they are read and written beside the window."""
        if self.log.book is None:
            self.refresh()
            return
        own = self.log.path
        say(self.words, words, "hint")
        self.import_button.setEnabled(False)
        self.export_button.setEnabled(False)
        self._task.start(lambda _: _Done(work(own, path)))

    def _take(self, result: _Done | str) -> None:
        self.import_button.setEnabled(True)
        self.export_button.setEnabled(True)
        self.log.changed.emit()
        if isinstance(result, str):
            say(self.words, sentence(result), "error")
        else:
            say(self.words, result.words, "hint")


class _Done(NamedTuple):
    words: str


def _export(own: Path, path: Path) -> str:
    with closing(Logbook(own)) as book:
        text = to_csv(book) if path.suffix.lower() == ".csv" else to_json(book)
    try:
        write_atomic(path, text.encode())
    except OSError as error:
        raise LogbookError(f"{path}: {error.strerror or error}") from None
    return f"Exported as {path.name}."


def _bring_in(own: Path, path: Path) -> str:
    try:
        text = decode(read_file(path, MAX_BYTES))
    except (OSError, DocumentError) as error:
        raise LogbookError(f"{path.name}: {getattr(error, 'strerror', None) or error}") from None
    with closing(Logbook(own)) as book:
        try:
            count = from_csv(book, text) if path.suffix.lower() == ".csv" else from_json(book, text)
        except LogbookError as error:
            raise LogbookError(f"{path.name}: {error}") from None
    return f"{count:,} new {'entry' if count == 1 else 'entries'} from {path.name}."


def _cells(row: Attempt | TakeEntry) -> tuple[str, str, str, str, str]:
    """Since when it is committed so, stage, tempo, verdict and note."""
    if isinstance(row, Attempt):
        return row.committed[:10], row.stage, f"{bpm(row.tempo)} × {row.repeats}", row.verdict, row.note
    what = "hand test" if row.plan == "hand test" else "take"
    return "", what, f"{row.tempo:.0f} BPM", row.verdict, row.note or "; ".join(row.found.get("advice", [])[:1])
