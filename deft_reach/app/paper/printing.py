"""Printing: the plan in view on one page, or the kit's floor plan to scale, through the desktop's print dialog."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QByteArray, QMarginsF, QRectF, Qt
from PySide6.QtGui import QPageLayout, QPageSize, QPainter
from PySide6.QtPrintSupport import QPrintDialog, QPrinter
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QDialog, QWidget

from deft_reach.app import theme
from deft_reach.app.paper.plan_page import WIDE, draw_plan_page
from deft_reach.app.shell.notice import NoticeBar
from deft_reach.core.model.kit import Kit
from deft_reach.core.session import Session
from deft_reach.formats.floor_svg import PAPERS, dump_floor_plan

#: Papers wider than this (mm) are taken as Letter, others as A4.
_LETTER_FROM = 213.0


def print_plan(session: Session, notice: NoticeBar, parent: QWidget) -> None:
    """Ask for a printer and print the plan in view: staff, kit with every move, findings, ladder."""
    session.catch_up()
    if session.plan is None or session.report is None or session.error is not None or not session.report.strokes:
        notice.say("There is nothing to print yet: the stroke text has to be readable first.")
        return
    _ask(notice, parent, session.plan.name, lambda printer: draw_plan(session, printer))


def print_kit(kit: Kit, notice: NoticeBar, parent: QWidget) -> None:
    """Ask for a printer and print a kit's floor plan, to scale."""
    _ask(notice, parent, f"{kit.name}, floor plan", lambda printer: draw_kit(kit, printer))


def _ask(notice: NoticeBar, parent: QWidget, name: str, draw: Callable[[QPrinter], None]) -> None:
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setDocName(name)
    printer.setCreator("Deft Reach")
    printer.setPageOrientation(QPageLayout.Orientation.Portrait)
    printer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    # Both pages have their own margins.
    printer.setFullPage(True)
    printer.setPageMargins(QMarginsF(0, 0, 0, 0))
    dialog = QPrintDialog(printer, parent)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setOption(QPrintDialog.PrintDialogOption.PrintPageRange, False)

    def run() -> None:
        try:
            draw(printer)
        except OSError as error:
            notice.say(f"“{name}” cannot be printed: {error}.", tone="stop")
        else:
            notice.say(f"“{name}” was sent to {printer.printerName() or printer.outputFileName()}.")

    dialog.accepted.connect(run)
    QDialog.open(dialog)


def draw_plan(session: Session, printer: QPrinter) -> None:
    """Draw the plan's page on a printer. Raises OSError where it takes nothing."""
    painter = _begin(printer)
    scale = printer.width() / WIDE
    painter.scale(scale, scale)
    with theme.on_paper():
        draw_plan_page(session, painter, printer.height() / scale)
    painter.end()


def draw_kit(kit: Kit, printer: QPrinter) -> None:
    """Draw the floor plan on a printer, at its scale whatever the paper. Raises OSError where it takes nothing."""
    across = printer.pageLayout().pageSize().size(QPageSize.Unit.Millimeter).width()
    paper = "Letter" if across > _LETTER_FROM else "A4"
    painter = _begin(printer)
    dots = printer.resolution() / 25.4
    width, height = PAPERS[paper]
    svg = QSvgRenderer(QByteArray(dump_floor_plan(kit, paper)))
    svg.render(painter, QRectF(0, 0, width * dots, height * dots))
    painter.end()


def _begin(printer: QPrinter) -> QPainter:
    painter = QPainter()
    if not painter.begin(printer):
        raise OSError("the printer does not answer, or its file cannot be written")
    return painter
