"""The adviser: voicings for the sticking as it is, searched in the background, the cheapest first."""

from __future__ import annotations

import re
from typing import Any

from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.search_form import SearchForm
from deft_reach.app.styled import set_scaled
from deft_reach.app.tables import fill_row, make_list, verdict_cells
from deft_reach.app.words import preview_text
from deft_reach.core.search.voicing import CONTOURS, Voicings, find_voicings
from deft_reach.core.session import Session


class AdviserForm(SearchForm):
    """What may be used above, what was found below."""

    def __init__(self, session: Session) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session, "Find")
        self.found: Voicings | None = None
        self._asked_text = ""
        self._kit = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        form = QFormLayout()
        form.setVerticalSpacing(4)
        self.palette_field = QLineEdit()
        self.palette_field.setAccessibleName("Palette: voices to choose from, in order")
        self.accents = QLineEdit()
        self.accents.setAccessibleName("Voices for accents")
        self.accents.setPlaceholderText("anywhere in the palette")
        self.contour = QComboBox()
        self.contour.setAccessibleName("Contour")
        for name, words in CONTOURS.items():
            self.contour.addItem(words, name)
        self.contour.setCurrentIndex(self.contour.findData("down"))
        form.addRow("Palette", self.palette_field)
        form.addRow("Accents", self.accents)
        row = QHBoxLayout()
        row.addWidget(self.contour, 1)
        row.addWidget(self.find_button)
        form.addRow("Way", row)
        column.addLayout(form)
        self.table = QTableWidget()
        make_list(self.table, "Voicings found", ["", "ease", "breaks at", "cautions", "differs in"], wide=(4,))
        column.addWidget(self.table, 1)
        set_scaled(self.preview, QWidget.setFixedHeight, 34)
        column.addWidget(self.preview)
        low = QHBoxLayout()
        self.words.setObjectName("hint")
        self.use = QPushButton("Use it")
        self.use.setObjectName("quiet")
        low.addWidget(self.words, 1)
        low.addWidget(self.use)
        column.addLayout(low)
        self.palette_field.returnPressed.connect(self.search)
        self.accents.returnPressed.connect(self.search)
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.table.cellActivated.connect(lambda *_: self.apply())
        self.use.clicked.connect(self.apply)
        self._say("Choose voices in the order of the way, and let the cheapest ways round the kit be found.", "hint")
        self._show()
        self.follow()

    def refresh(self) -> None:
        kit = self.session.kit
        if kit.id != self._kit:
            self._kit = kit.id
            drums = [p for p in kit if p.kind in ("snare", "tom", "floor-tom")]
            drums.sort(key=lambda p: (p.kind != "snare", p.diameter))
            self.palette_field.setText(" ".join(p.code for p in drums))
        if self.found is not None and self._asked_text != self.session.text:
            self._say("The strokes have changed since: find again.", "hint")
        self._show()

    def search(self) -> None:
        """Ask in the background; only the newest answer counts."""
        session = self.session
        plan, pattern = session.plan, session.pattern()
        if plan is None or pattern is None:
            self._say("The stroke text has to be readable first.", "error")
            return
        self._asked_text = session.text
        self.found = None
        self._fill()
        self._say("Searching …", "hint")
        question: dict[str, Any] = {
            "pattern": pattern,
            "kit": session.kit,
            "player": session.player,
            "tempo": plan.tempo,
            "palette": _words(self.palette_field.text()),
            "accents": _words(self.accents.text()),
            "contour": self.contour.currentData(),
            "best": 6,
            "repeat": plan.repeat,
            "weights": plan.weights,
        }
        self.find_button.start(lambda progress: find_voicings(**question, progress=progress))

    def progress(self, looked: int, of: int | None, found: object) -> None:
        self._say(f"Searching … {looked:,} looked at.", "hint")

    def answered(self, result: Voicings) -> None:
        self.found = result
        sure = "The order is proven." if result.proven else "The best found; others may be as good."
        self._say(f"{result.searched:,} looked at. {sure}", "hint")
        self._fill()

    def _fill(self) -> None:
        rows = self.found.best if self.found is not None else ()
        self.table.setRowCount(len(rows))
        for k, row in enumerate(rows):
            differs = f"{len(row.differs)} strokes" if row.differs else "the cheapest"
            fill_row(self.table, k, (str(k + 1), *verdict_cells(row.report), differs))
        if rows:
            self.table.setCurrentCell(0, 0)
        self._show()

    def _show(self) -> None:
        row = self.table.currentRow()
        rows = self.found.best if self.found is not None else ()
        ready = 0 <= row < len(rows)
        self.preview.setText(preview_text(rows[row].text) if ready else "")
        self.use.setEnabled(ready and self._asked_text == self.session.text)

    def apply(self) -> None:
        """Take the chosen voicing: one step that can be undone."""
        row = self.table.currentRow()
        if self.found is not None and 0 <= row < len(self.found.best) and self._asked_text == self.session.text:
            text = self.found.best[row].text
            self.session.strokes.set_text(text, "Voicing from the adviser", None)
            self._asked_text = text


def _words(text: str) -> list[str]:
    return [word for word in re.split(r"[\s,;]+", text) if word]
