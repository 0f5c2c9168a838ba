"""Play and stop: the plan sounds and the arms move, at any speed, round and round or once."""

from __future__ import annotations

import time
from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Any, Final

from PySide6.QtCore import QObject, QPointF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QAction, QActionGroup, QColor, QIcon, QPainter, QPixmap, QPolygonF
from PySide6.QtWidgets import QMenu, QToolButton, QWidget

from deft_reach.app import theme
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.styled import set_scaled, styled
from deft_reach.core.session.plan_view import PlanView
from deft_reach.sound.click import PLACES, RATE, Clicks
from deft_reach.sound.output import BUFFER_MS, Output, open_output
from deft_reach.sound.playback import Playback

FRAME_MS: Final = 25
SPEEDS: Final = (100, 90, 75, 50, 25, 10)
#: What is played: the whole plan as it is (once or as a loop), or a part of it round and round.
PARTS: Final = {
    "whole": "All of it",
    "bar": "This bar, round and round",
    "group": "This group, round and round",
}


CLICK_WORDS = "Click"
#: Of how many bars how many have clicks, and how many then have none.
SILENT_BARS = {
    "never": (1, 0),
    "every other bar": (1, 1),
    "two bars of four": (2, 2),
    "one bar of four": (3, 1),
    "three bars of four": (1, 3),
}


class Transport(QObject):
    """Plays the plan in view. The picture follows the sound: where it is comes from the samples that were heard."""

    changed = Signal()
    #: There is no way to make sound; said once.
    silent = Signal()

    def __init__(self, session: PlanView, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.speed = 100
        self.click = False
        self.clicks = Clicks()
        #: A tempo for each round (BPM), where it is not the plan's own.
        self.tempi: tuple[float, ...] = ()
        self.count_in = True
        #: Whether what is shown goes from stroke to stroke, instead of frame by frame.
        self.in_steps = False
        self.part = "whole"
        self.clock = time.perf_counter
        self.playback: Playback | None = None
        self._output: Output | None = None
        self._told = False
        self._played: object = None
        self.begin = 0.0
        self._handed, self._since = 0, 0.0
        self.timer = QTimer(self)
        self.timer.setInterval(FRAME_MS)
        self.timer.setTimerType(Qt.TimerType.PreciseTimer)
        self.timer.timeout.connect(self._frame)
        self.watch()

    def use(self, session: PlanView) -> None:
        """Play what this session shows from now on."""
        if session is not self.session:
            self.stop()
            session.preparing = self.session.preparing
            self.session = session
            self.watch()
            self.changed.emit()

    def watch(self) -> None:
        """Listen to the session; called again when its listeners have been let go."""
        self.session.changed.connect(self._edited)

    @property
    def playing(self) -> bool:
        return self.playback is not None

    def toggle(self) -> None:
        if self.playing:
            self.stop()
        else:
            self.start()

    def stretch(self) -> tuple[Fraction, Fraction, bool] | None:
        """What is to be played, in whole notes, and whether over and over."""
        report, plan = self.session.report, self.session.plan
        if report is None or plan is None or not report.strokes or not report.pattern.length:
            return None
        pattern, index = report.pattern, self.session.stroke
        if index is not None and index < len(pattern.strokes):
            stroke = pattern.strokes[index]
            if self.part == "bar":
                bar = pattern.bar_at(stroke.start)
                return bar.start, bar.start + bar.length, True
            if self.part == "group" and stroke.group >= 0:
                group = pattern.groups[stroke.group]
                return group.start, group.start + group.length, True
        return Fraction(0), pattern.length, plan.repeat

    def start_from(self, time: Fraction) -> None:
        """Play from a time (whole notes) to the end, whatever part is chosen."""
        report = self.session.report
        if report is not None and 0 <= time < report.pattern.length:
            self.start((time, report.pattern.length, False))

    def start_from_bar(self) -> None:
        """Play from the selected stroke's bar to the end; from the beginning where nothing is selected."""
        report, index = self.session.report, self.session.stroke
        if report is None or index is None or index >= len(report.pattern.strokes):
            self.start_from(Fraction(0))
        else:
            self.start_from(report.pattern.bar_at(report.pattern.strokes[index].start).start)

    def start(self, stretch: tuple[Fraction, Fraction, bool] | None = None) -> None:
        """Play a stretch (from, to, whether over and over), or the chosen part."""
        self.stop()
        self.session.catch_up()
        found, plan, report = stretch or self.stretch(), self.session.plan, self.session.report
        if found is None or plan is None or report is None:
            return
        start, end, repeat = found
        self.playback = Playback(
            report.pattern, self.session.kit, plan.tempo * self.speed / 100, start=start, end=end, repeat=repeat,
            click=self.click, clicks=self.clicks, count_in=self.count_in,
            tempi=[tempo * self.speed / 100 for tempo in self.tempi],
        )  # fmt: skip
        self._output = open_output(self.playback)
        if self._output is None and not self._told:
            self._told = True
            self.silent.emit()
        self._played = self._key()
        self.begin = self.clock()
        self._handed, self._since = 0, self.begin
        self.timer.start()
        self.changed.emit()
        self._frame()

    def _key(self) -> object:
        """What a playback is made from: while it stays the same, it need not begin again."""
        report, plan = self.session.report, self.session.plan
        pattern = None if report is None else id(report.pattern)
        return pattern, self.session.kit, None if plan is None else (plan.tempo, plan.repeat)

    def stop(self) -> None:
        if self._output is not None:
            self._output.close()
            self._output = None
        self.timer.stop()
        if self.playback is not None:
            self.playback = None
            self.session.set_position(None)
            self.changed.emit()

    def heard(self) -> int:
        """The sample that is heard now."""
        now = self.clock()
        if self._output is None:
            return round((now - self.begin) * RATE)
        if self._output.played != self._handed:
            self._handed, self._since = self._output.played, now
        # Sound is handed over in blocks, a buffer ahead; in between the clock goes on.
        ahead = BUFFER_MS / 1000 - (now - self._since)
        return max(0, round(self._handed - max(0.0, ahead) * RATE))

    def _frame(self) -> None:
        playback = self.playback
        if playback is None:
            return
        sample = self.heard()
        if playback.samples is not None and sample >= playback.samples:
            self.stop()
            return
        position = playback.position(sample)
        if position is not None and self.in_steps and self.session.report is not None:
            starts = self.session.report.pattern.starts
            # The last stroke that was due; strokes are in the order of their time.
            position = starts[max(0, bisect_right(starts, float(position)) - 1)]
        self.session.set_position(None if position is None else float(position))

    def _edited(self) -> None:
        """What is played is what is written: an edit stops the old version, and a loop goes on with the new one."""
        if self._played == self._key() or not self.playing:
            return
        again = self.playback is not None and self.playback.repeat
        self.stop()
        if again and self.session.error is None:
            self.start()


class PlayButton(QToolButton):
    """Starts and stops; its menu has speed, part, school, click and count-in."""

    def __init__(self, transport: Transport) -> None:
        super().__init__()
        self.transport = transport
        self.setObjectName("play")
        self.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        self.setIconSize(QSize(18, 18))
        set_scaled(self, QWidget.setMinimumHeight, 32)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        menu = QMenu(self)
        session = transport.session
        speeds = [(f"{speed} % of the tempo", speed) for speed in SPEEDS]
        parts = [(words, part) for part, words in PARTS.items()]
        schools = [("Hands prepare early", "early"), ("Hands move at the last moment", "late")]
        self._choice(menu, speeds, transport.speed, lambda speed: self._set(speed=speed))
        self._choice(menu, parts, transport.part, lambda part: self._set(part=part))
        self._choice(menu, schools, session.preparing, lambda school: setattr(transport.session, "preparing", school))
        for words, name in ((CLICK_WORDS, "click"), ("Count in a bar", "count_in")):
            action = QAction(words, menu)
            menu.addAction(action)
            action.setCheckable(True)
            action.setChecked(getattr(transport, name))
            action.toggled.connect(lambda on, n=name: self._set(**{n: on}))
        now = transport.clicks
        on, out = menu.addMenu("Click on"), menu.addMenu("Click falls silent")
        places = [(words, words) for words in PLACES]
        self._choice(on, places, now.places, lambda words: self._click_on(places=words))
        silent, rows = (now.sounding, now.silent), list(SILENT_BARS.items())
        self._choice(out, rows, silent, lambda bars: self._click_on(sounding=bars[0], silent=bars[1]))
        self.setMenu(menu)
        self.clicked.connect(transport.toggle)
        transport.changed.connect(self.refresh)
        styled(self, PlayButton.refresh)

    def _choice(
        self, menu: QMenu, rows: Sequence[tuple[str, object]], now: object, act: Callable[[Any], None]
    ) -> None:
        """One of several, in a stretch of the menu of its own."""
        group = QActionGroup(self)
        for words, value in rows:
            action = QAction(words, menu)
            menu.addAction(action)
            action.setCheckable(True)
            action.setChecked(value == now)
            action.triggered.connect(lambda _=False, v=value: act(v))
            group.addAction(action)
        menu.addSeparator()

    def _click_on(self, **values: Any) -> None:
        """Other clicks: whoever asks for them wants to hear them."""
        self._set(clicks=replace(self.transport.clicks, **values), click=True)
        for action in self.menu().actions():
            if action.text() == CLICK_WORDS:
                action.setChecked(True)

    def _set(self, **values: object) -> None:
        for name, value in values.items():
            setattr(self.transport, name, value)
        if self.transport.playing:
            self.transport.stop()
            self.transport.start()
        self.refresh()

    def refresh(self) -> None:
        playing, speed = self.transport.playing, self.transport.speed
        self.setIcon(_icon(playing))
        word = "Stop" if playing else "Play"
        beside = Qt.ToolButtonStyle.ToolButtonTextBesideIcon
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly if speed == 100 else beside)
        self.setText(word if speed == 100 else f"{speed} %")
        plan = self.transport.session.plan
        what = f"“{plan.name}”" if plan is not None else "the plan"
        self.setAccessibleName(f"{word} {what} at {speed} % of its tempo")
        self.setToolTip(
            plain_tip(f"{word} {what} (F5). The arrow has speed, part, click and count-in. Mind your hearing.")
        )


def _icon(playing: bool) -> QIcon:
    picture = QPixmap(28, 28)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.colours().ink))
    if playing:
        painter.drawRect(5, 5, 18, 18)
    else:
        painter.drawPolygon(QPolygonF([QPointF(6, 3), QPointF(25, 14), QPointF(6, 25)]))
    painter.end()
    return QIcon(picture)
