"""Checking a take: a recording of an electronic kit, or the simulated kit with faults of your choice."""

# Long: one form; the take itself is in core.practice.
from __future__ import annotations

import re
from datetime import datetime
from pathlib import Path
from typing import Any, Final, NamedTuple

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.canvas.explain import limb_name
from deft_reach.app.dialogs.save_name import OtherFormatError, ask_name
from deft_reach.app.log.places_chart import PlacesChart
from deft_reach.app.log.recorder import Recorder
from deft_reach.app.shell.station import Listener
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.app.text.words import VERDICT_WORDS, offset_words, say, sentence
from deft_reach.app.widgets.note_map_box import NoteMapBox
from deft_reach.app.widgets.plain_text import PlainLabel
from deft_reach.app.widgets.port_box import SIMULATED_KIT, PortBox
from deft_reach.app.widgets.settings_line import Number, SettingsLine, Switch, Text
from deft_reach.app.widgets.styled import set_font
from deft_reach.app.widgets.tables import fill_row, make_list
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import Plan
from deft_reach.core.model.counting import counted
from deft_reach.core.practice.hits import Hit
from deft_reach.core.practice.own_speed import evidence_of_take
from deft_reach.core.practice.ramp import Ramp, RampError, RampTake, check_ramp, parse_ramp
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.core.practice.take import check_take
from deft_reach.core.practice.take_report import Take, TakeError
from deft_reach.core.session import Session
from deft_reach.formats.general_midi import kit_keys, pattern_keys
from deft_reach.formats.midi_file import MAX_BYTES
from deft_reach.formats.midi_take import dump_performance, load_performance
from deft_reach.formats.note_map import fitting_map
from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.log_entries import TakeEntry
from deft_reach.store.note_maps import NoteMaps
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.reading import read_file

#: Field of Faults, words, suffix, lowest, highest, step, what a percent or a millisecond is, and where it is neutral.
FAULTS = (
    ("late_left", "left hand late", " ms", -60, 60, 5, 0.001, 0),
    ("rush_feet", "runs of feet take", " %", 60, 140, 5, 0.01, 100),
    ("uneven_doubles", "second of doubles at", " %", 60, 140, 5, 0.01, 100),
    ("missed", "strokes missed", " %", 0, 50, 1, 0.01, 0),
    ("drift", "faster at the end by", " %", -20, 20, 1, 0.01, 0),
    ("flat", "dynamics flat by", " %", 0, 100, 10, 0.01, 0),
    ("jitter", "unsteady by", " ms", 0, 40, 1, 0.001, 3),
)


JUDGING: Final = (
    Switch("dynamics", "&Judge accents and ghosts", "Off: loudness is shown and not judged, as for a practice pad",
           first=True, on="accents and ghosts judged", off="loudness not judged"),
    Text("free", "&Laid-back groups", "Numbers of groups, from 1: their timing is shown and not judged",
         spoken="Groups that may be laid back or stretched", empty="none", said="groups {} laid back"),
    Text("ramp", "&Ramp",
         "Empty unless played from one tempo to another in so many rounds: the check says where strokes gave out",
         spoken="Ramp that was played", empty="80-140x12", said="ramp {}"),
    Switch("keep", "&Keep recordings in the log", first=True, on="kept in the log"),
)  # fmt: skip
SIMULATED: Final = (
    Number("rounds", "&Played", low=1, high=64, first=4, prefix="× "),
    *(
        Number(name, words[:1].upper() + words[1:], spoken=f"Fault: {words}", low=low, high=high, first=neutral,
               step=step, suffix=suffix, floating=True)
        for name, words, suffix, low, high, step, _, neutral in FAULTS
    ),
    Number("seed", "&Seed", spoken="Seed of the simulated player", low=1, high=9999, first=1),
)  # fmt: skip


class _Asked(NamedTuple):
    """What a take is held against, what the logbook calls it, and where it comes from: nothing where the simulated
    kit plays.
    """

    plan: Plan
    id: str
    source: str
    report: Report | None
    free: frozenset[int]


class TakeForm(Listener):
    """Where the take comes from in one line; what it says below."""

    def __init__(self, session: Session, log: PracticeLog, recorder: Recorder, notes: NoteMaps) -> None:
        super().__init__(session)
        self.log = log
        self.found: Take | None = None
        self.recorder = recorder
        self.notes = NoteMapBox(notes, lambda: session.kit)
        #: Notes of the take that are not the kit's.
        self._strangers: tuple[int, ...] = ()
        self._asked: _Asked | None = None
        self._task = BackgroundTask(TakeError)
        self._task.finished.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 10, 6)
        column.setSpacing(6)
        column.addLayout(self._source())
        column.addWidget(self._answer(), 1)
        say(self.words, "Record your kit as a MIDI file and check it here, or let the simulated kit play.", "hint")
        if recorder.recording:
            self._say_recording()
        self.follow()

    def _source(self) -> QHBoxLayout:
        """Where a take comes from, in one line."""
        self.browse_button = QPushButton("Check a recording…")
        self.ports = PortBox("Record live from", (SIMULATED_KIT,))
        self.record = QPushButton("Record live")
        self.play, self.save = QPushButton("Let it play"), QPushButton("Save what it plays…")
        for button in (self.browse_button, self.record, self.play, self.save):
            button.setObjectName("quiet")
        self.judging = SettingsLine("How takes are judged", JUDGING, (self.notes,))
        self.simulated = SettingsLine("Simulated kit", SIMULATED, (self.play, self.save), shown="Simulated kit")
        judging, simulated = self.judging.field, self.simulated.field
        self.keep, self.dynamics, self.free, self.ramp = (
            judging(name) for name in ("keep", "dynamics", "free", "ramp")
        )
        self.rounds, self.seed = simulated("rounds"), simulated("seed")
        self.faults: dict[str, QDoubleSpinBox] = {fault[0]: simulated(fault[0]) for fault in FAULTS}
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in (self.browse_button, self.ports, self.record):
            row.addWidget(widget)
        row.addWidget(self.judging, 1)
        row.addWidget(self.simulated)
        self.browse_button.clicked.connect(self.browse)
        self.record.clicked.connect(self.record_live)
        self.recorder.heard.connect(self._heard_hit)
        self.recorder.ended.connect(self.record_live)
        for button, act in ((self.play, self.simulate), (self.save, self.save_performance)):
            button.clicked.connect(self.simulated.close_fields)
            button.clicked.connect(act)
        return row

    def _answer(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.verdict = PlainLabel()
        set_font(self.verdict, theme.ui_font, 13, bold=True)
        column.addWidget(self.verdict)
        self.limbs = QTableWidget()
        make_list(self.limbs, "What each limb does", ["limb", "strokes", "off", "spread", "missed"], wide=(4,))
        self.advice = PlainLabel()
        self.advice.setWordWrap(True)
        self.advice.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.told = QScrollArea()
        self.told.setWidget(self.advice)
        self.told.setWidgetResizable(True)
        self.told.setFrameShape(QScrollArea.Shape.NoFrame)
        self.places = PlacesChart()
        self.places.chosen.connect(self._choose)
        column.addWidget(self.limbs, 5)
        column.addWidget(self.places, 4)
        column.addWidget(self.told, 2)
        self.words = PlainLabel()
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.words)
        column.addStretch(0)
        self._show_answer(False)
        return whole

    def _show_answer(self, there: bool) -> None:
        for part in (self.verdict, self.limbs, self.places, self.told):
            part.setVisible(there)

    def _choose(self, stroke: int) -> None:
        """Select the stroke of a mark that was clicked, if the plan is still the one that was played."""
        played = self._asked.report if self._asked is not None else None
        if played is not None and self.session.text == played.pattern.text:
            self.session.select_stroke(stroke)

    # --- what is checked --------------------------------------------------------------------------------------

    def _keys(self) -> list[int] | None:
        """A key for every stroke of the plan in view; None, with words why, where it cannot be held against."""
        pattern = self.session.pattern()
        if self.session.plan is None or pattern is None or not pattern.strokes or pattern.unassigned:
            say(self.words, "The plan in view has to be readable, with a hand for every stroke.", "error")
            return None
        return pattern_keys(self.session.kit, pattern)[0]

    def browse(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Check a recording", "", "MIDI files (*.mid *.midi)")
        if name:
            self.check_file(Path(name))

    def check_file(self, path: Path) -> None:
        """Hold a MIDI file against the plan in view."""
        try:
            hits = load_performance(read_file(path, MAX_BYTES))
        except (DocumentError, OSError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            say(self.words, f"{path.name}: {reason}.", "error")
            return
        self._check(self._by_map(hits), path.name)

    def _by_map(self, hits: tuple[Hit, ...]) -> tuple[Hit, ...]:
        """Hits by what the kit's notes stand for."""
        found = self.notes.maps.chosen
        self._strangers = found.strangers(hits)
        return found.heard(hits)

    def _faults(self) -> Faults:
        values: dict[str, Any] = {name: self.faults[name].value() * unit for name, *_, unit, _ in FAULTS}
        return Faults(**values, seed=self.seed.value())

    def performed(self) -> tuple[Hit, ...] | None:
        keys, plan, pattern = self._keys(), self.session.plan, self.session.pattern()
        if keys is None or plan is None or pattern is None:
            return None
        graces = pattern_keys(self.session.kit, pattern)[1]
        faults, rounds = self._faults(), self.rounds.value()
        ramp = self._ramp()
        if isinstance(ramp, str):
            say(self.words, ramp, "error")
            return None
        if ramp is None:
            return simulate(pattern, keys, plan.tempo, faults, rounds, grace_keys=graces).hits
        # The simulated player gives out where the model says that this player does.
        report = self.session.report
        limits = None if report is None else [stroke.tempo_limit for stroke in report.strokes]
        tempi = ramp.tempi.tolist()
        return simulate(pattern, keys, ramp.start, faults, ramp.rounds, tempi, limits, graces).hits

    def _ramp(self) -> Ramp | str | None:
        """The ramp that is asked for; what is wrong with it, or None where there is none."""
        text = self.ramp.text().strip()
        try:
            return parse_ramp(text) if text else None
        except RampError as error:
            return sentence(error)

    def simulate(self) -> None:
        """The simulated kit plays the plan in view, with the chosen faults, and is checked."""
        hits = self.performed()
        if hits is not None:
            self._check(hits, "")

    def save_performance(self) -> None:
        hits = self.performed()
        if hits is None:
            return
        midi = "MIDI files (*.mid)"
        try:
            asked = ask_name(self, "Save what it plays", "take.mid", midi, {midi: ".mid"}, ".mid", (".mid", ".midi"))
        except OtherFormatError as error:
            say(self.words, f"{error}.", "error")
            return
        if asked is not None:
            try:
                write_atomic(asked[0], dump_performance(self.notes.maps.chosen.sent(hits)))
            except OSError as error:
                say(self.words, f"{asked[0]}: {error.strerror or error}.", "error")
            else:
                say(self.words, f"Saved as {asked[0].name}.", "hint")

    def _check(self, hits: tuple[Hit, ...], name: str) -> None:
        keys, plan, pattern, kit = self._keys(), self.session.plan, self.session.pattern(), self.session.kit
        if keys is None or plan is None or pattern is None:
            return
        free = [int(word) - 1 for word in re.findall(r"\d+", self.free.text())]
        beyond = [k + 1 for k in free if not 0 <= k < len(pattern.groups)]
        if beyond:
            say(self.words, f"There is no group {beyond[0]}: the plan has {len(pattern.groups)}.", "error")
            return
        ramp = self._ramp()
        if isinstance(ramp, str):
            say(self.words, ramp, "error")
            return
        self._asked = _Asked(
            plan, self.session.document.practice_id(plan.id), name, self.session.report, frozenset(free)
        )
        say(self.words, "Listening …", "hint")
        repeat = plan.repeat or self.rounds.value() > 1
        plain = not self.notes.maps.chosen.keys
        dynamics = self.dynamics.isChecked()

        def check(_: object) -> Take | RampTake:
            if ramp is not None:
                return check_ramp(pattern, keys, hits, ramp)
            graces = pattern_keys(kit, pattern)[1]
            found = check_take(
                pattern, keys, hits, plan.tempo, kit, repeat=repeat, free=free, dynamics=dynamics,
                kit_keys=kit_keys(kit), grace_keys=graces,
            )  # fmt: skip
            return found.told_first(fitting_map(hits, [*keys, *graces.values()]) if plain else None)

        self._task.start(check)

    def refresh(self) -> None:
        self.ports.refresh()

    def record_live(self) -> None:
        """Begin to record from the chosen source; pressed again, or when the simulated kit is through, check it."""
        if self.record.text() == "Stop":
            self.record.setText("Record live")
            hits, source = self.recorder.stop(), self.recorder.source
            if hits:
                simulated = source == SIMULATED_KIT
                self._check(hits if simulated else self._by_map(hits), "" if simulated else f"recorded from {source}")
            else:
                say(self.words, "Nothing was heard: is the kit on, and the right port chosen?", "error")
            return
        source = self.ports.currentText()
        try:
            if source == SIMULATED_KIT:
                hits = self.performed() or ()
                if not hits:
                    return
                self.recorder.perform(hits, source)
            else:
                if self._keys() is None:
                    return
                self.recorder.record(source)
        except OSError as error:
            say(self.words, sentence(error), "error")
            return
        self._say_recording()

    def _say_recording(self) -> None:
        self.record.setText("Stop")
        say(self.words, "Recording …", "hint")

    def _heard_hit(self, count: int) -> None:
        say(self.words, f"Recording: {count} hits.", "hint")

    # --- what it says -----------------------------------------------------------------------------------------

    def _take(self, result: Take | RampTake | str) -> None:
        asked = self._asked
        if isinstance(result, RampTake):
            self._say_ramp(result)
            return
        if isinstance(result, str) or asked is None:
            say(self.words, sentence(str(result)), "error")
            return
        self.found = result
        rounds = counted(result.rounds, "time")
        verdict = VERDICT_WORDS[result.verdict]
        self.verdict.setText(f"{verdict} at {result.tempo:.0f} BPM, {rounds}, tolerance {result.tolerance_ms:.0f} ms")
        self._show_answer(True)
        kit = self.session.kit
        self.limbs.setRowCount(len(result.limbs))
        for k, (limb, row) in enumerate(result.limbs.items()):
            cells = (
                limb_name(kit, limb),
                str(row.strokes),
                offset_words(row.bias_ms),
                f"{row.spread_ms:.0f} ms",
                str(row.missed or "none"),
            )
            fill_row(self.limbs, k, cells)
        rows = self.limbs.rowCount() * self.limbs.verticalHeader().defaultSectionSize()
        self.limbs.setMaximumHeight(self.limbs.horizontalHeader().height() + rows + 4)
        if asked.report is not None:
            self.places.show_take(asked.report.pattern, kit, result)
        even = [
            f"{kind.replace('_', ' ')} {decimal(v, '.2f')}" for kind, v in result.evenness.items() if v is not None
        ]
        lines = [*result.advice, *result.ignored_words]
        if self._strangers and asked.source:
            notes = ", ".join(map(str, self._strangers))
            lines.append(f"Notes that “{self.notes.maps.chosen.name}” does not have were not counted: {notes}.")
        if even:
            lines.append(f"Evenness, played over written: {', '.join(even)}.")
        dynamics = result.dynamics
        loud = [f"{kind} {dynamics[kind]:.0f}" for kind in ("accent", "plain", "ghost") if dynamics[kind] is not None]
        lines.append(f"Loudness (1 to 127): {', '.join(loud)}.")
        self.advice.setText("\n".join(f"• {line}" for line in lines))
        say(self.words, asked.source or "Played by the simulated kit; not kept in the log.", "hint")
        if asked.source and self.keep.isChecked():
            self._log(asked, result)

    def _say_ramp(self, result: RampTake) -> None:
        """Where a ramp gave out."""
        held = "nothing" if result.held is None else f"up to {bpm(result.held)}"
        self.verdict.setText(f"Holds {held}, {result.rounds} rounds")
        self._show_answer(True)
        self.limbs.setVisible(False)
        self.places.setVisible(False)
        self.advice.setText("\n".join(f"• {line}" for line in result.advice))
        say(self.words, "A ramp is no verdict on a rung: it is not kept in the log.", "hint")

    def _log(self, asked: _Asked, take: Take) -> None:
        now = datetime.now().astimezone().isoformat(timespec="seconds")
        found = evidence_of_take(asked.report, take, asked.free) if asked.report is not None else []
        speed = [(row.held_by, round(row.pace, 4), row.clean) for row in found]
        entry = TakeEntry(
            now, asked.id, asked.plan.name, round(take.tempo, 2), take.verdict, take.as_dict(), speed=speed
        )
        if not self.log.add(entry):
            say(
                self.words,
                sentence(self.log.trouble_in_words),
                "error",
            )
