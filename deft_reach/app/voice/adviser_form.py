"""The adviser: voicings for the sticking as it is, searched in the background, the easiest first."""

from __future__ import annotations

import re
from typing import Any, Final

from PySide6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
)

from deft_reach.app.offers.search_form import SearchForm, Work
from deft_reach.app.shell.station import Offer
from deft_reach.app.widgets.settings_line import Choice, SettingsLine, Switch, Text
from deft_reach.app.widgets.tables import compared_words, ease_change, fill_row, make_list, verdict_cells
from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.comparing import is_worse
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.counting import counted
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.search.voicing import CONTOURS, Voicing, Voicings, find_voicings, way_in_codes
from deft_reach.core.session.lane import Lane
from deft_reach.core.session.plan_state import PlanState

SETTINGS: Final = (
    Text("palette", "&Palette", "Voices to choose from, in the order of the way"),
    Text("accents", "&Accents", "Voices for accents", empty="anywhere in the palette", said="accents {}"),
    Choice("contour", "&Way", choices=CONTOURS, first="down"),
    Switch(
        "harder", "Also &harder ones", "Show what has more to think about than the plan as it stands, too",
        on="also harder ones",
    ),
)  # fmt: skip


class AdviserForm(SearchForm):
    """What may be used above, what was found below. A selection in the lane is all that is put elsewhere."""

    def __init__(self, lane: Lane) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(lane.session, "Find")
        self.lane = lane
        self._before: Report | None = None
        self._harder = 0
        self._rows: list[Voicing] = []
        self.found: Voicings | None = None
        self._kit = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(4)
        self.settings = SettingsLine("Which ways round the kit", SETTINGS)
        self.palette_field, self.accents = self.settings.field("palette"), self.settings.field("accents")
        self.contour, self.harder = self.settings.field("contour"), self.settings.field("harder")
        row = QHBoxLayout()
        row.addWidget(self.settings, 1)
        row.addWidget(self.find_button)
        column.addLayout(row)
        self.table = QTableWidget()
        make_list(
            self.table,
            "Voicings found",
            ["way", "ease", "breaks at", "cautions"],
            wide=(0,),
            empty="Press Find: ways round the kit are listed here, the easiest first.",
        )
        column.addWidget(self.table, 1)
        low = QHBoxLayout()
        self.use = QPushButton("Use it")
        self.use.setObjectName("quiet")
        low.addWidget(self.words, 1)
        low.addWidget(self.use)
        column.addLayout(low)
        for field in (self.palette_field, self.accents):
            field.returnPressed.connect(self.settings.close_fields)
            field.returnPressed.connect(self.search)
        self.table.currentCellChanged.connect(lambda *_: self._show())
        self.table.cellActivated.connect(lambda *_: self.apply())
        self.table.cellClicked.connect(lambda *_: self.offered.emit())
        self.harder.toggled.connect(lambda _: self._fill())
        self.use.clicked.connect(self.apply)
        self.answer_views = [self.table]
        self._say("Choose voices in the order of the way, and let the easiest ways round the kit be found.", "hint")
        self._show()
        self.follow()

    def refresh(self) -> None:
        kit = self.session.kit
        if kit.id != self._kit:
            self._kit = kit.id
            drums = [p for p in kit if p.kind in ("snare", "tom", "floor-tom")]
            drums.sort(key=lambda p: (p.kind != "snare", p.diameter))
            self.palette_field.setText(" ".join(p.code for p in drums))
        super().refresh()
        self._show()

    def search(self) -> None:
        """Ask in the background; only the newest answer counts."""
        session = self.session
        plan, pattern = session.plan, session.pattern()
        if plan is None or pattern is None:
            self._say("The stroke text has to be readable first.", "error")
            return
        low, high = self.lane.selection
        only = [k for m in pattern.moments[low:high] for k in m.strokes] if high > low else None
        self.found = None
        self._fill()
        wanted: dict[str, Any] = {
            "palette": _words(self.settings.value("palette")), "accents": _words(self.settings.value("accents")),
            "contour": self.settings.value("contour"), "best": 8, "only": only,
        }  # fmt: skip

        def question(state: PlanState) -> Work:
            pattern, plan = state.pattern, state.plan
            assert pattern is not None and plan is not None
            self._before = state.report or analyse(
                pattern, state.kit, state.player, plan.tempo, repeat=plan.repeat, weights=plan.weights
            )
            return lambda progress: find_voicings(
                pattern, state.kit, state.player, plan.tempo, repeat=plan.repeat, weights=plan.weights, **wanted,
                progress=progress,
            )  # fmt: skip

        self.ask(question)

    def progress(self, looked: int, of: int | None, found: object) -> None:
        self._say(f"Searching … {looked:,} looked at.", "hint")

    def answer_texts(self) -> list[str]:
        return [row.text for row in self.found.best] if self.found is not None else []

    def answered(self, result: Voicings) -> None:
        self.found = result
        self._fill()

    def _fill(self) -> None:
        rows, before = self.found.best if self.found is not None else (), self._before
        # All on one drum is easiest: its ease does not count against the way round the kit that was asked for.
        hands = [s.voice for s in before.pattern.strokes if s.limb in HANDS] if before is not None else []
        voiced = len(set(hands)) > 1
        self._rows = [
            row
            for row in rows
            if before is None or self.settings.value("harder") or not is_worse(row.report, before, voiced)
        ]
        self._harder = len(rows) - len(self._rows)
        if not self._rows:
            # Rather what is harder than nothing.
            self._rows = list(rows)
        self.table.setRowCount(len(self._rows))
        for k, row in enumerate(self._rows):
            ease, limit, serious = verdict_cells(row.report)
            fill_row(
                self.table,
                k,
                (way_in_codes(row.report.pattern), ease + ease_change(row.report, before), limit, serious),
            )
        if self._rows:
            self.table.setCurrentCell(0, 0)
        if self.found is not None:
            self._say_found(self.found)
        self._show()

    def _say_found(self, found: Voicings) -> None:
        """What there is, against what stands."""
        left = f" {counted(self._harder, 'harder one')} not shown." if self._harder else ""
        if self._harder == len(found.best):
            left = " All of them are harder than that."
        before = f"As it stands: {compared_words(self._before, None)}. " if self._before is not None else ""
        sure = "The order is proven." if found.proven else "The best found; others may be as good."
        self._say(f"{before}{found.searched:,} looked at. {sure}{left}", "hint")

    def _show(self) -> None:
        row = self.table.currentRow()
        self.use.setEnabled(0 <= row < len(self._rows) and self.fresh)
        self.offered.emit()

    def offer(self) -> Offer | None:
        """The chosen voicing, to be drawn and heard; None once the strokes are others."""
        row = self.table.currentRow()
        if not 0 <= row < len(self._rows) or not self.fresh:
            return None
        return Offer(f"voicing {row + 1}", self._rows[row].text)

    def apply(self) -> None:
        """Take the chosen voicing: one step that can be undone."""
        row = self.table.currentRow()
        if 0 <= row < len(self._rows) and self.fresh:
            self.session.strokes.set_text(self._rows[row].text, "Voicing from the adviser", None)


def _words(text: str) -> list[str]:
    return [word for word in re.split(r"[\s,;]+", text) if word]
