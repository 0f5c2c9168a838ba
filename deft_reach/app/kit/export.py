"""Taking the kit out: the floor plan as SVG or PDF, the pieces as CSV, the whole kit as JSON."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtCore import QByteArray, QRectF, QSizeF
from PySide6.QtGui import QPageSize, QPainter, QPdfWriter
from PySide6.QtSvg import QSvgRenderer

from deft_reach.app import theme
from deft_reach.app.paper.pdf import write_pdf
from deft_reach.core.model.kit import Kit
from deft_reach.formats.document import dump_kit
from deft_reach.formats.floor_svg import PAPERS, dump_floor_plan
from deft_reach.formats.pieces_csv import dump_pieces
from deft_reach.store.atomic import write_atomic

#: The font files that go into an SVG, by weight.
EMBEDDED: Final = {"normal": "Karla-Regular.otf", "bold": "Karla-Bold.otf"}


def export_kit(kit: Kit, path: Path, paper: str = "A4") -> None:
    """Write what the file's ending asks for: ``.svg``, ``.pdf``, ``.csv`` or ``.json``.

    Raises OSError when it cannot be written, ValueError for another ending.
    """
    suffix = path.suffix.lower()
    if suffix == ".csv":
        write_atomic(path, dump_pieces(kit))
    elif suffix == ".json":
        write_atomic(path, dump_kit(kit))
    elif suffix == ".svg":
        fonts = {weight: (theme.FONTS / name).read_bytes() for weight, name in EMBEDDED.items()}
        write_atomic(path, dump_floor_plan(kit, paper, fonts))
    elif suffix == ".pdf":
        _write_pdf(dump_floor_plan(kit, paper), path, paper)
    else:
        raise ValueError(f"'{path.suffix}' is no format for a kit; use .pdf, .svg, .csv or .json")


def _write_pdf(svg: bytes, path: Path, paper: str) -> None:
    def draw(painter: QPainter, page: QPdfWriter) -> None:
        QSvgRenderer(QByteArray(svg)).render(painter, QRectF(0, 0, page.width(), page.height()))

    write_pdf(path, QPageSize(QSizeF(*PAPERS[paper]), QPageSize.Unit.Millimeter), "Floor plan", draw)
