"""The song as a list: its sections in order, how often, how fast, and how each is in the song and alone."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from deft_reach.app.shell.station import Listener
from deft_reach.app.song.hands_button import HandsButton
from deft_reach.app.song.new_song_dialog import NewSongDialog
from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.app.text.words import say, sentence
from deft_reach.app.widgets.choices import fill_box
from deft_reach.app.widgets.decimal_box import DecimalBox
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.marks import severity_icon
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.tables import make_list
from deft_reach.core.analysis.report import headroom_words
from deft_reach.core.model.counting import counted
from deft_reach.core.notation.stroke_text import TEMPO_RANGE
from deft_reach.core.session import Session
from deft_reach.core.session.song_view import SongView
from deft_reach.core.session.songs import MOST_TIMES
from deft_reach.core.song.chain import written

#: The columns, and what each means.
COLUMNS = (
    ("section", "The plan that is played"),
    ("×", "How often it is played in a row"),
    ("BPM", "The tempo it is played at, in quarter notes a minute"),
    ("breaks", "The tempo (BPM) at which a stroke of it breaks in the song, between its neighbours"),
    ("alone", "The tempo (BPM) at which a stroke of it breaks when the plan is played by itself"),
)
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class SongBar(Listener):
    """Everything about the song in view that can be changed."""

    #: The song is to be played from the section of this number on.
    played_from = Signal(int)

    def __init__(self, session: Session, view: SongView) -> None:
        super().__init__(session)
        self.view = view
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 2, 10, 8)
        column.setSpacing(5)
        column.addLayout(self._choose())
        column.addLayout(self._settings())
        self.table = QTableWidget()
        make_list(
            self.table,
            "Sections of the song",
            [name for name, _ in COLUMNS],
            wide=(0,),
            empty="Add a plan: sections are listed here in their order.",
        )
        for k, (_, tip) in enumerate(COLUMNS):
            self.table.model().setHeaderData(k, Qt.Orientation.Horizontal, tip, Qt.ItemDataRole.ToolTipRole)
        column.addWidget(self.table, 1)
        means = PlainLabel("breaks: limit in the song · alone: limit by itself (BPM)")
        means.setObjectName("caption")
        means.setWordWrap(True)
        column.addWidget(means)
        column.addLayout(self._section())
        self.words = HintLabel(lines=3)
        column.addWidget(self.words)
        self.hands = HandsButton(session)
        self.hands.said.connect(lambda text, tone: say(self.words, text, tone))
        column.addWidget(self.hands)
        view.verdict.connect(self.refresh_if_visible)
        view.selected.connect(self.refresh_if_visible)
        self.table.currentCellChanged.connect(lambda row, *_: self._picked(row))
        self.table.cellActivated.connect(lambda row, _: self._go(row))
        self._filling = False
        self.follow()

    # --- building ---------------------------------------------------------------------------------------------

    def _choose(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.songs = QComboBox()
        self.songs.setAccessibleName("Song")
        self.songs.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.songs.setMinimumContentsLength(10)
        self.more = QPushButton("Songs")
        self.more.setObjectName("quiet")
        menu = QMenu(self)
        session = self.session
        menu.addAction("New song…", self._new)
        self.rename = menu.addAction("Rename this song…", self._rename)
        self.copy = menu.addAction("Duplicate this song", lambda: session.songs.duplicate_song())
        self.delete = menu.addAction("Delete this song", lambda: session.songs.delete_song())
        self.write_out = menu.addAction("Write it out as one plan", self._write_out)
        self.more.setMenu(menu)
        row.addWidget(self.songs, 1)
        row.addWidget(self.more)
        self.songs.activated.connect(lambda _: self.session.songs.show_song(str(self.songs.currentData())))
        return row

    def _settings(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        self.kit = QComboBox()
        self.kit.setAccessibleName("Kit of the song")
        self.kit.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.kit.setMinimumContentsLength(8)
        self.tempo = _tempo_box("each its own")
        self.tempo.setAccessibleName("One tempo for the whole song")
        self.repeat = QCheckBox("Round again")
        for line, (caption, widget, wide) in enumerate((("Kit", self.kit, 3), ("Tempo", self.tempo, 2))):
            text = PlainLabel(caption)
            text.setObjectName("caption")
            grid.addWidget(text, line, 0)
            grid.addWidget(widget, line, 1, 1, wide)
        grid.addWidget(self.repeat, 1, 3)
        grid.setColumnStretch(1, 1)
        session = self.session
        self.kit.activated.connect(lambda _: session.songs.set_song_kit(self.kit.currentData()))
        self.tempo.valueChanged.connect(
            lambda value: session.songs.set_song_tempo(value if value >= TEMPO_RANGE[0] else None)
        )
        self.repeat.toggled.connect(session.songs.set_song_repeat)
        return grid

    def _section(self) -> QVBoxLayout:
        lines = QVBoxLayout()
        lines.setSpacing(4)
        first, second = QHBoxLayout(), QHBoxLayout()
        self.add = QPushButton("Add a plan")
        self.plans = QMenu(self)
        self.plans.aboutToShow.connect(self._fill_plans)
        self.add.setMenu(self.plans)
        self.up, self.down, self.remove = QPushButton("Up"), QPushButton("Down"), QPushButton("Remove")
        self.play = QPushButton("▶ From here")
        self.play.setObjectName("quiet")
        self.play.setToolTip("Play the song from this section's pickup on, at the tempi of its sections")
        self.play.setAccessibleName("Play the song from this section on")
        for button in (self.add, self.up, self.down, self.remove):
            button.setObjectName("quiet")
            first.addWidget(button, 1 if button is self.add else 0)
        self.times = QSpinBox()
        self.times.setRange(1, MOST_TIMES)
        self.times.setPrefix("× ")
        self.times.setAccessibleName("How often the section is played")
        self.section_tempo = _tempo_box("as the song")
        self.section_tempo.setAccessibleName("The section's own tempo")
        second.addWidget(self.play)
        second.addWidget(self.times, 1)
        second.addWidget(self.section_tempo, 1)
        lines.addLayout(first)
        lines.addLayout(second)
        session = self.session
        self.up.clicked.connect(lambda: self._move(-1))
        self.down.clicked.connect(lambda: self._move(1))
        self.remove.clicked.connect(lambda: session.songs.remove_section(self.row))
        self.play.clicked.connect(lambda: self.played_from.emit(self.row))
        self.times.valueChanged.connect(lambda times: session.songs.set_times(self.row, times))
        self.section_tempo.valueChanged.connect(
            lambda value: session.songs.set_section_tempo(self.row, _or_none(value))
        )
        return lines

    # --- showing ----------------------------------------------------------------------------------------------

    @property
    def row(self) -> int:
        """Number of the section that is chosen, −1 if none."""
        return self.table.currentRow()

    def refresh_if_visible(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        self._filling = True
        self._fill_songs()
        song, document = self.session.songs.song, self.session.document
        there = song is not None
        boxes = (self.kit, self.tempo, self.repeat, self.times, self.section_tempo)
        blockers = [QSignalBlocker(widget) for widget in boxes]
        for widget in boxes:
            widget.setEnabled(there)
        for action in (self.rename, self.copy, self.delete, self.write_out):
            action.setEnabled(there)
        self.add.setEnabled(bool(document.plans))
        if song is not None:
            self.repeat.setChecked(song.repeat)
            self.tempo.setValue(song.tempo or self.tempo.minimum())
            self._fill_kits()
        self._fill_table()
        found = self.view.found
        self.hands.setVisible(found is not None and any(problem.open_hands for problem in found.problems))
        del blockers
        self._filling = False
        self._say()

    def _fill_songs(self) -> None:
        wanted = [(song.name, song.id) for song in self.session.document.songs]
        there = [(self.songs.itemText(k), self.songs.itemData(k)) for k in range(self.songs.count())]
        if wanted != there:
            self.songs.clear()
            for name, id in wanted:
                self.songs.addItem(name, id)
        song = self.session.songs.song
        if song is not None:
            self.songs.setCurrentIndex(self.songs.findData(song.id))

    def _fill_kits(self) -> None:
        song = self.session.songs.song
        assert song is not None
        fill_box(self.kit, [("its first plan's", None), *((k.name, k.id) for k in self.session.document.kits)])
        blocker = QSignalBlocker(self.kit)
        self.kit.setCurrentIndex(max(0, self.kit.findData(song.kit)))
        del blocker

    def _fill_table(self) -> None:
        song, found = self.session.songs.song, self.view.found
        sections = song.sections if song is not None else ()
        names = {plan.id: plan for plan in self.session.document.plans}
        verdicts = {row.section: row for row in found.sections} if found is not None else {}
        stops = {p.section: p.message for p in found.problems if p.severity == "stop"} if found is not None else {}
        blocker = QSignalBlocker(self.table)
        at = self.table.currentRow()
        self.table.setRowCount(len(sections))
        for k, section in enumerate(sections):
            row, plan = verdicts.get(k), names.get(section.plan)
            here = "–" if row is None or row.tempo_limit is None else f"{row.tempo_limit:.0f}"
            alone = "–" if row is None or row.alone_limit is None else f"{row.alone_limit:.0f}"
            tempo = decimal(row.tempo, ".4g") if row is not None else "–"
            name = plan.name if plan is not None else "a plan that is gone"
            for column, text in enumerate((name, str(section.times), tempo, here, alone)):
                item = QTableWidgetItem(text)
                if column:
                    item.setTextAlignment(_RIGHT)
                if column == 0:
                    severity = "stop" if k in stops else row.severity if row is not None else ""
                    item.setIcon(severity_icon(severity))
                    item.setToolTip(plain_tip(units.text_of(stops.get(k, name))))
                self.table.setItem(k, column, item)
        current = self._current_section()
        wanted = at if 0 <= at < len(sections) else 0
        if current is not None and not self.table.hasFocus() and not self._own_focus():
            wanted = current
        self.table.setCurrentCell(wanted if sections else -1, 0)
        del blocker
        self._show_section()

    def _own_focus(self) -> bool:
        return any(
            widget.hasFocus()
            for widget in (self.times, self.section_tempo, self.up, self.down, self.remove, self.add)
        )

    def _current_section(self) -> int | None:
        """The section that the selected stroke is in."""
        found, index = self.view.found, self.view.stroke
        if found is None or found.chain is None or index is None or index >= len(found.chain.origin):
            return None
        return found.chain.part_at(index).section

    def _show_section(self) -> None:
        song = self.session.songs.song
        sections = song.sections if song is not None else ()
        there = 0 <= self.row < len(sections)
        for widget in (self.up, self.down, self.remove, self.times, self.section_tempo):
            widget.setEnabled(there)
        chain = self.view.found.chain if self.view.found is not None else None
        self.play.setEnabled(chain is not None and chain.entry_of(self.row) is not None)
        if there:
            blockers = [QSignalBlocker(self.times), QSignalBlocker(self.section_tempo)]
            section = sections[self.row]
            self.times.setValue(section.times)
            self.section_tempo.setValue(section.tempo or self.section_tempo.minimum())
            self.up.setEnabled(self.row > 0)
            self.down.setEnabled(self.row < len(sections) - 1)
            del blockers

    def _say(self) -> None:
        """What the chosen section or the song has to say: problems first."""
        song, found = self.session.songs.song, self.view.found
        if song is None:
            say(self.words, "No song yet: press Songs, New song, and choose plans in the order they are played.")
            return
        problems = [] if found is None else [p for p in found.problems if p.section in (None, self.row)]
        others = [] if found is None else [p for p in found.problems if p.section not in (None, self.row)]
        if problems:
            worst = "error" if any(p.severity == "stop" for p in problems) else "hint"
            say(self.words, " ".join(sentence(p.message) for p in problems), worst)
            return
        if found is None or found.report is None:
            say(self.words, sentence(others[0].message) if others else "", "hint")
            return
        seconds = found.duration
        bars = float(found.report.pattern.bars) if found.chain is None else len(found.chain.nominal.bar_rows)
        length = f"{counted(bars, 'bar')}, {int(seconds // 60)}:{seconds % 60:02.0f} min"
        text = f"{length}, ease {found.report.summary.ease:.0f}."
        tightest = found.tightest
        if tightest is not None and tightest.headroom is not None:
            # The verdict can be of the song as it was a moment ago.
            plan = found.song.sections[tightest.section].plan
            name = next((p.name for p in self.session.document.plans if p.id == plan), "a plan that is gone")
            over = tightest.headroom < 0
            how = headroom_words(tightest.headroom) if over else f"{tightest.headroom * 100:.0f} % headroom"
            text += f" Tightest: {name}, {how}."
        if any(p.severity == "stop" for p in others):
            text += " Another section cannot be played: see its mark."
        say(self.words, text, "hint")

    # --- acting -----------------------------------------------------------------------------------------------

    def _fill_plans(self) -> None:
        self.plans.clear()
        for plan in self.session.document.plans:
            at = self.row if self.row >= 0 else None
            self.plans.addAction(plan.name, partial(self._add, plan.id, at))

    def _add(self, plan: str, at: int | None) -> None:
        self.session.songs.add_section(plan, at)
        self.table.setCurrentCell(0 if at is None else at + 1, 0)

    def _move(self, by: int) -> None:
        row = self.row
        self.session.songs.move_section(row, by)
        self.table.setCurrentCell(row + by, 0)

    def _picked(self, row: int) -> None:
        if not self._filling:
            self._show_section()
            self._say()
            self._go(row)

    def _go(self, row: int) -> None:
        """To the first stroke of a section."""
        found = self.view.found
        if found is None or found.chain is None:
            return
        parts = found.chain.parts
        index = next((k for k, (part, _) in enumerate(found.chain.origin) if parts[part].section == row), None)
        if index is not None and self._current_section() != row:
            self.view.select_stroke(index)

    def _new(self) -> None:
        """Ask for the plans of a new song."""
        plan = self.session.plan
        dialog = NewSongDialog(self.session.document, plan.id if plan is not None else None, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self.session.songs.new_song(dialog.name, dialog.plans))
        dialog.open()

    def _rename(self) -> None:
        song = self.session.songs.song
        if song is None:
            return
        name, done = QInputDialog.getText(self, "Rename song", "Name of the song", text=song.name)
        if done and name.strip():
            self.session.songs.rename_song(name.strip(), None)

    def _write_out(self) -> None:
        song, found = self.session.songs.song, self.view.found
        if song is None or found is None or found.chain is None:
            return
        try:
            text = written(found.chain)
        except ValueError as error:
            say(self.words, sentence(str(error)), "error")
            return
        self.session.plans.new_plan(f"{song.name}, written out", text, tempo=found.chain.tempo, show=False)
        say(self.words, "Written out: it stands among the plans.", "hint")


def _tempo_box(none: str) -> QDoubleSpinBox:
    """A tempo, or one step below the lowest: none of its own."""
    box = DecimalBox()
    low, high = TEMPO_RANGE
    box.setRange(low - 1, high)
    box.setDecimals(1)
    box.setSuffix(" BPM")
    box.setSpecialValueText(none)
    box.setKeyboardTracking(False)
    return box


def _or_none(value: float) -> float | None:
    return value if value >= TEMPO_RANGE[0] else None
