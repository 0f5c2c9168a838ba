"""Copying the plan for other programs: as text, as MIDI, and what is in view as a picture."""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QMimeData
from PySide6.QtWidgets import QApplication, QWidget

from deft_reach.app.canvas.base import Canvas
from deft_reach.app.reach.hands_list import HandsList
from deft_reach.app.shell.notice import NoticeBar
from deft_reach.core.session import Session
from deft_reach.formats.midi import dump_midi


def copy_text(session: Session, notice: NoticeBar) -> None:
    """The plan's stroke text."""
    text = session.text
    if not text.strip():
        notice.say("There is nothing to copy yet: the plan is empty.")
        return
    QApplication.clipboard().setText(text)
    notice.say("The stroke text is copied.")


def copy_midi(session: Session, notice: NoticeBar) -> None:
    """The plan as a MIDI file, for programs that take one from the clipboard."""
    session.catch_up()
    plan, pattern = session.plan, session.pattern()
    if plan is None or pattern is None or not pattern.strokes:
        notice.say("There is nothing to copy yet: the stroke text has to be readable first.")
        return
    data = QMimeData()
    data.setData("audio/midi", QByteArray(dump_midi(pattern, session.kit, plan.tempo)))
    QApplication.clipboard().setMimeData(data)
    notice.say("The plan is copied as MIDI.")


def copy_picture(focus: QWidget | None, station: QWidget | None, notice: NoticeBar) -> None:
    """A picture of the drawing that has the keyboard, or else of the station's first one."""
    found = _drawing(focus, station)
    if found is None:
        notice.say("There is no drawing here to copy.")
        return
    QApplication.clipboard().setPixmap(found.grab())
    name = found.accessibleName().partition(",")[0]
    notice.say(f"A picture is copied: {name[:1].lower()}{name[1:]}.")


def _drawing(focus: QWidget | None, station: QWidget | None) -> QWidget | None:
    """What is meant: the drawing or list of hands around the focus, or the first drawing of the station in view."""
    widget = focus
    while widget is not None:
        if isinstance(widget, (Canvas, HandsList)):
            return widget
        widget = widget.parentWidget()
    return next((one for one in station.findChildren(Canvas) if one.isVisible()), None) if station else None
