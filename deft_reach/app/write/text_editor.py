"""The stroke text editor: colours what it reads and marks the mistake in its place while one types."""

from __future__ import annotations

import os
import re
import time

from PySide6.QtCore import QMimeData, QSignalBlocker, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QFont,
    QKeyEvent,
    QKeySequence,
    QSyntaxHighlighter,
    QTextBlock,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
)
from PySide6.QtWidgets import QPlainTextEdit, QTextEdit, QWidget

from deft_reach.app import theme
from deft_reach.app.widgets.styled import set_font, styled
from deft_reach.core.document import Score
from deft_reach.core.document.limits import LIMITS
from deft_reach.core.session import Session

_TOKEN = re.compile(
    r"#.*$|[|()]|\bswing\s+[\d.]+\s*/\d+|/\S+|\b(?:meter|tempo)\s+[\d./]+"
    r"|[fdu]?([RLKJH?])(@[a-z0-9:]+)?[>.~x^o]*|[-=]"
)


#: Longer lines stay plain: whoever pastes one would wait for each key, and nobody reads it by its colours.
LONGEST_COLOURED = 5_000
#: Lines are coloured for so many seconds at a time; the others follow when the window has answered.
SLICE = 0.015


class _Colouring(QSyntaxHighlighter):
    def __init__(self, document: QTextDocument) -> None:
        super().__init__(document)
        self._begin: float | None = None
        self._waiting: list[QTextBlock] = []
        self._next = QTimer(self)
        self._next.setSingleShot(True)
        self._next.timeout.connect(self._go_on)

    def highlightBlock(self, text: str) -> None:
        if len(text) > LONGEST_COLOURED:
            return
        now = time.perf_counter()
        if self._begin is None:
            self._begin = now
            self._next.start()
        if now - self._begin > SLICE:
            self._waiting.append(self.currentBlock())
            return
        self._colour(text)

    def _go_on(self) -> None:
        """Colour what did not fit into the last slice."""
        waiting, self._waiting, self._begin = self._waiting, [], None
        for k, block in enumerate(waiting):
            if self._waiting:
                self._waiting += waiting[k:]
                break
            if block.isValid():
                self.rehighlightBlock(block)

    def _colour(self, text: str) -> None:
        forms: dict[tuple[str, bool, bool], QTextCharFormat] = {}
        for match in _TOKEN.finditer(text):
            token = match.group()
            limb = match.group(1) or ""
            remark = token.startswith("#")
            kind = (limb, remark, ">" in token if limb else not remark and token not in "-=")
            if kind not in forms:
                forms[kind] = self._form(*kind)
            self.setFormat(match.start(), len(token), forms[kind])

    @staticmethod
    def _form(limb: str, remark: bool, bold: bool) -> QTextCharFormat:
        c = theme.colours()
        form = QTextCharFormat()
        form.setForeground(c.hand(limb) if limb else QColor(c.muted))
        form.setFontItalic(remark)
        form.setFontWeight(QFont.Weight.Bold if bold else QFont.Weight.Normal)
        return form


class TextEditor(QPlainTextEdit):
    """Typing changes the plan at once; undo is the session's, so that it goes through every kind of edit."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setAccessibleName("Stroke text")
        self.setAccessibleDescription(
            "R and L hands, K bass foot, H hi-hat foot, - a rest, > accent, @ and a voice, | ends a bar"
        )
        set_font(self, theme.mono, 12.5)
        self.setTabChangesFocus(True)
        self.setUndoRedoEnabled(False)
        self.setPlaceholderText("/8 R L R R  L R L L |")
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.WidgetWidth)
        self.document().setDocumentMargin(10)
        self._colouring = _Colouring(self.document())
        self._own = False
        self.textChanged.connect(self._typed)
        self.cursorPositionChanged.connect(self._moved)
        session.changed.connect(self.refresh)
        session.verdict.connect(self.mark)
        session.selected.connect(self.mark)
        self.refresh()
        styled(self, TextEditor.restyle)

    def restyle(self) -> None:
        """Colour the text again."""
        self._colouring.rehighlight()
        self.mark()

    def _typed(self) -> None:
        if self.toPlainText() != self.session.text:
            self._own = True
            self.session.strokes.set_text(self.toPlainText())
            self._own = False

    def _moved(self) -> None:
        pattern = self.session.pattern()
        if pattern is None or self._own or not self.hasFocus():
            return
        index = pattern.stroke_at(self.textCursor().position())
        if index is not None:
            self.session.select_stroke(index)

    def refresh(self) -> None:
        """Show the text as it is now, keeping the cursor where it was."""
        text = self.session.text
        if text != self.toPlainText():
            place = min(self.textCursor().position(), len(text))
            with QSignalBlocker(self):
                self._change(text)
                cursor = self.textCursor()
                cursor.setPosition(place)
                self.setTextCursor(cursor)
        self.setReadOnly(self.session.plan is None)

    def _change(self, text: str) -> None:
        """Put only what is different in its place: laying out and colouring a long text takes its time."""
        old = self.toPlainText()
        # Letter by letter is what is wanted here.
        start = len(os.path.commonprefix([old, text]))  # noqa: RUF071
        room = min(len(old), len(text)) - start
        same = min(room, len(os.path.commonprefix([old[::-1], text[::-1]])))  # noqa: RUF071
        self._cursor(start, len(old) - same).insertText(text[start : len(text) - same])

    def mark(self) -> None:
        """Underline the mistake, or else lay the selection behind the selected stroke."""
        c = theme.colours()
        marks: list[QTextEdit.ExtraSelection] = []
        error, pattern = self.session.error, self.session.pattern()
        if error is not None:
            mark = QTextEdit.ExtraSelection()
            start, end = error.span
            size = len(self.toPlainText())
            start = min(start, max(0, size - 1))
            mark.cursor = self._cursor(start, min(size, max(end, start + 1)))
            mark.format.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            mark.format.setUnderlineColor(QColor(c.stop))
            tint = QColor(c.stop)
            tint.setAlphaF(0.15)
            mark.format.setBackground(tint)
            marks.append(mark)
        elif pattern is not None and self.session.stroke is not None and self.session.stroke < len(pattern.strokes):
            span = pattern.strokes[self.session.stroke].span
            mark = QTextEdit.ExtraSelection()
            mark.cursor = self._cursor(span.start, span.end)
            mark.format.setBackground(QColor(c.selection))
            marks.append(mark)
        self.setExtraSelections(marks)

    def _cursor(self, start: int, end: int) -> QTextCursor:
        cursor = QTextCursor(self.document())
        cursor.setPosition(start)
        cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
        return cursor

    def show_error(self) -> None:
        """Put the cursor on the mistake."""
        error = self.session.error
        if error is not None:
            cursor = self.textCursor()
            cursor.setPosition(min(error.span.start, len(self.toPlainText())))
            self.setTextCursor(cursor)
            self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Undo):
            self.session.undo()
        elif event.matches(QKeySequence.StandardKey.Redo):
            self.session.redo()
        elif event.key() == Qt.Key.Key_Escape:
            self.clearFocus()
        else:
            super().keyPressEvent(event)

    def insertFromMimeData(self, source: QMimeData) -> None:
        """Paste, unless the text would be longer than a file holds: laying that out would take half a minute."""
        # Pasted text is a step of its own.
        self.session.end_merge()
        text, cursor = self.toPlainText(), self.textCursor()
        pasted = text[: cursor.selectionStart()] + source.text() + text[cursor.selectionEnd() :]
        if len(pasted) > LIMITS[Score]["text"]:
            # Refused there, with a sentence.
            self.session.strokes.set_text(pasted)
        else:
            super().insertFromMimeData(source)
        self.session.end_merge()
