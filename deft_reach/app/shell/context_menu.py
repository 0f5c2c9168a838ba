"""What can be done with the drawing, list or table under the pointer."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QAbstractItemView, QApplication, QMenu, QWidget

from deft_reach.app.canvas.base import Canvas
from deft_reach.app.canvas.timeline import Timeline

if TYPE_CHECKING:
    from deft_reach.app.shell.window import MainWindow


def rows_as_text(view: QAbstractItemView) -> str:
    """A list or table as text: its columns between tabs, headings first where there are any."""
    model, lines = view.model(), []
    columns = range(model.columnCount())
    if len(columns) > 1:
        heads = [model.headerData(k, Qt.Orientation.Horizontal) for k in columns]
        lines.append("\t".join(str(head or "") for head in heads))
    for row in range(model.rowCount()):
        cells = []
        for k in columns:
            index = model.index(row, k)
            shown = index.data(Qt.ItemDataRole.DisplayRole)
            text = index.data(Qt.ItemDataRole.AccessibleTextRole) if shown is None else shown
            cells.append(" ".join(str(text or "").split()))
        lines.append("\t".join(cells))
    return "\n".join(lines) + "\n"


def menu_at(window: MainWindow, at: QPoint) -> QMenu | None:
    """The menu for what is at a point of the window; None where there is nothing to be done."""
    widget: QWidget | None = window.childAt(at)
    while widget is not None and not isinstance(widget, (Canvas, QAbstractItemView)):
        widget = widget.parentWidget()
    menu = QMenu(window)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    if isinstance(widget, QAbstractItemView):
        _of_rows(menu, widget, window)
    elif isinstance(widget, Canvas):
        _of_drawing(menu, widget, window, QPointF(widget.mapFrom(window, at)))
    if menu.isEmpty():
        menu.deleteLater()
        return None
    return menu


def _of_rows(menu: QMenu, view: QAbstractItemView, window: MainWindow) -> None:
    def copy() -> None:
        QApplication.clipboard().setText(rows_as_text(view))
        window.notice.say("The rows are copied: paste them into a spreadsheet or a text.")

    if view.model() is not None and view.model().rowCount():
        menu.addAction("Copy all rows", copy)


def _of_drawing(menu: QMenu, canvas: Canvas, window: MainWindow, at: QPointF) -> None:
    session = window.transport.session
    if isinstance(canvas, Timeline):
        stroke = canvas.stroke_at(at)
        if stroke is not None:
            canvas.session.select_stroke(stroke)
        if session.stroke is not None:
            menu.addAction("Play from this bar", window.transport.start_from_bar)
            menu.addAction("Give it to the other hand", window.try_other_hand)
            menu.addAction("Table of strokes", window.show_strokes)
        menu.addAction("Show the whole pattern", window.fit_view)
        menu.addSeparator()

    def copy() -> None:
        from deft_reach.app.paper.copying import copy_picture  # late: copying is rare

        copy_picture(canvas, window.stack.currentWidget(), window.notice)

    menu.addAction("Copy the picture", copy)
