"""What comes into a window's document from other formats, and goes out to them."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import TYPE_CHECKING, Final, Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from deft_reach.app.dialogs.save_name import file_stem
from deft_reach.app.shell.notice import NoticeBar
from deft_reach.app.text.numbers import bpm
from deft_reach.core.document import Document, new_document
from deft_reach.core.model.kit import KitError
from deft_reach.core.model.limbs import EITHER
from deft_reach.core.notation.stroke_text import MAX_TEXT
from deft_reach.core.session import Session
from deft_reach.formats.document import load_kit
from deft_reach.formats.imported import Imported
from deft_reach.formats.midi_file import open_midi
from deft_reach.formats.patterns import (
    MAX_BYTES,
    MIDI,
    TEXT_SUFFIX,
    WRITABLE,
    dump_pattern,
    load_pattern,
    lost_in,
    stem_of,
)
from deft_reach.formats.pieces_csv import load_pieces
from deft_reach.formats.reading import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.reading import read_file

if TYPE_CHECKING:
    from deft_reach.app.dialogs.import_dialog import ImportDialog

#: What a plan can be exported as.
PLAN_EXPORTS: Final = {
    "MIDI file (*.mid)": ".mid",
    "MusicXML score (*.musicxml)": ".musicxml",
    "Strokes as a table (*.csv)": ".csv",
    "Stroke text (*.txt)": ".txt",
    "Sound (*.wav)": ".wav",
    "One page on A4 (*.pdf)": ".pdf",
    "One page on Letter (*.pdf)": ".pdf",
}
PLAN_ENDINGS: Final = (*WRITABLE, ".midi", ".xml", ".pdf")
#: What a kit can be exported as: ending and paper.
KIT_EXPORTS: Final = {
    "Floor plan, A4 (*.pdf)": (".pdf", "A4"),
    "Floor plan, Letter (*.pdf)": (".pdf", "Letter"),
    "Floor plan, A4 (*.svg)": (".svg", "A4"),
    "Floor plan, Letter (*.svg)": (".svg", "Letter"),
    "Pieces as a table (*.csv)": (".csv", "A4"),
    "The whole kit (*.json)": (".json", "A4"),
}
KIT_FILES: Final = "Kits (*.json *.csv *.reach)"


class Documents(Protocol):
    """The document that a window has open, and where its files are."""

    @property
    def folder(self) -> Path: ...
    @property
    def name(self) -> str: ...

    def take(
        self, document: Document, path: Path | None, opened: str | None, *, clean: bool, plan: str | None = None
    ) -> None: ...

    def ask_name(
        self, title: str, proposal: Path, endings: dict[str, str], default: str, allowed: Collection[str]
    ) -> tuple[Path, str] | None: ...


class Host(Protocol):
    """What imports and exports need of the window."""

    session: Session
    notice: NoticeBar

    @property
    def start_page(self) -> QWidget | None: ...
    @property
    def documents(self) -> Documents: ...

    def go(self, name: str) -> None: ...
    def find_hands(self) -> None: ...
    def find_song_hands(self) -> None: ...


class ExchangeController:
    """Imports and exports of one window, which says in its notice what was done and what cannot be."""

    def __init__(self, window: Host, parent: QWidget) -> None:
        self._window, self._session, self._parent = window, window.session, parent

    def _stop(self, words: str) -> None:
        self._window.notice.say(words, tone="stop")

    # --- plans ------------------------------------------------------------------------------------------------

    def open_pattern(self, path: Path) -> None:
        """Make a plan of the pattern in a file; of a MIDI file after showing what was understood of it."""
        if path.suffix.lower() in MIDI and self._open_midi(path):
            return
        try:
            found = self._read_pattern(path)
        except (OSError, DocumentError) as error:
            self._stop(f"{path.name} cannot be opened: {error}.")
            return
        if found is None:
            return
        if self._window.start_page is not None:
            self._window.documents.take(new_document(), None, None, clean=True)
        self._session.plans.new_plan(stem_of(path.name), found.text, tempo=found.tempo, repeat=found.repeat)
        self._window.go("write")
        if found.remarks:
            self._window.notice.say(f"{path.name} was read: " + "; ".join(found.remarks) + ".")

    def _open_midi(self, path: Path) -> bool:
        """Show what is understood of another program's file; False for our own, which says all of it itself."""
        # Late: importing is rare.
        from deft_reach.app.dialogs.import_dialog import ImportDialog
        from deft_reach.formats.midi import OWN_TEXT

        try:
            data = read_file(path, MAX_BYTES)
            open_midi(data)
        except (OSError, DocumentError) as error:
            self._stop(f"{path.name} cannot be opened: {error}.")
            return True
        if OWN_TEXT.encode() in data:
            return False
        dialog = ImportDialog(path, data, self._session.kit, self._parent)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.accepted.connect(lambda: self._bring_in(dialog))
        dialog.open()
        return True

    def _bring_in(self, dialog: ImportDialog) -> None:
        """Take what the dialog read: one plan, or a song of plans."""
        found = dialog.found
        if found is None:
            return
        if self._window.start_page is not None:
            self._window.documents.take(new_document(), None, None, clean=True)
        name = stem_of(dialog.path.name)
        if dialog.as_song:
            self._session.songs.add_sections(name, dialog.stretches, found.tempo)
            self._window.go("song")
        else:
            self._session.plans.new_plan(name, found.text, tempo=found.tempo, repeat=found.repeat)
            self._window.go("write")
        said = "; ".join(found.remarks)
        words = f"{dialog.path.name} was read{f': {said}' if said else ''}."
        open_hands = dialog.pattern is not None and bool(dialog.pattern.unassigned)
        find = self._window.find_song_hands if dialog.as_song else self._window.find_hands
        offers = [("Find the hands", find)] if open_hands else []
        song = self._session.songs.song if dialog.as_song else None
        plans = {part.plan for part in song.sections} if song is not None else {getattr(self._session.plan, "id", "")}

        def still_open() -> bool:
            document = self._session.document
            return any(EITHER in document.score(plan.pattern).text for plan in document.plans if plan.id in plans)

        self._window.notice.say(words, *offers, holds=still_open if open_hands else None)

    def _read_pattern(self, path: Path) -> Imported | None:
        """The pattern in a file, asking which part where there are several; None where that was cancelled."""
        kit = self._session.kit
        data = read_file(path, MAX_BYTES)
        found = load_pattern(data, path.suffix, kit)
        if len(found.tracks) > 1 and found.track is not None:
            rows = [f"{k}. {name} ({count} notes)" for k, (name, count) in enumerate(found.tracks, 1)]
            words = f"{path.name} has several drum parts."
            chosen, done = QInputDialog.getItem(self._parent, "Which part?", words, rows, found.track, False)
            if not done:
                return None
            found = load_pattern(data, path.suffix, kit, rows.index(chosen))
        if path.suffix.lower() == TEXT_SUFFIX and len(found.text) > MAX_TEXT:
            raise DocumentError(f"{len(found.text):,} characters of stroke text; at most {MAX_TEXT:,} are read")
        return found

    def export_plan(self) -> None:
        """The plan in view as MIDI, MusicXML, a table, stroke text, sound or one page on paper."""
        self._session.catch_up()
        plan, pattern = self._session.plan, self._session.pattern()
        if plan is None or pattern is None or self._session.error is not None:
            self._window.notice.say("There is nothing to export yet: the stroke text has to be readable first.")
            return
        documents = self._window.documents
        proposal = documents.folder / f"{file_stem(plan.name)}.mid"
        asked = documents.ask_name("Export plan", proposal, PLAN_EXPORTS, ".mid", PLAN_ENDINGS)
        if asked is None:
            return
        path, chosen = asked
        try:
            if path.suffix.lower() == ".pdf":
                from deft_reach.app.paper.plan_page import write_plan_page  # late: printing is rare

                write_plan_page(self._session, path, "Letter" if "Letter" in chosen else "A4")
            else:
                data = dump_pattern(pattern, path.suffix, self._session.kit, plan.tempo, plan.name, plan.repeat)
                write_atomic(path, data)
        except (OSError, ValueError) as error:
            self._stop(f"{path.name} cannot be written: {error}.")
            return
        lost = "".join(f"; {words}" for words in lost_in(path.suffix, pattern, plan.repeat))
        self._window.notice.say(f"{path.name} is written: {len(pattern.strokes)} strokes at {bpm(plan.tempo)}{lost}.")

    # --- kits -------------------------------------------------------------------------------------------------

    def export_kit(self) -> None:
        """The kit in view as a floor plan to scale, or its pieces as a table."""
        kit, documents = self._session.kit, self._window.documents
        proposal = documents.folder / f"{file_stem(kit.name)}.pdf"
        endings = {words: ending for words, (ending, _) in KIT_EXPORTS.items()}
        asked = documents.ask_name("Export kit", proposal, endings, ".pdf", sorted(set(endings.values())))
        if asked is None:
            return
        path, chosen = asked
        _, paper = KIT_EXPORTS.get(chosen, (".pdf", "A4"))
        from deft_reach.app.kit.export import export_kit  # late: printing is rare

        try:
            export_kit(kit, path, paper)
        except (OSError, ValueError) as error:
            self._stop(f"{path.name} cannot be written: {error}.")
            return
        printed = path.suffix.lower() in (".pdf", ".svg")
        how = " Print it at 100 %: the ruler on it shows half a metre at its scale." if printed else ""
        self._window.notice.say(f"{path.name} is written.{how}")

    # --- on paper ---------------------------------------------------------------------------------------------

    def print_plan(self) -> None:
        """The plan in view on one page, on paper."""
        from deft_reach.app.paper import printing  # late: printing is rare

        printing.print_plan(self._session, self._window.notice, self._parent)

    def print_kit(self) -> None:
        """The floor plan of the kit in view, to scale, on paper."""
        from deft_reach.app.paper import printing  # late: printing is rare

        printing.print_kit(self._session.kit, self._window.notice, self._parent)

    def bring_in_kit(self) -> None:
        """Ask for a kit's file, and play the plan in view on that kit."""
        folder = str(self._window.documents.folder)
        name, _ = QFileDialog.getOpenFileName(self._parent, "Bring in a kit", folder, KIT_FILES)
        if name:
            self.open_kit(Path(name))

    def open_kit(self, path: Path) -> None:
        """Add the kit of a file to the document, or say in the window why it cannot be."""
        try:
            data = read_file(path)
            kit = load_pieces(data, path.stem) if path.suffix.lower() == ".csv" else load_kit(data)
            self._session.kits.add_kit(kit, f"Bring in kit “{kit.name}”")
        except OSError as error:
            self._stop(f"{path.name} cannot be opened: {error.strerror or error}.")
        except (DocumentError, KitError) as error:
            self._stop(f"{path.name} cannot be brought in. {error}.")
        else:
            self._window.go("kit")
