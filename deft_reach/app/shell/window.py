"""The window: rail, header and stations, and what is done to the plan in view."""

# Long: the window is one object to Qt; what it delegates is in the controllers.
from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Final, Generic, TypeVar, cast

from PySide6.QtCore import QByteArray, QEvent, QSize, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMainWindow,
    QMenuBar,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach import __version__
from deft_reach.app import theme
from deft_reach.app.background.background_analysis import BackgroundAnalysis
from deft_reach.app.background.background_task import cancel_all
from deft_reach.app.canvas.base import Canvas
from deft_reach.app.desktop import motion
from deft_reach.app.desktop.motion import DesktopMotion
from deft_reach.app.log.recorder import Recorder
from deft_reach.app.shell.actions import make_actions
from deft_reach.app.shell.autosave_controller import AutosaveController
from deft_reach.app.shell.demands_menu import demands_menu
from deft_reach.app.shell.document_controller import DocumentController
from deft_reach.app.shell.exchange_controller import ExchangeController
from deft_reach.app.shell.header import Header
from deft_reach.app.shell.notice import NoticeBar
from deft_reach.app.shell.rail import Rail
from deft_reach.app.shell.start_page import StartPage
from deft_reach.app.shell.station import Station
from deft_reach.app.shell.stations import STATIONS
from deft_reach.app.shell.transport import Transport
from deft_reach.app.text import units
from deft_reach.app.widgets.plain_text import plain_box
from deft_reach.app.widgets.styled import restyle
from deft_reach.core.analysis.explained import Demand
from deft_reach.core.document import Document
from deft_reach.core.notation.compose import empty_bar
from deft_reach.core.notation.rudiments import Rudiment
from deft_reach.core.session import Session
from deft_reach.formats.patterns import PATTERN_SUFFIXES
from deft_reach.store.documents import SUFFIX
from deft_reach.store.log_entries import LogbookError
from deft_reach.store.note_maps import NoteMaps
from deft_reach.store.places import logbook_file, state_dir
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.settings import Settings

if TYPE_CHECKING:
    from deft_reach.app.climb.station import ClimbStation
    from deft_reach.app.kit.station import KitStation
    from deft_reach.app.log.station import LogStation
    from deft_reach.app.reach.station import ReachStation
    from deft_reach.app.song.station import SongStation
    from deft_reach.app.today.station import TodayStation
    from deft_reach.app.voice.station import VoiceStation
    from deft_reach.app.write.station import WriteStation
    from deft_reach.core.practice.day import Item

#: Keys that follow each other faster than this are analysed together.
KEYS_REST_MS: Final = 180
#: What the logbook could not take is tried again so often (ms).
LOG_RETRY_MS: Final = 2000

S = TypeVar("S", bound=Station)


class _Made(Generic[S]):
    """A station of the window by its name, made when it is first asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __get__(self, window: MainWindow, owner: type[MainWindow]) -> S:
        return cast(S, window.station_widget(self._name))


#: A title bar is about so high (px).
TITLE_BAR = 36


class MainWindow(QMainWindow):
    """One window with one document."""

    kit_station: _Made[KitStation] = _Made("kit")
    write_station: _Made[WriteStation] = _Made("write")
    voice_station: _Made[VoiceStation] = _Made("voice")
    reach_station: _Made[ReachStation] = _Made("reach")
    song_station: _Made[SongStation] = _Made("song")
    climb_station: _Made[ClimbStation] = _Made("climb")
    log_station: _Made[LogStation] = _Made("log")
    today_station: _Made[TodayStation] = _Made("today")

    session: Session
    settings: Settings
    autosave: AutosaveController
    log: PracticeLog
    documents: DocumentController
    exchange: ExchangeController
    transport: Transport
    recorder: Recorder
    notice: NoticeBar
    start_page: StartPage | None

    def __init__(
        self, session: Session | None = None, settings: Settings | None = None, keep_in: Path | None = None
    ) -> None:
        super().__init__()
        self.session = session or Session()
        self.settings = settings or Settings()
        #: Where unsaved work is kept; None where it usually is.
        self.state_folder = keep_in
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(KEYS_REST_MS)
        self._rest.timeout.connect(self._keys_rest)
        self.session.later = lambda _: self._rest.start()
        self._analysis = BackgroundAnalysis(self.session, self)
        self.autosave = AutosaveController(self.session, keep_in)
        #: The player's log; beside the kept work where that is somewhere else than usual.
        self.own_logbook = logbook_file() if keep_in is None else keep_in / "logbook.sqlite"
        self.log = PracticeLog(self.own_logbook)
        self._log_retry = QTimer(self)
        self._log_retry.setInterval(LOG_RETRY_MS)
        self._log_retry.timeout.connect(lambda: self.log.retry())
        self._log_retry.start()
        #: Hears a kit at a port, or the simulated one, whatever is in view.
        self.recorder = Recorder(self)
        #: What the notes of the player's electronic kit stand for.
        self.note_maps = NoteMaps(self.settings, None if keep_in is None else keep_in / "note-maps")
        self.documents = DocumentController(self, self)
        self.exchange = ExchangeController(self, self)
        self.autosave.failed.connect(self.documents.say_autosave_failed)
        self._station = "reach"
        self._theme = self.settings.text("theme", "system", theme.CHOICES)
        units.set_unit(self.settings.text("unit", "mm"))
        self.setObjectName("window")
        self.setMinimumSize(900, 600)
        self.setAcceptDrops(True)
        self.transport = Transport(self.session, self)
        self._desktop_motion = DesktopMotion(self, self._less_motion)
        self.transport.in_steps = self._motion == "steps"
        self.transport.silent.connect(self._say_silent)
        # What is saved and committed stands in one line with the menus.
        top = QWidget()
        top.setObjectName("top")
        self._top = QHBoxLayout(top)
        self._top.setContentsMargins(0, 0, 0, 0)
        self._menus = QMenuBar()
        self._top.addWidget(self._menus, 1)
        self.setMenuWidget(top)
        self.actions_by_name = make_actions(self)
        self._build()
        # No larger than the screen it opens on, with room for a title bar.
        room = self.screen().availableGeometry().size()
        self.resize(QSize(1280, 800).boundedTo(QSize(room.width(), room.height() - TITLE_BAR)))

    def _say_silent(self) -> None:
        self.notice.say("There is no sound here, so it plays silently: watch the arms and the weave.")

    def _say_refusal(self) -> None:
        self.notice.say(self.session.refusal, tone="stop")

    def _keys_rest(self) -> None:
        self.session.keys_rest()

    def menuBar(self) -> QMenuBar:
        """The menus; they share their line with what is saved and committed."""
        return self._menus

    # --- building ---------------------------------------------------------------------------------------------

    def _build(self) -> None:
        """Make everything inside the window."""
        session = self.session
        self.autosave.watch()
        self.rail = Rail()
        self.transport.use(session)
        self.transport.watch()
        self.header = Header(session, self.transport)
        self._top.addWidget(self.header.state)
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
        column.addWidget(self.stack, 1)
        self.notice = NoticeBar(self.stack)
        across.addLayout(column, 1)
        self.setCentralWidget(central)
        self.rail.chosen.connect(self.go)
        self.header.commit.connect(self.commit)
        self.header.show_commitments.connect(self.show_commitments)
        self.header.find_hands.connect(self.find_hands)
        self.header.show_worst.connect(self.show_worst)
        self.header.show_demands.connect(self.show_demands)
        session.changed.connect(self.say_state)
        session.saved.connect(self.say_state)
        session.saved.connect(self.notice.check)
        session.verdict.connect(self.notice.check)
        session.refused.connect(self._say_refusal)
        self.say_state()

    def station_widget(self, name: str) -> Station:
        """A station's widget, made on the first call."""
        if name not in self.built:
            self.built[name] = station = STATIONS[name].make(self)
            self._restore_sizes(station)
            station.plays.connect(lambda: self._show_played(station))
            station.wanted.connect(lambda what: self.commit() if what == "commit" else self.go(what))
            self.stack.addWidget(station)
        return self.built[name]

    def _show_played(self, station: Station) -> None:
        """What a station plays is what the transport plays; what it offers is in the header as well."""
        self.transport.use(station.played)
        self.header.show_played(station.candidate_shown, station.song_shown)

    def _finish_typing(self) -> None:
        """Take what is half typed in a field as typed."""
        focus = self.focusWidget()
        field = focus.parent() if isinstance(focus, QLineEdit) else focus
        if isinstance(field, QAbstractSpinBox):
            field.interpretText()

    def restyle(self) -> None:
        """Show everything in another theme, text size or unit."""
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self._finish_typing()
        theme.apply(app, theme.follow_system() if self._theme == "system" else self._theme)
        restyle()
        self.header.refresh()
        for station in self.built.values():
            station.restyle()
        for canvas in self.findChildren(Canvas):
            canvas.updateGeometry()
            canvas.refresh()
        if self.start_page is not None:
            self.stack.removeWidget(self.start_page)
            self.start_page.deleteLater()
            self.show_start()

    # --- moving about -----------------------------------------------------------------------------------------

    def go(self, name: str) -> None:
        """Show a station. Plan, selection and place stay."""
        if name not in STATIONS:
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
        self._show_played(station)
        station.first_focus().setFocus()

    def begin_practice(self, item: Item) -> None:
        """Go to where an item of the day is practised."""
        from deft_reach.core.practice.day import COMMIT, SONG, TAKE, TEST, WRITE

        if item.plan and item.what != SONG:
            self.session.show_plan(item.plan)
        if item.what == WRITE:
            self.go("write")
        elif item.what == COMMIT:
            self.commit()
        elif item.what in (TAKE, TEST):
            self.go("log")
            station = self.log_station
            station.tabs.setCurrentWidget(station.takes if item.what == TAKE else station.hand_test)
        else:
            self.go("climb")
            self.climb_station.take_up(item)

    @property
    def station(self) -> str:
        return self._station

    def start_at(self, name: str) -> None:
        """Which station is shown once the start page is left."""
        if name in STATIONS:
            self._station = name

    def show_start(self) -> None:
        """The choice of what to begin with."""
        page = StartPage(
            self.documents.open_demo, self.documents.new_document, self.documents.browse, self.documents.open_path,
            self.settings.recent, self.first_steps,
        )  # fmt: skip
        self.start_page = page
        self.stack.addWidget(page)
        self.stack.setCurrentWidget(page)
        self.header.setVisible(False)
        self.rail.setVisible(False)
        page.demo.setFocus()

    def first_steps(self) -> None:
        """Ask for kit, height and what to begin with."""
        from deft_reach.app.dialogs.first_steps_dialog import FirstStepsDialog

        dialog = FirstStepsDialog(self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self._take_first_steps(dialog.session.document, dialog.way))
        dialog.open()

    def _take_first_steps(self, document: Document, way: str) -> None:
        """Begin on this kit with what was chosen."""
        self.start_at("write")
        self.documents.take(document, None, None, clean=True)
        if way == "open":
            self.documents.browse()
            return
        self.write_station.clear()
        if way == "tap":
            self.write_station.tabs.setCurrentWidget(self.write_station.tap)
            self.write_station.tap.start.setFocus()

    def leave_start(self) -> None:
        """Show the station that was chosen last, instead of the start page."""
        if self.start_page is not None:
            self.stack.removeWidget(self.start_page)
            self.start_page.deleteLater()
            self.start_page = None
            self.header.setVisible(True)
            self.rail.setVisible(True)
        self.go(self._station)

    def say_state(self) -> None:
        """Show in title and menus what the document is called, whether it is saved, and what can be undone."""
        session = self.session
        for action, word, label in (
            (self.actions_by_name["undo"], "Undo", session.undo_label),
            (self.actions_by_name["redo"], "Redo", session.redo_label),
        ):
            action.setText(f"{word}: {label}" if label else word)
            action.setEnabled(label is not None)
        shared = " (open elsewhere too)" if self.documents.claim.is_shared else ""
        self.setWindowTitle(f"{self.documents.name}{'' if session.is_saved else ' *'}{shared} – Deft Reach")

    def fit_view(self) -> None:
        """Show the whole pattern in every drawing over time."""
        for station in self.built.values():
            if station.axis is not None:
                station.axis.fit()

    def set_theme(self, name: str) -> None:
        """Dress everything in a theme: ``system``, ``light`` or ``dark``."""
        self._theme = name
        self.settings.set("theme", name)
        self.restyle()

    def set_unit(self, name: str) -> None:
        """Show lengths in ``mm`` or ``in``."""
        # In the unit in which it was typed.
        self._finish_typing()
        units.set_unit(name)
        self.settings.set("unit", name)
        self.restyle()

    def set_motion(self, name: str) -> None:
        """What is played is shown ``flowing``, from stroke to stroke (``steps``), or as the ``system`` says."""
        self.settings.set("motion", name)
        self.transport.in_steps = name == "steps"
        self.ask_for_motion()

    @property
    def _motion(self) -> str:
        """How much is to move, as the player has set it."""
        return self.settings.text("motion", "system", motion.CHOICES)

    def ask_for_motion(self) -> None:
        """Ask the desktop how much is to move, where the player leaves that to it."""
        if self._motion == "system":
            self._desktop_motion.ask()

    def _less_motion(self) -> None:
        if self._motion == "system":
            self.transport.in_steps = True

    def scale_text(self, by: float) -> None:
        """Make all text larger or smaller by this part of its usual size."""
        theme.set_text_scale(round(theme.text_scale() + by, 2))
        self.settings.set("text_scale", theme.text_scale())
        self.restyle()

    def show_keys(self) -> None:
        """Every key on one sheet."""
        from deft_reach.app.shell.shortcuts import ShortcutSheet

        ShortcutSheet(self).exec()

    def toggle_full_screen(self) -> None:
        """The whole screen, or the window again."""
        if self.isFullScreen():
            self.showNormal()
        else:
            self.showFullScreen()

    def show_manual(self) -> None:
        """The manual, open at the station in view."""
        from deft_reach.app.dialogs.manual_dialog import ManualDialog

        on_start = self.start_page is not None and self.stack.currentWidget() is self.start_page
        dialog = ManualDialog("index" if on_start else self._station, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def show_words(self) -> None:
        """The words of our own, explained on one sheet."""
        from deft_reach.app.text.explanations import WordsDialog

        dialog = WordsDialog(self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def about(self) -> None:
        """Version, care, and the licences of what it is made with."""
        from deft_reach.app.dialogs.about_dialog import AboutDialog

        dialog = AboutDialog(self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    # --- the plan in view -------------------------------------------------------------------------------------

    def step_tempo(self, step: int) -> None:
        """Change the home tempo by so many BPM."""
        if self.session.plan is not None:
            self.session.plans.set_tempo(self.session.plan.tempo + step)

    def toggle_loop(self) -> None:
        """Play the plan as a loop, or once."""
        plan = self.session.plan
        if plan is not None:
            self.session.plans.set_repeat(not plan.repeat)

    def try_other_hand(self) -> None:
        """Give the chosen stroke to the other hand."""
        if self.session.stroke is not None:
            self.session.strokes.other_hand(self.session.stroke)

    def show_worst(self) -> None:
        """Show the most serious finding where there is most to see of it."""
        report = self.session.report
        if report is not None and report.findings:
            self.go("reach")
            self.session.select_finding(max(report.findings, key=lambda f: f.severity.rank))
        else:
            self.show_demands()

    def show_demands(self) -> None:
        """Say what makes the plan as hard as it is, and show where."""
        report = self.session.report
        if report is None or self.session.outdated or not report.strokes:
            return

        def show(demand: Demand) -> None:
            self.go("reach")
            self.session.select_demand(demand)

        menu = demands_menu(report, self, show, self.show_worst)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.header.ease.mapToGlobal(self.header.ease.rect().bottomLeft()))

    def find_command(self) -> None:
        """Find whatever can be done by its words."""
        from deft_reach.app.shell.command_search import CommandSearch

        CommandSearch(self).open()

    def send_key(self, standard: QKeySequence.StandardKey) -> None:
        """Do in what has the keyboard what a standard key does there."""
        focus, keys = self.focusWidget(), QKeySequence.keyBindings(standard)
        if focus is not None and keys:
            key = keys[0][0]  # type: ignore[index]
            for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
                QApplication.sendEvent(focus, QKeyEvent(kind, key.key(), key.keyboardModifiers()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # Space plays wherever nothing else wants it.
        if event.key() == Qt.Key.Key_Space and not event.modifiers() and not event.isAutoRepeat():
            self.transport.toggle()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        from deft_reach.app.shell.context_menu import menu_at  # late: few ask for one at once

        menu = menu_at(self, self.mapFromGlobal(event.globalPos()))
        if menu is not None:
            menu.popup(event.globalPos())

    def show_strokes(self) -> None:
        """Every stroke in a table, beside the drawings of Reach."""
        self.go("reach")
        self.reach_station.show_strokes()

    def find_hands(self) -> None:
        """Let the planner choose hands for every stroke that has none, where the answers can be compared."""
        self.go("reach")
        if self.station == "reach":
            self.reach_station.find_hands()

    def find_song_hands(self) -> None:
        """Let the planner choose hands for every stroke of the song that has none."""
        self.song_station.bar.hands.find_hands()

    def new_plan(self) -> None:
        if self.start_page is not None:
            self.documents.new_document()
            return
        pattern = self.session.pattern()
        self.session.plans.new_plan(text=empty_bar(pattern.meter if pattern is not None else (4, 4)))
        self.go("write")
        # What is typed first takes the place of the rests.
        self.write_station.editor.selectAll()

    def new_plan_from(self, rudiment: Rudiment) -> None:
        if self.start_page is None:
            self.session.plans.new_plan(rudiment.name.capitalize(), rudiment.text)
            self.go("write")

    def rename_plan(self) -> None:
        plan = self.session.plan
        if plan is None:
            return
        name, done = QInputDialog.getText(self, "Rename plan", "Name of the plan", text=plan.name)
        if done and name.strip():
            self.session.plans.change_plan("Rename plan", name=name.strip()[:120])

    def commit(self) -> None:
        session = self.session
        session.catch_up()
        report = session.report if session.error is None else None
        if session.plan is None or report is None or not report.strokes:
            self.notice.say("There is nothing to commit yet: the stroke text has to hold strokes that can be read.")
            return
        from deft_reach.app.dialogs.commit_dialog import CommitDialog

        dialog = CommitDialog(session, self)
        if dialog.exec() == CommitDialog.DialogCode.Accepted:
            session.plans.commit(dialog.why, datetime.now().astimezone().isoformat(timespec="seconds"), __version__)

    def show_commitments(self) -> None:
        """Every commitment of the plan in view, with its reason, and what has changed since."""
        from deft_reach.app.shell.commitments import Commitments

        if self.session.plan is not None:
            Commitments(self.session, self).exec()

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
        if self.start_page is None and not self.documents.may_leave():
            event.ignore()
            return
        if not self._may_lose_practice():
            event.ignore()
            return
        cancel_all()
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
        self.documents.claim.release()
        event.accept()

    def use_own_log(self, document: Document) -> None:
        """Practice goes into the player's own logbook."""
        self.log.move_to(self.own_logbook)
        self.log.adopt(document)

    def use_demo_log(self, document: Document) -> None:
        """The demo has a logbook of its own, so that made-up practice and real one never mix."""
        from deft_reach.store.demo_logbook import demo_logbook

        try:
            now = datetime.now().astimezone()
            self.log.move_to(demo_logbook(self.state_folder or state_dir(), now))
            self.log.adopt(document)
        except (OSError, LogbookError) as error:
            self.notice.say(f"The demo's practice cannot be shown: {error}.", tone="stop")

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
                self._take_file(Path(url.toLocalFile()))
                return

    def _take_file(self, path: Path) -> None:
        """Open a file that was dropped; in the Log a recording may be a take of the plan in view."""
        plan = self.session.plan
        if self._station != "log" or plan is None or path.suffix.lower() not in (".mid", ".midi"):
            self.documents.open_path(path)
            return
        self.notice.say(
            f"Is {path.name} a take of {plan.name}?",
            ("Check it as a take", lambda: self.log_station.takes.check_file(path)),
            ("Bring it in as a plan", lambda: self.documents.open_path(path)),
        )

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self.start_page is None:
            self.go(self._station)
