"""One page on paper for a plan: staff with sticking, the kit with every move, what happens, and the verdict."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QByteArray, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QPageSize, QPainter, QPdfWriter, QPen, QPixmap
from PySide6.QtSvg import QSvgRenderer

from deft_reach.app import theme
from deft_reach.app.canvas.floor_drawing import FloorDrawing
from deft_reach.app.canvas.plan_pieces import draw_labels, draw_pedals, draw_pieces
from deft_reach.app.canvas.plan_player import draw_body, draw_path
from deft_reach.app.paper.pdf import write_pdf
from deft_reach.app.shell.commitments import day
from deft_reach.app.text import units
from deft_reach.app.text.numbers import bpm, decimal
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.counting import counted
from deft_reach.core.model.limbs import HANDS, RIGHT
from deft_reach.core.practice.ladder import LadderError, build_ladder
from deft_reach.core.practice.stages import build_up
from deft_reach.core.session import Session
from deft_reach.formats.engraving import EngravingError, engrave

PAPERS = {"A4": QPageSize.PageSizeId.A4, "Letter": QPageSize.PageSizeId.Letter}
#: The page is laid out this wide, in units of which everything below is so many.
WIDE = 1000.0
MARGIN = 60.0
CARE = (
    "Warm up, keep the grip loose, take breaks, mind your hearing, and stop at pain or numbness. If it stays, ask a "
    "clinician; follow the rules where you play."
)


class PathsPlan(FloorDrawing):
    """The kit from above with every move of both hands, the more often the darker; no arms.

    On paper alone: it listens to nothing, and is gone when it has been drawn.
    """

    def __init__(self, session: Session, size: QSize) -> None:
        self.session, self.size = session, size
        self.frame = self.frame_for()

    def width(self) -> int:
        return self.size.width()

    def height(self) -> int:
        return self.size.height()

    def draw(self, painter: QPainter) -> None:
        c = theme.colours()
        painter.fillRect(QRectF(0, 0, self.width(), self.height()), QColor(c.sheet))
        draw_pedals(self, painter, c)
        draw_pieces(self, painter, c, set())
        draw_labels(self, painter, c, [p for p in self.session.kit if not p.is_pedal])
        draw_body(self, painter, c)
        report = self.session.report
        if report is not None:
            for hand, start, end, share in moves_of(report):
                style = Qt.PenStyle.SolidLine if hand == RIGHT else Qt.PenStyle.DashLine
                draw_path(self, painter, c, hand, start, end, style, 0.35 + 0.6 * share)


def moves_of(report: Report) -> list[tuple[str, str, str, float]]:
    """Every move of a hand between two voices: hand, from, to, and how often, 1 for the most frequent."""
    count: dict[tuple[str, str, str], int] = {}
    for stroke in report.strokes:
        if stroke.limb in HANDS and stroke.travel_mm and stroke.came_from is not None:
            key = (stroke.limb, stroke.came_from, stroke.voice)
            count[key] = count.get(key, 0) + 1
    most = max(count.values(), default=1)
    return [(*key, times / most) for key, times in count.items()]


def write_plan_page(session: Session, path: Path, paper: str = "A4") -> None:
    """Write the plan in view as one PDF page. Raises OSError when it cannot be written."""

    def draw(painter: QPainter, page: QPdfWriter) -> None:
        scale = page.width() / WIDE
        painter.scale(scale, scale)
        with theme.on_paper():
            draw_plan_page(session, painter, page.height() / scale)

    title = session.plan.name if session.plan is not None else "Plan"
    write_pdf(path, QPageSize(PAPERS[paper]), title, draw)


def draw_plan_page(session: Session, painter: QPainter, high: float) -> None:
    """Draw the page, WIDE units wide and ``high`` units high."""
    plan, report = session.plan, session.report
    assert plan is not None and report is not None
    page = _Page(painter, theme.colours())
    painter.fillRect(QRectF(0, 0, WIDE, high), QColor("white"))
    s = report.summary
    y = page.text(plan.name, MARGIN, 24, bold=True)
    who = f"{session.kit.name} · {session.player.name}, {session.player.handedness}-handed"
    y = page.text(f"{bpm(plan.tempo)}{', round and round' if plan.repeat else ''} · {who}", y + 2, 11)
    limit = "no stroke sets a limit" if s.tempo_limit is None else f"breaks at {s.tempo_limit:.0f} BPM"
    ease = "cannot be played so" if report.impossible else f"{s.level or 'hands open'}, ease {s.ease:.0f} of 100"
    lead = {"R": "right hand leads", "L": "left hand leads", None: "no hand leads"}[s.lead]
    y = page.text(f"{limit} · {ease} · cost {decimal(s.cost, '.1f')} · {lead}", y + 2, 11)
    commitment = session.plans.commitment
    stamp = "Not committed yet."
    if commitment is not None:
        changed = session.plans.changes()
        since = f"; changed since: {', '.join(map(units.text_of, changed))}" if changed else ", unchanged since"
        stamp = f"Committed {day(commitment.date)}{since}."
    y = page.text(stamp, y + 2, 9.5, muted=True)
    y = _staff(page, session, report, y + 14, high * 0.42)
    foot = high - MARGIN - 40
    ladder = ladder_words(session)
    if ladder:
        foot -= page.height(ladder, 9.5, WIDE - 2 * MARGIN) + 10
    room = QRectF(MARGIN, y + 14, 500, min(560.0, foot - y - 24))
    _plan(page, session, room)
    _findings(page, report, QRectF(MARGIN + 520, y + 14, WIDE - 2 * MARGIN - 520, foot - y - 24))
    if ladder:
        foot = page.text(ladder, foot + 6, 9.5) + 2
    page.text(CARE, foot + 8, 8.5, muted=True)


def ladder_words(session: Session) -> str:
    """The ladder as a line to tick off: stages at the tempo to begin with, then the rungs."""
    plan, pattern = session.plan, session.pattern()
    if plan is None or pattern is None or not pattern.strokes or pattern.unassigned:
        return ""
    try:
        stages = build_up(pattern, session.kit, session.player, plan.tempo, repeat=plan.repeat, weights=plan.weights)
        rungs = build_ladder(stages, plan.tempo)
    except LadderError:
        return ""
    names = ", ".join(stage.name for stage in stages)
    climb = "   ".join(f"□ {decimal(rung.tempo, '.4g')}" for rung in rungs if rung.stage == len(stages) - 1)
    often = counted(rungs[0].repeats, "time")
    return f"Ladder: {names}, each at {bpm(rungs[0].tempo)} first. Then, {often} each:   {climb} BPM"


def _staff(page: _Page, session: Session, report: Report, top: float, lowest: float) -> float:
    """The staff; a long one is cut at the height there is, and says so. Returns where it ends."""
    width = WIDE - 2 * MARGIN
    try:
        svg = engrave(report.pattern, session.kit, report.tempo, round(width), "#000000")
    except EngravingError:
        return page.text(report.pattern.sticking, top, 11)
    drawing = QSvgRenderer(QByteArray(svg))
    size = drawing.defaultSize()
    height = width * size.height() / max(1, size.width())
    shown = min(height, max(80.0, lowest - top))
    painter = page.painter
    painter.save()
    painter.setClipRect(QRectF(MARGIN, top, width, shown))
    drawing.render(painter, QRectF(MARGIN, top, width, height))
    painter.restore()
    if shown < height - 1:
        return page.text("… the staff goes on; the whole of it is in the MusicXML file.", top + shown, 9, muted=True)
    return top + shown


def _plan(page: _Page, session: Session, room: QRectF) -> None:
    plan = PathsPlan(session, QSize(round(room.width() * 1.25), round(room.height() * 1.25)))
    picture = QPixmap(plan.size * 3)
    picture.setDevicePixelRatio(3)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    plan.draw(painter)
    painter.end()
    page.painter.drawPixmap(room, picture, QRectF(picture.rect()))
    page.painter.setPen(QPen(QColor("#999999"), 0.8))
    page.painter.setBrush(Qt.BrushStyle.NoBrush)
    page.painter.drawRect(room)


def _findings(page: _Page, report: Report, room: QRectF) -> None:
    y = page.text("What happens", room.top(), 12, bold=True, left=room.left(), width=room.width()) + 4
    findings = sorted(report.said, key=lambda f: -f.severity.rank)
    for number, finding in enumerate(findings):
        words = units.text_of(finding.said)
        height = page.height(words, 9.5, room.width() - 22)
        if y + height > room.bottom() - 14:
            left = len(findings) - number
            page.text(f"… and {left} more.", y, 9, muted=True, left=room.left(), width=room.width())
            return
        theme.draw_severity(page.painter, finding.severity, QPointF(room.left() + 7, y + 8), 6)
        y = page.text(words, y, 9.5, left=room.left() + 22, width=room.width() - 22) + 5
    if not findings:
        page.text("Nothing to watch out for.", y, 9.5, left=room.left(), width=room.width())


class _Page:
    """Text in units of the page: every line knows where it ends."""

    def __init__(self, painter: QPainter, colours: theme.Colours) -> None:
        self.painter, self.colours = painter, colours

    @staticmethod
    def _font(size: float, bold: bool) -> QFont:
        font = theme.ui_font(10, bold)
        # A point on the page: 1000 units are 210 mm wide.
        font.setPixelSize(round(size * 1.68))
        return font

    def height(self, words: str, size: float, width: float) -> float:
        self.painter.setFont(self._font(size, False))
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
        return float(self.painter.boundingRect(QRectF(0, 0, width, 4000), flags, words).height())

    def text(
        self, words: str, top: float, size: float, *, bold: bool = False, muted: bool = False, left: float = MARGIN,
        width: float = WIDE - 2 * MARGIN,
    ) -> float:  # fmt: skip
        """Write words from a height on; returns the height below them."""
        self.painter.setFont(self._font(size, bold))
        self.painter.setPen(QColor("#555555" if muted else "#000000"))
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap)
        room = QRectF(left, top, width, 4000)
        needed = self.painter.boundingRect(room, flags, words)
        self.painter.drawText(room, flags, words)
        return float(needed.bottom())
