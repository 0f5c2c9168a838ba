"""One field that finds everything: what the menus offer, with its keys; plans, pieces and findings."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Final, NamedTuple

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QMenu, QVBoxLayout

from deft_reach.app.text import units
from deft_reach.app.widgets.plain_text import plain_tip

if TYPE_CHECKING:
    from deft_reach.app.shell.window import MainWindow

#: So many answers are listed.
MOST: Final = 60


class Command(NamedTuple):
    """Something that can be done: its words, what kind of thing it is with its keys, and doing it."""

    words: str
    kind: str
    run: Callable[[], object]


def commands(window: MainWindow) -> Iterator[Command]:
    """Everything there is to find, the menus first."""
    for action in window.menuBar().actions():
        menu = action.menu()
        if isinstance(menu, QMenu):
            yield from _of_menu(menu, action.text())
    session = window.session
    for plan in session.document.plans:
        yield Command(plan.name, "plan", lambda id=plan.id: session.show_plan(id))  # type: ignore[misc]
    for piece in session.kit:

        def show_piece(code: str = piece.code) -> None:
            window.go("kit")
            session.select_piece(code)

        yield Command(f"{piece.name} ({piece.code})", "piece of the kit", show_piece)
    for finding in session.report.said if session.report is not None else ():

        def show_finding(chosen: object = finding) -> None:
            window.go("reach")
            session.select_finding(chosen)  # type: ignore[arg-type]

        yield Command(units.text_of(finding.message), "finding", show_finding)


def _of_menu(menu: QMenu, path: str) -> Iterator[Command]:
    # Menus that are filled when they open, such as recent files, are filled now.
    menu.aboutToShow.emit()
    for action in menu.actions():
        inner = action.menu()
        words = action.text().partition("\t")[0]
        if isinstance(inner, QMenu):
            yield from _of_menu(inner, f"{path} › {words}")
        elif not action.isSeparator() and action.isEnabled():
            keys = action.shortcut().toString(action.shortcut().SequenceFormat.NativeText)
            kind = " · ".join(part for part in (path.replace("&", ""), keys) if part)
            yield Command(words.replace("&", "").rstrip("…"), kind, action.trigger)


def rank(words: str, typed: str) -> int | None:
    """How well words fit what was typed, less is better; None where they do not: every part has to be in them."""
    low, parts = words.lower(), typed.lower().split()
    if not all(part in low for part in parts):
        return None
    if not parts or low.startswith(typed.lower().strip()):
        return 0
    begins = [word for word in low.replace("(", " ").split() if word.startswith(parts[0])]
    return 1 if begins else 2


class CommandSearch(QDialog):
    """Type a part of what is wanted, choose with the arrows, Enter does it."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self.setWindowTitle("Find a command")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(560, 420)
        self._window = window
        self._all = list(commands(window))
        self.typed = QLineEdit()
        self.typed.setPlaceholderText("a command, a plan, a piece of the kit, a finding")
        self.typed.setAccessibleName("What to find")
        self.list = QListWidget()
        self.list.setAccessibleName("What was found; Enter does it")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column = QVBoxLayout(self)
        column.addWidget(self.typed)
        column.addWidget(self.list, 1)
        self.found: list[Command] = []
        self.typed.textChanged.connect(self._fill)
        self.typed.returnPressed.connect(self._run)
        self.list.itemClicked.connect(lambda _: self._run())
        self._fill("")

    def _fill(self, typed: str) -> None:
        ranked = [(fit, k) for k, row in enumerate(self._all) if (fit := rank(row.words, typed)) is not None]
        self.found = [self._all[k] for _, k in sorted(ranked)[:MOST]]
        self.list.clear()
        for row in self.found:
            item = QListWidgetItem(f"{row.words}    {row.kind}")
            item.setToolTip(plain_tip(row.words))
            self.list.addItem(item)
        if self.found:
            self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: 10, Qt.Key.Key_PageUp: -10}.get(
            Qt.Key(event.key())
        )
        if step is None:
            super().keyPressEvent(event)
        elif self.found:
            self.list.setCurrentRow(max(0, min(len(self.found) - 1, self.list.currentRow() + step)))

    def _run(self) -> None:
        at = self.list.currentRow()
        if 0 <= at < len(self.found):
            command = self.found[at]
            # Once this is closed and gone: what is done may open a dialog of its own, and wait for it.
            QTimer.singleShot(0, self._window, command.run)
            self.accept()
