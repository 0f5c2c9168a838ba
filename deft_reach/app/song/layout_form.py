"""Where pieces could stand so that chosen plans cost less together: searched while you watch, done when asked."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
)

from deft_reach.app.offers.search_form import SearchForm
from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.document import read_text
from deft_reach.core.notation.stroke_text import StrokeTextError
from deft_reach.core.search.joined_walk import Asked
from deft_reach.core.search.layout_search import GRID, MOST_MM, Layout, Layouts, find_layouts, move_words
from deft_reach.core.session import Session

ID = Qt.ItemDataRole.UserRole


class LayoutForm(SearchForm):
    """What may move and for which plans on the left, the answers on the right.

    ``shown`` says that other places are to be drawn.
    """

    shown = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Find places")
        self.found: Layouts | None = None
        self.partial: Layout | None = None
        self._plans: list[str] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(10)
        row.addLayout(self._question(), 2)
        row.addLayout(self._answers(), 3)
        self.answer_views = [self.table, self.gains]
        self._say("Tick what may move and for which plans; the kit stays until you say so.", "hint")
        self.follow()

    def _question(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        lists = QHBoxLayout()
        self.pieces, self.plans = QListWidget(), QListWidget()
        self.pieces.setAccessibleName("Pieces that may move")
        self.plans.setAccessibleName("Plans to make cheaper")
        lists.addWidget(self.pieces)
        lists.addWidget(self.plans)
        column.addLayout(lists, 1)
        low = QHBoxLayout()
        self.within = LengthBox("How far a piece may move", GRID, MOST_MM, 10)
        self.within.setValue(80)
        self.within.refused.connect(lambda why: self._say(why, "error"))
        near = PlainLabel("within")
        near.setObjectName("caption")
        near.setBuddy(self.within)
        low.addWidget(near)
        low.addWidget(self.within, 1)
        low.addWidget(self.find_button)
        column.addLayout(low)
        return column

    def _answers(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        self.table = QTableWidget()
        make_list(
            self.table,
            "Places found",
            ["gain", "breaks at", "moves"],
            wide=(2,),
            empty="Tick what may move and press Find places.",
        )
        column.addWidget(self.table, 2)
        self.gains = QTableWidget()
        make_list(self.gains, "What each plan gains", ["plan", "cost", "breaks at"], wide=(0,))
        column.addWidget(self.gains, 2)
        low = QHBoxLayout()
        self.keep = QPushButton("Keep as a kit")
        self.use = QPushButton("Move the pieces")
        low.addWidget(self.words, 1)
        for button in (self.keep, self.use):
            button.setObjectName("quiet")
            low.addWidget(button)
        column.addLayout(low)
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.use.clicked.connect(self.apply)
        self.keep.clicked.connect(self.keep_it)
        return column

    # --- the question -----------------------------------------------------------------------------------------

    def refresh(self) -> None:
        kit, document = self.session.kit, self.session.document
        pieces = [(p.name, p.code) for p in kit if p.kind != "bass"]
        plans = [(p.name, p.id) for p in document.plans if p.kit == kit.id]
        used = self._used()
        _tick(self.pieces, pieces, {code for _, code in pieces if code in ("ft", "rd")})
        _tick(self.plans, plans, used & {id for _, id in plans} or {id for _, id in plans})
        super().refresh()
        self._show()

    def _used(self) -> set[str]:
        song = self.session.songs.song
        return {section.plan for section in song.sections} if song is not None else set()

    def key(self) -> object:
        """The kit, the player, and what is asked about of the plans."""
        document = self.session.document
        plans = [plan for plan in document.plans if plan.id in self._plans]
        return (
            self.session.kit, self.session.player,
            [(p.tempo, p.repeat, p.weights, document.score(p.pattern).text) for p in plans],
        )  # fmt: skip

    def changed_words(self) -> str:
        kit, player, _ = self._asked
        if self.session.kit != kit:
            return "The kit has changed since"
        return "The player has changed since" if self.session.player != player else "The plans have changed since"

    def search(self) -> None:
        session = self.session
        pieces, plans = _ticked(self.pieces), _ticked(self.plans)
        asked: list[Asked] = []
        kit = session.kit
        for id in plans:
            plan = session.document.plan(id)
            try:
                pattern = read_text(session.document.score(plan.pattern).text, kit)
            except StrokeTextError:
                self._say(f"“{plan.name}” cannot be read at the moment: leave it out or mend it.", "error")
                return
            asked.append(Asked(plan.name, pattern, plan.tempo, plan.repeat, plan.weights))
        self.found = self.partial = None
        self.table.setRowCount(0)
        self._plans = plans
        player, within = session.player, self.within.value()
        self.ask(
            lambda _: lambda progress: find_layouts(
                asked, kit, player, pieces, within=within, best=4, progress=progress
            )
        )  # fmt: skip

    def progress(self, looked: int, of: int | None, found: object) -> None:
        share = f" of {of:,} at most" if of else ""
        gain = f"; the best so far costs {_gain(found) * 100:.0f} % less" if isinstance(found, Layout) else ""
        self._say(f"{looked:,} places looked at{share}{gain}.", "hint")
        if isinstance(found, Layout) and found is not self.partial:
            self.partial = found
            self.take_partial()
            self._fill([found])

    def stopped(self) -> None:
        self._say("Stopped." + (" The best so far is above." if self.partial else " Nothing was changed."), "hint")
        self._show()

    def answered(self, result: Layouts) -> None:
        self.found, self.partial = result, None
        self._fill(list(result.best))
        if result.best:
            self._say(f"{result.evaluated:,} places looked at. Outlines on the plan: where they would stand.", "hint")
        else:
            self._say(
                "No move within that distance gains a twentieth of the cost: this kit is right for these plans.",
                "hint",
            )

    @property
    def rows(self) -> list[Layout]:
        if self.found is not None:
            return list(self.found.best)
        return [self.partial] if self.partial is not None else []

    def _fill(self, rows: list[Layout]) -> None:
        blocker = QSignalBlocker(self.table)
        self.table.setRowCount(len(rows))
        for k, row in enumerate(rows):
            moves = "; ".join(
                f"{self._name(code)} {units.text_of(move_words(move))}" for code, move in row.moves.items()
            )
            before, after = row.limit_before, row.limit_after
            limit = "–" if before is None or after is None else f"{before:.0f} → {after:.0f} BPM"
            cells = (f"{_gain(row) * 100:.0f} % cheaper", limit, moves)
            fill_row(self.table, k, cells, cells)
        if rows:
            self.table.setCurrentCell(0, 0)
        del blocker
        self._show()

    def _name(self, code: str) -> str:
        piece = self.session.kit.piece(code)
        return piece.name if piece is not None else code

    @property
    def current(self) -> Layout | None:
        rows, row = self.rows, self.table.currentRow()
        return rows[row] if 0 <= row < len(rows) and self.fresh else None

    def _show(self) -> None:
        layout = self.current
        done = layout is not None and not self.task.busy
        self.use.setEnabled(done)
        self.keep.setEnabled(done)
        gains = layout.plans if layout is not None else ()
        self.gains.setRowCount(len(gains))
        for k, gain in enumerate(gains):
            limit = "–"
            if gain.limit_before is not None and gain.limit_after is not None:
                limit = f"{gain.limit_before:.0f} → {gain.limit_after:.0f} BPM"
            cost = f"{decimal(gain.cost_before, '.1f')} → {decimal(gain.cost_after, '.1f')}"
            fill_row(self.gains, k, (gain.name, cost, limit))
        self.shown.emit()

    # --- acting -----------------------------------------------------------------------------------------------

    def apply(self) -> None:
        """Stand the pieces there: one step that can be undone."""
        if self.current is not None:
            self.session.songs.use_places(self.current.kit)

    def keep_it(self) -> None:
        """Keep the places as a kit of its own, for the plans that were asked about."""
        if self.current is not None:
            kit = self.current.kit
            self.session.songs.add_layout(kit, self._plans, f"{kit.name}, moved")


def _gain(layout: Layout) -> float:
    return 1 - layout.cost_after / layout.cost_before if layout.cost_before else 0.0


def _tick(box: QListWidget, rows: list[tuple[str, str]], ticked: set[str]) -> None:
    """Fill a list of ticks, keeping what was ticked where it is still the same list."""
    if rows == [(box.item(k).text(), box.item(k).data(ID)) for k in range(box.count())]:
        return
    box.clear()
    for text, id in rows:
        item = QListWidgetItem(text)
        item.setData(ID, id)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(Qt.CheckState.Checked if id in ticked else Qt.CheckState.Unchecked)
        box.addItem(item)


def _ticked(box: QListWidget) -> list[str]:
    return [box.item(k).data(ID) for k in range(box.count()) if box.item(k).checkState() == Qt.CheckState.Checked]
