"""The player's own speed from the log: what it is, how sure that is, what it changes, applied only when asked."""

from __future__ import annotations

from collections.abc import Callable
from itertools import starmap

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.canvas.base import label, sheet_painter
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.numbers import decimal
from deft_reach.app.text.words import say
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.core.model.counting import counted
from deft_reach.core.model.player import SKILLS, SPEED_NAMES, Player, Speeds
from deft_reach.core.practice.own_speed import (
    Calibration,
    Evidence,
    Fitted,
    calibrate,
    evidence_from,
)
from deft_reach.core.session import Session
from deft_reach.store.practice_log import PracticeLog

#: Fewer attempts than this are not applied: they say too little.
ENOUGH = 8
EMPTY = (
    "Nothing tried yet. Every verdict in Climb and every take says a little about how fast you are: from "
    f"{ENOUGH} on, what they say can be used here, each hand, the feet and moves apart. Quicker: the hand test."
)
UNLIKELY = (
    "So much changes in nobody at once: look through the entries for verdicts that were slips, or measure your hands."
)
#: So many of the newest attempts, and of takes, are asked: speed is what it is now, not what it was years ago.
NEWEST = 2000


class SkillChart(QWidget):
    """Skill on a line from fast to slow: what is set, what the log says, each with its spread."""

    def __init__(self) -> None:
        super().__init__()
        self.found: Calibration | None = None
        self.setMinimumSize(260, 120)
        self.setAccessibleName("Your speed from the log")

    def sizeHint(self) -> QSize:
        return QSize(420, 170)

    def show_found(self, found: Calibration | None) -> None:
        self.found = found
        self.setAccessibleDescription(in_words(found))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = sheet_painter(self)
        found = self.found
        if found is not None:
            rows = [("all", found.overall), *((SPEED_NAMES[name], row) for name, row in found.groups.items())]
            low = min([0.5, *(row.low for _, row in rows)]) * 0.95
            high = max([1.05, *(row.high for _, row in rows)]) * 1.05
            left, right = 150.0, self.width() - 16.0

            def x(skill: float) -> float:
                return left + (skill - low) / (high - low) * (right - left)

            small, muted = theme.lettering(9), QColor(c.muted)
            for name, skill in SKILLS.items():
                painter.setPen(QPen(QColor(c.grid), 1))
                painter.drawLine(QPointF(x(skill), 20), QPointF(x(skill), self.height() - 8))
                label(painter, QPointF(x(skill), 10), name, small, muted)
            painter.setPen(QPen(QColor(c.ink), 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x(found.before), 20), QPointF(x(found.before), self.height() - 8))
            for k, (name, row) in enumerate(rows):
                y = 38.0 + k * 26
                self._row(painter, c, name, row, y, x, left)
        painter.end()

    @staticmethod
    def _row(
        painter: QPainter,
        c: theme.Colours,
        name: str,
        row: Fitted,
        y: float,
        x: Callable[[float], float],
        left: float,
    ) -> None:  # fmt: skip
        label(painter, QPointF(left - 10, y), name, theme.ui_font(10), QColor(c.ink), Qt.AlignmentFlag.AlignRight)
        band = QColor(c.right)
        band.setAlphaF(0.3)
        painter.fillRect(QRectF(x(row.low), y - 5, x(row.high) - x(row.low), 10), band)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(c.right))
        painter.drawEllipse(QPointF(x(row.skill), y), 5, 5)


def in_words(found: Calibration | None) -> str:
    """The fit as text."""
    if found is None or not found.attempts + found.learning:
        return "Nothing tried yet."
    learning = f"{counted(found.learning, 'try', 'tries')} on the first days of a figure"
    if not found.attempts:
        return f"So far there are {learning}: they say how far it is learned, not how quick the hands are."
    o = found.overall
    change = round((found.limits_change - 1) * 100)
    moved = f"rise by {change} %" if change > 0 else f"fall by {-change} %" if change else "stay"
    rows = "; ".join(f"{SPEED_NAMES[name]} {decimal(row.skill, '.2f')}" for name, row in found.groups.items())
    return (
        f"{found.attempts} tries say {decimal(o.skill, '.2f')} (nine times in ten between {decimal(o.low, '.2f')} "
        f"and {decimal(o.high, '.2f')}), "
        f"where {decimal(found.before, '.2f')} is set: on the whole, tempo limits would {moved}."
        + (f" By themselves: {rows}." if rows else "")
        + (f" Not counted: {learning}." if found.learning else "")
    )


class CalibrationForm(Listener):
    """The chart, the words, and the button that applies it."""

    def __init__(self, session: Session, log: PracticeLog) -> None:
        super().__init__(session)
        self.log = log
        self.found: Calibration | None = None
        self._shown: tuple[Player, list[Evidence], bool] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(12)
        self.chart = SkillChart()
        row.addWidget(self.chart, 3)
        column = QVBoxLayout()
        self.words = HintLabel()
        self.hint = PlainLabel("Smaller is faster: 1 is untrained, 0.55 advanced. Dashed: what is set now.")
        self.hint.setObjectName("hint")
        self.hint.setWordWrap(True)
        self.apply_button = QPushButton("Use it for this player")
        self.apply_button.setObjectName("quiet")
        column.addWidget(self.words)
        column.addWidget(self.hint)
        self.easy = QCheckBox()
        self.easy.setToolTip("Well below your limit people trip or forget: such failures are left out unless you ask")
        column.addWidget(self.easy)
        column.addStretch(1)
        self.even = QPushButton("One speed for all limbs")
        self.even.setObjectName("quiet")
        column.addWidget(self.apply_button, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.even, 0, Qt.AlignmentFlag.AlignLeft)
        row.addLayout(column, 2)
        self.easy.toggled.connect(lambda _: self.refresh())
        self.apply_button.clicked.connect(self.apply)
        self.even.clicked.connect(self.even_out)
        log.changed.connect(self._heard)
        self.follow(shown_later=True)

    def refresh(self) -> None:
        player = self.session.player
        rows = [row for row in starmap(evidence_from, self.log.speed_rows(NEWEST)) if row is not None]
        count_easy = self.easy.isChecked()
        if (player, rows, count_easy) == self._shown:
            return
        self._shown = (player, rows, count_easy)
        self.found = found = calibrate(player, rows, count_easy=count_easy)
        self.chart.show_found(found if found.attempts else None)
        enough = found.attempts >= ENOUGH
        self.apply_button.setEnabled(enough and found.is_likely and found.player != player)
        self.even.setVisible(player.speeds != Speeds())
        self.easy.setVisible(bool(found.left_out) or count_easy)
        count = "failures" if count_easy else counted(found.left_out, "failure")
        self.easy.setText(f"Count {count} on easy rungs: I was too slow")
        if not rows:
            say(self.words, EMPTY, "hint")
            return
        more = "" if enough else f" {ENOUGH - found.attempts} more tries, and it can be used."
        if enough and not found.is_likely:
            more = f" {UNLIKELY}"
        say(self.words, in_words(found) + more, "hint")

    def apply(self) -> None:
        """Set the player's skill, and what the limbs differ in, to what the log says: one step that can be undone."""
        if self.found is not None:
            new = self.found.player
            self.session.kits.change_player("Skill from the log", skill=new.skill, speeds=new.speeds)

    def even_out(self) -> None:
        """One speed for all limbs again."""
        self.session.kits.change_player("One speed for all limbs", speeds=Speeds())
