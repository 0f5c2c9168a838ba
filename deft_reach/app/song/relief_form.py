"""Relief for a tired limb: how busy each is over time, how long it lasts, and lighter ways to play the plan."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QColor, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSlider,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.canvas.explain import limb_name
from deft_reach.app.offers.search_form import SearchForm, Work
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.app.text.words import preview_text
from deft_reach.app.widgets.elided_label import ElidedLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.analysis.endurance import SUSTAINED, effort_over_time, endurance, lasting_words
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import FEET
from deft_reach.core.search.relief import DEFAULT_KEEP, KEEPS, Relief, lighter, moved_how, relief_scale
from deft_reach.core.session import Session
from deft_reach.core.session.plan_state import PlanState
from deft_reach.core.session.song_view import SongView

HANDS = {"the right hand": "R", "the left hand": "L"}


class EffortChart(QWidget):
    """Each limb's effort over the song, a line each, and what can be kept up."""

    def __init__(self) -> None:
        super().__init__()
        self.report: Report | None = None
        self.setMinimumSize(220, 84)
        self.setAccessibleName("How busy each limb is over time")

    def sizeHint(self) -> QSize:
        return QSize(320, 110)

    def show_report(self, report: Report | None) -> None:
        if report is not self.report:
            self.report = report
            self.setAccessibleDescription(self.in_words())
            self.update()

    def limbs(self) -> list[str]:
        return [limb for limb in "RLKJH" if self.report is not None and limb in self.report.summary.load]

    def in_words(self) -> str:
        """Every limb's effort and how long it lasts, as text."""
        report = self.report
        if report is None:
            return "Nothing to show yet."
        found = []
        for limb in self.limbs():
            one = endurance(report, limb)
            if one is not None:
                name = limb_name(report.table.kit, limb)
                found.append(
                    f"{name}: {decimal(one.rate, '.1f')} strokes a second, {one.longest_run} in a row, "
                    f"busy {one.effort * 100:.0f} %, lasts {lasting_words(one.lasts)}."
                )
        return " ".join(found)

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        report = self.report
        if report is None or not report.summary.duration:
            painter.end()
            return
        left, right, top, bottom = 40.0, self.width() - 8.0, 8.0, self.height() - 18.0
        whole = report.summary.duration
        high = 1.2

        def y(effort: float) -> float:
            return bottom - min(effort, high) / high * (bottom - top)

        painter.setPen(QPen(QColor(c.grid), 1))
        muted, small = QColor(c.muted), theme.lettering(9)
        align = Qt.AlignmentFlag.AlignRight
        for effort, text in ((0.0, "0"), (SUSTAINED["hand"], "lasts"), (1.0, "100 %")):
            painter.setPen(QPen(QColor(c.grid if effort != SUSTAINED["hand"] else c.muted), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(left, y(effort)), QPointF(right, y(effort)))
            label(painter, QPointF(left - 4, y(effort)), text, small, muted, align)
        label(painter, QPointF(right, bottom + 9), f"{whole:.0f} s", small, muted, align)
        label(painter, QPointF(left, bottom + 9), "0 s", small, muted, Qt.AlignmentFlag.AlignLeft)
        count = max(2, int(right - left) // 3)
        times = [whole * (k + 1) / count for k in range(count)]
        for limb in self.limbs():
            path = QPainterPath()
            for k, effort in enumerate(effort_over_time(report, limb, times).tolist()):
                point = QPointF(left + (right - left) * (k + 1) / count, y(effort))
                path.moveTo(point) if k == 0 else path.lineTo(point)
            colour = c.hand(limb)
            dashed = Qt.PenStyle.DotLine if limb in FEET and limb != "K" else Qt.PenStyle.SolidLine
            painter.setPen(QPen(colour, 1.6, Qt.PenStyle.DashLine if limb == "K" else dashed))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
            end = path.currentPosition()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour)
            painter.drawPath(theme.mark_path(limb, QPointF(end.x() - 3, end.y()), 4))
        painter.end()


#: What can be kept, as short as players say it.
SHORT = {"beats": "beats", "backbeats": "backbeats", "accents": "accents", "offbeats": "off-beats"}


class ReliefForm(SearchForm):
    """What the limbs carry on the left; a slider from as written to the lightest on the right."""

    def __init__(self, session: Session, view: SongView) -> None:
        super().__init__(session, "Find lighter ways")
        self.view = view
        self.rows: list[Relief] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(12)
        row.addLayout(self._loads(), 1)
        ways = QWidget()
        ways.setLayout(self._relief())
        area = QScrollArea()
        area.setWidget(ways)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row.addWidget(area, 1)
        self.answer_views = [self.verdict, self.preview]
        self._say("Choose a hand, and lighter ways to play the plan in view are found.", "hint")
        self._show()
        self.follow()

    def _loads(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(3)
        self.chart_title = ElidedLabel()
        self.chart_title.setObjectName("caption")
        self.chart = EffortChart()
        self.loads_title = ElidedLabel()
        self.loads_title.setObjectName("caption")
        self.loads = QTableWidget()
        columns = ["", "per s", "in a row", "rest", "lasts"]
        make_list(self.loads, "What each limb carries in the plan in view", columns, wide=(4,))
        self.loads.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        column.addWidget(self.chart_title)
        column.addWidget(self.chart, 1)
        column.addWidget(self.loads_title)
        column.addWidget(self.loads, 1)
        return column

    def _relief(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        top = QHBoxLayout()
        self.hand = QComboBox()
        self.hand.setAccessibleName("Hand to relieve")
        for words, value in HANDS.items():
            self.hand.addItem(words, value)
        top.addWidget(PlainLabel("Relieve"))
        top.addWidget(self.hand, 1)
        top.addWidget(self.find_button)
        column.addLayout(top)
        keeps = QGridLayout()
        keeps.setVerticalSpacing(0)
        self.keeps: dict[str, QCheckBox] = {}
        for k, (name, words) in enumerate(KEEPS.items()):
            box = QCheckBox(f"keep {SHORT[name]}")
            box.setToolTip(f"Keep {words} as they are")
            box.setChecked(name in DEFAULT_KEEP)
            self.keeps[name] = box
            keeps.addWidget(box, k // 2, k % 2)
        column.addLayout(keeps)
        scale = QHBoxLayout()
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("From as written to the lightest")
        self.slider.setPageStep(1)
        self.slider.setTickPosition(QSlider.TickPosition.TicksBelow)
        scale.addWidget(PlainLabel("as written"))
        scale.addWidget(self.slider, 1)
        scale.addWidget(PlainLabel("lightest"))
        column.addLayout(scale)
        self.verdict = PlainLabel()
        self.verdict.setWordWrap(True)
        column.addWidget(self.verdict)
        set_scaled(self.preview, QWidget.setMinimumHeight, 32)
        column.addWidget(self.preview, 1)
        low = QHBoxLayout()
        self.keep = QPushButton("Keep as a plan")
        self.use = QPushButton("Use it")
        low.addWidget(self.words, 1)
        for button in (self.keep, self.use):
            button.setObjectName("quiet")
            low.addWidget(button)
        column.addLayout(low)
        self.slider.valueChanged.connect(lambda _: self._show())
        self.use.clicked.connect(self.apply)
        self.keep.clicked.connect(self.keep_it)
        return column

    def refresh(self) -> None:
        report = self.view.report if self.view.report is not None else self.session.report
        song = self.session.songs.song
        whole = self.view.report is not None and song is not None
        name = song.name if whole and song is not None else "the plan in view"
        self.chart_title.setText(f"How busy each limb is through {name}")
        self.chart.show_report(report)
        plan, own = self.session.plan, self.session.report
        found = [] if own is None else [one for limb in "RLKJH" if (one := endurance(own, limb)) is not None]
        self.loads_title.setText("" if plan is None else f"{plan.name} at {bpm(plan.tempo)}, round and round")
        self.loads.setRowCount(len(found))
        for k, one in enumerate(found):
            assert own is not None
            who = limb_name(own.table.kit, one.limb)
            rest = f"{one.rest * 1000:.0f} ms" if one.rest < 10 else f"{one.rest:.0f} s"
            cells = (who, decimal(one.rate, ".1f"), str(one.longest_run), rest, lasting_words(one.lasts))
            fill_row(self.loads, k, cells)
        super().refresh()
        self._show()

    def answer_texts(self) -> list[str]:
        return [row.text for row in self.rows]

    def search(self) -> None:
        pattern, plan = self.session.pattern(), self.session.plan
        if plan is None or pattern is None or not pattern.strokes:
            self._say("The plan has to be readable and have strokes first.", "error")
            return
        self.rows = []
        self._show()
        hand, keep = str(self.hand.currentData()), [name for name, box in self.keeps.items() if box.isChecked()]

        def question(state: PlanState) -> Work:
            pattern, plan = state.pattern, state.plan
            assert pattern is not None and plan is not None
            return lambda progress: relief_scale(
                pattern, state.kit, state.player, plan.tempo, hand, keep=keep, repeat=plan.repeat,
                weights=plan.weights, progress=progress,
            )  # fmt: skip

        self.ask(question)

    def answered(self, result: list[Relief]) -> None:
        self.rows = result
        self.slider.setRange(0, len(result) - 1)
        self.slider.setValue(min(2, len(result) - 1))
        if len(result) < 2:
            self._say("With what is kept there is nothing to give away: keep less.", "hint")
        else:
            self._say(f"{len(result) - 1} lighter ways; move the slider.", "hint")
        self._show()

    @property
    def current(self) -> Relief | None:
        return self.rows[self.slider.value()] if self.fresh and self.slider.value() < len(self.rows) else None

    def _show(self) -> None:
        row = self.current
        self.slider.setEnabled(len(self.rows) > 1 and row is not None)
        changed = row is not None and bool(row.moved or row.dropped)
        self.use.setEnabled(changed and row is not None and row.text != self.session.text)
        self.keep.setEnabled(changed)
        if row is None:
            self.verdict.setText("")
            self.preview.setText("")
            return
        first = self.rows[0]
        lasts = lasting_words(row.load.lasts) if row.load else "it rests"
        if changed:
            parts = [f"{lighter(row, first) * 100:.0f} % lighter", f"{row.heard * 100:.0f} % of it heard"]
            if row.moved:
                parts.append(f"{len(row.moved)} to the other hand{moved_how(row)}")
            if row.dropped:
                parts.append(f"{len(row.dropped)} left out")
        else:
            parts = ["As written"]
        limit = row.report.summary.tempo_limit
        parts.append(f"{row.longest_run} in a row, lasts {lasts}")
        parts.append(
            f"cost {decimal(row.report.summary.cost, '.1f')}"
            + ("" if limit is None else f", breaks at {limit:.0f} BPM")
        )
        self.verdict.setText("; ".join(parts) + ".")
        self.preview.setText(preview_text(row.text))

    def apply(self) -> None:
        """Make the chosen rewrite the plan's: one step that can be undone."""
        if self.current is not None:
            self.session.strokes.set_text(self.current.text, "Relief", None)

    def keep_it(self) -> None:
        plan, row = self.session.plan, self.current
        if plan is not None and row is not None:
            name = f"{plan.name}, lighter"[:120]
            self.session.plans.new_plan(name, row.text, copy_of=plan, show=False)
            self._say(f"Kept as “{name}”.", "hint")
