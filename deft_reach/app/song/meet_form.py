"""Where sections meet: what happens there, what of the pulse carries on, and ways out of what is hard."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.marks import severity_icon
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.document import MissingError
from deft_reach.core.session import Session
from deft_reach.core.session.song_view import SongView
from deft_reach.core.song.exits import Exit, exits
from deft_reach.core.song.pulse import pulse_words
from deft_reach.core.song.seams import Seam


class MeetForm(Listener):
    """The meetings on the left; on the right the chosen one in words, and what would ease it."""

    def __init__(self, session: Session, view: SongView) -> None:
        super().__init__(session)
        self.view = view
        self.offers: list[Exit] = []
        self._asked: object = None
        self._task = BackgroundTask(MissingError)
        self._task.finished.connect(self._take)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(10)
        self.list = QListWidget()
        self.list.setAccessibleName("Where sections meet")
        self.list.setMinimumWidth(200)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row.addWidget(self.list, 2)
        right = QVBoxLayout()
        right.setSpacing(4)
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        room = QScrollArea()
        room.setWidget(self.words)
        room.setWidgetResizable(True)
        room.setFrameShape(QScrollArea.Shape.NoFrame)
        room.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        right.addWidget(room, 2)
        self.table = QTableWidget()
        make_list(
            self.table,
            "Ways out",
            ["way out", "pace there", "song costs", "what is lost"],
            wide=(3,),
            empty="Where a meeting is hard, ways to ease it are listed here.",
        )
        right.addWidget(self.table, 5)
        low = QHBoxLayout()
        self.hint = PlainLabel()
        self.hint.setObjectName("hint")
        self.use = QPushButton("Use it")
        self.use.setObjectName("quiet")
        self.use.setToolTip("Change the plan so; Ctrl+Z takes it back")
        low.addWidget(self.hint, 1)
        low.addWidget(self.use)
        right.addLayout(low)
        holder = QWidget()
        holder.setLayout(right)
        right.setContentsMargins(0, 0, 0, 0)
        row.addWidget(holder, 5)
        self.list.currentRowChanged.connect(self._picked)
        self.table.currentCellChanged.connect(lambda *_: self._show_use())
        self.table.cellActivated.connect(lambda *_: self.apply())
        self.use.clicked.connect(self.apply)
        self._shown: object = None
        self._song = ""
        self._by_hand = False
        view.verdict.connect(self._heard)
        self.follow()

    @property
    def seam(self) -> Seam | None:
        found, row = self.view.found, self.list.currentRow()
        return found.seams[row] if found is not None and 0 <= row < len(found.seams) else None

    def refresh(self) -> None:
        found = self.view.found
        if found is self._shown and found is not None:
            return
        song = found.song.id if found is not None else ""
        # Until one is chosen by hand, the hardest meeting is shown.
        self._by_hand = self._by_hand and song == self._song
        at = self.list.currentRow() if self._by_hand else -1
        self._shown, self._song = found, song
        self.list.blockSignals(True)
        self.list.clear()
        seams = found.seams if found is not None else ()
        names = (
            [part.plan.name for part in found.chain.parts] if found is not None and found.chain is not None else []
        )
        for seam in seams:
            item = QListWidgetItem(f"{names[seam.before]} → {names[seam.after]}")
            item.setIcon(severity_icon(seam.worst))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{item.text()}: {self._text(seam)}")
            self.list.addItem(item)
        hardest = max(range(len(seams)), key=lambda k: _weight(seams[k]), default=-1)
        self.list.setCurrentRow(at if 0 <= at < len(seams) else hardest)
        self.list.blockSignals(False)
        self._show()

    def restyle(self) -> None:
        # The marks in it are pictures.
        self._shown = None
        super().restyle()

    @staticmethod
    def _text(seam: Seam) -> str:
        lines = [units.text_of(note.said) for note in seam.notes]
        lines.append(pulse_words(seam.pulse))
        return "\n".join(lines)

    def _picked(self, _: int) -> None:
        seam = self.seam
        self._by_hand = True
        self._show()
        if seam is not None:
            strokes = [i for note in seam.notes for i in note.strokes]
            first = strokes[0] if strokes else self._first_of(seam)
            if first is not None:
                self.view.select_stroke(first)

    def _first_of(self, seam: Seam) -> int | None:
        chain = self.view.found.chain if self.view.found is not None else None
        if chain is None:
            return None
        return next((k for k, (part, _) in enumerate(chain.origin) if part == seam.after), None)

    def _show(self) -> None:
        seam, found = self.seam, self.view.found
        self.offers = []
        self._fill()
        if seam is None or found is None:
            self.words.setText("Sections meet here once a song has two different ones.")
            self.hint.setText("")
            return
        self.words.setText(self._text(seam))
        if seam.worst in ("stop", "caution"):
            self.hint.setText("Looking for ways out …")
            self._asked = (found, seam)
            document, song = self.session.document, found.song
            self._task.start(lambda _: exits(document, song, found, seam))
        else:
            self._task.cancel()
            self.hint.setText("Nothing hard here." if not seam.worst else "Nothing that has to be eased.")

    def _take(self, offers: list[Exit] | str) -> None:
        if isinstance(offers, str) or self._asked != (self.view.found, self.seam):
            return
        self.offers = offers
        self.hint.setText(
            "The most relieving first. The plan changes wherever it is played."
            if offers
            else "No other feet, run, flam or landing would make it easier."
        )
        self._fill()

    def _fill(self) -> None:
        self.table.setRowCount(len(self.offers))
        for k, offer in enumerate(self.offers):
            change = f"{decimal(abs(offer.cost_change), '.1f')} {'less' if offer.cost_change <= 0 else 'more'}"
            cells = (
                offer.name,
                f"{decimal(offer.pace_before, '.2f')} → {decimal(offer.pace, '.2f')}",
                change,
                offer.lost,
            )
            fill_row(self.table, k, cells, [" ".join(offer.text.split())] * len(cells))
        if self.offers:
            self.table.setCurrentCell(0, 0)
        self._show_use()

    def _show_use(self) -> None:
        self.use.setEnabled(0 <= self.table.currentRow() < len(self.offers))

    def apply(self) -> None:
        """Change the plan as the chosen way out has it: one step that can be undone."""
        row = self.table.currentRow()
        if 0 <= row < len(self.offers):
            offer = self.offers[row]
            document = self.session.document
            plan = document.plan(offer.plan)
            self.session.apply(document.with_text(plan, offer.text), f"{plan.name}: {offer.name}")


def _weight(seam: Seam) -> tuple[int, int, int]:
    """What comes of the meeting itself weighs more than what is hurried there anyway."""
    own = max((note.severity.rank for note in seam.notes if note.kind != "hurried"), default=-1)
    return own, max((note.severity.rank for note in seam.notes), default=-1), len(seam.notes)
