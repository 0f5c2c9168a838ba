"""Copying the plan for other programs: as text, as MIDI, and what is in view as a picture."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QByteArray, QMimeData
from PySide6.QtWidgets import QApplication, QWidget

from deft_reach.app.canvas.base import Canvas
from deft_reach.app.reach.tray import Tray
from deft_reach.formats.midi import dump_midi

if TYPE_CHECKING:
    from deft_reach.app.shell.window import MainWindow


def copy_text(window: MainWindow) -> None:
    """The plan's stroke text."""
    text = window.session.text
    if not text.strip():
        window.notice.say("There is nothing to copy yet: the plan is empty.")
        return
    QApplication.clipboard().setText(text)
    window.notice.say("The stroke text is copied.")


def copy_midi(window: MainWindow) -> None:
    """The plan as a MIDI file, for programs that take one from the clipboard."""
    session = window.session
    session.catch_up()
    plan, pattern = session.plan, session.pattern()
    if plan is None or pattern is None or not pattern.strokes:
        window.notice.say("There is nothing to copy yet: the stroke text has to be readable first.")
        return
    data = QMimeData()
    data.setData("audio/midi", QByteArray(dump_midi(pattern, session.kit, plan.tempo)))
    QApplication.clipboard().setMimeData(data)
    window.notice.say("The plan is copied as MIDI.")


def copy_picture(window: MainWindow) -> None:
    """A picture of the drawing that has the keyboard, or else of the station's first one."""
    found = _drawing(window)
    if found is None:
        window.notice.say("There is no drawing here to copy.")
        return
    QApplication.clipboard().setPixmap(found.grab())
    name = found.accessibleName().partition(",")[0]
    window.notice.say(f"A picture is copied: {name[:1].lower()}{name[1:]}.")


def _drawing(window: MainWindow) -> QWidget | None:
    """What is meant: the drawing or tray around the focus, or the first drawing of the station in view."""
    widget: QWidget | None = window.focusWidget()
    while widget is not None:
        if isinstance(widget, (Canvas, Tray)):
            return widget
        widget = widget.parentWidget()
    station = window.stack.currentWidget()
    return next((one for one in station.findChildren(Canvas) if one.isVisible()), None) if station else None
