"""What happens to a window's document: opening, saving, leaving it, and bringing back what an earlier run left."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from pathlib import Path
from typing import Final, Protocol

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QMenu, QMessageBox, QWidget

from deft_reach.app.dialogs.save_name import OtherFormatError, ask_name, file_stem, may_replace
from deft_reach.app.shell.autosave_controller import AutosaveController
from deft_reach.app.shell.notice import NoticeBar
from deft_reach.app.widgets.plain_text import plain_box, plain_tip
from deft_reach.core.document import Document, new_document, new_document_id
from deft_reach.core.session import Session
from deft_reach.formats.patterns import PATTERN_SUFFIXES
from deft_reach.formats.reading import DocumentError
from deft_reach.store.autosave import Leftover, discard, leftovers
from deft_reach.store.documents import SUFFIX, ChangedOnDiskError, open_document, save_document
from deft_reach.store.open_documents import OpenDocument
from deft_reach.store.places import demo_file
from deft_reach.store.settings import Settings

FILES: Final = f"Deft Reach documents (*{SUFFIX})"
_PATTERNS: Final = " ".join(f"*{suffix}" for suffix in PATTERN_SUFFIXES)
OPEN_FILES: Final = ";;".join(
    (
        f"All that can be read (*{SUFFIX} {_PATTERNS})",
        FILES,
        f"MIDI, MusicXML, CSV of strokes, stroke text ({_PATTERNS})",
    )
)


class Patterns(Protocol):
    """Makes plans of other programs' files."""

    def open_pattern(self, path: Path) -> None: ...


class Host(Protocol):
    """What opening and saving need of the window."""

    session: Session
    settings: Settings
    autosave: AutosaveController
    notice: NoticeBar

    @property
    def start_page(self) -> QWidget | None: ...
    @property
    def exchange(self) -> Patterns: ...
    @property
    def state_folder(self) -> Path | None: ...

    def use_own_log(self, document: Document) -> None: ...
    def use_demo_log(self, document: Document) -> None: ...
    def leave_start(self) -> None: ...
    def say_state(self) -> None: ...
    def start_at(self, name: str) -> None: ...


class DocumentController:
    """Opens, saves and leaves the document of one window, and says in its notice what cannot be done."""

    def __init__(self, window: Host, parent: QWidget) -> None:
        self._saves = 0
        self._window, self._parent = window, parent
        self._session, self._settings, self._autosave = window.session, window.settings, window.autosave
        #: The document's file, once it was asked whether it may be replaced.
        self._may_replace_file: Path | None = None
        #: The claim to the document's file.
        self.claim = OpenDocument()

    def _stop(self, words: str) -> None:
        self._window.notice.say(words, tone="stop")

    @property
    def name(self) -> str:
        """What the document is called: its file, or its title."""
        return self._autosave.path.stem if self._autosave.path else self._session.document.title

    @property
    def folder(self) -> Path:
        """Where to look for files first."""
        if self._autosave.path is not None:
            return self._autosave.path.parent
        recent = self._settings.recent
        return recent[0].parent if recent else Path.home()

    # --- taking another one -----------------------------------------------------------------------------------

    def take(
        self, document: Document, path: Path | None, opened: str | None, *, clean: bool, plan: str | None = None
    ) -> None:
        """Show a document that belongs to a file, or to none."""
        self._autosave.path, self._autosave.opened = path, opened
        self._may_replace_file = None
        self._claim(path)
        self._window.use_own_log(document)
        self._session.in_file = path is not None
        self._session.start(document, plan, clean=clean)
        self._window.leave_start()
        self._window.say_state()
        if path is not None:
            self._settings.opened(path)
            self._settings.set("last", str(path))

    def _claim(self, path: Path | None) -> None:
        """Have the document's file as this window's own, or say that it is open elsewhere."""
        self.claim.claim(path)
        if path is not None and self.claim.is_shared:
            self._stop(
                f"{path.name} is open in another window too. Edit it in one of them: the second one to save is told "
                "before it writes over the first."
            )

    def may_leave(self) -> bool:
        """Ask what to do with unsaved changes before another document takes their place; False to stay."""
        if self._session.is_saved:
            self._autosave.forget()
            return True
        kept = self._autosave.keep_now()
        box = plain_box(
            self._parent,
            "Unsaved changes",
            f"“{self.name}” has changes that are not in a file yet.",
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
            if self._autosave.hand_over():
                return True
            self._stop("Nothing could be kept: make room on the disk, or save to another place.")
        return False

    def _may_replace(self) -> bool:
        """Whether another document may take the place of the one in view."""
        return self._window.start_page is not None or self.may_leave()

    def new_document(self) -> None:
        if self._may_replace():
            self._window.start_at("write")
            self.take(new_document(), None, None, clean=True)

    def new_from_this(self) -> None:
        """A new document with all that is in this one: kits, players, plans; its practice is its own."""
        document = replace(self._session.document, id=new_document_id())
        plan = self._session.plan
        if self._may_replace():
            self.take(document, None, None, clean=False, plan=plan.id if plan is not None else None)

    # --- opening ----------------------------------------------------------------------------------------------

    def open_demo(self) -> None:
        if not self._may_replace():
            return
        try:
            document, _ = open_document(demo_file(), self._settings)
        except (OSError, DocumentError) as error:
            self._stop(f"The demo cannot be opened: {error}.")
            return
        self.take(document, None, None, clean=True, plan=document.plans[0].id)
        self._window.use_demo_log(document)

    def browse(self) -> None:
        """Ask for a file and open it."""
        title = "Open a document or a pattern"
        name, _ = QFileDialog.getOpenFileName(self._parent, title, str(self.folder), OPEN_FILES)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Open a file, or say in the window why it cannot be. A pattern's file becomes a new plan."""
        if path.suffix.lower() in PATTERN_SUFFIXES:
            self._window.exchange.open_pattern(path)
            return
        found = self._read(path)
        if found is not None and self._window.start_page is None:
            saved = self._session.is_saved
            if not self.may_leave():
                return
            if not saved:
                # Saving may just have changed this very file.
                found = self._read(path)
        if found is not None:
            document, opened = found
            self.take(document, path.resolve(), opened, clean=True, plan=self._settings.text("plan", ""))

    def _read(self, path: Path) -> tuple[Document, str] | None:
        """A file's document and fingerprint; None where it cannot be read, which is said in the window."""
        try:
            return open_document(path, self._settings)
        except OSError as error:
            self._stop(f"{path.name} cannot be opened: {error.strerror or error}.")
        except DocumentError as error:
            self._stop(f"{path.name} cannot be opened. {error}.")
        return None

    def fill_recent(self, menu: QMenu) -> None:
        """Offer the documents that were opened last."""
        menu.clear()
        for path in self._settings.recent:
            action = QAction(path.stem, menu)
            menu.addAction(action)
            action.setToolTip(plain_tip(str(path)))
            action.triggered.connect(lambda _=False, p=path: self.open_path(p))
        if menu.isEmpty():
            nothing = QAction("nothing yet", menu)
            nothing.setEnabled(False)
            menu.addAction(nothing)

    # --- saving -----------------------------------------------------------------------------------------------

    def save(self) -> bool:
        """Save to the document's file, asking for one if it has none. False if nothing was saved."""
        if self._autosave.path is None:
            return self.save_as()
        path = self._autosave.path
        if path != self._may_replace_file and not may_replace(self._parent, path):
            return False
        self._may_replace_file = path
        return self._write(path, self._autosave.opened)

    def save_as(self) -> bool:
        """Ask for a file and save to it. False if nothing was saved."""
        title = self._session.document.title
        stem = title if title != "Untitled" else "plans"
        proposal = self._autosave.path or self.folder / f"{file_stem(stem)}{SUFFIX}"
        asked = self.ask_name("Save the document", proposal, {FILES: SUFFIX}, SUFFIX, (SUFFIX,))
        if asked is None or not self._write(asked[0], None):
            return False
        self._may_replace_file = self._autosave.path
        return True

    def ask_name(
        self, title: str, proposal: Path, endings: dict[str, str], default: str, allowed: Collection[str]
    ) -> tuple[Path, str] | None:
        """A file to write and the filter that was chosen; None where there is none, said in the window if need be."""
        try:
            return ask_name(self._parent, title, str(proposal), ";;".join(endings), endings, default, allowed)
        except OtherFormatError as error:
            self._window.notice.say(f"{error}. Nothing was written.", tone="stop", holds=self._until_saved())
            return None

    def _until_saved(self) -> Callable[[], bool]:
        """Holds until a document is saved again."""
        count = self._saves
        return lambda: self._saves == count

    def _write(self, path: Path, opened: str | None) -> bool:
        document = self._session.document
        try:
            self._autosave.opened = save_document(path, document, opened)
            self._settings.remember_validated(self._autosave.opened)
        except ChangedOnDiskError:
            self._window.notice.say(
                f"{path.name} was changed by another program since it was opened. Nothing was written.",
                ("Save as…", lambda: self.save_as()),
                ("Write over it", lambda: self._write(path, None)),
                tone="stop",
                holds=self._until_saved(),
            )
            return False
        except (OSError, DocumentError) as error:
            self._window.notice.say(
                f"{path.name} cannot be saved: {getattr(error, 'strerror', None) or error}. {self._safety()}",
                ("Save as…", lambda: self.save_as()),
                tone="stop",
                holds=self._until_saved(),
            )
            return False
        self._saves += 1
        self._autosave.path = path.resolve()
        self._claim(self._autosave.path)
        self._session.in_file = True
        self._session.mark_saved(document)
        self._autosave.forget()
        self._settings.opened(path)
        self._settings.set("last", str(path.resolve()))
        self._window.say_state()
        return True

    def _safety(self) -> str:
        """Whether the changes are safe all the same: said only where they are."""
        if self._autosave.keep_now():
            return "Your changes are kept safe meanwhile."
        return "The safety copy could not be written either: save to another place."

    # --- recovery ---------------------------------------------------------------------------------------------

    def say_autosave_failed(self, why: str) -> None:
        self._stop(f"The safety copy cannot be written ({why}). Save to a file soon.")

    def offer_leftovers(self) -> None:
        """Offer what an earlier run left behind, the newest first; or say that nothing can be kept."""
        try:
            found = leftovers(self._window.state_folder)
        except OSError as error:
            self._stop(
                f"Changes cannot be kept safe while you work: {error.filename}: {error.strerror or error}. "
                "Make that folder writable, or save often."
            )
            return
        if not found:
            return
        first = found[0]
        name = first.path.stem if first.path else first.document.title
        when = first.time.astimezone().strftime("%-d %B, %H:%M")
        older = len(found) - 1
        more = f" ({older} older set{'s are' if older > 1 else ' is'} kept too)" if older else ""
        self._window.notice.say(
            f"Unsaved changes to “{name}” from {when} were kept{more}.",
            ("Bring them back", lambda: self._bring_back(first)),
            ("Discard them", lambda: self._discard(first)),
        )

    def _bring_back(self, leftover: Leftover) -> None:
        if not self._may_replace():
            return
        self.take(leftover.document, leftover.path, leftover.opened, clean=False)
        # On disk as this window's own before the old copy goes.
        if not self._autosave.keep_now():
            self._stop("They are back, and the safety copy stays where it is: another could not be written.")
            return
        self._discard(leftover)

    def _discard(self, leftover: Leftover) -> None:
        discard(leftover)
        self.offer_leftovers()
