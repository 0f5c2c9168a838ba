"""The whole show: every song and plan in order, on its own kit or all on one, to see what would not work."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QTableWidget, QTableWidgetItem, QVBoxLayout

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.app.widgets.choices import chosen_kit, fill_box, kit_choices
from deft_reach.app.widgets.marks import severity_icon
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.analysis.report import headroom_words
from deft_reach.core.practice.setlist import ShowRow, whole_show
from deft_reach.core.session import Session
from deft_reach.core.session.song_view import SongView
from deft_reach.store.practice_log import PracticeLog

ROW = Qt.ItemDataRole.UserRole
COLUMNS = ["", "kit", "tempo", "headroom", "hardest moment", "state"]


class ShowForm(Listener):
    """One row each; opening one brings it into view."""

    def __init__(self, session: Session, view: SongView, log: PracticeLog) -> None:
        super().__init__(session)
        self.view, self.log = view, log
        self._shown: object = None
        self._task = BackgroundTask(ValueError)
        self._task.finished.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        top = QHBoxLayout()
        top.addWidget(PlainLabel("Judged on"))
        self.kit = QComboBox()
        self.kit.setAccessibleName("Kit for the whole show")
        self.words = PlainLabel()
        self.words.setObjectName("hint")
        self.open = QPushButton("Open")
        self.open.setObjectName("quiet")
        top.addWidget(self.kit)
        top.addWidget(self.words, 1)
        top.addWidget(self.open)
        column.addLayout(top)
        self.table = QTableWidget()
        make_list(
            self.table,
            "The whole show",
            COLUMNS,
            wide=(0, 4),
            empty="Make songs, and the whole evening is listed here.",
        )
        column.addWidget(self.table, 1)
        self.kit.currentIndexChanged.connect(lambda _: self._ask())
        self.table.cellActivated.connect(lambda *_: self._open())
        self.open.clicked.connect(self._open)
        self.follow()

    def refresh(self) -> None:
        fill_box(self.kit, [("each one's own kit", None), *kit_choices(self.session.document)])
        self._ask()

    def restyle(self) -> None:
        # The marks in it are pictures.
        self._shown = None
        super().restyle()

    def _ask(self) -> None:
        document = self.session.document
        kit = chosen_kit(self.kit, document)
        played = self.log.played()
        key = (document, kit, played)
        if key != self._shown:
            self._shown = key
            self._task.start(lambda _: whole_show(document, kit, played))

    def _take(self, rows: list[ShowRow] | str) -> None:
        if isinstance(rows, str):
            self.words.setText(rows)
            return
        at = self.table.currentRow()
        self.table.setRowCount(len(rows))
        for k, row in enumerate(rows):
            for column, text in enumerate(_cells(row)):
                item = QTableWidgetItem(text)
                item.setData(ROW, row)
                item.setToolTip(plain_tip(text))
                if column == 0:
                    item.setIcon(severity_icon("stop" if row.problem else row.severity))
                self.table.setItem(k, column, item)
        if rows:
            self.table.setCurrentCell(max(0, min(at, len(rows) - 1)), 0)
        self.open.setEnabled(bool(rows))
        stops = sum(bool(row.problem) or row.severity == "stop" for row in rows)
        self.words.setText(
            f"{stops} of {len(rows)} cannot be played so." if stops else f"All {len(rows)} can be played."
        )

    def _open(self) -> None:
        item = self.table.item(self.table.currentRow(), 0)
        row = item.data(ROW) if item is not None else None
        if isinstance(row, ShowRow):
            if row.kind == "song":
                self.session.songs.show_song(row.id)
            else:
                self.session.show_plan(row.id)


def _cells(row: ShowRow) -> tuple[str, ...]:
    if row.tempo is None:
        tempo = "–"
    else:
        low, high = row.tempo
        tempo = bpm(low) if low == high else f"{decimal(low, '.4g')}–{bpm(high)}"
    if row.headroom is None:
        room = "–"
    else:
        room = f"{row.headroom * 100:.0f} %" if row.headroom >= 0 else headroom_words(row.headroom)
    name = f"♪ {row.name}" if row.kind == "song" else row.name
    return name, row.kit or "–", tempo, room, row.problem or row.hardest, row.state
