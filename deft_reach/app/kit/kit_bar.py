"""Which kit is played, what can be done with kits as a whole, and the schools of set-up."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QMenu, QPushButton

from deft_reach.app.shell.station import Listener
from deft_reach.core.model.kit import KitError
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.model.setups import SETUPS, SetUpError
from deft_reach.core.session import Session


class KitBar(Listener):
    """``bring_in``, ``export`` and ``print_floor_plan`` ask the window for a file or a printer; ``refused`` says why
    something cannot be.
    """

    bring_in = Signal()
    export = Signal()
    print_floor_plan = Signal()
    refused = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._rows: list[tuple[str, tuple[str, str]]] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 10, 2)
        self.kits = QComboBox()
        self.kits.setAccessibleName("Kit of the plan in view")
        self.actions_button = QPushButton("Kit")
        self.actions_button.setToolTip("Copy, rename, remove, bring in or export this kit")
        self.menu = QMenu(self.actions_button)
        self.menu.aboutToShow.connect(self.fill_menu)
        self.actions_button.setMenu(self.menu)
        self.setup_button = QPushButton("Set-up")
        self.setup_button.setToolTip("Turn this kit into another school's, in one step that can be undone")
        self.setup_menu = QMenu(self.setup_button)
        for name, (words, _) in SETUPS.items():
            self.setup_menu.addAction(words, partial(self._try, partial(session.kits.set_up, name)))
        self.setup_button.setMenu(self.setup_menu)
        self.print_button = QPushButton("Print…")
        self.print_button.setToolTip("Print the floor plan to scale, for marking a rug")
        self.print_button.clicked.connect(self.print_floor_plan)
        row.addWidget(self.kits, 1)
        for button in (self.actions_button, self.setup_button, self.print_button):
            button.setObjectName("quiet")
            row.addWidget(button)
        self.kits.activated.connect(self._choose)
        self.fill_menu()
        self.follow()

    def _new_from(self, name: str) -> None:
        """A new kit from a shipped layout."""
        self._try(lambda: self.session.kits.add_kit(layout(name), f"New kit from “{name}”"))

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
        except (KitError, SetUpError) as error:
            self.refused.emit(str(error))

    def _choose(self, row: int) -> None:
        kind, id = self.kits.itemData(row)
        if kind == "layout":
            self.session.kits.use_layout(id)
        else:
            self.session.plans.change_plan(f"Kit “{self.kits.itemText(row)}”", kit=id)

    def fill_menu(self) -> None:
        session, menu = self.session, self.menu
        menu.clear()
        menu.addAction("Duplicate", session.kits.duplicate_kit)
        menu.addAction("Rename…", self.rename)
        others = [kit for kit in session.document.kits if kit.id != session.kit.id]
        gone = menu.addMenu("Remove, and play its plans on")
        for kit in others:
            gone.addAction(kit.name, partial(session.kits.remove_kit, kit.id))
        gone.setEnabled(bool(others))
        menu.addSeparator()
        fresh = menu.addMenu("New from a shipped layout")
        for name in LAYOUTS:
            fresh.addAction(name, partial(self._new_from, name))
        menu.addSeparator()
        menu.addAction("Bring in from a file…", self.bring_in.emit)
        menu.addAction("Export…", self.export.emit)
        menu.addAction("Print floor plan…", self.print_floor_plan.emit)

    def rename(self) -> None:
        kit = self.session.kit
        name, done = QInputDialog.getText(self, "Rename kit", "Name of the kit", text=kit.name)
        if done and name.strip():
            self.session.kits.rename_kit(name.strip()[:120])

    def refresh(self) -> None:
        session = self.session
        rows = [(own.name, ("own", own.id)) for own in session.document.kits]
        known = {own.id for own in session.document.kits}
        rows += [(f"{name} (shipped layout)", ("layout", name)) for name in LAYOUTS if name not in known]
        with QSignalBlocker(self.kits):
            if rows != self._rows:
                self._rows = rows
                self.kits.clear()
                for text, data in rows:
                    self.kits.addItem(text, data)
            ids = [id for _, (_, id) in rows]
            self.kits.setCurrentIndex(ids.index(session.kit.id) if session.kit.id in ids else 0)
