"""The header: what is always true of the plan in view."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QHideEvent, QMouseEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.shell.commitments import day
from deft_reach.app.shell.transport import PlayButton, Transport
from deft_reach.app.text import units
from deft_reach.app.text.explanations import explained
from deft_reach.app.text.numbers import bpm, localised
from deft_reach.app.widgets.decimal_box import DecimalBox
from deft_reach.app.widgets.elided_combo_box import ElidedComboBox
from deft_reach.app.widgets.elided_label import ElidedLabel
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.styled import set_font, set_scaled
from deft_reach.core.analysis.explained import MOSTLY
from deft_reach.core.analysis.report import Report, headroom_words
from deft_reach.core.model.counting import counted
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.session import Session
from deft_reach.core.session.candidate_view import CandidateView
from deft_reach.core.session.plan_view import PlanView
from deft_reach.core.session.song_view import SongView
from deft_reach.core.song.verdict import SongReport

#: Below this width (px) there is only room for when it was committed.
TIGHT = 1000


class Figure(QWidget):
    """One large figure with its caption; pressed, it asks why."""

    asked = Signal()
    #: The same for a figure that does not warn, and for any figure's caption.
    explain = Signal()

    def __init__(self, name: str, *words: str, explains: bool = False) -> None:
        super().__init__()
        self.explains = explains
        self._means = "\n".join(explained(word) for word in words)
        self.setToolTip(plain_tip(self._means))
        self.value = PlainLabel("–")
        self.value.setObjectName("figure")
        self.value.setAccessibleName(name)
        self.caption = ElidedLabel(name)
        self.caption.setObjectName("caption")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.value)
        column.addWidget(self.caption)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        if event.button() != Qt.MouseButton.LeftButton:
            return
        on_value = event.position().y() < self.caption.y()
        if self.value.property("tone") and (on_value or not self.explains):
            self.asked.emit()
        elif self.explains:
            self.explain.emit()

    def show_value(self, text: str, caption: str, tone: str = "") -> None:
        self.value.setText(text)
        self.caption.setText(caption)
        if self.value.property("tone") != tone:
            self.value.setProperty("tone", tone)
            leads = tone or self.explains
            self.setCursor(Qt.CursorShape.PointingHandCursor if leads else Qt.CursorShape.ArrowCursor)
            lines = ["Press to see what happens there."] if tone else []
            if self.explains:
                lines.append(f"Press {'the line below it' if tone else 'it'} for what makes it so.")
            self.setToolTip(plain_tip("\n".join([*lines, self._means])))
            self.value.style().unpolish(self.value)
            self.value.style().polish(self.value)


class TempoBox(DecimalBox):
    """The home tempo, in quarter notes a minute."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("tempo")
        self.setRange(*TEMPO_RANGE)
        self.setDecimals(1)
        self.setSuffix(" BPM")
        self.setKeyboardTracking(True)
        self.setAccessibleName("Home tempo in quarter notes a minute")
        self.setToolTip("Home tempo, in quarter notes a minute. Up and down change it by 1, Page Up and Down by 10.")
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        set_font(self, theme.ui_font, 16, bold=True)
        set_font(self.lineEdit(), theme.ui_font, 16, bold=True)
        self.setFrame(False)
        set_scaled(self, QWidget.setMinimumWidth, 108)

    def textFromValue(self, value: float) -> str:
        return localised(f"{value:.1f}".rstrip("0").rstrip("."))


class Header(QFrame):
    """Plan, kit and player, home tempo, limit, ease; what is saved; and the commit button."""

    commit = Signal()
    find_hands = Signal()
    #: A figure that warns was pressed.
    show_worst = Signal()
    #: What makes it as hard as it is was asked for.
    show_demands = Signal()
    show_commitments = Signal()

    def __init__(self, session: Session, transport: Transport) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__()
        self.session = session
        #: What is offered in place of the plan.
        self._offer: CandidateView | None = None
        #: The song that is in view in place of the plan; limit and level are then its own.
        self._song: SongView | None = None
        self.play = PlayButton(transport)
        self.setObjectName("header")
        self.plans = ElidedComboBox()
        self.plans.setObjectName("planName")
        self.plans.setAccessibleName("Plan in view")
        self.plans.setToolTip("The plan in view. Ctrl+Page Up and Ctrl+Page Down go through them.")
        self.plans.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.plans.setMinimumContentsLength(11)
        self.plans.setMaxVisibleItems(30)
        self.about = ElidedLabel()
        self.about.setObjectName("caption")
        self.tempo = TempoBox()
        self.tempo_caption = PlainLabel("home tempo")
        self.tempo_caption.setObjectName("caption")
        self.tempo_caption.setToolTip(explained("home tempo"))
        self.limit = Figure("tempo limit", "breaks at", "headroom")
        self.ease = Figure("how hard it is", "level", "ease", "demand", explains=True)
        self.find_button = QPushButton("Find the hands")
        self.find_button.setToolTip("Let the planner choose hands for all strokes that have none")
        self.find_button.setAutoDefault(False)
        self.find_button.setVisible(False)
        self.saved = ElidedLabel()
        self.saved.setObjectName("caption")
        self.saved.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.committed = QPushButton()
        self.committed.setObjectName("link")
        self.committed.setAutoDefault(False)
        self.button = QPushButton("Commit…")
        self.button.setObjectName("primary")
        self.button.setToolTip("Freeze this plan with its cost, limit and date (Ctrl+Enter)")
        self.button.setAutoDefault(False)

        row = QHBoxLayout(self)
        row.setContentsMargins(10, 2, 10, 3)
        row.setSpacing(16)
        self._row = row
        name = QVBoxLayout()
        name.setSpacing(0)
        name.addWidget(self.plans)
        name.addWidget(self.about)
        self.about.setContentsMargins(6, 0, 0, 0)
        row.addLayout(name, 3)
        tempo = QVBoxLayout()
        tempo.setSpacing(0)
        tempo.addWidget(self.tempo)
        tempo.addWidget(self.tempo_caption)
        row.addLayout(tempo)
        row.addWidget(self.play)
        row.addWidget(self.limit)
        row.addWidget(self.ease)
        row.addWidget(self.find_button)
        row.addStretch(1)
        row.addWidget(self.button)
        #: What is saved and committed: in one line with the menus, where the window puts it.
        self.state = QWidget()
        set_scaled(self.state, QWidget.setFixedWidth, 470)
        state = QHBoxLayout(self.state)
        state.setContentsMargins(0, 0, 14, 0)
        state.setSpacing(14)
        state.addWidget(self.saved, 1)
        state.addWidget(self.committed)

        for figure in (self.limit, self.ease):
            figure.asked.connect(self.show_worst)
        self.ease.explain.connect(self.show_demands)
        self.plans.activated.connect(self._choose)
        self.tempo.valueChanged.connect(lambda bpm: session.plans.set_tempo(bpm))
        self.tempo.editingFinished.connect(session.end_merge)
        self.button.clicked.connect(self.commit)
        self.find_button.clicked.connect(self.find_hands)
        self.committed.clicked.connect(self.show_commitments)
        session.verdict.connect(self.refresh)
        session.typed.connect(self._reading)
        session.saved.connect(self.refresh)
        self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.state.show()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        if self.isHidden():
            # Where there is no plan in view there is nothing to say of it.
            self.state.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self._row.setSpacing(16 if event.size().width() > TIGHT * theme.text_scale() else 8)
            self.refresh()

    def _choose(self, row: int) -> None:
        self.session.show_plan(self.plans.itemData(row))

    def _reading(self) -> None:
        if self.session.reading:
            self.refresh()

    def show_played(self, offer: CandidateView | None, song: SongView | None) -> None:
        """Show what is offered beside the plan's own figures, or a song's in their place, as long as that is in view;
        None where there is none.
        """
        heard: tuple[tuple[PlanView | None, PlanView | None], ...] = ((self._offer, offer), (self._song, song))
        for before, now in heard:
            if now is before:
                continue
            if before is not None:
                before.verdict.drop(self.refresh)
            if now is not None:
                now.verdict.connect(self.refresh)
        self._offer, self._song = offer, song
        self.refresh()

    def _show_compared(self, before: Report, offer: CandidateView) -> None:
        """What becomes of limit and level if the offer is used."""
        after = offer.report
        if after is None:
            return
        b, a = before.summary, after.summary
        limits = [_limit_words(report) for report in (before, after)]
        tone = "stop" if after.stopped else "caution" if a.headroom is not None and a.headroom < 0.1 else ""
        headroom = f" · {headroom_words(a.headroom)}" if a.headroom is not None and not after.impossible else ""
        self.limit.show_value(" → ".join(limits), f"BPM, if used{headroom}", tone)
        levels = [b.level or f"{b.open} open", a.level or f"{a.open} open"]
        tone = {"hard": "caution", "impossible": "stop"}.get(a.level or "", "")
        ease = f"ease {b.ease:.0f} → {a.ease:.0f}" if b.level is not None else f"ease {a.ease:.0f}"
        mostly = f" · {MOSTLY[after.demands[0].kind]}" if after.demands else ""
        self.ease.show_value(" → ".join(dict.fromkeys(levels)), f"{ease} of 100{mostly}", tone)

    def _show_song_figures(self, found: SongReport) -> None:
        """Where a song has the least headroom, and how hard it is as a whole."""
        report, row = found.report, found.tightest
        assert report is not None
        if report.impossible or row is None or row.tempo_limit is None or row.headroom is None:
            words = (
                ("at no tempo", "something cannot be struck") if report.impossible else ("no limit", "in the song")
            )
            self.limit.show_value(*words, "stop" if report.impossible else "")
        else:
            tone = "stop" if row.headroom < 0 else "caution" if row.headroom < 0.1 else ""
            name = (
                next((part.plan.name for part in found.chain.parts if part.section == row.section), "")
                if found.chain is not None
                else ""
            )
            self.limit.show_value(f"breaks at {row.tempo_limit:.0f}", f"BPM in {name}", tone)
        level = "impossible" if report.impossible else report.summary.level or "hands open"
        tone = {"hard": "caution", "impossible": "stop"}.get(level, "")
        self.ease.show_value(level, f"the song: ease {report.summary.ease:.0f} of 100", tone)

    def _show_figures(self, report: Report | None) -> None:
        """Limit and level of the plan as it stands."""
        session = self.session
        if session.reading:
            self.limit.show_value("–", "being read …")
            self.ease.show_value("–", "ease of 100")
        elif report is None:
            self.limit.show_value("–", "cannot be read", "stop")
            self.ease.show_value("–", "ease of 100")
        elif not report.strokes:
            self.limit.show_value("–", "nothing written yet")
            self.ease.show_value("–", "ease of 100")
        else:
            s = report.summary
            old = " (as last read)" if session.outdated else ""
            if report.impossible:
                # No tempo makes it playable: a limit would be a number about nothing.
                self.limit.show_value("at no tempo", f"something cannot be struck{old}", "stop")
            elif s.tempo_limit is None or s.headroom is None:
                self.limit.show_value("no limit", f"nothing repeats{old}")
            else:
                tone = "stop" if s.headroom < 0 else "caution" if s.headroom < 0.1 else ""
                word = headroom_words(s.headroom)
                self.limit.show_value(f"breaks at {s.tempo_limit:.0f}", f"BPM · {word}{old}", tone)
            if report.impossible:
                self.ease.show_value("impossible", "see what happens", "stop")
            elif s.level is not None:
                tone = {"hard": "caution", "impossible": "stop"}.get(s.level, "")
                mostly = f" · {MOSTLY[report.demands[0].kind]}" if report.demands else ""
                self.ease.show_value(
                    s.level,
                    f"ease {s.ease:.0f} of 100{mostly}{old}",
                    tone,
                )
            if s.open:
                # As long as strokes lack hands there is no verdict.
                self.ease.show_value(f"{s.open} of {s.strokes} open", "no verdict until all have hands", "caution")

    def refresh(self) -> None:
        # Long: one field after the other.
        session = self.session
        plan, report = session.plan, session.report
        with QSignalBlocker(self.plans):
            rows = [(p.name, p.id) for p in session.document.plans]
            if rows != [(self.plans.itemText(i), self.plans.itemData(i)) for i in range(self.plans.count())]:
                self.plans.clear()
                for text, id in rows:
                    self.plans.addItem(text, id)
            if plan is not None:
                self.plans.setCurrentIndex(self.plans.findData(plan.id))
        usable = plan is not None
        self.tempo.setEnabled(usable)
        self.play.setEnabled(usable and bool(report and report.strokes))
        self.button.setEnabled(usable and session.error is None and bool(report and report.strokes))
        if plan is None:
            self.about.setText("no plan yet: Ctrl+N makes one")
            self.limit.show_value("–", "no plan")
            self.ease.show_value("–", "ease of 100")
            self.saved.setText("")
            self.committed.setText("")
            self.find_button.setVisible(False)
            return
        with QSignalBlocker(self.tempo):
            if self.tempo.value() != plan.tempo:
                self.tempo.setValue(plan.tempo)
        skill = {1.0: "untrained", 0.75: "working", 0.55: "advanced"}.get(session.player.skill)
        who = f"{session.player.name} · {session.player.handedness}-handed"
        self.about.setText(
            f"{session.kit.name} · {who}{f' · {skill}' if skill else ''}{' · loop' if plan.repeat else ''}"
        )
        if self._song is not None and self._song.found is not None and self._song.found.report is not None:
            self._show_song_figures(self._song.found)
        else:
            self._show_figures(report)
        offered = self._offer is not None and self._offer.active
        if offered and report is not None and self._offer is not None:
            self._show_compared(report, self._offer)
        self.limit.setVisible(offered or report is None or not report.summary.open)
        self.find_button.setVisible(report is not None and bool(report.summary.open) and not session.outdated)
        state = "saved" if session.in_file else "not in a file yet"
        self.saved.setText(state if session.is_saved else "unsaved changes, kept safe")
        commitment = session.plans.commitment
        self.committed.setEnabled(commitment is not None)
        self.committed.setToolTip("")
        if commitment is None:
            self.committed.setText("not committed yet")
        else:
            changes = session.plans.changes()
            tempo = f" at {bpm(commitment.tempo)}"
            since = f" · {counted(len(changes), 'change')} since" if changes else ""
            if self.width() < TIGHT * theme.text_scale():
                tempo = since = ""
            self.committed.setText(f"committed {day(commitment.date, '%-d %b')}{tempo}{since}")
            when = f"committed {day(commitment.date)} at {bpm(commitment.tempo)}"
            lines = [when, *filter(None, [commitment.reason]), *map(units.text_of, changes)]
            self.committed.setToolTip("\n".join(lines))


def _limit_words(report: Report) -> str:
    """The tempo at which it breaks, as short as it can be."""
    if report.impossible:
        return "at no tempo"
    limit = report.summary.tempo_limit
    return "no limit" if limit is None else f"{limit:.0f}"
