"""The rail: the stations in the order of work."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap
from PySide6.QtWidgets import QButtonGroup, QFrame, QToolButton, QVBoxLayout, QWidget

from deft_reach.app import theme
from deft_reach.app.widgets.styled import set_scaled, styled

STATIONS = (
    ("kit", "Kit", "Where everything stands (Ctrl+1)"),
    ("write", "Write", "The rhythm and the sticking (Ctrl+2)"),
    ("voice", "Voice", "Which drum or cymbal gets each stroke (Ctrl+3)"),
    ("reach", "Reach", "What the hands have to do (Ctrl+4)"),
    ("song", "Song", "Does it work where it is played (Ctrl+5)"),
    ("climb", "Climb", "How to get it to tempo (Ctrl+6)"),
    ("log", "Log", "Is it clean, and what is next (Ctrl+7)"),
    ("today", "Today", "What fills the minutes I have (Ctrl+8)"),
)


#: How wide the rail is (px at the usual text size).
WIDTH = 56


class Rail(QFrame):
    """One button a station."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        set_scaled(self, QWidget.setFixedWidth, WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 6)
        column.setSpacing(4)
        self.buttons: dict[str, QToolButton] = {}
        group = QButtonGroup(self)
        for name, text, tip in STATIONS:
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(30, 30))
            set_scaled(button, QWidget.setFixedWidth, WIDTH)
            button.setAccessibleName(f"{text} station")
            button.setAccessibleDescription(tip)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, n=name: self.chosen.emit(n))
            group.addButton(button)
            column.addWidget(button)
            self.buttons[name] = button
        column.addStretch(1)
        styled(self, Rail.restyle)

    def show_station(self, name: str) -> None:
        self.buttons[name].setChecked(True)

    def restyle(self) -> None:
        """Draw the icons in the theme's ink."""
        for name, button in self.buttons.items():
            button.setIcon(station_icon(name))


def station_icon(name: str) -> QIcon:
    """A small line drawing for a station, drawn here so that it fits every theme and resolution."""
    # Long: one drawing for each station.
    scale = 3
    pixmap = QPixmap(30 * scale, 30 * scale)
    pixmap.setDevicePixelRatio(scale)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    c = theme.colours()
    ink = QPen(QColor(c.ink), 1.7, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
    painter.setPen(ink)
    if name == "kit":
        painter.drawEllipse(QPointF(10, 18), 6.5, 6.5)
        painter.drawEllipse(QPointF(21.5, 20), 5, 5)
        painter.drawEllipse(QPointF(18, 8.5), 4.5, 4.5)
        painter.setPen(QPen(QColor(c.muted), 1))
        painter.drawLine(QPointF(3, 28), QPointF(27, 28))
        painter.drawLine(QPointF(3, 26.4), QPointF(3, 29.6))
        painter.drawLine(QPointF(27, 26.4), QPointF(27, 29.6))
    elif name == "write":
        font = theme.lettering()
        font.setPixelSize(11)
        painter.setFont(font)
        painter.drawText(QRectF(0, 3, 30, 14), int(Qt.AlignmentFlag.AlignCenter), "RLRL")
        painter.setPen(QPen(QColor(c.muted), 1.4))
        painter.drawLine(QPointF(3, 21), QPointF(27, 21))
        for x in (3, 9, 15, 21, 27):
            painter.drawLine(QPointF(x, 21), QPointF(x, 25 if x in (3, 15, 27) else 23))
    elif name == "voice":
        # A stroke that has the choice of three.
        painter.drawLine(QPointF(15, 3), QPointF(15, 9))
        painter.setPen(QPen(QColor(c.muted), 1.2, Qt.PenStyle.DotLine))
        for x in (6, 15, 24):
            painter.drawLine(QPointF(15, 10), QPointF(x, 17))
        painter.setPen(ink)
        painter.drawEllipse(QPointF(5.5, 21.5), 3.2, 3.2)
        painter.drawEllipse(QPointF(24.5, 21.5), 4.6, 4.6)
        painter.setBrush(QColor(c.right))
        painter.setPen(QPen(QColor(c.right), 1.4))
        painter.drawEllipse(QPointF(14.5, 21.5), 3.8, 3.8)
    elif name == "climb":
        # Rungs that rise, the last one over the top.
        for k in range(5):
            painter.setPen(
                QPen(QColor(c.right if k == 3 else c.ink), 2.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap)
            )
            painter.drawLine(QPointF(3 + k * 5.1, 24 - k * 4.3), QPointF(6.4 + k * 5.1, 24 - k * 4.3))
        painter.setPen(QPen(QColor(c.muted), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(3, 9), QPointF(27, 9))
    elif name == "log":
        # A line of days: the hands' minutes above it, the feet's below.
        painter.setPen(QPen(QColor(c.ink), 1.4))
        painter.drawLine(QPointF(2.5, 17), QPointF(27.5, 17))
        for k, (hand, foot) in enumerate(((5.0, 3.0), (9.0, 0.0), (3.0, 5.0), (12.0, 4.0), (7.0, 6.0))):
            at = 4.5 + k * 5.2
            painter.setPen(QPen(QColor(c.right), 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(at, 15.5), QPointF(at, 15.5 - hand))
            if foot:
                painter.setPen(QPen(QColor(c.muted), 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
                painter.drawLine(QPointF(at, 18.5), QPointF(at, 18.5 + foot))
    elif name == "today":
        # The minutes of a day, what is left of them lighter.
        painter.setPen(QPen(QColor(c.ink), 1.4))
        painter.drawLine(QPointF(2.5, 21), QPointF(27.5, 21))
        for tick in (2.5, 15.0, 27.5):
            painter.drawLine(QPointF(tick, 21), QPointF(tick, 25))
        for left, wide, high, colour in (
            (4.0, 3.5, 5.0, c.muted),
            (9.0, 8.0, 13.0, c.right),
            (19.0, 7.0, 9.0, c.left),
        ):
            painter.setPen(QPen(QColor(colour), 2.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(left, 21 - high), QPointF(left + wide, 21 - high))
            painter.setPen(QPen(QColor(colour), 1))
            painter.drawLine(QPointF(left, 21 - high), QPointF(left, 19.5))
            painter.drawLine(QPointF(left + wide, 21 - high), QPointF(left + wide, 19.5))
    elif name == "song":
        # Sections in a row, one laid over the next.
        painter.drawRoundedRect(QRectF(2.5, 9, 11, 11), 2, 2)
        painter.drawRoundedRect(QRectF(19.5, 9, 8, 11), 2, 2)
        painter.setPen(QPen(QColor(c.left), 1.9))
        painter.setBrush(QColor(c.paper))
        painter.drawRoundedRect(QRectF(11, 11.5, 9, 11), 2, 2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(c.muted), 1))
        painter.drawLine(QPointF(3, 27), QPointF(27, 27))
    else:
        over, under = QPainterPath(QPointF(4, 23)), QPainterPath(QPointF(4, 8))
        over.cubicTo(QPointF(14, 23), QPointF(15, 7), QPointF(26, 7))
        under.cubicTo(QPointF(14, 8), QPointF(15, 23), QPointF(26, 23))
        painter.setPen(QPen(QColor(c.left), 2.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPath(under)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Clear)
        painter.setPen(QPen(QColor(c.paper), 7))
        painter.drawLine(QPointF(12.6, 18.2), QPointF(16.6, 12.4))
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        painter.setPen(QPen(QColor(c.right), 2.6, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPath(over)
    painter.end()
    return QIcon(pixmap)
