"""The window: rail, header, stations, menus, and what happens to files."""

from __future__ import annotations

import sys
from collections.abc import Callable, Collection
from datetime import datetime
from pathlib import Path
from typing import Any

from PySide6.QtCore import QByteArray, QCoreApplication, QEvent, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach import __version__
from deft_reach.app import theme, units
from deft_reach.app.autosave_controller import AutosaveController
from deft_reach.app.climb.station import ClimbStation
from deft_reach.app.commit_dialog import CommitDialog
from deft_reach.app.commitments import Commitments
from deft_reach.app.header import Header
from deft_reach.app.kit.station import KitStation
from deft_reach.app.log.recorder import Recorder
from deft_reach.app.log.station import LogStation
from deft_reach.app.notice import NoticeBar
from deft_reach.app.plain_text import plain_box, plain_tip
from deft_reach.app.plan_page import write_plan_page
from deft_reach.app.rail import Rail
from deft_reach.app.reach.station import ReachStation
from deft_reach.app.save_name import OtherFormatError, ask_name
from deft_reach.app.shortcuts import ShortcutSheet
from deft_reach.app.song.station import SongStation
from deft_reach.app.start_page import StartPage
from deft_reach.app.station import Station
from deft_reach.app.transport import Transport
from deft_reach.app.voice.station import VoiceStation
from deft_reach.app.write.station import WriteStation
from deft_reach.core.document import Document, new_document
from deft_reach.core.model.kit import KitError
from deft_reach.core.notation.compose import empty_bar
from deft_reach.core.notation.rudiments import RUDIMENTS, Rudiment
from deft_reach.core.notation.stroke_text import MAX_TEXT
from deft_reach.core.session import Session
from deft_reach.formats.document import load_kit
from deft_reach.formats.patterns import FOREIGN, MAX_BYTES, WRITABLE, dump_pattern, load_pattern, stem_of
from deft_reach.formats.pieces_csv import load_pieces
from deft_reach.formats.plain_text import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.autosave import Leftover, discard, leftovers
from deft_reach.store.documents import SUFFIX, ChangedOnDiskError, open_document, save_document
from deft_reach.store.open_documents import OpenDocument
from deft_reach.store.places import demo_file, logbook_file
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.reading import read_file
from deft_reach.store.settings import Settings

STATIONS: dict[str, Callable[[Session], Station]] = {
    "kit": KitStation,
    "write": WriteStation,
    "voice": VoiceStation,
    "reach": ReachStation,
}
#: Stations that need more than the session, and are made by the window.
PRACTICE = ("song", "climb", "log")
#: Keys that follow each other faster than this are analysed together.
KEYS_REST_MS = 180
TEXT_SUFFIX = ".txt"
#: What the logbook could not take is tried again so often (ms).
LOG_RETRY_MS = 2000
#: Files that hold one pattern and become a plan.
PATTERN_SUFFIXES = (TEXT_SUFFIX, *FOREIGN)
#: What a plan can be exported as.
PLAN_EXPORTS = {
    "MIDI file (*.mid)": ".mid",
    "MusicXML score (*.musicxml)": ".musicxml",
    "Strokes as a table (*.csv)": ".csv",
    "Stroke text (*.txt)": ".txt",
    "Sound (*.wav)": ".wav",
    "One page on A4 (*.pdf)": ".pdf",
    "One page on Letter (*.pdf)": ".pdf",
}
PLAN_ENDINGS = (*WRITABLE, ".midi", ".xml", ".pdf")
#: What a kit can be exported as: ending and paper.
EXPORTS = {
    "Floor plan, A4 (*.pdf)": (".pdf", "A4"),
    "Floor plan, Letter (*.pdf)": (".pdf", "Letter"),
    "Floor plan, A4 (*.svg)": (".svg", "A4"),
    "Floor plan, Letter (*.svg)": (".svg", "Letter"),
    "Pieces as a table (*.csv)": (".csv", "A4"),
    "The whole kit (*.json)": (".json", "A4"),
}
KIT_FILES = "Kits (*.json *.csv *.reach)"
FILES = f"Deft Reach documents (*{SUFFIX})"
OPEN_FILES = ";;".join(
    (
        f"All that can be read (*{SUFFIX} {' '.join('*' + suffix for suffix in PATTERN_SUFFIXES)})",
        FILES,
        f"MIDI, MusicXML, CSV of strokes, stroke text ({' '.join('*' + suffix for suffix in PATTERN_SUFFIXES)})",
    )
)


class MainWindow(QMainWindow):
    """One window with one document."""

    def __init__(
        self, session: Session | None = None, settings: Settings | None = None, keep_in: Path | None = None
    ) -> None:
        super().__init__()
        self.session = session or Session()
        self.settings = settings or Settings()
        self._keep_in = keep_in
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(KEYS_REST_MS)
        self._rest.timeout.connect(self._catch_up)
        self.session.later = lambda _: self._rest.start()
        self.autosave = AutosaveController(self.session, keep_in)
        #: The player's log; beside the kept work where that is somewhere else than usual.
        self.log = PracticeLog(logbook_file() if keep_in is None else keep_in / "logbook.sqlite")
        #: The claim to the document's file.
        self.claim = OpenDocument()
        self._log_retry = QTimer(self)
        self._log_retry.setInterval(LOG_RETRY_MS)
        self._log_retry.timeout.connect(lambda: self.log.retry())
        self._log_retry.start()
        #: Hears a kit at a port, or the simulated one, whatever is in view.
        self.recorder = Recorder(self)
        #: What stations had that were taken down to be made anew.
        self._kept: dict[str, dict[str, Any]] = {}
        self.autosave.failed.connect(self._keeping_failed)
        self._station = "reach"
        self._theme = self.settings.text("theme", "system", theme.CHOICES)
        units.set_unit(self.settings.text("unit", "mm"))
        self.setObjectName("window")
        self.setMinimumSize(900, 600)
        self.setAcceptDrops(True)
        self.transport = Transport(self.session, self)
        self.transport.silent.connect(self._say_silent)
        self._make_actions()
        self._build()
        self.resize(1280, 800)

    def _say_silent(self) -> None:
        self.notice.say("There is no sound here, so it plays silently: watch the arms and the weave.")

    def _say_refusal(self) -> None:
        self.notice.say(self.session.refusal, tone="stop")

    def _catch_up(self) -> None:
        self.session.catch_up()

    # --- building ---------------------------------------------------------------------------------------------

    def _build(self) -> None:
        """Make everything inside the window; done again when theme or text size change."""
        session = self.session
        for signal in (
            session.changed,
            session.verdict,
            session.selected,
            session.saved,
            session.typed,
            session.moved,
            session.refused,
            self.log.changed,
        ):
            signal.disconnect()
        self.autosave.watch()
        self.rail = Rail()
        self.transport.use(session)
        self.transport.watch()
        self.header = Header(session, self.transport)
        self.notice = NoticeBar()
        # Stations are made when they are first gone to, so that the first one is there sooner.
        self.built: dict[str, Station] = {}
        self.stack = QStackedWidget()
        self.start_page: StartPage | None = None
        central = QWidget()
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.rail)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.notice)
        column.addWidget(self.stack, 1)
        across.addLayout(column, 1)
        self.setCentralWidget(central)
        self.rail.chosen.connect(self.go)
        self.header.commit.connect(self.commit)
        self.header.show_commitments.connect(self.show_commitments)
        self.header.find_hands.connect(self.find_hands)
        session.changed.connect(self._say_state)
        session.saved.connect(self._say_state)
        session.refused.connect(self._say_refusal)
        self._say_state()

    def find_hands(self) -> None:
        """Let the planner choose hands for every stroke that has none, where the answers can be compared."""
        self.go("reach")
        station = self.built.get("reach")
        if isinstance(station, ReachStation):
            station.find_hands()

    def station_widget(self, name: str) -> Station:
        """A station's widget, made on the first call."""
        if name not in self.built:
            self.built[name] = station = self._make_station(name)
            if isinstance(station, KitStation):
                station.bar.bring_in.connect(self.bring_in_kit)
                station.bar.export.connect(self.export_kit)
            self._restore_sizes(station)
            self.stack.addWidget(station)
            if name in self._kept:
                station.carry_on(self._kept.pop(name))
        return self.built[name]

    def _make_station(self, name: str) -> Station:
        if name == "climb":
            return ClimbStation(self.session, self.log, self.transport)
        if name == "song":
            return SongStation(self.session, self.log)
        if name == "log":
            return LogStation(self.session, self.log, self.recorder)
        return STATIONS[name](self.session)

    @property
    def log_station(self) -> LogStation:
        station = self.station_widget("log")
        assert isinstance(station, LogStation)
        return station

    @property
    def climb_station(self) -> ClimbStation:
        station = self.station_widget("climb")
        assert isinstance(station, ClimbStation)
        return station

    @property
    def kit_station(self) -> KitStation:
        station = self.station_widget("kit")
        assert isinstance(station, KitStation)
        return station

    @property
    def write_station(self) -> WriteStation:
        station = self.station_widget("write")
        assert isinstance(station, WriteStation)
        return station

    @property
    def voice_station(self) -> VoiceStation:
        station = self.station_widget("voice")
        assert isinstance(station, VoiceStation)
        return station

    @property
    def reach_station(self) -> ReachStation:
        station = self.station_widget("reach")
        assert isinstance(station, ReachStation)
        return station

    @property
    def song_station(self) -> SongStation:
        station = self.station_widget("song")
        assert isinstance(station, SongStation)
        return station

    def rebuild(self) -> None:
        """Dress everything again, in another theme or text size."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        focus = self.focusWidget()
        if focus is not None:
            # What is half typed is taken as typed.
            focus.clearFocus()
        self._remember_sizes()
        starting = self.start_page is not None
        self._kept |= {name: station.kept() for name, station in self.built.items()}
        # Gone before the new dress is put on: dressing what is thrown away took most of the time.
        old = self.centralWidget()
        old.deleteLater()
        QCoreApplication.sendPostedEvents(old, QEvent.Type.DeferredDelete.value)
        theme.apply(app, theme.follow_system() if self._theme == "system" else self._theme)
        self._build()
        if starting:
            self.show_start()
        else:
            self.go(self._station)

    def _action(
        self, menu: QMenu, text: str, run: Callable[[], object], keys: str | QKeySequence.StandardKey | None = None
    ) -> QAction:
        action = QAction(text, self)
        if keys is not None:
            if isinstance(keys, str):
                action.setShortcuts([QKeySequence(key) for key in keys.split(" | ")])
            else:
                action.setShortcuts(keys)
        action.triggered.connect(lambda _=False: run())
        menu.addAction(action)
        return action

    def _make_actions(self) -> None:
        bar = self.menuBar()
        file = bar.addMenu("&File")
        self._action(file, "&New document", self.new_document, "Ctrl+Shift+N")
        self._action(file, "&Open…", self.browse, QKeySequence.StandardKey.Open)
        self.recent_menu = file.addMenu("Open &recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        self._action(file, "Open the &demo", self.open_demo)
        file.addSeparator()
        self.save_action = self._action(file, "&Save", self.save, QKeySequence.StandardKey.Save)
        self._action(file, "Save &as…", self.save_as, "Ctrl+Shift+S")
        self._action(file, "Export &plan…", self.export_plan, "Ctrl+Shift+E")
        self._action(file, "&Export kit…", self.export_kit, "Ctrl+E")
        file.addSeparator()
        self._action(file, "&Quit", self.close, QKeySequence.StandardKey.Quit)
        edit = bar.addMenu("&Edit")
        self.undo_action = self._action(edit, "Undo", lambda: self.session.undo(), QKeySequence.StandardKey.Undo)
        self.redo_action = self._action(edit, "Redo", lambda: self.session.redo(), "Ctrl+Shift+Z | Ctrl+Y")
        edit.addSeparator()
        self._action(edit, "Try the &other hand", self._other_hand)
        plan = bar.addMenu("&Plan")
        self._action(plan, "&New plan", self.new_plan, "Ctrl+N")
        rudiments = plan.addMenu("New from a rudi&ment")
        families = {r.family: rudiments.addMenu(f"{r.family.capitalize()} rudiments") for r in RUDIMENTS}
        for r in RUDIMENTS:
            self._action(families[r.family], r.name.capitalize(), lambda r=r: self._new_from(r))
        self._action(plan, "&Duplicate plan", lambda: self.session.duplicate_plan(), "Ctrl+D")
        self._action(plan, "&Rename…", self.rename_plan, "F2")
        self._action(plan, "De&lete plan", lambda: self.session.delete_plan())
        plan.addSeparator()
        self._action(plan, "Plan &before", lambda: self.session.step_plan(-1), "Ctrl+PgUp")
        self._action(plan, "Plan &after", lambda: self.session.step_plan(1), "Ctrl+PgDown")
        plan.addSeparator()
        for text, step, keys in (
            ("Tempo &up", 1, "Ctrl+Up"),
            ("Tempo do&wn", -1, "Ctrl+Down"),
            ("Tempo up by 5", 5, "Ctrl+Shift+Up"),
            ("Tempo down by 5", -5, "Ctrl+Shift+Down"),
        ):
            self._action(plan, text, lambda s=step: self._tempo(s), keys)
        self._action(plan, "&Loop", self._loop, "Ctrl+L")
        self._action(plan, "P&lay or stop", self.transport.toggle, "F5")
        plan.addSeparator()
        self._action(plan, "&Commit…", self.commit, "Ctrl+Return | Ctrl+Enter")
        self._action(plan, "Commit&ments…", self.show_commitments, "Ctrl+Shift+Return | Ctrl+Shift+Enter")
        view = bar.addMenu("&View")
        for number, (name, text) in enumerate(
            (
                ("kit", "&Kit"),
                ("write", "&Write"),
                ("voice", "&Voice"),
                ("reach", "&Reach"),
                ("song", "&Song"),
                ("climb", "&Climb"),
                ("log", "&Log"),
            ),
            1,
        ):
            self._action(view, text, lambda n=name: self.go(n), f"Ctrl+{number}")
        view.addSeparator()
        self._action(view, "&Next finding", lambda: self.transport.session.step_finding(1), "F8")
        self._action(view, "Finding &before", lambda: self.transport.session.step_finding(-1), "Shift+F8")
        self._action(view, "&Whole pattern", self._fit, "Ctrl+0")
        view.addSeparator()
        looks = view.addMenu("&Theme")
        for name, text in (("system", "As the &system"), ("light", "&Light"), ("dark", "&Dark")):
            self._action(looks, text, lambda n=name: self._set_theme(n))
        lengths = view.addMenu("Le&ngths in")
        for name, text in (("mm", "&Millimetres"), ("in", "&Inches")):
            self._action(lengths, text, lambda n=name: self._set_unit(n))
        self._action(view, "&Larger text", lambda: self._scale_text(0.1), "Ctrl++ | Ctrl+=")
        self._action(view, "S&maller text", lambda: self._scale_text(-0.1), "Ctrl+-")
        help_menu = bar.addMenu("&Help")
        self._action(help_menu, "&Keys", self.show_keys, "F1")
        self._action(help_menu, "&About", self.about)

    # --- moving about -----------------------------------------------------------------------------------------

    def go(self, name: str) -> None:
        """Show a station. Plan, selection and place stay."""
        if name not in STATIONS and name not in PRACTICE:
            return
        before, self._station = self._station, name
        self.rail.show_station(name)
        if self.start_page is not None and self.stack.currentWidget() is self.start_page:
            return
        try:
            station = self.station_widget(name)
        except Exception as error:
            # One station that cannot be made must not take the others along.
            self.built.pop(name, None)
            sys.excepthook(type(error), error, error.__traceback__)
            self.notice.say(
                f"{name.capitalize()} cannot be shown ({type(error).__name__}: {str(error)[:200]}). The other "
                "stations work, and your work is kept.",
                tone="stop",
            )
            if before in self.built:
                self._station = before
                self.rail.show_station(before)
            return
        self.stack.setCurrentWidget(station)
        # In the Song station the song is played, in Climb the rung, elsewhere the plan in view.
        self.transport.use(station.view if isinstance(station, SongStation | ClimbStation) else self.session)
        station.first_focus().setFocus()

    @property
    def station(self) -> str:
        return self._station

    def show_start(self) -> None:
        """The choice of what to begin with."""
        page = StartPage(self.open_demo, self.new_document, self.browse, self.open_path, self.settings.recent)
        self.start_page = page
        self.stack.addWidget(page)
        self.stack.setCurrentWidget(page)
        self.header.setVisible(False)
        self.rail.setVisible(False)
        page.demo.setFocus()

    def _leave_start(self) -> None:
        if self.start_page is not None:
            self.stack.removeWidget(self.start_page)
            self.start_page.deleteLater()
            self.start_page = None
            self.header.setVisible(True)
            self.rail.setVisible(True)
        self.go(self._station)

    def _say_state(self) -> None:
        session = self.session
        for action, word, label in (
            (self.undo_action, "Undo", session.undo_label),
            (self.redo_action, "Redo", session.redo_label),
        ):
            action.setText(f"{word}: {label}" if label else word)
            action.setEnabled(label is not None)
        name = self.autosave.path.stem if self.autosave.path else session.document.title
        shared = " (open elsewhere too)" if self.claim.is_shared else ""
        self.setWindowTitle(f"{name}{'' if session.is_saved else ' *'}{shared} – Deft Reach")

    def _tempo(self, step: int) -> None:
        if self.session.plan is not None:
            self.session.set_tempo(self.session.plan.tempo + step)

    def _loop(self) -> None:
        plan = self.session.plan
        if plan is not None:
            self.session.set_repeat(not plan.repeat)

    def _other_hand(self) -> None:
        if self.session.stroke is not None:
            self.session.other_hand(self.session.stroke)

    def _fit(self) -> None:
        for station in self.built.values():
            if isinstance(station, ReachStation | WriteStation | VoiceStation | SongStation | ClimbStation):
                station.axis.fit()

    def _set_theme(self, name: str) -> None:
        self._theme = name
        self.settings.set("theme", name)
        self.rebuild()

    def _set_unit(self, name: str) -> None:
        units.set_unit(name)
        self.settings.set("unit", name)
        self.rebuild()

    def _scale_text(self, by: float) -> None:
        theme.set_text_scale(round(theme.text_scale() + by, 2))
        self.settings.set("text_scale", theme.text_scale())
        self.rebuild()

    def show_keys(self) -> None:
        ShortcutSheet(self).exec()

    def about(self) -> None:
        QMessageBox.about(
            self,
            "About Deft Reach",
            f"Deft Reach {__version__}. Plan whether a sticking can be played, on this kit, by this player, at that "
            "tempo.\n\nIt uses published figures for how fast people move; your hands have the last word. "
            "Stop at pain or numbness, and ask a clinician.",
        )

    # --- plans ------------------------------------------------------------------------------------------------

    def new_plan(self) -> None:
        if self.start_page is not None:
            self.new_document()
            return
        pattern = self.session.pattern()
        self.session.new_plan(text=empty_bar(pattern.meter if pattern is not None else (4, 4)))
        self.go("write")
        # What is typed first takes the place of the rests.
        self.write_station.editor.selectAll()

    def _new_from(self, rudiment: Rudiment) -> None:
        if self.start_page is None:
            self.session.new_plan(rudiment.name.capitalize(), rudiment.text)
            self.go("write")

    def rename_plan(self) -> None:
        plan = self.session.plan
        if plan is None:
            return
        name, done = QInputDialog.getText(self, "Rename plan", "Name of the plan", text=plan.name)
        if done and name.strip():
            self.session.change_plan("Rename plan", name=name.strip()[:120])

    def commit(self) -> None:
        session = self.session
        session.catch_up()
        report = session.report if session.error is None else None
        if session.plan is None or report is None or not report.strokes:
            self.notice.say("There is nothing to commit yet: the stroke text has to hold strokes that can be read.")
            return
        dialog = CommitDialog(session, self)
        if dialog.exec() == CommitDialog.DialogCode.Accepted:
            session.commit(dialog.why, datetime.now().astimezone().isoformat(timespec="seconds"), __version__)

    def show_commitments(self) -> None:
        """Every commitment of the plan in view, with its reason, and what has changed since."""
        if self.session.plan is not None:
            Commitments(self.session, self).exec()

    # --- files ------------------------------------------------------------------------------------------------

    def take(
        self, document: Document, path: Path | None, opened: str | None, *, clean: bool, plan: str | None = None
    ) -> None:
        """Show a document that belongs to a file, or to none."""
        self.autosave.path, self.autosave.opened = path, opened
        self._claim(path)
        self.session.start(document, plan, clean=clean)
        self._leave_start()
        self._say_state()
        if path is not None:
            self.settings.opened(path)
            self.settings.set("last", str(path))

    def _claim(self, path: Path | None) -> None:
        """Have the document's file as this window's own, or say that it is open elsewhere."""
        self.claim.claim(path)
        if path is not None and self.claim.is_shared:
            self.notice.say(
                f"{path.name} is open in another window too. Edit it in one of them: the second one to save is told "
                "before it writes over the first.",
                tone="stop",
            )

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes before another document takes their place; False to stay."""
        if self.session.is_saved:
            self.autosave.forget()
            return True
        kept = self.autosave.keep_now()
        box = plain_box(
            self,
            "Unsaved changes",
            f"“{self.session.document.title}” has changes that are not in a file yet.",
            "Kept changes are offered again at the next start."
            if kept
            else "They cannot be kept for the next start now: the safety copy could not be written.",
        )
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        keep = box.addButton("Keep for next time", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        if box.clickedButton() is keep:
            if self.autosave.hand_over():
                return True
            self.notice.say("Nothing could be kept: make room on the disk, or save to another place.", tone="stop")
        return False

    def new_document(self) -> None:
        if self.start_page is not None or self.may_leave():
            self._station = "write"
            self.take(new_document(), None, None, clean=True)

    def open_demo(self) -> None:
        if self.start_page is None and not self.may_leave():
            return
        try:
            document, _ = open_document(demo_file(), self.settings)
        except (OSError, DocumentError) as error:
            self.notice.say(f"The demo cannot be opened: {error}.", tone="stop")
            return
        self.take(document, None, None, clean=True, plan=document.plans[0].id)

    def browse(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a document or a pattern", str(self._folder()), OPEN_FILES)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Open a file, or say in the window why it cannot be. A pattern's file becomes a new plan."""
        if path.suffix.lower() in PATTERN_SUFFIXES:
            self._open_pattern(path)
            return
        found = self._read_document(path)
        if found is not None and self.start_page is None:
            saved = self.session.is_saved
            if not self.may_leave():
                return
            if not saved:
                # Saving may just have changed this very file.
                found = self._read_document(path)
        if found is not None:
            document, opened = found
            self.take(document, path.resolve(), opened, clean=True, plan=self.settings.text("plan", ""))

    def _read_document(self, path: Path) -> tuple[Document, str] | None:
        """A file's document and fingerprint; None where it cannot be read, which is said in the window."""
        try:
            return open_document(path, self.settings)
        except OSError as error:
            self.notice.say(f"{path.name} cannot be opened: {error.strerror or error}.", tone="stop")
        except DocumentError as error:
            self.notice.say(f"{path.name} cannot be opened. {error}.", tone="stop")
        return None

    def _open_pattern(self, path: Path) -> None:
        kit = self.session.kit
        try:
            data = read_file(path, MAX_BYTES)
            found = load_pattern(data, path.suffix, kit)
            if len(found.tracks) > 1:
                rows = [f"{k}. {name} ({count} notes)" for k, (name, count) in enumerate(found.tracks, 1)]
                chosen, done = QInputDialog.getItem(
                    self, "Which part?", f"{path.name} has several drum parts.", rows, found.track, False
                )
                if not done:
                    return
                found = load_pattern(data, path.suffix, kit, rows.index(chosen))
            text = found.text
            if path.suffix.lower() == TEXT_SUFFIX and len(text) > MAX_TEXT:
                raise DocumentError(f"{len(text):,} characters of stroke text; at most {MAX_TEXT:,} are read")
        except (OSError, DocumentError) as error:
            self.notice.say(f"{path.name} cannot be opened: {error}.", tone="stop")
            return
        if self.start_page is not None:
            self.take(new_document(), None, None, clean=True)
        self.session.new_plan(stem_of(path.name), text, tempo=found.tempo)
        self.go("write")
        if found.remarks:
            self.notice.say(f"{path.name} was read: " + "; ".join(found.remarks) + ".")

    def export_plan(self) -> None:
        """The plan in view as MIDI, MusicXML, a table, stroke text, sound or one page on paper."""
        self.session.catch_up()
        plan, pattern = self.session.plan, self.session.pattern()
        if plan is None or pattern is None or self.session.error is not None:
            self.notice.say("There is nothing to export yet: the stroke text has to be readable first.")
            return
        proposal = self._folder() / f"{plan.name.lower().replace(' ', '-')}.mid"
        asked = self._ask_name("Export plan", proposal, PLAN_EXPORTS, ".mid", PLAN_ENDINGS)
        if asked is None:
            return
        path, chosen = asked
        try:
            if path.suffix.lower() == ".pdf":
                write_plan_page(self.session, path, "Letter" if "Letter" in chosen else "A4")
            else:
                write_atomic(path, dump_pattern(pattern, path.suffix, self.session.kit, plan.tempo, plan.name))
        except (OSError, ValueError) as error:
            self.notice.say(f"{path.name} cannot be written: {error}.", tone="stop")
            return
        self.notice.say(f"{path.name} is written: {len(pattern.strokes)} strokes at {plan.tempo:g} BPM.")

    def save(self) -> bool:
        """Save to the document's file, asking for one if it has none. False if nothing was saved."""
        if self.autosave.path is None:
            return self.save_as()
        return self._write(self.autosave.path, self.autosave.opened)

    def save_as(self) -> bool:
        stem = self.session.document.title if self.session.document.title != "Untitled" else "plans"
        proposal = self.autosave.path or self._folder() / f"{stem.lower().replace(' ', '-')}{SUFFIX}"
        asked = self._ask_name("Save the document", proposal, {FILES: SUFFIX}, SUFFIX, (SUFFIX,))
        return asked is not None and self._write(asked[0], None)

    def _ask_name(
        self, title: str, proposal: Path, endings: dict[str, str], default: str, allowed: Collection[str]
    ) -> tuple[Path, str] | None:
        """A file to write and the filter that was chosen; None where there is none, said in the window if need be."""
        try:
            return ask_name(self, title, str(proposal), ";;".join(endings), endings, default, allowed)
        except OtherFormatError as error:
            self.notice.say(f"{error}. Nothing was written.", tone="stop")
            return None

    def _write(self, path: Path, opened: str | None) -> bool:
        document = self.session.document
        try:
            self.autosave.opened = save_document(path, document, opened)
            self.settings.remember_validated(self.autosave.opened)
        except ChangedOnDiskError:
            self.notice.say(
                f"{path.name} was changed by another program since it was opened. Nothing was written.",
                ("Save as…", lambda: self.save_as()),
                ("Write over it", lambda: self._write(path, None)),
                tone="stop",
            )
            return False
        except (OSError, DocumentError) as error:
            self.notice.say(
                f"{path.name} cannot be saved: {getattr(error, 'strerror', None) or error}. {self._safety()}",
                ("Save as…", lambda: self.save_as()),
                tone="stop",
            )
            return False
        self.autosave.path = path.resolve()
        self._claim(self.autosave.path)
        self.session.mark_saved(document)
        self.autosave.forget()
        self.settings.opened(path)
        self.settings.set("last", str(path.resolve()))
        self._say_state()
        return True

    def _safety(self) -> str:
        """Whether the changes are safe all the same: said only where they are."""
        if self.autosave.keep_now():
            return "Your changes are kept safe meanwhile."
        return "The safety copy could not be written either: save to another place."

    def export_kit(self) -> None:
        """The kit in view as a floor plan to scale, or its pieces as a table."""
        kit = self.session.kit
        proposal = self._folder() / f"{kit.name.lower().replace(' ', '-')}.pdf"
        endings = {words: ending for words, (ending, _) in EXPORTS.items()}
        asked = self._ask_name("Export kit", proposal, endings, ".pdf", sorted(set(endings.values())))
        if asked is None:
            return
        path, chosen = asked
        _, paper = EXPORTS.get(chosen, (".pdf", "A4"))
        from deft_reach.app.kit.export import export_kit  # late: printing is rare

        try:
            export_kit(kit, path, paper)
        except (OSError, ValueError) as error:
            self.notice.say(f"{path.name} cannot be written: {error}.", tone="stop")
            return
        printed = path.suffix.lower() in (".pdf", ".svg")
        how = " Print it at 100 %: the ruler on it shows half a metre at its scale." if printed else ""
        self.notice.say(f"{path.name} is written.{how}")

    def bring_in_kit(self) -> None:
        """Ask for a kit's file, and play the plan in view on that kit."""
        name, _ = QFileDialog.getOpenFileName(self, "Bring in a kit", str(self._folder()), KIT_FILES)
        if name:
            self.open_kit(Path(name))

    def open_kit(self, path: Path) -> None:
        """Add the kit of a file to the document, or say in the window why it cannot be."""
        try:
            data = read_file(path)
            kit = load_pieces(data, path.stem) if path.suffix.lower() == ".csv" else load_kit(data)
            self.session.add_kit(kit, f"Bring in kit “{kit.name}”")
        except OSError as error:
            self.notice.say(f"{path.name} cannot be opened: {error.strerror or error}.", tone="stop")
        except (DocumentError, KitError) as error:
            self.notice.say(f"{path.name} cannot be brought in. {error}.", tone="stop")
        else:
            self.go("kit")

    def _folder(self) -> Path:
        if self.autosave.path is not None:
            return self.autosave.path.parent
        recent = self.settings.recent
        return recent[0].parent if recent else Path.home()

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in self.settings.recent:
            action = self.recent_menu.addAction(path.stem)
            action.setToolTip(plain_tip(str(path)))
            action.triggered.connect(lambda _=False, p=path: self.open_path(p))
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("nothing yet").setEnabled(False)

    def _keeping_failed(self, why: str) -> None:
        self.notice.say(f"The safety copy cannot be written ({why}). Save to a file soon.", tone="stop")

    # --- recovery ---------------------------------------------------------------------------------------------

    def offer_leftovers(self) -> None:
        """Offer what an earlier run left behind, the newest first; or say that nothing can be kept."""
        try:
            found = leftovers(self._keep_in)
        except OSError as error:
            self.notice.say(
                f"Changes cannot be kept safe while you work: {error.filename}: {error.strerror or error}. "
                "Make that folder writable, or save often.",
                tone="stop",
            )
            return
        if not found:
            return
        first = found[0]
        name = first.path.stem if first.path else first.document.title
        when = first.time.astimezone().strftime("%-d %B, %H:%M")
        older = len(found) - 1
        more = f" ({older} older set{'s are' if older > 1 else ' is'} kept too)" if older else ""
        self.notice.say(
            f"Unsaved changes to “{name}” from {when} were kept{more}.",
            ("Bring them back", lambda: self._bring_back(first)),
            ("Discard them", lambda: self._discard(first)),
        )

    def _bring_back(self, leftover: Leftover) -> None:
        if self.start_page is None and not self.may_leave():
            return
        self.take(leftover.document, leftover.path, leftover.opened, clean=False)
        # On disk as this window's own before the old copy goes.
        if not self.autosave.keep_now():
            self.notice.say(
                "They are back, and the safety copy stays where it is: another could not be written.", tone="stop"
            )
            return
        discard(leftover)
        self.offer_leftovers()

    def _discard(self, leftover: Leftover) -> None:
        discard(leftover)
        self.offer_leftovers()

    # --- window -----------------------------------------------------------------------------------------------

    def _remember_sizes(self) -> None:
        sizes = self._known_sizes()
        for station in self.built.values():
            for splitter in station.splitters:
                sizes[splitter.objectName()] = bytes(splitter.saveState().toHex().data()).decode()
        self.settings.set("panels", sizes)

    def _known_sizes(self) -> dict[str, str]:
        sizes = self.settings.get("panels")
        return dict(sizes) if isinstance(sizes, dict) else {}

    def _restore_sizes(self, station: Station) -> None:
        sizes = self._known_sizes()
        for splitter in station.splitters:
            state = sizes.get(splitter.objectName())
            if isinstance(state, str):
                splitter.restoreState(QByteArray.fromHex(state.encode("ascii", "replace")))

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.start_page is None and not self.may_leave():
            event.ignore()
            return
        if not self._may_lose_practice():
            event.ignore()
            return
        self.transport.stop()
        self.recorder.stop()
        self._log_retry.stop()
        self.log.close()
        self._remember_sizes()
        self.settings.set("station", self._station)
        self.settings.set("window", bytes(self.saveGeometry().toHex().data()).decode())
        if self.session.plan is not None:
            self.settings.set("plan", self.session.plan.id)
        self.autosave.close()
        self.claim.release()
        event.accept()

    def _may_lose_practice(self) -> bool:
        """Whether the window may go: practice is on disk, or the player gives it up."""
        if self.log.is_safe or self.log.flush() or self.log.is_safe:
            return True
        title = "Practice that is not written"
        box = plain_box(self, title, f"{self.log.waiting_in_words}.", f"{self.log.problem}.")
        stay = box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        leave = box.addButton("Close and lose it", QMessageBox.ButtonRole.DestructiveRole)
        box.setDefaultButton(stay)
        box.exec()
        return box.clickedButton() is leave

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        urls = event.mimeData().urls()
        if any(url.isLocalFile() and url.toLocalFile().lower().endswith((SUFFIX, *PATTERN_SUFFIXES)) for url in urls):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            if url.isLocalFile() and url.toLocalFile().lower().endswith((SUFFIX, *PATTERN_SUFFIXES)):
                event.acceptProposedAction()
                self.open_path(Path(url.toLocalFile()))
                return

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        if self.start_page is None:
            self.go(self._station)
