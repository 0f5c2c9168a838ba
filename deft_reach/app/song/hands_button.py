"""The button that finds the hands of every plan of the song in view."""

from __future__ import annotations

from PySide6.QtCore import Signal

from deft_reach.app.background.background_task import BackgroundTask
from deft_reach.app.text.words import STOPPED, searching_words, sentence
from deft_reach.app.widgets.search_button import SearchButton
from deft_reach.core.document import Document
from deft_reach.core.model.counting import counted
from deft_reach.core.search.errors import SearchError
from deft_reach.core.session import Session
from deft_reach.core.song.hands import SongHands, find_song_hands


class HandsButton(SearchButton):
    """Starts and stops the search, and takes its answer over in one step; ``said`` tells how it goes and the tone."""

    said = Signal(str, str)

    def __init__(self, session: Session) -> None:
        self.task = BackgroundTask(SearchError)
        super().__init__("Find the hands", self.task)
        self.setToolTip("Choose hands for every stroke of the song's plans that has none, where they are played")
        self._session = session
        self._document: Document | None = None
        self.requested.connect(self.find_hands)
        self.stopped.connect(lambda: self.said.emit(STOPPED, "hint"))
        self.task.progressed.connect(self._progress)
        self.task.finished.connect(self._finished)

    def find_hands(self) -> None:
        """Search in the background; what is edited meanwhile keeps what it has."""
        document, song = self._session.document, self._session.songs.song
        if song is not None:
            self._document = document
            self.start(lambda progress: find_song_hands(document, song, progress))
            self.said.emit("Searching …", "hint")

    def _progress(self, looked: int, of: int | None, found: object) -> None:
        self.said.emit(searching_words(looked, of, found), "hint")

    def _finished(self, result: SongHands | str) -> None:
        if isinstance(result, str) or self._document is None:
            self.said.emit(sentence(str(result)), "error")
            return
        given = self._session.songs.give_hands(result.texts, self._document)
        words = f"{counted(given, 'plan has', 'plans have')} their hands."
        if given < len(result.texts):
            words += f" {counted(len(result.texts) - given, 'plan was', 'plans were')} edited meanwhile: find again."
        if result.open:
            words += f" {counted(result.open, 'stroke stays', 'strokes stay')} open: no hand can play them there."
        if result.tight:
            words += f" {sentence(result.tight)}"
        self.said.emit(words, "error" if result.open or result.tight else "hint")
