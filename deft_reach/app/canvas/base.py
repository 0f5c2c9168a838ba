"""What all drawings share: the session, focus, keys for strokes, and a text equivalent."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QAccessible,
    QAccessibleAnnouncementEvent,
    QColor,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QShowEvent,
)
from PySide6.QtWidgets import QWidget

from deft_reach.app import theme
from deft_reach.app.background import drag_pace
from deft_reach.app.background.drag_pace import DragPace
from deft_reach.app.canvas.explain import stroke_words
from deft_reach.app.canvas.sprites import painted, stamp, text_picture, text_size
from deft_reach.app.text import units
from deft_reach.core.session.plan_view import PlanView

#: Typed on a selected stroke: what it becomes.
LIMB_KEYS = {"r": "R", "l": "L", "k": "K", "j": "J", "h": "H"}
MARK_KEYS = {">": ">", ".": ".", "~": "~", "x": "x", "^": "^", "o": "o", "'": "'", ",": ","}
GRACE_KEYS = {"f": "f", "d": "d", "u": "u"}


def handle_stroke_key(session: PlanView, event: QKeyEvent) -> bool:
    """Act on a key typed at a drawing; True if it meant something."""
    key, text = event.key(), event.text()
    bare = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier)
    if not bare:
        return False
    if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
        session.step_stroke(1 if key == Qt.Key.Key_Right else -1)
    elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
        session.select_stroke(0 if key == Qt.Key.Key_Home else 10**9)
    elif text in ("n", "N"):
        session.step_finding(1 if text == "n" else -1)
    elif session.stroke is None:
        return False
    elif text == "t":
        session.strokes.other_hand(session.stroke)
    elif text.lower() in LIMB_KEYS:
        session.strokes.set_limb(session.stroke, LIMB_KEYS[text.lower()])
    elif text in MARK_KEYS:
        session.strokes.toggle_mark(session.stroke, MARK_KEYS[text])
    elif text in GRACE_KEYS:
        session.strokes.toggle_grace(session.stroke, GRACE_KEYS[text])
    else:
        return False
    return True


def sheet_painter(widget: QWidget) -> QPainter:
    """A painter on an empty sheet, for a picture that is drawn anew each time."""
    painter = QPainter(widget)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(widget.rect(), QColor(theme.colours().sheet))
    return painter


class Same:
    """A thing in a picture key that is compared by being the same one, not by being equal."""

    def __init__(self, thing: object) -> None:
        self.thing = thing

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and self.thing is other.thing

    def __hash__(self) -> int:
        return id(self.thing)


class ChosenStroke(QWidget):
    """Nothing to be seen: the chosen stroke of a drawing as a thing of its own, for screen readers."""

    def __init__(self, canvas: Canvas) -> None:
        super().__init__(canvas)
        self.canvas = canvas
        self.setGeometry(0, 0, 1, 1)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)


class Canvas(QWidget):
    """A drawing that listens to the session and takes the keyboard."""

    #: Whether the drawing shows what is typed before it is analysed.
    follows_keys = False
    #: Whether the drawing shows where the plan is being played.
    shows_position = False

    def __init__(self, session: PlanView, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        #: What does not move of the drawing, by name: what it was painted for, and the picture.
        self._layers: dict[str, tuple[object, QPixmap]] = {}
        #: The stroke and the finding that were chosen when a screen reader was told of it.
        self._told: tuple[int | None, object] = (None, None)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        # Every drawing fills itself, so nothing behind it has to be painted first.
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName(name)
        self.chosen = ChosenStroke(self)
        self._pace = DragPace(self, lambda: self.refresh())
        session.verdict.connect(self._pace.ask)
        session.selected.connect(self._pace.ask)
        session.moved.connect(self._moved)

    def event(self, event: QEvent) -> bool:
        left = isinstance(event, QMouseEvent) and event.button() == Qt.MouseButton.LeftButton
        if left and event.type() == QEvent.Type.MouseButtonPress:
            drag_pace.pressed(self)
        done = super().event(event)
        if left and event.type() == QEvent.Type.MouseButtonRelease:
            drag_pace.released()
        return done

    def refresh(self) -> None:
        """The session has changed: say it in words, and draw again; out of sight, wait until shown.

        While keys are typed into a long plan, what shows the verdict waits for it: the keys go first.
        """
        if self.isVisible() and (self.follows_keys or not self.session.behind):
            self.setAccessibleDescription(self.in_words())
            self.update()
            self._tell()

    def _tell(self) -> None:
        """Have what is chosen now said, where the keyboard is here."""
        chosen = (self.session.stroke, self.session.finding)
        if chosen != self._told:
            self._told = chosen
            if self.hasFocus() and QAccessible.isActive():
                QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(self, self.chosen_in_words()))

    def chosen_in_words(self) -> str:
        """The chosen stroke, and the finding if one is chosen."""
        report, index, finding = self.session.report, self.session.stroke, self.session.finding
        words = [units.text_of(finding.said)] if finding is not None else []
        if report is not None and index is not None and index < len(report.strokes):
            words.append(stroke_words(report, index))
        return " ".join(words) or "Nothing is selected."

    def _moved(self) -> None:
        if self.shows_position and self.isVisible():
            self.update()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def in_words(self) -> str:
        """The drawing's text equivalent."""
        return ""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not handle_stroke_key(self.session, event):
            super().keyPressEvent(event)

    def picture_key(self) -> Hashable | None:
        """All that the drawing depends on, beside size and theme; it is not drawn again while that stays equal.

        None where it has to be drawn every time. Objects in it are compared by equality, so immutable ones belong
        there.
        """
        return None

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        key = self.picture_key()
        if key is None:
            self._paint(painter)
        else:
            painter.drawPixmap(0, 0, self.layer("whole", key, self._paint))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.over(painter)
        if self.hasFocus():
            pen = QPen(QColor(theme.colours().right), 1.5)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()

    def layer(self, name: str, key: Hashable, paint: Callable[[QPainter], None]) -> QPixmap:
        """A part of the drawing that does not move: painted once for a key, size, theme and text size, transparent
        where nothing is painted.
        """
        ratio = self.devicePixelRatioF()
        full = (key, self.width(), self.height(), ratio, theme.colours().name, theme.text_scale(), units.unit())
        kept = self._layers.get(name)
        if kept is None or kept[0] != full:
            kept = self._layers[name] = (full, painted(self.width(), self.height(), ratio, paint))
        return kept[1]

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.colours().sheet))
        self.draw(painter)

    def draw(self, painter: QPainter) -> None:
        raise NotImplementedError

    def over(self, painter: QPainter) -> None:
        """What lies over a kept picture and changes oftener than it, such as the selection."""

    def minimumSizeHint(self) -> QSize:
        return QSize(220, 60)

    def empty(self, painter: QPainter, text: str) -> None:
        """What stands where there is nothing to draw: what to do next."""
        painter.setPen(QColor(theme.colours().muted))
        painter.setFont(theme.ui_font(11))
        painter.drawText(
            QRectF(self.rect()).adjusted(16, 8, -16, -8),
            int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap),
            text,
        )


def label(
    painter: QPainter,
    at: QPointF,
    text: str,
    font: QFont,
    colour: QColor,
    align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignCenter,
    halo: QColor | None = None,
) -> QRectF:
    """Text round a point, on a halo where it lies over lines; returns its rectangle."""
    width, height = text_size(text, font)
    width += 2
    left = at.x() - width / 2
    if align & Qt.AlignmentFlag.AlignLeft:
        left = at.x()
    elif align & Qt.AlignmentFlag.AlignRight:
        left = at.x() - width
    rect = QRectF(left, at.y() - height / 2, width, height)
    if text:
        picture = text_picture(text, font, colour, halo, painter.device().devicePixelRatioF())
        stamp(painter, picture, rect.left() - 2, rect.top())
    return rect
