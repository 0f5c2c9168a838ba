"""Colours, lettering and marks: a set designer's drawing table, on paper or on dark blueprint.

Hands differ by colour and by shape (the right a disc, the left a lozenge); severities by colour and by shape as well.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Final

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPainter, QPainterPath, QPalette, QPolygonF
from PySide6.QtWidgets import QApplication

FONTS: Final = Path(__file__).parent / "fonts"
ICONS: Final = Path(__file__).parent / "icons"
UI_FAMILY: Final = "Karla"
LETTERING_FAMILY: Final = "Atkinson Hyperlegible"
MONO_FAMILY: Final = "DejaVu Sans Mono"


@dataclass(frozen=True)
class Colours:
    """One theme. Text colours keep 4.5:1 on every ground text stands on; ``edge``, the border of controls, 3:1."""

    name: str
    paper: str
    sheet: str
    rail: str
    line: str
    edge: str
    grid: str
    ink: str
    muted: str
    right: str
    left: str
    feet: str
    stop: str
    caution: str
    note: str
    good: str
    accent: str
    accent_text: str
    cymbal: str
    drum: str
    body: str
    selection: str
    band: str

    def hand(self, limb: str) -> QColor:
        """The colour of a limb."""
        return QColor({"R": self.right, "L": self.left, "?": self.muted}.get(limb, self.feet))

    def severity(self, severity: str) -> QColor:
        return QColor({"stop": self.stop, "caution": self.caution}.get(severity, self.note))


LIGHT: Final = Colours(
    name="light",
    paper="#f6f3ea",
    sheet="#fffdf8",
    rail="#e9e4d6",
    line="#d3ccba",
    edge="#857f70",
    grid="#e8e6dc",
    ink="#1d2a33",
    muted="#5a656c",
    right="#00626e",
    left="#a8430d",
    feet="#4b4f63",
    stop="#a8152f",
    caution="#8a5d00",
    note="#5a656c",
    good="#2d6a3e",
    accent="#1d2a33",
    accent_text="#fffdf8",
    cymbal="#f3e7bd",
    drum="#f1efe9",
    body="#d8d0bf",
    selection="#dfe9ea",
    band="#efe4d2",
)

DARK: Final = Colours(
    name="dark",
    paper="#121c25",
    sheet="#18252f",
    rail="#0d151c",
    line="#33444f",
    edge="#71899a",
    grid="#20303b",
    ink="#e7eef0",
    muted="#9fb0b8",
    right="#56c7d3",
    left="#ff9d5c",
    feet="#b3b8d4",
    stop="#ff8190",
    caution="#e8b64c",
    note="#9fb0b8",
    good="#7fd199",
    accent="#e7eef0",
    accent_text="#121c25",
    cymbal="#463f26",
    drum="#22313c",
    body="#3a4a55",
    selection="#23404a",
    band="#33302a",
)

_current = LIGHT


@contextmanager
def on_paper() -> Iterator[None]:
    """The light colours, whatever the theme: paper is white."""
    global _current
    before, _current = _current, LIGHT
    try:
        yield
    finally:
        _current = before


def colours() -> Colours:
    """The theme in use."""
    return _current


def load_fonts() -> None:
    """Make the fonts that ship with the app known to Qt."""
    for file in sorted(FONTS.iterdir()):
        if file.suffix in (".otf", ".ttf", ".woff"):
            QFontDatabase.addApplicationFont(str(file))


def ui_font(points: float = 10.5, bold: bool = False) -> QFont:
    """The face of everything that is read as text; scales with the system's text size."""
    return QFont(_font(UI_FAMILY, points * _text_scale, bold))


def lettering(points: float = 10.0) -> QFont:
    """The face of labels inside drawings, in which 1, l and I, 0 and O are told apart."""
    return QFont(_font(LETTERING_FAMILY, points * _text_scale, False))


def mono(points: float = 12.0) -> QFont:
    return QFont(_font(MONO_FAMILY, points * _text_scale, False))


@cache
def _font(family: str, points: float, bold: bool) -> QFont:
    """Fonts are slow to make and quick to copy."""
    font = QFont(family)
    font.setPointSizeF(points)
    font.setWeight(QFont.Weight.Bold if bold else QFont.Weight.Normal)
    return font


_text_scale = 1.0


#: What can be chosen; ``system`` is what the desktop asks for.
CHOICES: Final = ("system", "light", "dark")


def set_text_scale(scale: float) -> None:
    """Enlarge every text, 1.0 to 2.0."""
    global _text_scale
    _text_scale = max(0.8, min(2.0, scale))


def text_scale() -> float:
    return _text_scale


def follow_system() -> str:
    """The theme the desktop asks for."""
    hints = QGuiApplication.styleHints()
    return "dark" if hints.colorScheme() == Qt.ColorScheme.Dark else "light"


def apply(app: QApplication, name: str) -> None:
    """Dress the whole application in a theme."""
    global _current
    _current = DARK if name == "dark" else LIGHT
    c = _current
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, c.paper),
        (roles.WindowText, c.ink),
        (roles.Base, c.sheet),
        (roles.AlternateBase, c.paper),
        (roles.Text, c.ink),
        (roles.Button, c.sheet),
        (roles.ButtonText, c.ink),
        (roles.ToolTipBase, c.ink),
        (roles.ToolTipText, c.sheet),
        (roles.PlaceholderText, c.muted),
        (roles.Highlight, c.right),
        (roles.HighlightedText, c.sheet if c.name == "light" else c.paper),
        (roles.Link, c.right),
    ):
        palette.setColor(role, QColor(colour))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(c.muted))
    app.setPalette(palette)
    app.setFont(ui_font())
    app.setStyleSheet(_style(c))


def _style(c: Colours) -> str:
    # Long: one style sheet.
    small, big = 9.5 * _text_scale, 17 * _text_scale
    # With its frame a control is 24 px high at least, and higher for larger text.
    low = round(20 * max(1.0, _text_scale))
    arrow = (ICONS / f"down-{c.name}.svg").as_posix()
    return f"""
QToolTip {{ background: {c.ink}; color: {c.sheet}; border: 0; padding: 5px 7px; }}
#top {{ background: {c.rail}; }}
QMenuBar {{ background: {c.rail}; color: {c.ink}; padding: 1px 4px; }}
QMenuBar::item {{ padding: 3px 9px; background: transparent; }}
QMenuBar::item:selected {{ background: {c.selection}; }}
QMenu {{ background: {c.sheet}; color: {c.ink}; border: 1px solid {c.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 26px 5px 20px; }}
QMenu::item:selected {{ background: {c.selection}; }}
QMenu::item:disabled {{ color: {c.muted}; }}
QMenu::separator {{ height: 1px; background: {c.line}; margin: 4px 8px; }}
#rail {{ background: {c.rail}; border-right: 1px solid {c.line}; }}
#rail QToolButton {{ border: 0; border-left: 3px solid transparent; padding: 8px 1px 6px 0; color: {c.muted};
    background: transparent; }}
#rail QToolButton:hover {{ color: {c.ink}; }}
#rail QToolButton:checked {{ background: {c.paper}; color: {c.ink}; border-left: 3px solid {c.ink};
    font-weight: bold; }}
#rail QToolButton:focus {{ border-left: 3px solid {c.right}; color: {c.ink}; }}
#header {{ background: {c.paper}; border-bottom: 1px solid {c.line}; }}
#figure {{ font-size: {big}pt; font-weight: bold; }}
#figure[tone="stop"] {{ color: {c.stop}; }}
#figure[tone="caution"] {{ color: {c.caution}; }}
#caption, #hint {{ color: {c.muted}; font-size: {small}pt; }}
#panel {{ background: {c.sheet}; border: 1px solid {c.line}; }}
#panelTitle {{ font-weight: bold; }}
#panelNote {{ color: {c.muted}; font-size: {small}pt; }}
#notice {{ background: {c.band}; border-bottom: 1px solid {c.line}; }}
#notice[tone="stop"] QLabel {{ color: {c.stop}; }}
#error {{ color: {c.stop}; }}
#banner {{ background: {c.selection}; border-bottom: 1px solid {c.line}; }}
#failure {{ color: {c.stop}; background: {c.band}; border-bottom: 1px solid {c.line}; }}
#fine {{ color: {c.good}; }}
QPushButton {{ border: 1px solid {c.ink}; border-radius: 3px; padding: 6px 14px; background: {c.sheet};
    color: {c.ink}; }}
QPushButton:hover {{ background: {c.selection}; }}
QPushButton:focus {{ border: 2px solid {c.right}; padding: 5px 13px; }}
QPushButton:disabled {{ color: {c.muted}; border-color: {c.line}; }}
QPushButton#primary {{ background: {c.accent}; color: {c.accent_text}; font-weight: bold; }}
QPushButton#primary:focus {{ border: 2px solid {c.right}; }}
QPushButton#primary:disabled {{ background: {c.band}; color: {c.muted}; border-color: {c.line}; }}
QPushButton#link {{ border: 0; padding: 1px 2px; min-height: {low + 2}px; background: transparent; color: {c.muted};
    font-size: {small}pt; text-decoration: underline; }}
QPushButton#link:disabled {{ text-decoration: none; }}
QPushButton#link:focus {{ border: 1px solid {c.right}; }}
QPushButton#quiet {{ border: 1px solid {c.edge}; padding: 4px 10px; }}
QPushButton#settings {{ border: 1px solid {c.line}; padding: 4px 8px; text-align: left; color: {c.ink}; }}
QPushButton#settings:focus {{ border: 2px solid {c.right}; padding: 3px 7px; }}
#popover {{ background: {c.sheet}; border: 1px solid {c.edge}; }}
QPushButton#quiet:disabled {{ border: 1px solid {c.line}; }}
QPushButton#quiet:focus {{ border: 2px solid {c.right}; padding: 3px 9px; }}
QComboBox, QLineEdit {{ background: {c.sheet}; color: {c.ink}; border: 1px solid {c.edge};
    border-radius: 3px; padding: 4px 6px; selection-background-color: {c.right}; min-height: 18px; }}
QComboBox:focus, QLineEdit:focus, QPlainTextEdit:focus, QListView:focus,
QTableView:focus {{ border: 2px solid {c.right}; }}
QComboBox {{ combobox-popup: 0; }}
QComboBox QAbstractItemView {{ background: {c.sheet}; color: {c.ink}; border: 1px solid {c.line};
    selection-background-color: {c.selection}; selection-color: {c.ink}; }}
QComboBox::drop-down {{ border: 0; width: 22px; }}
QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 8px; }}
QAbstractSpinBox QLineEdit {{ border: 0; padding: 0; background: transparent; min-height: 0; }}
QAbstractSpinBox QLineEdit:focus {{ border: 0; }}
#planName {{ font-size: {15 * _text_scale}pt; font-weight: bold; border: 1px solid transparent;
    background: transparent; padding: 0 4px; min-height: 22px; }}
#planName:hover {{ border: 1px solid {c.edge}; }}
#planName:focus {{ border: 2px solid {c.right}; }}
QPlainTextEdit, QListView, QTableView {{ background: {c.sheet}; color: {c.ink}; border: 1px solid {c.line};
    selection-background-color: {c.selection}; selection-color: {c.ink}; gridline-color: {c.grid}; }}
QTableView[old="true"], QLabel[old="true"] {{ color: {c.muted}; font-style: italic; }}
QHeaderView::section {{ background: {c.sheet}; color: {c.muted}; border: 0; border-bottom: 1px solid {c.line};
    padding: 4px; }}
QCheckBox {{ spacing: 7px; color: {c.ink}; padding: 2px; min-height: {low}px; }}
QAbstractSpinBox {{ min-height: {low + 4}px; }}
QSlider {{ min-height: 24px; }}
QCheckBox:focus {{ color: {c.right}; font-weight: bold; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; }}
QTabWidget::pane {{ border: 0; border-top: 1px solid {c.line}; }}
QTabBar::tab {{ background: transparent; color: {c.muted}; padding: 5px 14px; border: 0;
    border-bottom: 2px solid transparent; }}
QTabBar::tab:selected {{ color: {c.ink}; border-bottom: 2px solid {c.ink}; }}
QTabBar::tab:focus {{ border-bottom: 2px solid {c.right}; }}
QSplitter::handle {{ background: transparent; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {c.line}; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QDialog {{ background: {c.paper}; }}
"""


def mark_path(limb: str, centre: QPointF, size: float) -> QPainterPath:
    """The mark of a limb: disc for the right hand, lozenge for the left, square for a foot, ring for neither."""
    path = QPainterPath()
    x, y, r = centre.x(), centre.y(), size
    if limb == "L":
        r *= 1.22
        path.addPolygon(QPolygonF([QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]))
        path.closeSubpath()
    elif limb == "R":
        path.addEllipse(centre, r, r)
    elif limb == "?":
        path.addEllipse(centre, r, r)
        path.addEllipse(centre, r * 0.5, r * 0.5)
    else:
        path.addRect(QRectF(x - r * 0.9, y - r * 0.9, 1.8 * r, 1.8 * r))
    return path


def severity_path(severity: str, centre: QPointF, size: float) -> QPainterPath:
    """The mark of a severity: ring for a note, triangle for a caution, barred square for a stop."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    x, y, r = centre.x(), centre.y(), size
    if severity == "stop":
        path.addRoundedRect(QRectF(x - r, y - r, 2 * r, 2 * r), r * 0.35, r * 0.35)
        path.addRect(QRectF(x - r * 0.62, y - r * 0.2, r * 1.24, r * 0.4))
    elif severity == "caution":
        path.addPolygon(
            QPolygonF(
                [QPointF(x, y - r * 1.1), QPointF(x + r * 1.15, y + r * 0.9), QPointF(x - r * 1.15, y + r * 0.9)]
            )
        )
        path.closeSubpath()
        path.addRect(QRectF(x - r * 0.13, y - r * 0.4, r * 0.26, r * 0.75))
    else:
        path.addEllipse(centre, r * 0.85, r * 0.85)
        path.addEllipse(centre, r * 0.45, r * 0.45)
    return path


def draw_severity(painter: QPainter, severity: str, centre: QPointF, size: float) -> None:
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(_current.severity(severity))
    painter.drawPath(severity_path(severity, centre, size))
    painter.restore()
