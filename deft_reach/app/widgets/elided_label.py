"""A line of text that ends in an ellipsis where it has no room; all of it is under the pointer."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QStyleOption, QToolTip, QWidget

from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip

#: Narrower than this (px) nothing could be read.
LEAST = 36


def show_whole(widget: QWidget, event: QEvent, whole: str, shown: str) -> bool:
    """Show all of a text as the tool tip, above the widget's own, where only a part is drawn; False elsewhere."""
    if not isinstance(event, QHelpEvent) or event.type() != QEvent.Type.ToolTip or shown == whole:
        return False
    own = f"\n{widget.toolTip()}" if widget.toolTip() else ""
    QToolTip.showText(event.globalPos(), plain_tip(whole) + own, widget)
    return True


class ElidedLabel(PlainLabel):
    """``text`` is always all of it; only what is drawn is shortened."""

    def minimumSizeHint(self) -> QSize:
        return QSize(min(LEAST, super().minimumSizeHint().width()), super().minimumSizeHint().height())

    @property
    def elided(self) -> str:
        """What is drawn."""
        room = self.contentsRect().width()
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room)

    def paintEvent(self, event: QPaintEvent) -> None:
        shown = self.elided
        if shown == self.text():
            super().paintEvent(event)
            return
        painter = QPainter(self)
        option = QStyleOption()
        option.initFrom(self)
        self.style().drawItemText(
            painter, self.contentsRect(), int(self.alignment()), option.palette, self.isEnabled(), shown,
            self.foregroundRole(),
        )  # fmt: skip
        painter.end()

    def event(self, event: QEvent) -> bool:
        return show_whole(self, event, self.text(), self.elided) or super().event(event)
