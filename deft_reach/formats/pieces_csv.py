"""The pieces of a kit as CSV: one line a piece, millimetres and degrees."""

from __future__ import annotations

import csv
import io
import math
from typing import Final

from deft_reach.core.model.kit import Kit, KitError, Piece, check_kit
from deft_reach.core.model.layouts import make_piece
from deft_reach.core.model.piece_kinds import PIECE_KINDS
from deft_reach.formats.reading import DocumentError, decode, reader
from deft_reach.formats.tables import heading_of, rows_of

COLUMNS: Final = ("code", "name", "kind", "x_mm", "y_mm", "z_mm", "diameter_mm", "width_mm", "tilt_deg", "depth_mm")
MAX_PIECES: Final = 200


def dump_pieces(kit: Kit) -> bytes:
    """A heading and one line a piece."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for p in kit:
        numbers = (p.x, p.y, p.z, p.diameter, p.width, p.tilt, p.depth)
        writer.writerow([p.code, _safe(p.name), p.kind, *(f"{value:g}" for value in numbers)])
    return out.getvalue().encode("utf-8", "replace")


@reader
def load_pieces(data: bytes, name: str) -> Kit:
    """A kit of this name from such a table; the columns may stand in any order.

    Zones and stand feet are those that a piece of the kind and size usually has. Raises DocumentError with the line.
    """
    rows = rows_of(decode(data), MAX_PIECES, "pieces")
    heading = heading_of(rows, COLUMNS)
    pieces: list[Piece] = []
    for number, cells in rows:
        if len(cells) != len(heading):
            raise DocumentError(f"{len(cells)} values; expected {len(heading)}", line=number, column=1)
        row = dict(zip(heading, (cell.strip() for cell in cells)))
        if row["kind"] not in PIECE_KINDS:
            raise DocumentError(
                f"unknown kind '{row['kind']}'; expected one of {', '.join(PIECE_KINDS)}", line=number
            )
        values = {}
        for column in COLUMNS[3:]:
            try:
                values[column] = float(row[column])
            except ValueError:
                raise DocumentError(f"{column} is '{row[column]}'; expected a number", line=number) from None
            if not math.isfinite(values[column]):
                raise DocumentError(f"{column} is '{row[column]}'; expected a number", line=number)
        at = (values["x_mm"], values["y_mm"], values["z_mm"])
        piece = make_piece(
            row["code"],
            row["name"].removeprefix("'"),
            row["kind"],
            at,
            values["diameter_mm"],
            values["width_mm"],
            tilt=values["tilt_deg"],
            depth=values["depth_mm"],
        )
        pieces.append(piece)
        try:
            check_kit(Kit("kit", name, tuple(pieces)))
        except KitError as error:
            raise DocumentError(str(error), line=number) from None
    if not pieces:
        raise DocumentError("there are no pieces in the table", line=1)
    return Kit("", name, tuple(pieces))


def _safe(text: str) -> str:
    """A name that a spreadsheet does not take for a formula."""
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
